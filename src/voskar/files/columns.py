"""Gathers frames into a recording's columns, with every check that needs more than one value."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import fields, replace
from fractions import Fraction
from typing import Any, Literal

import numpy as np
from xxhash import xxh3_128

from voskar.core.recording import LoggedBoxes, LoggedCounters, LoggedPart, OwnerChange, Poses, Recording
from voskar.core.recording.inputs import Inputs
from voskar.core.recording.poses import FIELDS
from voskar.core.rules import KindNames
from voskar.core.rules.shapes import LIMIT, Floats, Ints
from voskar.errors import InputError, Problem, nearest
from voskar.files.actors import LoggedActors
from voskar.files.blocks import Block, GrowingColumn, LoggedValues, is_one, made_of, repeated, thin
from voskar.files.entries import Entries, refuse_control
from voskar.files.frames import MOST_LOST
from voskar.files.logged_shapes import EXPECTED, shape_of
from voskar.words import counted

LATE = (*(field.name for field in FIELDS.values() if field.late), "push_x", "push_y", "logged", "tags", "counted")
"""Columns of poses that say nothing to a replay, or not on their own; where logged, they are part of the digest."""
NUMBERS = tuple(field.name for field in FIELDS.values() if field.type == "number")
NEEDED = ("x", "y", "angle", "scale", "z")  # never absent, so never NaN
SMALLEST, LARGEST = 1e-6, 1e6  # scale
MOST_ENTRIES, MOST_ACTORS = 3_000_000, 1_500_000
"""Most entries and actors of one recording: many hours of play. Without it a small gzip file fills the memory."""


MOST_NOTES = 20
"""Notes of a logger that are shown."""


class LoggedAgainError(InputError):
    """A frame of a lower number follows: the game went back, and all frames from there on are logged again."""


class _Named:
    """Values that some poses log by name, block by block: `width` numbers each."""

    def __init__(self, width: int) -> None:
        self.width = width
        self.names: dict[str, int] = {}
        self.poses = 0
        """Poses that state any."""
        self.values: list[tuple[Ints, Ints, Floats]] = []
        """For each value the pose that it belongs to, the number of its name, and its numbers."""

    def take(self, column: LoggedValues, rows: int, values: Floats) -> Ints:
        """Adds those of a block of so many poses; (rows,) which of the poses that state any each one is, -1 for
        none."""
        found = np.full(rows, -1, dtype=np.int64)
        found[column.poses] = np.arange(self.poses, self.poses + len(column.poses))
        numbers = np.array([self.names.setdefault(name, len(self.names)) for name in column.names], dtype=np.int64)
        self.values.append((found[column.at], numbers[column.name], values))
        self.poses += len(column.poses)
        return found

    def whole(self) -> Floats:
        """(poses that state any, names, width), NaN where not logged."""
        found = np.full((self.poses, len(self.names), self.width), np.nan)
        for row, number, values in self.values:
            found[row, number] = values
        return found


class ColumnBuilder:
    """Takes frames in order, in blocks; `finish` gives the recording.

    `place` is what a frame's number in the file is called in errors: "line", or "row" for tables; with "frame" it is
    not logged. `kinds` are the names that each kind has; without it any kind is taken.
    """

    def __init__(
        self, name: str, kinds: Mapping[str, KindNames] | None, place: Literal["line", "row", "frame"]
    ) -> None:
        self.name, self.kinds, self.place = name, kinds, place
        self.first: int | None = None
        self.last = -1
        self.counts: list[Ints] = []
        self.actors = LoggedActors(kinds, self._pose_error)
        self.owner_changes: list[OwnerChange] = []
        self.clips: dict[str, int] = {}
        self.tag_sets: dict[str, int] = {}
        self.entries = Entries(self._error)
        self.resets: dict[int, str] = {}
        self.boxes, self.counters = _Named(4), _Named(1)
        self.shapes: list[tuple[int, int, tuple[LoggedPart, ...]]] = []
        """Which of the poses that log boxes has one of another shape than a rectangle, under which name, and which."""
        self.lost: list[tuple[int, int]] = []
        """The first and the last of frames that the logger lost."""
        self.notes: list[str] = []
        self.columns = {field.name: GrowingColumn() for field in fields(Poses)}

    def add(self, block: Block) -> None:
        """Adds frames. Raises InputError with their line or row, frame and field."""
        expected = (int(block.frame[0]) if self.first is None else self.last + 1) + np.arange(len(block.frame))
        # Lost frames move the expected numbers, so this must run before the gaps are looked for.
        missing = self._dropped(block, expected)
        gaps = np.flatnonzero(block.frame != expected)
        whole = int(gaps[0]) if len(gaps) else len(block.frame)
        for at, what in block.resets:
            self.resets[int(block.frame[at])] = what

        # Entries before the gap are checked first: their error has a lower line than the gap.
        entries = {name: entry.until(whole) for name, entry in block.entries.items()}
        self.entries.take(entries, block.place, block.frame)
        if len(self.entries) > MOST_ENTRIES or len(self.actors.all) > MOST_ACTORS:
            message = f"found more than {MOST_ENTRIES:,} claims and entries of the display, or {MOST_ACTORS:,} actors"
            raise self._error(int(block.place[0]), int(block.frame[0]), "claims", message)
        if len(gaps):
            self.last = int(expected[whole]) - 1
            wrong = self._error(int(block.place[whole]), None, "frame", self._gap(int(block.frame[whole])))
            # Only JSON lines can be read a second time without the frames that were logged twice.
            again = self.place == "line" and (whole > 0 or self.first is not None) and block.frame[whole] <= self.last
            raise LoggedAgainError(wrong.problems) if again else wrong
        if self.first is None:
            self.first = int(block.frame[0])
        self.last = int(block.frame[-1])
        # A lost frame has no poses, and the starts of all later frames rely on its count of 0.
        self.counts.append(np.insert(block.counts, missing, 0) if len(missing) else block.counts)
        self._note(block)
        # Numbers must be checked before boxes: corners are stored relative to x and y.
        columns = {name: thin(column) for name, column in self._columns(block).items()}
        self._check(columns, block)
        columns["facing"] = made_of(columns["facing"], lambda column: column.astype(np.int8))  # 1 or -1 now
        columns |= {name: thin(column) for name, column in self._apart(columns, block).items()}
        for name, column in columns.items():
            self.columns[name].add(column)

    def _dropped(self, block: Block, expected: Ints) -> Ints:
        """Places (missing,) in a block before which a frame is missing that the logger lost; moves `expected`.

        The run starts again in the first of them, where no actor is any more, and in the frame behind the last.
        """
        missing: list[int] = []
        for at, count in block.dropped:
            frame, jump = int(block.frame[at]), int(block.frame[at] - expected[at])
            if count > MOST_LOST:
                message = f"found {count} lost frames, expected at most {MOST_LOST}"
                raise self._error(int(block.place[at]), frame, "dropped", message)
            # Even a loss without a gap in the numbers starts the run again.
            self.resets[frame] = "run"
            if 0 < jump <= count:
                self.resets[frame - jump] = "run"
                self.lost.append((frame - jump, frame - 1))
                missing += [at] * jump
                expected[at:] += jump
        return np.array(missing, dtype=np.int64)

    def _note(self, block: Block) -> None:
        """Keeps in words what the logger lost and repaired."""
        for at, count in block.dropped:
            self.notes.append(
                f"frame {block.frame[at]}: the logger lost {counted(count, 'frame')} before it: the run starts again"
            )
        for at, problems in block.problems:
            self.notes += [f"frame {block.frame[at]}: the logger repaired: {problem}" for problem in problems]

    def forget(self) -> None:
        """Drops the columns gathered so far, for a caller that only wants the checks."""
        self.counts.clear()
        self.entries.clear()
        self.boxes.values.clear()
        self.shapes.clear()
        self.counters.values.clear()
        self.columns = {name: GrowingColumn() for name in self.columns}

    def _gap(self, frame: int) -> str:
        if frame == self.last:
            return f"frame {frame} stands twice, expected {self.last + 1}"
        if frame < self.last:
            return f"frame {frame} comes after {self.last}, expected {self.last + 1}"
        return f"frame {frame} follows {self.last}, expected {self.last + 1}: frame numbers rise by exactly 1"

    def _columns(self, block: Block) -> dict[str, Any]:
        """One array a field."""
        numbers, changes = self.actors.take(block)
        self.owner_changes += changes
        for name in block.clips:
            if name not in self.clips:
                refuse_control(name, lambda text: InputError(Problem(text, file=self.name, key="poses.clip")))
        clips = [self.clips.setdefault(name, len(self.clips)) for name in block.clips]
        rows = len(block.key)
        clip_of = np.array([*clips, -1], dtype=np.int64)
        return {
            **block.numbers,
            "frame": np.repeat(block.frame, block.counts),
            "actor": numbers[block.key] if rows else np.zeros(0, dtype=np.int64),
            "clip": made_of(thin(block.clip), lambda column: clip_of[column]),
            "tags": self._tags(block),
            "lingering": repeated(np.zeros(1, dtype=np.bool_), rows),
        }

    def _apart(self, columns: dict[str, Any], block: Block) -> dict[str, Any]:
        """The columns of what few poses log: pushes, and where the game has boxes itself."""
        rows = len(block.key)
        at, pushes = block.pushes
        wrong = ~(np.abs(pushes) <= LIMIT).all(axis=1)  # NaN is wrong, too
        for row, push in zip(at[wrong], pushes[wrong], strict=True):
            message = f"found {push.tolist()}, expected [dx, dy] within ±{LIMIT:g}"
            raise self._pose_error(int(row), "push", message, None, block)
        push_x, push_y = (np.full(rows if len(at) else 1, np.nan) for _ in "xy")
        if len(at):
            push_x[at], push_y[at] = pushes.T
        logged = self._take_boxes(columns, block) if len(block.boxes.poses) else np.full(1, -1)
        counters = self._take_counters(block) if len(block.counters.poses) else np.full(1, -1)
        values = {"push_x": push_x, "push_y": push_y, "logged": logged, "counted": counters}
        return {name: column if len(column) == rows else repeated(column, rows) for name, column in values.items()}

    def _tags(self, block: Block) -> Any:
        """The numbers of the tags of poses. Raises InputError for an undeclared tag."""
        numbers = [self.tag_sets.setdefault(text, len(self.tag_sets)) for text in block.tag_sets]
        if self.kinds is not None and numbers:
            # One check for each pair of actor and tag set, in the order of their first poses: the first error is the
            # one reported.
            pairs, first = np.unique(block.key * (len(numbers) + 1) + block.tags + 1, return_index=True)
            for row, pair in sorted(zip(first.tolist(), pairs.tolist(), strict=True)):
                key, place = divmod(pair, len(numbers) + 1)
                kind = block.keys[key][1]
                known = self.kinds[kind].tags
                for tag in block.tag_sets[place - 1].split() if place else ():
                    if tag not in known:
                        hint = nearest(tag, known) or "a kind declares its tags: `tags = [...]`"
                        raise self._pose_error(row, "tags", f'{kind} has no tag "{tag}"', hint, block)
        number_of = np.array([*numbers, -1], dtype=np.int64)
        return made_of(thin(block.tags), lambda column: number_of[column])

    def _take_counters(self, block: Block) -> Ints:
        _, at, names, name, values, _ = block.counters
        odd = np.flatnonzero(~(np.abs(values[:, 0]) <= LIMIT))  # NaN is wrong, too
        if len(odd):
            message = f"found {values[odd[0], 0].item()}, expected a number within ±{LIMIT:g}"
            raise self._pose_error(int(at[odd[0]]), f"counters.{names[name[odd[0]]]}", message, None, block)
        for counter in names:
            if counter not in self.counters.names:
                refuse_control(counter, lambda text: InputError(Problem(text, file=self.name, key="poses.counters")))
        return self.counters.take(block.counters, len(block.key), values)

    def _take_boxes(self, columns: dict[str, Any], block: Block) -> Ints:
        _, at, names, name, corners, odd_ones = block.boxes
        place = np.column_stack([columns["x"][at], columns["y"][at]])
        shapes: dict[int, tuple[LoggedPart, ...]] = {}
        for row, value in odd_ones:
            try:
                shapes[row] = shape_of(value)
                self._refuse_loss(shapes[row], names[name[row]], block.keys[block.key[at[row]]][1])
            except ValueError as error:
                raise self._pose_error(int(at[row]), f"boxes.{names[name[row]]}", str(error), None, block) from None
            # A polygon is stored by its bounds like a rectangle; its corners are kept in `shapes`.
            bounds = np.array([part.bounds for part in shapes[row]])
            corners[row] = *bounds[:, :2].min(axis=0), *bounds[:, 2:].max(axis=0)
        wrong = ~(np.abs(corners) <= LIMIT).all(axis=1)  # NaN is wrong, too
        strange: list[tuple[int, str]] = []
        if self.kinds is not None and len(at):
            pairs, first = np.unique(block.key[at] * len(names) + name, return_index=True)
            for pair, row in zip(pairs.tolist(), first.tolist(), strict=True):
                key, number = divmod(pair, len(names))
                if names[number] not in self.kinds[block.keys[key][1]].boxes:
                    strange.append((row, block.keys[key][1]))
        # Of two kinds of mistake the one in the earlier row is reported.
        odd = min([*((row, "") for row in np.flatnonzero(wrong)[:1].tolist()), *strange], default=None)
        if odd is not None:
            row, kind = odd
            box = names[name[row]]
            message = f"found {corners[row].tolist()}, expected {EXPECTED}"
            hint = None
            if kind and self.kinds is not None:
                message, hint = f'{kind} has no box "{box}"', nearest(box, self.kinds[kind].boxes)
            raise self._pose_error(int(at[row]), f"boxes.{box}", message, hint, block)
        # A game may log the corners in any order.
        low, high = np.minimum(corners[:, :2], corners[:, 2:]), np.maximum(corners[:, :2], corners[:, 2:])
        # Boxes are stored relative to the pose, as the rulebook's own boxes are.
        logged = self.boxes.take(block.boxes, len(block.key), np.concatenate([low - place, high - place], axis=1))
        for row, parts in shapes.items():
            seen = tuple(LoggedPart(part.corners - place[row], part.radius, part.is_rect) for part in parts)
            self.shapes.append((int(logged[at[row]]), self.boxes.names[names[name[row]]], seen))
        return logged

    def _check(self, columns: dict[str, Any], block: Block) -> None:
        """Checks a block in bulk and names the first pose that fails."""
        actor, frame = columns["actor"], columns["frame"]
        # of a column of one value throughout, one will do
        columns = {name: column[:1] if column.strides == (0,) else column for name, column in columns.items()}
        bad: list[tuple[int, str, str]] = []

        def look(failing: Any, field: str, expected: str) -> None:
            rows = np.flatnonzero(failing)
            if len(rows):
                value = block.clips[block.clip[rows[0]]] if field == "clip" else block.numbers[field][rows[0]].item()
                bad.append((int(rows[0]), field, f"found {value}, expected {expected}"))

        look((columns["facing"] != 1) & (columns["facing"] != -1), "facing", "1 or -1")
        look((columns["scale"] < SMALLEST) | (columns["scale"] > LARGEST), "scale", f"{SMALLEST:g} to {LARGEST:g}")
        for field in NUMBERS:
            if len(columns[field]) and columns[field].min() >= -LIMIT and columns[field].max() <= LIMIT:
                continue  # and none is NaN
            far = np.abs(columns[field]) > LIMIT
            if field in NEEDED:
                far |= np.isnan(columns[field])
            look(far, field, f"a number within ±{LIMIT:g}")
        # a clip alone does not say which boxes are open
        stray = (columns["clip"] >= 0) & (columns["tick"] < 0) & (columns["cell"] < 0)
        look(stray, "clip", "a `tick` or a `cell` with it")
        look((columns["tick"] >= 0) & (columns["cell"] >= 0), "cell", "a `tick` or a `cell`, not both")
        lives = columns["lives"]
        look((lives < 0) | (lives != np.floor(lives)) & ~np.isnan(lives), "lives", "a whole number of 0 or more")
        # Rows mostly rise by actor, so the sort below is rarely needed.
        falls = np.flatnonzero(actor[1:] <= actor[:-1])
        if (frame[falls] == frame[falls + 1]).any():  # else they rise within a frame: none is there twice
            order = np.lexsort((actor, frame))
            actor, frame = actor[order], frame[order]
            twice = np.flatnonzero((actor[1:] == actor[:-1]) & (frame[1:] == frame[:-1]))
            for row in order[twice + 1][:1].tolist():
                bad.append((row, "id", f'"{block.keys[block.key[row]][0]}" has two poses in this frame'))
        if bad:
            # The smallest row, and for one row the same field each time.
            row, field, message = min(bad)
            raise self._pose_error(row, field, message, None, block)

    def _pose_error(self, row: int, field: str, message: str, hint: str | None, block: Block) -> InputError:
        starts = np.cumsum(block.counts) - block.counts
        at = int(np.searchsorted(starts + block.counts, row, side="right"))
        key = f"poses[{row - int(starts[at])}].{field}"
        return self._error(int(block.place[at]), int(block.frame[at]), key, message, hint)

    def _error(self, number: int, frame: int | None, key: str, message: str, hint: str | None = None) -> InputError:
        line = number if self.place == "line" else None
        row = number if self.place == "row" else None
        return InputError(Problem(message, file=self.name, line=line, row=row, frame=frame, key=key, hint=hint))

    def finish(
        self,
        rate: Fraction,
        *,
        fixtures: Collection[str] = (),
        warnings: Iterable[str] = (),
        goes_on: bool = False,
        **header: Any,
    ) -> Recording:
        """The recording; `fixtures` are the ids that the rulebook places. Only if it `goes_on` may frames be added
        afterwards. Raises InputError if it holds no frame, or if something is logged of an actor that is nowhere."""
        if self.first is None:
            hint = next(iter(warnings), None)
            raise InputError(Problem("the recording has a header and no frames", file=self.name, hint=hint))
        poses = Poses(
            **{
                name: growing_column.so_far() if goes_on else growing_column.whole()
                for name, growing_column in self.columns.items()
            }
        )
        # `starts` has one entry more than frames, so that the poses of a frame are a slice.
        starts = np.concatenate([[0], np.cumsum(np.concatenate(self.counts))]).astype(np.int64)
        inputs = self.entries.inputs()
        boxes = self._logged_boxes()
        counters = LoggedCounters(tuple(self.counters.names), self.counters.whole()[:, :, 0])
        parts = [(*part.corners.ravel().tolist(), part.radius) for shape in boxes.shapes for part in shape]
        named = (boxes.names, boxes.bounds), (counters.names, counters.values), (parts, boxes.shape)
        # The digest is made before the marks change `cut`: it describes the input.
        digest = self._digest(poses, starts, rate, header, inputs, named)
        if self.resets:  # the frames before a mark are no past of the frames after it
            poses = replace(poses, cut=poses.cut | np.isin(poses.frame, list(self.resets)))
        recording = Recording(
            rate=rate,
            first=self.first,
            starts=starts,
            actors=tuple(self.actors.all),
            clips=tuple(self.clips),
            poses=poses,
            claims=tuple(self.entries.claims),
            inputs=inputs,
            resets=dict(self.resets),
            digest=digest,
            boxes=boxes,
            counters=counters,
            tag_sets=tuple(frozenset(text.split()) for text in self.tag_sets),
            display=self.entries.display(),
            warnings=(*warnings, *self._notes()),
            lost=tuple(self.lost),
            owner_changes=tuple(self.owner_changes),
            strangers=() if self.kinds is None else tuple(self.entries.strangers(self.actors.numbers, fixtures)),
            **header,
        )
        return recording

    def _notes(self) -> list[str]:
        suffix = len(self.notes) - MOST_NOTES
        notes = [f"{self.name}: {note}" for note in self.notes[:MOST_NOTES]]
        return [*notes, f"{self.name}: and {suffix} more notes of the logger"] if suffix > 0 else notes

    def _refuse_loss(self, parts: Sequence[LoggedPart], box: str, kind: str) -> None:
        """Raises ValueError for a polygon where the rulebook takes something off on every side."""
        shrunk = self.kinds is not None and box in self.kinds[kind].shrunk
        if shrunk and any(len(part.corners) > 1 and not part.is_rect for part in parts):
            raise ValueError(
                f"a polygon, and a box of {kind} has a grow below 0, which only rectangles and circles have"
            )

    def _logged_boxes(self) -> LoggedBoxes:
        bounds = self.boxes.whole()
        shape = np.full(bounds.shape[:2], -1, dtype=np.int64)
        for number, (row, name, _) in enumerate(self.shapes):
            shape[row, name] = number
        return LoggedBoxes(tuple(self.boxes.names), bounds, shape, tuple(parts for _, _, parts in self.shapes))

    def _digest(
        self, poses: Poses, starts: Any, rate: Fraction, header: dict[str, Any], inputs: Inputs, named: Iterable[Any]
    ) -> str:
        """A digest of all that a replay looks at. It is the same for every file form."""
        digest = xxh3_128()  # no security is needed, and it is ten times as fast as a secure one
        actors: list[Any] = [(actor.id, actor.kind, actor.owner) for actor in self.actors.all]
        actors += self.owner_changes
        meaning = [header.get(key) for key in ("up", "reactions", "seed")]
        meaning += ["after_hits"] if header.get("after_hits") else []
        digest.update(repr((rate, self.first, actors, list(self.clips), self.resets, meaning)).encode())
        digest.update(starts.tobytes())
        if len(inputs):
            digest.update(repr((inputs.ids, inputs.buttons)).encode())
            for column in (inputs.frame, inputs.id, inputs.button, inputs.down, inputs.aim):
                digest.update(column.tobytes())
        if self.tag_sets:
            digest.update(repr(list(self.tag_sets)).encode())
        for names, values in named:
            if names:
                digest.update(repr(names).encode())
                digest.update(values.data)
        for field in fields(Poses):
            column = getattr(poses, field.name)
            # A column of defaults is left out, so that logging the default equals logging nothing.
            if field.name == "frame" or (field.name in LATE and (is_one(column) or not len(column))):
                continue  # the frames are those of `starts`
            # A column of one value gives the same digest whether it is stored once or in full.
            digest.update(np.ascontiguousarray(column[:1] if is_one(column) else column).data)
        return digest.hexdigest()
