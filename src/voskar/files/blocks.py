"""Some frames at once as columns.

They come from lines that were decoded one by one or, many times faster, from a whole piece of a file that a columnar
reader has taken apart. That one is asked first where a piece is large, and only trusted where it cannot differ:
whatever it refuses, and whatever is not one plain object a line, is read again line by line, and that way tells what is
wrong and where.
"""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator, Sequence
from operator import attrgetter
from pathlib import Path
from typing import IO, Any, NamedTuple

import msgspec
import numpy as np

from voskar.core.rules.shapes import Floats, Ints
from voskar.files.frames import ClaimLine, FrameLine, InputLine, PoseLine, json_frames
from voskar.files.reading import plain_errors
from voskar.files.tables import POSES, Mark, arrow_type, gathered, table_frames, table_path

Key = tuple[str, str, str | None]
"""Id, kind, and the owner as it is told."""

FLOATS = ("x", "y", "angle", "scale", "vx", "vy", "health", "lives")
COUNTS = ("tick", "cell")
FLAGS = ("cut", "hidden")
_DEFAULTS = dict(zip(PoseLine.__struct_fields__[::-1], PoseLine.__struct_defaults__[::-1], strict=False))
_DEFAULTS |= {"x": None, "y": None}

CHUNK = 1 << 14
"""Poses decoded one by one before they become columns; bounds memory."""
PIECE = 12 << 20
"""Bytes of JSON Lines that are taken apart at once. Loading the reader takes as long as 5 to 10 MB line by line."""
_NULL = re.compile(rb"[:\[,]\s*null\b")


class Block(NamedTuple):
    """Frames in a row, their poses as columns. Not told: -1 in `tick`, `cell` and `clip`, NaN in other numbers."""

    frame: Ints
    place: Ints
    """The line or row of each frame."""
    counts: Ints
    """Poses of each frame."""
    keys: list[Key]
    key: Ints
    """Of each pose, its place in `keys`, which are in the order in which they first appear."""
    clips: list[str]
    clip: Ints
    numbers: dict[str, Any]
    inputs: list[tuple[int, InputLine]]
    """Each with the place of its frame in the block; so are the claims and marks."""
    claims: list[tuple[int, ClaimLine]]
    resets: list[tuple[int, str]]


def of_frames(chunk: Sequence[tuple[int, FrameLine]]) -> Block:
    """Frames that were decoded one by one, each with its line or row."""
    frames = [frame for _, frame in chunk]
    poses = [pose for frame in frames for pose in frame.poses]

    def told(name: str) -> list[Any]:
        # field by field over one flat list: measured several times faster than pose by pose
        return list(map(attrgetter(name), poses))

    def numbers_of(name: str, absent: Any, sort: type) -> Any:
        values, default = told(name), _DEFAULTS[name]
        if values.count(default) == len(values):
            return np.full(len(values), absent if default is None else default, dtype=sort)
        return np.array([absent if one is None else one for one in values] if sort is np.int64 else values, dtype=sort)

    keys = list(zip(told("id"), told("kind"), told("owner"), strict=True))
    unique = {key: place for place, key in enumerate(dict.fromkeys(keys))}
    shown = told("clip")
    clips: dict[str | None, int] = {None: -1}
    for name in dict.fromkeys(shown):
        clips.setdefault(name, len(clips) - 1)
    numbers: dict[str, Any] = {name: numbers_of(name, math.nan, np.float64) for name in FLOATS}
    numbers |= {name: numbers_of(name, -1, np.int64) for name in ("facing", *COUNTS)}
    numbers |= {name: numbers_of(name, False, np.bool_) for name in FLAGS}
    return Block(
        np.array([frame.frame for frame in frames], dtype=np.int64),
        np.array([place for place, _ in chunk], dtype=np.int64),
        np.array([len(frame.poses) for frame in frames], dtype=np.int64),
        list(unique),
        np.array([unique[key] for key in keys], dtype=np.int64),
        [name for name in clips if name is not None],
        np.array([clips[name] for name in shown], dtype=np.int64),
        numbers,
        [(at, one) for at, frame in enumerate(frames) for one in frame.inputs],
        [(at, one) for at, frame in enumerate(frames) for one in frame.claims],
        [(at, frame.reset) for at, frame in enumerate(frames) if frame.reset is not None],
    )


def chunks(frames: Iterator[tuple[int, FrameLine]]) -> Iterator[list[tuple[int, FrameLine]]]:
    """Frames in lists of about CHUNK poses."""
    chunk: list[tuple[int, FrameLine]] = []
    poses = 0
    for frame in frames:
        chunk.append(frame)
        poses += len(frame[1].poses) + 1
        if poses >= CHUNK:
            yield chunk
            chunk, poses = [], 0
    if chunk:
        yield chunk


def json_blocks(name: str, stream: IO[bytes], number: int) -> Iterator[Block]:
    """The frames of JSON Lines from a stream; `number` is that of the line read last. Raises InputError."""
    columnar = False
    while lines := stream.readlines(PIECE):
        numbered = list(enumerate(lines, number + 1))
        number += len(lines)
        columnar = columnar or sum(map(len, lines)) >= PIECE
        block = _of_json(lines, numbered[0][0]) if columnar else None
        if block is not None:
            yield block
        else:
            yield from map(of_frames, chunks(json_frames(name, (one for one in numbered if not one[1].isspace()))))


class _UnlikeError(Exception):
    """The columnar reader may have read something in another way than line by line."""


def _of_json(lines: list[bytes], first: int) -> Block | None:
    """A piece of JSON Lines, None where only reading line by line is sure."""
    import pyarrow
    import pyarrow.json

    piece = b"".join(lines)
    joints = piece.count(b"}\n{") + piece.count(b"}\r\n{")
    if joints + 1 != len(lines) or (b"null" in piece and _NULL.search(piece)):
        return None  # more or less than an object a line, or a null, which reads as if it were not there
    try:
        table = pyarrow.json.read_json(
            io.BytesIO(piece),
            read_options=pyarrow.json.ReadOptions(block_size=1 << 20),
            parse_options=pyarrow.json.ParseOptions(explicit_schema=_schema(), unexpected_field_behavior="error"),
        ).combine_chunks()
        if len(table) != len(lines):
            return None
        return _of_table(table, first)
    except (pyarrow.ArrowException, UnicodeDecodeError, OverflowError, msgspec.MsgspecError, _UnlikeError):
        return None


def _schema() -> Any:
    import pyarrow

    def struct(fields: Sequence[str]) -> Any:
        return pyarrow.struct([(field, arrow_type(field)) for field in fields])

    inputs = [(field, arrow_type(field)) for field in ("id", "button", "down")]
    return pyarrow.schema(
        [
            ("frame", pyarrow.int64()),
            ("poses", pyarrow.list_(struct(PoseLine.__struct_fields__))),
            ("inputs", pyarrow.list_(pyarrow.struct([*inputs, ("aim", pyarrow.list_(pyarrow.float64()))]))),
            ("claims", pyarrow.list_(struct(ClaimLine.__struct_fields__))),
            ("reset", pyarrow.string()),
        ]
    )


def _of_table(table: Any, first: int) -> Block:
    columns = [column.chunk(0) for column in table.columns]
    frame, poses, inputs, claims, reset = columns
    found = [(at, what) for at, what in enumerate(reset.to_pylist()) if what is not None]
    if frame.null_count or not {what for _, what in found} <= {"room", "run"}:
        raise _UnlikeError
    rows = poses.flatten()
    return _of_columns(
        _counted(frame),
        np.arange(first, first + len(frame)),
        np.diff(poses.offsets.to_numpy()),
        {field.name: rows.field(at) for at, field in enumerate(rows.type)},
        _structs(inputs, InputLine),
        _structs(claims, ClaimLine),
        found,
    )


def _structs(column: Any, sort: Any) -> list[Any]:
    """What the lists of a column say, each with the place of its row."""
    if not len(column.flatten()):
        return []
    ends = np.repeat(np.arange(len(column)), np.diff(column.offsets.to_numpy()))
    told = [{key: value for key, value in one.items() if value is not None} for one in column.flatten().to_pylist()]
    return list(zip(ends.tolist(), msgspec.convert(told, list[sort]), strict=True))


def _counted(column: Any) -> Ints:
    """Whole numbers of 0 or more; -1 where not told."""
    found: Ints = column.fill_null(-1).to_numpy(zero_copy_only=False)
    if len(found) and (found.min() < -1 or found.max() > 1 << 40 or (found == -1).sum() != column.null_count):
        raise _UnlikeError
    return found


def _finite(column: Any) -> Floats:
    """Numbers; NaN where not told."""
    found: Floats = column.to_numpy(zero_copy_only=False).astype(np.float64)
    if np.count_nonzero(~np.isfinite(found)) != column.null_count:
        raise _UnlikeError
    return found


def _texts(column: Any) -> tuple[Ints, list[Any]]:
    """Texts as numbers into a list in the order in which they first appear; the last number is that of None."""
    import pyarrow

    coded = column if pyarrow.types.is_dictionary(column.type) else column.dictionary_encode()
    names = coded.dictionary.to_pylist()
    met = coded.indices.dictionary_encode()  # a dictionary that was read along may have any order
    numbers = met.indices.fill_null(len(met.dictionary)).to_numpy(zero_copy_only=False).astype(np.int64)
    return numbers, [*(names[place] for place in met.dictionary.to_pylist()), None]


def _of_columns(
    frame: Ints,
    place: Ints,
    counts: Ints,
    poses: dict[str, Any],
    inputs: list[Any],
    claims: list[Any],
    resets: list[tuple[int, str]],
) -> Block:
    """Raises _UnlikeError where a pose is not as its line has to be."""
    import pyarrow

    if any(poses[name].null_count for name in ("id", "kind", "x", "y")):
        raise _UnlikeError
    (ids, id_names), (kinds, kind_names), (owners, owner_names) = (
        _texts(poses[one]) for one in ("id", "kind", "owner")
    )
    met = pyarrow.array((ids * len(kind_names) + kinds) * len(owner_names) + owners).dictionary_encode()
    pairs, owner = np.divmod(met.dictionary.to_numpy(), len(owner_names))
    places = zip(*(one.tolist() for one in (*np.divmod(pairs, len(kind_names)), owner)), strict=True)
    keys = [(id_names[one], kind_names[kind], owner_names[owner]) for one, kind, owner in places]
    key = met.indices.to_numpy(zero_copy_only=False).astype(np.int64)
    clip, clip_names = _texts(poses["clip"])
    numbers: dict[str, Any] = {name: _counted(poses[name]) for name in COUNTS}
    numbers |= {
        name: _finite(poses[name] if _DEFAULTS[name] is None else poses[name].fill_null(_DEFAULTS[name]))
        for name in FLOATS
    }
    numbers["facing"] = poses["facing"].fill_null(1).to_numpy(zero_copy_only=False)
    numbers |= {name: poses[name].fill_null(False).to_numpy(zero_copy_only=False) for name in FLAGS}
    clip = np.where(clip == len(clip_names) - 1, -1, clip)
    return Block(frame, place, counts, keys, key, clip_names[:-1], clip, numbers, inputs, claims, resets)


def table_blocks(folder: Path, span: tuple[int, int] | None) -> Iterator[Block]:
    """The frames of a folder of tables, as `table_frames` has them. Raises InputError naming file, row and field."""
    path = table_path(folder, "poses")
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
        with plain_errors(path):
            table = pyarrow.parquet.read_table(path, read_dictionary=["id", "kind", "owner", "clip"])
        if "frame" not in table.column_names or not set(table.column_names) <= set(POSES):
            return None
        columns = {name: _poses_column(table, name) for name in POSES}
        row_frame = _counted(columns.pop("frame"))
        if len(row_frame) and (row_frame[0] < 0 or (np.diff(row_frame) < 0).any()):
            return None
        inputs = gathered(folder, "inputs", InputLine)
        claims = gathered(folder, "claims", ClaimLine)
        marks = gathered(folder, "marks", Mark)
        others = range(span[0], span[1] + 1) if span else {*inputs, *claims, *marks}
        frame = np.union1d(row_frame, np.fromiter(others, dtype=np.int64))
        if not len(frame):
            return None
        starts = np.searchsorted(row_frame, frame)
        counts = np.searchsorted(row_frame, frame, side="right") - starts
        place = np.maximum.accumulate(np.where(counts > 0, starts + 1, 1))
        at = {number: index for index, number in enumerate(frame.tolist())}
        return _of_columns(
            frame,
            place,
            counts,
            columns,
            [(at[number], one) for number in sorted(inputs) if number in at for one in inputs[number]],
            [(at[number], one) for number in sorted(claims) if number in at for one in claims[number]],
            [(at[number], marks[number][0].reset) for number in sorted(marks) if number in at],
        )
    except (pyarrow.ArrowException, UnicodeDecodeError, _UnlikeError):
        return None


def _poses_column(table: Any, name: str) -> Any:
    import pyarrow
    import pyarrow.compute

    if name not in table.column_names:
        return pyarrow.nulls(len(table), arrow_type(name))
    column, sort = table.column(name), arrow_type(name)
    if pyarrow.types.is_dictionary(column.type) and column.type.value_type == sort:
        return column.unify_dictionaries().combine_chunks()
    if pyarrow.types.is_boolean(column.type) != pyarrow.types.is_boolean(sort):
        raise _UnlikeError  # which a cast would take for a number
    column = column.cast(sort).combine_chunks()
    if pyarrow.types.is_floating(column.type):
        column = pyarrow.compute.if_else(pyarrow.compute.is_nan(column), None, column)  # not told, in a table
    return column
