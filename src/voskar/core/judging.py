"""Judging: one frame's touches in, events out, one contact at a time in the order of blows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from voskar.core.consequences import damage_of
from voskar.core.driver import Driver
from voskar.core.emitting import Birth
from voskar.core.gates import GATES, Contact, Memory, Standing, Unbroken, Verdict
from voskar.core.landing import Landing
from voskar.core.ledger import Event
from voskar.core.placing import Wardrobe
from voskar.core.plan import Plan
from voskar.core.recording import Actor, Recording, sides
from voskar.core.rules import Attack, Rehit, Rules
from voskar.core.sight import Sight
from voskar.core.vitals import Vitals

Key = tuple[int, str, int]  # striker, attack, target
Pair = tuple[str, int, str, int]  # striker, hitbox, target, hurtbox: by id, as fixtures are placed anew
Touch = tuple[int, int, int, int, float, int, int]
"""Striker, hitbox, target, hurtbox, t, the striker's swing, and the row of the touch table."""


ONCE, ALWAYS = Rehit("once"), Rehit("always")


@dataclass(frozen=True)
class Judged:
    """A contact with every gate's verdict, in order, and what came of it."""

    contact: Contact
    verdicts: tuple[tuple[str, Verdict], ...]
    outcome: str


@dataclass
class FrameTrace:
    """One frame as the judge saw it: everyone's standing and all memory before the first blow, and every contact."""

    standings: dict[str, Standing]
    memory: dict[Key, Memory]
    unbroken: dict[Key, Unbroken]
    judged: list[Judged]


class Judge:
    """Holds all state that blows change. Call `frame` for every frame with touches, in rising order.

    `watched` frames are traced in full in `traces`, gates behind the deciding one included. Before touches of
    a block are judged, `sight` has to be what they can be seen by. With `raw`, `recording` has the poses as blows have
    moved them and `logged` as they were.
    """

    def __init__(
        self,
        rules: Rules,
        wardrobe: Wardrobe,
        recording: Recording,
        logged: Recording,
        watched: Collection[int] = (),
    ) -> None:
        self.rules = rules
        self.wardrobe = wardrobe
        self.recording = recording
        self.logged = logged
        self.raw = recording.reactions == "raw"
        self.sight: Sight | None = None
        self.events: list[Event] = []
        self.opened: list[tuple[Event, int]] = []
        """Contact events begun since the caller last cleared it, with their row of the touch table."""
        self.watched = sorted(set(watched))
        self._is_watched = frozenset(watched)
        self.gone: dict[int, int] = {}
        """The last frame of driven actors that are gone; `played` has all there ever were. Kept for watched frames."""
        self.played: dict[int, Actor] = {}
        self.traces: dict[int, FrameTrace] = {}
        self.ended: int | None = None
        """The frame in which the run was over or won: nothing is judged after it."""
        kind_sides = {kind.name: kind.side for kind in rules.kinds.values()}
        fixtures = [Actor(fixture.id, fixture.kind) for fixture in rules.fixtures]
        everyone = sides([*recording.actors, *fixtures], kind_sides)
        self.standings = {
            number: self._standing(actor.id, actor.kind, side, actor.owner)
            for number, (actor, side) in enumerate(zip(recording.actors, everyone, strict=False))
        }
        self._timed: dict[tuple[str, str], bool] = {}
        self._memory: dict[Key, Memory] = {}
        self._unbroken: dict[Key, Unbroken] = {}
        self._running: dict[Pair, Event] = {}
        self._preempted: set[tuple[int, int]] = set()  # (striker, target) stopped in this frame
        self.settling: dict[int, int] = {}
        """Who has run out of something, with a pose of this frame."""
        self._plan: Plan | None = None
        self._prune_at = 1024
        self.replan = False
        """Whether something has happened that ends what the driver could tell ahead, and `ordered`, whether children
        or effects have been ordered for the next frame."""
        self.ordered = False
        self._attack_of = [
            rules.attacks[fitted.box.attack] if fitted.box.attack else Attack("") for fitted in wardrobe.fitted
        ]

        self.births: dict[int, Birth] = {}
        """How each driven actor that is there appeared, by number."""
        self.driven: dict[str, int] = {}
        """Numbers of driven actors that are there, by id."""
        self.landing = Landing(self)
        self.vitals = Vitals(self)
        self.driver = Driver(self)

    def _standing(self, name: str, kind: str, side: str | None, owner: str | None) -> Standing:
        of = self.rules.kinds[kind]
        return Standing(
            id=name,
            kind=kind,
            side=side,
            owner=owner,
            full=of.health,
            health=of.health,
            iframes=of.iframes,
            lives=None if of.lives is None else float(of.lives),
        )

    def enter(self, number: int, birth: Birth) -> None:
        """A driven actor appears."""
        side = self.rules.kinds[birth.kind].side or birth.side
        self.standings[number] = self._standing(birth.id, birth.kind, side, birth.owner_id)
        self.births[number] = birth
        self.vitals.entered(birth.kind)
        if self.watched:
            self.played[number] = Actor(birth.id, birth.kind, birth.owner_id, driven=True, spawned=birth.spawned)
        self.driven[birth.id] = number

    def leave(self, frame: int, number: int, why: str) -> None:
        """An actor is removed; a driven one is gone for good."""
        standing = self.standings[number]
        self.events.append(Event(frame, "removed", id=standing.id, detail=why))
        self.unsettle(standing)
        self.vitals.recheck = True
        self.replan = self.replan or self.driver.counted(number, self._plan)
        if self._is_driven(number):
            self.discard(frame, number)
        else:
            self.forget(number)

    def discard(self, frame: int, number: int) -> None:
        """A driven actor is no more after a frame."""
        self.driver.forget(number)
        if self.watched:
            self.gone[number] = frame
        self.landing.shifts.pop(number, None)
        self.vitals.tries.pop(number, None)
        del self.driven[self.standings[number].id]
        del self.standings[number], self.births[number]

    def number_of(self, name: str) -> int | None:
        """The number of an actor that is recorded or there, by its id."""
        return self.recording.numbers.get(name, self.driven.get(name))

    def _is_driven(self, number: int) -> bool:
        return self.driver.is_driven(number)

    def unsettle(self, standing: Standing) -> None:
        """An actor has changed: that ends what could be told ahead if emitters look at actors of its kind."""
        self.replan = self.replan or standing.kind in self.driver.matters

    def frame(self, frame: int, touches: Sequence[Touch], plan: Plan | None = None) -> None:
        """Judges one frame: what a plan says moves and appears, then the touches, in the order of blows."""
        self.replan = False
        self._plan = plan
        self.ordered = False
        if self.ended is None:
            if plan is not None:
                self.driver.move(frame, plan)
            self.vitals.succeed(frame)
            if plan is not None:
                self.driver.appear(frame, plan)
        standings = self.standings
        trace = self._begin_trace(frame) if frame in self._is_watched else None
        if self.ended is not None:
            return
        self._preempted.clear()
        for touch in touches:
            striker, hitbox, target, hurtbox, _, swing, _ = touch
            if striker not in standings or target not in standings:
                continue
            mine, theirs = standings[striker], standings[target]
            if not self.in_play(mine, frame) or not self.in_play(theirs, frame):
                continue
            contact = self.contact(frame, touch)
            outcome = "landed"
            for name, gate in GATES:
                if gate(contact).stops:
                    outcome = name
                    break
            if trace is not None:
                # standings change with the next blow: what this one found is kept as it is now
                kept = replace(contact, striker=replace(mine), target=replace(theirs))
                trace.judged.append(Judged(kept, tuple((name, gate(contact)) for name, gate in GATES), outcome))
            key = (striker, contact.attack.name, target)
            self._unbroken[key] = Unbroken(contact.unbroken.first, frame)
            self._tell((mine.id, hitbox, theirs.id, hurtbox), contact, outcome)
            if outcome == "landed":
                self._memory[key] = Memory(frame, swing)
                if contact.attack.preempts:
                    self._preempted.add((target, striker))
                self.landing.land(contact, touch)
            else:
                self.landing.use_up(contact, touch, outcome, on_striker=False)
                self.landing.use_up(contact, touch, outcome, on_striker=True)
        self.vitals.settle(frame, self.settling, plan)

    @staticmethod
    def in_play(standing: Standing, frame: int) -> bool:
        """Neither down nor used up in an earlier frame; those of this frame have gates of their own."""
        if standing.down is not None and standing.down < frame:
            return False
        return standing.spent is None or standing.spent == frame or frame >= standing.gone_until

    def _begin_trace(self, frame: int) -> FrameTrace:
        standings = {standing.id: replace(standing) for standing in self.standings.values()}
        trace = FrameTrace(standings, dict(self._memory), dict(self._unbroken), [])
        self.traces[frame] = trace
        return trace

    def contact(self, frame: int, touch: Touch, past: FrameTrace | None = None) -> Contact:
        """A touch with the state that decides about it: the judge's own, or that of a frame that was watched."""
        striker, hitbox, target, hurtbox, t, swing, row = touch
        if past is not None:
            mine, theirs = (past.standings[self.recording.actors[number].id] for number in (striker, target))
            memory, unbrokens = past.memory, past.unbroken
        else:
            mine, theirs = self.standings[striker], self.standings[target]
            memory, unbrokens = self._memory, self._unbroken
        attack = self._attack_of[hitbox]
        key = (striker, attack.name, target)
        unbroken = unbrokens.get(key)
        if unbroken is None or unbroken.last < frame - 1:
            unbroken = Unbroken(frame, frame)
        return Contact(
            frame,
            mine,
            self.wardrobe.fitted[hitbox].box,
            theirs,
            self.wardrobe.fitted[hurtbox].box,
            attack,
            self._rehit(mine, attack),
            t,
            swing,
            row,
            memory.get(key),
            past is None and (striker, target) in self._preempted,
            self.sight,
            unbroken,
        )

    def _rehit(self, striker: Standing, attack: Attack) -> Rehit:
        """The attack's own rule, else once for timed attacks and for actors that have an owner (shots), else always."""
        if attack.rehit is not None:
            return attack.rehit
        key = (striker.kind, attack.name)
        if key not in self._timed:
            self._timed[key] = self.rules.kinds[striker.kind].timed(attack.name)
        return ONCE if striker.owner is not None or self._timed[key] else ALWAYS

    def _tell(self, pair: Pair, contact: Contact, outcome: str) -> None:
        """Writes a contact event, or lengthens the one that is running."""
        running = self._running.get(pair)
        frame = contact.frame
        if (
            running is not None
            and running.outcome == outcome != "landed"
            and running.until == frame - 1
            and running.attack == contact.attack.name
        ):
            running.until = frame
            return
        event = Event(
            frame=frame,
            event="contact",
            until=frame,
            striker=contact.striker.id,
            hitbox=contact.hitbox.name,
            target=contact.target.id,
            hurtbox=contact.hurtbox.name,
            attack=contact.attack.name,
            outcome=outcome,
            damage=damage_of(contact) if outcome == "landed" else None,
            t=contact.t,
        )
        self._running[pair] = event
        self.events.append(event)
        self.opened.append((event, contact.row))

    def prune(self, frame: int) -> None:
        """Drops memories of driven actors that are gone, and of contacts that no longer go on, now and then: as often
        as they have doubled, so that a long session neither grows nor slows."""
        size = len(self._memory) + len(self._unbroken) + len(self._running) + len(self.landing.counted)
        if size < self._prune_at:
            return
        here = self.standings
        self._memory = {key: one for key, one in self._memory.items() if key[0] in here and key[2] in here}
        self._unbroken = {key: one for key, one in self._unbroken.items() if one.last >= frame - 1}
        self._running = {key: one for key, one in self._running.items() if (one.until or 0) >= frame - 1}
        self.landing.prune(here)
        left = len(self._memory) + len(self._unbroken) + len(self._running) + len(self.landing.counted)
        self._prune_at = 2 * left + 1024

    def forget(self, number: int) -> None:
        """What comes back begins anew: rehit, touches and pierce counts."""
        for memory in (self._memory, self._unbroken):
            for key in [key for key in memory if number in (key[0], key[2])]:
                del memory[key]
        self.landing.forget(number)
