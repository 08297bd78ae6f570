"""Leaps: steps far beyond an actor's own pace."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.evidence.check import check


def walks(*leaps: tuple[int, float], pace: float = 1.0) -> list[float]:
    """Places of one that walks, and is put so far from there from some frames on."""
    return [pace * at + sum(far for frame, far in leaps if at >= frame) for at in range(20)]


CASES: list[tuple[str, list[float], dict[str, Any], list[int]]] = [
    ("walks", walks(), {}, []),
    ("leaps", walks((9, 30)), {}, [9]),
    ("out and back", walks((9, 30), (10, -30)), {}, [9]),
    ("twice in a second", walks((5, 30), (15, 30)), {}, []),  # that is its pace
    ("no further than its body", walks((9, 8.5)), {}, []),
    ("a tap at its pace", walks((9, 10), pace=10), {}, []),
    ("with a button", walks((9, 30)), {"inputs": {9: [{"id": "hornet", "button": "blink"}]}}, []),
    ("with a cut", walks((9, 30)), {"cut": 9}, []),
    ("across a mark", walks((9, 30)), {"reset": 9}, []),
    ("over the edge of a space that wraps", [(90 + at) % 100 for at in range(20)], {"wraps": True}, []),
    ("leaps in a space that wraps", [place % 100 for place in walks((9, 30))], {"wraps": True}, [9]),
]  # fmt: skip


@pytest.mark.parametrize(("places", "more", "expected"), [row[1:] for row in CASES], ids=[row[0] for row in CASES])
def test_leaps(places: list[float], more: dict[str, Any], expected: list[int]) -> None:
    box = {"role": "hitbox", "attack": "sting", "circle": 5, "mask": ["keeper"]}
    rules = sting(hornet={"boxes": {"sting": box}, "wraps": more.get("wraps", False)})
    rules["space"] = {"bounds": [0, -50, 100, 250]} if more.get("wraps") else {}
    frames = brush({"hornet": "." * 20})
    for at, (frame, x) in enumerate(zip(frames, places, strict=True)):
        frame["poses"][0]["y"] = 200
        frame["poses"][1] |= {"x": x, "cut": at == more.get("cut")}
        frame |= {"reset": "room"} if at == more.get("reset") else {}
        frame |= {"inputs": more["inputs"][at]} if at in more.get("inputs", {}) else {}
    book = rulebook(rules)
    verdict, _ = check(book.rules(60), recording(book, frames))
    assert [root.frame for root, _ in verdict.roots if root.code == "teleport"] == expected
    assert {finding.code for finding in verdict.findings} <= {"teleport"}
