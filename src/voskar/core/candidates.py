"""The broad phase: which boxes of one frame have overlapping bounds, without trying all pairs."""

from __future__ import annotations

import numpy as np

from voskar.core.placing import Placed
from voskar.core.shapes import Bools, Floats, Ints

CHUNK = 1 << 20  # pairs expanded at a time; bounds memory, never the result
FEW = 8  # pairs a box may have on average before a grid is worth its cost
TABLE = 1 << 22  # grid cells of all frames up to which a table of them is quicker than a search
SPREAD = 16  # grid cells a box may cover before it is compared with everything in its frame instead


def overlapping(hits: Placed, hurts: Placed, slack: float) -> tuple[Ints, Ints]:
    """Rows (i, j) of hits and hurts in the same frame whose bounds overlap by more than `slack` on both axes.

    `slack` below 0 lets bounds that far apart pass. Order: by i, then j.
    """
    every = _per_frame(hits, hurts)
    total = int((every[1] - every[0]).sum())
    if total <= FEW * (len(hits) + len(hurts)):
        pairs = _expand(hits, hurts, np.arange(len(hits)), every, slack)
    else:
        pairs = _by_grid(hits, hurts, slack)
    order = np.lexsort((pairs[1], pairs[0]))
    return pairs[0][order], pairs[1][order]


def expand(starts: Ints, stops: Ints) -> tuple[Ints, Ints]:
    """For each range k from starts[k] to stops[k]-1: (k repeated, the numbers of the range)."""
    counts = stops - starts
    owner = np.repeat(np.arange(len(starts)), counts)
    ends = np.cumsum(counts)
    offsets = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - counts, counts)
    return owner, np.repeat(starts, counts) + offsets


def _per_frame(hits: Placed, hurts: Placed) -> tuple[Ints, Ints]:
    return (
        np.searchsorted(hurts.frame, hits.frame, side="left").astype(np.int64),
        np.searchsorted(hurts.frame, hits.frame, side="right").astype(np.int64),
    )


def bounds_meet(a: Floats, b: Floats, slack: float) -> Bools:
    """Whether bounds (4, n) overlap by more than `slack` on both axes."""
    result: Bools = (
        (np.minimum(a[2], b[2]) - np.maximum(a[0], b[0]) > slack)
        & (np.minimum(a[3], b[3]) - np.maximum(a[1], b[1]) > slack)
    )  # fmt: skip
    return result


def _expand(hits: Placed, hurts: Placed, rows: Ints, ranges: tuple[Ints, Ints], slack: float) -> tuple[Ints, Ints]:
    """Pairs of hits[rows] with every hurt of their ranges, tested in chunks."""
    starts, stops = ranges
    found: list[tuple[Ints, Ints]] = []
    ends = np.cumsum(stops - starts)
    done = 0
    while done < len(rows):
        base = int(ends[done - 1]) if done else 0
        stop = max(int(np.searchsorted(ends, base + CHUNK, side="right")), done + 1)
        owner, j = expand(starts[done:stop], stops[done:stop])
        i = rows[done + owner]
        keep = (hits.actor[i] != hurts.actor[j]) & bounds_meet(hits.bounds[:, i], hurts.bounds[:, j], slack)
        found.append((i[keep], j[keep]))
        done = stop
    return _join(found)


def _join(found: list[tuple[Ints, Ints]]) -> tuple[Ints, Ints]:
    if not found:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    return np.concatenate([i for i, _ in found]), np.concatenate([j for _, j in found])


def _ranges(ordered: Ints, wanted: Ints) -> tuple[Ints, Ints]:
    """Where each wanted key (0 or more) begins and ends among the ordered ones."""
    cells = int(max(ordered.max(initial=0), wanted.max(initial=0))) + 2
    if cells > TABLE:
        low, high = (np.searchsorted(ordered, wanted, side=side).astype(np.int64) for side in ("left", "right"))
        return low, high
    starts = np.zeros(cells, dtype=np.int64)
    np.cumsum(np.bincount(ordered, minlength=cells)[:-1], out=starts[1:])
    return starts[wanted], starts[wanted + 1]


def _by_grid(hits: Placed, hurts: Placed, slack: float) -> tuple[Ints, Ints]:
    """A uniform grid in space and frame. Of the two sides the more numerous one is looked up by low corners alone,
    each in one cell, and the other entered in every cell in which such a corner may lie if the two meet, so that a
    pair is found once. Boxes that are much larger than most are compared with all of their frame.
    """
    if len(hits) < len(hurts):
        j, i = _by_grid(hurts, hits, slack)
        return i, j
    margin = max(-slack, 0.0)
    size = np.maximum(hits.bounds[2] - hits.bounds[0], hits.bounds[3] - hits.bounds[1])
    other = np.maximum(hurts.bounds[2] - hurts.bounds[0], hurts.bounds[3] - hurts.bounds[1])
    low = np.minimum(hits.bounds[:2].min(axis=1), hurts.bounds[:2].min(axis=1)) - margin
    high = np.maximum(hits.bounds[2:].max(axis=1), hurts.bounds[2:].max(axis=1)) + margin
    side = max(float(max(np.median(size), np.median(other))) * 1.5, float((high - low).max()) / (1 << 20), 1e-9)
    wide, slim = np.flatnonzero(size > 2 * side), np.flatnonzero(size <= 2 * side)
    reach = float(size[slim].max(initial=0.0)) + margin
    low -= reach
    across = np.floor((high - low) / side).astype(np.int64) + 1
    starts, stops = _per_frame(hits, hurts)
    found = [_expand(hits, hurts, wide, (starts[wide], stops[wide]), slack)]
    spans = np.floor(
        (hurts.bounds + np.array([-reach, -reach, margin, margin])[:, None] - low[[0, 1, 0, 1], None]) / side
    )
    first_x, first_y, last_x, last_y = spans.astype(np.int64)
    columns, rows = last_x - first_x + 1, last_y - first_y + 1
    broad = np.flatnonzero(columns * rows > SPREAD)
    if len(broad):
        few = hurts.take(broad)
        i, j = _expand(hits, few, slim, _per_frame(hits.take(slim), few), slack)
        found.append((i, broad[j]))
    small = np.flatnonzero(columns * rows <= SPREAD)
    frame = min(int(hits.frame[0]), int(hurts.frame[0]))

    def key(placed: Placed, row: Ints, x: Ints, y: Ints) -> Ints:
        result: Ints = ((placed.frame[row] - frame) * across[1] + y) * across[0] + x
        return result

    owner, step = expand(np.zeros(len(small), dtype=np.int64), columns[small] * rows[small])
    row = small[owner]
    hurt_key = key(hurts, row, first_x[row] + step % columns[row], first_y[row] + step // columns[row])
    order = np.argsort(hurt_key, kind="stable")
    hurt_key, row = hurt_key[order], row[order]
    cell = np.floor((hits.bounds[:2, slim] - low[:, None]) / side).astype(np.int64)
    hit_key = key(hits, slim, cell[0], cell[1])
    owner, place = expand(*_ranges(hurt_key, hit_key))
    i, j = slim[owner], row[place]
    keep = (hits.actor[i] != hurts.actor[j]) & bounds_meet(hits.bounds[:, i], hurts.bounds[:, j], slack)
    found.append((i[keep], j[keep]))
    return _join(found)
