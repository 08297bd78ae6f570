"""The legend of a picture."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from voskar.core.posing import Bounds
from voskar.core.rules.shapes import Floats
from voskar.core.views.scene import Scene
from voskar.drawing.boxes import overlaps, touch_times
from voskar.drawing.canvas import Canvas
from voskar.drawing.style import BOUNCED, FAINT, INK, MARKED, MUZZLE, PIVOT, ROLES, SOLID, TOUCHING, Dashes, Look, mark

SAMPLE, APART, LETTER, ROW = 0.25, 0.3, 0.075, 0.24
"""Inches: a sample's width, what is free about its label, a letter of it, and from row to row."""
SIZE = 9
"""Points of a label."""


class Sample(NamedTuple):
    """A look and what it means: an area of a role's look, or a mark, or a line, or a mark on a line."""

    label: str
    area: Look | None = None
    sign: str = ""
    colour: str = INK
    fill: str | None = None
    size: float = 8
    line: tuple[float, Dashes] | None = None


def samples(scenes: Sequence[Scene], shown: Bounds) -> list[Sample]:
    """Samples for all that the picture shows."""
    roles = {box.role for scene in scenes for box in scene.boxes}
    found = [Sample(role, look) for role, look in ROLES.items() if role in roles]
    for outcome in sorted({contact.outcome or "" for scene in scenes for contact in scene.contacts}):
        found.append(Sample(outcome, sign=mark(outcome), fill=INK if outcome == "landed" else None, size=9))
    found.append(Sample("position, arrow: facing", sign="+"))
    if any(box.way and (box.actor, box.name) in touch_times(scene) for scene in scenes for box in scene.boxes):
        found.append(Sample("swept, at the touch", colour=ROLES["hitbox"].line, line=(1.9, TOUCHING)))
    shots = [shot for scene in scenes for shot in scene.shots]
    for fired, sign, label in ((True, "D", "muzzle and aim of a shot"), (False, "h", "child or hit effect appears")):
        if any(shot.fired == fired for shot in shots):
            found.append(Sample(label, sign=sign, colour=MUZZLE, fill=MUZZLE, size=6))
    if any(shot.pivot is not None for shot in shots):
        found.append(Sample("pivot of a muzzle", sign=PIVOT, colour=MUZZLE, size=6))
    if any(scene.bounces for scene in scenes):
        found.append(Sample("bounced", sign=BOUNCED, size=6))
    if any(overlaps(_bounds(ring), shown) for scene in scenes for ring in scene.solids):
        found.append(Sample("solid", SOLID))
    if any(len(actor.trail) > 1 for scene in scenes for actor in scene.actors):
        found.append(Sample("frames before", sign="o", colour=FAINT, fill=FAINT, size=2.5, line=(0.9, "solid")))
    return found


def rows_of(entries: Sequence[Sample], wide: float) -> list[list[tuple[float, Sample]]]:
    """The samples in rows of so many inches, each with where it begins. How long a label is, is known well enough: how
    large a page is that could measure it depends on the rows."""
    rows: list[list[tuple[float, Sample]]] = [[]]
    at = 0.0
    for sample in entries:
        needed = SAMPLE + APART + LETTER * len(sample.label)
        if at + needed > wide and rows[-1]:
            rows.append([])
            at = 0.0
        rows[-1].append((at, sample))
        at += needed
    return rows


def draw_legend(canvas: Canvas, rows: Sequence[Sequence[tuple[float, Sample]]], left: float) -> None:
    """Draws the rows below everything, so many inches from the left."""
    wide = SAMPLE * canvas.inch
    for number, row in enumerate(reversed(rows)):
        y = (0.16 + ROW * number) * canvas.inch
        for at, sample in row:
            x = (left + at) * canvas.inch
            if sample.area is not None:
                ring = [(x, y - 4), (x + wide, y - 4), (x + wide, y + 4), (x, y + 4)]
                look = sample.area
                canvas.area(ring, fill=look.fill, line=look.line, width=1.0, dashes=look.dashes, hatch=look.hatch)
            if sample.line is not None:
                canvas.lines([[(x, y), (x + wide, y)]], sample.colour, *sample.line)
            if sample.sign:
                canvas.mark((x + wide / 2, y), sample.sign, sample.size, sample.colour, sample.fill, MARKED)
            canvas.text(sample.label, (x + wide + 6 * canvas.dot, y), SIZE, INK)


def _bounds(ring: Floats) -> Bounds:
    (x0, y0), (x1, y1) = ring.min(axis=0).tolist(), ring.max(axis=0).tolist()
    return x0, y0, x1, y1
