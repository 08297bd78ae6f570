"""The broad phase: which boxes of one frame have overlapping bounds, without trying all pairs."""

from __future__ import annotations

import numpy as np

from voskar.core.placing import Placed
from voskar.core.shapes import Bools, Floats, Ints

CHUNK = 1 << 20  # pairs expanded at a time; bounds memory, never the result
FEW = 8  # pairs a box may have on average before a grid is worth its cost
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


def _by_grid(hits: Placed, hurts: Placed, slack: float) -> tuple[Ints, Ints]:
    """A uniform grid in space and frame: boxes meet in the cells that both cover.

    A pair that shares several cells is kept in one: the cell of the larger of the two low corners.
    Boxes that cover many cells are compared with all of their frame.
    """
    margin = max(-slack, 0.0)
    low = np.minimum(hits.bounds[:2].min(axis=1), hurts.bounds[:2].min(axis=1)) - margin
    high = np.maximum(hits.bounds[2:].max(axis=1), hurts.bounds[2:].max(axis=1)) + margin
    sizes = [np.median(np.maximum(p.bounds[2] - p.bounds[0], p.bounds[3] - p.bounds[1])) for p in (hits, hurts)]
    side = max(float(max(sizes)) * 1.25, float((high - low).max()) / (1 << 20), 1e-9)
    across = np.floor((high - low) / side).astype(np.int64) + 1
    first = min(int(hits.frame[0]), int(hurts.frame[0]))

    def cells(placed: Placed) -> tuple[Ints, Bools]:
        spans = np.floor(
            (placed.bounds + np.array([-margin, -margin, margin, margin])[:, None] - low[[0, 1, 0, 1], None]) / side
        ).astype(np.int64)
        return spans, (spans[2] - spans[0] + 1) * (spans[3] - spans[1] + 1) > SPREAD

    hit_cells, hit_wide = cells(hits)
    hurt_cells, hurt_wide = cells(hurts)
    found: list[tuple[Ints, Ints]] = []
    wide = np.flatnonzero(hit_wide)
    starts, stops = _per_frame(hits, hurts)
    found.append(_expand(hits, hurts, wide, (starts[wide], stops[wide]), slack))
    if hurt_wide.any():
        slim, broad = np.flatnonzero(~hit_wide), np.flatnonzero(hurt_wide)
        few = hurts.take(broad)
        i, j = _expand(hits, few, slim, _per_frame(hits.take(slim), few), slack)
        found.append((i, broad[j]))

    def entries(placed: Placed, spans: Ints, wide: Bools) -> tuple[Ints, Ints, Ints]:
        """(row, cell x, cell y) of each cell a slim box covers."""
        rows = np.flatnonzero(~wide)
        width, height = spans[2, rows] - spans[0, rows] + 1, spans[3, rows] - spans[1, rows] + 1
        owner, step = expand(np.zeros(len(rows), dtype=np.int64), width * height)
        return rows[owner], spans[0, rows[owner]] + step % width[owner], spans[1, rows[owner]] + step // width[owner]

    hit_row, hit_x, hit_y = entries(hits, hit_cells, hit_wide)
    hurt_row, hurt_x, hurt_y = entries(hurts, hurt_cells, hurt_wide)

    def key(placed: Placed, row: Ints, x: Ints, y: Ints) -> Ints:
        result: Ints = ((placed.frame[row] - first) * across[1] + y) * across[0] + x
        return result

    hurt_key = key(hurts, hurt_row, hurt_x, hurt_y)
    order = np.argsort(hurt_key, kind="stable")
    hurt_key, hurt_row = hurt_key[order], hurt_row[order]
    hit_key = key(hits, hit_row, hit_x, hit_y)
    starts = np.searchsorted(hurt_key, hit_key, side="left").astype(np.int64)
    stops = np.searchsorted(hurt_key, hit_key, side="right").astype(np.int64)
    owner, place = expand(starts, stops)
    i, j = hit_row[owner], hurt_row[place]
    keep = (
        (hits.actor[i] != hurts.actor[j])
        & (np.maximum(hit_cells[0, i], hurt_cells[0, j]) == hit_x[owner])
        & (np.maximum(hit_cells[1, i], hurt_cells[1, j]) == hit_y[owner])
    )
    i, j = i[keep], j[keep]
    near = bounds_meet(hits.bounds[:, i], hurts.bounds[:, j], slack)
    found.append((i[near], j[near]))
    return _join(found)
