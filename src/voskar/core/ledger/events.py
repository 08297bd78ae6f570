"""The event types, one frozen struct each: its columns, and a line of words for one actor."""

from __future__ import annotations

from typing import ClassVar

from voskar.core.ledger.event import Event, number
from voskar.core.ledger.origin import Origin


class ContactEvent(Event, frozen=True, gc=False):
    """A hitbox on a hurtbox in the frames to `until`, all with one outcome; a hit has a frame of its own."""

    event: ClassVar[str] = "contact"

    until: int
    attacker: str
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
    case: str | None = None

    def words(self) -> str:
        text = f", damage {number(self.damage)}" if self.damage is not None else ""
        case = f", {self.case}" if self.case else ""
        return f"{self.attacker} on {self.target}: {self.hitbox} on {self.hurtbox}, {self.outcome}{case}{text}"


class HealthEvent(Event, frozen=True, gc=False):
    """Health that a hit took or gave; `cause` is the attack of damage that comes later than its hit."""

    event: ClassVar[str] = "health"
    changes = ("health",)

    id: str
    before: float
    after: float
    by: str
    cause: str | None = None

    def words(self) -> str:
        from_ = f", from {self.cause}" if self.cause else ""
        return f"{self.id}: health {number(self.before)} → {number(self.after)}{self._by()}{from_}"


class IframesEvent(Event, frozen=True, gc=False, kw_only=True):
    """Immunity to the frame `until`."""

    event: ClassVar[str] = "iframes"
    changes = ("iframes",)

    id: str
    until: int
    cause: str

    def words(self) -> str:
        return f"{self.id}: i-frames to {self.until}, from {self.cause}"


class KnockbackEvent(Event, frozen=True, gc=False, kw_only=True):
    """A push, done in the frame `until`."""

    event: ClassVar[str] = "knockback"
    changes = ("motion",)

    id: str
    dx: float
    dy: float
    until: int
    by: str

    def words(self) -> str:
        return f"{self.id}: pushed by ({number(self.dx)}, {number(self.dy)}) to {self.until}{self._by()}"


class LaunchEvent(Event, frozen=True, gc=False, kw_only=True):
    """Sent off at a velocity from the next frame on."""

    event: ClassVar[str] = "launch"
    changes = ("motion",)

    id: str
    vx: float
    vy: float
    by: str

    def words(self) -> str:
        return f"{self.id}: sent off at ({number(self.vx)}, {number(self.vy)}) a second{self._by()}"


class ReflectEvent(Event, frozen=True, gc=False, kw_only=True):
    """A shot goes another way, and belongs to `owner`, from the next frame on; as the actor `detail`, if the game has
    another one then."""

    event: ClassVar[str] = "reflect"
    changes = ("motion", "rehit")

    id: str
    owner: str
    vx: float
    vy: float
    by: str
    detail: str | None = None

    def words(self) -> str:
        way = f"({number(self.vx)}, {number(self.vy)})"
        goes_on = f", as {self.detail}" if self.detail else ""
        return f"{self.id}: reflected{self._by()}, {self.owner}'s from now on{goes_on}, at {way} a second"


class StunEvent(Event, frozen=True, gc=False, kw_only=True):
    """Stunned to the frame `until`."""

    event: ClassVar[str] = "stun"
    changes = ("stun",)

    id: str
    until: int
    by: str

    def words(self) -> str:
        return f"{self.id}: stunned to {self.until}{self._by()}"


class HitstopEvent(Event, frozen=True, gc=False, kw_only=True):
    """Frozen to the frame `until`."""

    event: ClassVar[str] = "hitstop"
    changes = ("stun", "motion")

    id: str
    until: int

    def words(self) -> str:
        return f"{self.id}: frozen to {self.until}"


class ClashEvent(Event, frozen=True, gc=False):
    """Two attacks meet: `winner` continues, no actor if they are equal."""

    event: ClassVar[str] = "clash"
    changes = ("rehit",)

    id: str
    other: str
    attack: str
    other_attack: str
    x: float
    y: float
    winner: str | None = None

    def words(self) -> str:
        ends = f"{self.winner} goes on" if self.winner else "both are cancelled"
        return f"{self.id} and {self.other} clash, {self.attack} and {self.other_attack}: {ends}"


class SpawnEvent(Event, frozen=True, gc=False):
    """An actor appears; `detail` "expected" where the recording shows such actors itself."""

    event: ClassVar[str] = "spawn"
    changes = ("presence", "motion")

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


class DeniedEvent(Event, frozen=True, gc=False, kw_only=True):
    """A trigger that fired nothing, and the gate that stopped it."""

    event: ClassVar[str] = "denied"

    id: str
    emitter: str
    detail: str

    def words(self) -> str:
        return f"{self.id}: {self.emitter} fires nothing, {self.detail}"


class RemovedEvent(Event, frozen=True, gc=False):
    """An actor is gone; `detail` says why."""

    event: ClassVar[str] = "removed"
    changes = ("presence",)

    id: str
    detail: str


class DownEvent(Event, frozen=True, gc=False, kw_only=True):
    """Health has run out."""

    event: ClassVar[str] = "down"
    changes = ("presence", "lives", "motion", "children")

    id: str
    by: str | None = None
    lives: float | None = None

    def words(self) -> str:
        left = f", {number(self.lives)} lives left" if self.lives is not None else ""
        return f"{self.id}: down{self._by()}{left}"


class LifeEvent(Event, frozen=True, gc=False, kw_only=True):
    """A life taken later than its owner went down, or lives gained by a hit."""

    event: ClassVar[str] = "life"
    changes = ("lives",)

    id: str
    before: float
    after: float
    by: str | None = None

    def words(self) -> str:
        return f"{self.id}: lives {number(self.before)} → {number(self.after)}{self._by()}"


class RespawnEvent(Event, frozen=True, gc=False, kw_only=True):
    """Back in play; `detail` is the former id of an actor that takes another's place."""

    event: ClassVar[str] = "respawn"
    changes = ("presence", "health", "iframes", "stun", "motion")

    id: str
    x: float
    y: float
    detail: str | None = None

    def words(self) -> str:
        return f"{self.id}: respawn at {self._place()}"


class RespawnHeldEvent(Event, frozen=True, gc=False, kw_only=True):
    """A return begins to wait; `detail` is the actor in the way."""

    event: ClassVar[str] = "respawn_held"

    id: str
    detail: str

    def words(self) -> str:
        return f"{self.id}: return held, {self.detail} is in the way"


class HomeEvent(Event, frozen=True, gc=False, kw_only=True):
    """Sent back to its start."""

    event: ClassVar[str] = "home"
    changes = ("motion",)

    id: str
    x: float
    y: float

    def words(self) -> str:
        return f"{self.id}: home at {self._place()}"


class CheckpointEvent(Event, frozen=True, gc=False, kw_only=True):
    """A new place to come back at."""

    event: ClassVar[str] = "checkpoint"
    changes = ("place",)

    id: str
    x: float
    y: float

    def words(self) -> str:
        return f"{self.id}: checkpoint at {self._place()}"


class CounterEvent(Event, frozen=True, gc=False):
    """A counter that has changed; `by` None: by itself."""

    event: ClassVar[str] = "counter"
    changes = ("counters",)

    id: str
    counter: str
    before: float
    after: float
    by: str | None = None

    def words(self) -> str:
        return f"{self.id}: {self.counter} {number(self.before)} → {number(self.after)}{self._by()}"


class ScoreEvent(Event, frozen=True, gc=False, kw_only=True):
    """Points for a side, else for an actor."""

    event: ClassVar[str] = "score"
    changes = ("score",)

    id: str
    points: float
    total: float


class OutEvent(Event, frozen=True, gc=False, kw_only=True):
    """Out of lives for good."""

    event: ClassVar[str] = "out"
    changes = ("presence", "lives")

    id: str


COUNTER = "counter "
"""The beginning of the detail of an adopted counter; its name follows."""


class AdoptedEvent(Event, frozen=True, gc=False, kw_only=True):
    """A state that resync adopted from the game; `detail` names it."""

    event: ClassVar[str] = "adopted"

    detail: str
    id: str | None = None
    attacker: str | None = None
    target: str | None = None
    attack: str | None = None
    before: float | None = None
    after: float | None = None

    def words(self) -> str:
        if self.attacker is not None or self.target is not None:
            said = f"the game has {'no' if self.detail == 'no hit' else 'a'} hit here"
            return f"{self.attacker or 'an actor'} on {self.target or 'an actor'}: {said}, and it counts from here on"
        value = f" {number(self.before)} → {number(self.after)}" if self.after is not None else ""
        return f"{self.id or 'the run'}: {self.detail}{value}, as the game has it"


class OverEvent(Event, frozen=True, gc=False):
    """The run is over."""

    event: ClassVar[str] = "over"
    changes = ("run",)


class WonEvent(Event, frozen=True, gc=False, kw_only=True):
    """The run is won; `detail` says how."""

    event: ClassVar[str] = "won"
    changes = ("run",)

    detail: str


EVENT_TYPES: dict[str, type[Event]] = {event_type.event: event_type for event_type in Event.__subclasses__()}
"""Every event type by its name in a ledger."""
