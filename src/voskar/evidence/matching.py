"""Pairing what a game logs with what the rules make of it, so that the whole fits best."""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from typing import Protocol, TypeVar

import numpy as np

from voskar.core.adopt import Window


class Framed(Protocol):
    """Anything that happened in a frame."""

    @property
    def frame(self) -> int:
        """When."""
        ...


A = TypeVar("A", bound=Framed)
B = TypeVar("B", bound=Framed)

LARGEST = 64
"""So many on either side are paired at once; more are parted where the gap between their frames is widest."""
CROWD = 1024
"""So many of one frame are paired at once."""

_Score = tuple[int, int]
"""How many pairs, and how far they are apart in all, below 0."""


def pair_up(
    items: Sequence[A],
    judged: Sequence[B],
    window: Window,
    claim_key: Callable[[A], Hashable],
    key_of_judged: Callable[[B], Hashable],
) -> tuple[list[tuple[A, B]], list[A], list[B]]:
    """Pairs two sequences where keys are equal and what is logged is in a window around what is judged.

    As many pairs as can be, each used once and in order, so that what is late by the same each time is paired so even
    where the next one is nearer; of equally many those that are least apart in all. Ties go to the earlier ones.
    Returns the pairs in the order of the first, and what is left over of both.
    """
    sides: dict[Hashable, tuple[list[int], list[int]]] = {}
    for number, item in enumerate(items):
        sides.setdefault(claim_key(item), ([], []))[0].append(number)
    for index, other in enumerate(judged):
        own = sides.get(key_of_judged(other))
        if own is not None:
            own[1].append(index)
    partner: dict[int, int] = {}
    for numbers, indices in sides.values():
        numbers.sort(key=lambda number: items[number].frame)
        indices.sort(key=lambda index: judged[index].frame)
        frames = [items[number].frame for number in numbers], [judged[index].frame for index in indices]
        partner |= {numbers[i]: indices[j] for i, j in aligned(*frames, window)}
    pairs = [(items[number], judged[partner[number]]) for number in sorted(partner)]
    spare = [value for number, value in enumerate(items) if number not in partner]
    used = set(partner.values())
    return pairs, spare, [value for index, value in enumerate(judged) if index not in used]


def assigned(
    items: Sequence[A],
    judged: Sequence[B],
    reach: Window,
    cost: Callable[[A, B], tuple[int, ...] | None],
) -> list[tuple[A, B]]:
    """Pairs two sequences of which any two may belong together, as far as they are in reach of each other.

    As many pairs as can be; of equally many those whose costs, non-negative whole numbers of which the first counts
    most, are least in all. `cost` is None for two that do not go together; ties go to the earlier ones. Everything in
    reach of each other is paired at once, by the assignment of least cost.
    """
    found: list[tuple[A, B]] = []
    if not items or not judged:
        return found
    for mine, theirs in _components(items, judged, reach):
        if len(mine) == len(theirs) == 1:
            item, other = mine[0], theirs[0]
            fits = reach.holds(item.frame, other.frame) and cost(item, other) is not None
            found += [(item, other)] if fits else []
        elif len(mine) == len(theirs) and all(
            reach.holds(item.frame, other.frame) and _is_free(cost(item, other))
            for item, other in zip(mine, theirs, strict=True)
        ):
            found += zip(mine, theirs, strict=True)  # no other pairs cost less
        else:
            found += _least(mine, theirs, reach, cost)
    return found


def _is_free(cost: tuple[int, ...] | None) -> bool:
    return cost is not None and not any(cost)


def _components(items: Sequence[A], judged: Sequence[B], reach: Window) -> Iterator[tuple[list[A], list[B]]]:
    """Both in pieces that cannot be in reach of each other, or that are small enough."""
    everything = [(item.frame, False, at) for at, item in enumerate(items)]
    everything = sorted(everything + [(item.frame, True, at) for at, item in enumerate(judged)])
    far = reach.before + reach.after
    starts = [0, *(at for at in range(1, len(everything)) if everything[at][0] - everything[at - 1][0] > far)]
    for first, last in zip(starts, [*starts[1:], len(everything)], strict=True):
        for piece in _small(everything[first:last]):
            mine = [items[at] for _, theirs, at in piece if not theirs]
            others = [judged[at] for _, theirs, at in piece if theirs]
            if mine and others:
                yield mine, others


def _small(piece: list[tuple[int, bool, int]]) -> Iterator[list[tuple[int, bool, int]]]:
    judged = sum(theirs for _, theirs, _ in piece)
    if max(judged, len(piece) - judged) <= LARGEST:
        yield piece
        return
    gaps = [(piece[at - 1][0] - piece[at][0], abs(2 * at - len(piece)), at) for at in range(1, len(piece))]
    gap, _, middle = min(gaps)  # of equal gaps the one in the middle
    if gap:
        yield from _small(piece[:middle])
        yield from _small(piece[middle:])
        return
    # all of one frame, in which those of either side stand together: a cut through the row would part the two sides
    mine, others = piece[: len(piece) - judged], piece[len(piece) - judged :]
    parts = math.ceil(max(len(mine), len(others)) / CROWD)
    for part in range(parts):
        yield [
            entry
            for side in (mine, others)
            for entry in side[part * len(side) // parts : (part + 1) * len(side) // parts]
        ]


def _least(
    items: Sequence[A], judged: Sequence[B], reach: Window, cost: Callable[[A, B], tuple[int, ...] | None]
) -> list[tuple[A, B]]:
    costs = {
        (i, j): known
        for i, item in enumerate(items)
        for j, other in enumerate(judged)
        if reach.holds(item.frame, other.frame) and (known := cost(item, other)) is not None
    }
    if not costs:
        return []
    nearest = _each_nearest(len(items), costs)
    if nearest is not None:
        return [(items[i], judged[j]) for i, j in nearest]
    most = max(len(items), len(judged))
    table = np.array(list(costs.values()), dtype=np.int64)
    table -= table.min(axis=0)
    while True:
        # each place counts more than all that follow it can come to
        highest = table.max(axis=0).tolist()
        weights = [math.prod(most * size + 1 for size in highest[place + 1 :]) for place in range(len(highest))]
        never = (sum(map(operator.mul, highest, weights)) + 1) * (most + 1)  # rather all others than one less
        if never * most < 2**53:  # as whole numbers, sums of float64 are exact
            break
        table = np.minimum(table, table.max() // 2)  # in a crowd, pairs that are far apart need no exact cost
    matrix = np.full((len(items), len(judged)), float(never))
    matrix[tuple(np.array(list(costs)).T)] = table @ np.array(weights)
    if len(items) <= len(judged):
        pairs = list(enumerate(_least_assignment(matrix)))
    else:
        pairs = sorted((i, j) for j, i in enumerate(_least_assignment(matrix.T)))
    return [(items[i], judged[j]) for i, j in pairs if (i, j) in costs]


def _least_assignment(costs: np.ndarray) -> list[int]:
    """A column for each row, no two the same, so that the costs are least in all. Costs are (n, m) with n at most m.

    Row by row, by the shortest augmenting path (Jonker, Volgenant 1987, without their first reductions): the tables are
    small, and to import a library that does the same takes longer than most checks.
    """
    count, width = costs.shape
    row_price, column_price = np.zeros(count), np.zeros(width)
    row_of, column_of = np.full(width, -1), np.full(count, -1)
    for row in range(count):
        distance, before, is_final = np.full(width, np.inf), np.full(width, -1), np.zeros(width, dtype=np.bool_)
        at, way = row, 0.0
        while True:
            reached = way + costs[at] - row_price[at] - column_price
            is_nearer = ~is_final & (reached < distance)
            distance[is_nearer], before[is_nearer] = reached[is_nearer], at
            way = float(distance[~is_final].min())
            nearest = np.flatnonzero(~is_final & (distance == way))
            free = nearest[row_of[nearest] < 0]
            if len(free):  # of equals the first column
                column = int(free[0])
                break
            column = int(nearest[0])
            is_final[column] = True
            at = int(row_of[column])
        # every price stays such that no pair costs less than the two of it
        row_price[row] += way
        row_price[row_of[is_final]] += way - distance[is_final]
        column_price[is_final] -= way - distance[is_final]
        while True:
            at = int(before[column])
            row_of[column] = at
            column_of[at], column = column, int(column_of[at])
            if at == row:
                break
    found: list[int] = column_of.tolist()
    return found


def _each_nearest(count: int, costs: Mapping[tuple[int, int], tuple[int, ...]]) -> list[tuple[int, int]] | None:
    """Pairs in which each of so many has one of those that it costs least with: no others are better. None without."""
    rows: list[dict[int, tuple[int, ...]]] = [{} for _ in range(count)]
    for (i, j), cost in costs.items():
        rows[i][j] = cost
    taken: set[int] = set()
    found = []
    for i, row in enumerate(rows):
        least = min(row.values(), default=None)
        best = min((j for j, cost in row.items() if cost == least and j not in taken), default=None)
        if best is None:
            return None
        taken.add(best)
        found.append((i, best))
    return found


def aligned(numbers: Sequence[int], judged: Sequence[int], window: Window) -> list[tuple[int, int]]:
    """The same of two sequences of frames that rise, as pairs of places.

    The usual table of two sequences that are aligned, of which only the band is kept in which frames are in the window:
    its cost is that of the pairs that could be.
    """
    if len(numbers) == len(judged) == 1:
        return [(0, 0)] if window.holds(numbers[0], judged[0]) else []
    if numbers == judged:  # and no other pairs are less apart
        return [(at, at) for at in range(len(numbers))]
    rows: list[tuple[int, list[_Score]]] = []  # of each told one: where its band begins, and the scores from there on
    low, high = 0, 0
    first, before = 0, [(0, 0)]
    for frame in numbers:
        while high < len(judged) and judged[high] <= frame + window.before:
            high += 1
        while low < high and judged[low] < frame - window.after:
            low += 1

        def above(at: int, first: int = first, before: list[_Score] = before) -> _Score:
            return before[min(at - first, len(before) - 1)]

        row = [above(low)]
        for at in range(low, high):
            count, apart = above(at)
            row.append(max(row[-1], above(at + 1), (count + 1, apart - abs(frame - judged[at]))))
        rows.append((low, row))
        first, before = low, row
    found: list[tuple[int, int]] = []
    at = len(judged)
    for number in range(len(numbers) - 1, -1, -1):
        low, row = rows[number]
        first, before = rows[number - 1] if number else (0, [(0, 0)])
        at = min(at, low + len(row) - 1)
        while at > low and row[at - low] == row[at - low - 1]:
            at -= 1
        if row[at - low] != before[min(at - first, len(before) - 1)]:
            at -= 1
            found.append((number, at))
    return found[::-1]
