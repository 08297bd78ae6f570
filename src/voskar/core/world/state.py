"""The state of an actor, of an actor that is about to appear, and of the run."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, NamedTuple, Self

import msgspec
from msgspec import Struct

from voskar.core.copying import Copier
from voskar.core.kernel.storage import FOREVER
from voskar.core.recording.inputs import Vector
from voskar.core.rules import CounterRule, Kind, Reflect

NEVER = -FOREVER
"""A frame before all others."""

NOTHING: Mapping[str, Any] = MappingProxyType({})
"""A swarm has thousands of actors: an empty mapping is shared by all of them."""

Gun = tuple[int, str]
"""An emitter: the row of its owner, and its name."""


class Regenerating(Struct, frozen=True, gc=False):
    """The base of a counter's regen: the value when it had changed `done` times since a frame."""

    value: float
    since: int
    done: int


class Poison(NamedTuple):
    """Damage over time on an actor: the frame in which it falls next, how often it is still to fall, how much, in every
    how many frames, and the actor that did it."""

    id: str
    next: int
    left: int
    damage: float
    every: int
    by: str


class Reflection(NamedTuple):
    """The next frame of a reflected shot: its owner (id and row), its side, its way in units a second, and the row of
    the recorded actor as which it continues, if the game shows another one then."""

    id: str
    owner: str
    owner_row: int
    side: str | None
    rule: Reflect
    velocity: Vector
    heir: int | None


class Origins(NamedTuple):
    """Owner and side of a recorded shot when it appears again."""

    owner: str | None
    owner_row: int
    side: str | None


class ActorState(msgspec.Struct, gc=False, weakref=False, eq=False):
    """The state of one actor by the rules. Immune in frames `immune_since` … `immune_until`."""

    row: int
    id: str
    kind: Kind
    side: str | None
    owner: str | None
    driven: bool
    health: float | None
    lives: int | None
    immune_since: int = NEVER
    immune_until: int = NEVER
    immune_cause: str = ""
    stunned_since: int = NEVER
    stunned_until: int = NEVER
    down: int | None = None
    owes: int | None = None
    """The frame after which the life is taken that its death costs."""
    credit: str | None = None
    consumed: int | None = None
    """The frame in which it was consumed."""
    gone_until: int = NEVER
    """The first frame in which it is in play again after that."""
    counters: Mapping[str, float] = NOTHING
    """As they were reported last: see `World.counter`. Neither this nor `regens` is ever changed in place."""
    regens: Mapping[str, Regenerating] = NOTHING
    checkpoint: Vector | None = None
    fell_at: Vector | None = None
    """Where it went down."""
    out: bool = False
    returns: bool = False
    """Down, and to come back, itself or in a successor."""
    awaits: int = NEVER
    """The frame from which it may come back, seen or not."""
    held: bool = False
    """Due to come back, and waiting for its place to be safe."""
    succeeded: bool = False
    """Another one has taken over its lives."""
    is_heir: bool = False
    """It has taken over another one's."""
    gun: Gun | None = None
    """The emitter that fired it, if that has a limit."""
    armed: int = 0
    """Which setting of its triggers holds."""
    serial: int = 0
    """Which of all driven actors it is, as they appeared."""
    layers: Reflect | None = None
    """The rule that reflected it, with its layers from then on."""
    origins: Origins | None = None
    """Set once it was reflected."""

    @property
    def lives_left(self) -> int | None:
        """Its lives once the life that it owes is taken."""
        return self.lives if self.lives is None or self.owes is None else max(self.lives - 1, 0)

    def copied(self, copier: Copier) -> Self:
        """A state for another replay, which changes apart from this one."""
        made: Self = copier.shallow(self)
        return made

    def revive(self) -> None:
        """As at the start, but for what outlasts a death: lives, counters and the place to respawn."""
        self.health = self.kind.health
        self.immune_since = self.immune_until = self.stunned_since = self.stunned_until = self.gone_until = NEVER
        self.immune_cause = ""
        self.down = self.owes = self.credit = self.consumed = None
        self.out = self.returns = self.held = False


class Birth(msgspec.Struct, frozen=True, gc=False):
    """An actor that appears: its place, direction, velocity and owner.

    `emitter` None: a child or a hit effect. `velocity` None: its kind's own. `owner_row` -1: none.
    """

    id: str
    kind: str
    x: float
    y: float
    angle: float
    velocity: Vector | None
    owner_row: int = -1
    owner: str | None = None
    side: str | None = None
    emitter: str | None = None
    spawned: bool = True
    moves_at_once: bool = False
    z: float = 0.0


class VerbCall(NamedTuple):
    """A verb of the world, said to a recorded actor in a frame; `enter` to one that the recording shows itself."""

    frame: int
    id: str
    verb: str
    arguments: tuple[Any, ...]


class RunState(Struct):
    """The state of the run. `start` and `room_start` are the frames since which its clock runs, and in which all was as
    at the start; `ended` the frame in which it was over or won. If it `goes_on` after that, only the game ends it."""

    start: int
    room_start: int
    ended: int | None = None
    won: bool = False
    goes_on: bool = False
    score: dict[str, float] = {}
    earned: dict[tuple[str, str], int] = {}
    """How many lives the points of a side have given to a kind of it."""
    anyone_out: bool = False
    seen_kinds: set[str] = set()
    looks: dict[int, set[int]] = {}
    """Rows of actors with box conditions that time alone may change, by frame."""
    recheck: bool = False
    """Whether something has changed that may end the run."""
    due: dict[int, int] = {}
    """The next frame in which an actor that is down may come back, by row."""
    outs: dict[int, list[tuple[str, int]]] = {}
    """Ids and rows of actors that are out at the end of a frame."""
    lives: dict[int, list[tuple[str, int]]] = {}
    """Ids and rows of actors that lose a life at the end of a frame."""
    ghosts: dict[str, dict[str, float]] = {}
    """The counters of owners that are gone, by id."""
    ghost_kinds: dict[str, Kind] = {}
    """Their kinds, which have the limits of these."""
    fills: dict[int, list[tuple[int, str, str]]] = {}
    """Which counters regen will have filled in a frame: row, id and name of each."""
    away: set[tuple[int, str]] = set()
    """Counters that may go back to their start: rows and names."""
    frozen_until: int = NEVER
    """The last frame in which everyone is frozen, every actor that appears."""
    delayed: dict[int, int] = {}
    """By how many frames actors have been frozen in this frame, by row: their emitters still have to learn of it."""
    starts: dict[int, list[tuple[str, int]]] = {}
    """Ids and rows of actors that get i-frames in their first frame in play, by frame."""
    poisons: dict[tuple[int, str], list[Poison]] = {}
    """Damage over time by the row of its actor and the attack."""
    reached: list[tuple[int, CounterRule, bool]] = []
    """Counters that this hit has brought to a limit: the row of their actor, and whether it is the lower one."""
    reflections: dict[int, Reflection] = {}
    """Shots that are reflected in this frame, by row."""
    given_back: dict[int, list[int]] = {}
    """The rows of recorded shots that were reflected or consumed, by the frame in which they appear again."""
    ends: dict[int, list[int]] = {}
    """Rows of bodies that are removed at the end of a frame, if they are still there."""

    def cure(self, row: int) -> None:
        """No damage over time continues for an actor."""
        for key in [key for key in self.poisons if key[0] == row]:
            del self.poisons[key]

    def stays_in(self, state: ActorState) -> None:
        """Cancels that an actor is out at the end of a frame. The id counts: another actor may have its row."""
        for outs in self.outs.values():
            outs[:] = [out for out in outs if out != (state.id, state.row)]
