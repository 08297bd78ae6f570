"""Where two boxes meet: one point inside each overlap."""

from __future__ import annotations

import numpy as np

from voskar.core import geometry
from voskar.core.placing import Wardrobe
from voskar.core.recording import Poses
from voskar.core.shapes import Floats
from voskar.core.touching import Touches, part_groups


def meeting_points(touches: Touches, poses: Poses, wardrobe: Wardrobe) -> Floats:
    """(k, 2) a point inside the overlap of the two parts of each touch, in world units.

    Cores apart: the middle of what the two radii share on the shortest line between them. Cores that
    overlap: the mean corner of their intersection. Of a sweep it is where they stand at the time of touch.
    """
    result = np.empty((len(touches), 2))
    parts = wardrobe.parts
    groups = part_groups(
        poses, touches.striker_pose, touches.hit_part, touches.target_pose, touches.hurt_part, wardrobe
    )
    late = (1.0 - touches.t)[:, None]
    for rows, a, b, _ in groups:
        a = a - (late[rows] * touches.striker_shift[rows])[:, None]
        b = b - (late[rows] * touches.target_shift[rows])[:, None]
        radius_a = parts.radius[touches.hit_part[rows]] * poses.scale[touches.striker_pose[rows]]
        radius_b = parts.radius[touches.hurt_part[rows]] * poses.scale[touches.target_pose[rows]]
        distance, on_a, on_b = geometry.closest(a, b)
        low = np.maximum(distance - radius_b, 0.0)
        high = np.minimum(distance, radius_a)
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.where(distance > 0, (low + high) / 2 / distance, 0.0)[:, None]
        result[rows] = on_a + (on_b - on_a) * share
        for index in np.flatnonzero(geometry.separation(a, b) < 0):
            shared = geometry.intersection(a[index], b[index])
            if len(shared):
                result[rows[index]] = shared.mean(axis=0)
    return result
