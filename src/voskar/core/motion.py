"""How driven actors move: their ways through a block of frames, in bulk, until something changes them.

A frame's step is v += a·dt, v *= max(0, 1 - drag·dt), |v| capped, position += v·dt plus the frame's step of
knockback, angle += spin·dt (semi-implicit Euler); then solids on the way, then the edges of the space.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

import numpy as np

from voskar.core.placing import Wardrobe
from voskar.core.rules import Kind, Rules
from voskar.core.rules_driven import Motion
from voskar.core.shapes import TOLERANCE, Bools, Floats, Ints, cos_sin
from voskar.core.solids import ANYWHERE, BodyParts, Solids

FOREVER = 1 << 60
SLIDES = 4
"""Surfaces a body may slide along within one frame."""
LEVEL = 2.0**-0.5
"""The least part of a normal along up that makes a surface a floor or ceiling: within 45 degrees."""

EDGES = ("none", "remove", "wrap", "bounce", "stop")
SOLIDS = ("pass", "remove", "bounce", "stop", "turn")
STAYS, GOES_AT_EDGE, GOES_AT_SOLID = 0, 1, 2


@dataclass(eq=False)
class Bodies:
    """Driven actors as columns of one length.

    `motion` indexes `Motions`. The state holds in frame `since`; clip and beats count from `played`; `expires` is
    the first frame that its life leaves it out of, `ends` the last in which it is there after it went down, `hides`
    the first in which it is no longer seen. One that `returns` is down and stays, wherever it goes. `owner` is a
    number as in `Cast`.
    """

    number: Ints
    kind: Ints
    motion: Ints
    x: Floats
    y: Floats
    vx: Floats
    vy: Floats
    angle: Floats
    facing: Floats
    bounces: Ints
    born: Ints
    since: Ints
    played: Ints
    expires: Ints
    ends: Ints
    home_x: Floats
    home_y: Floats
    home_vx: Floats
    home_vy: Floats
    home_facing: Floats
    owner: Ints
    spawned: Bools
    hides: Ints
    returns: Bools
    cut: Bools

    def __len__(self) -> int:
        return len(self.number)

    def take(self, rows: Ints | Bools) -> Bodies:
        """Some of them."""
        return Bodies(*(getattr(self, field.name)[rows] for field in fields(self)))

    def and_also(self, more: Bodies) -> Bodies:
        """These, then more."""
        both = ((getattr(self, field.name), getattr(more, field.name)) for field in fields(self))
        return Bodies(*(np.concatenate(pair) for pair in both))

    @classmethod
    def none(cls) -> Bodies:
        """No body at all."""
        sorts: dict[str, Any] = {"Floats": np.float64, "Ints": np.int64, "Bools": np.bool_}
        return cls(**{field.name: np.zeros(0, dtype=sorts[str(field.type)]) for field in fields(cls)})


class Motions:
    """The motions of a rulebook as columns: kind k moves by row 2k, and by row 2k + 1 when it is down."""

    def __init__(self, rules: Rules) -> None:
        still = Motion()
        all_of = [one for kind in rules.kinds.values() for one in (kind.motion, kind.down.motion or still)]
        self.dt = dt = float(1 / rules.rate)
        fall = -rules.space.gravity * rules.space.upwards
        self.ax = np.array([one.acceleration[0] for one in all_of])
        self.ay = np.array([one.acceleration[1] + one.gravity * fall for one in all_of])
        self.keep = np.array([max(0.0, 1.0 - one.drag * dt) for one in all_of])
        self.spin = np.array([one.spin * dt for one in all_of])
        self.cap = np.array([np.inf if one.max_speed is None else one.max_speed for one in all_of])
        self.edge = np.array([EDGES.index(one.at_edge) for one in all_of], dtype=np.int64)
        self.solid = np.array([SOLIDS.index(one.on_solid) for one in all_of], dtype=np.int64)
        self.bounces = np.array([FOREVER if one.bounces is None else one.bounces for one in all_of], dtype=np.int64)
        self.bounciness = np.array([one.bounciness for one in all_of])
        self.bounds = rules.space.bounds
        self.upwards = rules.space.upwards
        if self.bounds is None:
            self.edge[:] = 0
        self.solids = Solids(rules.space.solids)
        if not self.solids:
            self.solid[:] = 0
        crooked = (self.keep != 1) | np.isfinite(self.cap) | (self.edge > 1) | (self.solid > 0)
        self.straight: Bools = ~crooked
        """Motions whose whole way is a sum, without a look at every frame."""


@dataclass(eq=False)
class Paths:
    """Where bodies are in frames `first` … , arrays (frames, bodies). Rows before a body's `since` repeat its state.

    `end` (bodies,) is the first row in which one is no longer there, `why` what ended it: "" where nothing did.
    """

    first: int
    x: Floats
    y: Floats
    vx: Floats
    vy: Floats
    angle: Floats
    facing: Floats
    bounces: Ints
    cut: Bools
    end: Ints
    why: list[str]

    def joined(self, more: Paths) -> Paths:
        """The same frames of more bodies, behind these."""
        names = ("x", "y", "vx", "vy", "angle", "facing", "bounces", "cut")
        both = {name: np.concatenate([getattr(self, name), getattr(more, name)], axis=1) for name in names}
        return Paths(self.first, **both, end=np.concatenate([self.end, more.end]), why=self.why + more.why)


def paths(bodies: Bodies, motions: Motions, outlook: Outlook, first: int, frames: int, pushes: Floats | None) -> Paths:
    """The ways of bodies through frames first … first + frames - 1, if nothing changes them.

    `pushes` (frames, bodies, 2) are the steps of knockback of each frame.
    """
    count = len(bodies)
    born = bodies.since - first
    shape = (frames, count)
    steps = np.zeros((*shape, 2)) if pushes is None else pushes
    moving = np.arange(frames)[:, None] > born[None]
    result = Paths(
        first,
        np.empty(shape),
        np.empty(shape),
        np.empty(shape),
        np.empty(shape),
        np.empty(shape),
        np.empty(shape),
        bounces=np.broadcast_to(bodies.bounces, shape).copy(),
        cut=(np.arange(frames)[:, None] == born[None]) & bodies.cut[None],
        end=np.full(count, frames, dtype=np.int64),
        why=[""] * count,
    )
    straight = motions.straight[bodies.motion]
    _sum_up(result, bodies, motions, np.flatnonzero(straight), moving, steps)
    _walk(result, bodies, motions, outlook, np.flatnonzero(~straight), moving, steps)
    for ends, why, before in (
        (bodies.expires - first, "expired", ("edge",)),
        (bodies.ends + 1 - first, "down", ("edge", "solid", "expired", "")),
    ):
        for row in np.flatnonzero(ends <= result.end).tolist():
            if ends[row] < result.end[row] or result.why[row] in before:  # of two ends, the one told first
                result.end[row], result.why[row] = int(ends[row]), why
    return result


def _sum_up(path: Paths, bodies: Bodies, motions: Motions, at: Ints, moving: Bools, steps: Floats) -> None:
    """Straight ways: running sums, which add up in the same order as a walk frame by frame would."""
    if not len(at):
        return
    motion, on = bodies.motion[at], moving[:, at]

    def summed(start: Floats, more: Floats) -> Floats:
        if not more.any():
            return np.broadcast_to(start, on.shape)
        terms = np.where(on, more, 0.0)
        terms[0] = start + terms[0]
        result: Floats = np.cumsum(terms, axis=0)
        return result

    dt = motions.dt
    path.vx[:, at] = vx = summed(bodies.vx[at], np.broadcast_to(motions.ax[motion] * dt, on.shape))
    path.vy[:, at] = vy = summed(bodies.vy[at], np.broadcast_to(motions.ay[motion] * dt, on.shape))
    path.x[:, at] = x = summed(bodies.x[at], vx * dt + steps[:, at, 0])
    path.y[:, at] = y = summed(bodies.y[at], vy * dt + steps[:, at, 1])
    path.angle[:, at] = summed(bodies.angle[at], np.broadcast_to(motions.spin[motion], on.shape))
    path.facing[:, at] = bodies.facing[at]
    leaves = (motions.edge[motion] == EDGES.index("remove")) & ~bodies.returns[at]
    if motions.bounds is not None and leaves.any():
        x0, y0, x1, y1 = motions.bounds
        outside = on & leaves & ((x < x0) | (x > x1) | (y < y0) | (y > y1))
        for row in np.flatnonzero(outside.any(axis=0)).tolist():
            path.end[at[row]], path.why[at[row]] = int(outside[:, row].argmax()), "edge"


def _walk(
    path: Paths, bodies: Bodies, motions: Motions, outlook: Outlook, at: Ints, moving: Bools, steps: Floats
) -> None:
    """Ways that have to be looked at in every frame: all such bodies at once, a frame at a time."""
    if not len(at):
        return
    some = bodies.take(at)
    motion = some.motion
    x, y, vx, vy, angle, facing = some.x, some.y, some.vx, some.vy, some.angle, some.facing
    bounces = some.bounces.copy()
    there = np.ones(len(at), dtype=np.bool_)
    dt = motions.dt
    for row in range(len(moving)):
        on = moving[row, at] & there
        if on.any():
            nvx, nvy = vx + motions.ax[motion] * dt, vy + motions.ay[motion] * dt
            nvx, nvy = nvx * motions.keep[motion], nvy * motions.keep[motion]
            speed = np.hypot(nvx, nvy)
            over = speed > motions.cap[motion]
            if over.any():
                share = np.where(over, motions.cap[motion] / np.where(over, speed, 1.0), 1.0)
                nvx, nvy = nvx * share, nvy * share
            vx, vy = np.where(on, nvx, vx), np.where(on, nvy, vy)
            angle = np.where(on, angle + motions.spin[motion], angle)
            step = np.where(on[:, None], np.stack([vx * dt, vy * dt], axis=1) + steps[row, at], 0.0)
            state = _State(x, y, vx, vy, angle, facing, bounces, motion, some)
            leaving = np.zeros(len(at), dtype=np.int64)
            state.move(step, motions, outlook, on, leaving, path.first + row)
            jumped = state.meet_edges(motions, on & (leaving == STAYS), leaving)
            x, y, vx, vy, facing = state.x, state.y, state.vx, state.vy, state.facing
            path.cut[row, at[jumped]] = True
            for gone in np.flatnonzero((leaving > 0) & ~some.returns).tolist():
                at_edge = leaving[gone] == GOES_AT_EDGE
                path.end[at[gone]] = row if at_edge else row + 1
                path.why[at[gone]] = "edge" if at_edge else "solid"
                there[gone] = False
        path.x[row, at], path.y[row, at] = x, y
        path.vx[row, at], path.vy[row, at] = vx, vy
        path.angle[row, at], path.facing[row, at], path.bounces[row, at] = angle, facing, bounces


@dataclass(eq=False)
class _State:
    """The bodies of a walk in one frame."""

    x: Floats
    y: Floats
    vx: Floats
    vy: Floats
    angle: Floats
    facing: Floats
    bounces: Ints
    motion: Ints
    bodies: Bodies

    def move(self, step: Floats, motions: Motions, outlook: Outlook, on: Bools, leaving: Ints, frame: int) -> None:
        """Moves by a step, as far as solids let it."""
        minds = np.flatnonzero(on & (motions.solid[self.motion] > 0))
        if len(minds):
            reach = outlook.reach[self.bodies.kind[minds]]
            minds = minds[motions.solids.near(self.x[minds], self.y[minds], step[minds], reach)]
        free = np.ones(len(self.x), dtype=np.bool_)
        free[minds] = False
        self.x, self.y = np.where(free, self.x + step[:, 0], self.x), np.where(free, self.y + step[:, 1], self.y)
        rest = step[minds]
        for _ in range(SLIDES):
            if not len(minds):
                return
            parts = outlook.body_parts(self, minds, frame)
            t, normal = motions.solids.first_met(parts, rest)
            share = np.minimum(t, 1.0)[:, None]
            self.x[minds] += rest[:, 0] * share[:, 0]
            self.y[minds] += rest[:, 1] * share[:, 0]
            met = np.flatnonzero(np.isfinite(t))
            rest = rest * (1.0 - share)
            going_on = [k for k in met.tolist() if self._meet(int(minds[k]), normal[k], motions, leaving)]
            into = (rest[going_on] * normal[going_on]).sum(axis=1)
            minds, rest = minds[going_on], rest[going_on] - into[:, None] * normal[going_on]

    def _meet(self, body: int, normal: Floats, motions: Motions, leaving: Ints) -> bool:
        """What a body does at a surface; True if it goes on along it."""
        motion = self.motion[body]
        rule = SOLIDS[motions.solid[motion]]
        into = float(self.vx[body] * normal[0] + self.vy[body] * normal[1])
        if rule == "remove":
            leaving[body] = GOES_AT_SOLID
            return False
        if rule == "bounce":
            if self.bounces[body] == 0:
                leaving[body] = GOES_AT_SOLID
                return False
            self.bounces[body] -= 1
            if into < 0:
                kept = motions.bounciness[motion]
                self.vx[body] = (self.vx[body] - 2 * into * normal[0]) * kept
                self.vy[body] = (self.vy[body] - 2 * into * normal[1]) * kept
            return False
        if rule == "turn" and abs(normal[1]) < LEVEL - TOLERANCE:
            self.vx[body], self.facing[body] = -self.vx[body], -self.facing[body]
            return False
        if into < 0:
            self.vx[body] -= into * normal[0]
            self.vy[body] -= into * normal[1]
        return True

    def meet_edges(self, motions: Motions, on: Bools, leaving: Ints) -> Bools:
        """Keeps bodies within the bounds, each axis for itself; which of them jumped to the other side."""
        jumped = np.zeros(len(on), dtype=np.bool_)
        if motions.bounds is None:
            return jumped
        rule, kept = motions.edge[self.motion], motions.bounciness[self.motion]
        for axis, (low, high) in enumerate(zip(motions.bounds[:2], motions.bounds[2:], strict=True)):
            place = self.x if axis == 0 else self.y
            outside = on & ((place < low) | (place > high)) & (leaving == STAYS)
            if not outside.any():
                continue
            leaving[outside & (rule == EDGES.index("remove"))] = GOES_AT_EDGE
            wrapping = outside & (rule == EDGES.index("wrap"))
            jumped |= wrapping
            place = np.where(wrapping, low + np.mod(place - low, high - low), place)
            bouncing = outside & (rule == EDGES.index("bounce"))
            spent = bouncing & (self.bounces == 0)
            leaving[spent] = GOES_AT_EDGE
            bouncing &= ~spent
            self.bounces[bouncing] -= 1
            mirrored = np.where(place < low, 2 * low - place, 2 * high - place)
            stopping = outside & (rule == EDGES.index("stop"))
            kept_in = np.clip(np.where(bouncing, mirrored, place), low, high)
            place = np.where(bouncing | stopping, kept_in, place)
            mine, other = (self.vx, self.vy) if axis == 0 else (self.vy, self.vx)
            mine = np.where(bouncing, -mine * kept, np.where(stopping, 0.0, mine))
            other = np.where(bouncing, other * kept, other)
            if axis == 0:
                self.x, self.vx, self.vy = place, mine, other
            else:
                self.y, self.vy, self.vx = place, mine, other
        return jumped


class Outlook:
    """The body boxes of kinds, put where bodies are."""

    def __init__(self, rules: Rules, wardrobe: Wardrobe) -> None:
        self.rules, self.wardrobe = rules, wardrobe
        self.kinds: list[Kind] = list(rules.kinds.values())
        self.reach = np.array([self._reach(kind) for kind in self.kinds])
        """By kind, how far a body comes from its actor's position at most."""

    def _reach(self, kind: Kind) -> float:
        farthest = 0.0
        for one in self.wardrobe.by_kind[kind.name]:
            if one.box.role == "body":
                keyed = [number for table in one.keyed.values() for number in table.tolist()]
                for form in (self.wardrobe.forms[number] for number in (one.form, *keyed)):
                    farthest = max(farthest, float(np.hypot(*form.hull.T).max()) + form.radius)
        return farthest

    def body_parts(self, state: _State, movers: Ints, frame: int) -> list[BodyParts]:
        """Open body boxes of some bodies as parts, `mover` counting within `movers`; without a box, the position."""
        found: list[BodyParts] = []
        kinds = state.bodies.kind[movers]
        for number in np.unique(kinds).tolist():
            kind = self.kinds[number]
            rows = np.flatnonzero(kinds == number)
            some = movers[rows]
            place = np.stack([state.x[some], state.y[some]], axis=1)
            fitted = [one for one in self.wardrobe.by_kind[kind.name] if one.box.role == "body"]
            if not fitted:
                everything = np.full(len(rows), ANYWHERE, dtype=np.int64)
                found.append(BodyParts(rows, place[:, None, :], np.zeros(len(rows)), everything))
            ticks = frame - state.bodies.played[some]
            cos, sin = cos_sin(state.angle[some])
            turn = np.stack([cos * state.facing[some], -sin, sin * state.facing[some], cos], axis=1).reshape(-1, 2, 2)
            for one in fitted:
                for form, shown in self.wardrobe.forms_at(one, kind.motion.clip, ticks):
                    for part in self.wardrobe.forms[form].parts:
                        world = np.einsum("kij,nj->kni", turn[shown], part) + place[shown][:, None, :]
                        radius = np.full(len(shown), self.wardrobe.forms[form].radius)
                        mask = np.full(len(shown), one.box.mask, dtype=np.uint64).astype(np.int64)
                        found.append(BodyParts(rows[shown], world, radius, mask))
        return found
