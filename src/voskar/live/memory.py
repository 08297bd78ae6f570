"""Memory that is free, given back to the system."""

from __future__ import annotations

import ctypes
import gc
import sys


def give_back() -> None:
    """Has the C library give back what is free. That of Linux keeps it between what is in use, where the large columns
    of a look leave more of it each time."""
    gc.collect()  # a replay refers to itself in rings
    if sys.platform == "linux":
        trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # not every C library has it
        if trim is not None:
            trim(0)
