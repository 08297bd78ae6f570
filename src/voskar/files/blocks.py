"""Some frames at once as columns: what every form of a recording comes to before it is checked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np

from voskar.core.kernel.gather import GatheredEntries, GatheredPoses, GatheredValues
from voskar.core.recording.poses import FIELDS
from voskar.core.rules.shapes import Floats, Ints
from voskar.files.frames import SORTS, WHOLE, FrameLine, LineTypes, Sort

Key = tuple[str, str, str | None]
"""Id, kind, and the owner as it is logged."""

MISSING = {name: (field.default, field.absent) for name, field in FIELDS.items()}
"""The value of a number that a line lacks, and of a null."""

CHUNK = 1 << 14
"""Poses decoded one by one before they become columns; bounds memory."""


class EntryColumns(NamedTuple):
    """Entries of one sort, in order, as columns (k,). `at` is the place of each entry's frame in the block. Texts are
    names and places among them, -1 for none; numbers are NaN for none. A point is two numbers, with _x and _y behind
    its name."""

    at: Ints
    texts: dict[str, tuple[list[str], Ints]]
    numbers: dict[str, Floats]

    def __len__(self) -> int:
        return len(self.at)

    def until(self, frame: int) -> EntryColumns:
        """The entries of the frames before a place."""
        # Frames rise, so one look at the last entry answers for most blocks.
        if not len(self.at) or self.at[-1] < frame:
            return self
        end = int(np.searchsorted(self.at, frame))
        texts = {name: (names, codes[:end]) for name, (names, codes) in self.texts.items()}
        return EntryColumns(self.at[:end], texts, {name: column[:end] for name, column in self.numbers.items()})


class LoggedValues(NamedTuple):
    """Boxes or counters of poses. `poses` (m,) are the poses that log any, or an empty object; `at` (k,) is the pose
    of each value, `name` (k,) a place in `names`, `values` (k, 4 or 1) the logged numbers. `odd` are the rows of
    boxes that are no corners, with their logged values."""

    poses: Ints
    at: Ints
    names: list[str]
    name: Ints
    values: Floats
    odd: list[tuple[int, Any]]


class Block(NamedTuple):
    """Frames in a row, their poses as columns. Not logged: -1 in `tick`, `cell`, `clip` and `tags`, NaN in other
    numbers."""

    frame: Ints
    place: Ints
    """The line or row of each frame."""
    counts: Ints
    """Poses of each frame."""
    keys: list[Key]
    key: Ints
    """For each pose the place of its key in `keys`. Keys are in order of first appearance."""
    clips: list[str]
    clip: Ints
    tag_sets: list[str]
    """Tags that a pose has, with a space between."""
    tags: Ints
    numbers: dict[str, Any]
    entries: dict[str, EntryColumns]
    """Inputs, claims and display."""
    resets: list[tuple[int, str]]
    dropped: list[tuple[int, int]]
    """Frames that the logger lost before this one."""
    problems: list[tuple[int, list[str]]]
    """Values that the logger had to repair."""
    boxes: LoggedValues
    """Where a game has boxes itself."""
    counters: LoggedValues
    pushes: tuple[Ints, Floats]
    """(k,) places of poses, and (k, 2) by how much each says that a hit displaced it."""


def gathering(frames: int, poses: int, types: LineTypes) -> GatheredPoses:
    """Columns with room for so many frames of these types, with so many poses."""
    entries = [
        GatheredEntries(types.line, name, types.entries[name], sort.texts, sort.numbers, sort.point)
        for name, sort in SORTS.items()
    ]
    # The slots are looked up once for each file, not once for each pose.
    return GatheredPoses(frames, poses, types.line, types.pose, MISSING, entries)


def of_frames(chunk: Sequence[tuple[int, FrameLine]]) -> Block:
    """Frames that were decoded one by one, each with its line or row."""
    poses = sum(len(frame.poses) for _, frame in chunk)
    columns = gathering(len(chunk), poses, WHOLE)
    columns.take(frame for _, frame in chunk)
    return gathered_block(columns, [place for place, _ in chunk])


def chunks(frames: Iterator[tuple[int, FrameLine]]) -> Iterator[list[tuple[int, FrameLine]]]:
    """Frames in lists of about CHUNK poses."""
    chunk: list[tuple[int, FrameLine]] = []
    poses = 0
    for frame in frames:
        chunk.append(frame)
        # An empty frame counts too, or a long pause without actors would be one block.
        poses += len(frame[1].poses) + 1
        if poses >= CHUNK:
            yield chunk
            chunk, poses = [], 0
    if chunk:
        yield chunk


def gathered_block(columns: GatheredPoses, places: Any) -> Block:
    """The gathered columns, without their spare room; `places` are the line or row of each frame."""
    frames, poses = columns.frames, columns.rows
    numbers = {name: missing_column(name, poses) for name in FIELDS}
    for name, column in zip(columns.fields, np.asarray(columns.numbers).reshape(-1, columns.room), strict=True):
        numbers[name] = column[:poses].astype(FIELDS[name].dtype)
    others = columns.others
    pushes = np.asarray(columns.pushes)[: 2 * poses if columns.push_slot >= 0 else 0].reshape(-1, 2)
    # Few poses log a push, so only these are kept.
    pushed = np.flatnonzero(~np.isnan(pushes).all(axis=1))
    # The gatherer grows these in place, and a block must not change.
    return Block(
        np.array(columns.frame[:frames]),
        np.asarray(places, dtype=np.int64),
        np.array(columns.counts[:frames]),
        list(columns.keys),
        np.array(columns.key[:poses]),
        list(columns.clips),
        np.array(columns.clip[:poses]),
        list(columns.tag_sets),
        np.array(columns.tags[:poses]) if columns.tags_slot >= 0 else missing_places(poses),
        numbers,
        {name: gathered_entries(SORTS[name], entry) for name, entry in zip(SORTS, columns.entries, strict=True)},
        [(at, frame.reset) for at, frame in others if frame.reset],
        [(at, frame.dropped) for at, frame in others if frame.dropped],
        [(at, frame.problems) for at, frame in others if frame.problems],
        logged_values(columns.boxes),
        logged_values(columns.counters),
        (pushed, pushes[pushed]),
    )


def logged_values(gathered: GatheredValues) -> LoggedValues:
    """Boxes or counters that have been gathered."""
    count = gathered.rows
    at, name = (np.array(column[:count]) for column in (gathered.at, gathered.name))
    values = np.asarray(gathered.values).reshape(-1, gathered.width)[:count]
    return LoggedValues(np.array(gathered.poses, dtype=np.int64), at, list(gathered.names), name, values, gathered.odd)


NOWHERE = np.full(1, -1, dtype=np.int64)


def missing_places(rows: int) -> Ints:
    """A column of places that no pose logs."""
    column: Ints = repeated(NOWHERE, rows)
    return column


def entry_columns(name: str, pairs: Iterable[tuple[int, Any]]) -> EntryColumns:
    """Entries of a sort that were read one by one, each with the place of its frame."""
    sort = SORTS[name]
    entries = GatheredEntries(FrameLine, name, sort.line, sort.texts, sort.numbers, sort.point)
    for at, item in pairs:
        entries.take(at, (item,))
    return gathered_entries(sort, entries)


def gathered_entries(sort: Sort, entries: GatheredEntries) -> EntryColumns:
    """Entries that have been gathered."""
    rows = entries.rows
    codes = np.asarray(entries.codes)[: rows * entries.texts].reshape(rows, entries.texts)
    values = np.asarray(entries.values)[: rows * entries.width].reshape(rows, entries.width)
    texts = {
        name: (list(names), codes[:, at].copy())
        for at, (name, names) in enumerate(zip(sort.texts, entries.names, strict=True))
    }
    points = [f"{sort.point}_x", f"{sort.point}_y"] if sort.point else []
    numbers = {name: values[:, at].copy() for at, name in enumerate([*sort.numbers, *points])}
    return EntryColumns(np.array(entries.at[:rows]), texts, numbers)


def missing_column(name: str, rows: int) -> Any:
    """A column of a field that no pose logs."""
    return repeated(np.array([FIELDS[name].default], dtype=FIELDS[name].dtype), rows)


def repeated(value: Any, rows: int) -> Any:
    """A column that is one value (1,) throughout and cannot be changed. `np.broadcast_to` does the same in 20 times
    the time, which was most of the time of a block of a few frames."""
    column = np.ndarray(rows, value.dtype, value, strides=(0,))
    column.flags.writeable = False
    return column


FIRST = 64
"""Values that are looked at before all of them are."""


def is_one(column: Any) -> bool:
    """Whether a column holds one value throughout."""
    if not len(column) or column.strides == (0,):
        return bool(len(column))
    # Two looks rule out most columns without a pass over them.
    first, last = column[0], column[-1]
    if first != last and (first == first or last == last):  # NaN is not itself
        return False
    # A short look first: columns that change do so early, and a long comparison costs memory.
    if len(column) > FIRST and not is_one(column[:FIRST]):
        return False
    return bool((column == column[0]).all() or (column.dtype.kind == "f" and np.isnan(column).all()))


def thin(column: Any) -> Any:
    """A column of one value throughout as a view of that value, which costs no memory."""
    return repeated(column[:1], len(column)) if is_one(column) and column.strides != (0,) else column


def made_of(column: Any, make: Callable[[Any], Any]) -> Any:
    """A column made of another one, value by value; a view of one value of such a view."""
    return repeated(make(column[:1]), len(column)) if column.strides == (0,) else make(column)


class GrowingColumn:
    """A column that pieces are added to: a view of one value for as long as all are that value, and an array that
    grows in place from then on, as many small ones would leave holes in memory."""

    def __init__(self) -> None:
        self.count = 0
        self._one: Any = None
        self._all: Any = None

    def add(self, piece: Any) -> None:
        """Adds a piece."""
        if not len(piece):
            if self._one is None:
                self._one = piece
            return
        piece, start = thin(piece), self.count
        self.count += len(piece)
        # The piece is a view of a block; a copy of its one value lets the block go.
        if self._all is None and piece.strides == (0,) and (not start or _same(self._one, piece)):
            self._one = piece[:1].copy()
            return
        if self._all is None:
            # Twice the need: most recordings have several blocks, and growth copies the array.
            self._all = np.empty(2 * self.count, dtype=piece.dtype)
            self._all[:start] = self._one[:1] if start else 0
        # A quarter more each time: larger steps leave memory unused in the longest recordings.
        if self.count > len(self._all):
            self._all.resize(self.count + (self.count >> 2), refcheck=False)
        self._all[start : self.count] = piece

    def whole(self) -> Any:
        """The column; nothing can be added any more."""
        if self._all is not None:
            # `refcheck=False` is safe, as nobody else holds this array before it is returned.
            self._all.resize(self.count, refcheck=False)
            return self._all
        if self._one is None:
            return np.zeros(0)
        return repeated(self._one, self.count) if self.count else self._one

    def so_far(self) -> Any:
        """A copy of the column as it is; more may be added."""
        return self.whole() if self._all is None else self._all[: self.count].copy()


def _same(item: Any, other: Any) -> bool:
    value, another = item[0], other[0]
    return bool(value == another or (value != value and another != another))  # NaN is not itself
