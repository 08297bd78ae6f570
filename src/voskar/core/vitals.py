"""Health that runs out, and what follows: down, lives, coming back, what begins anew, and the end of a run."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from voskar.core.gates import Contact, Standing, ally
from voskar.core.ledger import Event
from voskar.core.motion import FOREVER
from voskar.core.plan import Plan
from voskar.core.rules import Kind
from voskar.core.rules_life import Respawn
from voskar.core.shapes import Ints

if TYPE_CHECKING:
    from voskar.core.judging import Judge

Vector = tuple[float, float]


class Vitals:
    """Holds what a run has come to: score, who is to come back and when, who is out, and how long it has lasted.

    Returns and resets change ways, so they happen between two blocks of frames: a block ends before the first of them.
    """

    def __init__(self, judge: Judge) -> None:
        self.judge, self.rules, self.recording = judge, judge.rules, judge.recording
        self.score: dict[str, float] = {}
        self.run_start = self.room_start = self.recording.first
        """The frames since which the clock runs, and in which all was as at the start."""
        self.tries: dict[int, int] = {}
        """The next frame in which one that is down may come back, by number."""
        self._outs: dict[int, list[tuple[str, int]]] = {}
        self._fallen_out = False
        self._seen: set[str] = set()
        self.recheck = False
        """Whether something has changed that may end the run."""
        self._first, self._vanish = self._appearances()
        self._heirs: dict[int, list[int]] = {}
        for number, frame in enumerate(self._first.tolist()):
            if self._kind(judge.standings[number]).succession:
                self._heirs.setdefault(frame, []).append(number)
        self._fixed = sorted({*self._heirs, *self._vanish})

    def _kind(self, standing: Standing) -> Kind:
        return self.rules.kinds[standing.kind]

    def _appearances(self) -> tuple[Ints, set[int]]:
        """(actors,) the frames in which recorded actors first have a pose, and those in which one of a kind to be
        cleared is no longer to be seen."""
        poses = self.recording.poses
        first = np.full(len(self.recording.actors), FOREVER, dtype=np.int64)
        rows = poses.by_actor
        if not len(rows):
            return first, set()
        actors, at = np.unique(poses.actor[rows], return_index=True)
        first[actors] = poses.frame[rows[at]]
        wanted = np.array([actor.kind in self.rules.goal.clear for actor in self.recording.actors], dtype=np.bool_)
        rows = rows[wanted[poses.actor[rows]] & ~poses.hidden[rows]]
        if not len(rows):
            return first, set()
        goes_on = (poses.actor[rows][1:] == poses.actor[rows][:-1]) & (np.diff(poses.frame[rows]) == 1)
        return first, set((poses.frame[rows][~np.append(goes_on, False)] + 1).tolist())

    # what a frame may bring by itself

    def next_visit(self, frame: int) -> int:
        """The next frame, this one or later, in which something falls due that no blow brings about."""
        if self.recheck:
            return frame  # someone has left before anything touched
        at = int(np.searchsorted(self._fixed, frame))
        found = [self._fixed[at]] if at < len(self._fixed) else []
        found += [due for due in self._outs if due >= frame]
        if self.rules.goal.survive is not None:
            found.append(self.run_start + self.rules.goal.survive)
        return min((one for one in found if one >= frame), default=FOREVER)

    def next_return(self) -> int:
        """The next frame in which someone may come back."""
        return min(self.tries.values(), default=FOREVER)

    # going down, and the end of a frame

    def go_down(self, frame: int, number: int, pose: int) -> None:
        """One whose health has run out: a life less, points for who did it, children."""
        judge = self.judge
        standing = judge.standings[number]
        kind = self._kind(standing)
        assert judge.sight is not None
        standing.down, standing.fell_at = frame, judge.sight.position(pose)
        if standing.lives is not None:
            standing.lives = max(standing.lives - 1, 0)
        lives = None if standing.lives is None else float(standing.lives)
        judge.events.append(Event(frame=frame, event="down", id=standing.id, by=standing.credit, lives=lives))
        self.recheck = True
        if kind.down.worth:
            self._award(frame, standing.credit or "", kind.down.worth)
        judge.unsettle(standing)
        if kind.down.spawn:
            judge.driver.leave_children(frame, number, *judge.sight.position(pose), judge.sight.velocity(pose))
            judge.ordered = True
        if number in judge.landing.shifts:
            judge.landing.shifts[number].stop(frame)
            judge.landing.turn(number)

    def _award(self, frame: int, who: str, points: float) -> None:
        """Points for the side of an actor, else for whoever it belongs to."""
        standing = self._find(who)
        seen = {who}  # owners may go round in a ring
        while standing is not None and standing.side is None and standing.owner not in (None, *seen):
            who = standing.owner or ""
            seen.add(who)
            standing = self._find(who)
        name = who if standing is None or standing.side is None else standing.side
        self.score[name] = self.score.get(name, 0.0) + points
        self.judge.events.append(Event(frame, "score", id=name, points=points, total=self.score[name]))

    def _find(self, name: str) -> Standing | None:
        number = self.judge.number_of(name)
        return None if number is None else self.judge.standings.get(number)

    def _may_return(self, number: int, frame: int) -> bool:
        """Whether one that has just gone down can come back, itself or in a successor."""
        standing = self.judge.standings[number]
        kind = self._kind(standing)
        if standing.lives == 0 or standing.spent == frame:
            return False
        return kind.respawn is not None or (kind.succession and not self.judge.driver.is_driven(number))

    def settle(self, frame: int, settling: dict[int, int], plan: Plan | None) -> None:
        """The end of a frame: those without health go down, then removals, then who is out, each by id; then the end
        of the run. `settling` are those who have run out of something, with a pose."""
        judge = self.judge
        standings, driver = judge.standings, judge.driver
        going = dict(driver.end(frame, plan)) if plan is not None else {}
        numbers = sorted(settling, key=lambda number: standings[number].id)
        for number in numbers:
            if standings[number].health == 0 and standings[number].down is None:
                self.go_down(frame, number, settling[number])
        outs = self._outs.pop(frame, [])
        for number in numbers:
            standing = standings[number]
            if standing.spent == frame:
                going[number] = "spent"
            if standing.down == frame:
                outs += self._lie_down(frame, number, going)
        settling.clear()
        for number in sorted(going, key=lambda number: standings[number].id):
            judge.leave(frame, number, going[number])
        for name, number in sorted(outs):
            self._fallen_out = self.recheck = True
            if number in standings:
                standings[number].out = True
            judge.events.append(Event(frame, "out", id=name))
        self._end(frame)

    def _lie_down(self, frame: int, number: int, going: dict[int, str]) -> list[tuple[str, int]]:
        """What is to become of one that went down in a frame; those who are out at its end."""
        judge = self.judge
        standing = judge.standings[number]
        kind = self._kind(standing)
        driven = judge.driver.is_driven(number)
        standing.returns = self._may_return(number, frame)
        if standing.returns and (driven or not kind.succession):
            assert kind.respawn is not None
            self._try_from(number, frame + max(kind.respawn.after, 1), kind.respawn)
        if driven and number not in going:
            if not kind.down.lasts and not standing.returns:
                going[number] = "down"
            else:
                judge.driver.fall(number, frame + kind.down.lasts, standing.returns)
            judge.landing.turn(number)
        if standing.returns or standing.lives is None:
            return []
        if kind.down.lasts and going.get(number) != "spent":
            self._outs.setdefault(frame + kind.down.lasts, []).append((standing.id, number))
            return []
        return [(standing.id, number)]

    def _end(self, frame: int) -> None:
        """Whether the run is over or won."""
        judge, goal = self.judge, self.rules.goal
        recheck, self.recheck = self.recheck or frame in self._vanish, False
        survived = goal.survive is not None and frame == self.run_start + goal.survive
        how = "goal" if judge.landing.won else "survive" if survived else None
        if self._fallen_out and recheck and self._all_out(frame):
            judge.ended = frame
            judge.events.append(Event(frame, "over"))
        elif how or (goal.clear and recheck and self._is_clear(frame)):
            judge.ended = frame
            judge.events.append(Event(frame, "won", detail=how or "clear"))

    def _appeared(self, number: int, since: int, frame: int) -> bool:
        """Whether an actor has been seen between two frames."""
        if self.judge.driver.is_driven(number):
            return True
        poses = self.recording.poses
        rows = poses.rows_of(number)
        frames = poses.frame[rows[~poses.hidden[rows]]]
        low = int(np.searchsorted(frames, since))
        return low < len(frames) and int(frames[low]) <= frame

    def _all_out(self, frame: int) -> bool:
        for number, standing in self.judge.standings.items():
            plays = standing.lives is not None and not standing.out and not standing.succeeded
            if plays and self._appeared(number, self.run_start, frame):
                return False
        return True

    def _is_clear(self, frame: int) -> bool:
        """Whether each kind to be cleared was there, and none of it is in play or to come back."""
        judge, wanted = self.judge, self.rules.goal.clear
        left = {standing.kind for standing in judge.standings.values() if standing.returns}
        rows = self.recording.poses.rows(self.recording.block(frame, frame + 1))
        here = rows.actor[~rows.hidden].tolist()
        here += [number for number in judge.standings if judge.driver.is_driven(number)]
        for number in here:
            standing = judge.standings[number]
            if standing.down is None and standing.spent != frame and judge.in_play(standing, frame):
                left.add(standing.kind)
        if any(kind in left for kind in wanted):
            return False
        seen = set(self._seen)
        for number, actor in enumerate(self.recording.actors):
            if actor.kind in wanted and actor.kind not in seen and self._appeared(number, self.room_start, frame):
                seen.add(actor.kind)
        return all(kind in seen for kind in wanted)

    def entered(self, kind: str) -> None:
        """A driven actor of a kind has appeared."""
        self._seen.add(kind)

    # coming back

    def _try_from(self, number: int, frame: int, respawn: Respawn) -> None:
        """Notes the first frame from one on in which an actor may come back: with a pose, and with the button pressed
        that it needs."""
        standing, recording = self.judge.standings[number], self.recording
        wanted: Ints | None = None
        if not self.judge.driver.is_driven(number):
            rows = recording.poses.rows_of(number)
            wanted = recording.poses.frame[rows[~recording.poses.lingering[rows]]]
        if respawn.needs is not None:
            who = [standing.id] if standing.owner is None else [standing.id, standing.owner]
            presses = np.concatenate([recording.inputs.pressed(one, respawn.needs) for one in who])
            wanted = np.unique(presses) if wanted is None else np.intersect1d(wanted, presses)
        at = frame
        if wanted is not None:
            low = int(np.searchsorted(wanted, frame))
            at = int(wanted[low]) if low < len(wanted) else FOREVER
        self.tries[number] = at
        if at == FOREVER:
            del self.tries[number]

    def place(self, number: int) -> Vector:
        """Where one that is down comes back."""
        judge, standing = self.judge, self.judge.standings[number]
        respawn = self._kind(standing).respawn
        at = "start" if respawn is None else respawn.at
        if isinstance(at, tuple):
            return at
        if at == "here" and standing.fell_at is not None:
            return standing.fell_at
        if at == "checkpoint" and standing.checkpoint is not None:
            return standing.checkpoint
        return judge.driver.start(number) if judge.driver.is_driven(number) else judge.logged.start(number)

    def is_careful(self, number: int) -> bool:
        """Whether an actor does not come back where a blow would meet it."""
        respawn = self._kind(self.judge.standings[number]).respawn
        return respawn is not None and respawn.waits

    def due(self, frame: int) -> list[int]:
        """Who is to be tried in a frame, by id."""
        found = [number for number, due in self.tries.items() if due == frame]
        return sorted(found, key=lambda number: self.judge.standings[number].id)

    @staticmethod
    def in_the_way(contacts: list[Contact]) -> str | None:
        """Who would meet one that is to come back with a blow that does harm, None if nobody would.

        Layers, sides and owners decide what could land; i-frames, rehit and the conditions of an attack do not, as
        they pass.
        """
        found = [contact for contact in contacts if contact.attack.harms and not ally(contact).stops]
        return min((contact.striker.id for contact in found), default=None)

    def hold(self, frame: int, number: int, striker: str) -> None:
        """One that is to come back waits, for now."""
        standing = self.judge.standings[number]
        respawn = self._kind(standing).respawn
        assert respawn is not None
        if not standing.held:
            standing.held = True
            self.judge.events.append(Event(frame, "respawn_held", id=standing.id, detail=striker))
        self._try_from(number, frame + 1, respawn)

    def come_back(self, frame: int, number: int) -> None:
        """One that was down is in play again from this frame on."""
        judge = self.judge
        standing = judge.standings[number]
        respawn = self._kind(standing).respawn
        assert respawn is not None
        del self.tries[number]
        self.recheck = True  # it may be out of play, and wait no longer
        x, y = self.place(number)
        killer = standing.credit
        judge.forget(number)
        standing.revive()
        judge.events.append(Event(frame, "respawn", id=standing.id, x=x, y=y))
        judge.landing.immunise(standing, frame, frame, frame + respawn.iframes - 1, "respawn")
        if respawn.resets == "pair" and killer is not None:
            other = judge.number_of(killer)
            if other is not None and other in judge.standings and judge.in_play(judge.standings[other], frame):
                judge.landing.send_home(frame, other, at_once=True)
        if respawn.resets in ("room", "run"):
            self._start_over(frame, number, whole=respawn.resets == "run", marked=False)
        if judge.driver.is_driven(number):
            judge.driver.come_back(number, frame, x, y)
        else:
            judge.landing.put(number, frame, x, y)
            judge.driver.play_anew(number, frame)

    def succeed(self, frame: int) -> None:
        """New actors that take the place of the last of their kind."""
        judge = self.judge
        heirs = sorted(self._heirs.get(frame, ()), key=lambda number: judge.standings[number].id)
        for index, number in enumerate(heirs):
            self._succeed(frame, number, set(heirs[index + 1 :]))

    def _succeed(self, frame: int, number: int, later: set[int]) -> None:
        judge, recording = self.judge, self.recording
        standing = judge.standings[number]
        rows = recording.block(frame, frame + 1)
        present = recording.poses.actor[rows][~recording.poses.hidden[rows]].tolist()
        found: list[tuple[int, str, int]] = []
        for other, actor in enumerate(recording.actors):
            theirs = judge.standings[other]
            if other == number or other in later or (actor.kind, theirs.side) != (standing.kind, standing.side):
                continue
            if other in present and judge.in_play(theirs, frame):
                return
            rows_of = recording.poses.rows_of(other)
            frames = recording.poses.frame[rows_of[~recording.poses.hidden[rows_of]]]
            low, high = np.searchsorted(frames, [self.run_start, frame])
            if low < high and not theirs.succeeded:
                last = int(frames[high - 1]) if theirs.down is None else theirs.down
                found.append((last, theirs.id, other))
        if not found:
            return
        former = judge.standings[max(found)[2]]
        former.succeeded, former.returns, self.recheck = True, False, True
        standing.lives, standing.counters, standing.checkpoint = former.lives, dict(former.counters), former.checkpoint
        if former.id in self.score:
            self.score[standing.id] = self.score.pop(former.id)
        row = int(recording.poses.rows_of(number)[0])
        x, y = float(recording.poses.x[row]), float(recording.poses.y[row])
        judge.events.append(Event(frame, "respawn", id=standing.id, x=x, y=y, detail=former.id))
        respawn = self._kind(standing).respawn
        if respawn is not None:
            judge.landing.immunise(standing, frame, frame, frame + respawn.iframes - 1, "respawn")

    # beginning anew

    def begin_again(self, frame: int, what: str) -> None:
        """A mark of the recording: before anything else in this frame, the room or the whole run began again.

        Everyone is as at the start; under "room" lives, counters, checkpoints and score go on.
        """
        judge = self.judge
        judge.ended = None
        judge.landing.won = False
        for number in range(len(self.recording.actors)):
            judge.forget(number)
            judge.standings[number].revive()
            judge.driver.play_anew(number, frame)
            judge.landing.shifts.pop(number, None)
        self._outs.clear()
        self.tries.clear()
        self._start_over(frame, None, whole=what == "run", marked=True)

    def _start_over(self, frame: int, returning: int | None, *, whole: bool, marked: bool) -> None:
        """What the rules have set in motion is as at the start; in a new run also score, counters, lives and clock."""
        judge = self.judge
        self.room_start = frame
        self._seen.clear()
        for outs in self._outs.values():  # what is placed anew begins anew, and what was spawned is gone
            outs[:] = [one for one in outs if not judge.driver.is_driven(one[1]) or one[1] == returning]
        for number in sorted(judge.births, key=lambda number: judge.standings[number].id):
            if number == returning:
                continue
            if judge.standings[number].id in judge.driver.fixtures:
                judge.discard(frame - 1, number)
            else:
                judge.leave(frame - 1, number, "reset")
        judge.driver.start_over(frame, whole=whole, cooled=marked)
        if not whole:
            return
        if returning in judge.births and judge.births[returning].spawned:  # its name is taken in the new run too
            beginning, _, count = judge.births[returning].id.rpartition("-")
            judge.driver.made[beginning] = int(count)
        self.run_start = frame
        self.score.clear()
        self._fallen_out = False
        for number, standing in judge.standings.items():
            kind = self._kind(standing)
            kept = kind.respawn.keeps if kind.respawn is not None else frozenset()
            standing.counters = {name: value for name, value in standing.counters.items() if name in kept}
            standing.lives, standing.out = kind.lives, False
            if marked:
                standing.checkpoint, standing.succeeded = None, False
            elif standing.down is not None and not standing.returns:
                self._readmit(number, standing, kind)

    def _keep_in(self, number: int) -> None:
        """One that was to be out is not."""
        for outs in self._outs.values():
            outs[:] = [one for one in outs if one[1] != number]

    def _readmit(self, number: int, standing: Standing, kind: Kind) -> None:
        """One that had no life left has some again: it is in play, or waits for its successor."""
        self._keep_in(number)
        if not kind.succession:
            standing.revive()
            self.judge.forget(number)
            self.judge.driver.play_anew(number, self.run_start)
            self.judge.landing.jump(number, self.run_start)
        elif not standing.succeeded:
            standing.returns = True
