"""A simple polygon cut into convex parts: monotone ones, cut into triangles, joined where that stays convex.

Corners are numbers into a ring that runs from +x towards +y. They are swept in the order of their coordinates, x first;
"before" is this order, "below" the side of smaller y. All of it takes n log n steps.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

Point = tuple[float, float]
Diagonal = tuple[int, int]

MOST_CORNERS = 10_000
STRAIGHT = 1e-12
"""How far from a straight side, in parts of its largest coordinate, a corner may be and count as on it: what rounding
does to a point that was computed to lie there."""


def convex_parts(points: Sequence[Point]) -> list[list[Point]]:
    """The convex parts of a polygon given in either sense of rotation.

    Raises ValueError with the mistake for fewer than 3 or more than 10,000 corners, sides that cross or touch,
    and outlines without an area.
    """
    ring = _tidy(points)
    meeting = _meeting(ring)
    if meeting:
        raise ValueError(f"its sides {meeting[0] + 1} and {meeting[1] + 1} meet")
    # twice the signed area: the sweep needs one sense of rotation
    if sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(ring, ring[1:] + ring[:1], strict=True)) < 0:
        ring = ring[::-1]
    # most shapes are convex already, and are kept as they are written
    if all(cross(ring[i - 2], ring[i - 1], ring[i]) > 0 for i in range(len(ring))):
        return [ring]
    # first into monotone parts, then triangles, then back together: never more than twice the fewest parts
    cuts = _monotone_cuts(ring)
    for face in _Rotation(ring, cuts).faces():
        cuts = [*cuts, *_triangle_cuts(ring, face)] if len(face) > 3 else cuts
    rotation = _Rotation(ring, cuts)
    for cut in cuts:
        rotation.join(cut)
    return [_straightened([ring[corner] for corner in face]) for face in rotation.faces()]


def cross(a: Point, b: Point, c: Point) -> float:
    """Twice the signed area of a triangle: above 0 when a, b, c turn from +x towards +y."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _tidy(points: Sequence[Point]) -> list[Point]:
    """Without repeated corners and corners on a straight side."""
    if not 3 <= len(points) <= MOST_CORNERS:
        raise ValueError(f"it has {len(points)} corners, expected 3 to {MOST_CORNERS}")
    ring = [point for index, point in enumerate(points) if point != points[index - 1]]
    if len(set(ring)) != len(ring):
        raise ValueError("two of its corners are in one place")
    # the slack grows with the coordinates, as their rounding does
    slack = STRAIGHT * max((abs(value) for point in ring for value in point), default=0.0)
    kept: list[Point] = []
    for index, point in enumerate(ring):
        before, after = ring[index - 1], ring[(index + 1) % len(ring)]
        if abs(cross(before, point, after)) > slack * math.dist(before, after):
            kept.append(point)
        elif (before[0] - point[0]) * (after[0] - point[0]) + (before[1] - point[1]) * (after[1] - point[1]) > 0:
            raise ValueError(f"its outline turns back on itself at {list(point)}")
    if len(kept) < 3:
        raise ValueError("it has no area")
    return kept


def _straightened(ring: list[Point]) -> list[Point]:
    """Without corners on a straight side."""
    return [p for k, p in enumerate(ring) if cross(ring[k - 1], p, ring[(k + 1) % len(ring)]) > 0]


class _Sweep:
    """The sides that a sweep crosses at a corner, upwards, by number: side k runs from corner k to the next."""

    def __init__(self, ring: Sequence[Point]) -> None:
        self.ring = ring
        self.sides: list[int] = []

    def ends(self, side: int) -> tuple[Point, Point]:
        """The corners of a side, the earlier one first."""
        a, b = self.ring[side], self.ring[(side + 1) % len(self.ring)]
        return (a, b) if a < b else (b, a)

    def below(self, point: Point) -> int:
        """How many sides run below a point."""
        first, last = 0, len(self.sides)
        while first < last:
            middle = (first + last) // 2
            if cross(*self.ends(self.sides[middle]), point) > 0:
                first = middle + 1
            else:
                last = middle
        return first

    def leave(self, side: int, point: Point) -> int:
        """A side ends. Its place."""
        place = self.below(point)
        if place == len(self.sides) or self.sides[place] != side:  # of two that end here, or rounding
            place = self.sides.index(side)
        del self.sides[place]
        return place


def _meeting(ring: Sequence[Point]) -> tuple[int, int] | None:
    """Two sides that share a point and are no neighbours (Shamos, Hoey 1976: sides next to each other along the sweep
    meet first). That neighbours do not fold back is seen before."""
    count = len(ring)
    sweep = _Sweep(ring)

    def meet(place: int) -> tuple[int, int] | None:
        """Whether the side at a place meets the one below it."""
        if not 0 < place < len(sweep.sides):
            return None
        number, other = sorted(sweep.sides[place - 1 : place + 1])
        apart = other - number not in (1, count - 1)
        return (number, other) if apart and _meet(*sweep.ends(number), *sweep.ends(other)) else None

    for corner in sorted(range(count), key=ring.__getitem__):
        point, pair = ring[corner], ((corner - 1) % count, corner)
        starts = [side for side in pair if sweep.ends(side)[0] == point]
        for side in pair:
            if side not in starts and (found := meet(sweep.leave(side, point))):
                return found
        # from one corner the lower side comes first
        if len(starts) == 2 and cross(point, sweep.ends(starts[0])[1], sweep.ends(starts[1])[1]) < 0:
            starts.reverse()
        place = sweep.below(point)
        sweep.sides[place:place] = starts
        # only neighbours along the sweep can meet next: each new pair is looked at once
        for between in range(place, place + len(starts) + 1):
            if starts and (found := meet(between)):
                return found
    return None


def _meet(a: Point, b: Point, c: Point, d: Point) -> bool:
    """Whether segments ab and cd share a point."""
    sides = [cross(a, b, c), cross(a, b, d), cross(c, d, a), cross(c, d, b)]
    # the usual case, without a corner of one on the other
    if min(sides[:2]) < 0 < max(sides[:2]) and min(sides[2:]) < 0 < max(sides[2:]):
        return True
    ends = [(a, b, c), (a, b, d), (c, d, a), (c, d, b)]
    return any(side == 0 and _between(*end) for side, end in zip(sides, ends, strict=True))


def _between(a: Point, b: Point, point: Point) -> bool:
    """Whether a point on the line ab lies on the segment."""
    return all(min(a[axis], b[axis]) <= point[axis] <= max(a[axis], b[axis]) for axis in (0, 1))


def _monotone_cuts(ring: Sequence[Point]) -> list[Diagonal]:
    """Diagonals that leave only parts that every line along y crosses at most once (Lee, Preparata 1977; as in de Berg
    et al., Computational Geometry, chapter 3)."""
    count = len(ring)
    sweep = _Sweep(ring)  # of the sides that have the inside above them
    helper: dict[int, int] = {}
    merges: set[int] = set()
    cuts: list[Diagonal] = []

    def settle(side: int, corner: int) -> None:
        if helper[side] in merges:
            cuts.append((corner, helper[side]))

    for corner in sorted(range(count), key=ring.__getitem__):
        before, after = (corner - 1) % count, (corner + 1) % count
        closes, opens = ring[before] < ring[corner], ring[corner] < ring[after]
        reflex = cross(ring[before], ring[corner], ring[after]) < 0
        if closes:
            settle(before, corner)
            sweep.leave(before, ring[corner])
        if (not closes and not opens) or (closes != opens and reflex):  # the inside continues below
            place = sweep.below(ring[corner])
            if not place:
                raise ValueError("it is too thin to be cut into convex parts")
            side = sweep.sides[place - 1]
            if opens:  # a split: from here on the inside lies on either side
                cuts.append((corner, helper[side]))
            else:
                settle(side, corner)
            helper[side] = corner
            if closes:
                merges.add(corner)
        if opens:
            sweep.sides.insert(sweep.below(ring[corner]), corner)
            helper[corner] = corner
    return cuts


def _triangle_cuts(ring: Sequence[Point], face: Sequence[int]) -> Iterator[Diagonal]:
    """Diagonals that leave only triangles of a monotone part (Garey et al. 1978; as in de Berg et al., chapter 3)."""
    first = min(range(len(face)), key=lambda place: ring[face[place]])
    face = [*face[first:], *face[:first]]
    last = max(range(len(face)), key=lambda place: ring[face[place]])
    lower = set(face[: last + 1])
    order = sorted(face, key=ring.__getitem__)
    stack = order[:2]
    for previous, corner in pairwise(order[1:-1]):
        # on the other chain everything that waits sees this corner
        if (corner in lower) != (stack[-1] in lower):
            yield from ((corner, number) for number in stack[1:])
            stack = [previous, corner]
            continue
        sense = 1 if corner in lower else -1
        passed = stack.pop()
        while stack and sense * cross(ring[stack[-1]], ring[passed], ring[corner]) > 0:
            passed = stack.pop()
            yield corner, passed
        stack += [passed, corner]
    yield from ((order[-1], number) for number in stack[1:-1])


class _Rotation:
    """The sides and diagonals about each corner, from its next side to the one before, in the order in which they turn
    through the inside."""

    def __init__(self, ring: Sequence[Point], cuts: Iterable[Diagonal]) -> None:
        self.ring = ring
        spokes: list[list[int]] = [[] for _ in ring]
        for number, other in cuts:
            spokes[number].append(other)
            spokes[other].append(number)
        self.onward: dict[Diagonal, int] = {}
        """The diagonal that follows a spoke, by corner and other end."""
        self.back: dict[Diagonal, int] = {}
        for corner, own in enumerate(spokes):
            after, before = (corner + 1) % len(ring), (corner - 1) % len(ring)
            start = self._direction(corner, after)
            own.sort(key=lambda end: (self._direction(corner, end) - start) % math.tau)
            for number, other in zip([after, *own], [*own, before], strict=True):
                self.onward[corner, number] = other
                self.back[corner, other] = number

    def _direction(self, corner: int, end: int) -> float:
        (x0, y0), (x1, y1) = self.ring[corner], self.ring[end]
        return math.atan2(y1 - y0, x1 - x0)

    def join(self, cut: Diagonal) -> None:
        """Leaves out a diagonal without which both its ends stay convex (Hertel, Mehlhorn 1983)."""
        ends = (cut, cut[::-1])
        for corner, end in ends:
            # without the diagonal the corner would turn inwards
            right, left = self.back[corner, end], self.onward[corner, end]
            if cross(self.ring[corner], self.ring[right], self.ring[left]) < 0:
                return
        for corner, end in ends:
            right, left = self.back.pop((corner, end)), self.onward.pop((corner, end))
            self.onward[corner, right], self.back[corner, left] = left, right

    def faces(self) -> Iterator[list[int]]:
        """The parts, each with the inside to its left."""
        left = dict.fromkeys((corner, end) for corner, end in self.onward)
        while left:
            face = []
            corner, end = next(iter(left))
            while (corner, end) in left:
                del left[corner, end]
                face.append(corner)
                corner, end = end, self.back[end, corner]
            yield face
