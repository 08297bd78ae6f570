"""What the rules set in motion: who of it is there, what it will do if nothing changes it, and what it spawns."""

from __future__ import annotations

from collections import Counter, defaultdict
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.emitting import Birth, Denial, angle_of, fan_of
from voskar.core.firing import Firing, Shown
from voskar.core.inputs import Vector
from voskar.core.ledger import Event
from voskar.core.motion import FOREVER, Bodies, Motions, Outlook, paths
from voskar.core.plan import Casting, Gun, Plan
from voskar.core.rules_driven import Fan, Target
from voskar.core.shapes import Ints

if TYPE_CHECKING:
    from voskar.core.judging import Judge


class Driver:
    """Holds the state of all driven actors. Numbers of driven actors follow those of the recording and never recur.

    `plan` tells a block of frames ahead; `move` and `appear` make a frame of it come true; `commit` keeps what came
    of it.
    In between the judge tells of blows: `send`, `home`, `fall`, `spark`.
    """

    def __init__(self, judge: Judge) -> None:
        self.judge, self.rules, self.wardrobe = judge, judge.rules, judge.wardrobe
        self.recording = judge.recording
        self.fixtures = {one.id: one for one in self.rules.fixtures if one.id not in self.recording.numbers}
        """Those to be placed: of the others the recording has poses, and these are the truth."""
        self.motions, self.outlook = Motions(self.rules), Outlook(self.rules, self.wardrobe)
        self.kind_numbers = {name: index for index, name in enumerate(self.wardrobe.kinds)}
        self.shown = {actor.kind for actor in self.recording.actors}
        own = [kind.motion.clip for kind in self.rules.kinds.values()]
        clips = tuple(dict.fromkeys([*self.recording.clips, *(clip for clip in own if clip is not None)]))
        clip_of_kind = np.array([-1 if clip is None else clips.index(clip) for clip in own], dtype=np.int64)
        self.casting = Casting(self._owners(), clips, clip_of_kind)
        self.bodies = Bodies.none()
        self.waiting: list[Birth] = []
        self.next_number = len(self.recording.actors)
        self.made: Counter[str] = Counter()
        """How many each emitter, parent and effect has made, by the beginning of their ids."""
        self.fired: dict[Gun, int] = {}
        self.own: dict[Gun, set[int]] = defaultdict(set)
        """Who is there of what an emitter with a limit made."""
        self._gun_of: dict[int, Gun] = {}
        self._sent: dict[int, Vector] = {}
        self._home: set[int] = set()
        self._fallen: dict[int, tuple[int, bool]] = {}
        self.guns = [(kind, emitter) for kind in self.rules.kinds.values() for emitter in kind.emitters]
        self.owners_of = {kind.name: self._recorded_of(kind.name) for kind, _ in self.guns}
        self.matters = {kind.name for kind, _ in self.guns}
        self.matters |= {emitter.aim.kind for _, emitter in self.guns if isinstance(emitter.aim, Target)}
        """Kinds whose every change changes what emitters do."""
        self._place_fixtures(self.recording.first)

    def _owners(self) -> Ints:
        """The owners of recorded actors, of whom some may be fixtures: numbered as they are placed."""
        owners = self.recording.owners.copy()
        placed = list(self.fixtures)
        for number, actor in enumerate(self.recording.actors if placed else ()):
            if actor.owner in placed:
                owners[number] = len(owners) + placed.index(actor.owner)
        return owners

    def _recorded_of(self, kind: str) -> tuple[Ints, Ints]:
        """The recorded actors of a kind that are ever in play, and the frames they first are."""
        poses = self.recording.poses
        of_kind = np.array([actor.kind == kind for actor in self.recording.actors], dtype=np.bool_)
        rows = np.flatnonzero(of_kind[poses.actor] & ~poses.hidden) if len(poses) else np.zeros(0, dtype=np.int64)
        numbers, first = np.unique(poses.actor[rows], return_index=True)
        return numbers, poses.frame[rows[first]]

    def _place_fixtures(self, frame: int) -> None:
        """Places those that are not there."""
        for fixture in self.fixtures.values():
            if fixture.id in self.judge.driven:
                continue
            velocity = fixture.velocity
            if velocity is None:
                own = self.rules.kinds[fixture.kind].motion.velocity
                velocity = own[0] * fixture.facing, own[1]
            birth = Birth(
                frame, fixture.id, fixture.kind, *fixture.at, fixture.angle, velocity, None, None, None, spawned=False
            )
            number = self.next_number
            self.next_number += 1
            self.judge.enter(number, birth)
            self.bodies = self.bodies.and_also(self._bodies([(birth, number)], facing=fixture.facing))

    def _bodies(self, births: list[tuple[Birth, int]], facing: int = 1) -> Bodies:
        """Bodies as they appear."""
        if not births:
            return Bodies.none()
        kinds = [self.rules.kinds[birth.kind] for birth, _ in births]
        velocities = [
            kind.motion.velocity if birth.velocity is None else birth.velocity
            for (birth, _), kind in zip(births, kinds, strict=True)
        ]
        count = len(births)
        number = np.array([number for _, number in births], dtype=np.int64)
        kind_number = np.array([self.kind_numbers[birth.kind] for birth, _ in births], dtype=np.int64)
        place = np.array([(birth.x, birth.y) for birth, _ in births], dtype=np.float64)
        speed = np.array(velocities, dtype=np.float64)
        born = np.array([birth.frame for birth, _ in births], dtype=np.int64)
        life = np.array([FOREVER if kind.motion.life is None else kind.motion.life for kind in kinds], dtype=np.int64)
        faces = np.full(count, float(facing))
        return Bodies(
            number=number,
            kind=kind_number,
            motion=2 * kind_number,
            x=place[:, 0],
            y=place[:, 1],
            vx=speed[:, 0],
            vy=speed[:, 1],
            angle=np.array([birth.angle for birth, _ in births], dtype=np.float64),
            facing=faces,
            bounces=self.motions.bounces[2 * kind_number],
            born=born,
            since=born,
            played=born,
            expires=np.minimum(born + life, FOREVER),
            ends=np.full(count, FOREVER, dtype=np.int64),
            home_x=place[:, 0],
            home_y=place[:, 1],
            home_vx=speed[:, 0],
            home_vy=speed[:, 1],
            home_facing=faces,
            owner=np.array([-1 if birth.owner is None else birth.owner for birth, _ in births], dtype=np.int64),
            spawned=np.array([birth.spawned for birth, _ in births], dtype=np.bool_),
            hides=np.full(count, FOREVER, dtype=np.int64),
            returns=np.zeros(count, dtype=np.bool_),
            cut=np.zeros(count, dtype=np.bool_),
        )

    # what is going to happen

    def plan(self, start: int, stop: int, shown: Shown) -> Plan:
        """Frames start … stop - 1, or fewer where something hangs on what cannot be told ahead."""
        first, frames = start - 1, stop - start + 1
        births: list[tuple[Birth, int]] = []
        listed: dict[int, list[tuple[Birth, int] | Denial]] = defaultdict(list)
        number = self.next_number
        for birth in self.waiting:
            listed[start].append((birth, number))
            if not birth.expected:
                births.append((birth, number))
                number += 1
        bodies = self.bodies.and_also(self._bodies(births))
        ways = paths(bodies, self.motions, self.outlook, first, frames, self._pushes(bodies, first, frames))
        bound: set[Gun] = set()
        if self.guns:
            shots = Firing(self, start, stop, shown, bodies, ways, {number: birth for birth, number in births})
            stop = shots.fire()
            for frame, happenings in shots.listed.items():
                listed[frame] += happenings
            fresh = self._bodies(shots.births)
            if len(fresh):
                ways = ways.joined(paths(fresh, self.motions, self.outlook, first, frames, None))
                bodies = bodies.and_also(fresh)
            births += shots.births
            bound = shots.bound
        names = {number: birth.id for birth, number in births}
        plan = Plan(start, stop, bodies, ways, {}, listed, names, {}, bound, self.casting)
        plan.tell_ends(bodies, ways)
        return plan

    def _pushes(self, bodies: Bodies, first: int, frames: int) -> np.ndarray | None:
        """The steps of knockback still to come, (frames, bodies, 2), None without any."""
        shifts = self.judge.landing.shifts
        rows = [row for row, number in enumerate(bodies.number.tolist()) if number in shifts] if shifts else []
        if not rows:
            return None
        steps = np.zeros((frames, len(bodies), 2))
        for row in rows:
            shift = shifts[int(bodies.number[row])]
            for index, step in enumerate(shift.steps):
                at = shift.start + index - first
                if 0 < at < frames:
                    steps[at, row] = step
        return steps

    def name(self, plan: Plan, row: int) -> str:
        """The id of one of a plan's bodies."""
        number = int(plan.bodies.number[row])
        standing = self.judge.standings.get(number)
        return plan.names[number] if standing is None else standing.id

    # what does happen

    def move(self, frame: int, plan: Plan) -> None:
        """Tells who has left in a frame."""
        judge = self.judge
        leaving = [one for one in plan.leaving.get(frame, ()) if one[0] in judge.standings]
        for number, why in sorted(leaving, key=lambda one: judge.standings[one[0]].id):
            judge.leave(frame, number, why)

    def appear(self, frame: int, plan: Plan) -> None:
        """Tells who appears in a frame, and what was denied."""
        judge = self.judge
        for happening in plan.births.get(frame, ()):
            if isinstance(happening, Denial):
                judge.events.append(
                    Event(frame, "denied", id=happening.id, emitter=happening.emitter, detail=happening.reason)
                )
                continue
            birth, number = happening
            self._appear(birth, number)

    def _appear(self, birth: Birth, number: int) -> None:
        self.judge.events.append(
            Event(
                birth.frame,
                "spawn",
                id=birth.id,
                kind=birth.kind,
                owner=birth.owner_id,
                emitter=birth.emitter,
                x=birth.x,
                y=birth.y,
                angle=birth.angle,
                detail="expected" if birth.expected else None,
            )
        )
        if birth.emitter is not None and birth.owner is not None:
            self.made[f"{birth.owner_id}/{birth.emitter}"] += 1
            self.fired[birth.owner, birth.emitter] = birth.frame
        if birth.expected:
            return
        self.next_number = max(self.next_number, number + 1)
        self.judge.enter(number, birth)
        if birth.emitter is not None and birth.owner is not None:
            gun = (birth.owner, birth.emitter)
            self.own[gun].add(number)
            self._gun_of[number] = gun

    def end(self, frame: int, plan: Plan) -> list[tuple[int, str]]:
        """Who is taken away at the end of a frame, if it is still there."""
        return [one for one in plan.ending.get(frame, ()) if one[0] in self.judge.standings]

    def commit(self, frame: int, plan: Plan) -> None:
        """Keeps the state of all that are still there after a frame, with what blows have changed."""
        k = frame - plan.paths.first
        standings = self.judge.standings
        self.waiting = [birth for birth in self.waiting if birth.frame > frame]
        alive = np.array([number in standings for number in plan.bodies.number.tolist()], dtype=np.bool_)
        rows = np.flatnonzero(alive & (plan.bodies.born <= frame) & (plan.paths.end > k))
        kept = plan.bodies.take(rows)
        for name in ("x", "y", "vx", "vy", "angle", "facing", "bounces"):
            setattr(kept, name, getattr(plan.paths, name)[k, rows])
        kept.since = np.full(len(rows), frame, dtype=np.int64)
        kept.cut = np.zeros(len(rows), dtype=np.bool_)
        if self._sent or self._home or self._fallen:
            for row, number in enumerate(kept.number.tolist()):
                self._change(kept, row, number, frame)
            for changes in (self._sent, self._home, self._fallen):
                changes.clear()
        self.bodies = kept

    def _change(self, kept: Bodies, row: int, number: int, frame: int) -> None:
        if number in self._sent:
            kept.vx[row], kept.vy[row] = self._sent[number]
        if number in self._home:
            _send_back(kept, row, frame + 1)
            shift = self.judge.landing.shifts.get(number)
            if shift is not None and shift.steps and shift.start == frame + 1:
                kept.x[row] += shift.steps[0][0]
                kept.y[row] += shift.steps[0][1]
        if number in self._fallen:
            down = self.rules.kinds[self.wardrobe.kinds[kept.kind[row]]].down
            kept.motion[row] = 2 * kept.kind[row] + 1
            until, returns = self._fallen[number]
            kept.returns[row] = returns
            kept.ends[row] = FOREVER if returns else until
            kept.hides[row] = frame + 1 if down.hide else until + 1
            if down.motion is None:
                kept.vx[row] = kept.vy[row] = 0.0

    def number_of(self, name: str, kind: str) -> int | None:
        """The number of an actor of a kind by its id, None without one."""
        number = self.recording.numbers.get(name, self.judge.driven.get(name))
        return None if number is None or self.judge.standings[number].kind != kind else number

    # what blows do

    def is_driven(self, number: int) -> bool:
        """Whether a number is that of a driven actor."""
        return number >= len(self.recording.actors)

    def send(self, number: int, velocity: Vector) -> None:
        """A new velocity from the next frame on."""
        self._sent[number] = velocity

    def home(self, number: int) -> None:
        """Sends an actor home in the next frame."""
        self._home.add(number)

    def start(self, number: int) -> Vector:
        """Where an actor appeared."""
        birth = self.judge.births[number]
        return birth.x, birth.y

    def fall(self, number: int, until: int, returns: bool) -> None:
        """An actor has gone down, and is seen until a frame; if it `returns` it is there for longer."""
        self._fallen[number] = until, returns

    # what returns and resets do, between two blocks

    def _row(self, number: int) -> int:
        return int(np.flatnonzero(self.bodies.number == number)[0])

    def go_home(self, number: int, frame: int) -> None:
        """Sends an actor home in a frame that is not yet planned."""
        _send_back(self.bodies, self._row(number), frame)

    def come_back(self, number: int, frame: int, x: float, y: float) -> None:
        """One that was down is in play again, as at first but for its life, in a frame that is not yet planned."""
        bodies, row = self.bodies, self._row(number)
        _send_back(bodies, row, frame)
        bodies.x[row], bodies.y[row] = x, y
        bodies.angle[row] = self.judge.births[number].angle
        bodies.motion[row] = 2 * bodies.kind[row]
        bodies.bounces[row] = self.motions.bounces[bodies.motion[row]]
        bodies.played[row] = frame
        bodies.ends[row] = bodies.hides[row] = FOREVER
        bodies.returns[row] = False

    def first_look(self, number: int) -> dict[str, float]:
        """How an actor looks in the frame of its return, as columns of a pose."""
        birth, row = self.judge.births[number], self._row(number)
        return {"facing": float(self.bodies.home_facing[row]), "angle": birth.angle, "tick": 0}

    def play_anew(self, number: int, frame: int) -> None:
        """The beats of a recorded owner count from when it next is in play."""
        for numbers, first in self.owners_of.values():
            at = int(np.searchsorted(numbers, number))
            if at < len(numbers) and numbers[at] == number:
                poses = self.recording.poses
                rows = poses.rows_of(number)
                frames = poses.frame[rows[~poses.hidden[rows]]]
                low = int(np.searchsorted(frames, frame))
                first[at] = frames[low] if low < len(frames) else FOREVER

    def purge(self) -> None:
        """Drops the bodies of those that are no longer there."""
        standings = self.judge.standings
        self.bodies = self.bodies.take(np.array([one in standings for one in self.bodies.number.tolist()], dtype=bool))

    def start_over(self, frame: int, *, whole: bool, cooled: bool) -> None:
        """What was discarded is gone, what was ordered does not come, and fixtures are placed anew. In a `whole` new
        run names count anew; `cooled` emitters are ready."""
        self.purge()
        self.waiting.clear()
        if whole:
            self.made.clear()
        if cooled:
            self.fired.clear()
        self._place_fixtures(frame)

    def forget(self, number: int) -> None:
        """A driven actor is gone for good."""
        gun = self._gun_of.pop(number, None)
        if gun is not None:
            self.own[gun].discard(number)
            if not self.own[gun]:
                del self.own[gun]
        birth = self.judge.births[number]
        for emitter in self.rules.kinds[birth.kind].emitters:
            self.fired.pop((number, emitter.name), None)
        if birth.id in self.fixtures:
            return  # it may be placed again, and what it makes is counted over the run
        for emitter in self.rules.kinds[birth.kind].emitters:
            self.made.pop(f"{birth.id}/{emitter.name}", None)
        for fan in self.rules.kinds[birth.kind].down.spawn:
            self.made.pop(f"{birth.id}+{fan.kind}", None)

    def counted(self, number: int, plan: Plan | None) -> bool:
        """Whether an actor's going makes room under a limit that decided something in a plan."""
        return plan is not None and self._gun_of.get(number) in plan.bound

    def is_idle(self, kind: str) -> bool:
        """Whether actors of a kind neither touch nor fire nor matter to who does: sparks."""
        of = self.rules.kinds[kind]
        return not (of.emitters or kind in self.matters or any(box.role != "body" for box in of.boxes))

    def slip_in(self, frame: int, plan: Plan) -> bool:
        """Adds what was ordered in a frame to the plan, if none of it matters to anything else; True if it did.

        Such births end no block: nothing that was told ahead changes by them.
        """
        fresh = [birth for birth in self.waiting if birth.frame == frame + 1]
        idle = all(birth.expected or self.is_idle(birth.kind) for birth in fresh)
        if not fresh or not idle or frame + 1 >= plan.stop:
            return False
        number = max(self.next_number, int(plan.bodies.number.max(initial=-1)) + 1)
        listed: list[tuple[Birth, int] | Denial] = []
        births = []
        for birth in fresh:
            listed.append((birth, number))
            if not birth.expected:
                births.append((birth, number))
                number += 1
        plan.births[frame + 1] = [*listed, *plan.births.get(frame + 1, ())]
        self.waiting = [birth for birth in self.waiting if birth.frame > frame + 1]
        bodies = self._bodies(births)
        if len(bodies):
            first = plan.paths.first
            ways = paths(bodies, self.motions, self.outlook, first, len(plan.paths.x), None)
            plan.tell_ends(bodies, ways)
            plan.bodies, plan.paths = plan.bodies.and_also(bodies), plan.paths.joined(ways)
            plan.names |= {number: birth.id for birth, number in births}
        return True

    def leave_children(self, frame: int, number: int, x: float, y: float, velocity: Vector) -> None:
        """Orders the children of an actor that went down, where it is, for the next frame."""
        standing = self.judge.standings[number]
        kind = self.rules.kinds[standing.kind]
        up = 90.0 * self.rules.space.upwards
        centre = angle_of(*velocity) if any(velocity) else up
        owner = self.judge.births[number].owner if self.is_driven(number) else int(self.casting.owners[number])
        for fan in kind.down.spawn:
            self._order(frame + 1, fan, standing.id, (x, y), centre, velocity, (owner, standing.owner), standing.side)

    def spark(self, frame: int, kind: str, x: float, y: float) -> None:
        """Orders an effect for the next frame."""
        self._order(frame + 1, Fan(kind), "effect", (x, y), 0.0, (0.0, 0.0), (None, None), None, spawned=False)

    def _order(
        self,
        frame: int,
        fan: Fan,
        parent: str,
        place: Vector,
        centre: float,
        velocity: Vector,
        owner: tuple[int | None, str | None],
        side: str | None,
        *,
        spawned: bool = True,
    ) -> None:
        prefix = f"{parent}+{fan.kind}"
        names = [f"{prefix}-{self.made[prefix] + index + 1}" for index in range(fan.count)]
        self.made[prefix] += fan.count
        for name, (angle, speed) in zip(names, fan_of(fan, centre, names, self.recording.seed, velocity), strict=True):
            self.waiting.append(
                Birth(frame, name, fan.kind, *place, angle, speed, *owner, side, None, spawned, fan.kind in self.shown)
            )


def _send_back(bodies: Bodies, row: int, frame: int) -> None:
    """A body is at its start in a frame, with its first velocity and facing."""
    bodies.x[row], bodies.y[row] = bodies.home_x[row], bodies.home_y[row]
    bodies.vx[row], bodies.vy[row], bodies.facing[row] = (
        bodies.home_vx[row],
        bodies.home_vy[row],
        bodies.home_facing[row],
    )
    bodies.since[row], bodies.cut[row] = frame, True
