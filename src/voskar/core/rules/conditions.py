"""What an attack or an emitter asks for before it does anything: the key `if`."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Mapping
from typing import Literal

from msgspec import Struct

Place = Literal["above", "below", "ahead", "behind"]
Sign = Literal["<", "<=", ">", ">=", "=="]

SIGNS: Mapping[str, Callable[[float, float], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge, "==": operator.eq,
}  # fmt: skip
_COMPARISON = re.compile(r"\s*(<=|>=|==|<|>)\s*([-+]?\d{1,15}(?:\.\d{1,15})?)\s*", re.ASCII)


class Comparison(Struct, frozen=True):
    """A number compared with another one, such as `>= 1`."""

    sign: Sign
    number: float

    @classmethod
    def parse(cls, text: str) -> Comparison:
        """Reads `>= 1`. Raises ValueError for anything else."""
        match = _COMPARISON.fullmatch(text)
        if match is None:
            raise ValueError(text)
        return cls(match[1], float(match[2]))  # type: ignore[arg-type]

    def holds(self, value: float) -> bool:
        """Whether the value compares so."""
        return SIGNS[self.sign](value, self.number)

    def __str__(self) -> str:
        return f"{self.sign} {self.number:g}"


class ActorCondition(Struct, frozen=True):
    """A condition on one actor: each counter must satisfy all its comparisons. A counter without a value is 0."""

    counters: Mapping[str, tuple[Comparison, ...]] = {}

    def holds(self, counters: Mapping[str, float]) -> bool:
        """Whether counters with these values satisfy the condition."""
        return all(
            comparison.holds(counters.get(name, 0.0))
            for name, comparisons in self.counters.items()
            for comparison in comparisons
        )


class ContactCondition(Struct, frozen=True):
    """A condition on a contact. All that it names must hold; a condition that names nothing holds.

    `from_` and `not_from` are places of the attacker as seen from the target, decided by `from_by` within `slack`
    units. `onto` is the largest angle, in degrees, between up and the surface that is hit. With `falling` the attacker
    must move down.
    """

    attacker: ActorCondition = ActorCondition()
    from_: frozenset[Place] = frozenset()
    not_from: frozenset[Place] = frozenset()
    from_by: Literal["edge", "centre"] = "edge"
    slack: float = 1.0
    onto: float | None = None
    falling: bool = False
