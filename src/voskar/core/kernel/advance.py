"""The numeric part of a frame: poses into the world, motion, boxes, touches; and whole frames without any."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

from voskar.core.kernel.storage import grown, ints

if not cython.compiled:
    from math import floor

    from voskar.core.kernel.columns import fetch
    from voskar.core.kernel.motion import FOREVER, GOES_AT_EDGE, GOES_AT_SOLID
    from voskar.core.kernel.placing import ALL, HITS, HURTS

if TYPE_CHECKING:
    from voskar.core.kernel.actor_row import ActorRow
    from voskar.core.kernel.broad_phase import TouchFinder
    from voskar.core.kernel.columns import ActorColumns, PoseColumns
    from voskar.core.kernel.motion import Mover
    from voskar.core.kernel.placing import Placing
    from voskar.core.kernel.shapes import ClipColumns
    from voskar.core.kernel.storage import Floats, Ints

AHEAD = 4
"""How many actors before its turn an actor's memory is asked for: the work on one takes a fraction of the wait."""

LISTS = ("alive", "left_row", "left_frame", "left_at_edge", "ended_row")
"""Columns that have room for all driven actors."""


class Kernel:
    """Steps the numbers of the world; the judge works between its frames.

    `begin` brings a frame's poses in and moves what is driven; `touch` finds its touches. `advance` does both for frame
    after frame until something touches, leaves at a bad time, or a frame is reached in which something is due. `left_*`
    are driven actors that have gone and are yet to be reported; `ended` those that a solid takes at the end of the
    frame. `turned` is the last frame in which one that was followed bounced or turned.
    """

    def __init__(
        self,
        actors: ActorColumns,
        poses: PoseColumns,
        placing: Placing,
        finder: TouchFinder,
        mover: Mover,
        clips: ClipColumns,
        stops_for_leaving: bool,
    ) -> None:
        self.actors, self.poses, self.placing, self.finder = actors, poses, placing, finder
        self.mover, self.clips, self.pushes = mover, clips, mover.pushes
        self.stops_for_leaving, self.begun, self.touched = stops_for_leaving, False, False
        self.mark = self.turned = -1
        self.first_row = self.last_row = self.count = self.left = self.ended = 0
        self.alive: Ints = ints(0)
        self.left_row, self.left_frame, self.left_at_edge, self.ended_row = ints(0), ints(0), ints(0), ints(0)

    def reserve(self, rows: int) -> None:
        """Room for so many driven actors."""
        if rows > len(self.alive):
            for name in LISTS:
                setattr(self, name, grown(getattr(self, name), rows))

    def copy_from(self, other: Kernel) -> None:
        """Takes over everything from another kernel of as many rows, whose table and placing have been copied."""
        self.begun, self.touched, self.mark = other.begun, other.touched, other.mark
        self.first_row, self.last_row = other.first_row, other.last_row
        self.count, self.left, self.ended = other.count, other.left, other.ended
        for name in LISTS:
            setattr(self, name, grown(getattr(other, name), len(other.alive)))
        self.pushes.copy_from(other.pushes)

    def enter(
        self, frame: int, row: int, kind: int, clip: int, life: int, spawned: bool,
        x: float, y: float, vx: float, vy: float, angle: float, facing: float, z: float,
    ) -> None:  # fmt: skip
        """A driven actor is there from this frame on, for `life` frames; it first moves in the next.

        Raises IndexError for a row, kind or clip that is not there, or where no room was reserved.
        """
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        if not (0 <= kind < self.placing.boxes.kinds and -1 <= clip < self.clips.clips):
            raise IndexError("no such kind or clip")
        if self.count >= len(self.alive):
            raise IndexError("no room for another driven actor")
        actor = self.actors.rows[row]
        actor.place = self.count
        self.alive[self.count] = row
        self.count += 1
        actor.kind, actor.motion, actor.clip, actor.tick, actor.pose, actor.tags = kind, 2 * kind, clip, 0, -1, -1
        actor.x, actor.y, actor.z = x, y, z
        actor.home_x, actor.home_y = x, y
        actor.vx = actor.home_vx = vx
        actor.vy = actor.home_vy = vy
        actor.facing = actor.home_facing = facing
        actor.angle = actor.home_angle = angle
        actor.scale, actor.turns = 1.0, 0.0
        actor.cell = self.clips.cell_of(kind, clip, 0)
        actor.at = actor.born = actor.since = frame
        actor.played = actor.step_at = actor.before_at = actor.away_until = actor.disarmed_until = -FOREVER
        actor.frozen_since = actor.frozen_until = -FOREVER
        actor.expires, actor.ends, actor.hides = frame + life, FOREVER, FOREVER
        actor.bounces = self.mover.table.bounces[2 * kind]
        actor.spawned, actor.driven = spawned, 1
        actor.hidden = actor.lingering = actor.past = actor.flows = 0
        actor.homing = actor.sent = actor.returns = actor.fixed = actor.met = actor.opens = 0
        self.placing.turn(row)
        self.placing.forget(row)

    def first_move(self, frame: int, row: int) -> None:
        """A driven actor that has just entered makes its first move in the same frame, from where it appeared.

        Raises IndexError.
        """
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor = self.actors.rows[row]
        actor.at = actor.played = frame - 1
        self.move(frame, row)
        actor.tick = 0
        actor.cell = self.clips.cell_of(actor.kind, actor.clip, 0)

    def leave(self, row: int) -> None:
        """A driven actor is gone; the last of the list takes its place."""
        assert 0 <= row < self.actors.count
        place = self.actors.rows[row].place
        if place < 0:
            return
        self.count -= 1
        other = self.alive[self.count]
        self.alive[place] = other
        self.actors.rows[other].place = place
        self.actors.rows[row].place = -1

    def discard(self, row: int) -> None:
        """A driven actor is removed: nothing moves it, and no solid takes it. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        self.leave(row)
        if self.pushes.count:
            self.pushes.stop(row)
        self.actors.rows[row].at = -FOREVER
        for k in range(self.ended):
            if self.ended_row[k] == row:
                self.ended -= 1
                self.ended_row[k] = self.ended_row[self.ended]
                return

    def begin(self, frame: int) -> None:
        """The poses of a frame, as hits have moved them; then driven actors move, and some of them are gone.

        Raises IndexError for a frame that the recording does not have.
        """
        self.ended = 0
        if self.pushes.count:
            self.pushes.step(frame)
        self.load(frame)
        k = 0
        while k < self.count:
            row = self.alive[k]
            if k + AHEAD < self.count:
                fetch(self.actors.rows[self.alive[k + AHEAD]])
            if self.actors.rows[row].born < frame and self.move(frame, row):
                continue  # another one has taken its place in the list
            k += 1

    def load(self, frame: int) -> None:
        """Puts recorded actors where the recording shows them. Raises IndexError for a frame that it does not have."""
        if not 0 <= frame - self.poses.first < len(self.poses.start) - 1:
            raise IndexError("no such frame")
        actors, placing, poses = self.actors, self.placing, self.poses
        self.first_row = poses.start[frame - poses.first]
        self.last_row = poses.start[frame - poses.first + 1]
        for pose in range(self.first_row, self.last_row):
            row = poses.actor[pose]
            assert 0 <= row < actors.count
            actor = actors.rows[row]
            self.remember(frame, actor)
            actor.flows = actor.past and not actor.lingering
            if poses.cut[pose * poses.cut_step] or frame == self.mark:
                actor.past = actor.flows = 0
            actor.pose = pose
            x, y = poses.x[pose], poses.y[pose]
            if actor.homing and not actor.frozen_since <= frame <= actor.frozen_until:
                actor.offset_x, actor.offset_y = actor.home_x - x, actor.home_y - y
                actor.homing = actor.past = 0
            actor.x, actor.y = x + actor.offset_x, y + actor.offset_y
            facing, angle = 1.0 * poses.facing[pose * poses.facing_step], poses.angle[pose * poses.angle_step]
            scale = poses.scale[pose * poses.scale_step]
            if facing != actor.facing or angle != actor.angle or scale != actor.scale:
                actor.facing, actor.angle, actor.scale = facing, angle, scale
                placing.turn(row)
            actor.clip = poses.clip[pose * poses.clip_step]
            actor.tick = poses.tick[pose * poses.tick_step]
            actor.cell = poses.shown[pose * poses.shown_step]
            if poses.tags_step:  # what all poses share is in the rows from the beginning
                actor.tags = poses.tags[pose]
            if poses.z_step:
                actor.z = poses.z[pose]
            actor.hidden = poses.hidden[pose * poses.hidden_step]
            actor.lingering = poses.lingering[pose * poses.lingering_step]
            if placing.boxes.any_wraps:
                self.come_near(actor)

    def remember(self, frame: int, actor: ActorRow) -> None:
        """Keeps the state of the frame before for an actor that was there."""
        if actor.at == frame - 1:
            actor.before_x, actor.before_y = actor.x, actor.y
            actor.before_facing = actor.facing
            actor.before_m00, actor.before_m01 = actor.m00, actor.m01
            actor.before_m10, actor.before_m11 = actor.m10, actor.m11
            actor.before_clip, actor.before_cell = actor.clip, actor.cell
            actor.before_pose, actor.before_tick = actor.pose, actor.tick
            actor.before_at = frame - 1
            if self.placing.boxes.any_conditions:
                actor.before_opens = actor.opens
            actor.past = actor.played == frame - 1
        else:
            actor.past = 0
        actor.at = frame

    def come_near(self, actor: ActorRow) -> None:
        """For an actor that wraps: moves its place in the frame before to the nearest copy."""
        placing = self.placing
        actor.near_x = actor.near_y = 0.0
        if actor.past and placing.boxes.wraps[actor.kind]:
            dx = placing.width * floor((actor.x - actor.before_x) / placing.width + 0.5)
            dy = placing.height * floor((actor.y - actor.before_y) / placing.height + 0.5)
            actor.before_x += dx
            actor.before_y += dy
            actor.near_x, actor.near_y = dx, dy

    def move(self, frame: int, row: int) -> bool:
        """One frame of a driven actor; True if it is gone."""
        assert 0 <= row < self.actors.count
        actor = self.actors.rows[row]
        if actor.expires <= frame:
            self.gone(frame, row, False)
            return True
        self.remember(frame, actor)
        if self.placing.freezes and actor.frozen_since <= frame <= actor.frozen_until:
            return False
        angle = actor.angle
        actor.tick = frame - actor.since
        if actor.homing:
            actor.homing = actor.sent = actor.past = 0
            actor.x, actor.y, actor.facing, actor.turns = actor.home_x, actor.home_y, actor.home_facing, 0.0
            if not actor.fixed:
                actor.vx, actor.vy = actor.home_vx, actor.home_vy
            actor.angle += self.mover.table.spin[actor.motion]
        else:
            if actor.sent:
                actor.sent = 0
                actor.vx, actor.vy = actor.sent_vx, actor.sent_vy
                actor.angle, actor.turns = actor.angle + actor.turns, 0.0
            pushed = actor.step_at == frame
            left = self.mover.step(row, actor.step_x if pushed else 0.0, actor.step_y if pushed else 0.0)
            if self.mover.jumped:
                actor.past = 0
            if left == GOES_AT_EDGE and not actor.returns:
                self.gone(frame, row, True)
                return True
            if left == GOES_AT_SOLID and not actor.returns:
                self.ended_row[self.ended] = row
                self.ended += 1
        actor.hidden = actor.hides <= frame
        actor.cell = self.clips.cell_of(actor.kind, actor.clip, actor.tick)
        if actor.angle != angle or actor.facing != actor.before_facing:
            self.placing.turn(row)
        if self.placing.boxes.any_wraps:
            self.come_near(actor)
        return False

    def gone(self, frame: int, row: int, at_edge: bool) -> None:
        """A driven actor has left: by an edge, else as its life is over."""
        k = self.left
        self.left_row[k], self.left_frame[k], self.left_at_edge[k] = row, frame, at_edge
        self.left = k + 1
        self.leave(row)

    def is_in_play(self, row: int, frame: int) -> bool:
        """Present and neither hidden, down, out nor consumed. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor = self.actors.rows[row]
        return actor.at == frame and not actor.hidden and actor.away_until <= frame

    def recorded(self) -> list[int]:
        """The rows of every actor that the recording shows in this frame."""
        return [self.poses.actor[pose] for pose in range(self.first_row, self.last_row)]

    def driven(self) -> list[int]:
        """The rows of all driven actors that are there."""
        return [self.alive[k] for k in range(self.count)]

    def solid_takes(self) -> list[int]:
        """The rows of those that a solid takes at the end of this frame."""
        return [self.ended_row[k] for k in range(self.ended)]

    def take_leavers(self) -> list[tuple[int, int, bool]]:
        """Frame, row and whether by an edge of each driven actor that has gone since this was last asked."""
        found = [(self.left_frame[k], self.left_row[k], self.left_at_edge[k] != 0) for k in range(self.left)]
        self.left = 0
        return found

    def touch(self, frame: int) -> None:
        """The touches of all in play, in no particular order."""
        self.placing.clear()
        self.placing.frame = frame
        for pose in range(self.first_row, self.last_row):
            row = self.poses.actor[pose]
            if self.is_in_play(row, frame):
                self.play(frame, row)
        for k in range(self.count):
            row = self.alive[k]
            if k + AHEAD < self.count:
                fetch(self.actors.rows[self.alive[k + AHEAD]])
            if self.is_in_play(row, frame):
                self.play(frame, row)
        if self.placing.boxes.any_wraps:
            self.placing.copy_across(self.placing.tolerance)
        self.finder.find()

    def play(self, frame: int, row: int) -> None:
        """Marks an actor as in play in this frame: since when, since when its clip continues, and its open boxes."""
        actor = self.actors.rows[row]
        if actor.played != frame - 1:
            actor.entered = actor.clip_since = frame
        elif actor.before_clip != actor.clip or actor.cell < actor.before_cell or actor.tick < actor.before_tick:
            actor.clip_since = frame
        actor.played = frame
        self.placing.place(row, ALL)

    def probe(self, frame: int, row: int) -> None:
        """Finds the touches of an actor that is not yet in play, at its present place. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        self.placing.clear()
        self.placing.frame = frame
        self.placing.place(row, HURTS)
        for pose in range(self.first_row, self.last_row):
            other = self.poses.actor[pose]
            if other != row and self.is_in_play(other, frame):
                self.placing.place(other, HITS)
        for k in range(self.count):
            other = self.alive[k]
            if other != row and self.is_in_play(other, frame):
                self.placing.place(other, HITS)
        if self.placing.boxes.any_wraps:
            self.placing.copy_across(max(self.placing.tolerance, -self.finder.slack))
        self.finder.find()

    def follow(self, row: int, frame: int, x: Floats, y: Floats, at: int, slack: float, growth: float) -> int:
        """Moves a driven actor from a frame on, a frame for each of the places (n,) from `at` on, while it is there and
        no further than `slack` and `growth` times the frames so far from them. No other actor moves.

        Returns the first place that it is not at, or where a solid takes it; n if there is none. Raises IndexError.
        """
        if not (0 <= row < self.actors.count and 0 <= at <= len(x) == len(y)):
            raise IndexError("no such row or place")
        self.ended = 0
        self.turned = -FOREVER
        actor = self.actors.rows[row]
        while at < len(x):
            if self.pushes.count:
                self.pushes.step(frame)
            if self.move(frame, row):
                return at
            if self.mover.turned:
                self.turned = frame
            dx, dy = actor.x - x[at], actor.y - y[at]
            if self.ended or dx * dx + dy * dy > slack * slack:
                return at
            slack += growth
            frame += 1
            at += 1
        return at

    def advance(self, frame: int, until: int) -> int:
        """Whole frames from one on, until the first in which something touches, is to be reported at once, or `until`.

        Returns the frame it stopped in. `begun` says whether it has moved (else it is `until`), `touched` whether its
        touches have been found.
        """
        while frame < until:
            self.begin(frame)
            if self.left and self.stops_for_leaving:
                self.begun, self.touched = True, False
                return frame
            self.touch(frame)
            if self.finder.count or self.ended:
                self.begun = self.touched = True
                return frame
            frame += 1
        self.begun = self.touched = False
        return frame
