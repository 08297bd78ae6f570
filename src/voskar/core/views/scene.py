"""One frame as plain shapes: what a picture of it needs, and nothing about how it looks."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from voskar.core.adopt.window import Window
from voskar.core.boxes import BoxCatalog
from voskar.core.emitters.aim import Stance
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import SpawnEvent
from voskar.core.posing import Bounds, Posed
from voskar.core.recording import Actor, Claim, Recording
from voskar.core.recording.shown import cells
from voskar.core.rules import Role, Rules
from voskar.core.rules.shapes import Floats, Ints, hull

EXACTLY = Window()
STANDS = ("x", "y", "facing", "angle", "scale")
BOUNCE = 0.3
"""The share of a step, and the units, by which the next has to be another to be that after a bounce."""
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
class Muzzle:
    """Where something was spawned, in this frame or a few before: the muzzle of its emitter, and its aim in degrees."""

    frame: int
    id: str
    x: float
    y: float
    angle: float
    fired: bool
    """Spawned by an emitter, not by a death or a hit."""
    emitter: str = ""
    pivot: tuple[float, float] | None = None
    """The point that its muzzle turned about, in the frame that is looked at."""
    expected: bool = False
    """The recording shows such shots itself, in the frame that is looked at."""
    shown: tuple[str, float] | None = None
    """The recorded actor that appears for an expected spawn, and its distance."""


@dataclass(frozen=True)
class Scene:
    """Everything in one frame. `contacts` are the ledger's contacts that run through it, `shots` what was spawned since
    the trails began, `denied` the emitters that were denied in it, `solids` rings that stop bodies, `adopted` what the
    game has otherwise than the rules in it, `bounces` where an actor was thrown back on its trail, `claims` those of
    this frame, and of hits those that may mean what lands in it."""

    frame: int
    actors: tuple[SceneActor, ...]
    boxes: tuple[SceneBox, ...]
    contacts: tuple[Event, ...]
    shots: tuple[Muzzle, ...] = ()
    denied: tuple[Event, ...] = ()
    solids: tuple[Floats, ...] = ()
    adopted: tuple[Event, ...] = ()
    bounces: tuple[tuple[float, float], ...] = ()
    claims: tuple[Claim, ...] = ()


def scene(
    rules: Rules,
    recording: Recording,
    ledger: Ledger,
    frame: int,
    trail: int = 0,
    down: Collection[str] = (),
    catalog: BoxCatalog | None = None,
    window: Window = EXACTLY,
) -> Scene:
    """The scene of a frame of a recording as it was judged (`Watched.recording`). A hit may be claimed within `window`.

    Hidden actors are left out, and the boxes of those that are `down`: they touch nothing. `trail` frames before it are
    reported for each actor.
    """
    catalog = catalog or BoxCatalog.of(rules)
    poses, rows = recording.poses, recording.block(frame, frame + 1)
    seen = [row for row in range(rows.start, rows.stop) if not poses.hidden[row]]
    actors = []
    boxes: list[SceneBox] = []
    bounces: list[tuple[float, float]] = []
    posed = Posed(catalog, recording.clips, 2, recording)
    # one pose at a time: pictures show few frames, and must not depend on the order of actors
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
        pushes = ledger.about(actor.id, "knockback", "launch", "reflect", "home")
        # a push looks like a bounce, and its hit is shown anyway
        if not any(frame - trail <= push.frame <= frame for push in pushes):  # else its hit is reported
            bounces += _bounces(rules, recording, actor, own)
        if actor.id not in down:
            own_boxes = list(_boxes(posed, recording, row, actor))
            boxes += own_boxes
            # a copy of a box beyond the edge is what other actors touch there
            if rules.kinds[actor.kind].wraps and rules.space.bounds is not None:
                boxes += [copy for box in own_boxes for copy in _over_the_edges(box, rules.space.bounds)]
    # hitboxes are drawn last, on top
    order = {"body": 0, "hurtbox": 1, "hitbox": 2}
    boxes.sort(key=lambda box: order[box.role])
    contacts = [event for event in ledger.of("contact") if event.frame <= frame <= (event.until or event.frame)]
    spawned = [event for event in ledger.all(SpawnEvent) if frame - trail <= event.frame <= frame]
    shots = tuple(_shot(rules, recording, event, now=event.frame == frame) for event in spawned)
    denied = tuple(event for event in ledger.of("denied") if event.frame == frame)
    solids = tuple(part for solid in rules.space.solids for part in solid.outline.parts)
    adopted = tuple(event for event in ledger.of("adopted") if event.frame == frame)
    landed = {(event.attacker, event.target) for event in contacts if event.outcome == "landed"}
    claims = tuple(
        claim
        for claim in recording.claims
        if claim.frame == frame or (claim.event == "hit" and window.holds(claim.frame, frame) and _means(claim, landed))
    )
    places = tuple(bounces)
    return Scene(frame, tuple(actors), tuple(boxes), tuple(contacts), shots, denied, solids, adopted, places, claims)


def _means(claim: Claim, landed: Collection[tuple[str | None, str | None]]) -> bool:
    """Whether a claim may be that of a hit which landed."""
    return any(claim.attacker in (None, attacker) and claim.target in (None, target) for attacker, target in landed)


def _shot(rules: Rules, recording: Recording, event: SpawnEvent, *, now: bool) -> Muzzle:
    """A spawn; of one in the frame that is looked at also its pivot, and what the recording shows of it."""
    shot = Muzzle(event.frame, event.id, event.x, event.y, event.angle, event.emitter is not None, event.emitter or "")
    row = recording.row(event.owner or "", event.frame) if now and event.emitter is not None else None
    if row is not None:
        poses, owner = recording.poses, recording.actors[recording.poses.actor[row]]
        emitter = next((emitter for emitter in rules.kinds[owner.kind].emitters if emitter.name == event.emitter), None)
        if emitter is not None and emitter.turns and emitter.pivot != emitter.muzzle:
            x, y, facing, angle, scale = (float(getattr(poses, stand)[row]) for stand in STANDS)
            shot = replace(shot, pivot=Stance(x, y, facing, angle, scale).place(emitter.pivot))
    if now and event.detail == "expected":
        shot = replace(shot, expected=True, shown=_appears(recording, event))
    return shot


def _appears(recording: Recording, event: SpawnEvent) -> tuple[str, float] | None:
    """The nearest recorded actor of a shot's kind that first appears in its frame, and how far off it is."""
    poses, rows = recording.poses, recording.block(event.frame, event.frame + 1)
    found: list[tuple[float, str]] = []
    for row in range(rows.start, rows.stop):
        actor = recording.actors[int(poses.actor[row])]
        own = actor.kind == event.kind and not actor.driven and actor.owner in (None, event.owner)
        # only its first appearance can be the expected shot
        if own and row == recording.poses.rows_of(int(poses.actor[row]))[0]:
            found.append((math.dist((poses.x[row], poses.y[row]), (event.x, event.y)), actor.id))
    return (min(found)[1], min(found)[0]) if found else None


def _bounces(rules: Rules, recording: Recording, actor: Actor, rows: Ints) -> Iterator[tuple[float, float]]:
    """Places on its trail where an actor that bounces continued otherwise than by its own motion."""
    kind, dt = rules.kinds[actor.kind], 1.0 / float(recording.rate)
    motion = kind.motion
    if not actor.driven or "bounce" not in (motion.at_edge, motion.on_solid) or len(rows) < 3:
        return
    poses = recording.poses
    places = np.stack([poses.x[rows], poses.y[rows]], axis=1)
    steps = np.diff(places, axis=0)
    if motion.at_edge == "wrap" and rules.space.bounds is not None:
        size = np.subtract(rules.space.bounds[2:], rules.space.bounds[:2])
        steps -= size * np.round(steps / size)  # through the edge is no leap
    pull = np.array(motion.acceleration) - (0.0, motion.gravity * rules.space.gravity * rules.space.upwards)
    # compared with the motion that it should have had: gravity alone is no bounce
    off = np.hypot(*(steps[1:] - steps[:-1] - pull * dt * dt).T)
    thrown = (off > BOUNCE * np.hypot(*steps[:-1].T)) & (off > BOUNCE) & ~poses.cut[rows[1:-1]] & ~poses.cut[rows[2:]]
    # a bounce makes two steps odd: the second is the new way
    thrown &= ~np.append(thrown[1:], False)  # a way that ends at a surface is shorter, and only then comes the next
    yield from ((x, y) for x, y in places[1:-1][thrown].tolist())


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
    # a box that turned or changed with its clip has no straight way
    goes_on = goes_on and poses.facing[row] == poses.facing[before] and poses.clip[row] == poses.clip[before]
    if goes_on:
        _put(posed, 1, recording, before)
    for box in posed.boxes(0):
        if not posed.is_open(0, box):
            continue
        rings = tuple(_ring(part, radius) for part, radius in posed.parts(0, box))
        way = None
        if box.swept and goes_on and posed.is_open(1, box):
            (x, y), (x0, y0) = posed.anchor(0, box), posed.anchor(1, box)
            way = (x - x0, y - y0) if (x, y) != (x0, y0) else None
        layers = tuple(posed.catalog.rules.layer_names(box.box.layer))
        yield SceneBox(actor.id, box.name, box.box.role, layers, rings, way)


def _over_the_edges(box: SceneBox, bounds: Bounds) -> Iterator[SceneBox]:
    """The parts of a box beyond an edge, where they come in again on the other side."""
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
        # corners enough that a circle looks round at any size that is drawn
        return hull(corners)
    angles = np.arange(ARC) * (2 * math.pi / ARC)
    around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * radius
    return hull((corners[:, None, :] + around[None]).reshape(-1, 2))
