"""Rules of fights, frame by frame: boundaries of freezes, cases, clashes, likes, and what a header may say."""

from __future__ import annotations

import copy
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.worlds import brush, outcomes, recording, rulebook, run, sting, toml
from voskar.core.adopt.window import Window, Windows
from voskar.core.judging.memory import Memory
from voskar.core.step import replay
from voskar.core.views.timeline import timeline
from voskar.errors import InputError
from voskar.evidence.check import check
from voskar.files.rulebook import load_rulebook

TORSO = {"role": "hurtbox", "rect": [10, 10], "layer": ["keeper"]}
LENGTHS = [
    # what a hornet touches, the attack, and what becomes of it
    ("##########", {"rehit": "3f"}, "LrrLrrLrrL"),
    ("##########", {"rehit": "3f", "hitstop": "2f"}, "L..rrL..rr"),
    ("##########", {"rehit": "3f", "hitstop": "2f", "hitstop_on": "target"}, "LrrLrrLrrL"),
    ("##########", {"rehit": "entry", "hitstop": "3f"}, "L...rrrrrr"),
    ("###.######", {"rehit": "entry", "hitstop": "1f"}, "L.r.L.rrrr"),
    ("##########", {"target": {"iframes": "2f"}}, "LiiLiiLiiL"),
    ("##########", {"target": {"iframes": "2f"}, "hitstop": "2f", "hitstop_on": "target"}, "LiiiiLiiii"),
    # a shot out of a pool, consumed and used again within its freeze, is another one
    (
        "##-##-####",
        {"attacker": {"remove": True}, "rehit": "2f", "hitstop": "8f", "hitstop_on": "attacker"},
        "L..L..L...",
    ),
    ("##-##-####", {"attacker": {"remove": True}, "rehit": "2f", "hitstop": "4f", "hitstop_on": "all"}, "L.....L..."),
]


@pytest.mark.parametrize(("touch", "attack", "expected"), LENGTHS)
def test_a_freeze_moves_the_ends_of_timers(touch: str, attack: dict[str, Any], expected: str) -> None:
    ledger = run(sting(attack=attack), brush({"hornet": touch}))
    assert outcomes(ledger, "hornet", len(touch)) == expected


def test_a_return_waits_for_the_end_of_a_freeze_and_then_for_its_pose() -> None:
    """The keeper goes down in 2, and is away until 20: of its frames four are frozen with the hornet, four with all."""
    rules = sting(attack={"hitstop": "4f", "rehit": "once"}, keeper={"health": 1})
    rules["kinds"]["keeper"]["respawn"] = {"after": 10, "at": "start"}
    rules["kinds"]["drone"] = copy.deepcopy(rules["kinds"]["keeper"]) | {"health": 9}
    rules["kinds"]["queen"] = copy.deepcopy(rules["kinds"]["hornet"])
    for box in rules["kinds"]["queen"]["boxes"].values():
        box["attack"] = "roar"
    rules["attacks"]["roar"] = {"damage": 1, "hitstop": "4f", "hitstop_on": "all", "rehit": "once"}
    frames: list[dict[str, Any]] = []
    for at in range(24):
        poses = [{"id": "hornet", "kind": "hornet", "x": 0 if at in range(2, 7) else 200, "y": 0}]
        poses += [{"id": "queen", "kind": "queen", "x": 50 if at in range(8, 13) else 300, "y": 0}]
        poses += [{"id": "drone", "kind": "drone", "x": 50, "y": 0}]
        poses += [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}] if at < 3 or at >= 20 else []
        hit = {2: ("hornet", "keeper"), 8: ("queen", "drone")}.get(at)
        claims = [{"event": "hit", "attacker": hit[0], "target": hit[1]}] if hit else []
        frames.append({"poses": poses, "claims": claims})
    ledger = run(rules, frames)
    book = rulebook(rules)
    assert check(book.rules(Fraction(60)), recording(book, frames))[0].findings == ()
    assert {event.frame: event.until for event in ledger.of("hitstop")} == {2: 6, 8: 12}
    assert [event.frame for event in ledger.of("respawn")] == [2 + 10 + 8]


def test_what_appears_while_everyone_is_frozen_lives_as_much_longer() -> None:
    """A spark of three frames: in 1, where it is frozen until 4, in 5 and in 6."""
    rules = sting(attack={"hitstop": "4f", "hitstop_on": "all", "target": {"spawn": "spark"}})
    rules["kinds"]["spark"] = {"motion": {"life": 3}}
    ledger = run(rules, brush({"hornet": "#........."}))
    assert [(event.frame, event.detail) for event in ledger.of("removed")] == [(7, "expired")]


def test_of_two_freezes_the_latest_end_counts() -> None:
    ledger = run(sting(attack={"hitstop": "4f"}), brush({"hornet-1": "#.......", "hornet-2": ".#......"}))
    assert [(event.frame, event.id, event.until) for event in ledger.of("hitstop")] == [
        (0, "keeper", 4),
        (0, "hornet-1", 4),
        (1, "keeper", 5),
        (1, "hornet-2", 5),
    ]


CASES = [
    # cases of the attack, those of the keeper, and what the contact tells
    ([{"name": "a", "if": {}, "scale": 0.5}], [{"name": "b", "if": {}, "scale": 0}], ("a", 0.5)),
    ([{"name": "a", "if": {}, "scale": 0.5, "goes_on": True}], [{"name": "b", "if": {}, "scale": 0.5}], ("a+b", 0.25)),
    ([{"name": "a", "if": {"hurtbox": ["none"]}}], [{"name": "b", "if": {}, "damage": 7}], ("b", 7)),
    ([{"name": "a", "if": {"target": {"health": "< 50%"}}, "scale": 2}], [], (None, 1)),
    ([{"name": "a", "if": {"target": {"health": ">= 100%"}}, "scale": 2}], [], ("a", 2)),
    ([{"name": "a", "if": {}, "by_claim": True, "scale": 2}], [], (None, 1)),
]


@pytest.mark.parametrize(("own", "theirs", "expected"), CASES)
def test_the_first_case_that_holds(own: list[Any], theirs: list[Any], expected: tuple[str | None, float]) -> None:
    ledger = run(sting(attack={"cases": own}, keeper={"cases": theirs}), brush({"hornet": "#"}))
    assert [(hit.case, hit.damage) for hit in ledger.hits()] == [expected]


def test_a_case_that_does_not_land_leaves_no_memory() -> None:
    case = {"name": "missed", "if": {"target": {"no_tags": ["low"]}}, "lands": False, "target": {"stun": 9}}
    data = sting(attack={"cases": [case], "rehit": "entry", "damage": 1}, keeper={"tags": ["low"]})
    frames = brush({"hornet": "####"})
    for frame in frames[2:]:
        frame["poses"][0]["tags"] = ["low"]
    ledger = run(data, frames)
    assert outcomes(ledger, "hornet", 4) == "uuLr"
    assert not ledger.of("stun")
    assert ledger.of("contact")[0].detail == "missed"


def blades(**attack: Any) -> dict[str, Any]:
    """Two sides whose hitboxes clash."""
    box = {"role": "hitbox", "circle": 4, "layer": ["hive"], "mask": ["keeper"], "attack": "sting"}
    data = sting(attack=attack, contact={"clash": {"hive": ["keeper"]}})
    data["attacks"]["slash"] = {"damage": 3, "strength": 1, "clash": {"winner": {"iframes": 5}}}
    tool = box | {"layer": ["keeper"], "mask": ["hive"], "attack": "slash"}
    data["kinds"]["keeper"]["boxes"]["tool"] = tool
    data["kinds"]["hornet"]["boxes"] |= {"sting": box, "body": {"role": "hurtbox", "circle": 2, "layer": ["hive"]}}
    return data


@pytest.mark.parametrize(
    ("strength", "winner", "hits"), [(0, "keeper", ["slash"]), (1, None, []), (2, "hornet", ["sting"])]
)
def test_the_stronger_attack_goes_on(strength: int, winner: str | None, hits: list[str]) -> None:
    ledger = run(blades(strength=strength, rehit="once"), brush({"hornet": "#"}))
    assert [(event.id, event.other, event.winner) for event in ledger.of("clash")] == [("hornet", "keeper", winner)]
    assert [hit.attack for hit in ledger.hits()] == hits
    assert bool(ledger.of("iframes")) == (winner == "keeper")


def test_who_comes_back_is_no_longer_cancelled() -> None:
    """Also when the other side of the clash was gone before."""
    memory = Memory()
    memory.note_clash((1, "sting", 2, "slash"), (0, 0, 5))
    memory.cancel((1, "sting"), 0)
    memory.forget(2)
    memory.forget(1)
    assert (memory.clashes, memory.cancelled) == ({}, {})


def test_a_clash_takes_health_and_brings_counters_to_their_limits() -> None:
    data = blades(strength=2, rehit="once")
    data["attacks"]["slash"]["clash"] = {"attacker": {"damage": 1, "gives": {"guard": -1}}}
    data["kinds"]["keeper"] |= {"counters": {"guard": {"start": 1, "on_min": {"stun": "5f"}}}}
    entries = [(event.event, event.before, event.after) for event in run(data, brush({"hornet": "#"})).events]
    assert entries[:4] == [("clash", None, None), ("health", 100, 99), ("counter", 1, 0), ("stun", None, None)]


@pytest.mark.parametrize(
    ("mark", "values", "told"),
    [(1, "22111100", 6), (4, "21111000", 5), (5, "21111100", 6), (6, "21111000", 5)],
)
def test_what_regen_has_brought_is_kept_across_a_mark(mark: int, values: str, told: int) -> None:
    heat = {"start": 2, "regen": {"amount": -1, "every": 4, "after": 1}}
    frames = brush({"hornet": "." * len(values)})
    frames[mark]["reset"] = "run"
    book = rulebook(sting(keeper={"counters": {"heat": heat}, "respawn": {"keeps": ["heat"]}}))
    played = recording(book, frames)
    rules = book.rules(played.rate)
    ledger = replay(rules, played)
    assert [(event.frame, event.before, event.after) for event in ledger.of("counter")] == [(told, 2, 0)]
    counted = timeline(rules, played, ledger).courses["keeper"].counters["heat"]
    assert "".join(f"{value:g}" for value in counted.at(np.arange(len(values)))) == values


def test_a_kind_is_like_another() -> None:
    data = sting(keeper={"iframes": 3})
    data["kinds"]["novice"] = {"like": "keeper", "health": 5, "boxes": {"torso": {"circle": 2}}}
    data["attacks"]["bite"] = {"like": "sting", "priority": 2}
    rules = rulebook(data).rules(Fraction(60))
    novice = rules.kinds["novice"]
    assert (novice.health, novice.iframes, novice.boxes[0].outline.radius) == (5, 3, 2)
    assert (rules.attacks["bite"].damage, rules.attacks["bite"].priority) == (1, 2)


@pytest.mark.parametrize("like", [{"a": "b", "b": "a"}, {"a": "nobody"}])
def test_a_like_that_leads_nowhere_is_told(like: dict[str, str]) -> None:
    with pytest.raises(InputError, match=r"itself|unknown kind"):
        rulebook({"kinds": {name: {"like": other} for name, other in like.items()}})


def test_poses_that_show_the_result_of_hits() -> None:
    data = sting(attack={"if": {"target": {"during": {"guard": ""}}}})
    frames = brush({"hornet": "###"})
    frames[1]["poses"][0] |= {"clip": "guard", "tick": 0}
    for header, expected in (({}, "uLu"), ({"poses": "after_hits"}, "uuL")):
        assert outcomes(run(data, frames, **header), "hornet", 3) == expected


def test_how_far_a_logger_lags() -> None:
    data = sting(attack={"rehit": "once"})
    frames = brush({"hornet": ".#........."})
    frames[6]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    book = rulebook(data)
    late, played = recording(book, frames), recording(book, frames, lag={"hit": [0, 6]})
    rules = book.rules(late.rate)
    assert check(rules, late)[0].findings
    assert not check(rules, played)[0].findings
    assert check(rules, played, windows=Windows(Window(1, 1)))[0].findings


TABLE = """clip,cells,box,role,attack,shape,x,y,w,h,r,length,layer,mask
,,torso,hurtbox,,rect,0,0,10,10,,,keeper,
slash,2,blade,hitbox,slash,rect,14,0,16,6,,,,hive
slash,4-5,blade,hitbox,slash,rect,20,0,32,12,,,,hive
"""


def test_boxes_of_a_table(tmp_path: Path) -> None:
    (tmp_path / "keeper.csv").write_text(TABLE)
    data = sting(keeper={"boxes_from": "keeper.csv", "boxes": {"torso": {"rank": 3}}})
    data["attacks"]["slash"] = {}
    (tmp_path / "rules.toml").write_text(toml({"voskar": 2, **data}))
    torso, blade = load_rulebook(tmp_path / "rules.toml").rules(Fraction(60)).kinds["keeper"].boxes
    assert (torso.rank, torso.during, torso.role) == (3, None, "hurtbox")
    assert [blade.opens("slash", cell) for cell in range(7)] == [False, False, True, False, True, True, False]
    keys = [(key.cell, key.at, key.stretch) for key in blade.keys["slash"]]
    assert keys == [(2, (14, 0), None), (4, (20, 0), (2, 2))]


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("slash,4-5,", "slash,2-5,", "row 3: cells: cells of slash that row 2 has as well"),
        ("rect,20,0,32", "disc,20,0,32", 'row 3: shape: found "disc"'),
        ("hitbox,slash,rect,20", "hurtbox,slash,rect,20", "row 3: role: found hurtbox, expected hitbox as in row 2"),
        ("20,0,32,12", "20,0,,12", "row 3: w: a rect needs a `w` above 0"),
        ("20,0,32,12", "2x,0,32,12", 'row 3: x: found "2x", expected a number'),
        ("box,role", "bix,role", 'row 1: bix: unknown column "bix" \\(did you mean "box"'),
    ],
)
def test_what_is_wrong_in_a_table_is_told(old: str, new: str, told: str, tmp_path: Path) -> None:
    (tmp_path / "keeper.csv").write_text(TABLE.replace(old, new))
    (tmp_path / "rules.toml").write_text(toml({"voskar": 2, **sting(keeper={"boxes_from": "keeper.csv"})}))
    with pytest.raises(InputError, match=told):
        load_rulebook(tmp_path / "rules.toml")


def test_a_game_may_log_a_counter_beyond_its_limit() -> None:
    data = sting(keeper={"counters": {"guard": {"max": 5, "regen": {"amount": 1}}}})
    data["kinds"]["keeper"]["boxes"] = {"torso": {**TORSO, "if": {"counters": {"guard": ">= 5"}}}}
    frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]} for _ in range(4)]
    frames[1]["poses"][0]["counters"] = {"guard": 9}
    frames[3]["poses"][0]["counters"] = {"guard": 5}
    book = rulebook(data)
    played = recording(book, frames)
    verdict, _ = check(book.rules(played.rate), played)
    assert [(finding.code, finding.frame) for finding in verdict.findings] == [("counter", 1)]


def test_counters_of_an_owner_that_is_gone_keep_to_their_limits() -> None:
    """Its shot takes three from a guard of two that no actor is left to hold."""
    data = sting(
        attack={"target": {"gives": {"guard": -3}}, "rehit": "once"},
        keeper={"motion": {"life": "3f"}, "counters": {"guard": {"start": 2, "max": 4}}},
    )
    data["kinds"]["hatch"] = {"boxes": {"body": {"role": "hurtbox", "circle": 9, "layer": ["keeper"]}}}
    data["fixtures"] = [{"kind": "keeper", "at": [900, 0], "id": "old"}]
    hornet = {"id": "hornet", "kind": "hornet", "x": 0, "y": 0}
    hatch = {"id": "hatch", "kind": "hatch", "owner": "old", "x": 0, "y": 0}
    frames = [{"poses": [hornet, hatch] if frame > 5 else []} for frame in range(9)]
    entries = [(frame.id, frame.before, frame.after) for frame in run(data, frames).of("counter")]
    assert entries == [("old", 2, 0)]


@pytest.mark.parametrize("stacking", ["ignore", "renew", "add"])
def test_the_poison_of_a_shot_that_is_gone_is_not_that_of_the_next(stacking: str) -> None:
    """Each shot lives for six frames, in a swamp that takes health four frames after a touch, and again after eight."""
    swamp = {"role": "hitbox", "circle": 9, "mask": ["shots"], "attack": "swamp"}
    poison = {"damage": 1, "every": 4, "times": 9, "stacking": stacking}
    data: dict[str, Any] = {
        "layers": {"names": ["shots"]},
        "kinds": {
            "bee": {"emitters": {"gun": {"spawn": "cub", "when": {"every": 7}}}},
            "cub": {
                "health": 9,
                "motion": {"life": 6},
                "boxes": {"core": {"role": "hurtbox", "circle": 1, "layer": ["shots"]}},
            },
            "swamp": {"boxes": {"mud": swamp}},
        },
        "attacks": {"swamp": {"rehit": "once", "target": {"over_time": poison}}},
        "fixtures": [{"kind": "swamp", "at": [0, 0]}],
    }
    frames = [{"poses": [{"id": "bee", "kind": "bee", "x": 0, "y": 0}]} for _ in range(60)]
    falls = [(event.id, event.frame) for event in run(data, frames).of("health")]
    assert falls == [(f"bee/gun-{shot}", 7 * shot + 4) for shot in range(1, 8)]
