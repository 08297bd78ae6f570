"""Reaches that are not alike on all sides, as those of a game are that logs a corner of each actor as its position."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from voskar.core.rules.shapes import Bools, Floats, Ints
from voskar.draft.fitting import STEADY, Extents, row_groups, unevenness

MANY = 6
"""Hits from which each side is fitted by itself."""
ENOUGH = 12
"""Hits from which they are believed even where a reach that is alike on all sides is as even."""
BETTER = 0.6
"""Share of the unevenness of a reach that is alike on all sides, at most, for sides to be believed."""
MARGIN = 0.5
"""Units beyond the outermost hits where nothing else says how far it goes."""


def sided(
    plain: Extents, x: Floats, y: Floats, back: Ints, windows: Sequence[Ints], idle: Bools, group: Ints
) -> Extents | None:
    """The reach with four sides, each half-way between the outermost hits and the nearest that does not hit; None
    where it explains the hits no better than `plain`.

    `x` and `y` (rows,) are how one stands to the other. `back` (hits, frames) has the row of each hit, that of the
    frame before, and so on, -1 for none; `windows` the rows about each hit. `idle` says which of the rows should not
    touch, in groups by `group`. The sides are those of the smallest rectangle about all hits, moved outwards: a wider
    one would touch sooner.
    """
    hits, before = (rows[rows >= 0] for rows in (back[:, 0], back[:, 1]))
    is_steady = plain.uneven <= STEADY * len(back)
    if len(hits) < (ENOUGH if is_steady else MANY):
        return None
    low, high = (np.array([edge(x[hits]), edge(y[hits])]) for edge in (np.min, np.max))
    points = np.column_stack((x, y))
    off = points[np.unique(np.concatenate([before, np.flatnonzero(idle)]))]
    off = off[~((off >= low) & (off <= high)).all(axis=1)]
    ends = []
    for axis in (0, 1):
        other = off[(off[:, 1 - axis] >= low[1 - axis]) & (off[:, 1 - axis] <= high[1 - axis]), axis]
        under, over = other[other < low[axis]], other[other > high[axis]]
        ends.append(
            _sides(low[axis], high[axis], under.max() if len(under) else None, over.min() if len(over) else None)
        )
    middle = np.array([(end[0] + end[1]) / 2 for end in ends])
    half = np.array([(end[1] - end[0]) / 2 for end in ends])
    inside = (np.abs(points - middle) < half).all(axis=1)
    matched = sum(bool(inside[rows].any()) for rows in windows)
    spare = sum(bool(inside[rows].any()) for rows in row_groups(group, np.flatnonzero(idle)))
    uneven, _ = unevenness((back >= 0) & inside[back])
    if matched - spare < plain.matched - plain.spare or uneven > (1.0 if is_steady else BETTER) * plain.uneven:
        return None
    if plain.is_round and uneven >= BETTER * plain.uneven:
        return None
    wide, tall = half.tolist()
    least = tuple(((high - low) / 2).tolist())
    return replace(
        plain, wide=wide, high=tall, ahead=float(middle[0]), up=float(middle[1]), least=(least[0], least[1]),
        most=(wide, tall), matched=matched, spare=spare, is_round=False, uneven=uneven, circle=None,
    )  # fmt: skip


def _sides(low: float, high: float, under: float | None, over: float | None) -> tuple[float, float]:
    """The two ends along one axis. An end that no actor comes in by is as far off as the other end."""
    first = None if under is None else (low + under) / 2
    last = None if over is None else (high + over) / 2
    if first is None:
        first = low - MARGIN if last is None else min(low - MARGIN, -last)
    if last is None:
        last = max(high + MARGIN, -first)
    return first, last
