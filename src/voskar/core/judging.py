"""Judging: one frame's touches in, events out, one contact at a time in the order of blows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from voskar.core.consequences import damage_of, push, sent_off
from voskar.core.gates import GATES, Contact, Memory, Standing, Unbroken, Verdict
from voskar.core.ledger import Event
from voskar.core.meeting import meeting_points
from voskar.core.placing import Wardrobe
from voskar.core.recording import Ints, Recording, sides
from voskar.core.rules import Attack, Rehit, Rules
from voskar.core.shifts import Shift
from voskar.core.sight import Sight
from voskar.core.touching import Touches

Key = tuple[int, str, int]  # striker, attack, target
Pair = tuple[int, int, int, int]  # striker, hitbox, target, hurtbox
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
        self.ranks = id_ranks([actor.id for actor in recording.actors])
        self.sight: Sight | None = None
        self.events: list[Event] = []
        self.opened: list[tuple[Event, int]] = []
        """Contact events begun since the caller last cleared it, with their row of the touch table."""
        self.watched = frozenset(watched)
        self.traces: dict[int, FrameTrace] = {}
        self.shifts: dict[int, Shift] = {}
        self.cuts: list[tuple[int, int]] = []
        """Poses (actor, frame) that a way home has made a jump."""
        self.moved: set[int] = set()
        self.ended: int | None = None
        """The frame in which the run was won: nothing is judged after it."""
        kind_sides = {kind.name: kind.side for kind in rules.kinds.values()}
        self.standings = [
            Standing(
                id=actor.id,
                kind=actor.kind,
                side=side,
                owned=actor.owner is not None,
                full=rules.kinds[actor.kind].health,
                health=rules.kinds[actor.kind].health,
                iframes=rules.kinds[actor.kind].iframes,
            )
            for actor, side in zip(recording.actors, sides(recording.actors, kind_sides), strict=True)
        ]
        self._timed: dict[tuple[str, str], bool] = {}
        self._memory: dict[Key, Memory] = {}
        self._unbroken: dict[Key, Unbroken] = {}
        self._running: dict[Pair, Event] = {}
        self._counted: dict[tuple[int, str, str], int] = {}  # outcomes that count towards a removal
        self._effects: list[Event] = []  # spawns of the next frame
        self._effect_numbers: dict[str, int] = {}
        self._preempted: set[tuple[int, int]] = set()  # (striker, target) stopped in this frame
        self._settling: set[int] = set()
        self._attack_of = [
            rules.attacks[fitted.box.attack] if fitted.box.attack else Attack("") for fitted in wardrobe.fitted
        ]

    def frame(self, frame: int, touches: Sequence[Touch]) -> None:
        """Judges the touches of one frame, in the order of blows."""
        self.appear(frame)
        standings = self.standings
        trace = self._begin_trace(frame) if frame in self.watched else None
        if self.ended is not None:
            return
        self._preempted.clear()
        for touch in touches:
            striker, hitbox, target, hurtbox, _, swing, _ = touch
            mine, theirs = standings[striker], standings[target]
            if not self._in_play(mine, frame) or not self._in_play(theirs, frame):
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
            self._tell((striker, hitbox, target, hurtbox), contact, outcome)
            if outcome == "landed":
                self._memory[key] = Memory(frame, swing)
                if contact.attack.preempts:
                    self._preempted.add((target, striker))
                self._land(contact, touch)
            else:
                self._use_up(contact, touch, outcome, on_striker=False)
                self._use_up(contact, touch, outcome, on_striker=True)
        self._settle(frame)

    @staticmethod
    def _in_play(standing: Standing, frame: int) -> bool:
        """Neither down nor used up in an earlier frame; those of this frame have gates of their own."""
        if standing.down is not None and standing.down < frame:
            return False
        return standing.spent is None or standing.spent == frame or frame >= standing.gone_until

    def appear(self, frame: int) -> None:
        """Tells the effects that appear up to a frame: each in the frame after its blow."""
        last = frame if self.ended is None else self.ended
        due = [event for event in self._effects if event.frame <= last]
        if due:
            self.events += due
            self._effects = [event for event in self._effects if event.frame > last]

    def _begin_trace(self, frame: int) -> FrameTrace:
        standings = {standing.id: replace(standing) for standing in self.standings}
        trace = FrameTrace(standings, dict(self._memory), dict(self._unbroken), [])
        self.traces[frame] = trace
        return trace

    def contact(self, frame: int, touch: Touch, past: FrameTrace | None = None) -> Contact:
        """A touch with the state that decides about it: the judge's own, or that of a frame that was watched."""
        striker, hitbox, target, hurtbox, t, swing, row = touch
        mine, theirs = self.standings[striker], self.standings[target]
        memory, unbrokens = self._memory, self._unbroken
        if past is not None:
            mine, theirs = past.standings[mine.id], past.standings[theirs.id]
            memory, unbrokens = past.memory, past.unbroken
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
        return ONCE if striker.owned or self._timed[key] else ALWAYS

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
        self._hurt(contact, touch[2])
        self._react(contact, touch, on_striker=False)
        self._react(contact, touch, on_striker=True)

    def _hurt(self, contact: Contact, number: int) -> None:
        target, frame = contact.target, contact.frame
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
            self._settling.add(number)
            if self.rules.contact.health_check == "at_once":
                self._go_down(frame, number)

    def _react(self, contact: Contact, touch: Touch, *, on_striker: bool) -> None:
        """One side's table of consequences, in the order in which they come about."""
        attack, frame = contact.attack, contact.frame
        table = attack.striker if on_striker else attack.target
        number, own, other = (
            (touch[0], contact.striker, contact.target) if on_striker else (touch[2], contact.target, contact.striker)
        )
        if on_striker:
            self._immunise(own, frame, table.iframes or 0, attack.name)
        elif attack.gives_iframes:
            self._immunise(own, frame, own.iframes if table.iframes is None else table.iframes, attack.name)
        until = frame + table.stun
        if table.stun and until > own.stunned_until:
            own.stunned_until = until
            self.events.append(Event(frame=frame, event="stun", id=own.id, until=until, by=other.id))
        sight = self.sight
        assert sight is not None
        kind = self.rules.kinds[own.kind]
        if table.knockback is not None:
            dx, dy = push(sight, contact, table.knockback, kind.weight, on_striker=on_striker)
            until = frame + table.knockback.over
            self.events.append(Event(frame=frame, event="knockback", id=own.id, dx=dx, dy=dy, until=until, by=other.id))
            if self.raw and own.down is None:
                steps = [(dx * share, dy * share) for share in table.knockback.steps()]
                self._shift(number).push(frame, steps, table.knockback.add)
                self.moved.add(number)
        if table.rebound is not None:
            bounce = self.rules.kinds[other.kind].bounce
            vx, vy = sent_off(sight, contact, table.rebound, bounce, on_striker=on_striker)
            self.events.append(Event(frame=frame, event="rebound", id=own.id, vx=vx, vy=vy, by=other.id))
        self._use_up(contact, touch, "landed", on_striker=on_striker)
        if table.home:
            self._send_home(frame, number)
        if table.checkpoint:
            x, y = sight.position(sight.pose_rows(contact.row)[0 if not on_striker else 1])
            self.events.append(Event(frame=frame, event="checkpoint", id=own.id, x=x, y=y))
        for name in sorted(table.gives):
            own.counters[name] = own.counters.get(name, 0.0) + table.gives[name]
            points, total = table.gives[name], own.counters[name]
            self.events.append(Event(frame=frame, event="gives", id=own.id, detail=name, points=points, total=total))
        if table.goal:
            self._settling.add(-1)
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
            self._settling.add(number)

    def _send_home(self, frame: int, number: int) -> None:
        x, y = self.logged.start(number)
        self.events.append(Event(frame=frame, event="home", id=self.standings[number].id, x=x, y=y))
        if not self.raw:
            return
        shift = self._shift(number)
        shift.stop(frame)
        there = self.logged.pose_from(number, frame + 1)
        if there is not None:
            row, at = there
            shift.put(frame, (x - float(self.logged.poses.x[row]), y - float(self.logged.poses.y[row])))
            self.cuts.append((number, at))
        self.moved.add(number)

    def _shift(self, number: int) -> Shift:
        return self.shifts.setdefault(number, Shift())

    def _order_effect(self, contact: Contact, kind: str) -> None:
        """A spark at the contact point, in the next frame."""
        sight = self.sight
        assert sight is not None
        count = self._effect_numbers.get(kind, 0) + 1
        self._effect_numbers[kind] = count
        (x, y), *_ = meeting_points(sight.touches.take(np.array([contact.row])), sight.poses, self.wardrobe).tolist()
        name = f"effect+{kind}-{count}"
        self._effects.append(Event(frame=contact.frame + 1, event="spawn", id=name, kind=kind, x=x, y=y, angle=0.0))

    def _immunise(self, standing: Standing, frame: int, length: int, cause: str) -> None:
        """Gives i-frames through frame + length. One that does not outlast the running one changes nothing."""
        until = frame + length
        if length <= 0 or until <= standing.immune_until:
            return
        since = frame if self.rules.contact.same_frame == "first" else frame + 1
        if standing.immune_until < frame:  # else the running one is lengthened without a hole
            standing.immune_since = since
        standing.immune_until, standing.immune_cause = until, cause
        self.events.append(Event(frame=frame, event="iframes", id=standing.id, until=until, cause=cause))

    def _go_down(self, frame: int, number: int) -> None:
        standing = self.standings[number]
        standing.down = frame
        self.events.append(Event(frame=frame, event="down", id=standing.id, by=standing.credit))
        if self.raw and number in self.shifts:
            self.shifts[number].stop(frame)
            self.moved.add(number)

    def _settle(self, frame: int) -> None:
        """The end of a frame: those without health go down, then removals, each by id; then a goal."""
        if not self._settling:
            return
        won = -1 in self._settling
        numbers = sorted(self._settling - {-1}, key=lambda number: self.standings[number].id)
        self._settling.clear()
        for number in numbers:
            if self.standings[number].health == 0 and self.standings[number].down is None:
                self._go_down(frame, number)
        for number in numbers:
            standing = self.standings[number]
            if standing.spent == frame:
                self.events.append(Event(frame=frame, event="removed", id=standing.id, detail="spent"))
                self._forget(number)
        if won:
            self.ended = frame
            self.events.append(Event(frame=frame, event="won", detail="goal"))

    def _forget(self, number: int) -> None:
        """What was used up begins anew if it comes back: rehit, touches and pierce counts."""
        for memory in (self._memory, self._unbroken):
            for key in [key for key in memory if number in (key[0], key[2])]:
                del memory[key]
        for counted in [key for key in self._counted if key[0] == number]:
            del self._counted[counted]


def id_ranks(ids: Sequence[str]) -> Ints:
    """(actors,) the place of each id among all, compared as strings."""
    ranks = np.empty(len(ids), dtype=np.int64)
    ranks[sorted(range(len(ids)), key=ids.__getitem__)] = np.arange(len(ids))
    return ranks


def order_of_blows(touches: Touches, wardrobe: Wardrobe, ranks: Ints) -> Ints:
    """Rows of `touches` in the order in which they are judged; `ranks` as from `id_ranks`.

    Groups (one attack of one striker on one target in a frame) go by whether they preempt, priority (higher
    first), their earliest t, striker id, attack name, target id; within a group by hurtbox rank (higher
    first), t, hitbox name, hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.
    """
    if not len(touches):
        return np.zeros(0, dtype=np.int64)
    fitted = wardrobe.fitted
    attacks = [wardrobe.rules.attacks.get(one.box.attack or "") or Attack("") for one in fitted]
    attack_names = sorted({attack.name for attack in attacks})
    attack_rank = np.array([attack_names.index(attack.name) for attack in attacks], dtype=np.int64)[touches.hitbox]
    late = np.array([not attack.preempts for attack in attacks], dtype=np.bool_)[touches.hitbox]
    priority = np.array([attack.priority for attack in attacks], dtype=np.int64)[touches.hitbox]
    rank = np.array([one.box.rank for one in fitted], dtype=np.int64)[touches.hurtbox]
    names = sorted({one.box.name for one in fitted})
    box_rank = np.array([names.index(one.box.name) for one in fitted], dtype=np.int64)
    striker, target = ranks[touches.striker], ranks[touches.target]
    t = np.round(touches.t, 6)
    group = np.lexsort((target, attack_rank, striker, touches.frame))
    keys = np.stack([touches.frame[group], striker[group], attack_rank[group], target[group]])
    starts = np.flatnonzero(np.r_[True, (keys[:, 1:] != keys[:, :-1]).any(axis=0)])
    earliest = np.empty(len(touches))
    earliest[group] = np.repeat(np.minimum.reduceat(t[group], starts), np.diff(np.r_[starts, len(touches)]))
    result: Ints = np.lexsort(
        (
            box_rank[touches.hurtbox],
            box_rank[touches.hitbox],
            t,
            -rank,
            target,
            attack_rank,
            striker,
            earliest,
            -priority,
            late,
            touches.frame,
        )
    )
    return result
