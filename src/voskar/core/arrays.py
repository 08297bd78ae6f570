"""Columns of numbers."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Scalar = TypeVar("Scalar", bound=np.generic)


def distinct(values: NDArray[Scalar]) -> NDArray[Scalar]:
    """The values, each once, in rising order."""
    # with the values alone, `np.unique` imports masked arrays when it is first called: a tenth of a short command
    found: NDArray[Scalar] = np.unique(values, return_counts=True)[0]
    return found
