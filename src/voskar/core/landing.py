"""What a landing does to whom: health, i-frames, pushes, removal; and the ways that blows have changed."""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.consequences import damage_of, push, sent_off
from voskar.core.gates import Contact, Standing
from voskar.core.ledger import Event
from voskar.core.meeting import meeting_points
from voskar.core.shifts import Shift

if TYPE_CHECKING:
    from voskar.core.judging import Judge, Touch


class Landing:
    """Carries out what the judge has decided.

    Ways changed by knockback and home are kept in `shifts`, and `moved` tells who changed course since the caller last
    cleared it; `won` whether a blow has reached the goal.
    """

    def __init__(self, judge: Judge) -> None:
        self.judge = judge
        self.shifts: dict[int, Shift] = {}
        self.moved: set[int] = set()
        self.won = False
        self.counted: dict[tuple[int, str, str], int] = {}
        """Outcomes that count towards a removal, by number, attack and side."""
        self._tell = judge.events.append

    def land(self, contact: Contact, touch: Touch) -> None:
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
        self._tell(Event(frame=frame, event="health", id=target.id, before=before, after=target.health, by=by))
        if target.health == 0:
            self.judge.settling[number] = self._pose(touch, on_striker=False)
            if self.judge.rules.contact.health_check == "at_once":
                self.judge.vitals.go_down(frame, number, self.judge.settling[number])

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
            since = frame if self.judge.rules.contact.same_frame == "first" else frame + 1
            self.immunise(own, frame, since, frame + length, attack.name)
        until = frame + table.stun
        if table.stun and until > own.stunned_until:
            own.stunned_until = until
            self._tell(Event(frame=frame, event="stun", id=own.id, until=until, by=other.id))
            self.judge.unsettle(own)
        sight = self.judge.sight
        assert sight is not None
        kind = self.judge.rules.kinds[own.kind]
        if table.knockback is not None:
            dx, dy = push(sight, contact, table.knockback, kind.weight, on_striker=on_striker)
            until = frame + table.knockback.over
            self._tell(Event(frame=frame, event="knockback", id=own.id, dx=dx, dy=dy, until=until, by=other.id))
            if self._is_moved(number) and own.down is None:
                steps = [(dx * share, dy * share) for share in table.knockback.steps()]
                self._shift(number).push(frame, steps, table.knockback.add)
                self.turn(number)
        if table.rebound is not None:
            bounce = self.judge.rules.kinds[other.kind].bounce
            vx, vy = sent_off(sight, contact, table.rebound, bounce, on_striker=on_striker)
            self._tell(Event(frame=frame, event="rebound", id=own.id, vx=vx, vy=vy, by=other.id))
            if self.judge.driver.is_driven(number) and own.down is None:
                self.judge.driver.send(number, (vx, vy))
                self.turn(number)
        self.use_up(contact, touch, "landed", on_striker=on_striker)
        if table.home:
            self.send_home(frame, number)
        if table.checkpoint:
            own.checkpoint = x, y = sight.position(sight.pose_rows(contact.row)[0 if not on_striker else 1])
            self._tell(Event(frame=frame, event="checkpoint", id=own.id, x=x, y=y))
        for name in sorted(table.gives):
            own.counters[name] = own.counters.get(name, 0.0) + table.gives[name]
            points, total = table.gives[name], own.counters[name]
            self._tell(Event(frame=frame, event="gives", id=own.id, detail=name, points=points, total=total))
        self.won = self.won or table.goal
        if table.effect is not None:
            self._order_effect(contact, table.effect)

    def use_up(self, contact: Contact, touch: Touch, outcome: str, *, on_striker: bool) -> None:
        """`remove`: by the (pierce + 1)th outcome that counts, each attack counting for itself."""
        table = contact.attack.striker if on_striker else contact.attack.target
        if not table.remove or outcome not in table.consumed_by:
            return
        number, own = (touch[0], contact.striker) if on_striker else (touch[2], contact.target)
        key = (number, contact.attack.name, "striker" if on_striker else "target")
        self.counted[key] = self.counted.get(key, 0) + 1
        if self.counted[key] > table.pierce and own.spent != contact.frame:
            own.spent = contact.frame
            own.gone_until = self.judge.recording.returns(number, contact.frame)
            self._forget_ghost(number, own.gone_until)
            self.judge.settling[number] = self._pose(touch, on_striker=on_striker)

    def _forget_ghost(self, number: int, frame: int) -> None:
        """One used up comes back in a frame: its way there does not begin where what lingered of it was."""
        poses = self.judge.recording.poses
        there = self.judge.logged.pose_from(number, frame)
        if there is not None and there[1] == frame and poses.previous[there[0]] >= 0:
            poses.cut[there[0]] = True
            self.moved.add(number)

    def _pose(self, touch: Touch, *, on_striker: bool) -> int:
        """The pose that one side of a touch has."""
        assert self.judge.sight is not None
        return self.judge.sight.pose_rows(touch[6])[0 if on_striker else 1]

    def send_home(self, frame: int, number: int, *, at_once: bool = False) -> None:
        """An actor is where it started in the next frame, or at once in this one, before anything touches."""
        driven = self.judge.driver.is_driven(number)
        x, y = self.judge.driver.start(number) if driven else self.judge.logged.start(number)
        self._tell(Event(frame=frame, event="home", id=self.judge.standings[number].id, x=x, y=y))
        if not self._is_moved(number):
            return
        last = frame - 1 if at_once else frame
        self._shift(number).stop(last)
        if not driven:
            self.put(number, last + 1, x, y)
        elif at_once:
            self.judge.driver.go_home(number, frame)
        else:
            self.judge.driver.home(number)
        self.turn(number)

    def put(self, number: int, frame: int, x: float, y: float) -> None:
        """The next pose of a recorded actor, in this frame or later, is a jump; in a raw recording to this place."""
        row = self.jump(number, frame)
        if row is not None and self.judge.raw:
            offset = x - float(self.judge.logged.poses.x[row]), y - float(self.judge.logged.poses.y[row])
            self._shift(number).put(frame - 1, offset)

    def jump(self, number: int, frame: int) -> int | None:
        """The next pose of a recorded actor, in this frame or later, has no past; returns its row."""
        there = self.judge.logged.pose_from(number, frame)
        if there is None:
            return None
        self.judge.recording.poses.cut[there[0]] = True
        return there[0]

    def _is_moved(self, number: int) -> bool:
        """Whether blows move an actor: in a raw recording, and what the rules set in motion."""
        return self.judge.raw or self.judge.driver.is_driven(number)

    def turn(self, number: int) -> None:
        """An actor's course has changed."""
        if self.judge.driver.is_driven(number):
            self.judge.replan = True
        elif self.judge.raw:
            self.moved.add(number)
            self.judge.unsettle(self.judge.standings[number])

    def _shift(self, number: int) -> Shift:
        return self.shifts.setdefault(number, Shift())

    def _order_effect(self, contact: Contact, kind: str) -> None:
        """A spark at the contact point, in the next frame."""
        sight = self.judge.sight
        assert sight is not None
        (x, y), *_ = meeting_points(
            sight.touches.take(np.array([contact.row])), sight.poses, self.judge.wardrobe
        ).tolist()
        self.judge.driver.spark(contact.frame, kind, x, y)
        self.judge.ordered = True

    def immunise(self, standing: Standing, frame: int, since: int, until: int, cause: str) -> None:
        """Gives i-frames from one frame through another. One that does not outlast the running one changes nothing."""
        if until <= standing.immune_until or until < since:
            return
        if standing.immune_until < frame:  # else the running one is lengthened without a hole
            standing.immune_since = since
        standing.immune_until, standing.immune_cause = until, cause
        self._tell(Event(frame=frame, event="iframes", id=standing.id, until=until, cause=cause))

    def forget(self, number: int) -> None:
        """Pierce counts of one that comes back begin anew."""
        for key in [key for key in self.counted if key[0] == number]:
            del self.counted[key]

    def prune(self, here: Collection[int]) -> None:
        """Drops the counts of those that are gone."""
        self.counted = {key: one for key, one in self.counted.items() if key[0] in here}
