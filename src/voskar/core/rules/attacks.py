"""What a hit does: attacks, and their tables of consequences."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct, field

from voskar.core.rules.conditions import ContactCondition

Direction = Literal["away", "flat", "facing", "travel"]


class Rehit(Struct, frozen=True):
    """How often one attack of one attacker may land on one target. `frames` is used by `after` only."""

    mode: Literal["once", "entry", "always", "after"]
    frames: int = 0

    def __str__(self) -> str:
        return f"{self.frames}f" if self.mode == "after" else self.mode


class Knockback(Struct, frozen=True):
    """A push of `distance` units over `over` frames; `direction` is a word, or degrees."""

    distance: float
    over: int = 1
    ease: Literal["even", "fade"] = "even"
    direction: Direction | float = "away"
    mode: Literal["set", "add"] = "set"

    def steps(self) -> tuple[float, ...]:
        """The share of the distance in each frame, first to last: equal, or falling linearly (over, over-1, … 1)."""
        if self.ease == "even":
            return (1.0 / self.over,) * self.over
        total = self.over * (self.over + 1) / 2
        return tuple((self.over - index) / total for index in range(self.over))


class Launch(Struct, frozen=True):
    """A velocity of `up` units a second along the space's up.

    It replaces the vertical velocity (`set`), or adds to it (`add`).
    """

    up: float
    mode: Literal["set", "add"] = "set"


class Consequences(Struct, frozen=True):
    """What a hit does to one side. None: the rulebook does not name it.

    `remove` uses it up by the (`pierce` + 1)th outcome among `consumed_by`.
    """

    iframes: int | None = None
    stun: int = 0
    knockback: Knockback | None = None
    launch: Launch | None = None
    remove: bool = False
    pierce: int = 0
    consumed_by: frozenset[str] = frozenset({"landed"})
    home: bool = False
    checkpoint: bool = False
    gives: Mapping[str, float] = {}
    goal: bool = False
    spawn: str | None = None


class Attack(Struct, frozen=True):
    """What a hitbox does when it lands. `rehit` None stands for the default, which depends on the attacker.

    `if_` is what must hold for a contact to land.
    """

    name: str
    damage: float = 0.0
    rehit: Rehit | None = None
    priority: int = 0
    friendly: bool = False
    ignores_iframes: bool = False
    hits_owner: bool = False
    if_: ContactCondition = ContactCondition()
    rehit_group: str | None = None
    preempts: bool = False
    attacker: Consequences = field(default_factory=Consequences)
    target: Consequences = field(default_factory=Consequences)

    @property
    def memory_key(self) -> str:
        """What its hits are remembered by: its own name, or that of its rehit group."""
        return self.name if self.rehit_group is None else f"group {self.rehit_group}"

    @property
    def harms(self) -> bool:
        """Whether its target is worse off by it: hurt, held, pushed, sent home or consumed."""
        its = self.target
        return bool(self.damage > 0 or its.stun or its.knockback or its.launch or its.remove or its.home)

    @property
    def gives_iframes(self) -> bool:
        """Only an attack that hurts, or that names the i-frames of its target, makes a target immune."""
        return self.damage > 0 or self.target.iframes is not None
