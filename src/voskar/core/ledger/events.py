"""The events of a ledger, one frozen struct each: what it holds, and how it is told of one actor in words.

An event's columns are its fields; a column that does not apply to it reads as None, so that whoever looks for an actor
or a frame need not know every sort.
"""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec

COLUMNS = (
    "frame", "event", "until", "id", "striker", "hitbox", "target", "hurtbox", "attack", "outcome", "detail", "damage",
    "t", "x", "y", "before", "after", "by", "lives", "cause", "dx", "dy", "vx", "vy", "kind", "owner", "emitter",
    "angle", "points", "total",
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
    def striker(self) -> str | None:
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
    def detail(self) -> str | None:
        """One more word."""
        return None

    @property
    def damage(self) -> float | None:
        """Of a landing: the whole damage."""
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
        """Of i-frames: the attack that gave them, or `respawn`."""
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
        """Of a rebound: the velocity."""
        return None

    @property
    def vy(self) -> float | None:
        """Of a rebound: the velocity."""
        return None

    @property
    def kind(self) -> str | None:
        """Of a spawn: the kind."""
        return None

    @property
    def owner(self) -> str | None:
        """Of a spawn: whose it is."""
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
    def points(self) -> float | None:
        """Of a score or a counter: how much."""
        return None

    @property
    def total(self) -> float | None:
        """Of a score or a counter: what it has come to."""
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


class Contact(Event, frozen=True, gc=False):
    """A hitbox on a hurtbox in the frames to `until`, all with one outcome; a landing has a frame of its own."""

    event: ClassVar[str] = "contact"

    until: int
    striker: str
    hitbox: str
    target: str
    hurtbox: str
    attack: str
    outcome: str
    t: float
    x: float
    y: float
    damage: float | None = None
    detail: str | None = None

    def words(self) -> str:
        told = f", damage {number(self.damage)}" if self.damage is not None else ""
        return f"{self.striker} on {self.target}: {self.hitbox} on {self.hurtbox}, {self.outcome}{told}"


class Health(Event, frozen=True, gc=False):
    """Health that a blow took or gave."""

    event: ClassVar[str] = "health"

    id: str
    before: float
    after: float
    by: str

    def words(self) -> str:
        return f"{self.id}: health {number(self.before)} → {number(self.after)}{self._by()}"


class Iframes(Event, frozen=True, gc=False, kw_only=True):
    """Immunity to the frame `until`."""

    event: ClassVar[str] = "iframes"

    id: str
    until: int
    cause: str

    def words(self) -> str:
        return f"{self.id}: i-frames to {self.until}, from {self.cause}"


class Knockback(Event, frozen=True, gc=False, kw_only=True):
    """A push, done in the frame `until`."""

    event: ClassVar[str] = "knockback"

    id: str
    dx: float
    dy: float
    until: int
    by: str

    def words(self) -> str:
        return f"{self.id}: pushed by ({number(self.dx)}, {number(self.dy)}) to {self.until}{self._by()}"


class Rebound(Event, frozen=True, gc=False, kw_only=True):
    """Sent off at a velocity from the next frame on."""

    event: ClassVar[str] = "rebound"

    id: str
    vx: float
    vy: float
    by: str

    def words(self) -> str:
        return f"{self.id}: sent off at ({number(self.vx)}, {number(self.vy)}) a second{self._by()}"


class Stun(Event, frozen=True, gc=False, kw_only=True):
    """Stunned to the frame `until`."""

    event: ClassVar[str] = "stun"

    id: str
    until: int
    by: str

    def words(self) -> str:
        return f"{self.id}: stunned to {self.until}{self._by()}"


class Origin(msgspec.Struct, frozen=True, gc=False):
    """Where a spawned actor comes from: the `number`th of an owner's emitter, or of a kind that a parent left behind.

    `parent` is an id; of effects the word `effect`. As text it is the actor's id.
    """

    parent: str
    emitter: str | None
    kind: str
    number: int

    @property
    def series(self) -> str:
        """All of one emitter, parent or effect: `keeper/smoker-*`."""
        return f"{self.beginning}-*"

    @property
    def beginning(self) -> str:
        """What their ids begin with."""
        return f"{self.parent}/{self.emitter}" if self.emitter is not None else f"{self.parent}+{self.kind}"

    def __str__(self) -> str:
        return f"{self.beginning}-{self.number}"

    @classmethod
    def parse(cls, name: str) -> Origin | None:
        """What an id tells of its origin; None if it is not that of a spawned actor."""
        beginning, dash, count = name.rpartition("-")
        if not dash or not count.isascii() or not count.isdecimal():
            return None
        at = max(beginning.rfind("/"), beginning.rfind("+"))
        if at <= 0:
            return None
        what = beginning[at + 1 :]
        if beginning[at] == "/":
            return cls(beginning[:at], what, "", int(count))
        return cls(beginning[:at], None, what, int(count))


class Spawn(Event, frozen=True, gc=False):
    """An actor appears; `detail` "expected" where the recording shows such actors itself."""

    event: ClassVar[str] = "spawn"

    id: str
    kind: str
    x: float
    y: float
    angle: float
    owner: str | None = None
    emitter: str | None = None
    detail: str | None = None

    @property
    def origin(self) -> Origin:
        """Where it comes from. Raises ValueError for an id that no spawned actor can have."""
        found = Origin.parse(self.id)
        if found is None:
            raise ValueError(self.id)
        return found

    def words(self) -> str:
        source = f" by {self.owner or ''}{'/' + self.emitter if self.emitter else ''}" if self.owner else ""
        return f"{self.id}: spawned at {self._place()}{source}"


class Denied(Event, frozen=True, gc=False, kw_only=True):
    """A trigger that fired nothing, and the gate that stopped it."""

    event: ClassVar[str] = "denied"

    id: str
    emitter: str
    detail: str

    def words(self) -> str:
        return f"{self.id}: {self.emitter} fires nothing, {self.detail}"


class Removed(Event, frozen=True, gc=False):
    """An actor is gone; `detail` says why."""

    event: ClassVar[str] = "removed"

    id: str
    detail: str


class Down(Event, frozen=True, gc=False, kw_only=True):
    """Health has run out."""

    event: ClassVar[str] = "down"

    id: str
    by: str | None = None
    lives: float | None = None

    def words(self) -> str:
        left = f", {number(self.lives)} lives left" if self.lives is not None else ""
        return f"{self.id}: down{self._by()}{left}"


class Respawn(Event, frozen=True, gc=False, kw_only=True):
    """Back in play; `detail` is the former id of one that takes another's place."""

    event: ClassVar[str] = "respawn"

    id: str
    x: float
    y: float
    detail: str | None = None

    def words(self) -> str:
        return f"{self.id}: respawn at {self._place()}"


class RespawnHeld(Event, frozen=True, gc=False, kw_only=True):
    """A return begins to wait; `detail` is who stands in the way."""

    event: ClassVar[str] = "respawn_held"

    id: str
    detail: str

    def words(self) -> str:
        return f"{self.id}: return held, {self.detail} is in the way"


class Home(Event, frozen=True, gc=False, kw_only=True):
    """Sent back to its start."""

    event: ClassVar[str] = "home"

    id: str
    x: float
    y: float

    def words(self) -> str:
        return f"{self.id}: home at {self._place()}"


class Checkpoint(Event, frozen=True, gc=False, kw_only=True):
    """A new place to come back at."""

    event: ClassVar[str] = "checkpoint"

    id: str
    x: float
    y: float

    def words(self) -> str:
        return f"{self.id}: checkpoint at {self._place()}"


class Gives(Event, frozen=True, gc=False, kw_only=True):
    """A counter that has changed, named in `detail`."""

    event: ClassVar[str] = "gives"

    id: str
    detail: str
    points: float
    total: float


class Score(Event, frozen=True, gc=False, kw_only=True):
    """Points for a side, else for an actor."""

    event: ClassVar[str] = "score"

    id: str
    points: float
    total: float


class Out(Event, frozen=True, gc=False, kw_only=True):
    """Out of lives for good."""

    event: ClassVar[str] = "out"

    id: str


class Over(Event, frozen=True, gc=False):
    """The run is over."""

    event: ClassVar[str] = "over"


class Won(Event, frozen=True, gc=False, kw_only=True):
    """The run is won; `detail` says how."""

    event: ClassVar[str] = "won"

    detail: str


NUMBERS = frozenset(
    name
    for name in COLUMNS
    if name == "frame"
    or (isinstance(column := vars(Event)[name], property) and "str" not in column.fget.__annotations__["return"])
)
"""Columns that hold numbers."""

SORTS: dict[str, type[Event]] = {
    sort.event: sort
    for sort in (
        Contact, Health, Iframes, Knockback, Rebound, Stun, Spawn, Denied, Removed, Down, Respawn, RespawnHeld, Home,
        Checkpoint, Gives, Score, Out, Over, Won,
    )
}  # fmt: skip
"""Every sort of event by its name in a ledger."""
