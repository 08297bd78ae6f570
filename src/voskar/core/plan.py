"""A plan: what the rules have set in motion will do in a block of frames, as long as nothing changes its course."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from voskar.core.emitting import Birth, Denial
from voskar.core.motion import Bodies, Paths
from voskar.core.placing import Cast
from voskar.core.recording import Poses
from voskar.core.shapes import Ints

Gun = tuple[int, str]
"""An emitter: the number of its owner, and its name."""


@dataclass(frozen=True, eq=False)
class Casting:
    """What all plans of a replay share: the owners of recorded actors (actors,), all clips, and by kind the clip that
    driven actors show, -1 for none."""

    owners: Ints
    clips: tuple[str, ...]
    clip_of_kind: Ints


@dataclass
class Plan:
    """What driven actors will do in frames start … stop - 1, as long as nothing changes their course.

    `paths` has a row for the frame before start too. By frame: `leaving`, who is no longer there and why;
    `births`, what appears or is denied, and by number the `names` of those who do; `ending`, who is taken away
    at the end. `bound` are the emitters whose limit decided something.
    """

    start: int
    stop: int
    bodies: Bodies
    paths: Paths
    leaving: dict[int, list[tuple[int, str]]]
    births: dict[int, list[tuple[Birth, int] | Denial]]
    names: dict[int, str]
    ending: dict[int, list[tuple[int, str]]]
    bound: set[Gun]
    casting: Casting

    @property
    def frames(self) -> list[int]:
        """The frames in which something happens."""
        return sorted(frame for frame in {*self.leaving, *self.births, *self.ending} if self.start <= frame < self.stop)

    def tell_ends(self, bodies: Bodies, ways: Paths) -> None:
        """Lists who of some bodies is gone by when."""
        for row, why in enumerate(ways.why):
            if why:
                frame = ways.first + int(ways.end[row])
                told, at = (self.leaving, frame) if why in ("expired", "edge") else (self.ending, frame - 1)
                if at < self.stop:
                    told.setdefault(at, []).append((int(bodies.number[row]), why))

    def seats(self, cast: Cast) -> tuple[Cast, Ints]:
        """Recorded actors and the bodies as one cast, and their numbers (seats,)."""
        bodies = self.bodies
        recorded = np.arange(len(cast.kind))
        numbers = np.concatenate([recorded, bodies.number])
        owners = np.concatenate([self.casting.owners, bodies.owner])
        driven = np.flatnonzero(owners >= len(recorded))  # numbers rise with the rows
        row = np.minimum(np.searchsorted(bodies.number, owners[driven]), len(bodies) - 1)
        here = bodies.number[row] == owners[driven]
        owners[driven] = np.where(here, len(recorded) + row, -(1 << 40) - owners[driven])
        kinds = np.concatenate([cast.kind, bodies.kind])
        return Cast(kinds, owners, np.concatenate([cast.spawned, bodies.spawned]), self.casting.clips), numbers

    def poses(self, lead: bool) -> Poses | None:
        """The poses of driven actors in its frames, by frame and seat; with `lead` in the frame before too."""
        bodies, ways = self.bodies, self.paths
        frames = self.stop - self.start + 1
        if not len(bodies):
            return None
        rows = np.arange(frames)[:, None]
        there = (rows >= (bodies.born - ways.first)[None]) & (rows < ways.end[None])
        there[0] &= lead
        k, i = np.nonzero(there)
        count = len(k)
        nan, none = np.broadcast_to(np.nan, count), np.broadcast_to(-1, count)
        never = np.broadcast_to(False, count)
        clip = self.casting.clip_of_kind[bodies.kind[i]]
        frame = ways.first + k
        return Poses(
            frame=frame,
            actor=len(self.casting.owners) + i,
            x=ways.x[k, i],
            y=ways.y[k, i],
            facing=ways.facing[k, i],
            angle=ways.angle[k, i],
            scale=np.broadcast_to(1.0, count),
            clip=clip,
            tick=np.where(clip >= 0, frame - bodies.played[i], -1),
            cell=none,
            vx=ways.vx[k, i],
            vy=ways.vy[k, i],
            health=nan,
            lives=nan,
            cut=ways.cut[k, i],
            hidden=bodies.hides[i] <= frame,
            lingering=never,
        )
