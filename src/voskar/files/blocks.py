"""Some frames at once as columns, from lines of JSON, from rows, or from whole columns of a Parquet table.

Those of a table are only trusted where they cannot differ from its rows: whatever else there is is read again row by
row, and that way tells what is wrong and where.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import IO, Any, NamedTuple

import msgspec
import numpy as np

from voskar.core.kernel.gather import PoseColumns
from voskar.core.kernel.storage import floats, ints
from voskar.core.rules.shapes import Floats, Ints
from voskar.files.frames import ClaimLine, FrameLine, InputLine, PoseLine, frame_telling, line_error
from voskar.files.reading import plain_errors
from voskar.files.tables import POSES, Mark, arrow_type, gathered, table_frames, table_path

Key = tuple[str, str, str | None]
"""Id, kind, and the owner as it is told."""

FLOATS = ("x", "y", "angle", "scale", "vx", "vy", "health", "lives")
COUNTS = ("tick", "cell")
FLAGS = ("cut", "hidden")
NUMBERS = (*FLOATS, "facing", *COUNTS, *FLAGS)
_SORTS: dict[str, Any] = {"facing": np.int64} | dict.fromkeys(COUNTS, np.int64) | dict.fromkeys(FLAGS, np.bool_)
_DEFAULTS = dict(zip(PoseLine.__struct_fields__[::-1], PoseLine.__struct_defaults__[::-1], strict=False))
_DEFAULTS |= {"x": None, "y": None}
_ABSENT = dict.fromkeys(NUMBERS, math.nan) | dict.fromkeys(COUNTS, -1)

CHUNK = 1 << 14
"""Poses decoded one by one before they become columns; bounds memory."""
PIECE = 1 << 20
"""Bytes of JSON Lines between two blocks; bounds memory, too."""
SAMPLE = 64
"""Lines that are looked at for what a game tells of its poses."""
SHORTEST = len('{"id":"","kind":"","x":0,"y":0}')


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
    columns = _room(len(chunk), sum(len(frame.poses) for _, frame in chunk), NUMBERS)
    columns.take((frame for _, frame in chunk))
    return _gathered(columns, [place for place, _ in chunk])


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
    names: Sequence[str] = ()
    while lines := stream.readlines(PIECE):
        places = [place for place, line in enumerate(lines, number + 1) if not line.isspace()]
        number += len(lines)
        if len(places) < len(lines):
            lines = [line for line in lines if not line.isspace()]
        if not names:
            names = [one for one in NUMBERS if any(f'"{one}"'.encode() in line for line in lines[:SAMPLE])]
            decode = msgspec.json.Decoder(frame_telling(names)).decode
        at = 0
        while at < len(lines):
            columns = _room(len(lines) - at, sum(map(len, lines[at:])) // SHORTEST, names)
            error = None
            try:
                columns.take(map(decode, lines[at:]))
            except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as found:
                error = found
            if columns.frames:  # what is wrong further up is told first
                yield _gathered(columns, places[at : at + columns.frames])
            at += columns.frames
            if error is not None and len(names) == len(NUMBERS):
                raise line_error(name, places[at], lines[at], error)
            if error is not None:
                names, decode = NUMBERS, msgspec.json.Decoder(FrameLine).decode


def _room(frames: int, poses: int, names: Sequence[str]) -> PoseColumns:
    absent = floats(len(names))
    for at, name in enumerate(names):
        absent[at] = _ABSENT[name]
    return PoseColumns(
        ints(frames), ints(frames), ints(poses), ints(poses), floats(len(names) * poses), list(names), absent
    )


def _gathered(columns: PoseColumns, places: list[int]) -> Block:
    frames, poses, names = columns.frames, columns.rows, columns.names
    told = np.asarray(columns.numbers)[: poses * len(names)]

    def column(name: str) -> Any:
        sort = _SORTS.get(name, np.float64)
        if name in names:
            return told[names.index(name) :: len(names)].astype(sort)
        default = _ABSENT[name] if _DEFAULTS[name] is None else _DEFAULTS[name]
        return np.broadcast_to(np.array([default], dtype=sort), poses)

    others = columns.others
    return Block(
        np.array(columns.frame[:frames]),
        np.array(places, dtype=np.int64),
        np.array(columns.counts[:frames]),
        list(columns.keys),
        np.array(columns.key[:poses]),
        list(columns.clips),
        np.array(columns.clip[:poses]),
        {name: column(name) for name in NUMBERS},
        [(at, one) for at, frame in others for one in frame.inputs],
        [(at, one) for at, frame in others for one in frame.claims],
        [(at, frame.reset) for at, frame in others if frame.reset is not None],
    )


class _UnlikeError(Exception):
    """Whole columns may have been read in another way than row by row."""


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
