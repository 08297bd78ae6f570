"""What the looks of a picture mean."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from voskar.core.posing import Bounds
from voskar.core.rules.shapes import Floats
from voskar.core.views.scene import Scene
from voskar.drawing.boxes import overlaps, touch_times
from voskar.drawing.style import FAINT, GRID, INK, MUZZLE, ROLES, mark

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SAMPLE, LETTER, ROW = 0.25, 0.075, 0.24
"""Inches: a sample's width, a letter's, and from row to row."""


class Sample(NamedTuple):
    """A look and what it means: of an area, or of a mark with a line or without."""

    label: str
    area: bool
    look: dict[str, Any]


def samples(scenes: Sequence[Scene], shown: Bounds) -> list[Sample]:
    """What the legend explains: what there is to be seen."""
    roles = {box.role for one in scenes for box in one.boxes}

    def sign(label: str, marker: str, **look: Any) -> Sample:
        return Sample(label, False, {"marker": marker, "color": INK, "linestyle": "none"} | look)

    found = [
        Sample(role, True, {"fc": look.fill, "ec": look.line, "hatch": look.hatch or None, "ls": look.dashes})
        for role, look in ROLES.items()
        if role in roles
    ]
    for outcome in sorted({contact.outcome or "" for one in scenes for contact in one.contacts}):
        fill = INK if outcome == "landed" else "none"
        found.append(sign(outcome, mark(outcome), markerfacecolor=fill, markersize=9))
    found.append(sign("position, arrow: facing", "+", markersize=8))
    if any(box.way and (box.actor, box.name) in touch_times(one) for one in scenes for box in one.boxes):
        look = {"color": ROLES["hitbox"].line, "linestyle": (0, (1, 1)), "linewidth": 1.9}
        found.append(Sample("swept, at the touch", False, look))
    shots = [shot for one in scenes for shot in one.shots]
    for fired, marker, label in ((True, "D", "muzzle and aim of a shot"), (False, "h", "child or effect appears")):
        if any(shot.fired == fired for shot in shots):
            found.append(sign(label, marker, color=MUZZLE, markersize=6))
    if any(overlaps(_bounds(ring), shown) for one in scenes for ring in one.solids):
        found.append(Sample("solid", True, {"fc": GRID, "ec": FAINT, "hatch": ".."}))
    if any(len(actor.trail) > 1 for one in scenes for actor in one.actors):
        found.append(sign("frames before", ".", color=FAINT, linestyle="solid", linewidth=0.9))
    return found


def rows_of(told: Sequence[Sample], width: float) -> list[list[tuple[float, Sample]]]:
    """The legend's samples in rows, each with where it begins, in inches. How long a label is, is not measured but
    known well enough: to lay out a legend of Matplotlib's takes as long as to draw four boxes."""
    rows: list[list[tuple[float, Sample]]] = [[]]
    at = 0.0
    for one in told:
        needed = SAMPLE + 0.3 + LETTER * len(one.label)
        if at + needed > width and rows[-1]:
            rows.append([])
            at = 0.0
        rows[-1].append((at, one))
        at += needed
    return rows


def draw_legend(figure: Figure, rows: Sequence[Sequence[tuple[float, Sample]]], left: float) -> None:
    """Draws the rows below everything, so many inches from the left."""
    from matplotlib.lines import Line2D
    from matplotlib.patches import Rectangle

    scale = figure.dpi_scale_trans
    for number, row in enumerate(reversed(rows)):
        y = 0.16 + ROW * number
        for at, (label, area, look) in row:
            x = left + at
            if area:
                figure.add_artist(Rectangle((x, y - 0.045), SAMPLE, 0.09, transform=scale, **look))
            else:
                xs = [x + SAMPLE / 2] if look["linestyle"] == "none" else [x, x + SAMPLE / 2, x + SAMPLE]
                line = Line2D(xs, [y] * len(xs), transform=scale, markevery=[len(xs) // 2], **look)
                figure.add_artist(line)
            figure.text(x + SAMPLE + 0.08, y, label, transform=scale, va="center_baseline", color=INK, fontsize=9)


def _bounds(ring: Floats) -> Bounds:
    (x0, y0), (x1, y1) = ring.min(axis=0).tolist(), ring.max(axis=0).tolist()
    return x0, y0, x1, y1
