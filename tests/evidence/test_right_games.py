"""Small games that are right, of which `check` says nothing; and games that are wrong once, and right from there on."""

from __future__ import annotations

import cmath
import json
import math
import re
from typing import Any

import pytest

from tests.core.test_against_reference import reports_the_same
from tests.worlds import brush, recording, rulebook, sting
from voskar.core.adopt import Window, Windows
from voskar.core.ledger import Ledger
from voskar.core.step import replay
from voskar.core.views.perfect import perfect_log
from voskar.core.watching import watched
from voskar.evidence.check import check

Frames = list[dict[str, Any]]
HIT = {"event": "hit", "attacker": "hornet", "target": "keeper"}


def verdict(rules: dict[str, Any], frames: Frames, within: int = 0, **header: Any) -> tuple[list[Any], Ledger]:
    book = rulebook(rules)
    played = recording(book, frames, **header)
    windows = Windows(every=Window(0, within))
    found, ledger = check(book.rules(played.rate), played, windows=windows, explains=False)
    return [(root.code, root.frame) for root, _ in found.roots], ledger


def test_where_a_run_begins_again_nobody_was_thrown() -> None:
    """The keeper is hit in the frame before the mark, and stands elsewhere in that of the mark."""
    frames = brush({"hornet": ".....#......"})
    for frame in frames[6:]:
        frame["poses"][0]["x"] = 90
    frames[5]["claims"] = [HIT]
    frames[6]["reset"] = "run"
    assert verdict(sting(), frames)[0] == []


def test_an_attacker_is_home_in_the_frame_of_the_return() -> None:
    rules = sting(keeper={"health": 1, "respawn": {"after": 5, "resets": "pair"}})
    frames = brush({"hornet": "#" + "." * 12})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": 4 * at if at < 5 else 4 * (at - 5), "cut": at == 5}  # sent home, it walks on
        frame["poses"][0]["hidden"] = 0 < at < 5
    frames[0]["claims"] = [HIT, {"event": "down", "id": "keeper"}]
    frames[5]["claims"] = [{"event": "respawn", "id": "keeper"}]
    assert verdict(rules, frames)[0] in ([], [("hit-missing", 5)])


@pytest.mark.parametrize(("mode", "last"), [("longest", 20), ("set", 7), ("add", 22)])
def test_a_stun_may_end_the_one_before_it(mode: str, last: int) -> None:
    """Of 20 frames from 0 on and of two frames from 5 on."""
    rules = sting(hornet={}, attack={"target": {"stun": 20}})
    rules["attacks"]["jab"] = {"damage": 1, "target": {"stun": 2, "stun_mode": mode}}
    rules["kinds"]["wasp"] = {"boxes": {"jaw": rules["kinds"]["hornet"]["boxes"]["sting"] | {"attack": "jab"}}}
    frames = brush({"hornet": "#" + "." * 25, "wasp": ".....#" + "." * 20})
    for at, frame in enumerate(frames):
        frame["poses"][2]["kind"] = "wasp"
        frame["poses"][0]["stunned"] = 0 < at <= last
    frames[0]["claims"] = [HIT | {"attack": "sting"}]
    frames[5]["claims"] = [HIT | {"attacker": "wasp", "attack": "jab"}]
    assert verdict(rules, frames)[0] == []
    frames[last]["poses"][0]["stunned"] = False
    assert verdict(rules, frames)[0] == [("state-stunned", last)]


def shooting(at_once: bool, **gun: Any) -> tuple[dict[str, Any], Frames, Ledger]:
    """A hornet at 90 that fires two puffs to the left: rules, the log of a right game, and its ledger."""
    own = {"spawn": "puff", "when": {"press": "fire"}, "speed": 240, "aim": 180, "moves_at_once": at_once, **gun}
    rules = sting(hornet={"emitters": {"gun": own}})
    core = {"role": "hitbox", "attack": "jab", "circle": 2, "mask": ["keeper"]}
    rules["kinds"]["puff"] = {"motion": {"life": 6}, "boxes": {"core": core}}
    rules["attacks"]["jab"] = {"damage": 1}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 30})
    for at, frame in enumerate(frames):
        frame["inputs"] = [{"id": "hornet", "button": "fire", "down": at in (2, 15)}]
        frame["poses"][1]["x"] = 90
    raw = recording(book, frames, reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    return rules, log, replay(book.rules(raw.rate), raw)


@pytest.mark.parametrize("at_once", [False, True])
def test_ends_and_muzzles_of_shots_that_use_an_id_again(at_once: bool) -> None:
    """Each is claimed with its first place, before or after its first move, and with its end."""
    rules, log, ledger = shooting(at_once)
    shown = [(at, pose) for at, frame in enumerate(log) for pose in frame["poses"] if pose["kind"] == "puff"]
    for _, pose in shown:
        pose["id"] = "puff"
    for born in ledger.of("spawn"):
        last = max(at for at, _ in shown if at < born.frame + 10)
        log[born.frame]["claims"] = [{"event": "spawn", "id": "puff", "owner": "hornet", "x": born.x, "y": born.y}]
        log[last]["claims"] = [{"event": "removed", "id": "puff"}]
    assert verdict(rules, log)[0] == []
    log[born.frame]["claims"][0]["x"] += 9
    assert verdict(rules, log)[0] == [("event-values", born.frame)]
    log[born.frame]["claims"][0]["x"] -= 9
    log[last]["claims"], log[last - 2]["claims"] = [], log[last]["claims"]
    assert verdict(rules, log)[0] == [("event-moved", last - 2)]


@pytest.mark.parametrize("place", [(0, 0), (4, 0)])
def test_a_shot_may_hit_before_its_first_pose_shows_it(place: tuple[int, int]) -> None:
    """It is fired inside the keeper, and in its first pose it is beyond."""
    rules, log, _ = shooting(True, muzzle=[-90, 0], speed=1800)
    (hit,) = log[2]["claims"]
    log[2]["claims"] = [hit | {"x": place[0], "y": place[1]}]
    log[15]["claims"] = []
    assert verdict(rules, log)[0] == (
        [("hit-missing", 15)] if place == (0, 0) else [("hit-place", 2), ("hit-missing", 15)]
    )


@pytest.mark.parametrize("turned", [False, True])
def test_claimed_health_says_which_of_two_equal_hits_came_first(turned: bool) -> None:
    rules = sting(attack={"damage": 1, "rehit": "always"})
    rules["attacks"]["bite"] = {"damage": 3}
    rules["kinds"]["wasp"] = {"boxes": {"jaw": rules["kinds"]["hornet"]["boxes"]["sting"] | {"attack": "bite"}}}
    frames = brush({"hornet": "...#..", "wasp": "...#.."})
    for frame in frames:
        frame["poses"][2]["kind"] = "wasp"
    healths = [(96, 97), (99, 96)][not turned]
    hits = [HIT | {"attack": "sting"}, HIT | {"attack": "bite", "attacker": "wasp"}]
    frames[3]["claims"] = [hit | {"health": left} for hit, left in zip(hits, healths, strict=True)]
    assert verdict(rules, frames)[0] == []


@pytest.mark.parametrize(("turn", "expected"), [(14, []), (-19, []), (26, [("spawn-direction", 0)])])
def test_a_game_draws_its_own_jitter(turn: float, expected: list[Any]) -> None:
    gun = {"spawn": "puff", "when": {"press": "fire"}, "speed": 60, "aim": 0, "jitter": 20}
    rules = sting(hornet={"emitters": {"gun": gun}})
    rules["kinds"]["puff"] = {"motion": {"life": 20}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 30})
    for frame in frames:
        frame["inputs"] = [{"id": "hornet", "button": "fire", "down": True}]
    raw = recording(book, frames, reactions="raw", seed=7)
    _, log = perfect_log(book.rules(raw.rate), raw)
    puffs = [pose for frame in log for pose in frame["poses"] if pose["kind"] == "puff"]
    way = complex(puffs[1]["x"] - puffs[0]["x"], puffs[1]["y"] - puffs[0]["y"])
    for age, pose in enumerate(puffs):
        aside = cmath.rect(abs(way) * age, math.radians(turn))
        pose |= {"x": puffs[0]["x"] + aside.real, "y": puffs[0]["y"] + aside.imag, "angle": turn}
        for key in ("vx", "vy"):
            pose.pop(key, None)
    assert verdict(rules, log)[0] == expected


def test_iframes_are_compared_again_once_the_run_begins_again() -> None:
    """Who was out before the mark plays on behind it, with i-frames that end too soon."""
    rules = sting(keeper={"health": 2, "lives": 1, "iframes": 4})
    frames = brush({"hornet": "#....#.........#####"})
    for at in (0, 5, 15):
        frames[at]["claims"] = [HIT]
    frames[10]["reset"] = "run"
    for at, frame in enumerate(frames):
        frame["poses"][0] |= {"immune": 1 <= at <= 4 or 16 <= at <= 17}
        frame["poses"][0] |= {"hidden": 5 < at < 10}
    assert verdict(rules, frames)[0] == [("state-immune", 18)]


@pytest.mark.parametrize("within", [2, 5])
def test_a_claimed_death_stands_for_the_hit_that_is_claimed_beside_it(within: int) -> None:
    """A touch before it, which the game does not count, is not upheld by it."""
    frames = brush({"hornet-1": "....#.........", "hornet-2": "........#....."})
    frames[8]["claims"] = [HIT | {"attacker": "hornet-2"}, {"event": "down", "id": "keeper"}]
    found, ledger = verdict(sting(keeper={"health": 1}), frames, within)
    assert found == [("hit-missing", 4)]
    assert [event.frame for event in ledger.of("down")] == [8]


def test_a_claimed_attack_that_no_box_has_only_takes_health() -> None:
    """A poison's tick: no stun, no push and no i-frames of the box that is nearest."""
    rules = sting(keeper={"iframes": 20}, attack={"target": {"stun": 30}})
    rules["attacks"]["poison"] = {"damage": 2}
    frames = brush({"hornet": "...#............."})
    frames[1]["claims"] = [HIT | {"attack": "poison", "damage": 2}]
    frames[3]["claims"] = [HIT]
    found, ledger = verdict(rules, frames)
    assert found == [("hit-denied", 1)]
    assert [(event.frame, event.before, event.after) for event in ledger.of("health")] == [(1, 100, 98), (3, 98, 97)]
    assert [event.frame for event in ledger.of("stun")] == [3]


def test_one_that_returns_without_a_rule_plays_on() -> None:
    frames = brush({"hornet": "#........#......"})
    frames[0]["claims"] = [HIT, {"event": "down", "id": "keeper"}]
    frames[5]["claims"] = [{"event": "respawn", "id": "keeper"}]
    frames[9]["claims"] = [HIT, {"event": "down", "id": "keeper"}]
    found, ledger = verdict(sting(keeper={"health": 1}), frames)
    assert found == [("event-denied", 5)]
    assert [event.frame for event in ledger.of("down")] == [0, 9]


def test_a_logged_shot_is_swept_as_one_that_the_rules_drive() -> None:
    """It flies past the keeper in one frame, and the game counts it."""
    rules = sting(hornet={"emitters": {"gun": {"spawn": "puff", "when": {"press": "fire"}, "speed": 3600}}})
    rules["kinds"]["puff"] = {"motion": {"life": 20}, "boxes": {"core": {"role": "hitbox", "attack": "jab", "circle": 2,
                                                                       "mask": ["keeper"]}}}  # fmt: skip
    rules["attacks"]["jab"] = {"damage": 1, "attacker": {"remove": True}}
    rules["kinds"]["hornet"]["emitters"]["gun"]["aim"] = 180
    book = rulebook(rules)
    frames = brush({"hornet": "." * 9})
    for frame in frames:
        frame["inputs"] = [{"id": "hornet", "button": "fire", "down": True}]
        frame["poses"][1]["x"] = 90
    raw = recording(book, frames, reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    assert [claim["attack"] for frame in log for claim in frame.get("claims", ())] == ["jab"]
    assert verdict(rules, log)[0] == []


def test_a_logged_child_takes_its_parents_side() -> None:
    """An egg of the hive breaks, and its shard passes through another of the hive."""
    rules = sting()
    rules["kinds"]["egg"] = {"side": "hive", "health": 1, "down": {"spawn": [{"kind": "shard", "speed": 60}]},
                             "boxes": {"skin": {"role": "hurtbox", "rect": [6, 6], "layer": ["hive"]}}}  # fmt: skip
    core = {"role": "hitbox", "attack": "cut", "circle": 4, "mask": ["hive", "keeper"]}
    rules["kinds"]["shard"] = {"motion": {"life": 20}, "boxes": {"core": core}}
    rules["kinds"]["puff"] = {"boxes": {"core": {"role": "hitbox", "attack": "jab", "circle": 4, "mask": ["hive"]}}}
    rules["kinds"]["hornet"]["boxes"]["belly"] = {"role": "hurtbox", "circle": 6, "layer": ["hive"]}
    rules["attacks"] |= {"cut": {"damage": 1}, "jab": {"damage": 1}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 9})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": 200}
        frame["poses"].append({"id": "egg", "kind": "egg", "x": 200, "y": 0})
        frame["poses"].append(
            {"id": "puff", "kind": "puff", "x": 200 if at == 3 else 300 + 9 * at, "y": 0, "cut": True}
        )
    raw = recording(book, frames, reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    assert any(pose["kind"] == "shard" for frame in log for pose in frame["poses"])
    assert verdict(rules, log)[0] == []


@pytest.mark.parametrize(("life", "claimed", "lands"), [(20, False, True), (4, False, False), (20, True, False)])
def test_who_has_ended_by_itself_does_not_linger(life: int, claimed: bool, lands: bool) -> None:
    """A puff is gone in the frame before it would reach the keeper: hit and removed, or at the end of its life."""
    rules = sting(contact={"linger": 2})
    core = {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"]}
    rules["kinds"]["puff"] = {"motion": {"life": life, "velocity": [-300, 0]}, "boxes": {"core": core}}
    frames = brush({"hornet": "." * 9})
    for at in range(4):
        frames[at]["poses"].append({"id": "puff", "kind": "puff", "x": 25 - 5 * at, "y": 0})
    if claimed:
        frames[4]["claims"] = [{"event": "removed", "id": "puff"}]
    book = rulebook(rules)
    played = recording(book, frames)
    hits = check(book.rules(played.rate), played)[1].hits()
    assert [(hit.frame, hit.detail) for hit in hits if hit.attacker == "puff"][:1] == (
        [(4, "lingering")] if lands else []
    )


@pytest.mark.parametrize(("way", "lands"), [((4, 0), False), ((0, 4), True)], ids=["sideways", "down"])
def test_of_equally_deep_surfaces_the_motion_decides(way: tuple[float, float], lands: bool) -> None:
    """A foot overlaps the corner of a drum as deep from above as from the side; neither box is swept."""
    rules = sting(attack={"if": {"onto": 30}})
    rules["space"] = {"up": "-y"}
    rules["kinds"]["hornet"]["boxes"]["sting"] = {"role": "hitbox", "attack": "sting", "rect": [10, 10],
                                                  "mask": ["keeper"]}  # fmt: skip
    frames = brush({"hornet": "..."})
    for at, frame in enumerate(frames):  # in frame 1 it is at (-8, -8): 2 units deep either way
        frame["poses"][1] |= {"x": -8 + way[0] * (at - 1), "y": -8 + way[1] * (at - 1)}
    book = rulebook(rules)
    _, ledger = check(book.rules(60), recording(book, frames[:2]))
    assert [hit.frame for hit in ledger.hits()] == ([1] if lands else [])


def test_a_driven_actor_turns_on_as_it_comes_home() -> None:
    rules = sting(hornet={"motion": {"velocity": [60, 0], "spin": 600}}, attack={"attacker": {"home": True}})
    rules["fixtures"] = [{"kind": "hornet", "id": "wheel", "at": [-20, 0]}]
    book = rulebook(rules)
    raw = recording(book, brush({"bee": "." * 20}), reactions="raw")
    seen = watched(book.rules(raw.rate), raw)
    poses, number = seen.recording.poses, seen.recording.numbers["wheel"]
    rows = poses.rows_of(number)
    assert seen.ledger.of("home")
    assert poses.angle[rows].tolist() == pytest.approx([10.0 * at for at in range(len(rows))])


@pytest.mark.parametrize(("leaves", "told"), [(30, []), (31, [(30, "down-long")]), (12, [])])
def test_one_without_a_pose_waits_for_a_safe_place(leaves: int, told: list[Any]) -> None:
    keeper = {"health": 1, "respawn": {"after": 10, "if_unsafe": "wait"}, "down": {"hide": True}}
    frames = []
    for frame in range(50):
        poses = [{"id": "hornet", "kind": "hornet", "x": 2 if 5 <= frame < leaves else 200, "y": 0, "cut": True}]
        if not 6 <= frame < 30 or (leaves == 12 and frame >= 15):
            poses.append({"id": "keeper", "kind": "keeper", "x": 0, "y": 0})
        frames.append({"poses": poses})
    book = rulebook(sting(keeper=keeper))
    verdict, ledger = check(book.rules(60), recording(book, frames))
    assert [event.frame for event in ledger.of("respawn")] == ([15] if leaves == 12 else [max(leaves, 30)])
    assert [(root.frame, root.code) for root, _ in verdict.roots] == told


def test_a_run_goes_on_that_the_game_goes_on_with() -> None:
    keeper = {"health": 1, "lives": 1}
    frames = brush({"hornet": "#....#....#....#...."})
    for frame in frames[::5]:
        frame["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    book = rulebook(sting(keeper=keeper))
    verdict, ledger = check(book.rules(60), recording(book, frames, logged={"events": ["down"]}))
    assert [(root.frame, root.code) for root, _ in verdict.roots] == [(0, "event-missing")]
    assert [event.detail for event in ledger.of("adopted")].count("no over") == 1
    assert len(ledger.hits()) == 4


def test_a_score_that_stays_as_much_off_is_one_finding() -> None:
    keeper = {"health": 1, "down": {"worth": 10}, "respawn": {"after": 2}}
    frames = brush({"hornet": "#....#....#....#...."})
    for at, frame in enumerate(frames):
        off = (5 if at >= 7 else 0) + (3 if at >= 12 else 0)
        frame["display"] = [{"id": "hornet", "score": 10 * (at // 5 + 1) + off}]
    book = rulebook(sting(keeper=keeper))
    verdict, _ = check(book.rules(60), recording(book, frames))
    found = [(finding.frame, finding.game) for finding in verdict.findings if finding.code == "display"]
    assert found == [(7, "shows score 25 from 7 to 11"), (12, "shows score 38 from 12 to the end")]


@pytest.mark.parametrize(
    "motion", [{"at_edge": "stop"}, {"at_edge": "bounce"}, {"on_solid": "stop"}, {"on_solid": "bounce"}]
)
@pytest.mark.parametrize("tells", [True, False])
def test_shots_of_a_fan_that_a_wall_stops_at_once_are_still_told_apart(motion: dict[str, Any], tells: bool) -> None:
    """Far shots of a fast fan end their first step in almost one direction: their steps say which is which."""
    fan = {"spawn": "puff", "when": {"every": 20}, "count": 24, "spread": 345, "speed": 300, "inherit": 1}
    rules = sting(hornet={"emitters": {"gun": fan}})
    rules["space"] = {"bounds": [-900, -900, 900, 900], "solids": [{"rect": [-1000, 140, 1000, 300]}]}
    if "at_edge" in motion:
        rules["space"] = {"bounds": [-900, -900, 900, 140]}
    rules["kinds"]["puff"] = {"motion": motion | {"life": 15}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 60})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": 0, "y": -203 + 17 * at, "cut": False}
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    for frame in log:
        for pose in frame["poses"] if not tells else ():
            pose.pop("vx", None), pose.pop("vy", None)
    assert any(pose["id"].startswith("hornet.gun") for frame in log for pose in frame["poses"])
    assert verdict(rules, log)[0] == []


@pytest.mark.parametrize(
    ("edge", "shown"),
    [({"at_edge": "remove"}, 0), ({"at_edge": "bounce", "bounces": 0}, 0), ({"at_edge": "bounce", "bounces": 2}, 1)],
)
def test_a_shot_that_its_first_move_ends_is_not_the_next_one(edge: dict[str, Any], shown: int) -> None:
    gun = {"spawn": "puff", "when": {"every": 9}, "speed": 600, "aim": 0, "moves_at_once": True}
    rules = sting(hornet={"emitters": {"gun": gun}}) | {"space": {"bounds": [-500, -500, 105, 500]}}
    rules["kinds"]["puff"] = {"motion": edge | {"life": 5}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 40})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": 100 if at < 30 else 60, "cut": at == 30}
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    of = {pose["id"] for frame in log[:30] for pose in frame["poses"] if pose["kind"] == "puff"}
    assert len(of) == 3 * shown
    found, ledger = verdict(rules, log)
    assert found == []
    assert not ledger.of("adopted")


@pytest.mark.parametrize("second", range(6, 22))
def test_a_push_lasts_longer_by_every_freeze_that_meets_it(second: int) -> None:
    """Of a second hit too, which freezes without a push of its own; once the push is over, nothing puts it off."""
    rules = sting(attack={"hitstop": 4, "target": {"knockback": {"distance": 16, "over": 8}}})
    rules["attacks"]["poke"] = {"damage": 1, "hitstop": 3}
    rules["kinds"]["bee"] = {
        "side": "hive",
        "boxes": {"barb": {"role": "hitbox", "circle": 60, "attack": "poke", "mask": ["keeper"]}},
    }
    frames = brush({"hornet": ".....#" + "." * 40})
    for at, frame in enumerate(frames):
        frozen = {*range(6, 10), *range(second + 1, second + 4)}
        x = 5 * (at - len([number for number in frozen if number <= at]))  # it walks, and stands while it is frozen
        frame["poses"][0]["x"] = x
        frame["poses"][1] |= {"x": x if at == 5 else -900, "cut": True}
        frame["poses"].append({"id": "bee", "kind": "bee", "x": x if at == second else 900, "y": 0, "cut": True})
    book = rulebook(rules)
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    found, ledger = verdict(rules, log)
    assert found == []
    assert len(ledger.hits()) == 2


@pytest.mark.parametrize(
    ("clips", "frame"),
    [
        (["idle"] * 20, None),
        (["idle"] * 6 + ["recoil"] * 14, None),  # its reaction, frozen in its first cell
        (["idle"] * 7 + ["recoil"] * 13, 7),
    ],
)
def test_a_clip_may_begin_in_the_frame_after_a_hit(clips: list[str], frame: int | None) -> None:
    rules = sting(attack={"hitstop": 4, "rehit": "once"})
    rules["kinds"]["keeper"]["clips"] = {name: {"cells": 20} for name in ("idle", "recoil")}
    frames = brush({"hornet": ".....#" + "." * 14})
    for at, (line, clip) in enumerate(zip(frames, clips, strict=True)):
        still = min(at, 5) if clip == "idle" and at < 10 else at - 4 if clip == "idle" else max(at - 9, 0)
        line["poses"][0] |= {"clip": clip, "cell": still}
        line["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}] if at == 5 else []
    found, _ = verdict(rules, frames)
    assert found == ([] if frame is None else [("frozen", frame)])


@pytest.mark.parametrize(("last", "late"), [(12, 0), (12, 2), (7, 2), (6, 2), (5, 0), (5, 2)])
def test_a_claim_of_a_clash_stands_for_one(last: int, late: int) -> None:
    """Also where it is late: for none in its own frame, and where it is too late for the recording the rules decide."""
    box = {"role": "hitbox", "circle": 5, "attack": "sting", "mask": ["keeper"], "layer": ["hive"]}
    rules = sting(attack={"rehit": 1}, contact={"clash": {"hive": ["hive"]}})
    rules["kinds"] |= {name: {"boxes": {"jaw": box}} for name in ("bee", "wasp", "ant", "fly")}
    frames: Frames = []
    for at in range(last + 1):
        places = {"bee": 0, "wasp": 4 if at == 5 else 40, "keeper": 2, "ant": 900, "fly": 904 if at == 1 else 940}
        poses = [{"id": name, "kind": name, "x": x, "y": 0} for name, x in places.items()]
        frames.append({"poses": [pose | {"cut": True} for pose in poses]})
    book = rulebook(rules)
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    claims = [frame.pop("claims", []) for frame in log]
    for at in range(late, len(log)):
        log[at]["claims"] = claims[at - late]
    found, ledger = verdict(rules, log, within=late)
    assert found == []
    assert [event.frame for event in ledger.of("clash")] == [1, 5]


def gunner(gun: dict[str, Any], puff: dict[str, Any], **more: Any) -> dict[str, Any]:
    """A hornet that fires puffs, which the keeper lets hit."""
    rules = sting(hornet={"emitters": {"gun": {"spawn": "puff", "speed": 300, "aim": 0} | gun}})
    rules["attacks"]["puff"] = {"damage": 1, "attacker": {"remove": True}}
    core = {"role": "hitbox", "circle": 2, "attack": "puff", "mask": ["keeper"]}
    rules["kinds"]["puff"] = {"boxes": {"core": core}} | puff
    return rules | more


ROOM = {"bounds": [-500, -500, 120, 500]}
GUNS: dict[str, tuple[dict[str, Any], float]] = {
    # rules, and where the hornet stands; the keeper is at 0
    "hit shots that linger are under no limit": (
        gunner({"when": {"every": 4}, "limit": 3, "aim": 180}, {"linger": 4, "motion": {"life": 90}}), 60,
    ),
    "shots that linger behind their life are under no limit": (
        gunner({"when": {"every": 4}, "limit": 2}, {"linger": 6, "motion": {"life": 6}}), 60,
    ),
    "a first move uses up a bounce": (
        gunner({"when": {"every": 20}, "aim": 90, "moves_at_once": True, "jitter": 9},
               {"motion": {"at_edge": "bounce", "bounces": 1, "life": 90}}, space={"bounds": [-500, -100, 500, 2]}), 60,
    ),
    "some of many leave at once": (
        gunner({"when": {"every": 1}, "moves_at_once": True, "jitter": 9, "limit": 6},
               {"motion": {"at_edge": "remove", "life": 25}}, space=ROOM), 116,
    ),
    "gravity bends the way of a slow shot more": (
        gunner({"when": {"every": 20}, "moves_at_once": True, "speed": [60, 180]},
               {"motion": {"gravity": 1, "life": 20}}, space={"gravity": 3600}), 90,
    ),
    "a place that the game draws is no muzzle": (
        gunner({"when": {"every": 3}, "moves_at_once": True, "within": [-60, -60, 60, 60], "speed": 5},
               {"motion": {"life": 2}}), 90,
    ),
}  # fmt: skip


@pytest.mark.parametrize("within", [0, 2])
@pytest.mark.parametrize("name", GUNS)
def test_shots_of_a_right_game(name: str, within: int) -> None:
    rules, x = GUNS[name]
    frames = brush({"hornet": "." * 90})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": x - at // 3, "cut": False}
    book = rulebook(rules)
    # the log does not have the seed, so the game's draws are not those of the rules
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw", seed=5))[1]
    assert len({pose["id"] for frame in log for pose in frame["poses"]}) > 4
    assert verdict(rules, log, within=within)[0] == []


def test_a_return_comes_before_what_appears_in_its_frame() -> None:
    """Children of what was in the way are not in it in that frame, also where the game shows them."""
    rules = sting(keeper={"health": 1, "respawn": {"after": 6, "if_unsafe": "wait"}}, attack={"rehit": "once"})
    wall = {"role": "hurtbox", "circle": 5, "layer": ["hive"]}
    thorn = {"role": "hitbox", "circle": 9, "attack": "sting", "mask": ["keeper"]}
    children = {"spawn": [{"kind": "splinter", "count": 2, "speed": 60}]}
    rules["kinds"]["nest"] = {"health": 1, "side": "hive", "boxes": {"wall": wall, "thorn": thorn}, "down": children}
    rules["kinds"]["splinter"] = {"side": "hive", "motion": {"life": 9}, "boxes": {"thorn": thorn}}
    bolt = {"role": "hitbox", "circle": 3, "attack": "bolt", "mask": ["hive"]}
    rules["kinds"]["bolt"] = {"boxes": {"tip": bolt}}
    rules["attacks"]["bolt"] = {"damage": 1, "rehit": "once"}
    rules["fixtures"] = [{"kind": "nest", "at": [0, 0]}]
    frames = brush({"hornet": "." * 40})
    for at, frame in enumerate(frames):
        x = 0 if at == 20 else 900
        frame["poses"].append({"id": "bolt", "kind": "bolt", "x": x, "y": 0, "cut": True})
    book = rulebook(rules)
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    found, ledger = verdict(rules, log)
    assert found == []
    assert [event.frame for event in ledger.of("respawn")][:1] == [21]


@pytest.mark.parametrize("names", [("ash", "birch"), ("birch", "ash")])
def test_of_equal_hits_one_that_removes_its_attacker_may_come_last(names: tuple[str, str]) -> None:
    """One hornet stings and is gone, the other one hits it in that frame: whichever id comes first, both may land."""
    rules = sting(attack={"attacker": {"remove": True}})
    rules["attacks"]["claw"] = {"damage": 1}
    hull = {"role": "hurtbox", "circle": 3, "layer": ["hive"]}
    rules["kinds"]["hornet"] |= {"health": 5}
    rules["kinds"]["hornet"]["boxes"]["hull"] = hull
    claw = {"role": "hitbox", "circle": 3, "attack": "claw", "mask": ["hive"]}
    rules["kinds"]["bear"] = {"boxes": {"claw": claw}}
    first, second = names
    frames = brush({first: "...#...."})
    for at, frame in enumerate(frames):
        frame["poses"].append({"id": second, "kind": "bear", "x": 0 if at == 3 else 900, "y": 0, "cut": True})
    claims = [
        {"event": "hit", "attacker": first, "target": "keeper", "damage": 1},
        {"event": "hit", "attacker": second, "target": first, "damage": 1},
    ]
    frames[3]["claims"] = claims
    frames = [frame | {"poses": [pose for pose in frame["poses"] if at < 4 or pose["id"] != first]}
              for at, frame in enumerate(frames)]  # fmt: skip
    assert verdict(rules, frames)[0] == []


FALL = {"clip": "fall"}
DEATHS: dict[str, tuple[dict[str, Any], dict[int, str]]] = {
    # a keeper that stands in a hornet, with one health: how it dies and returns, and marks
    "again in the frame of its return": ({"down": FALL, "respawn": {"after": 8}}, {}),
    "out before its body is gone": ({"lives": 1, "down": FALL | {"lasts": 12, "out_after": 3}}, {}),
    "out after its body is gone": ({"lives": 1, "down": FALL | {"lasts": 3, "out_after": 12}}, {}),
    "out, and a room begins again": ({"lives": 1, "down": FALL | {"lasts": 3}}, {20: "room"}),
    "the run begins again in the frame behind its end": (
        {"lives": 1, "down": {"lasts": 3, "out_after": 7}},
        {13: "run"},
    ),
}


@pytest.mark.parametrize("name", DEATHS)
def test_deaths_of_a_right_game(name: str) -> None:
    keeper, marks = DEATHS[name]
    rules = sting(keeper={"health": 1, "clips": {"fall": {"cells": 3, "rate": 20}}} | keeper, attack={"rehit": 1})
    frames = brush({"hornet": "....." + "#" * 35})
    for at, frame in enumerate(frames):
        frame["poses"][0] |= {"clip": "idle", "tick": at}
        frame |= {"reset": marks[at]} if at in marks else {}
    book = rulebook(rules)
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    assert any(claim["event"] == "down" for frame in log for claim in frame.get("claims", ()))
    assert verdict(rules, log)[0] == []


def test_a_push_in_the_frame_of_a_mark_waits_for_its_own_freeze() -> None:
    """The mark ends the freeze of the hit before; that of a second hit comes behind the push in its frame."""
    rules = sting(attack={"target": {"knockback": {"distance": 40, "over": 5}}})
    rules["attacks"]["poke"] = {"damage": 1, "hitstop": 9, "rehit": 3}
    barb = {"role": "hitbox", "circle": 60, "attack": "poke", "mask": ["keeper"]}
    rules["kinds"]["wasp"] = {"side": "hive", "boxes": {"barb": barb}}
    frames = brush({"hornet": "......#" + "." * 30})
    frames[6]["reset"] = "run"
    for at, frame in enumerate(frames):
        x = 0 if at in (3, 6) else 900
        frame["poses"].append({"id": "wasp", "kind": "wasp", "x": x, "y": 0, "cut": True})
    book = rulebook(rules)
    log = perfect_log(book.rules(60), recording(book, frames, reactions="raw"))[1]
    assert len([claim for frame in log for claim in frame.get("claims", ()) if claim["event"] == "hit"]) == 3
    assert verdict(rules, log)[0] == []


SWAT = {"damage": 1, "rehit": "once"}
USED_AGAIN = {
    "damaged": ({"health": 2}, SWAT, {}),
    "destroyed": ({"health": 1}, SWAT, {}),
    "immune": ({"health": 9, "iframes": "90f"}, SWAT, {}),
    "stunned": ({"health": 9}, SWAT | {"target": {"stun": "90f"}}, {}),
    "counted": ({"health": 9, "counters": {"heat": {"max": 9}}}, SWAT | {"target": {"gives": {"heat": 1}}}, {}),
    "poisoned": ({"health": 9}, SWAT | {"target": {"over_time": {"damage": 1, "every": "4f", "times": 30}}}, {}),
    "struck before": ({"health": 9}, SWAT | {"rehit": "90f"}, {}),
    "pierced": ({"health": 9}, SWAT, {"attacker": {"remove": True, "pierce": 1}}),
    "with lives": ({"health": 1, "lives": 1}, SWAT, {}),
    "guarded at the start": ({"health": 1, "start_iframes": "2f"}, SWAT, {}),
    "sent home": ({"health": 9}, SWAT, {"attacker": {"home": True}}),
}


def pool(puff: dict[str, Any], swat: dict[str, Any], sting: dict[str, Any]) -> tuple[dict[str, Any], Frames]:
    """A hornet that fires a puff every 30 frames; the keeper swats it and is stung by it."""
    rules = {
        "layers": {"names": ["keepers", "puffs"]},
        "attacks": {"sting": {"damage": 1} | sting, "swat": swat},
        "kinds": {
            "hornet": {"emitters": {"gun": {"spawn": "puff", "when": {"every": "30f"}, "speed": 120, "aim": 0}}},
            "puff": {
                "motion": {"life": "20f"},
                "boxes": {
                    "core": {"role": "hitbox", "attack": "sting", "circle": 4, "mask": ["keepers"]},
                    "hull": {"role": "hurtbox", "circle": 3, "layer": ["puffs"]},
                },
            } | puff,
            "keeper": {
                "health": 50,
                "lives": 9,
                "boxes": {
                    "body": {"role": "hurtbox", "layer": ["keepers"], "circle": 4},
                    "hand": {"role": "hitbox", "mask": ["puffs"], "circle": 14, "attack": "swat"},
                },
            },
        },
    }  # fmt: skip
    keeper = {"id": "keeper", "kind": "keeper", "x": 20, "y": 0}
    hornets = [{"id": "hornet", "kind": "hornet", "x": -2 * (frame // 30), "y": 0} for frame in range(90)]
    book = rulebook(rules)
    raw = recording(book, [{"poses": [hornet, keeper]} for hornet in hornets], reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    return rules, log


GUN = r"hornet\.gun-\d+"


def used_again(log: Frames) -> Frames:
    found: Frames = json.loads(re.sub(GUN, "puff-0", json.dumps(log)))
    return found


def claimed(log: Frames) -> list[dict[str, Any]]:
    return [claim for frame in log for claim in frame.get("claims", ()) if claim["event"] == "hit"]


@pytest.mark.parametrize("name", USED_AGAIN)
def test_an_id_that_is_used_again_is_another_actors(name: str) -> None:
    """Whatever became of the one before, it is as at the start."""
    rules, own = pool(*USED_AGAIN[name])
    log = used_again(own)
    assert [claim["attacker"] for claim in claimed(log)].count("keeper") == 2
    found, ledger = verdict(rules, log)
    assert found == []
    alone = verdict(rules, own)[1]
    texts = [[str(event) for event in events if event.event != "spawn"] for events in (ledger.events, alone.events)]
    assert texts[0] == [re.sub(GUN, "puff-0", text) for text in texts[1]]
    book = rulebook(rules)
    for frames in (log, own) if "start_iframes" not in USED_AGAIN[name][0] else ():  # which the model has not
        played = recording(book, frames)
        reports_the_same(book.rules(played.rate), played, replay(book.rules(played.rate), played))


def test_a_return_sends_nobody_home_who_has_the_id_of_its_killer() -> None:
    rules, _ = pool({}, SWAT, {"damage": 99, "attacker": {"remove": True}})
    rules["kinds"]["keeper"] |= {"respawn": {"after": "40f", "resets": "pair"}}
    there = [{"id": "hornet", "kind": "hornet", "x": 0, "y": 0}, {"id": "keeper", "kind": "keeper", "x": 30, "y": 0}]
    book = rulebook(rules)
    raw = recording(book, [{"frame": frame, "poses": there} for frame in range(120)], reactions="raw")
    log = used_again(perfect_log(book.rules(raw.rate), raw)[1])
    found, ledger = verdict(rules, log)
    assert found == []
    assert len(ledger.of("respawn")) > 0
    assert not ledger.of("home")
    played = recording(book, log)
    reports_the_same(book.rules(played.rate), played, replay(book.rules(played.rate), played))


def test_a_mistake_with_one_is_none_with_the_next() -> None:
    rules, own = pool({"health": 9}, SWAT, {})
    log = used_again(own)
    for claim in claimed(log):
        claim["damage"] += 2 * (claim["target"] == "puff-0")
    found, _ = verdict(rules, log)
    assert [code for code, _ in found].count("hit-damage") == 2
