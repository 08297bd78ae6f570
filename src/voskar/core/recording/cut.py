"""A stretch of a recording as a recording of its own."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import fields, replace
from typing import Any, TypeVar

import msgspec
import numpy as np

from voskar.core.arrays import distinct
from voskar.core.recording.display import DisplayLog
from voskar.core.recording.inputs import Inputs
from voskar.core.recording.recording import Recording
from voskar.core.rules.shapes import Ints

C = TypeVar("C", Inputs, DisplayLog)


def cut(recording: Recording, first: int, last: int) -> Recording:
    """The frames `first` to `last`, with the actors that appear in them. What it knows of the whole stays known: which
    events are claimed at all, and which kinds the game shows in its runs."""
    block = recording.block(first, last + 1)
    poses = recording.poses.rows(block)
    shown, numbers = np.unique(poses.actor, return_inverse=True)
    # in order of the whole recording, so that ties by number stay as they are
    actors = tuple(recording.actors[number] for number in shown.tolist())
    at = [bisect_left(recording.claims, first, key=_frame), bisect_right(recording.claims, last, key=_frame)]
    claims = recording.claims[at[0] : at[1]]
    marks = [mark for mark in recording.resets if recording.resets[mark] == "run"]
    # an actor that is only shown earlier or later in its run is no stranger
    run = max((mark for mark in marks if mark <= first), default=recording.first)
    until = min((mark for mark in marks if mark > last), default=recording.last + 1)
    rows = recording.block(run, until)
    kinds = {recording.actors[number].logged_kind for number in distinct(recording.poses.actor[rows]).tolist()}
    return replace(
        recording,
        first=first,
        starts=recording.starts[first - recording.first : last + 2 - recording.first] - block.start,
        actors=actors,
        poses=replace(poses, actor=numbers.astype(np.int64)),
        claims=claims,
        inputs=_columns(recording.inputs, first, last),
        display=_columns(recording.display, first, last),
        # a mark at the first frame begins nothing: the stretch begins there anyway
        resets={mark: what for mark, what in recording.resets.items() if first < mark <= last},
        scope=msgspec.structs.replace(recording.scope, always=recording.scope.always | recording.claimed),
        lost=tuple((low, high) for low, high in recording.lost if first <= low and high <= last),
        strangers=tuple(stranger for stranger in recording.strangers if first <= stranger.frame <= last),
        owner_changes=tuple(
            change._replace(actor=number)
            for change in recording.owner_changes
            if first <= change.frame <= last
            for number in np.flatnonzero(shown == change.actor).tolist()
        ),
        shown=frozenset(kinds),
    )


def _frame(claim: Any) -> int:
    frame: int = claim.frame
    return frame


def _columns(table: C, first: int, last: int) -> C:
    frames: Ints = table.frame
    low, high = np.searchsorted(frames, [first, last + 1]).tolist()
    columns: dict[str, Any] = {field.name: getattr(table, field.name) for field in fields(table)}
    cut_out = {name: value[low:high] for name, value in columns.items() if isinstance(value, np.ndarray)}
    return type(table)(**(columns | cut_out))
