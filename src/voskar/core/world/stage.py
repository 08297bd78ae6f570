"""The state of the world: the columns, the actors' states, places and motion."""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterator
from typing import Self, cast

import numpy as np

from voskar.core.boxes import BoxCatalog, FormedBox
from voskar.core.copying import Copier
from voskar.core.kernel.actor_table import ActorTable
from voskar.core.kernel.advance import Kernel
from voskar.core.kernel.broad_phase import TouchFinder
from voskar.core.kernel.columns import PoseColumns
from voskar.core.kernel.motion import MotionColumns, Mover
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.kernel.placing import SCRATCH, Placing
from voskar.core.kernel.pushes import Pushes
from voskar.core.kernel.storage import FOREVER, shared_floats
from voskar.core.ledger.event import Event
from voskar.core.posing import COPIES, bounds_of, box_log
from voskar.core.recording import Actor, Recording, sides
from voskar.core.recording.inputs import Vector
from voskar.core.recording.lingering import lingering, shown_before
from voskar.core.recording.shown import cells_of_all
from voskar.core.rules import Motion, Rules
from voskar.core.rules.shapes import TOLERANCE, Ints
from voskar.core.world.state import NEVER, ActorState, Birth, Gun, RunState, VerbCall


class Stage:
    """Everything that a replay knows in a frame, to be read. `events` is the ledger so far."""

    SHARED = frozenset(("catalog", "fixtures", "shapes", "narrow", "motions", "_entering", "_seen", "_boxes", "_logged",
                        "_poses", "_clip_table"))  # fmt: skip
    """Attributes that all copies share: they never change, or are scratch for one frame."""
    OWN = frozenset(("table", "placing", "finder", "kernel", "events", "orders"))
    """Attributes that each copy builds for itself."""

    def __init__(self, rules: Rules, recording: Recording, catalog: BoxCatalog | None = None) -> None:
        self.rules = rules
        linger = np.array([rules.kinds[actor.kind].linger for actor in recording.actors], dtype=np.int64)
        lives = [rules.kinds[actor.kind].motion.life or FOREVER for actor in recording.actors]
        recording = shown_before(recording) if recording.after_hits else recording
        self.recording = lingering(recording, linger, np.array(lives, dtype=np.int64), rules)
        self.raw = recording.reactions == "raw"
        self.rate = float(recording.rate)
        self.up = rules.space.upwards
        self.frame = recording.first
        self.events: list[Event] = []
        self.orders: list[VerbCall] = []
        """Verbs that would have moved driven actors, but were said to recorded ones."""
        self.run = RunState(recording.first, recording.first)
        self.catalog = catalog or BoxCatalog.of(rules)
        own_clips = [kind.motion.clip for kind in rules.kinds.values() if kind.motion.clip is not None]
        self.clips = tuple(dict.fromkeys([*recording.clips, *own_clips]))
        self.clip_number = {name: number for number, name in enumerate(self.clips)}
        self.shown_kinds = self.kinds_shown_from(recording.first)
        """Kinds that this run of the recording shows itself: nothing spawns them."""
        self.fixtures = {fixture.id: fixture for fixture in rules.fixtures if fixture.id not in recording.numbers}
        """Fixtures that the replay places. The recording has poses of the others, and they count."""
        self.fixture_row = {name: len(recording.actors) + place for place, name in enumerate(self.fixtures)}
        self.actors: list[ActorState | None] = []
        self.rows: dict[str, int] = {}
        """Rows by id of all recorded actors and of the driven ones that are there."""
        self._free: list[int] = []
        self._refs: list[int] = []
        self._visits: list[int] = []
        self._to_visit: set[int] = set()
        self.waiting: list[Birth] = []
        """Births for the next frame, in the order in which they were ordered."""
        self.any_absorbs = any(rule.absorbs for kind in rules.kinds.values() for rule in kind.counters.values())
        """Whether any counter takes damage before health does."""
        self.freezes = rules.any_hitstop
        self.guarded_by_clips = frozenset(kind.name for kind in rules.kinds.values() if kind.any_clip_iframes)
        """The kinds that some clip makes immune."""
        self.has_owners = rules.drives or any(actor.owner is not None for actor in recording.actors)
        self.settling: set[int] = set()
        """Rows of actors that settle this frame: without health, or consumed."""
        self.entered = 0
        """How many driven actors have appeared."""
        self.made: dict[str, int] = {}
        """How many each emitter, parent and hit effect has made, by the beginning of their ids."""
        self.fired_by: dict[tuple[int, int], str] = {}
        """Which emitter of its owner has fired a recorded shot, where that is known: by the frame it appears in and
        its row."""
        self.origins: dict[int, tuple[int, Vector]] = {}
        """The frame and place of recorded shots that moved before their first pose, or use an id again, by row."""
        self.guns: dict[Gun, int] = {}
        """How many of its own are there of each emitter with a limit."""
        self.stopped: dict[int, Vector] = {}
        """The velocities that recorded actors had when they were frozen."""
        self._seen: dict[int, Ints] = {}
        self._entering = {
            kind.name: (
                kind,
                kind.logged_kind,
                self.catalog.kind_number[kind.name],
                -1 if kind.motion.clip is None else self.clip_number[kind.motion.clip],
                kind.motion.life or FOREVER,
            )
            for kind in rules.kinds.values()
        }
        """Kind, its name in recordings, its number, and the clip and the life of driven actors, by the kind's name."""
        self._build()

    # what it is made of

    def _build(self) -> None:
        rules, recording = self.rules, self.recording
        poses = recording.poses
        kind_of = np.array([self.catalog.kind_number[actor.kind] for actor in recording.actors], dtype=np.int64)
        kinds = kind_of[poses.actor] if len(poses) else np.zeros(0, dtype=np.int64)
        self.pose_kinds = kinds.astype(np.int16)
        """The number of the kind of each pose; `shown` has the cell of each pose."""
        self.shown = shown = cells_of_all(poses, kinds, rules, recording.clips)
        self._boxes = self.catalog.table(self.clips, recording.boxes.names, recording.tag_sets)
        self._clip_table = self.catalog.clip_table(self.clips)
        still = Motion()
        motions = [motion for kind in rules.kinds.values() for motion in (kind.motion, kind.down.motion or still)]
        self.motions = MotionColumns(motions, rules.space, float(1 / rules.rate))
        self.shapes = self.catalog.shapes(recording.boxes.room) if recording.boxes.names else self.catalog.own_shapes
        self.narrow = NarrowPhase(max(self.shapes.most_corners, self.motions.most_corners), self.up)
        self._logged = box_log(recording)
        self._poses = PoseColumns(recording, shown)
        self._most_boxes = max((len(own) for own in self.catalog.by_kind.values()), default=1)
        self._most_recorded = int(np.diff(recording.starts).max(initial=0))
        self.table = ActorTable(len(recording.actors) + len(self.fixtures) + 16)
        self._connect()
        # the columns that steps are read from, as plain numbers
        self._log_x, self._log_y = shared_floats(poses.x), shared_floats(poses.y)
        fixtures = [Actor(fixture.id, fixture.kind) for fixture in rules.fixtures]
        kind_sides = {kind.name: kind.side for kind in rules.kinds.values()}
        everyone = sides([*recording.actors, *fixtures], kind_sides, rules.sides_of_children)
        owners = recording.owners.tolist()
        table = self.table
        tags, z = (int(poses.tags[0]), float(poses.z[0])) if len(poses) else (-1, 0.0)
        table.begin(len(recording.actors), NEVER, tags, z)
        for row, actor in enumerate(recording.actors):
            kind = rules.kinds[actor.kind]
            state = ActorState(row, actor.id, kind, everyone[row], actor.owner, False, kind.health, kind.lives)
            self.actors.append(state)
            self.rows[actor.id] = row
            self._refs.append(0)
            table.kind[row] = int(kind_of[row])
            table.owner[row] = self.fixture_row.get(actor.owner or "", owners[row])
            table.spawned[row] = actor.spawned
            self.placing.forget(row)
        for _ in self.fixtures:
            self.actors.append(None)
            self._refs.append(1)  # its row is its own forever

    def _connect(self) -> None:
        """A kernel for the table."""
        rules, clips = self.rules, self._clip_table
        boxes, bounds = self._boxes, bounds_of(rules)
        self.placing = Placing(self.table.kernel, self.shapes, boxes, self._logged, bounds, TOLERANCE, self.freezes)
        slack = -TOLERANCE if rules.contact.edges_touch else TOLERANCE
        self.finder = TouchFinder(self.placing, self.narrow, slack)
        mover = Mover(self.motions, self.placing, self.narrow, clips, Pushes(self.table.kernel), TOLERANCE)
        counts_leaving = bool(rules.goal.clear) or any(kind.lives is not None for kind in rules.kinds.values())
        self.kernel = Kernel(self.table.kernel, self._poses, self.placing, self.finder, mover, clips, counts_leaving)
        self._reserve()

    def copied(self, copier: Copier) -> Self:
        """A stage of its own, with a kernel of its own."""
        made: Self = copier.empty(self)
        copier.fill(made, self, leaving_out=self.OWN)
        made.table = self.table.copy()
        made.events = self.events.copy()  # of events that never change: there may be millions
        made.orders = self.orders.copy()
        made._connect()
        made.placing.copy_from(self.placing)
        made.kernel.copy_from(self.kernel)
        return made

    def _reserve(self) -> None:
        """Room in the kernel for all actors that may be there at once."""
        self.kernel.reserve(self.table.capacity)
        boxes = (self._most_recorded + self.table.capacity - len(self.recording.actors)) * self._most_boxes
        # a logged box that is never logged stands at a point, which takes a spare form, too
        self.shapes.reserve(SCRATCH + (boxes if self.recording.boxes.names else 0))
        boxes *= COPIES if self.placing.boxes.any_wraps else 1
        self.placing.reserve(boxes)
        self.placing.reserve_rows(self.table.capacity)
        self.finder.reserve(boxes)

    # the actors that are there

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
        """Present and neither hidden, down, out nor consumed, as the frame began."""
        return self.kernel.is_in_play(row, self.frame)

    def is_cut(self, row: int) -> bool:
        """Whether a recorded actor's pose of this frame is cut, by more than a mark."""
        return self.frame not in self.recording.resets and bool(self.recording.poses.cut[self.table.pose[row]])

    def kinds_shown_from(self, frame: int) -> set[str]:
        """The kinds of all poses from a frame on to the next run mark."""
        recording = self.recording
        marks = (mark for mark, what in recording.resets.items() if what == "run" and mark > frame)
        rows = recording.block(frame, min(marks, default=recording.last + 1))
        numbers = set(recording.poses.actor[rows].tolist())
        return {recording.actors[number].logged_kind for number in numbers} | recording.shown

    def seen_frames(self, row: int) -> Ints:
        """The frames in which a recorded actor has a pose that is not hidden."""
        if row not in self._seen:
            poses = self.recording.poses
            rows = poses.rows_of(row)
            self._seen[row] = poses.frame[rows[~poses.hidden[rows]]]
        return self._seen[row]

    def visit(self, frame: int) -> None:
        """Something falls due in a frame: it is gone through step by step."""
        if frame not in self._to_visit:
            self._to_visit.add(frame)
            heapq.heappush(self._visits, frame)

    def next_visit(self, frame: int) -> int:
        """The next frame, this one or later, in which something falls due that no touch causes."""
        visits = self._visits
        while visits and visits[0] < frame:
            self._to_visit.discard(heapq.heappop(visits))
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
        """Units a second: of a driven actor its own, of a recorded one as logged, else from its last two poses.

        A push is no part of it, nor is being sent home. 0 in its first frame, after one out of play, and where cut.
        """
        table = self.table
        if table.driven[row]:
            return table.vx[row], table.vy[row]
        if table.frozen_since[row] <= self.frame <= table.frozen_until[row]:
            return self.stopped[row]
        pose, before = table.pose[row], table.before_pose[row]
        poses, flows = self.recording.poses, table.flows[row]
        vx, vy = float(poses.vx[pose]), float(poses.vy[pose])
        if vx == vx and vy == vy:
            return vx, vy
        dx, dy = self._log_x[pose] - self._log_x[before], self._log_y[pose] - self._log_y[before]
        x, y = self.over(dx, dy, row)
        if vx != vx:
            vx = (dx + x) * self.rate if flows else 0.0
        if vy != vy:
            vy = (dy + y) * self.rate if flows else 0.0
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
        if box.box.logged:
            form = self._logged_form(row, box, (m00, m01, m10, m11), scale, before=before)
        radius = self.shapes.radius[form] * scale
        self.placing.bounds(form, *place, m00, m01, m10, m11, radius)
        y0, y1 = self.placing.low_y * self.up, self.placing.high_y * self.up
        return min(y0, y1), max(y0, y1)

    def _logged_form(
        self, row: int, box: FormedBox, matrix: tuple[float, float, float, float], scale: float, *, before: bool
    ) -> int:
        """A spare form with the shape of a box that the game logs, for a place by this matrix; a box without a shape in
        the frame before has that of this frame."""
        table, form = self.table, self.shapes.own
        if not before or not self.placing.logged.lay(form, box.number, table.before_pose[row], *matrix, scale):
            self._lay_now(form, box, row, matrix, scale)
        return form

    def _lay_now(
        self, form: int, box: FormedBox, row: int, matrix: tuple[float, float, float, float], scale: float
    ) -> None:
        """Gives a spare form the shape that the game logs of a box in this frame; a box that is not logged is a point
        at the actor's position."""
        if self.placing.logged.lay(form, box.number, self.table.pose[row], *matrix, scale):
            return
        self.placing.logged.lay_point(form)

    def stand_nearest(self, a: int, hit: FormedBox, b: int, hurt: FormedBox, over: Vector) -> Vector:
        """The parts of box a, a way over, and of box b that come nearest each other, put into `narrow` as A and B.

        Returns the radii of these in world units.
        """
        shapes, narrow, placing, table = self.shapes, self.narrow, self.placing, self.table
        forms = []
        for spare, (row, box) in enumerate(((a, hit), (b, hurt))):
            form = box.form_in(self.clip(row), table.cell[row])
            if box.box.logged:
                form = shapes.own + spare
                matrix = (table.m00[row], table.m01[row], table.m10[row], table.m11[row])
                self._lay_now(form, box, row, matrix, table.scale[row])
            forms.append(form)
        parts = [range(shapes.part_start[form], shapes.part_end[form]) for form in forms]
        gaps = []
        for number in parts[0]:
            placing.corners_a(narrow, number, a, *over)
            for other in parts[1]:
                placing.corners_b(narrow, other, b, 0.0, 0.0)
                radii = shapes.part_radius[number] * table.scale[a], shapes.part_radius[other] * table.scale[b]
                gaps.append((narrow.gap(sum(radii)), number, other, radii))
        _, number, other, radii = min(gaps)
        placing.corners_a(narrow, number, a, *over)
        placing.corners_b(narrow, other, b, 0.0, 0.0)
        return radii

    def over(self, dx: float, dy: float, *rows: int) -> Vector:
        """By how much a way is to be shortened where one of some actors wraps: widths and heights of the space."""
        wraps, kind = self.placing.boxes.wraps, self.table.kind
        if not any(wraps[kind[row]] for row in rows):
            return 0.0, 0.0
        width, height = self.placing.width, self.placing.height
        return -width * math.floor(dx / width + 0.5), -height * math.floor(dy / height + 0.5)

    def start(self, row: int) -> Vector:
        """Where an actor first appeared since the last mark; the muzzle for a shot that made its first move then."""
        if self.table.driven[row]:
            return self.table.home_x[row], self.table.home_y[row]
        if row in self.origins and self.origins[row][0] >= self.run_since:
            return self.origins[row][1]
        there = self.recording.pose_from(row, self.run_since)
        assert there is not None
        return float(self.recording.poses.x[there[0]]), float(self.recording.poses.y[there[0]])

    @property
    def run_since(self) -> int:
        """The last mark, or the first frame."""
        return max((mark for mark in self.recording.resets if mark <= self.frame), default=self.recording.first)

    def left(self) -> list[tuple[int, ActorState, str]]:
        """Actors that left by themselves since the last call: frame, actor, reason; by frame, then id."""
        actors = cast(list[ActorState], self.actors)  # every actor that has left is still known
        found = [(frame, actors[row].id, row, at_edge) for frame, row, at_edge in self.kernel.take_leavers()]
        found.sort()
        return [(frame, actors[row], "edge" if at_edge else "expired") for frame, _, row, at_edge in found]

    def ending(self) -> dict[int, str]:
        """Rows that are removed at the end of this frame, with the reason."""
        table = self.table
        found = dict.fromkeys(self.kernel.solid_takes(), "solid")
        for row in self.run.ends.pop(self.frame, ()):
            if self.actors[row] is not None and table.ends[row] == self.frame:
                found.setdefault(row, "down")  # a solid took it as it moved, before the frame came to its end
        return found
