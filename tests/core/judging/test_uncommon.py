"""Rules that few games need, at their boundary frames."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import recording, rulebook, sting
from voskar.core.ledger import Ledger
from voskar.core.step import replay


def play(data: dict[str, Any], frames: list[list[dict[str, Any]]], **header: Any) -> Ledger:
    book = rulebook(data)
    kinds = {"k": "keeper", "h": "hornet", "j": "hornet"}
    rows = [{"poses": [{"kind": kinds[pose["id"]], "y": 0, **pose} for pose in poses]} for poses in frames]
    played = recording(book, rows, **header)
    return replay(book.rules(played.rate), played)


def landed(ledger: Ledger) -> list[int]:
    return [event.frame for event in ledger.hits()]


def always(**more: Any) -> dict[str, Any]:
    return sting(attack={"rehit": "always"} | more.pop("attack", {}), **more)


@pytest.mark.parametrize(
    ("grow", "x", "meets"),
    [(0, 7.9, True), (0, 8.0, False), (-1, 6.9, True), (-1, 7.0, False), (1, 8.9, True), (1, 9.0, False)],
)
def test_boxes_lose_what_they_do_not_grow(grow: float, x: float, meets: bool) -> None:
    data = always()
    data["kinds"]["keeper"]["boxes"]["torso"]["grow"] = grow
    assert bool(landed(play(data, [[{"id": "k", "x": 0}, {"id": "h", "x": x}]]))) is meets


def test_a_box_of_the_game_is_where_it_says() -> None:
    data = always()
    data["kinds"]["keeper"]["boxes"]["torso"] = {"role": "hurtbox", "logged": True, "layer": ["keeper"]}
    hornet = {"id": "h", "x": 100}
    boxes: list[dict[str, Any]] = [
        {"torso": [95, -5, 99, 5]},
        {"torso": [103, -5, 109, 5]},
        {},
        {"torso": [97.1, -1, 98, 1]},
    ]
    frames = [[{"id": "k", "x": 0, "boxes": box}, hornet] for box in boxes]
    frames.append([{"id": "k", "x": 0}, hornet])  # says nothing of its boxes: none is open
    assert landed(play(data, frames)) == [0, 3]
    data["kinds"]["keeper"]["boxes"]["torso"]["grow"] = -1
    assert landed(play(data, frames)) == [0]  # that of frame 3 is eaten up
    data["kinds"]["keeper"]["boxes"]["torso"]["grow"] = 0.5
    assert landed(play(data, frames)) == [0, 1, 3]


def test_what_is_cut_by_the_edge_does_not_hit() -> None:
    data = always() | {"space": {"bounds": [0, -50, 100, 50]}}
    data["kinds"]["hornet"]["boxes"]["sting"]["within_bounds"] = True
    frames = [[{"id": "k", "x": 98}, {"id": "h", "x": x}] for x in (96.0, 97.0, 97.1, 99.0, 97.0)]
    assert landed(play(data, frames)) == [0, 1, 4]


def test_edges_that_are_one() -> None:
    data = always() | {"space": {"bounds": [0, -50, 100, 50]}}
    frames = [[{"id": "k", "x": 2}, {"id": "h", "x": x}] for x in (50, 94, 97, 2)]
    assert landed(play(data, frames)) == [3]
    data["kinds"]["hornet"]["wraps"] = True
    assert landed(play(data, frames)) == [2, 3]
    data["kinds"]["hornet"]["boxes"]["sting"]["swept"] = True
    fast = [[{"id": "k", "x": 2}, {"id": "h", "x": x}] for x in (80, 20, 60, 60)]
    ledger = play(data, fast)  # 40 across the edge, and 40 back the long way would not meet it
    assert landed(ledger) == [1]
    assert ledger.hits()[0].t == pytest.approx((100 + 2 - 8 - 80) / 40)
    jumps = [[{"id": "k", "x": 2}, {"id": "h", "x": 80}], [{"id": "k", "x": 2}, {"id": "h", "x": 20, "cut": True}]]
    assert landed(play(data, jumps)) == []


@pytest.mark.parametrize(("x", "y", "lands"), [(0, -7, True), (7, 0, False), (6, -6, True), (6.5, -5.5, False)])
def test_onto_what_faces_up(x: float, y: float, lands: bool) -> None:
    data = always(attack={"if": {"onto": 45}})
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": x, "y": y}]]
    assert bool(landed(play(data, frames))) is lands


def test_attacks_of_a_group_are_one() -> None:
    data = always(attack={"rehit": "once", "rehit_group": "g"})
    data["attacks"]["prod"] = {"damage": 1, "rehit": "once", "rehit_group": "g"}
    second = {"role": "hitbox", "attack": "prod", "circle": 3, "mask": ["keeper"]}
    data["kinds"]["hornet"]["boxes"] |= {"prod": second | {"during": {"dive": "2-9"}}}
    poses = [[{"id": "k", "x": 0}, {"id": "h", "x": 0, "clip": "dive", "tick": n}] for n in (0, 1, 2, 3, 0, 1)]
    assert landed(play(data, poses)) == [0, 4]  # the swing starts again with the clip alone


def test_power_ups() -> None:
    data = always(attack={"if": {"attacker": {"counters": {"wax": [">= 2", "< 9"], "mud": "< 1"}}}})
    data["attacks"]["lick"] = {"rehit": "always", "attacker": {"gives": {"wax": 1}}}
    data["kinds"]["hornet"]["boxes"]["tongue"] = {"role": "hitbox", "attack": "lick", "circle": 3, "mask": ["keeper"]}
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": 0}]] * 4
    ledger = play(data, frames)
    assert [event.frame for event in ledger.hits() if event.attack == "sting"] == [1, 2, 3]


def test_the_stunned_are_disarmed() -> None:
    data = always()
    data["attacks"]["swat"] = {"damage": 0, "rehit": "9f", "target": {"stun": 2}}
    data["layers"]["names"] = ["keeper", "hive"]
    data["kinds"]["keeper"]["boxes"]["hand"] = {"role": "hitbox", "attack": "swat", "circle": 3, "mask": ["hive"]}
    data["kinds"]["hornet"]["boxes"]["shell"] = {"role": "hurtbox", "circle": 3, "layer": ["hive"]}
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": 0}]] * 5

    def stings(ledger: Ledger) -> list[int]:
        return [event.frame for event in ledger.hits() if event.attack == "sting"]

    assert stings(play(data, frames)) == [0, 1, 2, 3, 4]
    data["kinds"]["hornet"]["stun_disarms"] = True
    assert stings(play(data, frames)) == [0, 3, 4]


DEATH = {"health": 1, "lives": 2, "respawn": {"after": 6, "at": [500, 0]}}
LATE = [
    # what of down, where the life is taken and how many are left then
    ({}, []),
    ({"life_after": 2}, [(3, 1)]),
    ({"life_after": 9}, [(7, 1)]),  # at the latest as it is back
]


@pytest.mark.parametrize(("down", "taken"), LATE)
def test_lives_taken_late(down: dict[str, Any], taken: list[tuple[int, int]]) -> None:
    data = always(keeper=DEATH | {"down": down})
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": 0 if n == 1 else 90}] for n in range(10)]
    ledger = play(data, frames, reactions="raw")
    assert [(event.frame, event.after) for event in ledger.of("life")] == taken
    assert [(event.frame, event.lives) for event in ledger.of("down")] == [(1, 1)]


@pytest.mark.parametrize(("down", "out"), [({"lasts": 2}, 3), ({"lasts": 2, "out_after": 4}, 5), ({"out_after": 0}, 1)])
def test_out_in_its_own_time(down: dict[str, Any], out: int) -> None:
    data = always(keeper={"health": 1, "lives": 1, "down": down | {"life_after": 9}})
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": 0 if n == 1 else 90}] for n in range(10)]
    ledger = play(data, frames)
    assert [(event.event, event.frame) for event in ledger.events if event.event in ("life", "out", "over")] == [
        ("life", out),
        ("out", out),
        ("over", out),
    ]


@pytest.mark.parametrize("far", [12, -188])  # or over an edge that is one
@pytest.mark.parametrize(("clearance", "back"), [(0, 2), (4, 2), (4.5, 4)])
def test_a_return_keeps_its_distance(clearance: float, back: int, far: float) -> None:
    respawn = {"after": 1, "at": "start", "if_unsafe": "wait", "clearance": clearance}
    data = always(keeper={"health": 1, "respawn": respawn, "wraps": True})
    data["space"] = {"bounds": [-190, -9, 10, 9]}
    xs = [90, 0, far, far, 90, 90]  # 4 units between them in frames 2 and 3
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": x}] for x in xs]
    assert [event.frame for event in play(data, frames).of("respawn")] == [back]


def test_each_kind_lingers_as_it_says() -> None:
    data = always(contact={"linger": 2})
    frames = [[{"id": "k", "x": 0}, {"id": "h", "x": 0}], *[[{"id": "k", "x": 0}]] * 3]
    assert landed(play(data, frames)) == [0, 1, 2]
    data["kinds"]["hornet"]["linger"] = 0
    assert landed(play(data, frames)) == [0]
    data["kinds"]["hornet"]["linger"] = 1
    assert landed(play(data, frames)) == [0, 1]
