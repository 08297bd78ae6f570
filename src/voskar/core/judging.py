"""Judging: one frame's touches in, events out, one contact at a time in the order of blows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from voskar.core.consequences import damage_of, push, sent_off
from voskar.core.driver import Driver
from voskar.core.emitting import Birth
from voskar.core.gates import GATES, Contact, Memory, Standing, Unbroken, Verdict
from voskar.core.ledger import Event
from voskar.core.meeting import meeting_points
from voskar.core.placing import Wardrobe
from voskar.core.plan import Plan
from voskar.core.recording import Actor, Recording, sides
from voskar.core.rules import Attack, Rehit, Rules
from voskar.core.shifts import Shift
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
    a block are judged, `sight` has to be what they can be seen by. With `raw`, ways changed by knockback and
    home are kept in `shifts`, `recording` has the poses as blows have moved them and `logged` as they were, and
    `moved` tells who changed course since the caller last cleared it.
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
        self.shifts: dict[int, Shift] = {}
        self.moved: set[int] = set()
        self.ended: int | None = None
        """The frame in which the run was over or won: nothing is judged after it."""
        self.won = False
        """Whether a blow has reached the goal."""
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
        self._counted: dict[tuple[int, str, str], int] = {}  # outcomes that count towards a removal
        self._preempted: set[tuple[int, int]] = set()  # (striker, target) stopped in this frame
        self._settling: dict[int, int] = {}  # who has run out of something, with a pose of this frame
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
        self.shifts.pop(number, None)
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
                self._land(contact, touch)
            else:
                self._use_up(contact, touch, outcome, on_striker=False)
                self._use_up(contact, touch, outcome, on_striker=True)
        self.vitals.settle(frame, self._settling, plan)

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

    def _land(self, contact: Contact, touch: Touch) -> None:
        """What a landing does: health, then the target's table, then the striker's."""
        self._hurt(contact, touch)
        self._react(contact, touch, on_striker=False)
        self._react(contact, touch, on_striker=True)

    def _hurt(self, contact: Contact, touch: Touch) -> None:
        target, frame = contact.target, contact.frame
        number = touch[2]
        if target.health is None or target.full is None:
            return
        before = target.health
        target.health = min(max(before - damage_of(contact), 0.0), max(target.full, before))
        if target.health == before:
            return
        by = contact.striker.id
        if target.health < before:
            target.credit = by
        self.events.append(Event(frame=frame, event="health", id=target.id, before=before, after=target.health, by=by))
        if target.health == 0:
            self._settling[number] = self._pose(touch, on_striker=False)
            if self.rules.contact.health_check == "at_once":
                self.vitals.go_down(frame, number, self._settling[number])

    def _react(self, contact: Contact, touch: Touch, *, on_striker: bool) -> None:
        """One side's table of consequences, in the order in which they come about."""
        attack, frame = contact.attack, contact.frame
        table = attack.striker if on_striker else attack.target
        number, own, other = (
            (touch[0], contact.striker, contact.target) if on_striker else (touch[2], contact.target, contact.striker)
        )
        if on_striker:
            length = table.iframes or 0
        else:
            length = (own.iframes if table.iframes is None else table.iframes) if attack.gives_iframes else 0
        if length:
            since = frame if self.rules.contact.same_frame == "first" else frame + 1
            self.immunise(own, frame, since, frame + length, attack.name)
        until = frame + table.stun
        if table.stun and until > own.stunned_until:
            own.stunned_until = until
            self.events.append(Event(frame=frame, event="stun", id=own.id, until=until, by=other.id))
            self.unsettle(own)
        sight = self.sight
        assert sight is not None
        kind = self.rules.kinds[own.kind]
        if table.knockback is not None:
            dx, dy = push(sight, contact, table.knockback, kind.weight, on_striker=on_striker)
            until = frame + table.knockback.over
            self.events.append(Event(frame=frame, event="knockback", id=own.id, dx=dx, dy=dy, until=until, by=other.id))
            if self._is_moved(number) and own.down is None:
                steps = [(dx * share, dy * share) for share in table.knockback.steps()]
                self._shift(number).push(frame, steps, table.knockback.add)
                self.turn(number)
        if table.rebound is not None:
            bounce = self.rules.kinds[other.kind].bounce
            vx, vy = sent_off(sight, contact, table.rebound, bounce, on_striker=on_striker)
            self.events.append(Event(frame=frame, event="rebound", id=own.id, vx=vx, vy=vy, by=other.id))
            if self._is_driven(number) and own.down is None:
                self.driver.send(number, (vx, vy))
                self.turn(number)
        self._use_up(contact, touch, "landed", on_striker=on_striker)
        if table.home:
            self.send_home(frame, number)
        if table.checkpoint:
            own.checkpoint = x, y = sight.position(sight.pose_rows(contact.row)[0 if not on_striker else 1])
            self.events.append(Event(frame=frame, event="checkpoint", id=own.id, x=x, y=y))
        for name in sorted(table.gives):
            own.counters[name] = own.counters.get(name, 0.0) + table.gives[name]
            points, total = table.gives[name], own.counters[name]
            self.events.append(Event(frame=frame, event="gives", id=own.id, detail=name, points=points, total=total))
        self.won = self.won or table.goal
        if table.effect is not None:
            self._order_effect(contact, table.effect)

    def _use_up(self, contact: Contact, touch: Touch, outcome: str, *, on_striker: bool) -> None:
        """`remove`: by the (pierce + 1)th outcome that counts, each attack counting for itself."""
        table = contact.attack.striker if on_striker else contact.attack.target
        if not table.remove or outcome not in table.consumed_by:
            return
        number, own = (touch[0], contact.striker) if on_striker else (touch[2], contact.target)
        key = (number, contact.attack.name, "striker" if on_striker else "target")
        self._counted[key] = self._counted.get(key, 0) + 1
        if self._counted[key] > table.pierce and own.spent != contact.frame:
            own.spent = contact.frame
            own.gone_until = self.recording.returns(number, contact.frame)
            self._settling[number] = self._pose(touch, on_striker=on_striker)

    def _pose(self, touch: Touch, *, on_striker: bool) -> int:
        """The pose that one side of a touch has."""
        assert self.sight is not None
        return self.sight.pose_rows(touch[6])[0 if on_striker else 1]

    def send_home(self, frame: int, number: int, *, at_once: bool = False) -> None:
        """An actor is where it started in the next frame, or at once in this one, before anything touches."""
        driven = self._is_driven(number)
        x, y = self.driver.start(number) if driven else self.logged.start(number)
        self.events.append(Event(frame=frame, event="home", id=self.standings[number].id, x=x, y=y))
        if not self._is_moved(number):
            return
        last = frame - 1 if at_once else frame
        self._shift(number).stop(last)
        if not driven:
            self.put(number, last + 1, x, y)
        elif at_once:
            self.driver.go_home(number, frame)
        else:
            self.driver.home(number)
        self.turn(number)

    def put(self, number: int, frame: int, x: float, y: float) -> None:
        """The next pose of a recorded actor, in this frame or later, is a jump; in a raw recording to this place."""
        there = self.logged.pose_from(number, frame)
        if there is None:
            return
        row, _ = there
        self.recording.poses.cut[row] = True
        if self.raw:
            offset = x - float(self.logged.poses.x[row]), y - float(self.logged.poses.y[row])
            self._shift(number).put(frame - 1, offset)

    def _is_moved(self, number: int) -> bool:
        """Whether blows move an actor: in a raw recording, and what the rules set in motion."""
        return self.raw or self._is_driven(number)

    def turn(self, number: int) -> None:
        """An actor's course has changed."""
        if self._is_driven(number):
            self.replan = True
        elif self.raw:
            self.moved.add(number)
            self.unsettle(self.standings[number])

    def _shift(self, number: int) -> Shift:
        return self.shifts.setdefault(number, Shift())

    def _order_effect(self, contact: Contact, kind: str) -> None:
        """A spark at the contact point, in the next frame."""
        sight = self.sight
        assert sight is not None
        (x, y), *_ = meeting_points(sight.touches.take(np.array([contact.row])), sight.poses, self.wardrobe).tolist()
        self.driver.spark(contact.frame, kind, x, y)
        self.ordered = True

    def immunise(self, standing: Standing, frame: int, since: int, until: int, cause: str) -> None:
        """Gives i-frames from one frame through another. One that does not outlast the running one changes nothing."""
        if until <= standing.immune_until or until < since:
            return
        if standing.immune_until < frame:  # else the running one is lengthened without a hole
            standing.immune_since = since
        standing.immune_until, standing.immune_cause = until, cause
        self.events.append(Event(frame=frame, event="iframes", id=standing.id, until=until, cause=cause))

    def prune(self, frame: int) -> None:
        """Drops memories of driven actors that are gone, and of contacts that no longer go on, now and then: as often
        as they have doubled, so that a long session neither grows nor slows."""
        size = len(self._memory) + len(self._unbroken) + len(self._running) + len(self._counted)
        if size < self._prune_at:
            return
        here = self.standings
        self._memory = {key: one for key, one in self._memory.items() if key[0] in here and key[2] in here}
        self._unbroken = {key: one for key, one in self._unbroken.items() if one.last >= frame - 1}
        self._running = {key: one for key, one in self._running.items() if (one.until or 0) >= frame - 1}
        self._counted = {key: one for key, one in self._counted.items() if key[0] in here}
        left = len(self._memory) + len(self._unbroken) + len(self._running) + len(self._counted)
        self._prune_at = 2 * left + 1024

    def forget(self, number: int) -> None:
        """What comes back begins anew: rehit, touches and pierce counts."""
        for memory in (self._memory, self._unbroken):
            for key in [key for key in memory if number in (key[0], key[2])]:
                del memory[key]
        for counted in [key for key in self._counted if key[0] == number]:
            del self._counted[counted]
