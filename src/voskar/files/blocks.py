"""Some frames at once as columns: what every form of a recording comes to before it is checked."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np

from voskar.core.kernel.gather import GatheredPoses
from voskar.core.recording.poses import FIELDS
from voskar.core.rules.shapes import Ints
from voskar.files.frames import ClaimLine, DisplayLine, FrameLine, InputLine, PoseLine

Key = tuple[str, str, str | None]
"""Id, kind, and the owner as it is told."""

APART = ("boxes", "push")
"""Fields of a pose that are neither numbers nor texts."""
UNTOLD = {name: (one.default, one.absent) for name, one in FIELDS.items()}
"""The value of a number that a line does not have, and of one that is null."""

CHUNK = 1 << 14
"""Poses decoded one by one before they become columns; bounds memory."""


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
    display: list[tuple[int, DisplayLine]]
    resets: list[tuple[int, str]]
    dropped: list[tuple[int, int]]
    """Frames that the logger lost before this one."""
    problems: list[tuple[int, list[str]]]
    """What the logger had to repair."""
    boxes: list[tuple[int, dict[str, list[float]]]]
    """Where a game has boxes itself, with the place of the pose; so are the pushes."""
    pushes: list[tuple[int, list[float]]]


def of_frames(chunk: Sequence[tuple[int, FrameLine]]) -> Block:
    """Frames that were decoded one by one, each with its line or row."""
    poses = sum(len(frame.poses) for _, frame in chunk)
    columns = GatheredPoses(len(chunk), poses, FrameLine, PoseLine, UNTOLD, APART)
    columns.take(frame for _, frame in chunk)
    return gathered_block(columns, [place for place, _ in chunk])


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


def gathered_block(columns: GatheredPoses, places: Any) -> Block:
    """What has been gathered, without its spare room; `places` are the line or row of each frame."""
    frames, poses = columns.frames, columns.rows
    numbers = {name: untold_column(name, poses) for name in FIELDS}
    for name, column in zip(columns.fields, np.asarray(columns.numbers).reshape(-1, columns.room), strict=True):
        numbers[name] = column[:poses].astype(FIELDS[name].dtype)
    others, apart = columns.others, columns.rows_apart
    return Block(
        np.array(columns.frame[:frames]),
        np.asarray(places, dtype=np.int64),
        np.array(columns.counts[:frames]),
        list(columns.keys),
        np.array(columns.key[:poses]),
        list(columns.clips),
        np.array(columns.clip[:poses]),
        numbers,
        [(at, one) for at, frame in others for one in frame.inputs],
        [(at, claim) for at, frame in others for claim in frame.claims],
        [(at, entry) for at, frame in others for entry in frame.display],
        [(at, frame.reset) for at, frame in others if frame.reset],
        [(at, frame.dropped) for at, frame in others if frame.dropped],
        [(at, frame.problems) for at, frame in others if frame.problems],
        [(row, pose.boxes) for row, pose in apart if isinstance(getattr(pose, "boxes", None), dict)],
        [(row, pose.push) for row, pose in apart if isinstance(getattr(pose, "push", None), list)],
    )


def untold_column(name: str, rows: int) -> Any:
    """A column of a field that no pose tells."""
    return np.broadcast_to(np.array([FIELDS[name].default], dtype=FIELDS[name].dtype), rows)


FIRST = 64
"""Values that are looked at before all of them are."""


def is_one(column: Any) -> bool:
    """Whether a column holds one value throughout."""
    if not len(column) or column.strides == (0,):
        return bool(len(column))
    if len(column) > FIRST and not is_one(column[:FIRST]):
        return False
    return bool((column == column[0]).all() or (column.dtype.kind == "f" and np.isnan(column).all()))


def thin(column: Any) -> Any:
    """A column of one value throughout as a view of that value, which costs no memory."""
    return np.broadcast_to(column[:1], column.shape) if is_one(column) else column


def made_of(column: Any, make: Callable[[Any], Any]) -> Any:
    """A column made of another one, value by value; a view of one value of such a view."""
    return np.broadcast_to(make(column[:1]), column.shape) if column.strides == (0,) else make(column)


def join(pieces: list[Any]) -> Any:
    """One array of all pieces; stays a view of one value if every piece is one and the values agree."""
    views = [piece for piece in pieces if len(piece)]
    if not views:
        return pieces[0] if pieces else np.zeros(0)
    total = sum(len(piece) for piece in views)
    first = views[0][:1]
    if all(
        piece.strides == (0,) and np.array_equal(piece[:1], first, equal_nan=first.dtype.kind == "f") for piece in views
    ):
        return np.broadcast_to(first.copy(), (total,))
    return np.concatenate(views) if len(views) > 1 else views[0]
