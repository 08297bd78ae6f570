"""Several consequences in one frame: home and pushes, removal and pushes, orders for the next frame."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import frames_of, judged, recording, rulebook, run
from voskar.evidence.check import check


def xs(data: dict[str, Any], frames: list[dict[str, Any]], name: str) -> list[float]:
    """Where an actor was judged, frame by frame."""
    played = judged(data, frames, reactions="raw")
    return [round(x, 6) for x in played.poses.x[played.poses.rows_of(played.numbers[name])].tolist()]


def bramble(priority: int, **drumcap: Any) -> dict[str, Any]:
    """Thorns that send home and thorns that push, in one frame."""
    return {
        "layers": {"names": ["hive"]},
        "kinds": {
            "waxling": {"boxes": {"body": {"role": "hurtbox", "circle": 5, "layer": ["hive"]}}, **drumcap},
            "bramble": {
                "mask": ["hive"],
                "boxes": {
                    "long": {"role": "hitbox", "attack": "snare", "circle": 5},
                    "short": {"role": "hitbox", "attack": "shove", "circle": 5},
                },
            },
        },
        "attacks": {
            "snare": {"priority": priority, "rehit": "once", "target": {"home": True}},
            "shove": {"rehit": "once", "target": {"knockback": {"distance": 40, "over": 4, "direction": 0}}},
        },
    }


@pytest.mark.parametrize("priority", [1, -1], ids=["home first", "push first"])
@pytest.mark.parametrize("driven", [False, True], ids=["recorded", "driven"])
def test_going_home_ends_every_push_of_its_frame(priority: int, driven: bool) -> None:
    data = bramble(priority, motion={"velocity": [600, 0]})
    walker = {"kind": "waxling", "y": 0}
    frames: list[dict[str, Any]] = [
        {"poses": [] if driven else [{"id": "waxling", "x": 10 * frame, **walker}]} for frame in range(9)
    ]
    frames[3]["poses"].append({"id": "bramble", "kind": "bramble", "x": 30, "y": 0})
    if driven:
        data["fixtures"] = [{"kind": "waxling", "id": "waxling", "at": [0, 0]}]
    assert xs(data, frames, "waxling") == [0, 10, 20, 30, 0, 10, 20, 30, 40]


def test_a_push_after_something_driven_was_removed_by_a_hit() -> None:
    data: dict[str, Any] = {
        "layers": {"names": ["keeper"]},
        "kinds": {
            "keeper": {"boxes": {"torso": {"role": "hurtbox", "rect": [20, 20], "layer": ["keeper"]}}},
            "drop": {"boxes": {"drop": {"role": "hitbox", "attack": "drop", "circle": 9, "mask": ["keeper"]}}},
            "hornet": {"boxes": {"jaw": {"role": "hitbox", "attack": "bite", "circle": 10, "mask": ["keeper"]}}},
        },
        "attacks": {
            "drop": {"attacker": {"remove": True}},
            "bite": {"rehit": "once", "target": {"knockback": {"distance": 2}}},
        },
        "fixtures": [{"kind": "drop", "at": [0, 0]}],
    }
    frames = [
        {"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "hornet", "kind": "hornet", **place}]}
        for place in ({"x": x, "y": 0} for x in (99, 99, 15, 15, 15))
    ]
    ledger = run(data, frames, reactions="raw")
    assert frames_of(ledger, "removed") == [0]
    assert frames_of(ledger, "knockback") == [2]
    assert xs(data, frames, "keeper") == [0, 0, 0, -2, -2]


@pytest.mark.parametrize("reactions", ["raw", "baked"])
def test_one_that_is_sent_home_falls_as_its_own_poses_do(reactions: str) -> None:
    data = bramble(0)
    data["kinds"]["waxling"]["boxes"]["feet"] = {"role": "hitbox", "attack": "stomp", "circle": 5, "mask": ["hive"]}
    data["kinds"]["drumcap"] = {"boxes": {"top": {"role": "hurtbox", "circle": 5, "layer": ["hive"]}}}
    del data["kinds"]["bramble"]["boxes"]["short"]
    data["attacks"]["stomp"] = {"if": {"falling": True}}
    frames: list[dict[str, Any]] = []
    for frame in range(6):
        y = 100 + 10 * frame
        under = 100 if reactions == "raw" and frame > 3 else y  # where the raw one is, sent home in 4
        if reactions == "raw" and frame > 4:
            under += 10
        poses = [{"id": "waxling", "kind": "waxling", "x": 0, "y": y}]
        poses.append({"id": "drumcap", "kind": "drumcap", "x": 0, "y": under})
        if frame == 3:
            poses.append({"id": "bramble", "kind": "bramble", "x": 0, "y": y})
        frames.append({"poses": poses})
    ledger = run(data, frames, reactions=reactions)
    stomps = [(event.frame, event.outcome) for event in ledger.of("contact") if event.attack == "stomp"]
    assert stomps == [(0, "unmet")] + [(frame, "landed") for frame in range(1, 6)]


@pytest.mark.parametrize("after", [1, 2])
@pytest.mark.parametrize("shown", [False, True])
def test_what_a_hit_orders_comes_whoever_returns_in_that_frame(after: int, shown: bool) -> None:
    data = bramble(0)
    data["kinds"]["waxling"] |= {"health": 1, "respawn": {"after": after}, "down": {"spawn": [{"kind": "crumb"}]}}
    data["kinds"]["crumb"] = {"motion": {"life": 3}}
    data["attacks"]["snare"] = {"damage": 1, "rehit": "once"} | ({} if shown else {"target": {"spawn": "crumb"}})
    del data["kinds"]["bramble"]["boxes"]["short"]
    frames: list[dict[str, Any]] = [{"poses": [{"id": "waxling", "kind": "waxling", "x": 0, "y": 0}]} for _ in range(8)]
    frames[2]["poses"].append({"id": "bramble", "kind": "bramble", "x": 0, "y": 0})
    if not shown:
        assert frames_of(run(data, frames), "spawn") == [3, 3]
        return
    for frame in frames[3:6]:
        frame["poses"].append({"id": "crumb", "kind": "crumb", "x": 0, "y": 0, "angle": -90})
    frames[2]["claims"] = [{"event": "hit", "attacker": "bramble", "target": "waxling"}]
    book = rulebook(data)
    played = recording(book, frames)
    assert check(book.rules(played.rate), played)[0].findings == ()
