"""Boundary frames of judging, as strings: one character a frame.

Touch: "#" touching, "." apart, "-" not there, "h" hidden. Outcome: L landed, i immune, r repeat, a ally.
"""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, frames_of, outcomes, run, sting, told

HARMLESS = {"damage": 0, "target": {"iframes": 2}}

STORIES = [
    # name, rulebook, touch, outcome
    ("every frame without i-frames", {}, "..####..", "..LLLL.."),
    ("3 i-frames: immune in n+1 to n+3", {"keeper_iframes": 3}, ".#######", ".LiiiLii"),
    ("0 i-frames give nothing", {"keeper_iframes": 0}, ".###", ".LLL"),
    ("the attack's own i-frames win", {"keeper_iframes": 3, "attack": {"target": {"iframes": 1}}}, "######", "LiLiLi"),
    ("and may be none", {"keeper_iframes": 3, "attack": {"target": {"iframes": 0}}}, "###", "LLL"),
    ("harmless ones give none", {"keeper_iframes": 3, "attack": {"damage": 0}}, "###", "LLL"),
    ("unless they name them", {"attack": {**HARMLESS, "ignores_iframes": False}}, "####", "LiiL"),
    ("harmless ones ignore them", {"attack": HARMLESS}, "####", "LLLL"),
    ("hurting ones may too", {"keeper_iframes": 3, "attack": {"ignores_iframes": True}}, "####", "LLLL"),
    ("i-frames last through a gap", {"keeper_iframes": 3}, "#.#.##", "L.i.Li"),
    ("200 ms at 60 a second are 12", {"keeper_iframes": "200ms"}, "#" * 15, "L" + "i" * 12 + "Li"),
    ("once: one hit", {"attack": {"rehit": "once"}}, ".##.##", ".Lr.rr"),
    ("once: leaving the world begins a new swing", {"attack": {"rehit": "once"}}, "##-##", "Lr.Lr"),
    ("once: so does hiding", {"attack": {"rehit": "once"}}, "##h##", "Lr.Lr"),
    ("entry: one hit a touch", {"attack": {"rehit": "entry"}}, ".###.##", ".Lrr.Lr"),
    ("entry: an immune first frame is lost", {"keeper_iframes": 3, "attack": {"rehit": "entry"}}, "#.###.#", "L.irr.L"),
    ("entry: hiding breaks the touch", {"attack": {"rehit": "entry"}}, "##h#", "Lr.L"),
    ("always", {"attack": {"rehit": "always"}}, "###", "LLL"),
    ("every 3 frames: not before n+3", {"attack": {"rehit": "3f"}}, "#######", "LrrLrrL"),
    ("a bare number means frames", {"attack": {"rehit": 2}}, "####", "LrLr"),
    ("a second at 60", {"attack": {"rehit": "0.05s"}}, "####", "LrrL"),
    ("repeat comes before immune", {"keeper_iframes": 3, "attack": {"rehit": "2f"}}, "#####", "LriiL"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "rules", "touch", "expected"), STORIES, ids=[story[0] for story in STORIES])
def test_story(name: str, rules: dict[str, Any], touch: str, expected: str) -> None:
    data = sting(attack=rules.get("attack", {}))
    data["kinds"]["keeper"]["iframes"] = rules.get("keeper_iframes", 0)
    assert outcomes(run(data, brush({"hornet": touch})), "hornet", len(touch)) == expected


TWO = [
    # name, contact rules, attack, touches of hornet-1 and hornet-2, outcomes of both
    ("first: the second hit meets i-frames", {}, {}, ".#..", ".#..", ".L..", ".i.."),
    ("all: both hits of a frame land", {"same_frame": "all"}, {}, ".##.", ".##.", ".Li.", ".Li."),
    ("the shield holds against everyone", {}, {}, "#....", ".####", "L....", ".iiiL"),
    ("ids decide who is first, as strings", {}, {"rehit": "once"}, "#", "#", "L", "i"),
]


@pytest.mark.parametrize(
    ("name", "contact", "attack", "one", "two", "first", "second"), TWO, ids=[entry[0] for entry in TWO]
)
def test_two_attackers(
    name: str, contact: dict[str, Any], attack: dict[str, Any], one: str, two: str, first: str, second: str
) -> None:
    data = sting(contact=contact, attack=attack)
    data["kinds"]["keeper"]["iframes"] = 3
    ledger = run(data, brush({"hornet-1": one, "hornet-2": two}))
    assert (outcomes(ledger, "hornet-1", len(one)), outcomes(ledger, "hornet-2", len(two))) == (first, second)


def test_ids_compare_as_strings() -> None:
    data = sting()
    data["kinds"]["keeper"]["iframes"] = 3
    ledger = run(data, brush({"hornet-2": "#", "hornet-10": "#"}))
    assert [event.attacker for event in ledger.hits()] == ["hornet-10"]


def test_priority_goes_before_ids() -> None:
    data = sting()
    data["kinds"]["keeper"]["iframes"] = 3
    data["attacks"]["bash"] = {"damage": 2, "priority": 1}
    data["kinds"]["hornet"]["boxes"]["tail"] = {"role": "hitbox", "attack": "bash", "circle": 3, "mask": ["keeper"]}
    ledger = run(data, brush({"hornet": "#"}))
    assert [(event.attack, event.outcome) for event in ledger.of("contact")] == [
        ("bash", "landed"),
        ("sting", "immune"),
    ]


def test_rank_decides_which_hurtbox_counts() -> None:
    data = sting()
    head = {"role": "hurtbox", "circle": 4, "layer": ["keeper"], "rank": 1, "damage_scale": 2}
    data["kinds"]["keeper"]["boxes"]["zenith"] = head
    ledger = run(data, brush({"hornet": "#"}))
    found = [(event.hurtbox, event.outcome, event.damage) for event in ledger.of("contact")]
    assert found == [("zenith", "landed", 2), ("torso", "repeat", None)]


@pytest.mark.parametrize(
    ("attacker_side", "target_side", "friendly", "expected"),
    [
        ("hive", "hive", False, "a"),
        ("hive", "hive", True, "L"),
        ("hive", "keeper", False, "L"),
        (None, None, False, "L"),
        (None, "keeper", False, "L"),
    ],
)
def test_sides(attacker_side: str | None, target_side: str | None, friendly: bool, expected: str) -> None:
    data = sting(attack={"friendly": friendly})
    for kind, side in (("hornet", attacker_side), ("keeper", target_side)):
        data["kinds"][kind].pop("side")
        data["kinds"][kind] |= {"side": side} if side else {}
    assert outcomes(run(data, brush({"hornet": "#"})), "hornet", 1) == expected


def owned(owner: str, hits_owner: bool = False) -> str:
    """A hornet that the keeper, or a bystander of the keeper's, has fired at it."""
    data = sting(attack={"hits_owner": hits_owner})
    data["kinds"]["hornet"].pop("side")
    frames = brush({"hornet": "##"})
    for frame in frames:
        frame["poses"][1]["owner"] = owner
    return outcomes(run(data, frames), "hornet", 2)


def test_a_shot_spares_its_owner_and_lands_once() -> None:
    assert owned("keeper") == ".."
    assert owned("keeper", hits_owner=True) == "aa"  # it reaches its owner, and has its owner's side
    assert owned("unseen") == "Lr"  # owned: rehit defaults to once


def test_death_and_hit_in_one_frame() -> None:
    data = sting(contact={"same_frame": "all"}, attack={"damage": 2})
    data["kinds"]["keeper"]["health"] = 3
    events = told(run(data, brush({"hornet-1": "###", "hornet-2": "###"})).events)
    assert [(event["frame"], event["event"], event.get("after"), event.get("by")) for event in events] == [
        (0, "contact", None, None),
        (0, "health", 1, "hornet-1"),
        (0, "contact", None, None),
        (0, "health", 0, "hornet-2"),
        (0, "down", None, "hornet-2"),
    ]  # and from frame 1 on it touches nothing


def test_a_heal_in_the_frame_of_death_saves() -> None:
    data = sting(contact={"same_frame": "all"}, attack={"damage": 3})
    data["kinds"]["keeper"]["health"] = 3
    data["attacks"]["balm"] = {"damage": -2, "rehit": "once"}
    data["kinds"]["bee"] = {"boxes": {"sting": {**data["kinds"]["hornet"]["boxes"]["sting"], "attack": "balm"}}}
    frames = brush({"hornet": "#", "healer": "#"})
    frames[0]["poses"][2] |= {"kind": "bee"}
    ledger = run(data, frames)
    # as ids order them the heal would come first and find full health: the hit must come before it
    assert frames_of(ledger, "down") == [0]
    for pose in frames[0]["poses"]:
        pose["id"] = {"healer": "z-healer"}.get(pose["id"], pose["id"])
    ledger = run(data, frames)
    assert [(event.before, event.after) for event in ledger.of("health")] == [(3, 0), (0, 2)]
    assert frames_of(ledger, "down") == []


def test_shorter_immunity_tells_no_event() -> None:
    data = sting(attack={"ignores_iframes": True, "target": {"iframes": 2}})
    data["attacks"]["bash"] = {"damage": 1, "priority": 1, "rehit": "once", "target": {"iframes": 9}}
    data["kinds"]["hornet"]["boxes"]["tail"] = {"role": "hitbox", "attack": "bash", "circle": 3, "mask": ["keeper"]}
    ledger = run(data, brush({"hornet": "##########"}))
    assert [(event.frame, event.until, event.cause) for event in ledger.of("iframes")] == [
        (0, 9, "bash"),
        (8, 10, "sting"),
        (9, 11, "sting"),
    ]


def test_attacker_iframes_shield_the_attacker() -> None:
    data = sting(attack={"attacker": {"iframes": 2}, "rehit": "once"})
    data["kinds"]["keeper"]["boxes"]["fist"] = {"role": "hitbox", "attack": "punch", "circle": 3, "mask": ["hive"]}
    data["kinds"]["hornet"]["boxes"]["belly"] = {"role": "hurtbox", "circle": 3, "layer": ["hive"]}
    data["attacks"]["punch"] = {"damage": 1}
    ledger = run(data, brush({"hornet": "#..#"}))
    assert outcomes(ledger, "keeper", 4) == "i..L"  # hornet < keeper: its sting lands first and shields it
