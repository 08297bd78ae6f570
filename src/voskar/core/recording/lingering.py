"""Lingering: actors that a game takes away before it logs the frame in which they were hit."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from voskar.core.recording import Poses, Recording
from voskar.core.recording.poses import FIELDS
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Bools, Floats, Ints


def spans(rules: Rules, recording: Recording) -> Floats:
    """(actors, 2) the width and height of the space for actors that wrap, infinite for others."""
    found = np.full((len(recording.actors), 2), np.inf)
    if rules.space.bounds is not None:
        x0, y0, x1, y1 = rules.space.bounds
        found[[rules.kinds[actor.kind].wraps for actor in recording.actors]] = (x1 - x0, y1 - y0)
    return found


def leaving(rules: Rules, recording: Recording, across: Floats) -> Bools:
    """(poses,) whether the next step of a pose's actor would take it out by an edge, or into a solid that ends it; by
    its last velocity, and for solids by their bounds and those of its body."""
    found = np.zeros(len(recording.poses), dtype=np.bool_)
    poses, rate = recording.poses, float(recording.rate)
    for kind in rules.kinds.values():
        by_edge = kind.motion.edge_ends and rules.space.bounds is not None
        by_solid = kind.motion.solid_ends and bool(rules.space.solids)
        if not kind.linger or not (by_edge or by_solid):
            # without `linger` no actor of the kind stays beyond its last pose, so its end does not matter
            continue
        own = np.array([actor.kind == kind.name for actor in recording.actors], dtype=np.bool_)
        rows = np.flatnonzero(own[poses.actor])
        vx, vy = velocities(poses, rate, across, rows)
        x, y = poses.x[rows] + vx / rate, poses.y[rows] + vy / rate
        if by_edge and rules.space.bounds is not None:
            x0, y0, x1, y1 = rules.space.bounds
            found[rows] |= (x < x0) | (y < y0) | (x > x1) | (y > y1)
        # the outline without its radius: a step is longer than a rounding is wide
        bodies = [box.outline.parts[0] + np.array(box.at) for box in kind.boxes if box.role == "body"]
        hull = np.concatenate([np.zeros((0, 2)), *bodies]) if bodies else np.zeros((1, 2))
        (left, low), (right, high) = hull.min(axis=0), hull.max(axis=0)
        for part in (part for solid in rules.space.solids for part in solid.outline.parts if by_solid):
            (x0, y0), (x1, y1) = part.min(axis=0), part.max(axis=0)
            found[rows] |= (x + right > x0) & (x + left < x1) & (y + high > y0) & (y + low < y1)
    return found


def lingering(recording: Recording, frames: Ints, lives: Ints, rules: Rules) -> Recording:
    """The recording with every actor that leaves it held for up to so many `frames` (actors,) more.

    It moves on at its last velocity in its last cell, until it comes back, the recording ends or a reset mark begins
    the room again; a hidden one does not linger. Nor does one that has ended by itself, unless a claim names it in a
    hit while it would linger: its end is claimed, it has been shown for all its frames of life (`lives`, (actors,)), or
    its next step would end it. `Poses.lingering` marks the poses so added.
    """
    if not frames.any() or not len(recording.poses):
        return recording
    poses = recording.poses
    order = poses.by_actor
    present = poses.frame[order]
    same = np.append(poses.actor[order][1:] == poses.actor[order][:-1], False)
    # an actor stays until its next pose, and at most until the end
    until = np.where(same, np.append(present[1:], 0) - 1, recording.last)
    resets = np.array(sorted(recording.resets), dtype=np.int64)
    if len(resets):
        following = np.searchsorted(resets, present, side="right")
        # a mark begins the room again, so what lingered is gone
        until = np.where(following < len(resets), np.minimum(until, resets[following % len(resets)] - 1), until)
    until = np.minimum(until, present + frames[poses.actor[order]])
    begins = np.append(True, ~same[:-1] | (np.diff(present) != 1)) | np.isin(present, resets)
    # how long it has been shown, from the last gap or mark on
    shown = present - present[np.maximum.accumulate(np.where(begins, np.arange(len(order)), 0))] + 1
    across = spans(rules, recording)
    ended = (shown >= lives[poses.actor[order]]) | leaving(rules, recording, across)[order]
    whose, width = poses.actor[order], recording.last + 2
    claimed = [
        recording.numbers[claim.id or ""] * width + claim.frame
        for claim in recording.claims
        if claim.event == "removed" and claim.id in recording.numbers
    ]
    if claimed:  # in the frame of the last pose, or the next
        ended |= np.isin(whose * width + present, claimed) | np.isin(whose * width + present + 1, claimed)
    struck = sorted(
        recording.numbers[name] * width + claim.frame
        for claim in recording.claims
        if claim.event == "hit"
        for name in (claim.attacker or "", claim.target or "")
        if name in recording.numbers
    )
    if struck:  # of one that is hit after its last pose that was not the end
        # hits are looked for between the last pose and the last frame in which it may linger
        low, high = (np.searchsorted(struck, whose * width + at, side="right") for at in (present, until))
        ended &= low == high
    ended |= poses.hidden[order]
    held = np.where(ended, 0, np.maximum(until - present, 0))
    source = np.repeat(order, held)
    if not len(source):
        return recording
    # one row for each frame that is added, numbered within its own stretch
    ends = np.cumsum(held)
    steps = np.arange(1, len(source) + 1) - np.repeat(ends - held, held)
    rate = float(recording.rate)
    vx, vy = velocities(poses, rate, across, source)
    added = replace(
        poses.rows(source),
        frame=poses.frame[source] + steps,
        x=poses.x[source] + vx / rate * steps,
        y=poses.y[source] + vy / rate * steps,
        vx=vx,
        vy=vy,
        cut=np.zeros(len(source), dtype=np.bool_),
        **{
            field.name: np.full(len(source), field.absent, field.dtype)
            for field in FIELDS.values()
            if not field.lingers
        },
        counted=np.full(len(source), -1),
        # what the game did not say of these frames stays unsaid
        push_x=np.full(len(source), np.nan),
        push_y=np.full(len(source), np.nan),
        lingering=np.ones(len(source), dtype=np.bool_),
    )
    merged = poses.and_also(added)
    # stable: poses of a frame keep their order, and added ones come last
    merged = merged.rows(np.argsort(merged.frame, kind="stable"))
    starts = np.searchsorted(merged.frame, np.arange(recording.first, recording.last + 2)).astype(np.int64)
    return replace(recording, poses=merged, starts=starts)


def velocities(poses: Poses, rate: float, across: Floats, rows: Ints) -> tuple[Floats, Floats]:
    """(n,), (n,) velocities of some poses in units a second; `across` as in `spans`.

    As logged, else from the difference to the frame before: 0 in the first frame logged, also of one that only
    lingered before it, after a frame out of play, and in a pose that is cut.
    """
    before = poses.previous[rows]
    # a step from a pose that was made up, hidden or cut is no velocity
    known = (before >= 0) & ~poses.cut[rows] & ~poses.hidden[before] & ~poses.lingering[before]
    width, height = across[poses.actor[rows]].T
    vx = np.where(known, shorter(poses.x[rows] - poses.x[before], width) * rate, 0.0)
    vy = np.where(known, shorter(poses.y[rows] - poses.y[before], height) * rate, 0.0)
    logged_x, logged_y = poses.vx[rows], poses.vy[rows]
    return np.where(np.isnan(logged_x), vx, logged_x), np.where(np.isnan(logged_y), vy, logged_y)


def shorter(way: Floats, across: Floats) -> Floats:
    """Ways along one axis, the shorter one where the space wraps (its extent is finite)."""
    wraps = np.isfinite(across)
    turns = np.zeros(len(way))
    # half an extent either way is the shortest
    turns[wraps] = np.floor(way[wraps] / across[wraps] + 0.5)
    found = way.copy()
    found[wraps] -= turns[wraps] * across[wraps]
    return found


def shown_before(recording: Recording) -> Recording:
    """A recording whose poses show the result of the frame's hits, with clips and tags of the frame before: those that
    the hits of a frame found. In an actor's first frame they are its own."""
    poses = recording.poses
    rows = np.where(poses.previous >= 0, poses.previous, np.arange(len(poses)))
    columns = {name: getattr(poses, name)[rows] for name in ("clip", "tick", "cell", "tags")}
    return replace(recording, poses=replace(poses, **columns))
