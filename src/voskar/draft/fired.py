"""Shots as recordings show them: where each appears about its owner, and where it flies."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from voskar.core.recording import Recording
from voskar.draft.seen import CLOSE

SPREAD = 0.5
"""Units, and degrees, that are the same for this."""

Vector = tuple[float, float]


@dataclass(frozen=True)
class Shot:
    """A shot that appears near its owner. `offset` and `heading` are as the owner has them, which faces +x."""

    played: Recording
    id: str
    owner: str
    frame: int
    last: int
    place: Vector
    end: Vector
    pivot: Vector
    """Where its owner is."""
    offset: Vector
    step: Vector | None
    """Units a frame; None if it does not fly straight on."""
    heading: float
    clip: str
    cell: int
    struck: bool
    """It hits an actor where it ends."""

    @property
    def whole(self) -> bool:
        """Whether the recording shows its end, which no hit explains."""
        marks = [mark for mark in self.played.resets if mark > self.frame]
        return not self.struck and self.last < min([self.played.last, *(mark - 1 for mark in marks)])


def shots_of(played: Recording, ends: dict[str, list[int]]) -> Iterator[Shot]:
    """Whatever appears, also again, while its owner is there; `ends` are the frames in which each strikes."""
    poses = played.poses
    owned = [number for number, actor in enumerate(played.actors) if actor.owner in played.numbers]
    stretches = played.stretches(owned)
    for actor, rows in ((played.actors[number], rows) for number in owned for rows, _ in stretches[number]):
        frame = int(poses.frame[rows[0]])
        own = played.row(actor.owner or "", frame)
        if frame == played.first or frame in played.resets or own is None or poses.angle[own] or poses.scale[own] != 1:
            continue
        facing = float(poses.facing[own])
        x, y = poses.x[rows], poses.y[rows]
        offset = float(x[0] - poses.x[own]) * facing, float(y[0] - poses.y[own])
        step: Vector | None = None
        if len(rows) > 1:
            way = float(x[1] - x[0]), float(y[1] - y[0])
            off = np.hypot(np.diff(x) - way[0], np.diff(y) - way[1])
            step = way if (off < 0.05).all() and math.hypot(*way) > 0.05 else None
        heading = math.degrees(math.atan2(step[1], step[0] * facing)) if step is not None else 0.0
        last = int(poses.frame[rows[-1]])
        clip = played.clips[poses.clip[own]] if poses.clip[own] >= 0 else ""
        cell = int(poses.cell[own]) if poses.cell[own] >= 0 else int(poses.tick[own])
        struck = any(abs(end - last) <= CLOSE for end in ends.get(actor.id, ()))
        places = (float(x[0]), float(y[0])), (float(x[-1]), float(y[-1]))
        pivot = float(poses.x[own]), float(poses.y[own])
        yield Shot(
            played, actor.id, actor.owner or "", frame, last, *places, pivot, offset, step, heading, clip, cell, struck
        )


def muzzle_of(offsets: Sequence[Vector]) -> tuple[Vector, list[bool]]:
    """Where most shots appear, and which do."""
    x, y = (float(np.median(axis)) for axis in zip(*offsets, strict=True))
    return (x, y), [max(abs(offset[0] - x), abs(offset[1] - y)) <= SPREAD for offset in offsets]


def turned(shot: Shot) -> Vector:
    """Where a shot appears about its owner, as seen along its way; turned over if that points to the left."""
    assert shot.step is not None
    x, y = shot.place[0] - shot.pivot[0], shot.place[1] - shot.pivot[1]
    cos, sin = (part / math.hypot(*shot.step) for part in shot.step)
    return x * cos + y * sin, (y * cos - x * sin) * (-1 if cos < 0 else 1)


def is_aimed(shot: Shot, point: Vector | None, from_owner: bool) -> bool:
    """Whether it flies at a point from where it appears, or from its owner."""
    start = shot.pivot if from_owner else shot.place
    if point is None or shot.step is None or math.dist(point, start) < 1e-6:
        return False
    way = math.atan2(point[1] - start[1], point[0] - start[0])
    return abs(math.remainder(math.degrees(way - math.atan2(shot.step[1], shot.step[0])), 360.0)) <= SPREAD


def input_of(shot: Shot) -> Vector | None:
    return shot.played.inputs.aim_of(shot.frame, shot.owner, None)


def nearest(shot: Shot, kind: str, from_owner: bool) -> Vector | None:
    poses, played = shot.played.poses, shot.played
    rows = played.block(shot.frame, shot.frame + 1)
    there = [
        (float(poses.x[row]), float(poses.y[row]))
        for row in range(rows.start, rows.stop)
        if played.actors[poses.actor[row]].kind == kind
        and played.actors[poses.actor[row]].id not in (shot.owner, shot.id)
    ]
    start = shot.pivot if from_owner else shot.place
    return min(there, key=lambda pair: math.dist(pair, start), default=None)
