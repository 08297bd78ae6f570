"""What stands in the way: the first solid that a moving body meets, and the surface it meets there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from voskar.core.geometry import axes, closest, first_touch
from voskar.core.rules_driven import Solid
from voskar.core.shapes import TOLERANCE, Bools, Floats, Ints

ANYWHERE = -1
"""The mask of a body that meets every solid."""


@dataclass(frozen=True, eq=False)
class BodyParts:
    """Convex parts of moving bodies that all have n corners: `mover` (k,) whose they are, `corners` (k, n, 2) in
    the world where the bodies are now, `radius` (k,), and `mask` (k,) bit sets of the layers they look for."""

    mover: Ints
    corners: Floats
    radius: Floats
    mask: Ints


class Solids:
    """The solids of a space. One without a layer is met by every body, one with layers by those that look for it."""

    def __init__(self, solids: tuple[Solid, ...]) -> None:
        parts = [(part, solid.layer) for solid in solids for part in solid.outline.parts]
        self._groups: list[tuple[Floats, Ints]] = []
        for corners in sorted({len(part) for part, _ in parts}):
            some = [(part, layer) for part, layer in parts if len(part) == corners]
            # 64 layers fill the sign bit too
            layers = np.array([layer for _, layer in some], dtype=np.uint64).astype(np.int64)
            self._groups.append((np.stack([part for part, _ in some]), layers))
        self._low = np.array([part.min(axis=0) for part, _ in parts]).reshape(-1, 2)
        self._high = np.array([part.max(axis=0) for part, _ in parts]).reshape(-1, 2)

    def __bool__(self) -> bool:
        return bool(self._groups)

    def near(self, x: Floats, y: Floats, move: Floats, reach: Floats) -> Bools:
        """(m,) whether bodies that reach so far from their positions come near any solid on their way."""
        start = np.stack([x, y], axis=1)
        low = start + np.minimum(move, 0.0) - reach[:, None]
        high = start + np.maximum(move, 0.0) + reach[:, None]
        met: Bools = (high[:, None, :] >= self._low[None]) & (low[:, None, :] <= self._high[None])
        result: Bools = np.any(np.all(met, axis=2), axis=1)
        return result

    def first_met(self, bodies: list[BodyParts], move: Floats) -> tuple[Floats, Floats]:
        """Where the ways `move` (m, 2) of movers are first hindered: t (m,) in [0, 1], infinite for a free way,
        and the unit normals (m, 2) of the surfaces met, pointing out of the solid.

        A way is hindered by a solid that the body would come to overlap by more than TOLERANCE. A body that
        touches or overlaps one already is hindered, at 0, only by motion into it. Of surfaces met at one moment
        the one that the motion heads into most counts, then the most level one.
        """
        best, normal = np.full(len(move), np.inf), np.zeros((len(move), 2))
        rank = [(np.inf, 0.0, 0.0)] * len(move)
        for body in bodies:
            way = move[body.mover]
            for corners, layers in self._groups:
                k, s = self._near(body, way, corners, layers)
                if not len(k):
                    continue
                start, solid, step = body.corners[k], corners[s], way[k]
                t = first_touch(start + step[:, None, :], solid, body.radius[k], step, TOLERANCE)
                hit = np.flatnonzero(np.isfinite(t))
                if not len(hit):
                    continue
                k, solid, step, t = k[hit], solid[hit], step[hit], t[hit]
                out = _normals(start[hit] + step[:, None, :] * t[:, None, None], solid, step)
                into = (out * step).sum(axis=1)
                for row in np.flatnonzero(into < 0).tolist():
                    mover = int(body.mover[k[row]])
                    key = (round(float(t[row]), 9), round(float(into[row]), 9), -abs(float(out[row, 1])))
                    if key < rank[mover]:
                        rank[mover], best[mover], normal[mover] = key, t[row], out[row]
        return best, normal

    @staticmethod
    def _near(body: BodyParts, way: Floats, corners: Floats, layers: Ints) -> tuple[Ints, Ints]:
        """Pairs of a body part and a solid that it looks for and whose bounds its way comes into."""
        reach = body.radius[:, None] - TOLERANCE
        low = body.corners.min(axis=1) + np.minimum(way, 0.0) - reach
        high = body.corners.max(axis=1) + np.maximum(way, 0.0) + reach
        near = (high[:, None, :] > corners.min(axis=1)[None]) & (low[:, None, :] < corners.max(axis=1)[None])
        seen = ((body.mask[:, None] & layers[None]) != 0) | (layers[None] == 0) | (body.mask[:, None] == ANYWHERE)
        k, s = np.nonzero(near.all(axis=2) & seen)
        return k, s


def _normals(a: Floats, b: Floats, move: Floats) -> Floats:
    """(k, 2) unit normals from b to a for parts that touch or overlap: between the closest points where the
    cores are apart, else along the axis on which they overlap least; of equals the one that `move` goes against
    most, then the most level one."""
    distance, on_a, on_b = closest(a, b)
    best, against = np.full(len(a), -np.inf), np.zeros(len(a))
    normal = np.zeros((len(a), 2))
    for directions in (axes(a), axes(b)):
        for index in range(directions.shape[1]):
            axis = directions[:, index]
            along_a = a[..., 0] * axis[:, :1] + a[..., 1] * axis[:, 1:]
            along_b = b[..., 0] * axis[:, :1] + b[..., 1] * axis[:, 1:]
            known = (axis != 0).any(axis=1)
            for sign, apart in (
                (1.0, along_a.min(axis=1) - along_b.max(axis=1)),
                (-1.0, along_b.min(axis=1) - along_a.max(axis=1)),
            ):
                facing = sign * (axis * move).sum(axis=1)
                more = (facing < against - TOLERANCE) | (
                    (facing < against + TOLERANCE) & (np.abs(axis[:, 1]) > np.abs(normal[:, 1]))
                )
                better = (apart > best + TOLERANCE) | ((apart > best - TOLERANCE) & more)
                better &= known
                best = np.where(better, np.maximum(apart, best), best)
                against = np.where(better, facing, against)
                normal[better] = sign * axis[better]
    separate = np.flatnonzero(best > TOLERANCE)
    normal[separate] = (on_a[separate] - on_b[separate]) / distance[separate, None]
    return normal
