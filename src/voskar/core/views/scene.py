"""One frame as plain shapes: what a picture of it needs, and nothing about how it looks."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from voskar.core.boxes import BoxCatalog
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import Spawn
from voskar.core.posing import Bounds, Posed
from voskar.core.recording import Actor, Recording
from voskar.core.recording.shown import cells
from voskar.core.rules import Role, Rules
from voskar.core.rules.shapes import Floats, hull

ARC = 48  # corners a full circle is drawn with


@dataclass(frozen=True)
class SceneBox:
    """An open box: its convex parts as closed rings in the world, roundings drawn out as short sides."""

    actor: str
    name: str
    role: Role
    layers: tuple[str, ...]
    rings: tuple[Floats, ...]
    way: tuple[float, float] | None
    """How far a swept box has come since the frame before."""

    @property
    def bounds(self) -> Bounds:
        """x0, y0, x1, y1"""
        points = np.concatenate(self.rings)
        (x0, y0), (x1, y1) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
        return x0, y0, x1, y1


@dataclass(frozen=True)
class SceneActor:
    """An actor in play: where it is, which way it faces (degrees), and where it was, oldest first (n, 2)."""

    id: str
    kind: str
    x: float
    y: float
    heading: float
    trail: Floats
    driven: bool = False
    down: bool = False
    clip: str = ""
    cell: int = -1


@dataclass(frozen=True)
class Shot:
    """Where something was spawned, in this frame or a few before: the muzzle of its emitter, and its aim in degrees."""

    frame: int
    id: str
    x: float
    y: float
    angle: float
    fired: bool
    """By an emitter, and not left behind by who went down or was hit."""


@dataclass(frozen=True)
class Scene:
    """Everything in one frame. `contacts` are the ledger's contacts that run through it, `shots` what was spawned
    since the trails began, `denied` the emitters that were denied in it, `solids` rings that stop bodies, and `adopted`
    what the game has otherwise than the rules in it."""

    frame: int
    actors: tuple[SceneActor, ...]
    boxes: tuple[SceneBox, ...]
    contacts: tuple[Event, ...]
    shots: tuple[Shot, ...] = ()
    denied: tuple[Event, ...] = ()
    solids: tuple[Floats, ...] = ()
    adopted: tuple[Event, ...] = ()


def scene(
    rules: Rules,
    recording: Recording,
    ledger: Ledger,
    frame: int,
    trail: int = 0,
    down: Collection[str] = (),
    catalog: BoxCatalog | None = None,
) -> Scene:
    """The scene of a frame of a recording as it was judged (`Watched.recording`).

    Hidden actors are left out, and the boxes of those that are `down`: they touch nothing. `trail` frames before it
    are told for each actor.
    """
    catalog = catalog or BoxCatalog(rules)
    poses, rows = recording.poses, recording.block(frame, frame + 1)
    seen = [row for row in range(rows.start, rows.stop) if not poses.hidden[row]]
    actors = []
    boxes: list[SceneBox] = []
    posed = Posed(catalog, recording.clips, 2, recording)
    for row in seen:
        number = int(poses.actor[row])
        actor = recording.actors[number]
        own = poses.rows_of(number)
        own = own[(poses.frame[own] >= frame - trail) & (poses.frame[own] <= frame)]
        heading = _put(posed, 0, recording, row)
        actors.append(
            SceneActor(
                actor.id,
                actor.kind,
                float(poses.x[row]),
                float(poses.y[row]),
                heading,
                np.stack([poses.x[own], poses.y[own]], axis=1),
                actor.driven,
                actor.id in down,
                recording.clips[poses.clip[row]] if poses.clip[row] >= 0 else "",
                int(posed.table.cell[0]),
            )
        )
        if actor.id not in down:
            own_boxes = list(_boxes(posed, recording, row, actor))
            boxes += own_boxes
            if rules.kinds[actor.kind].wraps and rules.space.bounds is not None:
                boxes += [copy for box in own_boxes for copy in _over_the_edges(box, rules.space.bounds)]
    order = {"body": 0, "hurtbox": 1, "hitbox": 2}
    boxes.sort(key=lambda box: order[box.role])
    contacts = [event for event in ledger.of("contact") if event.frame <= frame <= (event.until or event.frame)]
    shots = tuple(
        Shot(event.frame, event.id, event.x, event.y, event.angle, event.emitter is not None)
        for event in ledger.all(Spawn)
        if frame - trail <= event.frame <= frame
    )
    denied = tuple(event for event in ledger.of("denied") if event.frame == frame)
    solids = tuple(part for solid in rules.space.solids for part in solid.outline.parts)
    adopted = tuple(event for event in ledger.of("adopted") if event.frame == frame)
    return Scene(frame, tuple(actors), tuple(boxes), tuple(contacts), shots, denied, solids, adopted)


def _put(posed: Posed, place: int, recording: Recording, row: int) -> float:
    """Puts an actor as it is in a pose; its heading in degrees."""
    poses = recording.poses
    kind = posed.catalog.rules.kinds[recording.actors[poses.actor[row]].kind]
    cell = int(cells(poses, np.array([row]), kind, recording.clips, posed.catalog.rules.rate)[0])
    posed.pose(place, recording, row, cell)
    return math.degrees(math.atan2(posed.table.m10[place], posed.table.m00[place]))


def _boxes(posed: Posed, recording: Recording, row: int, actor: Actor) -> Iterator[SceneBox]:
    """The open boxes of an actor, and how far those that are swept have come."""
    poses = recording.poses
    before = int(poses.previous[row])
    goes_on = before >= 0 and not poses.cut[row] and not poses.hidden[before]
    goes_on = goes_on and poses.facing[row] == poses.facing[before] and poses.clip[row] == poses.clip[before]
    if goes_on:
        _put(posed, 1, recording, before)
    for box in posed.boxes(0):
        if not posed.is_open(0, box):
            continue
        parts, radius = posed.parts(0, box)
        rings = tuple(_ring(part, radius) for part in parts)
        swept = actor.spawned if box.box.swept is None else box.box.swept
        way = None
        if swept and goes_on and posed.is_open(1, box):
            (x, y), (x0, y0) = posed.anchor(0, box), posed.anchor(1, box)
            way = (x - x0, y - y0) if (x, y) != (x0, y0) else None
        layers = tuple(posed.catalog.rules.layer_names(box.box.layer))
        yield SceneBox(actor.id, box.name, box.box.role, layers, rings, way)


def _over_the_edges(box: SceneBox, bounds: Bounds) -> Iterator[SceneBox]:
    """What of a box that sticks out comes in again on the other side."""
    low_x, low_y, high_x, high_y = bounds
    for across, along in product((-1, 0, 1), repeat=2):
        dx, dy = across * (high_x - low_x), along * (high_y - low_y)
        x0, y0, x1, y1 = box.bounds
        inside = x0 + dx < high_x and x1 + dx > low_x and y0 + dy < high_y and y1 + dy > low_y
        if (across or along) and inside:
            yield replace(box, rings=tuple(ring + np.array([dx, dy]) for ring in box.rings))


def _ring(corners: Floats, radius: float) -> Floats:
    """A convex part with its rounding as a closed ring (n, 2), counter-clockwise in a y-up frame."""
    if radius == 0:
        return hull(corners)
    angles = np.arange(ARC) * (2 * math.pi / ARC)
    around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * radius
    return hull((corners[:, None, :] + around[None]).reshape(-1, 2))
