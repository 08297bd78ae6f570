"""The world: who is there and in what state, and the few verbs that change it.

The numbers that the kernel reads and moves are columns by row (`table`); what the rules know of an actor is an
`ActorState`. An actor's row is its one number, for as long as it is there and anything of its own is. Judge, effects
and lifecycle change the world through the verbs here, at once; what moves shows from the next frame on.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import msgspec
import numpy as np

from voskar.core.boxes import BoxCatalog, FormedBox
from voskar.core.kernel.advance import Kernel, PoseColumns
from voskar.core.kernel.broad_phase import TouchFinder
from voskar.core.kernel.columns import ActorTable
from voskar.core.kernel.motion import MotionTable, Mover
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.kernel.placing import Placing
from voskar.core.kernel.storage import FOREVER, shared_floats
from voskar.core.ledger.events import Event
from voskar.core.recording import Actor, Recording, sides
from voskar.core.recording.inputs import Vector
from voskar.core.recording.lingering import lingering
from voskar.core.recording.shown import cells_of_all
from voskar.core.recording.swings import Swings, TickSwings
from voskar.core.rules import Fixture, Kind, Knockback, Motion, Rules
from voskar.core.rules.shapes import TOLERANCE, Ints

NEVER = -FOREVER
"""A frame before all others."""

Gun = tuple[int, str]
"""An emitter: the row of its owner, and its name."""


class ActorState(msgspec.Struct, gc=False, weakref=False, eq=False):
    """What the rules know of one actor. Immune in frames `immune_since` … `immune_until`."""

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
    stunned_until: int = NEVER
    down: int | None = None
    credit: str | None = None
    spent: int | None = None
    """The frame in which it was used up."""
    gone_until: int = NEVER
    """The first frame in which it is in play again after that."""
    counters: dict[str, float] = {}
    checkpoint: Vector | None = None
    fell_at: Vector | None = None
    """Where it went down."""
    out: bool = False
    returns: bool = False
    """Down, and to come back, itself or in a successor."""
    held: bool = False
    """Due to come back, and waiting for its place to be safe."""
    succeeded: bool = False
    """Another one has taken over its lives."""
    gun: Gun | None = None
    """What fired it, if that counts its own."""
    armed: int = 0
    """Which setting of its triggers holds."""

    def revive(self) -> None:
        """As at the start, but for what outlasts a death: lives, counters and the place to respawn."""
        self.health = self.kind.health
        self.immune_since = self.immune_until = self.stunned_until = self.gone_until = NEVER
        self.immune_cause = ""
        self.down = self.credit = self.spent = None
        self.out = self.returns = self.held = False


class Birth(msgspec.Struct, frozen=True, gc=False):
    """An actor that appears: where, which way it turns and moves, and whose it is.

    `emitter` None: a child or an effect. `velocity` None: its kind's own. `owner_row` -1: none.
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


@dataclass
class RunState:
    """What the run has come to. `start` and `room_start` are the frames since which its clock runs, and in which all
    was as at the start; `ended` the frame in which it was over or won."""

    start: int
    room_start: int
    ended: int | None = None
    won: bool = False
    score: dict[str, float] = field(default_factory=dict)
    anyone_out: bool = False
    seen_kinds: set[str] = field(default_factory=set)
    recheck: bool = False
    """Whether something has changed that may end the run."""
    due: dict[int, int] = field(default_factory=dict)
    """The next frame in which one that is down may come back, by row."""
    outs: dict[int, list[tuple[str, int]]] = field(default_factory=dict)
    """Who is out at the end of a frame: ids and rows."""
    ends: dict[int, list[int]] = field(default_factory=dict)
    """Whose body is taken away at the end of a frame, if it still lies there."""


class World:
    """Everything that a replay knows in a frame. `events` is the ledger so far."""

    def __init__(self, rules: Rules, recording: Recording, catalog: BoxCatalog | None = None) -> None:
        self.rules = rules
        if recording.resets:
            cut = recording.poses.cut | np.isin(recording.poses.frame, list(recording.resets))
            recording = replace(recording, poses=replace(recording.poses, cut=cut))
        self.recording = lingering(recording, rules.contact.linger)
        self.raw = recording.reactions == "raw"
        self.rate = float(recording.rate)
        self.up = rules.space.upwards
        self.frame = recording.first
        self.events: list[Event] = []
        self.run = RunState(recording.first, recording.first)
        self.catalog = catalog or BoxCatalog(rules)
        own_clips = [kind.motion.clip for kind in rules.kinds.values() if kind.motion.clip is not None]
        self.clips = tuple(dict.fromkeys([*recording.clips, *own_clips]))
        self.clip_number = {name: number for number, name in enumerate(self.clips)}
        self.shown_kinds = self.kinds_shown_from(recording.first)
        """Kinds that this run of the recording shows itself: nothing spawns them."""
        self.fixtures = {one.id: one for one in rules.fixtures if one.id not in recording.numbers}
        """Those to be placed: of the others the recording has poses, and these are the truth."""
        self.fixture_row = {name: len(recording.actors) + place for place, name in enumerate(self.fixtures)}
        self.actors: list[ActorState | None] = []
        self.rows: dict[str, int] = {}
        """Rows by id of all recorded actors and of the driven ones that are there."""
        self._free: list[int] = []
        self._refs: list[int] = []
        self._visits: list[int] = []
        self.waiting: list[Birth] = []
        """What was ordered for the next frame, in the order in which it came about."""
        self.settling: set[int] = set()
        """Who has run out of something in this frame."""
        self.made: dict[str, int] = {}
        """How many each emitter, parent and effect has made, by the beginning of their ids."""
        self.guns: dict[Gun, int] = {}
        """How many of its own are there of each emitter with a limit."""
        self._seen: dict[int, Ints] = {}
        self._shows = {
            kind.name: (
                -1 if kind.motion.clip is None else self.clip_number[kind.motion.clip],
                kind.motion.life or FOREVER,
            )
            for kind in rules.kinds.values()
        }
        """The clip and the life of driven actors, by kind."""
        self._build()

    # what it is made of

    def _build(self) -> None:
        rules, recording = self.rules, self.recording
        poses = recording.poses
        kind_of = np.array([self.catalog.kind_number[actor.kind] for actor in recording.actors], dtype=np.int64)
        kinds = kind_of[poses.actor] if len(poses) else np.zeros(0, dtype=np.int64)
        shown = cells_of_all(poses, kinds, rules, recording.clips)
        self.swings = Swings(poses, kinds, shown, rules, recording.clips)
        self.tick_swings = TickSwings(rules)
        boxes, clips = self.catalog.table(self.clips), self.catalog.clip_table(self.clips)
        still = Motion()
        motions = [one for kind in rules.kinds.values() for one in (kind.motion, kind.down.motion or still)]
        self.motions = MotionTable(motions, rules.space, float(1 / rules.rate))
        self.table = ActorTable(len(recording.actors) + len(self.fixtures) + 16)
        corners = max(self.catalog.shapes.most_corners, self.motions.most_corners)
        self.narrow = NarrowPhase(corners)
        self.placing = Placing(self.table.kernel, self.catalog.shapes, boxes)
        slack = -TOLERANCE if rules.contact.edges_touch else TOLERANCE
        self.finder = TouchFinder(self.placing, self.narrow, slack)
        mover = Mover(self.motions, self.placing, self.narrow, clips, TOLERANCE)
        counts_leaving = bool(rules.goal.clear) or any(kind.lives is not None for kind in rules.kinds.values())
        self.pose_columns = PoseColumns(recording, shown)
        self.kernel = Kernel(
            self.table.kernel, self.pose_columns, self.placing, self.finder, mover, clips, counts_leaving
        )
        self._clip_table = clips
        self._most_boxes = max((len(own) for own in self.catalog.by_kind.values()), default=1)
        self._most_recorded = int(np.diff(recording.starts).max(initial=0))
        self._reserve()
        # the columns that velocities are read from, as plain numbers
        self._log_x, self._log_y = shared_floats(poses.x), shared_floats(poses.y)
        self._log_vx, self._log_vy = (shared_floats(np.array(one)) for one in (poses.vx, poses.vy))
        fixtures = [Actor(fixture.id, fixture.kind) for fixture in rules.fixtures]
        everyone = sides([*recording.actors, *fixtures], {kind.name: kind.side for kind in rules.kinds.values()})
        owners = recording.owners.tolist()
        for row, actor in enumerate(recording.actors):
            kind = rules.kinds[actor.kind]
            state = ActorState(row, actor.id, kind, everyone[row], actor.owner, False, kind.health, kind.lives)
            self.actors.append(state)
            self.rows[actor.id] = row
            self._refs.append(0)
            table = self.table
            table.kind[row] = int(kind_of[row])
            table.owner[row] = self.fixture_row.get(actor.owner or "", owners[row])
            table.at[row] = table.played[row] = table.step_at[row] = NEVER
            table.away_until[row] = NEVER
            table.spawned[row] = actor.spawned
        for _ in self.fixtures:
            self.actors.append(None)
            self._refs.append(1)  # its row is its own for ever

    def _reserve(self) -> None:
        """Room in the kernel for all who may be there at once."""
        self.kernel.reserve(self.table.capacity)
        boxes = (self._most_recorded + self.table.capacity - len(self.recording.actors)) * self._most_boxes
        self.placing.reserve(boxes)
        self.finder.reserve(boxes)

    # who is there

    def state(self, row: int) -> ActorState:
        """The actor of a row that is taken."""
        state = self.actors[row]
        assert state is not None
        return state

    def everyone(self) -> Iterator[ActorState]:
        """All recorded actors, there or not, and all driven ones that are there."""
        return (state for state in self.actors if state is not None)

    def find(self, name: str | None) -> ActorState | None:
        """An actor by its id."""
        row = self.rows.get(name or "")
        return None if row is None else self.actors[row]

    def is_present(self, row: int) -> bool:
        """Whether it has a pose in this frame, or is driven and there."""
        return self.table.at[row] == self.frame

    def is_in_play(self, row: int) -> bool:
        """Present and neither hidden, down, out nor used up, as the frame began."""
        return self.kernel.is_in_play(row, self.frame)

    def kinds_shown_from(self, frame: int) -> set[str]:
        """The kinds of all poses from a frame on to the next run mark."""
        recording = self.recording
        marks = (mark for mark, what in recording.resets.items() if what == "run" and mark > frame)
        rows = recording.block(frame, min(marks, default=recording.last + 1))
        return {recording.actors[number].kind for number in np.unique(recording.poses.actor[rows]).tolist()}

    def seen_frames(self, row: int) -> Ints:
        """The frames in which a recorded actor has a pose that is not hidden."""
        if row not in self._seen:
            poses = self.recording.poses
            rows = poses.rows_of(row)
            self._seen[row] = poses.frame[rows[~poses.hidden[rows]]]
        return self._seen[row]

    def visit(self, frame: int) -> None:
        """Something falls due in a frame: it is gone through step by step."""
        heapq.heappush(self._visits, frame)

    def next_visit(self, frame: int) -> int:
        """The next frame, this one or later, in which something falls due that no touch brings about."""
        visits = self._visits
        while visits and visits[0] < frame:
            heapq.heappop(visits)
        return visits[0] if visits else FOREVER

    # where things are

    def position(self, row: int, t: float = 1.0) -> Vector:
        """Where an actor is at a time of the frame, on the straight way from the frame before."""
        table = self.table
        x, y = table.x[row], table.y[row]
        if t == 1.0 or not table.past[row]:
            return x, y
        x0, y0 = table.before_x[row], table.before_y[row]
        return x0 + (x - x0) * t, y0 + (y - y0) * t

    def velocity(self, row: int) -> Vector:
        """Units a second: a driven actor's own, a recorded one's as told, else from the difference of its logged poses.

        A push is no part of it, nor is being sent home. 0 in its first frame, after one out of play, and where cut.
        """
        table = self.table
        if table.driven[row]:
            return table.vx[row], table.vy[row]
        pose, before = table.pose[row], table.before_pose[row]
        vx, vy, flows = self._log_vx[pose], self._log_vy[pose], table.flows[row]
        if vx != vx:
            vx = (self._log_x[pose] - self._log_x[before]) * self.rate if flows else 0.0
        if vy != vy:
            vy = (self._log_y[pose] - self._log_y[before]) * self.rate if flows else 0.0
        return vx, vy

    def heading(self, row: int) -> Vector:
        """The direction of an actor's local +x, of length 1."""
        m00, m10 = self.table.m00[row], self.table.m10[row]
        length = math.hypot(m00, m10)
        return m00 / length, m10 / length

    def clip(self, row: int) -> str | None:
        """The clip that an actor shows."""
        number = self.table.clip[row]
        return self.clips[number] if number >= 0 else None

    def heights(self, row: int, box: FormedBox, *, before: bool) -> tuple[float, float]:
        """The lowest and highest point of a box along up, open or not, now or in the frame before."""
        table = self.table
        number, cell = (
            (table.before_clip[row], table.before_cell[row]) if before else (table.clip[row], table.cell[row])
        )
        form = box.form_in(self.clips[number] if number >= 0 else None, cell)
        if before:
            place = table.before_x[row], table.before_y[row]
            m00, m01, m10, m11 = (
                column[row] for column in (table.before_m00, table.before_m01, table.before_m10, table.before_m11)
            )
        else:
            place = table.x[row], table.y[row]
            m00, m01, m10, m11 = (column[row] for column in (table.m00, table.m01, table.m10, table.m11))
        scale = math.hypot(m01, m11)
        radius = self.catalog.forms[form].radius * scale
        self.placing.bounds(form, *place, m00, m01, m10, m11, radius)
        y0, y1 = self.placing.low_y * self.up, self.placing.high_y * self.up
        return min(y0, y1), max(y0, y1)

    def start(self, row: int) -> Vector:
        """Where an actor appeared first since the last mark."""
        if self.table.driven[row]:
            return self.table.home_x[row], self.table.home_y[row]
        there = self.recording.pose_from(row, self.run_since)
        assert there is not None
        return float(self.recording.poses.x[there[0]]), float(self.recording.poses.y[there[0]])

    @property
    def run_since(self) -> int:
        """The last mark, or the first frame."""
        return max((mark for mark in self.recording.resets if mark <= self.frame), default=self.recording.first)

    # verbs: what moves

    def push(self, state: ActorState, knockback: Knockback, dx: float, dy: float) -> None:
        """A knockback begins in the next frame. One that is sent home or down is not moved by it any more."""
        row = state.row
        if not (self.raw or state.driven) or state.down is not None or self.table.homing[row]:
            return
        if not knockback.add:
            self.kernel.stop_pushes(row)
        self.kernel.reserve_pushes(self.kernel.pushes + 1)
        self.kernel.push(row, self.frame + 1, knockback.over, knockback.fade, dx, dy)

    def send(self, state: ActorState, vx: float, vy: float) -> None:
        """A driven actor has another velocity from the next frame on."""
        if state.driven and state.down is None:
            table, row = self.table, state.row
            table.sent[row], table.sent_vx[row], table.sent_vy[row] = 1, vx, vy

    def send_home(self, state: ActorState) -> Vector:
        """It is at its start in the next frame, and no push of this one or before moves it. Where that is."""
        x, y = self.start(state.row)
        if self.raw or state.driven:
            self.kernel.stop_pushes(state.row)
            if not state.driven:
                self.table.home_x[state.row], self.table.home_y[state.row] = x, y
            self.table.homing[state.row] = 1
        return x, y

    def bring_home(self, state: ActorState) -> Vector:
        """It is at its start in this frame, before anything touches. Where that is."""
        x, y = self.start(state.row)
        table, row = self.table, state.row
        if not (self.raw or state.driven):
            return x, y
        self.kernel.stop_pushes(row)
        if not state.driven and not self.is_present(row):
            table.home_x[row], table.home_y[row], table.homing[row] = x, y, 1
        elif not state.driven:
            table.past[row] = 0
            self._shift_to(row, x, y)
        else:
            self._start_anew(row, x, y)
        return x, y

    def put(self, state: ActorState, x: float, y: float) -> None:
        """A recorded actor's pose of this frame has no past; in a raw recording it is at this place."""
        self.jump(state)
        if self.raw:
            self._shift_to(state.row, x, y)

    def _shift_to(self, row: int, x: float, y: float) -> None:
        """Puts a recorded actor elsewhere, from this frame on."""
        table = self.table
        pose = table.pose[row]
        table.offset_x[row], table.offset_y[row] = x - self._log_x[pose], y - self._log_y[pose]
        table.x[row], table.y[row], table.homing[row] = x, y, 0

    def jump(self, state: ActorState) -> None:
        """What was before this frame counts as nothing."""
        self.table.past[state.row] = self.table.flows[state.row] = 0

    def _start_anew(self, row: int, x: float, y: float) -> None:
        """A driven actor is at a place, with its first velocity and facing."""
        table = self.table
        table.x[row], table.y[row] = x, y
        table.vx[row], table.vy[row] = table.home_vx[row], table.home_vy[row]
        table.facing[row] = table.home_facing[row]
        table.past[row] = table.homing[row] = table.sent[row] = 0
        self.placing.turn(row)

    def stop_pushes(self, state: ActorState) -> None:
        """No push moves it any more."""
        self.kernel.stop_pushes(state.row)

    # verbs: who is there

    def use_up(self, state: ActorState) -> None:
        """Out of play from the next frame on; a recorded one until the recording has been without it for a frame."""
        state.spent = self.frame
        state.gone_until = FOREVER if state.driven else self.recording.returns(state.row, self.frame)
        self.table.away_until[state.row] = state.gone_until
        self.table.played[state.row] = NEVER  # one that is back in the very next frame has no way behind it
        self.settling.add(state.row)

    def take_out(self, state: ActorState) -> None:
        """Out of play from the next frame on, until it is let in again."""
        self.table.away_until[state.row] = FOREVER

    def let_in(self, state: ActorState) -> None:
        """In play from this frame on."""
        self.table.away_until[state.row] = NEVER

    def lay_down(self, state: ActorState, until: int) -> None:
        """A driven actor that is down moves as its kind says, and is seen until a frame; one that returns stays."""
        table, row, down = self.table, state.row, state.kind.down
        table.motion[row] = 2 * table.kind[row] + 1
        table.returns[row] = state.returns
        table.ends[row] = FOREVER if state.returns else until
        table.hides[row] = self.frame + 1 if down.hide else until + 1
        if down.motion is None:
            table.vx[row] = table.vy[row] = 0.0
            table.sent[row], table.fixed[row] = 0, 1
        if not state.returns:
            self.run.ends.setdefault(until, []).append(row)
            self.visit(until)

    def first_cell(self, row: int) -> int:
        """The cell that a driven actor shows first."""
        return self._clip_table.cell_of(self.table.kind[row], self.table.clip[row], 0)

    def stand_up(self, state: ActorState, x: float, y: float) -> None:
        """A driven actor that was down is in play again, as at first but for its life."""
        table, row = self.table, state.row
        table.angle[row] = table.home_angle[row]
        table.motion[row] = 2 * table.kind[row]
        table.bounces[row] = self.motions.bounces[table.motion[row]]
        table.since[row] = self.frame
        table.tick[row] = table.hidden[row] = table.returns[row] = table.fixed[row] = 0
        table.cell[row] = self.first_cell(row)
        table.ends[row] = table.hides[row] = FOREVER
        self._start_anew(row, x, y)

    def hold_row(self, row: int) -> None:
        """Something refers to a driven actor's row: it is not given to another."""
        if row >= 0:
            self._refs[row] += 1

    def drop_row(self, row: int) -> None:
        """It does no more."""
        if row >= 0:
            self._refs[row] -= 1
            if not self._refs[row] and self.actors[row] is None:
                self._release(row)

    def _release(self, row: int) -> None:
        self._free.append(row)
        owner = self.table.owner[row]
        self.table.owner[row] = -1
        self.drop_row(owner)

    def _new_row(self) -> int:
        if self._free:
            return self._free.pop()
        row = len(self.actors)
        self.actors.append(None)
        self._refs.append(0)
        if row >= self.table.capacity:
            self.table.grow(2 * row)
            self._reserve()
        return row

    def enter(self, birth: Birth, facing: float = 1.0) -> ActorState:
        """A driven actor appears in this frame; it first moves in the next."""
        kind = self.rules.kinds[birth.kind]
        row = self.fixture_row[birth.id] if birth.id in self.fixtures else self._new_row()
        number = self.catalog.kind_number[birth.kind]
        state = ActorState(row, birth.id, kind, kind.side or birth.side, birth.owner, True, kind.health, kind.lives)
        self.actors[row] = state
        self.rows[birth.id] = row
        vx, vy = kind.motion.velocity if birth.velocity is None else birth.velocity
        self.table.owner[row] = birth.owner_row
        self.hold_row(birth.owner_row)
        clip, life = self._shows[birth.kind]
        self.kernel.enter(
            self.frame, row, number, clip, life, birth.spawned, birth.x, birth.y, vx, vy, birth.angle, facing
        )
        self.run.seen_kinds.add(birth.kind)
        return state

    def discard(self, state: ActorState) -> None:
        """A driven actor is no more."""
        row = state.row
        kernel, run = self.kernel, self.run
        kernel.leave(row)
        if kernel.pushes:
            kernel.stop_pushes(row)
        self.table.at[row] = NEVER
        if run.due:
            run.due.pop(row, None)
        if self.settling:
            self.settling.discard(row)
        if kernel.ended:
            kernel.keep(row)
        del self.rows[state.id]
        self.actors[row] = None
        if not self._refs[row]:
            self._release(row)

    def touch(self) -> None:
        """Finds the touches of this frame."""
        self.kernel.touch(self.frame)
        self.find_all()

    def find_all(self) -> None:
        """Makes room until all touches of this frame have been found."""
        while self.finder.overflow:
            self.finder.grow(2 * self.finder.room)
            self.finder.find()

    def probe(self, row: int) -> None:
        """What would meet an actor that is not yet in play, where it stands now."""
        self.kernel.probe(self.frame, row)
        self.find_all()

    def left(self) -> list[tuple[int, ActorState, str]]:
        """Who has gone by itself since this was last asked: frame, actor, why; by frame, then id."""
        kernel = self.kernel
        if not kernel.left:
            return []
        found = []
        for k in range(kernel.left):
            state = self.state(kernel.left_row[k])
            found.append((kernel.left_frame[k], state, "edge" if kernel.left_at_edge[k] else "expired"))
        kernel.left = 0
        return sorted(found, key=lambda one: (one[0], one[1].id))

    def ending(self) -> dict[int, str]:
        """Who is taken away at the end of this frame, unless something else takes it: rows, and why."""
        kernel, table = self.kernel, self.table
        found = {kernel.ended_row[k]: "solid" for k in range(kernel.ended)}
        for row in self.run.ends.pop(self.frame, ()):
            if self.actors[row] is not None and table.ends[row] == self.frame:
                found[row] = "down"
        return found

    def fixture_birth(self, fixture: Fixture) -> Birth:
        """How a fixture appears."""
        velocity = fixture.velocity
        if velocity is None:
            own = self.rules.kinds[fixture.kind].motion.velocity
            velocity = own[0] * fixture.facing, own[1]
        return Birth(fixture.id, fixture.kind, *fixture.at, fixture.angle, velocity, spawned=False)
