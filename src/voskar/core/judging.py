"""Judging: one frame's touches in, events out, one contact at a time in the order of blows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from voskar.core.gates import GATES, Contact, Memory, Standing, Unbroken, Verdict
from voskar.core.ledger import Event
from voskar.core.placing import Wardrobe
from voskar.core.recording import Ints, Recording, sides
from voskar.core.rules import Attack, Rehit, Rules
from voskar.core.touching import Touches

Key = tuple[int, str, int]  # striker, attack, target
Pair = tuple[int, int, int, int]  # striker, hitbox, target, hurtbox
Touch = tuple[int, int, int, int, float, int, int]
"""Striker, hitbox, target, hurtbox, t, the striker's swing, and the row of the touch table."""


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

    `watched` frames are traced in full in `traces`, gates behind the deciding one included.
    """

    def __init__(self, rules: Rules, wardrobe: Wardrobe, recording: Recording, watched: Collection[int] = ()) -> None:
        self.rules = rules
        self.wardrobe = wardrobe
        self.events: list[Event] = []
        self.opened: list[tuple[Event, int]] = []
        """Contact events begun since the caller last cleared it, with their row of the touch table."""
        self.watched = frozenset(watched)
        self.traces: dict[int, FrameTrace] = {}
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
        self._memory: dict[Key, Memory] = {}
        self._unbroken: dict[Key, Unbroken] = {}
        self._running: dict[Pair, Event] = {}
        self._attack_of = [
            rules.attacks[fitted.box.attack] if fitted.box.attack else Attack("") for fitted in wardrobe.fitted
        ]

    def frame(self, frame: int, touches: Sequence[Touch]) -> None:
        """Judges the touches of one frame, in the order of blows."""
        standings = self.standings
        trace = self._begin_trace(frame) if frame in self.watched else None
        hurt: dict[int, Standing] = {}
        for touch in touches:
            striker, hitbox, target, hurtbox, _, swing, _ = touch
            if standings[striker].down is not None or standings[target].down is not None:
                continue
            contact = self.contact(frame, touch)
            outcome = "landed"
            for name, gate in GATES:
                if gate(contact).stops:
                    outcome = name
                    break
            if trace is not None:
                # standings change with the next blow: what this one found is kept as it is now
                kept = replace(contact, striker=replace(contact.striker), target=replace(contact.target))
                trace.judged.append(Judged(kept, tuple((name, gate(contact)) for name, gate in GATES), outcome))
            key = (striker, contact.attack.name, target)
            self._unbroken[key] = Unbroken(contact.unbroken.first, frame)
            self._tell((striker, hitbox, target, hurtbox), contact, outcome)
            if outcome == "landed":
                self._memory[key] = Memory(frame, swing)
                self._land(contact)
                hurt[target] = contact.target
        for number in sorted(hurt, key=lambda number: standings[number].id):
            self._settle(frame, hurt[number])

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
            attack.rehit or self.default_rehit(mine, attack),
            t,
            swing,
            row,
            memory.get(key),
            unbroken,
        )

    def default_rehit(self, striker: Standing, attack: Attack) -> Rehit:
        """Once for timed attacks and for actors that have an owner (shots), else always."""
        timed = self.rules.kinds[striker.kind].timed(attack.name)
        return Rehit("once") if timed or striker.owned else Rehit("always")

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

    def _land(self, contact: Contact) -> None:
        """What a landing does: health, then i-frames."""
        target, attack = contact.target, contact.attack
        if target.health is not None and target.full is not None:
            before = target.health
            target.health = min(max(before - damage_of(contact), 0.0), max(target.full, before))
            if target.health != before:
                if target.health < before:
                    target.credit = contact.striker.id
                self.events.append(
                    Event(
                        frame=contact.frame,
                        event="health",
                        id=target.id,
                        before=before,
                        after=target.health,
                        by=contact.striker.id,
                    )
                )
        if attack.gives_iframes:
            named = attack.target.iframes
            self._immunise(target, contact.frame, target.iframes if named is None else named, attack.name)
        if attack.striker.iframes is not None:
            self._immunise(contact.striker, contact.frame, attack.striker.iframes, attack.name)

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

    def _settle(self, frame: int, standing: Standing) -> None:
        """The end of a frame for an actor that was hit: without health it goes down, once."""
        if standing.health == 0 and standing.down is None:
            standing.down = frame
            self.events.append(Event(frame=frame, event="down", id=standing.id, by=standing.credit))


def damage_of(contact: Contact) -> float:
    """The attack's damage times the hurtbox's scale."""
    return contact.attack.damage * contact.hurtbox.damage_scale


def order_of_blows(touches: Touches, wardrobe: Wardrobe, ids: Sequence[str]) -> Ints:
    """Rows of `touches` in the order in which they are judged.

    Groups (one attack of one striker on one target in a frame) go by priority (higher first), their earliest
    t, striker id, attack name, target id; within a group by hurtbox rank (higher first), t, hitbox name,
    hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.
    """
    if not len(touches):
        return np.zeros(0, dtype=np.int64)
    fitted = wardrobe.fitted
    attacks = [wardrobe.rules.attacks.get(one.box.attack or "") or Attack("") for one in fitted]
    attack_names = sorted({attack.name for attack in attacks})
    attack_rank = np.array([attack_names.index(attack.name) for attack in attacks], dtype=np.int64)[touches.hitbox]
    priority = np.array([attack.priority for attack in attacks], dtype=np.int64)[touches.hitbox]
    rank = np.array([one.box.rank for one in fitted], dtype=np.int64)[touches.hurtbox]
    names = sorted({one.box.name for one in fitted})
    box_rank = np.array([names.index(one.box.name) for one in fitted], dtype=np.int64)
    id_rank = np.empty(len(ids), dtype=np.int64)
    id_rank[sorted(range(len(ids)), key=ids.__getitem__)] = np.arange(len(ids))
    striker, target = id_rank[touches.striker], id_rank[touches.target]
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
            touches.frame,
        )
    )
    return result
