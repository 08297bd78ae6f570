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


def pair_up(
    told: Sequence[A],
    judged: Sequence[B],
    window: Window,
    key_of_told: Callable[[A], Hashable],
    key_of_judged: Callable[[B], Hashable],
) -> tuple[list[tuple[A, B]], list[A], list[B]]:
    """Pairs two sequences where keys are equal and what is told is in a window around what is judged.

    Each is used once, nearest first; ties go to the earlier of the first, then of the second. Returns the pairs in
    the order of the first, and what is left over of both.
    """
    by_key: dict[Hashable, list[int]] = {}
    for index, one in enumerate(judged):
        by_key.setdefault(key_of_judged(one), []).append(index)
    options = sorted(
        (abs(one.frame - judged[index].frame), one.frame, judged[index].frame, number, index)
        for number, one in enumerate(told)
        for index in by_key.get(key_of_told(one), ())
        if window.holds(one.frame, judged[index].frame)
    )
    partner: dict[int, int] = {}
    used: set[int] = set()
    for _, _, _, number, index in options:
        if number not in partner and index not in used:
            partner[number] = index
            used.add(index)
    pairs = [(told[number], judged[partner[number]]) for number in sorted(partner)]
    spare = [one for number, one in enumerate(told) if number not in partner]
    return pairs, spare, [one for index, one in enumerate(judged) if index not in used]
