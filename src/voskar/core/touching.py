"""Finds every touch of a block of frames in bulk: poses and boxes in, a table of touches out.

Knows layers, masks and shapes, and nothing about health, sides or what a blow does.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np

from voskar.core import geometry
from voskar.core.candidates import bounds_meet, expand, overlapping
from voskar.core.placing import Cast, Placed, Wardrobe, place
from voskar.core.recording import Poses
from voskar.core.shapes import TOLERANCE, Bools, Floats, Ints


@dataclass(frozen=True, eq=False)
class Touches:
    """One row a touching pair of boxes, sorted by frame, striker's pose, hitbox, target's pose, hurtbox.

    `hitbox` and `hurtbox` are box numbers of the wardrobe, `striker_pose` and `target_pose` rows of the
    poses given, `hit_part` and `hurt_part` the convex parts that touch first (of several, the first),
    `t` in [0, 1] the time of the touch within the frame. The shifts (n, 2) are the ways of the two boxes in
    this frame: at time t a box stands (1 - t) times its shift before its place in the pose.
    """

    frame: Ints
    striker: Ints
    hitbox: Ints
    target: Ints
    hurtbox: Ints
    t: Floats
    striker_pose: Ints
    target_pose: Ints
    hit_part: Ints
    hurt_part: Ints
    striker_shift: Floats
    target_shift: Floats

    def __len__(self) -> int:
        return len(self.frame)

    def and_also(self, more: Touches) -> Touches:
        """These and more, in no particular order."""
        both = ((getattr(self, field.name), getattr(more, field.name)) for field in fields(self))
        return Touches(*(np.concatenate(pair) for pair in both))

    def take(self, rows: Ints | Bools) -> Touches:
        """Some of the rows."""
        return Touches(**{field.name: getattr(self, field.name)[rows] for field in fields(self)})


def find_touches(poses: Poses, cast: Cast, wardrobe: Wardrobe, lead: int = 0, only: Ints | None = None) -> Touches:
    """Every eligible pair of open boxes of different actors that touch, from row `lead` of the poses on.

    With `only`, pairs that some of these actors have a part in, and no others.

    Two boxes touch if some part of one and some part of the other overlap by more than TOLERANCE; edges that
    only meet do not touch, unless the rulebook says `edges_touch`, which lets gaps up to TOLERANCE pass.
    Where one of the two is swept they are tested along their way from the frame before, and `t` is the first
    moment at which their gap is 0; the rows before `lead` are looked at for that alone.
    """
    hits, hurts = place(poses, cast, wardrobe, "hitbox", lead), place(poses, cast, wardrobe, "hurtbox", lead)
    found = []
    sides = [(hits, hurts)]
    if only is not None:
        hitting, hurting = np.isin(hits.actor, only), np.isin(hurts.actor, only)
        sides = [(hits.take(hitting), hurts), (hits.take(~hitting), hurts.take(hurting))]
    classes = [one for some_hits, some_hurts in sides for one in _classes(some_hits, some_hurts, wardrobe)]
    for some_hits, some_hurts in classes:
        for swept_hits in (False, True):
            for swept_hurts in (False, True):
                h = _of(some_hits, some_hits.swept == swept_hits)
                u = _of(some_hurts, some_hurts.swept == swept_hurts)
                if len(h) and len(u):
                    narrow = _narrow_swept if swept_hits or swept_hurts else _narrow
                    found.append(narrow(poses, h, u, cast, wardrobe))
    found = [touches for touches in found if len(touches)]
    if not found:
        none = np.zeros(0, dtype=np.int64)
        nowhere = np.zeros((0, 2))
        return Touches(none, none, none, none, none, np.zeros(0), none, none, none, none, nowhere, nowhere)
    table = Touches(*(np.concatenate([getattr(one, field.name) for one in found]) for field in fields(Touches)))
    order = np.lexsort((table.hurtbox, table.target_pose, table.hitbox, table.striker_pose))
    return table.take(order)


def _of(placed: Placed, rows: Bools) -> Placed:
    return placed if rows.all() else placed.take(rows)


def slack_of(wardrobe: Wardrobe) -> float:
    """By how much boxes must overlap to touch; below 0: how far apart they may be."""
    return -TOLERANCE if wardrobe.rules.contact.edges_touch else TOLERANCE


def _classes(hits: Placed, hurts: Placed, wardrobe: Wardrobe) -> list[tuple[Placed, Placed]]:
    """Splits boxes by whom layers and masks let them meet, so that other pairs never reach any geometry."""
    present = np.unique(hits.box)
    if not len(present):
        return []
    patterns, pattern_of = np.unique(wardrobe.meets[present], axis=0, return_inverse=True)
    lookup = np.full(len(wardrobe.fitted), -1, dtype=np.int64)
    lookup[present] = pattern_of.reshape(-1)
    result = []
    for index, pattern in enumerate(patterns):
        some_hits = hits if len(patterns) == 1 else hits.take(lookup[hits.box] == index)
        met = pattern[hurts.box]
        some_hurts = hurts if met.all() else hurts.take(met)
        if len(some_hits) and len(some_hurts):
            result.append((some_hits, some_hurts))
    return result


def _candidates(hits: Placed, hurts: Placed, cast: Cast, wardrobe: Wardrobe) -> tuple[Ints, Ints]:
    """Rows whose bounds overlap, own targets left out."""
    i, j = overlapping(hits, hurts, slack_of(wardrobe))
    allowed = _not_own(hits, hurts, i, j, wardrobe, cast.owner)
    return i[allowed], j[allowed]


def _narrow(poses: Poses, hits: Placed, hurts: Placed, cast: Cast, wardrobe: Wardrobe) -> Touches:
    """Touches of boxes that are tested where they end up."""
    slack = slack_of(wardrobe)
    i, j = _candidates(hits, hurts, cast, wardrobe)
    square = _square(poses)
    plain = wardrobe.upright[hits.form[i]] & wardrobe.upright[hurts.form[j]]
    plain &= square[hits.pose[i]] & square[hurts.pose[j]]
    parts = wardrobe.parts
    hit_part, hurt_part = parts.start[hits.form[i]], parts.start[hurts.form[j]]
    touching = plain.copy()  # bounds of upright rectangles are the rectangles
    rest = np.flatnonzero(~plain)
    if len(rest):
        h, u = hits.take(i[rest]), hurts.take(j[rest])
        pair, a, b = _part_pairs(poses, h, u, wardrobe)
        met = np.zeros(len(pair), dtype=np.bool_)
        for rows, va, vb, radii in part_groups(poses, h.pose[pair], a, u.pose[pair], b, wardrobe):
            met[rows] = geometry.touches(va, vb, radii, slack)
        pair, a, b = rest[pair[met]], a[met], b[met]
        touching[pair] = True
        first = np.unique(pair, return_index=True)[1]  # of several part pairs the first in order
        hit_part[pair[first]], hurt_part[pair[first]] = a[first], b[first]
    return _table(hits.take(i[touching]), hurts.take(j[touching]), hit_part[touching], hurt_part[touching])


def _narrow_swept(poses: Poses, hits: Placed, hurts: Placed, cast: Cast, wardrobe: Wardrobe) -> Touches:
    """Touches of boxes of which one is swept: along their relative way through the frame."""
    hits, hurts = hits.along(), hurts.along()
    i, j = _candidates(hits, hurts, cast, wardrobe)
    h, u = hits.take(i), hurts.take(j)
    pair, a, b = _part_pairs(poses, h, u, wardrobe)
    time = np.full(len(pair), np.inf)
    move = (h.shift - u.shift).T
    for rows, va, vb, radii in part_groups(poses, h.pose[pair], a, u.pose[pair], b, wardrobe):
        time[rows] = geometry.first_touch(va, vb, radii, move[pair[rows]], slack_of(wardrobe))
    met = np.isfinite(time)
    pair, a, b, time = pair[met], a[met], b[met], time[met]
    order = np.lexsort((b, a, time, pair))
    pairs, first = np.unique(pair[order], return_index=True)  # the earliest part pair of each
    chosen = order[first]
    return _table(h.take(pairs), u.take(pairs), a[chosen], b[chosen], time[chosen])


def _table(hits: Placed, hurts: Placed, hit_part: Ints, hurt_part: Ints, t: Floats | None = None) -> Touches:
    """Touches of row k of hits with row k of hurts."""
    return Touches(
        hits.frame,
        hits.actor,
        hits.box,
        hurts.actor,
        hurts.box,
        np.ones(len(hits)) if t is None else t,
        hits.pose,
        hurts.pose,
        hit_part,
        hurt_part,
        hits.shift.T,
        hurts.shift.T,
    )


def _not_own(hits: Placed, hurts: Placed, i: Ints, j: Ints, wardrobe: Wardrobe, owners: Ints) -> Bools:
    """False where the target is the striker's owner or has the same one, unless the attack hits its owner."""
    striker_owner, target = owners[hits.actor[i]], hurts.actor[j]
    own = (striker_owner == target) | ((striker_owner != -1) & (striker_owner == owners[target]))
    attacks = wardrobe.rules.attacks
    spares = np.array(
        [fitted.box.attack is None or not attacks[fitted.box.attack].hits_owner for fitted in wardrobe.fitted]
    )
    result: Bools = ~(own & spares[hits.box[i]])
    return result


def _square(poses: Poses) -> Bools:
    """Poses whose axes lie along the world's."""
    m00, m01, _, _ = poses.matrix
    result: Bools = (m00 == 0) | (m01 == 0)
    return result


def _part_pairs(poses: Poses, hits: Placed, hurts: Placed, wardrobe: Wardrobe) -> tuple[Ints, Ints, Ints]:
    """Part pairs of candidate boxes (row k of hits against row k of hurts) with overlapping bounds: (k, part, part).

    Sorted by k, then part, then part.
    """
    parts, slack = wardrobe.parts, slack_of(wardrobe)
    if len(hits) and (parts.count[hits.form] == 1).all() and (parts.count[hurts.form] == 1).all():
        return np.arange(len(hits)), parts.start[hits.form], parts.start[hurts.form]
    sides = []
    for own, other in ((hits, hurts), (hurts, hits)):
        start = parts.start[own.form]
        pair, part = expand(start, start + parts.count[own.form])
        bounds = part_bounds(poses, own.pose[pair], part, wardrobe)
        back = bounds - np.tile(own.shift[:, pair], (2, 1))
        bounds = np.concatenate([np.minimum(bounds[:2], back[:2]), np.maximum(bounds[2:], back[2:])])
        near = bounds_meet(bounds, other.bounds[:, pair], slack)
        sides.append((pair[near], part[near], bounds[:, near]))
    (hit_pair, hit_part, hit_bounds), (hurt_pair, hurt_part, hurt_bounds) = sides
    starts = np.searchsorted(hurt_pair, hit_pair, side="left").astype(np.int64)
    stops = np.searchsorted(hurt_pair, hit_pair, side="right").astype(np.int64)
    i, j = expand(starts, stops)
    near = bounds_meet(hit_bounds[:, i], hurt_bounds[:, j], slack)
    return hit_pair[i[near]], hit_part[i[near]], hurt_part[j[near]]


def part_groups(
    poses: Poses, pose_a: Ints, part_a: Ints, pose_b: Ints, part_b: Ints, wardrobe: Wardrobe
) -> list[tuple[Ints, Floats, Floats, Floats]]:
    """Splits part pairs by corner counts: (rows, world corners of a, of b, summed radii), for bulk geometry."""
    parts = wardrobe.parts
    corners_a, corners_b = parts.corners[part_a], parts.corners[part_b]
    radii = parts.radius[part_a] * poses.scale[pose_a] + parts.radius[part_b] * poses.scale[pose_b]
    code = corners_a * (int(parts.corners.max(initial=0)) + 1) + corners_b
    result = []
    for value in np.unique(code):
        rows = np.flatnonzero(code == value)
        a = world_corners(poses, pose_a[rows], int(corners_a[rows[0]]), part_a[rows], wardrobe)
        b = world_corners(poses, pose_b[rows], int(corners_b[rows[0]]), part_b[rows], wardrobe)
        result.append((rows, a, b, radii[rows]))
    return result


def world_corners(poses: Poses, pose: Ints, corners: int, part: Ints, wardrobe: Wardrobe) -> Floats:
    """(k, corners, 2) world corners of parts that all have that many."""
    local = wardrobe.parts.vertices(corners, part)
    m00, m01, m10, m11 = (entry[pose][:, None] for entry in poses.matrix)
    x = local[..., 0] * m00 + local[..., 1] * m01 + poses.x[pose][:, None]
    y = local[..., 0] * m10 + local[..., 1] * m11 + poses.y[pose][:, None]
    return np.stack([x, y], axis=-1)


def part_bounds(poses: Poses, pose: Ints, part: Ints, wardrobe: Wardrobe) -> Floats:
    """(4, k) world bounds of parts, radius included."""
    result = np.empty((4, len(part)))
    corners = wardrobe.parts.corners[part]
    radius = wardrobe.parts.radius[part] * poses.scale[pose]
    for count in np.unique(corners).tolist():
        rows = np.flatnonzero(corners == count)
        world = world_corners(poses, pose[rows], count, part[rows], wardrobe)
        result[:2, rows] = world.min(axis=1).T - radius[rows]
        result[2:, rows] = world.max(axis=1).T + radius[rows]
    return result
