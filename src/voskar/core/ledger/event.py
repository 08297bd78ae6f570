"""What all events of a ledger have in common.

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
    """The state that it changes, of whom it befell."""

    frame: int

    @property
    def until(self) -> int | None:
        """The last frame it holds in."""
        return None

    @property
    def id(self) -> str | None:
        """Whom it befell."""
        return None

    @property
    def attacker(self) -> str | None:
        """Of a contact: who struck."""
        return None

    @property
    def hitbox(self) -> str | None:
        """Of a contact: with which box."""
        return None

    @property
    def target(self) -> str | None:
        """Of a contact: who was struck."""
        return None

    @property
    def hurtbox(self) -> str | None:
        """Of a contact: on which box."""
        return None

    @property
    def attack(self) -> str | None:
        """Of a contact: by which attack."""
        return None

    @property
    def outcome(self) -> str | None:
        """Of a contact: what became of it."""
        return None

    @property
    def case(self) -> str | None:
        """Of a contact: the case that it came to."""
        return None

    @property
    def counter(self) -> str | None:
        """Of a counter: its name."""
        return None

    @property
    def detail(self) -> str | None:
        """One more word."""
        return None

    @property
    def damage(self) -> float | None:
        """Of a hit: the whole damage."""
        return None

    @property
    def t(self) -> float | None:
        """Of a contact: its time in the frame."""
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
        """Who brought it about."""
        return None

    @property
    def lives(self) -> float | None:
        """Of a death: the lives left."""
        return None

    @property
    def cause(self) -> str | None:
        """Of i-frames: the attack that gave them, or `respawn`; of health: the attack, where the hit was earlier."""
        return None

    @property
    def dx(self) -> float | None:
        """Of a push: its whole way."""
        return None

    @property
    def dy(self) -> float | None:
        """Of a push: its whole way."""
        return None

    @property
    def vx(self) -> float | None:
        """Of a launch or a reflection: the velocity."""
        return None

    @property
    def vy(self) -> float | None:
        """Of a launch or a reflection: the velocity."""
        return None

    @property
    def kind(self) -> str | None:
        """Of a spawn: the kind."""
        return None

    @property
    def owner(self) -> str | None:
        """Of a spawn or a reflection: whose it is."""
        return None

    @property
    def emitter(self) -> str | None:
        """What fired, or did not."""
        return None

    @property
    def angle(self) -> float | None:
        """Of a spawn: which way it points."""
        return None

    @property
    def other(self) -> str | None:
        """Of a clash: with whom."""
        return None

    @property
    def other_attack(self) -> str | None:
        """Of a clash: the other one's attack."""
        return None

    @property
    def winner(self) -> str | None:
        """Of a clash: whose attack goes on."""
        return None

    @property
    def points(self) -> float | None:
        """Of a score: how much."""
        return None

    @property
    def total(self) -> float | None:
        """Of a score: what it has come to."""
        return None

    @property
    def cells(self) -> list[tuple[str, Any]]:
        """(column, value) of the columns that apply, in the order of a ledger, values as they are."""
        return [(name, value) for name in COLUMNS if (value := getattr(self, name)) is not None]

    def columns(self) -> list[tuple[str, Any]]:
        """The same, values as they are written."""
        return [(name, written(value)) for name, value in self.cells]

    def words(self) -> str:
        """What befell an actor, without the frame."""
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
