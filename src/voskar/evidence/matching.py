"""Pairing what a game tells with what the rules make of it, nearest first."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Protocol, TypeVar

from voskar.core.adopt import Window


class Framed(Protocol):
    """Anything that happened in a frame."""

    @property
    def frame(self) -> int:
        """When."""
        ...


A = TypeVar("A", bound=Framed)
B = TypeVar("B", bound=Framed)

_Score = tuple[int, int]
"""How many pairs, and how far they are apart in all, below 0."""


def pair_up(
    told: Sequence[A],
    judged: Sequence[B],
    window: Window,
    key_of_told: Callable[[A], Hashable],
    key_of_judged: Callable[[B], Hashable],
) -> tuple[list[tuple[A, B]], list[A], list[B]]:
    """Pairs two sequences where keys are equal and what is told is in a window around what is judged.

    As many pairs as can be, each used once and in order, so that what is late by the same each time is paired so even
    where the next one is nearer; of equally many those that are least apart in all. Ties go to the earlier ones.
    Returns the pairs in the order of the first, and what is left over of both.
    """
    sides: dict[Hashable, tuple[list[int], list[int]]] = {}
    for number, one in enumerate(told):
        sides.setdefault(key_of_told(one), ([], []))[0].append(number)
    for index, other in enumerate(judged):
        own = sides.get(key_of_judged(other))
        if own is not None:
            own[1].append(index)
    partner: dict[int, int] = {}
    for numbers, indices in sides.values():
        numbers.sort(key=lambda number: told[number].frame)
        indices.sort(key=lambda index: judged[index].frame)
        frames = [told[number].frame for number in numbers], [judged[index].frame for index in indices]
        partner |= {numbers[i]: indices[j] for i, j in aligned(*frames, window)}
    pairs = [(told[number], judged[partner[number]]) for number in sorted(partner)]
    spare = [one for number, one in enumerate(told) if number not in partner]
    used = set(partner.values())
    return pairs, spare, [one for index, one in enumerate(judged) if index not in used]


def aligned(told: Sequence[int], judged: Sequence[int], window: Window) -> list[tuple[int, int]]:
    """The same of two sequences of frames that rise, as pairs of places.

    The usual table of two sequences that are aligned, of which only the band is kept in which frames are in the window:
    its cost is that of the pairs that could be.
    """
    if len(told) == len(judged) == 1:
        return [(0, 0)] if window.holds(told[0], judged[0]) else []
    rows: list[tuple[int, list[_Score]]] = []  # of each told one: where its band begins, and the scores from there on
    low, high = 0, 0
    first, before = 0, [(0, 0)]
    for frame in told:
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
    for number in range(len(told) - 1, -1, -1):
        low, row = rows[number]
        first, before = rows[number - 1] if number else (0, [(0, 0)])
        at = min(at, low + len(row) - 1)
        while at > low and row[at - low] == row[at - low - 1]:
            at -= 1
        if row[at - low] != before[min(at - first, len(before) - 1)]:
            at -= 1
            found.append((number, at))
    return found[::-1]
