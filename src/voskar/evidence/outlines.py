"""Where a game itself has its boxes, held against the rulebook's."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.boxes import FormedBox
from voskar.core.rules.shapes import Bools, Floats, Ints
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words

OPEN, CLOSED, MOVED = "box-open", "box-closed", "box-moved"


def outlines(held: Held) -> Iterator[Finding]:
    """Boxes that poses log, by their bounds: off in place or size, open against closed. A name that a kind never logs
    is not compared, nor is one that the rulebook takes from the game."""
    poses, log = held.recording.poses, held.recording.boxes
    if not log.names:
        return
    # the boxes of a hidden actor touch nothing, so their log does not matter
    places = np.flatnonzero((poses.logged >= 0) & ~poses.hidden)
    kinds = np.array([held.catalog.kind_number[actor.kind] for actor in held.recording.actors])[poses.actor[places]]
    found: list[tuple[int, int, Finding]] = []
    for kind, boxes in enumerate(held.catalog.by_kind.values()):
        rows = places[kinds == kind]
        # by actor, so that a difference that lasts is one stretch of rows
        rows = rows[np.argsort(poses.actor[rows], kind="stable")]
        compared = [box for box in boxes if not box.box.logged and box.name in log.names] if len(rows) else []
        for box in compared:
            game = log.bounds[poses.logged[rows], log.names.index(box.name)].T
            # a box that this kind never logs may have another name in the game
            if not np.isnan(game[0]).all():
                found += _of_box(held, box, rows, game)
    yield from (finding for *_, finding in sorted(found, key=lambda entry: entry[:2]))


def _of_box(held: Held, box: FormedBox, rows: Ints, game: Floats) -> Iterator[tuple[int, int, Finding]]:
    """Differences of a box in some poses, by actor and frame, where the game has it at `game` (4, n): findings, each
    with its actor's first pose and the number of the box."""
    recording, poses = held.recording, held.recording.poses
    own, is_open = _bounds(held, box, rows)
    shown = ~np.isnan(game[0])
    tolerance = held.tolerance if box.kind.tolerance is None else box.kind.tolerance
    # 0 for agreement, and a number for each sort of difference
    codes = np.where(shown & ~is_open, 1, np.where(is_open & ~shown, 2, 0))
    # bounds are compared, not shapes: a game may log any outline of the same size
    codes[shown & is_open & (np.abs(own - game).max(axis=0) > tolerance)] = 3
    if not codes.any():
        return
    actors = poses.actor[rows]
    starts = np.flatnonzero((np.diff(codes, prepend=-1) != 0) | (np.diff(actors, prepend=-1) != 0))
    firsts = np.flatnonzero(np.diff(actors, prepend=-1))
    for start, end in zip(starts.tolist(), [*starts[1:].tolist(), len(rows)], strict=True):
        code = ("", OPEN, CLOSED, MOVED)[codes[start]]
        first, last = int(poses.frame[rows[start]]), int(poses.frame[rows[end - 1]])
        # a box that opens or closes a little early is within the window; one at another place is wrong in any frame
        if code and (code == MOVED or last - first + 1 > held.within("boxes")):
            text, rules = _words(code, box.name, game[:, start].tolist(), own[:, start].tolist())
            of = int(rows[firsts[np.searchsorted(firsts, start, side="right") - 1]])
            name = recording.actors[actors[start]].id
            text = f"{text} {span_words(first, last, recording.last)}"
            yield of, box.number, of_actor(code, first, name, text, rules)


def _bounds(held: Held, box: FormedBox, rows: Ints) -> tuple[Floats, Bools]:
    """(4, n) the bounds of a box in some poses, as seen from each one's place, and (n,) whether it is open."""
    poses, placing = held.recording.poses, held.posed.placing
    clips, cells = poses.clip[rows], held.cells[rows]
    forms = np.full(len(rows), -1, dtype=np.int64)
    for clip in distinct(clips).tolist():
        firsts, shapes = np.array(box.runs(held.recording.clips[clip] if clip >= 0 else None)).T
        at = np.flatnonzero(clips == clip)
        # the shape that a clip has from its last change on
        forms[at] = shapes[np.maximum(np.searchsorted(firsts, cells[at], side="right") - 1, 0)]
    own, is_open = np.zeros((4, len(rows))), forms >= 0
    m00, m01, m10, m11 = (column[rows] for column in poses.matrix)
    for form in distinct(forms[is_open]).tolist():
        at = forms == form
        hull = held.catalog.forms[form].hull
        radius = held.catalog.forms[form].radius * np.abs(poses.scale[rows[at]])
        for axis, (a, b) in enumerate(((m00, m01), (m10, m11))):
            along = np.outer(hull[:, 0], a[at]) + np.outer(hull[:, 1], b[at])
            own[axis, at], own[axis + 2, at] = along.min(axis=0) - radius, along.max(axis=0) + radius
    # a box that sticks out of the space is closed
    if box.box.within_bounds and held.rules.space.bounds is not None:
        x, y, slack = poses.x[rows], poses.y[rows], placing.tolerance
        is_open &= (own[0] + x >= placing.left - slack) & (own[1] + y >= placing.top - slack)
        is_open &= (own[2] + x <= placing.right + slack) & (own[3] + y <= placing.bottom + slack)
    return own, is_open


def _words(code: str, box: str, shown: list[float], own: list[float]) -> tuple[str, str]:
    """Both sides of a difference in words."""
    if code == OPEN:
        return f"has {box} open", f"{box} is closed"
    if code == CLOSED:
        return f"has no {box}", f"{box} is open"
    dx, dy = (shown[0] + shown[2] - own[0] - own[2]) / 2, (shown[1] + shown[3] - own[1] - own[3]) / 2
    off = f"is ({dx:+.1f}, {dy:+.1f}) off" if max(abs(dx), abs(dy)) > 0.05 else "is in place"
    sizes = [f"{values[2] - values[0]:.1f} by {values[3] - values[1]:.1f}" for values in (shown, own)]
    return f"{box} {off} and {sizes[0]}", f"{box} is {sizes[1]}"
