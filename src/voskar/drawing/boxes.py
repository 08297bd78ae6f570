"""Boxes in a picture: filled and hatched by role, with their names, their ways, and where they touched."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.posing import Bounds
from voskar.core.rules.shapes import Floats
from voskar.core.views.scene import Scene, SceneBox
from voskar.drawing.style import ROLES

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from voskar.drawing.labels import Labels


def draw_box(ax: Axes, box: SceneBox, *, strong: bool) -> None:
    from matplotlib.collections import LineCollection
    from matplotlib.patches import Polygon

    look = ROLES[box.role]
    above = {"body": 3.0, "hurtbox": 3.2, "hitbox": 3.4}[box.role]
    for ring in box.rings if look.fill != "none" else ():
        patch = Polygon(
            ring, closed=True, facecolor=look.fill, edgecolor=look.line if look.hatch else "none", alpha=0.55
        )
        patch.set(hatch=look.hatch or None, linewidth=0.0, zorder=above)
        ax.add_patch(patch)
    if box.way:
        back = [ring - np.array(box.way) for ring in box.rings]
        ax.add_collection(LineCollection(outline(back), colors=look.line, linewidths=0.8, alpha=0.6, zorder=above))
        for ring in box.rings:
            x, y = ring.mean(axis=0)
            ax.plot([x - box.way[0], x], [y - box.way[1], y], color=look.line, linewidth=0.9, alpha=0.7, zorder=above)
    lines = LineCollection(outline(list(box.rings)), colors=look.line, linewidths=look.width * (1.5 if strong else 1.0))
    lines.set(linestyle=look.dashes, zorder=above + 0.1)
    ax.add_collection(lines)


def name_box(labels: Labels, box: SceneBox, size: float) -> None:
    """A box's name and layers, on the side where those of other roles are not."""
    x0, y0, x1, y1 = box.bounds
    layers = f" [{', '.join(box.layers)}]" if box.layers else ""
    down = labels.ax.yaxis_inverted()
    side = {"body": y1, "hurtbox": y0, "hitbox": y1}[box.role] if down else {"hurtbox": y1}.get(box.role, y0)
    shift = 7 if box.role == "hurtbox" else -7
    labels.put(f"{box.name}{layers}", ((x0 + x1) / 2, side), (0, shift), size, ROLES[box.role].line, spare=True)


def touch_times(one: Scene) -> dict[tuple[str, str], float]:
    """When the boxes of a frame that are swept touch first, before its end."""
    found: dict[tuple[str, str], float] = {}
    for contact in one.contacts:
        if contact.t is not None and contact.t < 1:
            for key in ((contact.striker or "", contact.hitbox or ""), (contact.target or "", contact.hurtbox or "")):
                found[key] = min(found.get(key, 1.0), contact.t)
    return found


def draw_touch(ax: Axes, box: SceneBox, t: float) -> None:
    """A swept box where it is when it touches."""
    from matplotlib.collections import LineCollection

    look = ROLES[box.role]
    there = [ring - np.array(box.way) * (1 - t) for ring in box.rings]
    lines = LineCollection(outline(there), colors=look.line, linewidths=look.width, linestyle=(0, (1, 1)), zorder=3.6)
    ax.add_collection(lines)


def outline(rings: Sequence[Floats]) -> list[Floats]:
    """Line segments (2, 2) of the outline of a union of convex rings: what no other ring covers of their sides."""
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
            found += [points[k : k + 2] for k in np.flatnonzero(~covered)]
    return found


def overlaps(a: Bounds, b: Bounds) -> bool:
    """Whether two rectangles of the world share a point."""
    return a[0] <= b[2] and b[0] <= a[2] and a[1] <= b[3] and b[1] <= a[3]
