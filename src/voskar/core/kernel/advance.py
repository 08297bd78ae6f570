"""The numeric part of a frame: poses into the world, motion, boxes, touches; and whole frames without any."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

from voskar.core.kernel.storage import floats, grown, ints

if not cython.compiled:
    from math import floor

    from voskar.core.kernel.columns import ActorTable as ActorColumns
    from voskar.core.kernel.motion import FOREVER, GOES_AT_EDGE, GOES_AT_SOLID
    from voskar.core.kernel.placing import ALL, HITS, HURTS

if TYPE_CHECKING:
    from voskar.core.kernel.broad_phase import TouchFinder
    from voskar.core.kernel.columns import PoseColumns
    from voskar.core.kernel.motion import Mover
    from voskar.core.kernel.placing import Placing
    from voskar.core.kernel.shapes import ClipTable
    from voskar.core.kernel.storage import Floats, Ints


class Kernel:
    """Steps the numbers of the world; the judge works between its frames.

    `begin` brings a frame's poses in and moves what is driven; `touch` finds its touches. `advance` does both for frame
    after frame until something touches, leaves at a bad time, or a frame is reached in which something is due.
    `left_*` are driven actors that have gone and are yet to be told; `ended` those that a solid takes at the end of the
    frame.
    """

    def __init__(
        self,
        actors: ActorColumns,
        poses: PoseColumns,
        placing: Placing,
        finder: TouchFinder,
        mover: Mover,
        clips: ClipTable,
        stops_for_leaving: bool,
    ) -> None:
        self.actors, self.poses, self.placing, self.finder = actors, poses, placing, finder
        self.mover, self.clips = mover, clips
        self.stops_for_leaving = stops_for_leaving
        self.begun = self.touched = False
        self.mark = -1
        self.first_row = self.last_row = 0
        self.count = 0
        self.alive: Ints = ints(0)
        self.left = 0
        self.left_row: Ints = ints(0)
        self.left_frame: Ints = ints(0)
        self.left_at_edge: Ints = ints(0)
        self.ended = 0
        self.ended_row: Ints = ints(0)
        self.pushes = 0
        self.push_row: Ints = ints(0)
        self.push_start: Ints = ints(0)
        self.push_over: Ints = ints(0)
        self.push_fade: Ints = ints(0)
        self.push_x: Floats = floats(0)
        self.push_y: Floats = floats(0)

    def reserve(self, rows: int) -> None:
        """Room for so many driven actors."""
        if rows > len(self.alive):
            self.alive = grown(self.alive, rows)
            self.left_row, self.left_frame = grown(self.left_row, rows), grown(self.left_frame, rows)
            self.left_at_edge, self.ended_row = grown(self.left_at_edge, rows), grown(self.ended_row, rows)

    def reserve_pushes(self, count: int) -> None:
        """Room for so many pushes under way."""
        if count > len(self.push_row):
            for name in ("push_row", "push_start", "push_over", "push_fade", "push_x", "push_y"):
                setattr(self, name, grown(getattr(self, name), 2 * count))

    def enter(
        self,
        frame: int,
        row: int,
        kind: int,
        clip: int,
        life: int,
        spawned: bool,
        x: float,
        y: float,
        vx: float,
        vy: float,
        angle: float,
        facing: float,
    ) -> None:
        """A driven actor is there from this frame on, for `life` frames; it first moves in the next."""
        actors = self.actors
        actors.place[row] = self.count
        self.alive[self.count] = row
        self.count += 1
        actors.kind[row] = kind
        actors.x[row] = actors.home_x[row] = x
        actors.y[row] = actors.home_y[row] = y
        actors.vx[row] = actors.home_vx[row] = vx
        actors.vy[row] = actors.home_vy[row] = vy
        actors.facing[row] = actors.home_facing[row] = facing
        actors.angle[row] = actors.home_angle[row] = angle
        actors.scale[row] = 1.0
        actors.clip[row], actors.tick[row] = clip, 0
        actors.cell[row] = self.clips.cell_of(kind, clip, 0)
        actors.pose[row] = -1
        actors.at[row] = actors.born[row] = actors.since[row] = frame
        actors.played[row] = actors.step_at[row] = actors.away_until[row] = actors.before_at[row] = -FOREVER
        actors.expires[row] = frame + life
        actors.ends[row] = actors.hides[row] = FOREVER
        actors.motion[row] = 2 * kind
        actors.bounces[row] = self.mover.table.bounces[2 * kind]
        actors.spawned[row], actors.driven[row] = spawned, 1
        actors.hidden[row] = actors.lingering[row] = actors.past[row] = actors.flows[row] = 0
        actors.homing[row] = actors.sent[row] = actors.returns[row] = actors.fixed[row] = 0
        actors.disarmed_until[row] = -FOREVER
        self.placing.turn(row)
        self.placing.forget(row)

    def first_move(self, frame: int, row: int) -> None:
        """One that has just entered makes its first move in the same frame, from where it appeared."""
        actors = self.actors
        actors.at[row] = actors.played[row] = frame - 1
        self.move(frame, row)
        actors.tick[row] = 0
        actors.cell[row] = self.clips.cell_of(actors.kind[row], actors.clip[row], 0)

    def leave(self, row: int) -> None:
        """A driven actor is gone; the last of the list takes its place."""
        place = self.actors.place[row]
        if place < 0:
            return
        self.count -= 1
        other = self.alive[self.count]
        self.alive[place] = other
        self.actors.place[other] = place
        self.actors.place[row] = -1

    def push(self, row: int, start: int, over: int, fade: bool, x: float, y: float) -> None:
        """From frame `start` on: a way (x, y) in `over` steps, equal or falling linearly. There has to be room."""
        k = self.pushes
        self.push_row[k], self.push_start[k], self.push_over[k] = row, start, over
        self.push_fade[k] = 1 if fade else 0
        self.push_x[k], self.push_y[k] = x, y
        self.pushes = k + 1

    def stop_pushes(self, row: int) -> None:
        """Ends all pushes of an actor."""
        kept = 0
        for k in range(self.pushes):
            if self.push_row[k] != row:
                self.keep_push(k, kept)
                kept += 1
        self.pushes = kept

    def keep_push(self, k: int, place: int) -> None:
        """Moves a push down in the list."""
        self.push_row[place], self.push_start[place] = self.push_row[k], self.push_start[k]
        self.push_over[place], self.push_fade[place] = self.push_over[k], self.push_fade[k]
        self.push_x[place], self.push_y[place] = self.push_x[k], self.push_y[k]

    def step_pushes(self, frame: int) -> None:
        """This frame's steps: of recorded actors onto their offset, of driven ones for their motion to take."""
        actors = self.actors
        kept = 0
        for k in range(self.pushes):
            row, index, over = self.push_row[k], frame - self.push_start[k], self.push_over[k]
            if index >= 0:
                share = (over - index) / (over * (over + 1.0) / 2.0) if self.push_fade[k] else 1.0 / over
                x, y = self.push_x[k] * share, self.push_y[k] * share
                if not actors.driven[row]:
                    actors.offset_x[row] += x
                    actors.offset_y[row] += y
                elif actors.step_at[row] == frame:
                    actors.step_x[row] += x
                    actors.step_y[row] += y
                else:
                    actors.step_at[row] = frame
                    actors.step_x[row], actors.step_y[row] = x, y
            if index + 1 < over:
                self.keep_push(k, kept)
                kept += 1
        self.pushes = kept

    def begin(self, frame: int) -> None:
        """The poses of a frame, as blows have moved them; then what is driven moves, and some of it is gone."""
        self.ended = 0
        if self.pushes:
            self.step_pushes(frame)
        self.load(frame)
        k = 0
        while k < self.count:
            row = self.alive[k]
            if self.actors.born[row] < frame and self.move(frame, row):
                continue  # another one has taken its place in the list
            k += 1

    def load(self, frame: int) -> None:
        """What the recording shows."""
        actors, poses = self.actors, self.poses
        self.first_row = poses.start[frame - poses.first]
        self.last_row = poses.start[frame - poses.first + 1]
        for pose in range(self.first_row, self.last_row):
            row = poses.actor[pose]
            self.remember(frame, row)
            actors.flows[row] = actors.past[row] and not actors.lingering[row]
            if poses.cut[pose * poses.cut_step] or frame == self.mark:
                actors.past[row] = actors.flows[row] = 0
            actors.pose[row] = pose
            x, y = poses.x[pose], poses.y[pose]
            if actors.homing[row]:
                actors.offset_x[row], actors.offset_y[row] = actors.home_x[row] - x, actors.home_y[row] - y
                actors.homing[row] = actors.past[row] = 0
            actors.x[row], actors.y[row] = x + actors.offset_x[row], y + actors.offset_y[row]
            actors.facing[row] = poses.facing[pose * poses.facing_step]
            actors.angle[row] = poses.angle[pose * poses.angle_step]
            actors.scale[row] = poses.scale[pose * poses.scale_step]
            actors.clip[row] = poses.clip[pose * poses.clip_step]
            actors.tick[row] = poses.tick[pose * poses.tick_step]
            actors.cell[row] = poses.shown[pose]
            actors.hidden[row] = poses.hidden[pose * poses.hidden_step]
            actors.lingering[row] = poses.lingering[pose * poses.lingering_step]
            self.placing.turn(row)
            if self.placing.boxes.any_wraps:
                self.come_near(row)

    def remember(self, frame: int, row: int) -> None:
        """What an actor was in the frame before, if it was there."""
        actors = self.actors
        if actors.at[row] == frame - 1:
            actors.before_x[row], actors.before_y[row] = actors.x[row], actors.y[row]
            actors.before_facing[row] = actors.facing[row]
            actors.before_m00[row], actors.before_m01[row] = actors.m00[row], actors.m01[row]
            actors.before_m10[row], actors.before_m11[row] = actors.m10[row], actors.m11[row]
            actors.before_clip[row], actors.before_cell[row] = actors.clip[row], actors.cell[row]
            actors.before_pose[row], actors.before_tick[row] = actors.pose[row], actors.tick[row]
            actors.before_at[row] = frame - 1
            actors.near_x[row] = actors.near_y[row] = 0.0
            actors.past[row] = actors.played[row] == frame - 1
        else:
            actors.past[row] = 0
        actors.at[row] = frame

    def come_near(self, row: int) -> None:
        """For one that wraps, where it was is the nearest of the places that are one."""
        actors, placing = self.actors, self.placing
        if actors.past[row] and placing.boxes.wraps[actors.kind[row]]:
            dx = placing.width * floor((actors.x[row] - actors.before_x[row]) / placing.width + 0.5)
            dy = placing.height * floor((actors.y[row] - actors.before_y[row]) / placing.height + 0.5)
            actors.before_x[row] += dx
            actors.before_y[row] += dy
            actors.near_x[row], actors.near_y[row] = dx, dy

    def move(self, frame: int, row: int) -> bool:
        """One frame of a driven actor; True if it is gone."""
        actors = self.actors
        if actors.expires[row] <= frame:
            self.gone(frame, row, False)
            return True
        self.remember(frame, row)
        angle = actors.angle[row]
        actors.tick[row] = frame - actors.since[row]
        if actors.homing[row]:
            actors.homing[row] = actors.sent[row] = actors.past[row] = 0
            actors.x[row], actors.y[row] = actors.home_x[row], actors.home_y[row]
            actors.facing[row] = actors.home_facing[row]
            if not actors.fixed[row]:
                actors.vx[row], actors.vy[row] = actors.home_vx[row], actors.home_vy[row]
        else:
            if actors.sent[row]:
                actors.sent[row] = 0
                actors.vx[row], actors.vy[row] = actors.sent_vx[row], actors.sent_vy[row]
            pushed = actors.step_at[row] == frame
            left = self.mover.step(row, actors.step_x[row] if pushed else 0.0, actors.step_y[row] if pushed else 0.0)
            if self.mover.jumped:
                actors.past[row] = 0
            if left == GOES_AT_EDGE and not actors.returns[row]:
                self.gone(frame, row, True)
                return True
            if left == GOES_AT_SOLID and not actors.returns[row]:
                self.ended_row[self.ended] = row
                self.ended += 1
        actors.hidden[row] = actors.hides[row] <= frame
        actors.cell[row] = self.clips.cell_of(actors.kind[row], actors.clip[row], actors.tick[row])
        if actors.angle[row] != angle or actors.facing[row] != actors.before_facing[row]:
            self.placing.turn(row)
        if self.placing.boxes.any_wraps:
            self.come_near(row)
        return False

    def gone(self, frame: int, row: int, at_edge: bool) -> None:
        """A driven actor has left: by an edge, else as its life is over."""
        k = self.left
        self.left_row[k], self.left_frame[k], self.left_at_edge[k] = row, frame, at_edge
        self.left = k + 1
        self.leave(row)

    def keep(self, row: int) -> None:
        """No solid takes an actor at the end of this frame: something else has."""
        for k in range(self.ended):
            if self.ended_row[k] == row:
                self.ended -= 1
                self.ended_row[k] = self.ended_row[self.ended]
                return

    def is_in_play(self, row: int, frame: int) -> bool:
        """Present and neither hidden, down, out nor used up."""
        actors = self.actors
        return actors.at[row] == frame and not actors.hidden[row] and actors.away_until[row] <= frame

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
            if self.is_in_play(row, frame):
                self.play(frame, row)
        if self.placing.boxes.any_wraps:
            self.placing.copy_across(self.placing.tolerance)
        self.finder.find()

    def play(self, frame: int, row: int) -> None:
        """One that is in play in this frame: since when, since when its clip goes on, and its open boxes."""
        actors = self.actors
        if actors.played[row] != frame - 1:
            actors.entered[row] = actors.clip_since[row] = frame
        elif (
            actors.before_clip[row] != actors.clip[row]
            or actors.cell[row] < actors.before_cell[row]
            or actors.tick[row] < actors.before_tick[row]
        ):
            actors.clip_since[row] = frame
        actors.played[row] = frame
        self.placing.place(row, ALL)

    def probe(self, frame: int, row: int) -> None:
        """What would meet an actor that is not yet in play, where it stands now."""
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

    def advance(self, frame: int, until: int) -> int:
        """Whole frames from one on, until the first in which something touches, is to be told at once, or `until`.

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
