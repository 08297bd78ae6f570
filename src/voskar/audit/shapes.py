"""Checks of boxes, clips and durations that need no recording."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from pydantic import BaseModel

from voskar.audit.findings import AuditedBook, AuditFinding, Check, KeyPath
from voskar.core.rules import Duration
from voskar.core.rules.shapes import Form

FAR = 3.0  # times the size of the rest of the actor
LARGE = 8.0  # times the middle size of the fellows, in both directions: a floor or a wall is long in one
VAST = 100.0  # times that, in either


def cell_past_end(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A `during`, `except_during` or key cell past its clip's end."""
    for kind, box, where in audit.boxes():
        for table in ("during", "except_during"):
            for clip, ranges in (getattr(box, table) or {}).items():
                cells = kind.clips[clip].cells if clip in kind.clips else None
                # Ranges may stand in any order.
                named = max(last for _, last in ranges)
                if cells is not None and named >= cells:
                    reason = f"the clip {clip} has cells 0 to {cells - 1}, and this names cell {named}"
                    yield audit.finding("cell-past-end", (*where, table, clip), reason, "count cells from 0")
        for clip, keys in box.keys.items():
            cells = kind.clips[clip].cells if clip in kind.clips else None
            if cells is not None and keys and keys[-1].cell >= cells:
                reason = f"the clip {clip} has cells 0 to {cells - 1}, and a key stands at cell {keys[-1].cell}"
                yield audit.finding("cell-past-end", (*where, "keys", clip), reason, "count cells from 0")


def part_of_a_frame(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A duration that is no whole number of frames at the rate."""

    def look(value: Any, where: KeyPath) -> Iterator[AuditFinding]:
        if isinstance(value, Duration):
            exact = value.exact(audit.rules.rate)
            # Only a duration in seconds can be part of a frame.
            if exact.denominator != 1:
                rate, frames = float(audit.rules.rate), value.frames(audit.rules.rate)
                reason = f"at {rate:g} frames a second this is {float(exact):.3f} frames, and becomes {frames}"
                remedy = f'write "{frames}f", or a time that is a whole number of frames'
                yield audit.finding("part-of-a-frame", where, reason, remedy)
        elif isinstance(value, BaseModel):
            for name in type(value).model_fields:
                yield from look(getattr(value, name), (*where, name))
        elif isinstance(value, dict):
            for key, inner in value.items():
                yield from look(inner, (*where, key))
        elif isinstance(value, list):
            for index, inner in enumerate(value):
                yield from look(inner, (*where, index))

    yield from look(audit.book.data, ())


def out_of_proportion(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A box far from its actor, or many times larger than its fellows."""
    for kind in audit.rules.kinds.values():
        # A logged box has no size in the rulebook.
        formed = [box for box in audit.catalog.by_kind[kind.name] if not box.box.logged]
        spans = {box.box.name: span(audit.catalog.forms[box.form]) for box in formed}
        for name, (low, high) in spans.items():
            where = ("kinds", kind.name, "boxes", name)
            others = [spans[other] for other in spans if other != name]
            sizes = [float(max(b - a)) for a, b in others]
            own, narrow = float(max(high - low)), float(min(high - low))
            away = float(np.hypot(*np.maximum(np.maximum(low, -high), 0.0)))
            reach = max([*sizes, own])
            if away > FAR * reach:
                reason = f"it is {away:.0f} units from its actor; its boxes are at most {reach:.0f}"
                yield audit.finding("out-of-proportion", where, reason, "check `at`, and draw a frame of it")
            elif sizes and (own > VAST * np.median(sizes) or (len(sizes) >= 2 and narrow > LARGE * np.median(sizes))):
                # A long floor is thin, so its narrow side is what counts against a few fellows.
                reason = f"it is {own:.0f} units across, its fellows {float(np.median(sizes)):.0f}"
                yield audit.finding("out-of-proportion", where, reason, "check its size, and draw a frame of it")


def span(form: Form) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of a form's bounds, (2,) each, in local units."""
    return form.hull.min(axis=0) - form.radius, form.hull.max(axis=0) + form.radius


def thickness(form: Form) -> float:
    """The least width of a form in any direction, in local units."""
    hull = form.hull
    if len(hull) < 3:
        # A point and a segment are as thick as their rounding.
        return 2 * form.radius
    edges = np.roll(hull, -1, axis=0) - hull
    normals = np.stack([edges[:, 1], -edges[:, 0]], axis=1) / np.hypot(*edges.T)[:, None]
    along = hull @ normals.T
    return float((along.max(axis=0) - along.min(axis=0)).min()) + 2 * form.radius


CHECKS: dict[str, Check] = {
    "cell-past-end": cell_past_end,
    "part-of-a-frame": part_of_a_frame,
    "out-of-proportion": out_of_proportion,
}
