"""One frame as plain shapes: what a picture of it needs, and nothing about how it looks."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from voskar.core.ledger import Event, Ledger
from voskar.core.placing import Wardrobe, place
from voskar.core.recording import Recording
from voskar.core.replay import cast_of, with_lead
from voskar.core.rules import Role, Rules
from voskar.core.shapes import Floats, hull

Bounds = tuple[float, float, float, float]

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
    since the trails began, `denied` the emitters that were denied in it, and `solids` rings that stop bodies."""

    frame: int
    actors: tuple[SceneActor, ...]
    boxes: tuple[SceneBox, ...]
    contacts: tuple[Event, ...]
    shots: tuple[Shot, ...] = ()
    denied: tuple[Event, ...] = ()
    solids: tuple[Floats, ...] = ()


def scene(
    rules: Rules, recording: Recording, ledger: Ledger, frame: int, trail: int = 0, down: Collection[str] = ()
) -> Scene:
    """The scene of a frame of a recording as it was judged (`Judge.recording`).

    Hidden actors are left out, and the boxes of those that are `down`: they touch nothing. `trail` frames before it
    are told for each actor.
    """
    wardrobe = Wardrobe(rules)
    _, poses, lead = with_lead(recording, frame, frame + 1)
    cast = cast_of(recording, wardrobe)
    names = [actor.id for actor in recording.actors]
    boxes = []
    roles: tuple[Role, ...] = ("body", "hurtbox", "hitbox")
    for role in roles:
        placed = place(poses, cast, wardrobe, role, lead)
        for row in range(len(placed)):
            if names[placed.actor[row]] in down:
                continue
            box = wardrobe.fitted[placed.box[row]].box
            form = wardrobe.forms[placed.form[row]]
            pose = int(placed.pose[row])
            m00, m01, m10, m11 = (float(entry[pose]) for entry in poses.matrix)
            turn, at = np.array([(m00, m01), (m10, m11)]), np.array([poses.x[pose], poses.y[pose]])
            radius = form.radius * float(poses.scale[pose])
            rings = tuple(_ring(part @ turn.T + at, radius) for part in form.parts)
            shift = placed.shift[:, row].tolist()
            way = (shift[0], shift[1]) if placed.swept[row] and any(shift) else None
            layers = tuple(rules.layer_names(box.layer))
            boxes.append(SceneBox(names[placed.actor[row]], box.name, role, layers, rings, way))
    actors = []
    for row in range(lead, len(poses)):
        if poses.hidden[row]:
            continue
        number = int(poses.actor[row])
        own = recording.poses.rows_of(number)
        own = own[(recording.poses.frame[own] >= frame - trail) & (recording.poses.frame[own] <= frame)]
        m00, _, m10, _ = (float(entry[row]) for entry in poses.matrix)
        actors.append(
            SceneActor(
                names[number],
                recording.actors[number].kind,
                float(poses.x[row]),
                float(poses.y[row]),
                math.degrees(math.atan2(m10, m00)),
                np.stack([recording.poses.x[own], recording.poses.y[own]], axis=1),
                recording.actors[number].driven,
                names[number] in down,
            )
        )
    contacts = [event for event in ledger.of("contact") if event.frame <= frame <= (event.until or event.frame)]
    shots = tuple(
        Shot(event.frame, event.id or "", event.x or 0.0, event.y or 0.0, event.angle or 0.0, event.emitter is not None)
        for event in ledger.of("spawn")
        if frame - trail <= event.frame <= frame
    )
    denied = tuple(event for event in ledger.of("denied") if event.frame == frame)
    solids = tuple(part for solid in rules.space.solids for part in solid.outline.parts)
    return Scene(frame, tuple(actors), tuple(boxes), tuple(contacts), shots, denied, solids)


def _ring(corners: Floats, radius: float) -> Floats:
    """A convex part with its rounding as a closed ring (n, 2), counter-clockwise in a y-up frame."""
    if radius == 0:
        return hull(corners)
    angles = np.arange(ARC) * (2 * math.pi / ARC)
    around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * radius
    return hull((corners[:, None, :] + around[None]).reshape(-1, 2))
