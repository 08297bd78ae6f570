"""A search for the values that fit best, of many keys at once, without trying them all."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from voskar.evidence.tuning import Point

COARSE = 8
"""Values of one key that are tried first, spread over all."""
ROUNDS = 6
"""Most times that all keys are gone through."""

Wrong = Callable[[Sequence[Point]], Sequence[int]]
"""How many disagreements each of some variants has."""


@dataclass(frozen=True)
class Searched:
    """The best variant, how many disagreements it has, for each key the places that do as well with the others as they
    are, and how many variants were tried."""

    best: Point
    wrong: int
    alike: tuple[tuple[int, int], ...]
    tried: int


def search(lengths: Sequence[int], starts: Sequence[Point], wrong: Wrong, own: Point | None = None) -> Searched:
    """Coordinate steps: each key in turn from coarse to fine, the others held, until a round improves nothing; from
    each of some starts. A value of its `own` that does as well is kept. The same every time."""
    known: dict[Point, int] = {}

    def ask(points: Sequence[Point]) -> list[int]:
        new = [point for point in dict.fromkeys(points) if point not in known]
        known.update(zip(new, wrong(new), strict=True) if new else ())
        return [known[point] for point in points]

    best: tuple[int, Point] | None = None
    for start in dict.fromkeys(starts):
        point = start
        count = ask([point])[0]
        for _ in range(ROUNDS):
            before = count
            for axis, length in enumerate(lengths):
                point, count = _along(axis, length, point, count, ask)
            if count == before:
                break
        best = min(best or (count, point), (count, point))
    assert best is not None
    count, point = best
    for axis, place in enumerate(own or ()):
        if ask([_with(point, axis, place)])[0] == count:
            point = _with(point, axis, place)
    spans = tuple(_span(axis, length, point, count, ask) for axis, length in enumerate(lengths))
    return Searched(point, count, spans, len(known))


def _along(
    axis: int, length: int, point: Point, count: int, ask: Callable[[Sequence[Point]], list[int]]
) -> tuple[Point, int]:
    """The best value of one key; of equals the middle of the longest stretch about the best, as far as it was tried."""
    low, high, step = 0, length - 1, max(1, (length - 1) // COARSE)
    while True:
        places = sorted({*range(low, high + 1, step), low, high, point[axis]})
        counts = ask([_with(point, axis, place) for place in places])
        least = min(counts)
        if least < count:
            alike = [place for place, number in zip(places, counts, strict=True) if number == least]
            point, count = _with(point, axis, alike[len(alike) // 2]), least
        if step == 1:
            return point, count
        low, high = max(point[axis] - step, 0), min(point[axis] + step, length - 1)
        step = max(1, step // 4)


def _span(
    axis: int, length: int, point: Point, count: int, ask: Callable[[Sequence[Point]], list[int]]
) -> tuple[int, int]:
    """How far a key may go either way without a disagreement more: found by halving."""
    ends = []
    for way in (-1, 1):
        good, bad = point[axis], -1 if way < 0 else length
        while abs(bad - good) > 1:
            middle = (good + bad) // 2
            if ask([_with(point, axis, middle)])[0] <= count:
                good = middle
            else:
                bad = middle
        ends.append(good)
    return ends[0], ends[1]


def _with(point: Point, axis: int, place: int) -> Point:
    return (*point[:axis], place, *point[axis + 1 :])
