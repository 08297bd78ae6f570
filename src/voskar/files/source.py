"""A recording as it is read, in whichever form it comes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

from voskar.files.blocks import Block
from voskar.files.frames import FrameLine


@dataclass(frozen=True)
class FrameSource:
    """A recording as it is read: its header as written, and its frames, each with its line or row.

    Frames of a stage script have no place of their own; their number is the line of their claims.
    """

    name: str
    place: Literal["line", "row", "frame"]
    header: dict[str, Any]
    frames: Iterator[tuple[int, FrameLine]]
    blocks: Iterator[Block]
    """The same frames as columns; either is read, not both."""
    share: Callable[[], float]
    """How much has been read, from 0 to 1; 0 where that cannot be logged."""
    warnings: list[str]
    """Data that was left out so far, in words."""
