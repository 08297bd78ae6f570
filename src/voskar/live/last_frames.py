"""The last frames of a run that grows, as columns."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from voskar.core.recording import Recording
from voskar.files.blocks import Block
from voskar.files.columns import ColumnBuilder


class LastFrames:
    """All frames of a run, or with `least` at least so many of the last ones.

    Columns only grow, so what is to be forgotten goes as a whole: two builders follow each other, and the older one is
    dropped when the younger one has enough. That is when there are twice as many as `least`.
    """

    def __init__(self, make: Callable[[], ColumnBuilder], least: int | None = None) -> None:
        self._make, self.least = make, least
        self._older, self._younger = make(), make()

    @property
    def first(self) -> int | None:
        """The first frame that is kept, None before any."""
        return self._older.first

    @property
    def last(self) -> int:
        """The last frame."""
        return self._older.last

    def add(self, block: Block) -> None:
        """Adds frames that follow."""
        self._older.add(block)
        assert self._older.first is not None
        if self.least is not None and self.last - self._older.first >= self.least:
            # the first frame of the younger one is the first that outlives the older one
            self._younger.add(block)

    @property
    def any_too_old(self) -> bool:
        """Whether there are frames to forget."""
        first = self._younger.first
        return self.least is not None and first is not None and self.last - first + 1 >= self.least

    def forget(self) -> None:
        """Forgets frames that are too old."""
        if self.any_too_old:
            self._older, self._younger = self._younger, self._make()

    def finish(self, **header: Any) -> Recording:
        """The frames that are kept, as a recording. It shares its columns with frames that are added later."""
        return self._older.finish(goes_on=True, **header)
