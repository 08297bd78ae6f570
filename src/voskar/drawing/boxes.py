"""Boxes in a picture: filled and hatched by role, with their names, their ways, and where they touched."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.posing import Bounds
from voskar.core.rules.shapes import Floats
from voskar.core.views.scene import Scene, SceneBox
from voskar.drawing.style import ROLES, TOUCHING

if TYPE_CHECKING:
    from voskar.drawing.canvas import Panel
    from voskar.drawing.labels import Labels


def fill_box(panel: Panel, box: SceneBox) -> None:
    """Fills the inside of a box."""
    look = ROLES[box.role]
    for ring in box.rings if look.fill != "none" else ():
        panel.canvas.area(panel.dots(ring), fill=look.fill, line=look.line, hatch=look.hatch, alpha=0.55)


def outline_box(panel: Panel, box: SceneBox, *, strong: bool, covered: bool) -> None:
    """Draws a box as it is, and where it was if it is swept; a box that another covers looks out on both sides of
    it."""
    look, canvas = ROLES[box.role], panel.canvas
    if box.way:
        back = [ring - np.array(box.way) for ring in box.rings]
        canvas.lines(map(panel.dots, outline(back)), look.line, 0.8, alpha=0.6)
        ways = [np.stack([ring.mean(axis=0) - box.way, ring.mean(axis=0)]) for ring in box.rings]
        canvas.lines(map(panel.dots, ways), look.line, 0.9, alpha=0.7)
    width = look.width * (1.5 if strong else 1.0) + (4.0 if covered else 0.0)
    canvas.lines(map(panel.dots, outline(list(box.rings))), look.line, width, look.dashes)


def name_box(labels: Labels, box: SceneBox, size: float) -> None:
    """A box's name and layers, on the side where those of other roles are not."""
    x0, y0, x1, y1 = box.bounds
    layers = f" [{', '.join(box.layers)}]" if box.layers else ""
    low, high = (y1, y0) if labels.panel.down else (y0, y1)
    side, other, shift = (high, low, 7) if box.role == "hurtbox" else (low, high, -7)
    place, over = ((x0 + x1) / 2, side), ((x0 + x1) / 2, other)
    labels.put(f"{box.name}{layers}", place, (0, shift), size, ROLES[box.role].line, spare=True, over=over)


def touch_times(scene: Scene) -> dict[tuple[str, str], float]:
    """When the boxes of a frame that are swept touch first, before its end."""
    found: dict[tuple[str, str], float] = {}
    for contact in scene.contacts:
        if contact.t is not None and contact.t < 1:
            for key in ((contact.attacker or "", contact.hitbox or ""), (contact.target or "", contact.hurtbox or "")):
                found[key] = min(found.get(key, 1.0), contact.t)
    return found


def draw_touch(panel: Panel, box: SceneBox, t: float) -> None:
    """A swept box where it is when it touches."""
    look = ROLES[box.role]
    there = [ring - np.array(box.way) * (1 - t) for ring in box.rings]
    panel.canvas.lines(map(panel.dots, outline(there)), look.line, look.width, TOUCHING)


def outline(rings: Sequence[Floats]) -> list[Floats]:
    """Lines (n, 2) of the outline of a union of convex rings: what no other ring covers of their sides."""
    from matplotlib.path import Path as Ring

    if len(rings) == 1:
        ring = rings[0]
        return [np.concatenate([ring, ring[:1]])]
    shapes = [Ring(np.concatenate([ring, ring[:1]])) for ring in rings]
    size = max(float(np.ptp(ring, axis=0).max()) for ring in rings)
    found: list[Floats] = []
    for index, ring in enumerate(rings):
        following = np.roll(ring, -1, axis=0)
        for start, end in zip(ring, following, strict=True):
            length = float(np.hypot(*(end - start)))
            if length == 0:
                continue
            steps = np.linspace(0, 1, max(int(length / size * 64), 1) + 1)[:, None]
            points = start + (end - start) * steps
            outward = np.array([end[1] - start[1], start[0] - end[0]]) / length * size * 1e-4
            beside = (points[1:] + points[:-1]) / 2 + outward
            covered = np.zeros(len(beside), dtype=np.bool_)
            for other, shape in enumerate(shapes):
                if other != index:
                    covered |= shape.contains_points(beside)
            open_ = np.flatnonzero(~covered)
            runs = np.split(open_, np.flatnonzero(np.diff(open_) > 1) + 1) if len(open_) else []
            found += [points[run[0] : run[-1] + 2] for run in runs]
    return found


def overlaps(a: Bounds, b: Bounds) -> bool:
    """Whether two rectangles of the world share a point."""
    return a[0] <= b[2] and b[0] <= a[2] and a[1] <= b[3] and b[1] <= a[3]
