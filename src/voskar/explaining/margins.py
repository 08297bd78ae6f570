"""How far each value of a rulebook could be another one before recordings would notice."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from voskar.explaining.leaf import Leaf
from voskar.explaining.numbers import number_at, with_number

DOUBLINGS, HALVINGS = 6, 4
"""How often a step away from a number is doubled until it is noticed, and how often the last one is halved then."""

Noticed = Callable[[Any], bool]
"""Whether any recording disagrees with another value of a key. A value that makes the rulebook invalid counts too."""


@dataclass(frozen=True)
class Margin:
    """A value, or a number at a place of one, and the range within which nothing tried is noticed. `low` and `high`
    are the last values that fit as well, `below` and `above` the nearest that are noticed, None where none is.
    `loose` are other words or names that fit as well.
    """

    leaf: Leaf
    place: int = -1
    low: Any = None
    high: Any = None
    below: Any = None
    above: Any = None
    loose: tuple[Any, ...] = ()
    met: bool = True
    """Whether the recordings show anything of what it is about."""

    @property
    def key(self) -> str:
        """The path, with the place among several numbers."""
        return f"{self.leaf.key}[{self.place}]" if self.place >= 0 else self.leaf.key

    @property
    def is_number(self) -> bool:
        """Whether it is a number that has a next one on either side."""
        return isinstance(self.low, int | float) and not isinstance(self.low, bool)

    @property
    def held(self) -> bool:
        """Whether the next value on either side is noticed; of words and names, every other one."""
        if not self.met:
            return False
        if not self.is_number:
            return not self.loose
        own = number_at(self.leaf.value, self.place)
        step = step_of(self.leaf, own)
        floor = self.leaf.least is not None and own - step < self.leaf.least
        return (floor or (self.below is not None and self.low > own - step)) and (
            self.above is not None and self.high < own + step
        )


def step_of(leaf: Leaf, value: float) -> float:
    """The step by which a number is first tried: a frame, one, or a twentieth of it and at least half a unit."""
    return 1.0 if leaf.sort in ("frames", "rehit", "whole") else max(abs(value) / 20, 0.5 if abs(value) >= 2 else 0.05)


def margins_of(leaf: Leaf, noticed: Noticed) -> Iterator[Margin]:
    """The margins of a value: one, or one for each of several numbers."""
    value = leaf.value
    if leaf.sort == "numbers":
        for place in range(len(value)):
            yield _number(leaf, place, noticed)
    elif leaf.sort in ("frames", "rehit", "whole", "number") and isinstance(value, int | float):
        yield _number(leaf, -1, noticed)
    else:
        others = tuple(other for other in _others(leaf) if not noticed(other))
        yield Margin(leaf, loose=others)


def _others(leaf: Leaf) -> Iterator[Any]:
    value = leaf.value
    match leaf.sort:
        case "switch":
            yield not value
        case "names" | "several":
            own = list(value or ())
            yield from ([name for name in own if name != item] for item in own)
        case "cells":
            first, *names = str(value).split(",")
            low, high = (int(name) for name in (first.split("-") * 2)[:2])
            for by, to in ((-1, 0), (1, 0), (0, -1), (0, 1)):
                if 0 <= low + by <= high + to:
                    yield ",".join([f"{low + by}-{high + to}", *names])
        case _:
            yield from (option for option in leaf.options if option != value)


def _number(leaf: Leaf, place: int, noticed: Noticed) -> Margin:
    own = number_at(leaf.value, place)
    low, below = _edge(leaf, place, own, -1, noticed)
    high, above = _edge(leaf, place, own, 1, noticed)
    return Margin(leaf, place, low, high, below, above)


def _edge(leaf: Leaf, place: int, own: float, way: int, noticed: Noticed) -> tuple[float, float | None]:
    """The last number on one side that fits as well, and the nearest that is noticed."""
    whole = leaf.sort in ("frames", "rehit", "whole")
    step = step_of(leaf, own)
    fits, found = own, None
    # Doubling first: a few replays span several sizes.
    for doubling in range(DOUBLINGS):
        other = own + way * step * (1 << doubling)
        if leaf.least is not None and place < 0 and other < leaf.least:
            # The least value itself is tried once.
            other = leaf.least
            if other == fits:
                break
        if noticed(_rounded(leaf, place, other, whole)):
            found = other
            break
        fits = other
    if found is None:
        return _plain(fits, whole), None
    # Then halving, but no finer than a quarter of a step: such numbers are not written by hand.
    for _ in range(HALVINGS):
        middle = (fits + found) / 2
        middle = math.floor(middle) if whole else middle
        if middle in (fits, found) or abs(found - fits) <= step / 4:
            break
        if noticed(_rounded(leaf, place, middle, whole)):
            found = middle
        else:
            fits = middle
    return _plain(fits, whole), _plain(found, whole)


def _plain(number: float, whole: bool) -> float:
    return round(number) if whole else round(number, 3) + 0.0


def _rounded(leaf: Leaf, place: int, other: float, whole: bool) -> Any:
    number = round(other) if whole else round(other, 4)
    return with_number(leaf.value, place, number) if place >= 0 else number


INSTRUCTIONS = {
    "iframes": "a second hit on `{owner}` in the first frames after its i-frames, and one in their last frames",
    "rehit": "a touch of `{owner}` that goes on until it may land again",
    "stun": "a button that is pressed in the last frame of the stun, and in the frame after it",
    "damage": "a hit of `{owner}` on a target with logged health",
    "cooldown": "a button that is pressed again as soon as `{owner}` may fire",
    "every": "two beats of `{owner}`",
    "limit": "as many shots of `{owner}` at once as there may be, and a try for one more",
    "distance": "a hit of `{owner}` on a standing target, until the push is over",
    "over": "a hit of `{owner}` on a standing target, until the push is over",
    "life": "a `{owner}` that flies until its life is over",
    "velocity": "a `{owner}` that flies for half a second",
    "acceleration": "a `{owner}` that flies for a second",
    "health": "a `{owner}` that is hit until it goes down",
    "lives": "a `{owner}` that loses all its lives",
    "after": "a `{owner}` that goes down and comes back",
    "lasts": "a `{owner}` that goes down and stays to be seen",
    "at": "a slow approach of `{owner}` from either side until it touches",
    "rect": "a slow approach of `{owner}` from either side until it touches",
    "circle": "a slow approach of `{owner}` from either side until it touches",
    "capsule": "a slow approach of `{owner}` from either side until it touches",
    "during": "a touch of `{owner}` in the first and in the last cell, and in the cells next to them",
    "slack": "touches of `{owner}` near the edge that it may still come from",
    "worth": "a `{owner}` that goes down while the display shows the score",
}
"""Advice for a key: what to record so that the number matters."""


def instruction(margin: Margin) -> str:
    """The shortest recording that would hold a value."""
    path = margin.leaf.path
    name = str(path[-2] if margin.leaf.sort == "cells" else path[-1])
    names = [str(step) for step in path[:-1] if isinstance(step, str)]
    owner = ".".join(text for text in names if text not in ("kinds", "attacks", "boxes", "emitters", "motion", "when"))
    words = INSTRUCTIONS.get(name, "a moment in which `{owner}` depends on it")
    return words.format(owner=owner or name)
