"""Boxes into the world: every open box of every pose of a block, with its bounds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from voskar.core.recording import Bools, Ints, Poses
from voskar.core.rules import Box, Role, Rules, eligible
from voskar.core.shapes import Floats, Form, is_upright, put_on


@dataclass(frozen=True)
class Fitted:
    """A box of a kind with its number and its form's number."""

    number: int
    kind: str
    box: Box
    form: int


class Wardrobe:
    """All boxes of a rulebook, numbered by kind name and then as written, with the forms they take.

    `meets` (boxes, boxes) says which hitbox (row) is eligible to meet which hurtbox (column).
    """

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.fitted: list[Fitted] = []
        self.forms: list[Form] = []
        self.by_kind: dict[str, list[Fitted]] = {}
        for kind in rules.kinds.values():
            self.by_kind[kind.name] = [self._fit(kind.name, box) for box in kind.boxes]
        count = len(self.fitted)
        self.meets: Bools = np.zeros((count, count), dtype=np.bool_)
        for hit in self.of_role("hitbox"):
            for hurt in self.of_role("hurtbox"):
                self.meets[hit.number, hurt.number] = eligible(rules.contact.detect, hit.box, hurt.box)
        self.upright = np.array([is_upright(form) for form in self.forms], dtype=np.bool_)
        self.parts = PartTable(self.forms)

    def _fit(self, kind: str, box: Box) -> Fitted:
        self.forms.append(put_on(box.outline, box.at, box.turn))
        fitted = Fitted(len(self.fitted), kind, box, len(self.forms) - 1)
        self.fitted.append(fitted)
        return fitted

    def of_role(self, role: Role) -> list[Fitted]:
        """Boxes of one role, by number."""
        return [fitted for fitted in self.fitted if fitted.box.role == role]


class PartTable:
    """The convex parts of all forms, numbered, grouped by vertex count so that they transform in bulk."""

    def __init__(self, forms: Sequence[Form]) -> None:
        self.count = np.array([len(form.parts) for form in forms], dtype=np.int64)
        self.start = np.concatenate([[0], np.cumsum(self.count)])[:-1].astype(np.int64)
        parts = [part for form in forms for part in form.parts]
        self.corners = np.array([len(part) for part in parts], dtype=np.int64)
        self.radius = np.array([form.radius for form in forms for _ in form.parts], dtype=np.float64)
        self._slot = np.zeros(len(parts), dtype=np.int64)
        self._vertices: dict[int, Floats] = {}
        self._axes: dict[int, list[Floats]] = {}
        for corners in np.unique(self.corners).tolist():
            members = np.flatnonzero(self.corners == corners)
            self._slot[members] = np.arange(len(members))
            self._vertices[corners] = np.stack([parts[index] for index in members])

    def vertices(self, corners: int, part: Ints) -> Floats:
        """(k, corners, 2) local vertices of parts that all have that many corners."""
        result: Floats = self._vertices[corners][self._slot[part]]
        return result


@dataclass(frozen=True, eq=False)
class Placed:
    """Open boxes of one role in the world, sorted by frame, one row each; `pose` indexes the poses given.

    `bounds` is (4, n): x0, y0, x1, y1, rounding radius included.
    """

    frame: Ints
    actor: Ints
    pose: Ints
    box: Ints
    form: Ints
    bounds: Floats

    def __len__(self) -> int:
        return len(self.frame)

    def take(self, rows: Ints | Bools) -> Placed:
        """Some of the rows."""
        return Placed(
            self.frame[rows], self.actor[rows], self.pose[rows], self.box[rows], self.form[rows], self.bounds[:, rows]
        )


def place(poses: Poses, kinds: Sequence[str], wardrobe: Wardrobe, role: Role) -> Placed:
    """Every open box of one role of every pose that is not hidden.

    `kinds` gives the kind of each actor by number. Order: frame, then actor's row, then box.
    """
    kind_names = sorted(wardrobe.by_kind)
    number = {name: index for index, name in enumerate(kind_names)}
    kind_of_actor = np.array([number[kind] for kind in kinds], dtype=np.int64)
    kind_of_pose = kind_of_actor[poses.actor] if len(poses) else np.zeros(0, dtype=np.int64)
    rows_of: dict[str, Ints] = {}
    found: list[tuple[Ints, Fitted]] = []
    for name in kind_names:
        fitted = [one for one in wardrobe.by_kind[name] if one.box.role == role]
        if not fitted:
            continue
        if name not in rows_of:
            rows_of[name] = np.flatnonzero((kind_of_pose == number[name]) & ~poses.hidden)
        found += [(rows_of[name], one) for one in fitted if len(rows_of[name])]
    if not found:
        none = np.zeros(0, dtype=np.int64)
        return Placed(none, none, none, none, none, np.zeros((4, 0)))
    pose = np.concatenate([rows for rows, _ in found])
    box = np.concatenate([np.full(len(rows), one.number) for rows, one in found])
    form = np.concatenate([np.full(len(rows), one.form) for rows, one in found])
    bounds = np.concatenate([form_bounds(poses, rows, wardrobe.forms[one.form]) for rows, one in found], axis=1)
    order = np.lexsort((box, pose))
    pose = pose[order]
    return Placed(poses.frame[pose], poses.actor[pose], pose, box[order], form[order], bounds[:, order])


def form_bounds(poses: Poses, rows: Ints, form: Form) -> Floats:
    """(4, n) world bounds x0, y0, x1, y1 of one form in the given poses."""
    m00, m01, m10, m11 = (entry[rows] for entry in poses.matrix)
    x = np.multiply.outer(form.hull[:, 0], m00) + np.multiply.outer(form.hull[:, 1], m01)
    y = np.multiply.outer(form.hull[:, 0], m10) + np.multiply.outer(form.hull[:, 1], m11)
    radius = form.radius * poses.scale[rows]
    px, py = poses.x[rows], poses.y[rows]
    return np.stack(
        [
            x.min(axis=0) + px - radius,
            y.min(axis=0) + py - radius,
            x.max(axis=0) + px + radius,
            y.max(axis=0) + py + radius,
        ]
    )
