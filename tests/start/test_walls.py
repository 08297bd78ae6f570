"""Walls that shots end at, from the ends of straight flights."""

from __future__ import annotations

import math
from typing import NamedTuple

import pytest

from voskar.draft.walls import Rect, walls


class Throw(NamedTuple):
    place: tuple[float, float]
    end: tuple[float, float]
    step: tuple[float, float] | None


def flight(place: tuple[float, float], at: tuple[float, float], rects: list[Rect], pace: float = 3.0) -> Throw:
    """From a place towards a point, until the next step would be inside one of some rectangles."""
    length = math.dist(place, at)
    step = pace * (at[0] - place[0]) / length, pace * (at[1] - place[1]) / length
    end = place
    for _ in range(400):
        ahead = end[0] + step[0], end[1] + step[1]
        if any(x0 < ahead[0] < x1 and y0 < ahead[1] < y1 for x0, y0, x1, y1 in rects):
            break
        end = ahead
    return Throw(place, end, step)


BOX, FAR = (100.0, 50.0, 160.0, 110.0), (500.0, 500.0, 560.0, 540.0)
ROUND = [(math.cos(turn) * 200, math.sin(turn) * 200) for turn in (0.1, 0.9, 1.6, 2.4, 3.1, 4.0, 4.7, 5.5)]


def around(rect: Rect) -> list[Throw]:
    middle = (rect[0] + rect[2]) / 2, (rect[1] + rect[3]) / 2
    return [flight((middle[0] + dx, middle[1] + dy), middle, [rect]) for dx, dy in ROUND]


@pytest.mark.parametrize(
    ("ended", "others", "expected"),
    [
        (around(BOX), [], [BOX]),
        (around(BOX) + around(FAR), [], [BOX, FAR]),
        (around(BOX)[:3], [], []),  # too few
        ([flight((0, y), (200, y), [BOX]) for y in (60, 70, 80, 90)], [], []),  # of one side an edge tells as well
        (around(BOX), [flight((0, y), (300, y), []) for y in (65, 80, 95)], []),  # others fly through
        (around(BOX), [flight((0, 49), (300, 49), [])], [BOX]),  # or close by
    ],
)
def test_walls(ended: list[Throw], others: list[Throw], expected: list[Rect]) -> None:
    found = sorted(rect for rect, _ in walls(ended, [*ended, *others]))
    assert len(found) == len(expected)
    for rect, right in zip(found, expected, strict=True):
        assert all(abs(value - other) < 3.0 for value, other in zip(rect, right, strict=True)), rect
