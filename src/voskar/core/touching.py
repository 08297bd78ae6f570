"""Finds every touch of a block of frames in bulk: poses and boxes in, a table of touches out.

Knows layers, masks and shapes, and nothing about health, sides or what a blow does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np

from voskar.core import geometry
from voskar.core.candidates import bounds_meet, expand, overlapping
from voskar.core.placing import Placed, Wardrobe, place
from voskar.core.recording import Bools, Ints, Poses
from voskar.core.shapes import TOLERANCE, Floats


@dataclass(frozen=True, eq=False)
class Touches:
    """One row a touching pair of boxes, sorted by frame, striker's pose, hitbox, target's pose, hurtbox.

    `hitbox` and `hurtbox` are box numbers of the wardrobe, `striker_pose` and `target_pose` rows of the
    poses given, `hit_part` and `hurt_part` the convex parts that touch first (of several, the first),
    `t` in [0, 1] the time of the touch within the frame.
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

    def __len__(self) -> int:
        return len(self.frame)

    def take(self, rows: Ints | Bools) -> Touches:
        """Some of the rows."""
        return Touches(**{field.name: getattr(self, field.name)[rows] for field in fields(self)})


def find_touches(poses: Poses, kinds: Sequence[str], owners: Ints, wardrobe: Wardrobe) -> Touches:
    """Every eligible pair of open boxes of different actors that touch.

    `kinds` and `owners` are by actor number (owners as in `Recording.owners`). Two boxes touch if some part
    of one and some part of the other overlap by more than TOLERANCE; edges that only meet do not touch,
    unless the rulebook says `edges_touch`, which lets gaps up to TOLERANCE pass.
    """
    slack = -TOLERANCE if wardrobe.rules.contact.edges_touch else TOLERANCE
    hits, hurts = place(poses, kinds, wardrobe, "hitbox"), place(poses, kinds, wardrobe, "hurtbox")
    found = [_narrow(poses, h, u, wardrobe, slack, owners) for h, u in _classes(hits, hurts, wardrobe)]
    found = [touches for touches in found if len(touches)]
    if not found:
        none = np.zeros(0, dtype=np.int64)
        return Touches(none, none, none, none, none, np.zeros(0), none, none, none, none)
    table = Touches(*(np.concatenate([getattr(one, field.name) for one in found]) for field in fields(Touches)))
    order = np.lexsort((table.hurtbox, table.target_pose, table.hitbox, table.striker_pose))
    return table.take(order)


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
        some_hits, some_hurts = hits.take(lookup[hits.box] == index), hurts.take(pattern[hurts.box])
        if len(some_hits) and len(some_hurts):
            result.append((some_hits, some_hurts))
    return result


def _narrow(poses: Poses, hits: Placed, hurts: Placed, wardrobe: Wardrobe, slack: float, owners: Ints) -> Touches:
    i, j = overlapping(hits, hurts, slack)
    allowed = _not_own(hits, hurts, i, j, wardrobe, owners)
    i, j = i[allowed], j[allowed]
    square = _square(poses)
    plain = wardrobe.upright[hits.form[i]] & wardrobe.upright[hurts.form[j]]
    plain &= square[hits.pose[i]] & square[hurts.pose[j]]
    parts = wardrobe.parts
    hit_part, hurt_part = parts.start[hits.form[i]], parts.start[hurts.form[j]]
    touching = plain.copy()  # bounds of upright rectangles are the rectangles
    rest = np.flatnonzero(~plain)
    if len(rest):
        pair, a, b = _part_pairs(poses, hits.take(i[rest]), hurts.take(j[rest]), wardrobe, slack)
        # the first part pair of each candidate that touches: reversed, so that the first is written last
        touching[rest[pair]] = True
        hit_part[rest[pair[::-1]]] = a[::-1]
        hurt_part[rest[pair[::-1]]] = b[::-1]
    i, j, hit_part, hurt_part = i[touching], j[touching], hit_part[touching], hurt_part[touching]
    return Touches(
        hits.frame[i],
        hits.actor[i],
        hits.box[i],
        hurts.actor[j],
        hurts.box[j],
        np.ones(len(i)),
        hits.pose[i],
        hurts.pose[j],
        hit_part,
        hurt_part,
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


def _part_pairs(poses: Poses, hits: Placed, hurts: Placed, wardrobe: Wardrobe, slack: float) -> tuple[Ints, Ints, Ints]:
    """Part pairs of candidate boxes (row k of hits against row k of hurts) that touch: (k, part, part), in order."""
    parts = wardrobe.parts
    sides = []
    for own, other in ((hits, hurts), (hurts, hits)):
        start = parts.start[own.form]
        pair, part = expand(start, start + parts.count[own.form])
        bounds = part_bounds(poses, own.pose[pair], part, wardrobe)
        near = bounds_meet(bounds, other.bounds[:, pair], slack)
        sides.append((pair[near], part[near], bounds[:, near]))
    (hit_pair, hit_part, hit_bounds), (hurt_pair, hurt_part, hurt_bounds) = sides
    starts = np.searchsorted(hurt_pair, hit_pair, side="left").astype(np.int64)
    stops = np.searchsorted(hurt_pair, hit_pair, side="right").astype(np.int64)
    i, j = expand(starts, stops)
    near = bounds_meet(hit_bounds[:, i], hurt_bounds[:, j], slack)
    pair, a, b = hit_pair[i[near]], hit_part[i[near]], hurt_part[j[near]]
    touching = np.zeros(len(pair), dtype=np.bool_)
    for rows, va, vb, radii in part_groups(poses, hits.pose[pair], a, hurts.pose[pair], b, wardrobe):
        touching[rows] = geometry.touches(va, vb, radii, slack)
    return pair[touching], a[touching], b[touching]


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
