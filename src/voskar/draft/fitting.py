"""Which of many extents, as rectangles and as circles, best part the frames with hits from those without."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.rules.shapes import Bools, Floats, Ints

LAG = 6
"""Frames that a game may count a hit after boxes first met."""
EARLY = 30
"""Frames before a hit in which the two may have met first."""
LEAST = 3
"""Hits from which their frames log how far two reach."""
STEADY = 0.25
"""Frames a hit by which a game that counts hits exactly is uneven at most, where boxes are."""
STEPS = 24
"""Candidates on each axis."""
EXACT = 0.05
"""Frames, or touches, a hit by which a reach may be off that is taken to be exact."""
ROUNDER = 0.1
"""Frames, or touches, a hit by which circles must fit better than rectangles to be believed."""


@dataclass(frozen=True)
class Extents:
    """An attacker of one kind hits one of another while it is within `wide` and `high` units of it, once `up` is taken
    off, and `ahead` of where it looks: from centre to centre, or to the boxes of the one that are known. If it
    `is_round`, both are the distance.

    `least` and `most` are what fits as well. `matched` of `claims` are explained by it, and `spare` pairs come as near
    without a hit.
    """

    wide: float
    high: float
    up: float
    ahead: float
    least: tuple[float, float]
    most: tuple[float, float]
    claims: int
    matched: int
    spare: int
    is_round: bool
    uneven: float
    """How unevenly the hits come after the touch, in frames of all of them."""
    aside: float = 0.0
    """How far the attacker is to the right of its target, once `ahead` is taken off."""

    circle: Extents | None = None
    """The reach as a circle, where that explains the hits neither better nor worse than the rectangle."""

    @property
    def is_exact(self) -> bool:
        """Whether nearly all hits come in the frame in which the two first are so near, and nothing else does."""
        return self.matched == self.claims and self.uneven + self.spare <= EXACT * self.claims


class _Fit(NamedTuple):
    """Extents, the hits that they explain, the touches without a hit, how unevenly hits come after the touch, and how
    many frames after it."""

    wide: float
    high: float
    matched: int
    spare: int
    uneven: float
    late: float


def fitted(
    dx: Floats,
    dy: Floats,
    windows: Iterable[Ints],
    idle: Bools,
    pair: Ints,
    lead: Floats,
    offset: tuple[float, float],
    claims: int,
) -> Extents:
    """The extents that explain most hits with the fewest other touches, and of these one of the smaller of those that
    the hits come after most evenly. `dx` and `dy` (rows,) are how far apart two are, `windows` the rows about each hit,
    `idle` those that should not touch, in groups by `pair`; `lead` is as `extents` makes it."""
    windows, groups = list(windows), row_groups(pair, np.flatnonzero(idle))
    fits = _boxes(dx, dy, windows, idle, groups, lead)
    rounds = _circles(np.hypot(dx, dy), windows, idle, groups, np.hypot(*lead))
    circle, box = (_of(chosen, offset, claims, chosen is rounds) for chosen in (rounds, fits))
    if _is_better(rounds, fits, claims):
        return circle
    return box if _is_better(fits, rounds, claims) else replace(box, circle=circle)


def _of(fits: Sequence[_Fit], offset: tuple[float, float], claims: int, is_round: bool) -> Extents:
    """One of equally good fits, which differ in size: this takes neither the tightest nor the widest."""
    best = sorted(fits, key=lambda fit: fit.wide * fit.high)[len(fits) // 3]
    wides, highs = {fit.wide for fit in fits}, {fit.high for fit in fits}
    least, most = (min(wides), min(highs)), (max(wides), max(highs))
    return Extents(best.wide, best.high, *offset, least, most, claims, best.matched, best.spare, is_round, best.uneven)


def _is_better(these: Sequence[_Fit], others: Sequence[_Fit], claims: int) -> bool:
    """Whether some explain what others do not: more hits, fewer other touches, or hits that come more evenly."""
    left: list[float] = [claims - fits[0].matched + fits[0].spare for fits in (these, others)]
    uneven = [min(fit.uneven for fit in fits) for fits in (these, others)]
    if left[0] <= left[1] and max(uneven) < np.inf:
        left = [count + odd for count, odd in zip(left, uneven, strict=True)]
    gain = left[1] - left[0]
    # one passing by is no evidence; a few are, if nearly nothing is left
    return gain > max(ROUNDER * claims, 1.0) or (gain >= LEAST and left[0] <= gain / 4)


def _boxes(
    dx: Floats, dy: Floats, windows: Sequence[Ints], idle: Bools, groups: Sequence[Ints], lead: Floats
) -> list[_Fit]:
    """The best of a grid of rectangles, all as good."""
    # of each hit the frame in which the two were nearest in both directions at once
    deepest = np.array([rows[np.argmin(np.maximum(dx[rows], dy[rows]))] for rows in windows])
    candidates = [_candidates(values, deepest, idle) for values in (dx, dy)]
    within, beside = _Least(windows, dx, dy), _Least(groups, dx, dy)
    found = []
    for wide in candidates[0]:
        counts = zip(
            candidates[1], within.reached(wide, candidates[1]), beside.reached(wide, candidates[1]), strict=True
        )
        found += [(wide, high, matched, spare) for high, matched, spare in counts]
    return _evenest(found, lambda wide, high: (lead[0] < wide) & (lead[1] < high), lead.shape[1])


def _circles(far: Floats, windows: Sequence[Ints], idle: Bools, groups: Sequence[Ints], lead: Floats) -> list[_Fit]:
    """The best of some circles, all as good."""
    deepest = np.array([rows[np.argmin(far[rows])] for rows in windows])
    radii = _candidates(far, deepest, idle)
    level = np.zeros(len(far))
    within, beside = (_Least(rows, level, far).reached(1.0, radii) for rows in (windows, groups))
    found = [(r, r, matched, spare) for r, matched, spare in zip(radii, within, beside, strict=True)]
    return _evenest(found, lambda r, _: lead < r, len(lead))


def _evenest(
    found: Sequence[tuple[float, float, int, int]], inside: Callable[[float, float], Bools], hits: int
) -> list[_Fit]:
    top = max(matched - spare for _, _, matched, spare in found)
    fits = [
        _Fit(wide, high, matched, spare, *unevenness(inside(wide, high)))
        for wide, high, matched, spare in found
        if matched - spare == top
    ]
    least = min(fit.uneven for fit in fits)
    if least <= STEADY * hits:  # else the game counts hits now sooner, now later
        fits = [fit for fit in fits if fit.uneven <= least + 0.5]
        # most games count a hit in the frame of the touch
        soonest = min(fit.late for fit in fits)
        fits = [fit for fit in fits if fit.late == soonest]
    return fits


def unevenness(inside: Bools) -> tuple[float, float]:
    """How many frames before each hit the two met first, as far as that differs from hit to hit, and the median: a game
    may count all hits some frames late. `inside` (hits, EARLY + 1) says whether the two touch in the frame of a
    hit, in the one before, …"""
    began = np.argmax(inside[:, : LAG + 1], axis=1)
    met = inside[np.arange(len(inside)), began]
    after = np.arange(EARLY + 1)[None, :] >= began[:, None]
    left = np.where((~inside & after).any(axis=1), np.argmax(~inside & after, axis=1), EARLY + 1)
    early = (left - 1)[met & (left <= EARLY)]  # of others i-frames may have run out
    # of two hits nothing can be said to be even
    if len(early) < LEAST:
        return float("inf"), 0.0
    late = float(np.median(early))
    return float(np.minimum(np.abs(early - late), LAG).sum() + max(late - LAG, 0.0)), late


def row_groups(pair: Ints, rows: Ints) -> list[Ints]:
    """Rows, apart by pair."""
    if not len(rows):
        return []
    rows = rows[np.argsort(pair[rows], kind="stable")]
    return np.split(rows, np.flatnonzero(np.diff(pair[rows])) + 1)


class _Least:
    """How many of some groups of rows have one within given extents."""

    def __init__(self, groups: Sequence[Ints], dx: Floats, dy: Floats) -> None:
        rows = np.concatenate([*groups, np.zeros(0, dtype=np.int64)]).astype(np.int64)
        self.starts = np.cumsum([0, *map(len, groups)])[:-1]
        self.dx, self.dy = dx[rows], dy[rows]

    def reached(self, wide: float, highs: Sequence[float]) -> list[int]:
        """The count for each height, of those this wide."""
        if not len(self.starts):
            return [0] * len(highs)
        least = np.sort(np.minimum.reduceat(np.where(self.dx < wide, self.dy, np.inf), self.starts))
        counts: list[int] = np.searchsorted(least, highs).tolist()
        return counts


def _candidates(values: Floats, deepest: Ints, idle: np.ndarray) -> list[float]:
    """Just above where hits were, and half-way to what missed beyond them."""
    hits = distinct(np.round(values[deepest], 2))
    beyond = distinct(np.round(values[idle], 2))
    found = {float(hit) + 0.5 for hit in hits[-STEPS:]} | {
        float(hit) + 0.5 for hit in hits[:: max(len(hits) // STEPS, 1)]
    }
    top = float(hits[-1])
    found |= {float(item) for item in np.linspace(top + 0.5, top + 16, 12)}
    found |= {(top + float(item)) / 2 for item in beyond[(beyond > top) & (beyond < top + 16)][:4]}
    return sorted(round(value, 1) for value in found if value > 0.5)
