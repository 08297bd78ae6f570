"""Configures how pytest shows that frames differ. Loaded by pytest itself; imports nothing heavy until it is needed."""

from __future__ import annotations

import sys
from typing import Any


def pytest_assertrepr_compare(op: str, left: Any, right: Any) -> list[str] | None:
    """The lines below a failed `==` with frames of a replay on either side."""
    testing = sys.modules.get("voskar.testing")
    if testing is None or op != "==":
        return None
    if isinstance(right, testing.Frames) and not isinstance(left, testing.Frames):
        left, right = right, left
    if not isinstance(left, testing.Frames):
        return None
    lines: list[str] = left.against(right)
    return lines
