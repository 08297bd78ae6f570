"""The common part of all events of a ledger.

An event's columns are its fields; a column that does not apply to it reads as None, so that code that looks for
an actor or a frame need not know every event type.
"""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec

from voskar.core.ledger.pieces import What

COLUMNS = (
    "frame", "event", "until", "id", "attacker", "hitbox", "target", "hurtbox", "attack", "outcome", "case", "detail",
    "damage", "t", "x", "y", "counter", "before", "after", "by", "lives", "cause", "dx", "dy", "vx", "vy", "kind",
    "owner", "emitter", "angle", "points", "total", "other", "other_attack", "winner",
)  # fmt: skip
"""The columns of a written ledger, in their order."""


def written(value: Any) -> Any:
    """A value as ledgers write it: numbers rounded to 6 decimals, whole ones as integers."""
    if isinstance(value, float):
        # more decimals would show noise of the last digits, which differs between machines
        rounded = round(value, 6)
        return int(rounded) if rounded.is_integer() else rounded
    return value


def number(value: float | None) -> str:
    """A number in words."""
    return "none" if value is None else str(written(float(value)))


class Event(msgspec.Struct, frozen=True, gc=False):
    """Something that the rules say happened in a frame."""

    event: ClassVar[str] = ""
    changes: ClassVar[tuple[What, ...]] = ()
    """The state of its actor that it changes."""

    frame: int

    @property
    def until(self) -> int | None:
        """The last frame it holds in."""
        return None

    @property
    def id(self) -> str | None:
        """The id of the actor that it happened to."""
        return None

    @property
    def attacker(self) -> str | None:
        """The id of the attacker, for contacts."""
        return None

    @property
    def hitbox(self) -> str | None:
        """The name of the hitbox, for contacts."""
        return None

    @property
    def target(self) -> str | None:
        """The id of the target, for contacts."""
        return None

    @property
    def hurtbox(self) -> str | None:
        """The name of the hurtbox, for contacts."""
        return None

    @property
    def attack(self) -> str | None:
        """The name of the attack, for contacts."""
        return None

    @property
    def outcome(self) -> str | None:
        """The outcome, for contacts."""
        return None

    @property
    def case(self) -> str | None:
        """The name of the case, for contacts."""
        return None

    @property
    def counter(self) -> str | None:
        """The name of the counter."""
        return None

    @property
    def detail(self) -> str | None:
        """A further word about the event."""
        return None

    @property
    def damage(self) -> float | None:
        """The whole damage, for hits."""
        return None

    @property
    def t(self) -> float | None:
        """The time in the frame, 0 to 1, for contacts."""
        return None

    @property
    def x(self) -> float | None:
        """Where."""
        return None

    @property
    def y(self) -> float | None:
        """Where."""
        return None

    @property
    def before(self) -> float | None:
        """The value before."""
        return None

    @property
    def after(self) -> float | None:
        """The value after."""
        return None

    @property
    def by(self) -> str | None:
        """The id of the actor that caused it."""
        return None

    @property
    def lives(self) -> float | None:
        """The lives left, for deaths."""
        return None

    @property
    def cause(self) -> str | None:
        """Of i-frames: the attack that gave them, or `respawn`; of health: the attack, where the hit was earlier."""
        return None

    @property
    def dx(self) -> float | None:
        """The whole displacement in units, for pushes."""
        return None

    @property
    def dy(self) -> float | None:
        """The whole displacement in units, for pushes."""
        return None

    @property
    def vx(self) -> float | None:
        """The velocity in units a second, for launches and reflections."""
        return None

    @property
    def vy(self) -> float | None:
        """The velocity in units a second, for launches and reflections."""
        return None

    @property
    def kind(self) -> str | None:
        """The kind, for spawns."""
        return None

    @property
    def owner(self) -> str | None:
        """The id of the owner, for spawns and reflections."""
        return None

    @property
    def emitter(self) -> str | None:
        """The emitter that fired, or was denied."""
        return None

    @property
    def angle(self) -> float | None:
        """The direction in degrees, for spawns."""
        return None

    @property
    def other(self) -> str | None:
        """The id of the other actor, for clashes."""
        return None

    @property
    def other_attack(self) -> str | None:
        """The attack of the other actor, for clashes."""
        return None

    @property
    def winner(self) -> str | None:
        """The id of the winner, for clashes."""
        return None

    @property
    def points(self) -> float | None:
        """The points, for scores."""
        return None

    @property
    def total(self) -> float | None:
        """The total after it, for scores."""
        return None

    @property
    def cells(self) -> list[tuple[str, Any]]:
        """(column, value) of the columns that apply, in the order of a ledger, values as they are."""
        return [(name, value) for name in COLUMNS if (value := getattr(self, name)) is not None]

    def columns(self) -> list[tuple[str, Any]]:
        """The same, values as they are written."""
        return [(name, written(value)) for name, value in self.cells]

    def words(self) -> str:
        """The event of an actor in words, without the frame."""
        return f"{self.id}: {self.event}" + (f", {self.detail}" if self.detail else "")

    def _by(self) -> str:
        return f" by {self.by}" if self.by else ""

    def _place(self) -> str:
        return f"({number(self.x)}, {number(self.y)})"


NUMBERS = frozenset(
    name
    for name in COLUMNS
    if name == "frame"
    or (isinstance(column := vars(Event)[name], property) and "str" not in column.fget.__annotations__["return"])
)
"""Columns that hold numbers."""
