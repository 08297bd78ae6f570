"""How far two kinds reach together, from where they were when hits counted and where they were when none did."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.recording import Claim, Recording
from voskar.core.recording.poses import Signs
from voskar.core.rules.shapes import Bools, Floats, Ints
from voskar.draft.fitting import EARLY, LAG, LEAST, Extents, fitted
from voskar.draft.seen import Cells
from voskar.draft.sided import sided

REACH = 80.0
"""Units within which two may have touched at all."""
QUIET = 150
"""Frames after a hit on a target from which on it can be hit again, where the log does not say whether it is immune."""
LEVEL = 8.0
"""Units by which hits may differ in height and still be as far up."""
AIMED = 0.9
"""Share of hits with the target on one side of where the attacker looks, from which on it hits ahead or behind."""
ENOUGH = 5
"""Hits from which times without a hit are looked at too."""
UNSURE = 0.1
"""Passes of a pair without a hit, by its hits, beyond which something else than reach decides them."""


Rect = tuple[float, float, float, float]
"""Low x, low y, high x, high y about a position that faces +x."""


@dataclass(frozen=True)
class _Near:
    """Every frame in which two of the kinds are near: which pair, when, how they stand to each other (`dx` is how far
    the target is ahead of where the attacker looks), whether the target could be hit, how many frames later it is, and
    whether the attacker shows a clip."""

    pair: Ints
    frame: Ints
    dx: Floats
    dy: Floats
    is_open: Bools
    until_hit: Ints
    facing: Signs
    clip: Ints


def extents(
    recordings: Sequence[Recording],
    claims: Sequence[Sequence[Claim]],
    attacker: str,
    target: str,
    known: Sequence[Rect] = (),
    known_of_attacker: bool = False,
    cells: Cells | None = None,
    may_stand_aside: bool = False,
) -> Extents | None:
    """The extents that best part the frames with hits from those without; None without a claim that can be seen.
    `known` are boxes of the target, or of the attacker, about its position. Where `cells` are given, only frames in
    these are looked at, and each pass through them that never hits is one without. The target's box may stand aside of
    its position, if it never turns."""
    near: list[_Near] = []
    hits: list[tuple[int, int]] = []
    pairs = 0
    for played, logged in zip(recordings, claims, strict=True):
        numbers: dict[tuple[int, int], int] = {}
        near.append(_near(played, attacker, target, numbers, pairs, known, known_of_attacker, cells))
        for claim in logged:
            key = played.numbers.get(claim.attacker or "", -1), played.numbers.get(claim.target or "", -1)
            if key in numbers:
                hits.append((numbers[key], claim.frame))
        pairs += len(numbers)
    if not hits:
        return None
    pair, frame = (np.concatenate([getattr(pair, name) for pair in near]) for name in ("pair", "frame"))
    dx, dy = (np.concatenate([getattr(pair, name) for pair in near]) for name in ("dx", "dy"))
    is_open, until_hit, facing, clip = (
        np.concatenate([getattr(pair, name) for pair in near]) for name in ("is_open", "until_hit", "facing", "clip")
    )
    places = _Places(pair, frame)
    if cells is None:
        group = pair
        struck = np.isin(pair, [number for number, _ in hits])
    else:
        group = places.passes()
        struck = np.isin(group, [group[row] for number, at in hits for row in places.of(number, at - LAG, at)])
    windows = [rows for number, at in hits if len(rows := places.of(number, at - LAG, at))]
    if not windows:
        return None
    last = np.array([rows[-1] for rows in windows])
    up = 0.0
    if not known:
        # of a single hit nothing says whether one is that far up or reaches that far
        up = float(np.median(dy[last])) if len(last) > 2 or (len(last) == 2 and np.ptp(dy[last]) < 4) else 0.0
        up = up if abs(up) > 2 and not _comes_along_y(places, dx, dy, hits) else 0.0
    # where hits are all as far up, they say so; else it takes more to believe it
    ups = ([up, 0.0] if np.ptp(dy[last]) < LEVEL else [0.0, up]) if up else [0.0]
    ahead = 0.0
    if not known and len(last) >= LEAST and (clip[last] >= 0).all() and len(distinct(facing)) > 1:
        seen = dx[last]
        is_aimed = len(distinct(clip)) > 1 and max(np.mean(seen > 0), np.mean(seen < 0)) >= AIMED
        ahead = float(seen.min() + seen.max()) / 2 if is_aimed else 0.0
    coarse: tuple[Extents, Bools, Ints] | None = None
    finest: tuple[Extents, Bools, Ints] | None = None
    for height in ups:
        apart = np.abs(dx - ahead), np.abs(dy - height)
        lead = _lead(places, frame, *apart, hits)
        offset = height, ahead
        found = fitted(*apart, windows, ~struck, group, lead, offset, len(hits))
        coarse = (found, ~struck, group) if height == up else coarse
        # times in which a pair that hits now and then does not say more, unless something else decides when it hits
        for lag in (0, LAG) if cells is None and len(hits) >= ENOUGH else ():
            open_times, times = _without_hits(places, frame, hits, is_open & struck & (until_hit > lag), lag)
            groups = np.where(struck, int(group.max()) + 1 + times, group)
            finer = fitted(*apart, windows, ~struck | open_times, groups, lead, offset, len(hits))
            if finer.spare - found.spare <= UNSURE * len(hits) and finer.matched >= found.matched:
                finest = finer, ~struck | open_times, groups
                break
        if finest is not None:
            break
    chosen = finest or coarse
    if chosen is None or known:
        return chosen[0] if chosen else None
    plain, idle, group = chosen
    rows_back = np.full((len(hits), EARLY + 1), -1, dtype=np.int64)
    for at, (number, when) in enumerate(hits):
        rows = places.of(number, when - EARLY, when)
        rows_back[at, when - frame[rows]] = rows
    found_sides = sided(plain, dx, dy, rows_back, windows, idle, group)
    # a box of an actor that never turns may stand to one side of its position, whichever way the other looks
    if may_stand_aside:
        other = sided(plain, -dx * facing, dy, rows_back, windows, idle, group)
        if other is not None and (found_sides is None or other.uneven < found_sides.uneven):
            return replace(other, ahead=0.0, aside=other.ahead)
    return found_sides or plain


def _comes_along_y(places: _Places, dx: Floats, dy: Floats, hits: Sequence[tuple[int, int]]) -> bool:
    """Whether attackers come up or down to what they hit: how they stand then is how far they reach."""
    pairs = [rows for number, at in hits if len(rows := places.of(number, at - 1, at)) == 2]
    if len(pairs) < LEAST:
        return False
    steps = np.abs(np.array([(dx[now] - dx[before], dy[now] - dy[before]) for before, now in pairs]))
    across, along = np.median(steps, axis=0).tolist()
    return bool(along > 1.0 and along > across)


def _without_hits(
    places: _Places, frame: Ints, hits: Sequence[tuple[int, int]], mask: Bools, lag: int
) -> tuple[Bools, Ints]:
    """(rows,) which of some rows are in no frame about a hit of their pair, from so many frames before it, and which
    unbroken time each is in."""
    kept = mask.copy()
    for number, at in hits:
        kept[places.of(number, at - lag, at + LAG)] = False
    times = np.zeros(len(frame), dtype=np.int64)
    rows = places.order[kept[places.order]]
    if len(rows):
        pair = places.pair[kept[places.order]]
        begins = np.r_[True, (np.diff(pair) != 0) | (np.diff(frame[rows]) > 1)]
        times[rows] = np.cumsum(begins)
    return kept, times


def _off(dx: Floats, dy: Floats, facing: Signs, known: Sequence[Rect]) -> tuple[Floats, Floats]:
    """How far points are from the nearest of some boxes, in either direction; 0 inside."""
    far_x, far_y = np.full(len(dx), np.inf), np.full(len(dx), np.inf)
    for x0, y0, x1, y1 in known:
        low, high = np.where(facing > 0, x0, -x1), np.where(facing > 0, x1, -x0)
        x, y = np.maximum(np.maximum(low - dx, dx - high), 0.0), np.maximum(np.maximum(y0 - dy, dy - y1), 0.0)
        nearer = np.maximum(x, y) < np.maximum(far_x, far_y)
        far_x, far_y = np.where(nearer, x, far_x), np.where(nearer, y, far_y)
    return far_x, far_y


def _near(
    played: Recording,
    attacker: str,
    target: str,
    numbers: dict[tuple[int, int], int],
    first: int,
    known: Sequence[Rect],
    of_attacker: bool,
    cells: Cells | None,
) -> _Near:
    poses = played.poses
    kinds = (
        np.array([actor.kind == attacker for actor in played.actors]),
        np.array([actor.kind == target for actor in played.actors]),
    )
    shown = ~poses.hidden
    mine, theirs = (np.flatnonzero(kind[poses.actor] & shown) for kind in kinds)
    mine = mine if cells is None else mine[_in_cells(played, mine, cells)]
    low = np.searchsorted(poses.frame[theirs], poses.frame[mine])
    counts = np.searchsorted(poses.frame[theirs], poses.frame[mine], side="right") - low
    parts = []
    ends = np.cumsum(counts)
    cuts = distinct(np.searchsorted(ends, np.arange(0, int(ends[-1]) if len(ends) else 0, AT_ONCE)))
    for cut in np.split(np.arange(len(mine)), cuts[1:]):
        a = np.repeat(mine[cut], counts[cut])
        begins = np.cumsum(counts[cut]) - counts[cut]
        b = theirs[np.arange(len(a)) + np.repeat(low[cut] - begins, counts[cut])]
        dx, dy = poses.x[a] - poses.x[b], poses.y[a] - poses.y[b]
        if known and of_attacker:
            dx, dy = _off(-dx, -dy, poses.facing[a], known)
        elif known:
            dx, dy = _off(dx, dy, poses.facing[b], known)
        # pairs that are further apart never touch, and a long recording has too many pairs
        near = (poses.actor[a] != poses.actor[b]) & (np.abs(dx) < REACH) & (np.abs(dy) < REACH)
        # a shot meets its owner all the time without a hit
        near &= played.owners[poses.actor[a]] != poses.actor[b]
        if not known:
            dx = -dx * poses.facing[a]
        is_open, until_hit = _is_open(played, a[near], b[near])
        who = poses.actor[a][near], poses.actor[b][near], poses.frame[a][near]
        parts.append((*who, dx[near], dy[near], is_open, until_hit, poses.facing[a][near], poses.clip[a][near]))
    a, b, frame, dx, dy, is_open, until_hit, facing, clip = (
        np.concatenate(column) for column in zip(*parts, strict=True)
    )
    codes, begin, at = np.unique(a * len(played.actors) + b, return_index=True, return_inverse=True)
    order = np.argsort(begin)  # pairs are numbered as they first come near
    number = np.empty(len(codes), dtype=np.int64)
    number[order] = first + np.arange(len(codes))
    for place in order.tolist():
        index, other = divmod(int(codes[place]), len(played.actors))
        numbers[index, other] = int(number[place])
    return _Near(number[at], frame, dx, dy, is_open.astype(np.bool_), until_hit, facing, clip)


def _is_open(played: Recording, attackers: Ints, targets: Ints) -> tuple[Bools, Ints]:
    """(rows,) whether both are alive as far as the log says it, and the target is not immune: by its log, else as no
    hit on it was claimed for a while. And (rows,) how many frames later it is hit."""
    poses = played.poses
    alive = ~((poses.health[attackers] <= 0) | (poses.health[targets] <= 0))
    last, following = np.full(len(targets), -QUIET, dtype=np.int64), np.full(len(targets), 1 << 60, dtype=np.int64)
    frames, numbers = poses.frame[targets], poses.actor[targets]
    hits: dict[int, list[int]] = {}
    for claim in played.claims:
        target = played.numbers.get(claim.target or "") if claim.event == "hit" else None
        if target is not None:
            hits.setdefault(target, []).append(claim.frame)
    for number, entries in hits.items():
        own = np.flatnonzero(numbers == number)
        at = np.searchsorted(entries, frames[own], side="right")
        last[own[at > 0]] = np.array(entries)[at[at > 0] - 1]
        at = np.searchsorted(entries, frames[own])
        following[own[at < len(entries)]] = np.array(entries)[at[at < len(entries)]]
    immune, since = poses.immune[targets], frames - last
    free: Bools = alive & (since > LAG) & np.where(immune >= 0, immune == 0, since >= QUIET)
    return free, following - frames


def _in_cells(played: Recording, rows: Ints, cells: Cells) -> Bools:
    """(rows,) whether each pose is in one of some cells."""
    poses = played.poses
    clip = poses.clip[rows]
    cell = np.where(poses.cell[rows] >= 0, poses.cell[rows], poses.tick[rows])
    found = np.zeros(len(rows), dtype=np.bool_)
    for name, (low, high) in cells.items():
        if name in played.clips:
            found |= (clip == played.clips.index(name)) & (cell >= low) & (cell <= high)
    return found


AT_ONCE = 1 << 20
"""Pairs that are looked at together; bounds memory."""


class _Places:
    """Where in the rows of pairs that are near, which are in frame order, those of one pair in some frames are."""

    def __init__(self, pair: Ints, frame: Ints) -> None:
        self.order = np.argsort(pair, kind="stable")
        self.pair, self.frame = pair[self.order], frame[self.order]

    def passes(self) -> Ints:
        """(rows,) a number for each unbroken run of frames of a pair."""
        begins = np.r_[True, (np.diff(self.pair) != 0) | (np.diff(self.frame) > 1)]
        found = np.zeros(len(self.order), dtype=np.int64)
        found[self.order] = np.cumsum(begins)[: len(self.order)]
        return found

    def of(self, number: int, first: int, last: int) -> Ints:
        """The rows of a pair in some frames, rising."""
        low, high = np.searchsorted(self.pair, [number, number + 1])
        start, end = np.searchsorted(self.frame[low:high], [first, last + 1])
        found: Ints = self.order[low + start : low + end]
        return found


def _lead(places: _Places, frame: Ints, dx: Floats, dy: Floats, hits: Sequence[tuple[int, int]]) -> Floats:
    """(2, hits, EARLY + 1) how the two of each hit stand in its frame, in the one before, and so on; far where they are
    not near."""
    found = np.full((2, len(hits), EARLY + 1), np.inf)
    for at, (number, when) in enumerate(hits):
        rows = places.of(number, when - EARLY, when)
        found[0, at, when - frame[rows]], found[1, at, when - frame[rows]] = dx[rows], dy[rows]
    return found
