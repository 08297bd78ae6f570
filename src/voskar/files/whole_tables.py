"""Whole columns of a Parquet table as one block.

They are used only where they cannot differ from their rows. In every other case the table is read again row by row,
and that way names what is wrong and where.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from msgspec import structs

from voskar.core.kernel.gather import GatheredValues
from voskar.core.recording.poses import FIELDS
from voskar.core.rules.shapes import Floats, Ints
from voskar.files.blocks import (
    Block,
    EntryColumns,
    LoggedValues,
    chunks,
    entry_columns,
    logged_values,
    missing_column,
    missing_places,
    of_frames,
)
from voskar.files.frames import EVENTS, SORTS
from voskar.files.reading import opened_anywhere
from voskar.files.tables import COLUMNS, MOST_ROWS, MarkLine, arrow_type, gathered, map_in, table_frames, table_path

NEEDED = ("id", "kind", "x", "y")
TEXTUAL = ("id", "kind", "owner", "clip", "tags")


class _UnlikeError(Exception):
    """Whole columns may have been read in another way than row by row."""


def _whole(column: Any) -> Any:
    """A column without gaps as an array, without a copy where it can be."""
    return column.to_numpy(zero_copy_only=False)


def _counted(column: Any) -> Ints:
    """Whole numbers of 0 or more; -1 where not logged."""
    found: Ints = _whole(column.fill_null(-1))
    # A -1 in the table itself would look like a gap; row by row it is an error with a row number.
    if len(found) and (found.min() < -1 or found.max() > 1 << 40 or (found == -1).sum() != column.null_count):
        raise _UnlikeError
    return found


def _finite(column: Any) -> Floats:
    """Numbers; NaN where not logged, which may stand in a table as well."""
    found: Floats = _whole(column)
    # JSON has no infinite numbers, so row by row this is an error.
    if np.isinf(found).any():
        raise _UnlikeError
    return found


def _number(name: str, column: Any) -> Any:
    """A column of numbers as a block has it."""
    import pyarrow

    field = FIELDS[name]
    if field.type == "count":
        return _counted(column)
    if field.type == "number":
        found, default = _finite(column), field.default
        # NaN in a needed number is a mistake, not a gap.
        if name in NEEDED and np.isnan(found).any():
            raise _UnlikeError
        return found if math.isnan(default) else np.where(np.isnan(found), default, found)
    if field.type == "answer":
        # Boolean columns of Arrow use single bits, which NumPy cannot view.
        column = column.cast(pyarrow.int8())
    return _whole(column.fill_null(field.dtype(field.default).item()) if column.null_count else column)


def _codes(column: Any, rows: int) -> tuple[Ints, list[Any]]:
    """Texts as places in a list, in which each occurs once; the last place is that of None."""
    import pyarrow

    if column is None:
        return np.broadcast_to(np.zeros(1, dtype=np.int64), rows), [None]
    coded = column if pyarrow.types.is_dictionary(column.type) else column.dictionary_encode()
    coded.validate(full=True)  # a broken file may have codes outside its dictionary
    names = coded.dictionary.to_pylist()
    indices = coded.indices
    return _whole(indices.fill_null(len(names)) if indices.null_count else indices), [*names, None]


def _in_order(codes: Ints, nobody: int) -> tuple[Ints, Ints]:
    """Codes as numbers in the order in which they first appear, and the row where each does; no code is over `nobody`,
    which stands for None and is numbered behind all others."""
    rows = len(codes)
    first = np.full(nobody + 1, rows)
    first[codes[::-1]] = np.arange(rows - 1, -1, -1)  # backwards, so that the first row of a code is written last
    first[nobody] = rows
    met = np.argsort(first, kind="stable")[: np.count_nonzero(first < rows)]
    numbers = np.full(nobody + 1, len(met))
    numbers[met] = np.arange(len(met))
    return numbers[codes], first[met]


def _of_columns(
    frame: Ints,
    place: Ints,
    counts: Ints,
    poses: dict[str, Any],
    entries: dict[str, EntryColumns],
    marks: list[tuple[int, MarkLine]],
) -> Block:
    """Raises _UnlikeError where a pose is not as its line has to be."""
    import pyarrow

    if any(poses[name] is None or poses[name].null_count for name in ("id", "kind")):
        raise _UnlikeError
    rows = len(poses["x"])
    (ids, id_names), (kinds, kind_names), (owners, owner_names) = (
        _codes(poses[name], rows) for name in ("id", "kind", "owner")
    )
    key, firsts = _in_order(ids, len(id_names) - 1)
    # Usually an id has one kind and one owner, and its own code is enough as a key.
    if any((kind[firsts][key] != kind).any() for kind in (kinds, owners) if kind.strides != (0,)):
        # an owner that is logged later, say
        whole = (ids.astype(np.int64) * len(kind_names) + kinds) * len(owner_names) + owners
        met = pyarrow.array(whole).dictionary_encode()
        key, firsts = _in_order(_whole(met.indices), len(met.dictionary))
    triples = zip(*(kind[firsts].tolist() for kind in (ids, kinds, owners)), strict=True)
    keys = [(id_names[who], kind_names[kind], owner_names[owner]) for who, kind, owner in triples]
    clip, clip_names = _words(poses["clip"], rows)
    tags, tag_sets = _words(poses["tags"], rows)
    # Row by row, tags are split at any white space; here one space is expected.
    if any(entry != " ".join(entry.split()) for entry in tag_sets):
        raise _UnlikeError
    numbers = {
        name: missing_column(name, rows) if poses[name] is None else _number(name, poses[name]) for name in FIELDS
    }
    pushes = np.column_stack(
        [np.full(rows, np.nan) if poses[axis] is None else _finite(poses[axis]) for axis in ("push_x", "push_y")]
    )
    pushed = np.flatnonzero(~np.isnan(pushes).all(axis=1))
    # A push with one coordinate alone is an error row by row.
    if np.isnan(pushes[pushed]).any():
        raise _UnlikeError
    resets: list[tuple[int, str]] = [(at, line.reset) for at, line in marks if line.reset]
    dropped = [(at, line.dropped) for at, line in marks if line.dropped]
    problems = [(at, [line.problem]) for at, line in marks if line.problem]
    boxes, counters = _map("boxes", poses["boxes"], 4), _map("counters", poses["counters"], 1)
    item = entries, resets, dropped, problems, boxes, counters, (pushed, pushes[pushed])
    return Block(frame, place, counts, keys, key, clip_names, clip, tag_sets, tags, numbers, *item)


def _words(column: Any, rows: int) -> tuple[Ints, list[str]]:
    """Texts as places in a list, in the order in which they first appear; -1 for none."""
    if column is None:
        return missing_places(rows), []
    codes, names = _codes(column, rows)
    found, firsts = _in_order(codes, len(names) - 1)
    return np.where(found == len(firsts), -1, found), [names[code] for code in codes[firsts].tolist()]


def _map(name: str, column: Any, width: int) -> LoggedValues:
    found = GatheredValues(width)
    if column is not None:
        for row, text in enumerate(column.to_pylist()):
            if text is not None:
                found.take(row, map_in(name, text))
    return logged_values(found)


def _entries(folder: Path, name: str) -> tuple[Ints, EntryColumns]:
    """A small table: the frame (k,) of each row, and its columns, whose `at` are rows. Raises _UnlikeError."""
    import pyarrow
    import pyarrow.parquet

    path, sort = table_path(folder, name), SORTS[name]
    if path is None:
        return np.zeros(0, dtype=np.int64), entry_columns(name, [])
    if path.suffix == ".csv":
        rows = [(frame, struct) for frame, group in gathered(folder, name, sort.line).items() for struct in group]
        frames = np.array([frame for frame, _ in rows], dtype=np.int64)
        return frames, entry_columns(name, enumerate(struct for _, struct in rows))
    with opened_anywhere(path) as stream, pyarrow.parquet.ParquetFile(stream, read_dictionary=[*sort.texts]) as file:
        named = [item for item in file.schema_arrow.names if not item.startswith("_")]
        # Two columns of one name are ambiguous, and an unknown column is an error with a hint.
        if "frame" not in named or not set(named) <= COLUMNS[name].keys() or len(named) > len(set(named)):
            raise _UnlikeError
        table = file.read(named)
    frame = _counted(_column(table, name, "frame"))
    # Rows out of order are an error; row by row it is reported with its row.
    if len(frame) > MOST_ROWS or (len(frame) and (frame[0] < 0 or (np.diff(frame) < 0).any())):
        raise _UnlikeError
    texts: dict[str, tuple[list[str], Ints]] = {}
    for field in sort.texts:
        coded, names = _codes(_column(table, name, field), len(frame))
        codes, firsts = _in_order(coded, len(names) - 1)
        texts[field] = [names[code] for code in coded[firsts].tolist()], np.where(codes == len(firsts), -1, codes)
    for needed in structs.fields(sort.line):
        if needed.required and (texts[needed.name][1] < 0).any():
            raise _UnlikeError
    # Row by row, a wrong event is an error with the nearest name.
    if "event" in texts and not set(texts["event"][0]) <= set(EVENTS):
        raise _UnlikeError
    points = [f"{sort.point}_x", f"{sort.point}_y"] if sort.point else []
    numbers: dict[str, Floats] = {}
    for field, default in (sort.numbers | dict.fromkeys(points, math.nan)).items():
        column = _column(table, name, field)
        found = np.full(len(frame), default) if column is None else _finite(column.cast(pyarrow.float64()))
        numbers[field] = np.where(np.isnan(found), default, found)
    if points and (np.isnan(numbers[points[0]]) != np.isnan(numbers[points[1]])).any():
        raise _UnlikeError
    return frame, EntryColumns(np.arange(len(frame)), texts, numbers)


def table_blocks(folder: Path, span: tuple[int, int] | None) -> Iterator[Block]:
    """The frames of a folder of tables, as `table_frames` has them. Raises InputError naming file, row and field."""
    path = table_path(folder, "poses")
    # CSV has no types, so it is read row by row.
    block = _of_parquet(folder, path, span) if path is not None and path.suffix == ".parquet" else None
    if block is not None:
        yield block
    else:
        yield from map(of_frames, chunks(table_frames(folder, span)))


def _of_parquet(folder: Path, path: Path, span: tuple[int, int] | None) -> Block | None:
    """All frames at once, None where only reading row by row is sure."""
    import pyarrow
    import pyarrow.parquet

    try:
        with opened_anywhere(path) as stream, pyarrow.parquet.ParquetFile(stream, read_dictionary=[*TEXTUAL]) as file:
            named = [name for name in file.schema_arrow.names if not name.startswith("_")]
            if not {"frame", *NEEDED} <= set(named) <= COLUMNS["poses"].keys() or len(named) > len(set(named)):
                return None
            # A column without any value is not read: it may be most of the file.
            table = file.read([name for name in named if name in ("frame", *NEEDED) or _is_logged(file.metadata, name)])
        columns = {name: _column(table, "poses", name) for name in COLUMNS["poses"]}
        row_frame = _counted(columns.pop("frame"))
        steps = np.diff(row_frame)
        if len(row_frame) and (row_frame[0] < 0 or (len(steps) and steps.min() < 0)):
            return None
        entries = {name: _entries(folder, name) for name in SORTS}
        marks = gathered(folder, "marks", MarkLine)
        others = np.concatenate([np.array([*marks], dtype=np.int64), *(frames for frames, _ in entries.values())])
        frame = _frames(row_frame, span, others)
        if any(mark.dropped for group in marks.values() for mark in group):
            return None  # frames are missing, and row by row it is plain which
        if not len(frame):
            return None
        begins = np.concatenate([np.arange(len(row_frame[:1])), np.flatnonzero(steps) + 1])  # a frame's first row
        at: Any = slice(None) if len(begins) == len(frame) else np.searchsorted(frame, row_frame[begins])
        counts, place = np.zeros(len(frame), dtype=np.int64), np.ones(len(frame), dtype=np.int64)
        counts[at], place[at] = np.diff(begins, append=len(row_frame)), begins + 1
        # A frame without rows of its own gets the place of the row before it.
        place = np.maximum.accumulate(place)

        def placed(frames: Ints) -> tuple[Ints, Any]:
            """The places of frames in the block, and which of them are in it."""
            at = np.searchsorted(frame, frames)
            known = np.append(frame, -1)[at] == frames
            return at[known], known

        values = {}
        for name, (frames, items) in entries.items():
            within, known = placed(frames)
            texts = {text: (names, codes[known]) for text, (names, codes) in items.texts.items()}
            values[name] = EntryColumns(within, texts, {text: column[known] for text, column in items.numbers.items()})
        numbers = sorted(marks)
        within, known = placed(np.array(numbers, dtype=np.int64))
        marked = [
            group
            for number, is_known in zip(numbers, known.tolist(), strict=True)
            if is_known
            for group in [marks[number]]
        ]
        beside = [(at, line) for at, group in zip(within.tolist(), marked, strict=True) for line in group]
        return _of_columns(frame, place, counts, columns, values, beside)
    except (pyarrow.ArrowException, UnicodeDecodeError, OverflowError, KeyError, msgspec.MsgspecError, _UnlikeError):
        # Each of these may be a mistake in the file; the slow way finds it and says where.
        return None


def _frames(rows: Ints, span: tuple[int, int] | None, others: Ints) -> Ints:
    """The frames that there are: those of a span and of rows, or of rows and other tables."""
    if span is None:
        return np.union1d(rows, others)
    whole = np.arange(span[0], span[1] + 1)
    inside = not len(rows) or (span[0] <= rows[0] and rows[-1] <= span[1])  # rows are in order
    return whole if inside else np.union1d(rows, whole)


def _is_logged(metadata: Any, name: str) -> bool:
    """Whether any row of a file has a value in a column, as far as its statistics say."""
    groups = (metadata.row_group(at) for at in range(metadata.num_row_groups))
    # by its path: within a column of the game's own there may be another of this name
    place = next((at for at in range(metadata.num_columns) if metadata.schema.column(at).path == name), None)
    if place is None:
        return True
    counts = ((group.num_rows, group.column(place).statistics) for group in groups)
    return any(value is None or not value.has_null_count or value.null_count < rows for rows, value in counts)


def _column(table: Any, of: str, name: str) -> Any:
    """A column in its type, None for a column that was not read."""
    import pyarrow

    if name not in table.column_names:
        return None
    column, arrow = table.column(name), arrow_type(COLUMNS[of][name])
    if pyarrow.types.is_dictionary(column.type) and column.type.value_type == arrow:
        return column.unify_dictionaries().combine_chunks()
    if pyarrow.types.is_boolean(column.type) != pyarrow.types.is_boolean(arrow):
        # A cast would turn true into 1 without a word.
        raise _UnlikeError  # which a cast would take for a number
    return column.cast(arrow).combine_chunks()
