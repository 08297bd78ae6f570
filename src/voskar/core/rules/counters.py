"""Counters that a kind declares: where they start, their limits, and how they change by themselves."""

from __future__ import annotations

from msgspec import Struct

from voskar.core.rules.attacks import Consequences
from voskar.core.rules.conditions import ActorCondition


class Regen(Struct, frozen=True):
    """A counter changes by `amount` in every `every`th frame, for the first time `after` frames after it was changed
    by a hit."""

    amount: float
    every: int = 1
    after: int = 0

    def ticks(self, elapsed: int) -> int:
        """How often it has changed so many frames after it was changed by a hit."""
        # without a wait the first change falls after a whole period; with one, right at its end
        if self.after == 0:
            return max(elapsed, 0) // self.every
        return 0 if elapsed < self.after else (elapsed - self.after) // self.every + 1

    def elapsed(self, ticks: int) -> int:
        """In how many frames it has changed so often, at least once."""
        return ticks * self.every if self.after == 0 else self.after + (ticks - 1) * self.every


class CounterRule(Struct, frozen=True):
    """A counter of a kind. `max` None: no limit. One that `absorbs` is taken from before health is. `on_min` and
    `on_max` are done to its owner right after the hit that brings it there. It goes back to `start` in each frame in
    which its owner meets `reset_if`."""

    name: str
    start: float = 0.0
    min: float = 0.0
    max: float | None = None
    regen: Regen | None = None
    absorbs: bool = False
    on_min: Consequences | None = None
    on_max: Consequences | None = None
    reset_if: ActorCondition | None = None

    def within(self, value: float) -> float:
        """A value kept within the limits."""
        value = max(value, self.min)
        return value if self.max is None else min(value, self.max)

    @property
    def goal(self) -> float | None:
        """The limit that regen leads to, None for none."""
        if self.regen is None:
            return None
        # without an amount above 0 regen leads down
        return self.max if self.regen.amount > 0 else self.min
