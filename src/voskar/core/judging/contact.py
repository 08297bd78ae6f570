"""A touching pair of boxes in one frame, and what may be asked about it."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from voskar.core.boxes import FormedBox
from voskar.core.judging.memory import Memory
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Attack, Place, Rehit
from voskar.core.rules.shapes import TOLERANCE
from voskar.core.world import ActorState, World


class Bearing(NamedTuple):
    """Where a striker is, seen from its target, and the numbers that decided.

    `frame` is the one looked at. `gap` is how far the striker (its lowest point, or its centre) is above the
    target (its highest point, or its centre), in units along up; `along` the part of the way to the striker
    along the target's heading.
    """

    place: Place
    frame: int
    gap: float
    along: float


class Contact(msgspec.Struct, gc=False, weakref=False, eq=False):
    """`t` is the time of the touch in the frame, `touch` its row in the kernel's table: -1 for a pair that does not
    touch, of which is asked what would be."""

    world: World
    memory: Memory
    striker: ActorState
    hitbox: FormedBox
    target: ActorState
    hurtbox: FormedBox
    t: float = 1.0
    touch: int = -1

    @property
    def frame(self) -> int:
        """The frame it is in."""
        return self.world.frame

    @property
    def attack(self) -> Attack:
        """What the hitbox does."""
        return self.hitbox.attack

    @property
    def damage(self) -> float:
        """The attack's damage times the hurtbox's scale."""
        return self.hitbox.attack.damage * self.hurtbox.box.damage_scale

    @property
    def rehit(self) -> Rehit:
        """How often the attack may land on its target."""
        return self.hitbox.rehit if self.striker.owner is None else self.hitbox.rehit_owned

    @property
    def swing(self) -> int:
        """Which swing of the attack it is made with."""
        world, striker = self.world, self.striker
        if striker.driven:
            if not self.hitbox.timed:
                return 0
            tick = world.table.tick[striker.row]
            return world.tick_swings.of(striker.kind, self.hitbox.attack.name, tick)
        pose = world.table.pose[striker.row]
        if not self.hitbox.timed:
            return world.swings.whole(pose)
        return world.swings.of(striker.kind, self.hitbox.attack.name, pose)

    def fall(self) -> float:
        """How fast the striker falls, in units a second."""
        return -self.world.velocity(self.striker.row)[1] * self.world.up

    def point(self) -> Vector:
        """A point inside the overlap of the two boxes, at the time of the touch."""
        world = self.world
        world.finder.contact_point(self.touch)
        return world.narrow.point_x, world.narrow.point_y

    def bearing(self) -> Bearing:
        """Where the striker is, seen from the target.

        By edge: above if the hitbox's lowest point was no more than the slack below the hurtbox's highest; else
        below the other way round; else ahead if the way to the striker has a part of 0 or more along the
        target's heading; else behind; all in the frame before, or in this one if either was not in play then
        or its pose is cut. By centre: above or below if positions differ by more than the slack, in this frame.
        """
        world, attack, table = self.world, self.hitbox.attack, self.world.table
        striker, target = self.striker.row, self.target.row
        before = False
        if attack.from_by == "edge":
            before = bool(table.past[striker] and table.past[target])
            hit_low, hit_high = world.heights(striker, self.hitbox, before=before)
            hurt_low, hurt_high = world.heights(target, self.hurtbox, before=before)
            gap, under = hit_low - hurt_high, hurt_low - hit_high
            slack = attack.slack + TOLERANCE
            above, below = gap >= -slack, under >= -slack
        else:
            gap = (table.y[striker] - table.y[target]) * world.up
            above, below = gap > attack.slack, -gap > attack.slack
        if before:
            x, y = table.before_x[striker] - table.before_x[target], table.before_y[striker] - table.before_y[target]
            hx, hy = table.before_m00[target], table.before_m10[target]
        else:
            x, y = table.x[striker] - table.x[target], table.y[striker] - table.y[target]
            hx, hy = table.m00[target], table.m10[target]
        length = (hx * hx + hy * hy) ** 0.5
        along = x * (hx / length) + y * (hy / length)
        place: Place = "above" if above else "below" if below else "ahead" if along >= 0 else "behind"
        return Bearing(place, self.frame - 1 if before else self.frame, gap, along)
