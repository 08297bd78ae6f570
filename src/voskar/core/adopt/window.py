"""How far what a recording shows may be off what the rules have and still be the same thing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from voskar.core.ledger.events import COUNTER
from voskar.core.recording import Recording


class Window(NamedTuple):
    """Evidence may come so many frames before what the rules have, or after it."""

    before: int = 0
    after: int = 0

    def holds(self, shown: int, judged: int) -> bool:
        """Whether evidence of one frame stands for what the rules have in another."""
        return -self.before <= shown - judged <= self.after

    @property
    def width(self) -> int:
        """The longest that the two may differ."""
        return max(self.before, self.after)


Column = str
"""A logged state that may be adopted: one of COLUMNS, or a counter."""
COLUMNS: tuple[Column, ...] = ("health", "lives")

EVIDENCE = (
    "hit", "clash", "down", "respawn", "out", "over", "won", "spawn", "removed", "health", "lives", "counters",
    "immune", "stunned", "frozen", "boxes", "display", "poses",
)  # fmt: skip
"""Names that a window may be given for: claimed events, columns of poses, the display, and the poses themselves."""


class Windows(Struct, frozen=True):
    """The window of each kind of evidence; up to `near` frames apart it is the same thing at another frame."""

    every: Window = field(default_factory=Window)
    own: Mapping[str, Window] = {}
    near: int = 30

    def of(self, evidence: str) -> Window:
        """That of one of EVIDENCE."""
        return self.own.get(evidence, self.every)

    def within(self, evidence: str) -> int:
        """Its width."""
        return self.of("counters" if evidence.startswith(COUNTER) else evidence).width

    def at(self, recording: Recording) -> Windows:
        """For a recording: as its logger lags, unless there is a window for all evidence; the same thing at another
        frame is up to half a second off."""
        own = self.own
        if self.every == Window():
            own = {name: Window(*lag) for name, lag in recording.lag.items()} | dict(own)
        found = replace(self, own=own)
        return replace(found, near=max(found.widest, round(recording.rate / 2)))

    @property
    def widest(self) -> int:
        """The width of the widest."""
        return max(window.width for window in (self.every, *self.own.values()))
