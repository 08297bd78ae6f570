"""Columns that the kernel and plain Python share: flat buffers that read as ordinary Python numbers.

A memoryview over an array costs no copy either way: NumPy sees the array, the compiled kernel the buffer, and plain
Python gets floats and ints from it at twice the pace of asking the array.
"""

from __future__ import annotations

from typing import Any, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

Floats: TypeAlias = "memoryview[float]"
Ints: TypeAlias = "memoryview[int]"
Flags: TypeAlias = "memoryview[int]"

FOREVER = 1 << 60
"""A frame behind all others."""

Column = TypeVar("Column", Floats, Ints)


def _view(array: NDArray[Any]) -> Any:
    return memoryview(array)  # type: ignore[arg-type]


def floats(count: int, value: float = 0.0) -> Floats:
    """So many float64 numbers."""
    # Never empty: a memoryview of no length has no address to take.
    view: Floats = _view(np.full(max(count, 1), value, dtype=np.float64))
    return view


def ints(count: int, value: int = 0) -> Ints:
    """So many int64 numbers."""
    view: Ints = _view(np.full(max(count, 1), value, dtype=np.int64))
    return view


def _flat(column: NDArray[Any]) -> Any:
    flat = np.ascontiguousarray(column)
    # The same for columns that were not logged.
    return _view(flat if len(flat) else np.zeros(1, dtype=flat.dtype))


def shared_floats(column: NDArray[np.float64]) -> Floats:
    """A column as the kernel reads it: the same memory where that is flat, else a copy."""
    view: Floats = _flat(column)
    return view


def shared_ints(column: NDArray[np.int64]) -> Ints:
    """The same for int64."""
    view: Ints = _flat(column)
    return view


def shared_signs(column: NDArray[np.int8]) -> Ints:
    """The same for numbers of a byte."""
    # Signs stay bytes: a long recording has millions of them.
    view: Ints = _flat(column)
    return view


def shared_flags(column: NDArray[np.bool_]) -> Flags:
    """The same for truths, as bytes."""
    view: Flags = _flat(np.ascontiguousarray(column).view(np.uint8))
    return view


def strided(column: NDArray[Any]) -> Any:
    """One column of a block of rows, in place."""
    return _view(column)


def grown(column: Column, count: int) -> Column:
    """A column with room for more, what was in it first."""
    old = np.asarray(column)
    new = np.zeros(count, dtype=old.dtype)
    new[: len(old)] = old
    view: Column = _view(new)
    return view
