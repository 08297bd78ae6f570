"""Values and stretches over time."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from operator import attrgetter

import numpy as np
from msgspec import Struct

from voskar.core.rules.shapes import Floats, Ints


class Steps(Struct):
    """A value that changes now and then: from each of `frames` on it is the one next to it."""

    frames: list[int] = []
    values: list[float] = []

    def put(self, frame: int, value: float) -> None:
        """The value from a frame on; frames must not fall."""
        # two changes of one frame: only the value after it counts
        if self.frames and self.frames[-1] == frame:
            self.values[-1] = value
        elif not self.values or self.values[-1] != value:
            # a change to the same value is none
            self.frames.append(frame)
            self.values.append(value)

    def now(self, frame: int) -> float | None:
        """The value after a frame, None before the first."""
        at = bisect_right(self.frames, frame)
        return self.values[at - 1] if at else None

    def at(self, frames: Ints) -> Floats:
        """(n,) the values after some frames, NaN before the first."""
        rows = np.searchsorted(self.frames, frames, side="right")
        return np.array([np.nan, *self.values])[rows]


class Span(Struct):
    """Frames `first` to `last`, both included, and what brought them about."""

    first: int
    last: int
    cause: str = ""


def union(spans: Iterable[Span]) -> list[Span]:
    """The frames of some spans, in order, as spans that do not overlap."""
    found: list[Span] = []
    for span in sorted(spans, key=lambda item: item.first):
        if found and span.first <= found[-1].last + 1:
            found[-1].last = max(found[-1].last, span.last)
        else:
            found.append(Span(span.first, span.last))
    return found


def holds(spans: list[Span], frame: int) -> bool:
    """Whether a frame is in a span. The spans are in order, and each ends where the next begins."""
    at = bisect_right(spans, frame, key=_FIRST)
    return at > 0 and spans[at - 1].last >= frame


_FIRST = attrgetter("first")


def end_last(spans: list[Span], last: int) -> None:
    """Ends the last span by a frame, and drops it if that is before it begins."""
    # a stretch without a frame would stand for one
    spans[-1].last = min(spans[-1].last, last)
    if spans[-1].last < spans[-1].first:
        spans.pop()


def freeze(frozen: list[Span], running: Iterable[list[Span]], frame: int, until: int) -> None:
    """An actor is frozen from the next frame to another: running timers end so much later."""
    own = frozen[-1] if frozen and frozen[-1].last >= frame else None
    # a freeze of a frozen actor lengthens it by what reaches beyond its end
    extra = until - (frame if own is None else own.last)
    if own is None:
        frozen.append(Span(frame + 1, until))
    else:
        own.last = until
    for spans in running:
        # what ends in this very frame is over
        if spans and spans[-1].last > frame:
            spans[-1].last += extra
