"""Columns of one value throughout: views of that value, which cost no memory and no time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

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
