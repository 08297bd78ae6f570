"""The gates a contact passes on its way to landing, each a small function that answers with its numbers.

Judging looks only at whether a gate stops the contact; explaining prints the rest. Both use these
functions, so they can never tell two stories.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

from voskar.core.rules import Attack, Box, Rehit
from voskar.core.sight import Bearing, Sight

NEVER = -(1 << 60)
"""A frame before all others."""


@dataclass(slots=True)
class Standing:
    """What judging knows of one actor. Immune in frames `immune_since` … `immune_until`."""

    id: str
    kind: str
    side: str | None
    owner: str | None
    full: float | None
    health: float | None
    iframes: int
    immune_since: int = NEVER
    immune_until: int = NEVER
    immune_cause: str = ""
    stunned_until: int = NEVER
    down: int | None = None
    credit: str | None = None
    spent: int | None = None
    """The frame in which it was used up."""
    gone_until: int = NEVER
    """The first frame in which it is in play again after that."""
    counters: dict[str, float] = field(default_factory=dict)
    lives: float | None = None
    checkpoint: tuple[float, float] | None = None
    fell_at: tuple[float, float] | None = None
    """Where it went down."""
    out: bool = False
    returns: bool = False
    """Down, and to come back, itself or in a successor."""
    held: bool = False
    """Due to come back, and waiting for its place to be safe."""
    succeeded: bool = False
    """Another one has taken over its lives."""

    def revive(self) -> None:
        """As at the start, but for what outlasts a death: lives, counters and the place to respawn."""
        self.health = self.full
        self.immune_since = self.immune_until = self.stunned_until = self.gone_until = NEVER
        self.immune_cause = ""
        self.down = self.credit = self.spent = None
        self.out = self.returns = self.held = False


class Memory(NamedTuple):
    """The last landing of one attack of one striker on one target, and the swing it was made with."""

    frame: int
    swing: int


class Unbroken(NamedTuple):
    """An unbroken run of frames with a contact between a striker and a target by one attack."""

    first: int
    last: int


@dataclass(slots=True)
class Contact:
    """A touching pair of boxes in one frame, with the state that decides about it.

    `swing` is the striker's swing of this attack; an attack that is not timed has one for as long as its
    actor is in play. `row` is the row of the touch table it came from.
    """

    frame: int
    striker: Standing
    hitbox: Box
    target: Standing
    hurtbox: Box
    attack: Attack
    rehit: Rehit
    t: float
    swing: int
    row: int
    landed_before: Memory | None = None
    preempted: bool = False
    """An attack that preempts, by this target on this striker, landed earlier in this frame."""
    sight: Sight | None = None
    unbroken: Unbroken = field(default=Unbroken(NEVER, NEVER))


class Ally(NamedTuple):
    """Stops a blow within one side, unless the attack is friendly."""

    stops: bool
    striker_side: str | None
    target_side: str | None
    friendly: bool


class Down(NamedTuple):
    """Stops a blow by or on who went down earlier in this frame; only with `health_check = "at_once"`."""

    stops: bool
    who: str


class Spent(NamedTuple):
    """Stops a blow by or on who was used up earlier in this frame."""

    stops: bool
    who: str


class Unmet(NamedTuple):
    """Stops a blow whose conditions do not hold. `bearing` and `fall` None: the attack does not ask."""

    stops: bool
    bearing: Bearing | None
    wrong_place: bool
    fall: float | None
    not_falling: bool
    attack: Attack


class Preempted(NamedTuple):
    """Stops a blow by who was preempted by its target earlier in this frame."""

    stops: bool


class Repeat(NamedTuple):
    """Stops what the rehit rule forbids. `free` is the first frame it will allow again, where that is a frame."""

    stops: bool
    rehit: Rehit
    last_landing: int | None
    this_frame: bool
    touching_since: int | None
    free: int | None


class Immune(NamedTuple):
    """Stops a blow on a target with i-frames. `left` counts this frame: 1 is the last immune frame."""

    stops: bool
    since: int
    until: int
    left: int
    cause: str
    ignored: bool


Verdict = Ally | Down | Spent | Unmet | Preempted | Repeat | Immune


_NOT_DOWN, _NOT_SPENT = Down(False, ""), Spent(False, "")


def ally(contact: Contact) -> Ally:
    """Both on one side. Actors without a side are nobody's ally."""
    mine, theirs, friendly = contact.striker.side, contact.target.side, contact.attack.friendly
    return Ally(mine is not None and mine == theirs and not friendly, mine, theirs, friendly)


def down(contact: Contact) -> Down:
    """Either went down earlier in this frame. In later frames they touch nothing at all."""
    striker, target, frame = contact.striker, contact.target, contact.frame
    if striker.down != frame and target.down != frame:
        return _NOT_DOWN
    return Down(True, " and ".join(one.id for one in (striker, target) if one.down == frame))


def spent(contact: Contact) -> Spent:
    """Either was used up earlier in this frame."""
    striker, target, frame = contact.striker, contact.target, contact.frame
    if striker.spent != frame and target.spent != frame:
        return _NOT_SPENT
    return Spent(True, " and ".join(one.id for one in (striker, target) if one.spent == frame))


def unmet(contact: Contact) -> Unmet:
    """`only_from`, `never_from` and `falling`."""
    attack, bearing, fall = contact.attack, None, None
    wrong_place = not_falling = False
    if contact.sight is not None and attack.looks_where:
        bearing = contact.sight.bearing(contact.row, attack)
        outside = bool(attack.only_from) and bearing.place not in attack.only_from
        wrong_place = outside or bearing.place in attack.never_from
    if contact.sight is not None and attack.falling:
        falls, fall = contact.sight.falling(contact.row)
        not_falling = not falls
    return Unmet(wrong_place or not_falling, bearing, wrong_place, fall, not_falling, attack)


def preempted(contact: Contact) -> Preempted:
    """The target struck first, with an attack that preempts."""
    return Preempted(contact.preempted)


def repeat(contact: Contact) -> Repeat:
    """The rehit rule, and at most one landing a frame of this attack of this striker on this target."""
    rehit, memory, frame = contact.rehit, contact.landed_before, contact.frame
    last = memory.frame if memory else None
    free: int | None = None
    since: int | None = None
    if last == frame:
        return Repeat(True, rehit, last, True, None, frame + 1)
    stops = False
    match rehit.mode:
        case "once":
            stops = memory is not None and memory.swing == contact.swing
        case "entry":
            since = contact.unbroken.first
            stops = since < frame
        case "after":
            if last is not None:
                free = last + rehit.frames
                stops = frame < free
        case "always":
            pass
    return Repeat(stops, rehit, last, False, since, free)


def immune(contact: Contact) -> Immune:
    """I-frames of the target. The first immune frame is the one after the landing, or under `same_frame =
    "first"` the rest of that frame too; the last one is landing + N."""
    target, ignored = contact.target, contact.attack.ignores_iframes
    left = target.immune_until - contact.frame + 1
    covered = left > 0 and target.immune_since <= contact.frame
    return Immune(
        covered and not ignored,
        target.immune_since,
        target.immune_until,
        left if covered else 0,
        target.immune_cause,
        ignored,
    )


GATES: tuple[tuple[str, Callable[[Contact], Verdict]], ...] = (
    ("ally", ally),
    ("down", down),
    ("spent", spent),
    ("unmet", unmet),
    ("preempted", preempted),
    ("repeat", repeat),
    ("immune", immune),
)
"""Outcome and gate, in the order of judging: the first that stops names the outcome, else the contact landed."""
