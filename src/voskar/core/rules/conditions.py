"""Conditions of attacks, cases, boxes and emitters: the key `if`."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Mapping
from typing import Literal

from msgspec import Struct

Windows = Mapping[str, tuple[tuple[int, int], ...]]
"""Ranges of cells (first, last), by clip."""
Place = Literal["above", "below", "ahead", "behind"]
Sign = Literal["<", "<=", ">", ">=", "=="]

SIGNS: Mapping[str, Callable[[float, float], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge, "==": operator.eq,
}  # fmt: skip
# digits are limited: a number with thousands of them takes long to read, and means nothing
_COMPARISON = re.compile(r"\s*(<=|>=|==|<|>)\s*([-+]?\d{1,15}(?:\.\d{1,15})?)\s*(%?)\s*", re.ASCII)


def within(windows: Windows, clip: str | None, cell: int) -> bool:
    """Whether a cell of a clip is in one of its ranges; no clip is in none."""
    return any(first <= cell <= last for first, last in windows.get(clip or "", ()))


class Comparison(Struct, frozen=True):
    """A number compared with another one, such as `>= 1`, or with `percent` of a full value, such as `< 50%`."""

    sign: Sign
    number: float
    percent: bool = False

    @classmethod
    def parse(cls, text: str) -> Comparison:
        """Reads `>= 1` and `< 50%`. Raises ValueError for anything else."""
        match = _COMPARISON.fullmatch(text)
        if match is None:
            raise ValueError(text)
        return cls(match[1], float(match[2]), bool(match[3]))  # type: ignore[arg-type]

    def holds(self, value: float, full: float = 0.0) -> bool:
        """Whether the value compares so; `full` is what a percentage is of."""
        if self.percent:
            # both sides are multiplied, as a division would round
            return SIGNS[self.sign](value * 100, self.number * full)
        return SIGNS[self.sign](value, self.number)

    def __str__(self) -> str:
        return f"{self.sign} {self.number:g}{'%' if self.percent else ''}"


Comparisons = tuple[Comparison, ...]


class ActorCondition(Struct, frozen=True):
    """A condition on one actor. All that it names must hold; a condition that names nothing holds.

    `during` are clips that it may show, with ranges of cells; `tags` it must have all of, `no_tags` none of. Each
    counter must satisfy all its comparisons, and so must `health`. With `stunned` and `immune` it must be so, or not.
    `kinds` are those that it may be of.
    """

    during: Windows = {}
    not_during: Windows = {}
    tags: frozenset[str] = frozenset()
    no_tags: frozenset[str] = frozenset()
    counters: Mapping[str, Comparisons] = {}
    health: Comparisons = ()
    stunned: bool | None = None
    immune: bool | None = None
    kinds: frozenset[str] = frozenset()

    @property
    def named_tags(self) -> frozenset[str]:
        """The tags that it asks for, to have or not to have."""
        return self.tags | self.no_tags


NO_CONDITION = ActorCondition()
"""The condition that always holds."""


class ContactCondition(Struct, frozen=True):
    """A condition on a contact. All that it names must hold; a condition that names nothing holds.

    `hitbox` and `hurtbox` are names of boxes. `from_` and `not_from` are places of the attacker as seen from the
    target, decided by `from_by` within `slack` units. `onto` is the largest angle, in degrees, between up and the
    surface that is hit. With `falling` the attacker must move down, or must not; with `ally` the two must be on one
    side, or not.
    """

    attacker: ActorCondition = NO_CONDITION
    target: ActorCondition = NO_CONDITION
    hitbox: frozenset[str] = frozenset()
    hurtbox: frozenset[str] = frozenset()
    from_: frozenset[Place] = frozenset()
    not_from: frozenset[Place] = frozenset()
    from_by: Literal["edge", "centre"] = "edge"
    slack: float = 1.0
    onto: float | None = None
    falling: bool | None = None
    ally: bool | None = None

    @property
    def names_boxes(self) -> bool:
        """Whether it holds for some boxes only."""
        return bool(self.hitbox or self.hurtbox)
