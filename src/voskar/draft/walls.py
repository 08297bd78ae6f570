"""Walls of a draft: where straight shots end in the middle of the space, each at a side of one rectangle."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Protocol

from voskar.draft.values import roundest

LEAST = 4
"""The fewest shots that show a wall by their ends."""
NEAR = (200.0, 80.0, 30.0)
"""Units from one end to the next at one wall: large walls are looked for first."""

Vector = tuple[float, float]
Rect = tuple[float, float, float, float]
"""Low x, low y, high x, high y."""


class Flight(Protocol):
    """A question about a shot: it flies `step` units a frame from its place to its end."""

    @property
    def place(self) -> Vector: ...
    @property
    def end(self) -> Vector: ...
    @property
    def step(self) -> Vector | None: ...


def walls(ended: Sequence[Flight], every: Sequence[Flight]) -> list[tuple[Rect, list[Flight]]]:
    """Rectangles that explain where shots `ended`, and which: each of these would have been inside in its next frame,
    and none of `every` shot ever was. A side that no shot comes from is where the furthest would have been."""
    left = [flight for flight in ended if flight.step is not None]
    found: list[tuple[Rect, list[Flight]]] = []
    for near in NEAR:
        for cluster in _clusters(left, near):
            rect = _rect(cluster) if len(cluster) >= LEAST else None
            if rect is not None and not any(_is_ever_inside(flight, rect) for flight in every):
                found.append((rect, cluster))
                left = [event for event in left if event not in cluster]
    return found


def _clusters(shots: Sequence[Flight], near: float) -> list[list[Flight]]:
    """Groups of shots with ends near one another."""
    left, found = list(shots), []
    while left:
        flights = [left.pop(0)]
        for flight in flights:  # grows
            close = [other for other in left if math.dist(flight.end, other.end) <= near]
            flights += close
            left = [other for other in left if other not in close]
        found.append(flights)
    return found


def _next(shot: Flight) -> Vector:
    step = shot.step or (0.0, 0.0)
    return shot.end[0] + step[0], shot.end[1] + step[1]


def _rect(shots: Sequence[Flight]) -> Rect | None:
    """The rectangle that they would all have entered, from two sides or more: of one side an edge tells as well."""
    inside = [_next(shot) for shot in shots]
    x0, x1 = min(x for x, _ in inside), max(x for x, _ in inside)
    y0, y1 = min(y for _, y in inside), max(y for _, y in inside)
    sides: list[tuple[Callable[[Vector], float], float]] = [
        (lambda at: -at[0], -x0), (lambda at: -at[1], -y0), (lambda at: at[0], x1), (lambda at: at[1], y1),
    ]  # fmt: skip
    beyond: list[list[float]] = [[], [], [], []]
    for shot in shots:
        over = [side for side, (out, edge) in enumerate(sides) if out(shot.end) > edge]
        if not over:
            return None
        if len(over) == 1:
            beyond[over[0]].append(sides[over[0]][0](shot.end))
    if sum(map(bool, beyond)) < 2:
        return None
    numbers = [
        -roundest(-min(values), -edge) if values else edge for values, (_, edge) in zip(beyond, sides, strict=True)
    ]
    return -numbers[0], -numbers[1], numbers[2], numbers[3]


def _is_ever_inside(shot: Flight, rect: Rect) -> bool:
    """Whether the straight way from its place to its end leads through the inside of a rectangle."""
    low, high = 0.0, 1.0
    for axis in (0, 1):
        start, way = shot.place[axis], shot.end[axis] - shot.place[axis]
        near, far = rect[axis], rect[axis + 2]
        if abs(way) < 1e-9:
            if not near < start < far:
                return False
            continue
        first, last = sorted(((near - start) / way, (far - start) / way))
        low, high = max(low, first), min(high, last)
    return low < high - 1e-9
