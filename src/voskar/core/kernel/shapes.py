# cython: cdivision=True
"""The rulebook's shapes and boxes as flat tables: read by every frame, changed by none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from voskar.core.kernel.storage import shared_flags, shared_floats, shared_ints
from voskar.core.rules.shapes import Form

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Flags, Floats, Ints

CLOSED = -1
UNLOGGED, ABSENT = -2, -1
NARROW = 1 << 22
"""A tick whose product with any number below 2**40 has less than 63 bits."""


def _floats(values: Sequence[float]) -> Floats:
    return shared_floats(np.array(values, dtype=np.float64))


def _ints(values: Sequence[int]) -> Ints:
    return shared_ints(np.array(values, dtype=np.int64))


class ShapeColumns:
    """All forms a box can take, numbered: each a run of convex parts, each part a run of vertices, in local units.

    Form f has parts `part_start[f]` to `part_end[f]`, part p vertices `vertex_start[p]` to
    `vertex_end[p]`; `part_radius` is a part's own, a form's `radius` the largest of its parts, which an `uneven` one
    does not share. `hull_start` and `hull_end` likewise run over the vertices that can be extreme. `upright` forms are
    one sharp rectangle along the axes: their bounds are the shape. Behind those of the rulebook come `spare` forms with
    `room` for so many parts of so many corners each: boxes of this frame that only the recording knows.
    """

    def __init__(self, forms: Sequence[Form], upright: Sequence[bool], room: tuple[int, int] = (1, 4)) -> None:
        self._forms, self._upright, self._room = forms, upright, room
        self.own = len(forms)
        self.spare = 0
        self.lay_out(0)

    def reserve(self, spare: int) -> None:
        """Room for so many spare forms; those there are lose what they held."""
        if spare > self.spare:
            self.lay_out(spare)

    def lay_out(self, spare: int) -> None:
        """Everything as flat tables."""
        count, corners = self._room
        part = np.zeros((corners, 2))
        blank = [Form((part,) * count, 0.0, (0.0, 0.0), np.zeros((count * corners, 2)))] * spare
        self.spare = spare
        forms, upright = [*self._forms, *blank], [*self._upright, *[True] * spare]
        parts = [part for form in forms for part in form.parts]
        self.part_start: Ints = _ints(np.cumsum([0, *(len(form.parts) for form in forms)]).tolist())
        self.part_end: Ints = _ints(list(self.part_start[1:]))
        self.vertex_start: Ints = _ints(np.cumsum([0, *map(len, parts)]).tolist())
        self.vertex_end: Ints = _ints(list(self.vertex_start[1:]))
        vertices = np.concatenate([np.zeros((0, 2)), *parts])
        self.vertex_x: Floats = _floats(vertices[:, 0].tolist())
        self.vertex_y: Floats = _floats(vertices[:, 1].tolist())
        hulls = np.concatenate([np.zeros((0, 2)), *(form.hull for form in forms)])
        self.hull_start: Ints = _ints(np.cumsum([0, *(len(form.hull) for form in forms)]).tolist())
        self.hull_end: Ints = _ints(list(self.hull_start[1:]))
        self.hull_x: Floats = _floats(hulls[:, 0].tolist())
        self.hull_y: Floats = _floats(hulls[:, 1].tolist())
        bounds = [(*form.hull.min(axis=0).tolist(), *form.hull.max(axis=0).tolist()) for form in forms]
        self.low_x: Floats = _floats([box[0] for box in bounds])
        self.low_y: Floats = _floats([box[1] for box in bounds])
        self.high_x: Floats = _floats([box[2] for box in bounds])
        self.high_y: Floats = _floats([box[3] for box in bounds])
        self.radius: Floats = _floats([form.radius for form in forms])
        # Parts of a rulebook's form share a radius; only logged ones may differ.
        self.part_radius: Floats = _floats([form.radius for form in forms for _ in form.parts])
        self.uneven: Flags = shared_flags(np.zeros(len(forms), dtype=np.bool_))
        self.anchor_x: Floats = _floats([form.anchor[0] for form in forms])
        self.anchor_y: Floats = _floats([form.anchor[1] for form in forms])
        self.upright: Flags = shared_flags(np.array(upright, dtype=np.bool_))
        self.most_corners = max(4, max(map(len, parts), default=1))
        self.most_parts = max((len(form.parts) for form in forms), default=1)


class BoxRuns(NamedTuple):
    """(first cell, form) of each stretch of cells of a box: without a clip, in any clip that it does not name, and in
    those that it does, by number."""

    none: Sequence[tuple[int, int]]
    other: Sequence[tuple[int, int]]
    own: Mapping[int, Sequence[tuple[int, int]]]


class BoxColumns:
    """All boxes by number, those of one kind in a row: hitboxes and hurtboxes from `kind_start[k]` on, bodies apart.

    What a box shows in a cell of a clip is a list of runs: from `run_cell` on it takes `run_form`, CLOSED where it is
    closed. Runs of box b in clip c (0: no clip, else the clip's number and 1) are `run_start[b * clips + c]` to
    `run_end[b * clips + c]`; clips that a box does not name share theirs.
    `meets[h * boxes + u]` (given as a square) says whether layers and masks let hitbox h meet hurtbox u. `logged` is
    where among a recording's logged boxes one that it logs stands, ABSENT for one that it never does, and UNLOGGED for
    those of the rulebook; `grow` what it grows by, and `pad` (4 a box) by how much more on each side of the world.
    `within` boxes are closed outside the bounds. `swing` numbers the timed attacks of a kind, of which no kind has more
    than `swings`; -1 for a box that is not timed. `condition` is which of its kind's conditions a box is open by, -1
    for none; `tag_bits` (kinds, tag sets) are the conditions that hold for no tags and for each set, as far as tags
    decide, a bit each. A hitbox that `clashes` may be met by others. `deep` boxes reach from `near_z` to `far_z` about
    their actor's z.
    """

    def __init__(
        self,
        kinds: Sequence[tuple[Sequence[int], Sequence[int]]],
        hits: Sequence[bool],
        swept: Sequence[int],
        always: Sequence[int],
        runs: Sequence[BoxRuns],
        clips: int,
        masks: Sequence[int],
        spares_owner: Sequence[bool],
        meets: NDArray[np.bool_],
        logged: Sequence[int],
        pads: Sequence[tuple[float, float, float, float]],
        grow: Sequence[float],
        within: Sequence[bool],
        swing: Sequence[int],
        wraps: Sequence[bool],
        condition: Sequence[int],
        tag_bits: NDArray[np.int64],
        clashes: Sequence[bool],
        depths: Sequence[tuple[float, float] | None],
    ) -> None:
        """`kinds` has for each the numbers of its meeting boxes and of its bodies; `swept` is 1 or 0; `always` the form
        of a box that never changes, CLOSED for others; `wraps` is told of kinds."""
        self.boxes = len(hits)
        self.kinds = len(kinds)
        self.clips = clips + 1
        self.kind_start: Ints = _ints(np.cumsum([0, *(len(own) for own, _ in kinds)]).tolist())
        self.kind_box: Ints = _ints([box for own, _ in kinds for box in own])
        self.body_start: Ints = _ints(np.cumsum([0, *(len(own) for _, own in kinds)]).tolist())
        self.body_box: Ints = _ints([box for _, own in kinds for box in own])
        self.is_hit: Flags = shared_flags(np.array(hits, dtype=np.bool_))
        self.swept: Ints = _ints(swept)
        self.always: Ints = _ints(always)
        start, end = (np.zeros((self.boxes, self.clips), dtype=np.int64) for _ in range(2))
        flat: list[tuple[int, int]] = []
        for box, run in enumerate(runs):
            # Clips without runs of their own share those of all others, so a clip costs no memory.
            start[box, 1:] = len(flat)
            flat += run.other
            end[box, 1:] = len(flat)
            for clip, own in ((-1, run.none), *run.own.items()):
                start[box, clip + 1] = len(flat)
                flat += own
                end[box, clip + 1] = len(flat)
        self.run_start: Ints = shared_ints(start.reshape(-1))
        self.run_end: Ints = shared_ints(end.reshape(-1))
        self.run_cell: Ints = _ints([cell for cell, _ in flat])
        self.run_form: Ints = _ints([form for _, form in flat])
        # 64 layers fill the sign bit too.
        self.mask: Ints = shared_ints(np.array(masks, dtype=np.uint64).astype(np.int64))
        self.spares_owner: Flags = shared_flags(np.array(spares_owner, dtype=np.bool_))
        self.meets: Flags = shared_flags(meets.reshape(-1))
        self.logged: Ints = _ints(logged)
        self.grow: Floats = _floats(grow)
        self.pad: Floats = _floats([side for pad in pads for side in pad])
        self.within: Flags = shared_flags(np.array(within, dtype=np.bool_))
        self.special: Flags = shared_flags(
            np.array(within, dtype=np.bool_) | (np.array(logged, dtype=np.int64) >= ABSENT)
        )
        self.swing: Ints = _ints(swing)
        self.swings = max(swing, default=-1) + 1
        self.wraps: Flags = shared_flags(np.array(wraps, dtype=np.bool_))
        self.any_wraps = any(wraps)
        self.condition: Ints = _ints(condition)
        self.any_conditions = any(number >= 0 for number in condition)
        self.any_depth = any(depths)
        self.deep: Flags = shared_flags(np.array([depth is not None for depth in depths], dtype=np.bool_))
        self.near_z: Floats = _floats([0.0 if depth is None else depth[0] for depth in depths])
        self.far_z: Floats = _floats([0.0 if depth is None else depth[1] for depth in depths])
        self.any_clashes = any(clashes)
        self.clashes: Flags = shared_flags(np.array(clashes, dtype=np.bool_))
        self.tag_sets = tag_bits.shape[1]
        self.tag_bits: Ints = shared_ints(tag_bits.reshape(-1))

    def form_of(self, box: int, clip: int, cell: int) -> int:
        """The form that a box takes in a cell of a clip (-1: none), CLOSED where it is closed. Raises IndexError."""
        if not (0 <= box < self.boxes and -1 <= clip < self.clips - 1):
            raise IndexError("no such box or clip")
        # Most boxes never change, and are answered without a search.
        form = self.always[box]
        if form >= 0:
            return form
        entry = box * self.clips + clip + 1
        low, high = self.run_start[entry], self.run_end[entry]
        while high - low > 1:
            middle = (low + high) >> 1
            if self.run_cell[middle] <= cell:
                low = middle
            else:
                high = middle
        return self.run_form[low]


def share(tick: int, rest: int, whole: int) -> int:
    """floor(tick * rest / whole) for 0 <= rest < whole <= 2**40, exact also where the product is wider than 64 bits."""
    # The product fits into 63 bits for all ticks of a normal game.
    if tick <= NARROW:
        return tick * rest // whole
    result, over = 0, 0
    for bit in range(40, -1, -1):  # long multiplication, what is left over carried along
        result, over = 2 * result, 2 * over
        if over >= whole:
            over -= whole
            result += 1
        if tick >> bit & 1:
            over += rest
            if over >= whole:
                over -= whole
                result += 1
    return result


class ClipColumns:
    """Clips of kinds: a tick becomes a cell by `step` = rate of the clip over that of the recording, exactly."""

    def __init__(self, kinds: int, clips: int, declared: dict[tuple[int, int], tuple[int, bool, int, int]]) -> None:
        """`declared` has cells, whether it loops, and the step's numerator and denominator, by kind and clip."""
        self.kinds = kinds
        self.clips = max(clips, 1)
        table = np.zeros((5, kinds, self.clips), dtype=np.int64)
        # An undeclared clip has a step of 1: its cell is its tick.
        table[2:, :, :] = np.array([1, 0, 1])[:, None, None]
        for (kind, clip), (cells, loops, step, per) in declared.items():
            table[:, kind, clip] = cells, loops, *divmod(step, per), per
        columns = table.reshape(5, -1)
        self.cells: Ints = shared_ints(columns[0])
        self.loops: Flags = shared_flags(columns[1] != 0)
        self.whole: Ints = shared_ints(columns[2])
        self.rest: Ints = shared_ints(columns[3])
        self.denominator: Ints = shared_ints(columns[4])

    def cell_of(self, kind: int, clip: int, tick: int) -> int:
        """floor(tick * step), modulo the cells if the clip loops, else held at the last; an undeclared one has
        cell = tick. No clip: -1. Ticks are 0 or more. Raises IndexError."""
        if not (0 <= kind < self.kinds and clip < self.clips):
            raise IndexError("no such kind or clip")
        if clip < 0:
            return -1
        entry = kind * self.clips + clip
        cells = self.cells[entry]
        # 0 cells stand for a clip that the rulebook does not declare.
        if cells == 0:
            return tick
        cell = tick * self.whole[entry] + share(tick, self.rest[entry], self.denominator[entry])
        if self.loops[entry]:
            return cell % cells
        return cell if cell < cells else cells - 1
