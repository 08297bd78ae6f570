"""What comes of a hit though no rule orders it, and what only seems to."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import recording, rulebook, sting
from voskar.evidence.check import check

PUSH = {"knockback": {"distance": 20, "over": 4, "direction": 0, "ease": "even"}}
WAYS = [
    # what the target does; its place in x by frame, more of the frames, the attack, what is found
    ("stands still", [0] * 12, {}, {}, []),
    ("is thrown", [0] * 5 + [4, 8, 12, 12, 12, 12, 12], {}, {}, [("unexplained-motion", 4)]),
    ("a unit a frame is within the tolerance", [0] * 5 + [1, 2, 3, 4, 5, 6, 7], {}, {}, []),
    ("goes on as before", [-4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6, 7], {}, {}, []),
    ("speeds up as before", [0, 1, 3, 6, 10, 15, 21, 28, 36, 45, 55, 66], {}, {}, []),
    ("stops", [-16, -12, -8, -4, 0, 0, 0, 0, 0, 0, 0, 0], {}, {}, []),
    ("turns round at its pace", [-16, -12, -8, -4, 0, -4, -8, -12, -16, -20, -24, -28], {}, {}, []),
    ("turns round faster", [-8, -6, -4, -2, 0, -6, -12, -18, -24, -30, -36, -42], {}, {}, [("unexplained-motion", 4)]),
    ("sets off a frame later", [0] * 6 + [4, 8, 12, 16, 20, 24], {}, {}, []),
    ("with a button in the frame of the hit", [0] * 5 + [4, 8, 12, 12, 12, 12, 12],
     {4: {"inputs": [{"id": "keeper", "button": "run", "down": True}]}}, {}, []),
    ("with a button in the frame after", [0] * 5 + [4, 8, 12, 12, 12, 12, 12],
     {5: {"inputs": [{"id": "keeper", "button": "run", "down": True}]}}, {}, []),
    ("with a button before", [0] * 5 + [4, 8, 12, 12, 12, 12, 12],
     {3: {"inputs": [{"id": "keeper", "button": "run", "down": True}]},
      **{f: {"inputs": [{"id": "keeper", "button": "run", "down": True}]} for f in range(4, 12)}}, {},
     [("unexplained-motion", 4)]),
    ("as it moves elsewhere", [0] * 5 + [4, 8, 8] + [8] * 40 + [12, 16, 20], {}, {}, []),
    ("its velocity is its own", [0] * 5 + [4, 8, 12, 12, 12, 12, 12], {5: {"keeper": {"vx": 240, "vy": 0}}}, {}, []),
    ("a push of its own is told", [0] * 5 + [4, 8, 12, 12, 12, 12, 12],
     {f: {"keeper": {"push": [4 if f in (5, 6, 7) else 0, 0]}} for f in range(12)}, {}, [("unexplained-motion", 4)]),
    ("is put back to its start", [90, 60, 30, 0, 0, 90, 90, 90, 90, 90, 90, 90], {5: {"keeper": {"cut": True}}}, {},
     [("unexplained-motion", 4)]),
    ("a door, a frame later", [90, 60, 30, 0, 0, 0, 90, 90, 90, 90, 90, 90], {6: {"keeper": {"cut": True}}}, {}, []),
    ("a door to elsewhere", [90, 60, 30, 0, 0, 70, 70, 70, 70, 70, 70, 70], {5: {"keeper": {"cut": True}}}, {}, []),
    ("is pushed as ordered", [0] * 5 + [5, 10, 15, 20, 20, 20, 20], {}, PUSH, []),
    ("a push that goes on", [0] * 5 + [5, 10, 15, 20, 25, 30, 30], {}, PUSH, [("unexplained-motion", 4)]),
    ("a push, then its own walk", [-16, -12, -8, -4, 0, 9, 18, 27, 36, 40, 44, 48], {}, PUSH, []),
]  # fmt: skip


@pytest.mark.parametrize(("way", "more", "target", "found"), [row[1:] for row in WAYS], ids=[row[0] for row in WAYS])
@pytest.mark.parametrize("claimed", [False, True], ids=["by the rules", "by the game alone"])
def test_ways(way: list[float], more: dict[int, Any], target: dict[str, Any], found: Any, claimed: bool) -> None:
    """The hit is in frame 4; in the other world it is one that only the game has, and is followed as such."""
    frames: list[dict[str, Any]] = []
    for frame, x in enumerate(way):
        away = 500 if frame < 4 else 900
        place = x if frame == 4 and not claimed else away
        hornet = {"id": "hornet", "kind": "hornet", "x": place, "y": 0, "cut": True}
        keeper = {"id": "keeper", "kind": "keeper", "x": x, "y": 0}
        fields = dict(more.get(frame, {}))
        frames.append({"poses": [keeper | fields.pop("keeper", {}), hornet], **fields})
    frames[4]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    book = rulebook(sting(keeper={"health": 9}, attack={"target": target}))
    verdict, _ = check(book.rules(60), recording(book, frames, reactions="baked"))
    fields = [
        (finding.code, finding.frame) for finding in verdict.findings if finding.code not in ("hit-denied", "teleport")
    ]
    assert fields == found
    assert [finding.code for finding, _ in verdict.roots] == (
        ["hit-denied"] if claimed else ["unexplained-motion"] * bool(found)
    )
