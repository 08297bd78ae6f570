"""Boxes into the world: every open box of every pose of a block, with its bounds and how far it has moved."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from fractions import Fraction

import numpy as np

from voskar.core.outlines import stretched
from voskar.core.recording import Actor, Poses
from voskar.core.rules import Box, Clip, Key, Kind, Role, Rules, eligible
from voskar.core.shapes import Bools, Floats, Form, Ints, is_upright, put_on


@dataclass(frozen=True)
class Fitted:
    """A box of a kind with its number, its own form, and the forms its keys give it by clip and cell.

    A clip's forms go up to its last key's cell; the last one holds.
    """

    number: int
    kind: str
    box: Box
    form: int
    keyed: Mapping[str, Ints]

    @property
    def always(self) -> bool:
        """Whether it is open in one form whatever its actor shows."""
        return self.box.during is None and not self.box.except_during and not self.keyed

    def form_in(self, clip: str | None, cell: int) -> int:
        """The form in a cell of a clip."""
        forms = self.keyed.get(clip or "")
        return self.form if forms is None else int(forms[min(max(cell, 0), len(forms) - 1)])


class Wardrobe:
    """All boxes of a rulebook, numbered by kind name and then as written, with the forms they take.

    `meets` (boxes, boxes) says which hitbox (row) is eligible to meet which hurtbox (column).
    """

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.fitted: list[Fitted] = []
        self.forms: list[Form] = []
        self.kinds = list(rules.kinds)
        self.by_kind: dict[str, list[Fitted]] = {}
        for kind in rules.kinds.values():
            self.by_kind[kind.name] = [self._fit(kind, box) for box in kind.boxes]
        count = len(self.fitted)
        self.meets: Bools = np.zeros((count, count), dtype=np.bool_)
        for hit in self.of_role("hitbox"):
            for hurt in self.of_role("hurtbox"):
                self.meets[hit.number, hurt.number] = eligible(rules.contact.detect, hit.box, hurt.box)
        self.upright = np.array([is_upright(form) for form in self.forms], dtype=np.bool_)
        self.swept = np.array([bool(one.box.swept) for one in self.fitted], dtype=np.bool_)
        self.unsaid = np.array([one.box.swept is None for one in self.fitted], dtype=np.bool_)
        self.parts = PartTable(self.forms)

    def _fit(self, kind: Kind, box: Box) -> Fitted:
        known: dict[tuple[object, ...], int] = {}

        def form(at: tuple[float, float], turn: float, stretch: tuple[float, float]) -> int:
            if (at, turn, stretch) not in known:
                outline = box.outline if stretch == (1.0, 1.0) else stretched(box.outline, stretch)
                known[at, turn, stretch] = len(self.forms)
                self.forms.append(put_on(outline, at, turn))
            return known[at, turn, stretch]

        own = form(box.at, box.turn, (1.0, 1.0))
        keyed = {
            clip: np.array([form(*keyed_values(box, keys, cell)) for cell in range(keys[-1].cell + 1)], dtype=np.int64)
            for clip, keys in box.keys.items()
            if keys
        }
        fitted = Fitted(len(self.fitted), kind.name, box, own, keyed)
        self.fitted.append(fitted)
        return fitted

    def of_role(self, role: Role) -> list[Fitted]:
        """Boxes of one role, by number."""
        return [fitted for fitted in self.fitted if fitted.box.role == role]

    def forms_at(self, one: Fitted, clip: str | None, ticks: Ints) -> Iterator[tuple[int, Ints]]:
        """The forms a box takes where it is open after so many frames of a clip, each with the rows it is taken in."""
        if one.always:
            yield one.form, np.arange(len(ticks))
            return
        kind = self.rules.kinds[one.kind]
        cell = np.full(len(ticks), -1) if clip is None else cell_of_tick(ticks, kind, clip, self.rules.rate)
        taken: dict[int, list[int]] = {}
        for row, shown in enumerate(cell.tolist()):
            if one.box.opens(clip, shown):
                taken.setdefault(one.form_in(clip, shown), []).append(row)
        for form, rows in taken.items():
            yield form, np.array(rows, dtype=np.int64)

    def swept_by(self, box: Ints, spawned: Bools) -> Bools:
        """(n,) whether boxes are swept: where they say so, and those of spawned actors unless they say not."""
        return self.swept[box] | (self.unsaid[box] & spawned)


def keyed_values(box: Box, keys: Sequence[Key], cell: int) -> tuple[tuple[float, float], float, tuple[float, float]]:
    """`at`, `turn` and `stretch` of a box in a cell.

    The last key at or before the cell that names a value holds it, or, where that key is linear, leads to
    the next that names it. Before the first the box's own value stands.
    """

    def value(name: str, own: tuple[float, ...]) -> tuple[float, ...]:
        named = [(key, _numbers(getattr(key, name))) for key in keys if getattr(key, name) is not None]
        before = [one for one in named if one[0].cell <= cell]
        after = [one for one in named if one[0].cell > cell]
        if not before:
            return own
        key, numbers = before[-1]
        if not key.linear or not after:
            return numbers
        following, goal = after[0]
        share = (cell - key.cell) / (following.cell - key.cell)
        return tuple(a + (b - a) * share for a, b in zip(numbers, goal, strict=True))

    at, turn, stretch = value("at", box.at), value("turn", (box.turn,)), value("stretch", (1.0, 1.0))
    return (at[0], at[1]), turn[0], (stretch[0], stretch[1])


def _numbers(value: float | tuple[float, float]) -> tuple[float, ...]:
    return value if isinstance(value, tuple) else (value,)


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
        for corners in np.unique(self.corners).tolist():
            members = np.flatnonzero(self.corners == corners)
            self._slot[members] = np.arange(len(members))
            self._vertices[corners] = np.stack([parts[index] for index in members])

    def vertices(self, corners: int, part: Ints) -> Floats:
        """(k, corners, 2) local vertices of parts that all have that many corners."""
        result: Floats = self._vertices[corners][self._slot[part]]
        return result


@dataclass(frozen=True)
class Cast:
    """Who is there, as columns by actor number: kind numbers of the wardrobe, owners, and who was spawned."""

    kind: Ints
    owner: Ints
    spawned: Bools
    clips: tuple[str, ...]

    @classmethod
    def of(cls, actors: Sequence[Actor], owners: Ints, clips: tuple[str, ...], wardrobe: Wardrobe) -> Cast:
        """From actors and their owners by number, and the recording's clip names."""
        number = {name: index for index, name in enumerate(wardrobe.kinds)}
        kinds = np.array([number[actor.kind] for actor in actors], dtype=np.int64)
        return cls(kinds, owners, np.array([actor.spawned for actor in actors], dtype=np.bool_), clips)


def cells(poses: Poses, rows: Ints, kind: Kind, clips: Sequence[str], rate: Fraction) -> Ints:
    """(n,) the cell each of some poses of one kind shows, -1 without a clip.

    A told cell counts as it is. A tick becomes floor(tick * clip rate / recording rate), exactly, modulo the
    clip's cells if it loops, else held at the last; a clip that the kind does not declare has cell = tick.
    """
    clip, tick, told = poses.clip[rows], poses.tick[rows], poses.cell[rows]
    result = np.where(clip >= 0, tick, -1)
    for name, declared in kind.clips.items():
        if name in clips:
            at = np.flatnonzero((clip == clips.index(name)) & (tick >= 0))
            result[at] = _cell_of_tick(tick[at], declared, rate)
    return np.where((clip >= 0) & (told >= 0), told, result)


def _cell_of_tick(tick: Ints, clip: Clip, rate: Fraction) -> Ints:
    step = clip.step(rate)
    cell: Ints = tick * step.numerator // step.denominator
    return cell % clip.cells if clip.loop else np.minimum(cell, clip.cells - 1)


def cell_of_tick(tick: Ints, kind: Kind, clip: str, rate: Fraction) -> Ints:
    """(n,) the cells of a clip of a kind after so many frames."""
    declared = kind.clips.get(clip)
    return tick if declared is None else _cell_of_tick(tick, declared, rate)


def openness(box: Box, clip: Ints, cell: Ints, clips: Sequence[str]) -> Bools:
    """(n,) whether a box is open in cells of clips."""
    inside = np.ones(len(cell), dtype=np.bool_) if box.during is None else _inside(box.during, clip, cell, clips)
    return inside & ~_inside(box.except_during, clip, cell, clips)


def _inside(windows: Mapping[str, tuple[tuple[int, int], ...]], clip: Ints, cell: Ints, clips: Sequence[str]) -> Bools:
    result = np.zeros(len(cell), dtype=np.bool_)
    for name, ranges in windows.items():
        if name in clips:
            shown = clip == clips.index(name)
            for first, last in ranges:
                result |= shown & (cell >= first) & (cell <= last)
    return result


@dataclass(frozen=True, eq=False)
class Placed:
    """Open boxes of one role in the world, sorted by frame, one row each; `pose` indexes the poses given.

    `bounds` is (4, n): x0, y0, x1, y1, rounding radius included. `shift` (2, n) is how far the box's anchor
    has come since the frame before, 0 where it has no usable past. `swept` says which are tested along it.
    """

    frame: Ints
    actor: Ints
    pose: Ints
    box: Ints
    form: Ints
    bounds: Floats
    shift: Floats
    swept: Bools

    def __len__(self) -> int:
        return len(self.frame)

    def take(self, rows: Ints | Bools) -> Placed:
        """Some of the rows."""
        return Placed(*(getattr(self, field.name)[..., rows] for field in fields(self)))

    def along(self) -> Placed:
        """The same boxes with bounds that take in their whole way through the frame."""
        start = self.bounds - np.concatenate([self.shift, self.shift])
        low, high = np.minimum(self.bounds[:2], start[:2]), np.maximum(self.bounds[2:], start[2:])
        return replace(self, bounds=np.concatenate([low, high]))


def place(poses: Poses, cast: Cast, wardrobe: Wardrobe, role: Role, lead: int = 0) -> Placed:
    """Every open box of one role of every pose that is not hidden, from row `lead` on.

    The rows before `lead` only tell where things came from. Order: pose, then box.
    """
    kind_of_pose = cast.kind[poses.actor]
    found: list[tuple[Ints, Ints, Ints, Floats, Floats]] = []
    moving = bool(wardrobe.swept.any() or cast.spawned.any())
    for number, name in enumerate(wardrobe.kinds):
        fitted = [one for one in wardrobe.by_kind[name] if one.box.role == role]
        if not fitted:
            continue
        rows = np.flatnonzero((kind_of_pose == number) & ~poses.hidden)
        rows = rows[rows >= lead]
        if not len(rows):
            continue
        kind = wardrobe.rules.kinds[name]
        shown = _Shown(poses, rows, kind, cast, wardrobe.rules.rate)
        for one in fitted:
            some, form = shown.open_forms(one, rows)
            if len(some):
                bounds = _bounds(poses, some, form, wardrobe)
                shift = shown.shift(one, some, form, wardrobe) if moving else np.zeros((2, len(some)))
                found.append((some, np.full(len(some), one.number), form, bounds, shift))
    if not found:
        none = np.zeros(0, dtype=np.int64)
        return Placed(none, none, none, none, none, np.zeros((4, 0)), np.zeros((2, 0)), none > 0)
    pose, box, form, bounds, shift = (np.concatenate(column, axis=-1) for column in zip(*found, strict=True))
    order = np.lexsort((box, pose))
    pose, box = pose[order], box[order]
    actor = poses.actor[pose]
    swept = wardrobe.swept_by(box, cast.spawned[actor])
    return Placed(poses.frame[pose], actor, pose, box, form[order], bounds[:, order], shift[:, order], swept)


class _Shown:
    """What poses of one kind show: clip and cell, for these rows and for the frame before."""

    def __init__(self, poses: Poses, rows: Ints, kind: Kind, cast: Cast, rate: Fraction) -> None:
        self.poses, self.kind, self.cast, self.rate = poses, kind, cast, rate
        self.timed = any(box.keys or box.during is not None or box.except_during for box in kind.boxes)
        self.cell = self.cells(rows)

    def cells(self, rows: Ints) -> Ints:
        """The cells shown, or nothing of meaning where no box of the kind looks at them."""
        if not self.timed:
            return np.zeros(len(rows), dtype=np.int64)
        return cells(self.poses, rows, self.kind, self.cast.clips, self.rate)

    def open_forms(self, one: Fitted, rows: Ints) -> tuple[Ints, Ints]:
        """Rows in which a box is open, and its form there."""
        if one.always:
            return rows, np.full(len(rows), one.form, dtype=np.int64)
        clip = self.poses.clip[rows]
        if one.box.during is not None or one.box.except_during:
            at = np.flatnonzero(openness(one.box, clip, self.cell, self.cast.clips))
        else:
            at = np.arange(len(rows))
        return rows[at], forms(one, clip[at], self.cell[at], self.cast.clips)

    def shift(self, one: Fitted, rows: Ints, form: Ints, wardrobe: Wardrobe) -> Floats:
        """(2, n) the way of the anchor since the frame before, 0 without a usable past."""
        poses = self.poses
        before = poses.previous[rows]
        usable = (before >= 0) & ~poses.cut[rows]
        usable &= ~poses.hidden[before] & (poses.facing[rows] == poses.facing[before])
        usable &= poses.clip[rows] == poses.clip[before]
        at = np.flatnonzero(usable)
        before = before[at]
        result = np.zeros((2, len(rows)))
        if one.always and one.box.at == (0.0, 0.0):  # most shots: one box, open on its actor's position
            result[:, at] = poses.x[rows[at]] - poses.x[before], poses.y[rows[at]] - poses.y[before]
            return result
        cell, clip = self.cells(before), poses.clip[before]
        still_open = openness(one.box, clip, cell, self.cast.clips)
        at, before, cell, clip = at[still_open], before[still_open], cell[still_open], clip[still_open]
        old = forms(one, clip, cell, self.cast.clips)
        anchors = np.array([wardrobe.forms[number].anchor for number in range(len(wardrobe.forms))]).reshape(-1, 2)
        result[:, at] = world(poses, rows[at], anchors[form[at]]) - world(poses, before, anchors[old])
        return result


def forms(one: Fitted, clip: Ints, cell: Ints, clips: Sequence[str]) -> Ints:
    """(n,) the forms of a box in cells of clips."""
    result = np.full(len(cell), one.form, dtype=np.int64)
    for name, table in one.keyed.items():
        if name in clips:
            at = np.flatnonzero(clip == clips.index(name))
            result[at] = table[np.clip(cell[at], 0, len(table) - 1)]
    return result


def world(poses: Poses, rows: Ints, points: Floats) -> Floats:
    """(2, n) local points (n, 2) of the poses in the world."""
    m00, m01, m10, m11 = (entry[rows] for entry in poses.matrix)
    return np.stack(
        [
            points[:, 0] * m00 + points[:, 1] * m01 + poses.x[rows],
            points[:, 0] * m10 + points[:, 1] * m11 + poses.y[rows],
        ]
    )


def _bounds(poses: Poses, rows: Ints, form: Ints, wardrobe: Wardrobe) -> Floats:
    """(4, n) world bounds of a box that takes some forms."""
    used = np.unique(form)
    if len(used) == 1:
        return form_bounds(poses, rows, wardrobe.forms[used[0]])
    result = np.empty((4, len(rows)))
    for number in used.tolist():
        at = np.flatnonzero(form == number)
        result[:, at] = form_bounds(poses, rows[at], wardrobe.forms[number])
    return result


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
