"""Two versions of a game: other rules for one recording, or two recordings by one rulebook."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.statistics import Statistics, statistics
from voskar.evidence.alignment import aligned
from voskar.evidence.baseline import LedgerDiff, TwoRecordings, compare
from voskar.evidence.parting import Parting, parting


@dataclass(frozen=True)
class Version:
    """One of the two versions."""

    rules: Rules
    recording: Recording

    def named_as(self, other: Version, near: int | None) -> Version:
        """The same with the ids of the other one."""
        own = self.recording
        return replace(self, recording=aligned(other.recording, own, near_of(own, near)))


@dataclass(frozen=True)
class VersionsCompared:
    """The differences of two replays and, of two recordings, where they part. With other inputs only `statistics` are
    compared. `allowed` counts differences that do not count."""

    differs: LedgerDiff
    parting: Parting | None = None
    statistics: tuple[Statistics, Statistics] | None = None
    allowed: int = 0

    @property
    def any(self) -> bool:
        """Whether anything differs."""
        return bool(self.differs.differences or (self.parting is not None and self.parting.firsts))

    def without(self, allow: Collection[str]) -> VersionsCompared:
        """The same without some kinds of differences. What follows from one of them stays, as a cause."""
        if not allow:
            return self
        dropped = [
            difference
            for difference in self.differs.differences
            if difference.sort in allow or difference.change in allow
        ]
        frames, numbers = {item.frame for item in dropped}, set(map(id, dropped))
        kept = tuple(
            replace(difference, follows=None if difference.follows in frames else difference.follows)
            for difference in self.differs.differences
            if id(difference) not in numbers
        )
        own = self.parting
        if own is not None:
            own = replace(own, firsts=tuple(first for first in own.firsts if first.sort not in allow))
        return replace(self, differs=replace(self.differs, differences=kept), parting=own, allowed=len(dropped))


def near_of(recording: Recording, near: int | None) -> int:
    """Frames by which the same thing may be off: half a second, if not given."""
    return round(recording.rate / 2) if near is None else near


def compare_versions(
    old: Version,
    new: Version,
    judge: Callable[[Version], Ledger],
    near: int | None,
    tolerance: float,
    *,
    is_one_recording: bool,
) -> VersionsCompared:
    """Compares two versions with equal ids. `tolerance` is for places of two recordings, in units."""
    before, after = judge(old), judge(new)
    ground = old.rules, old.recording
    if is_one_recording:
        return VersionsCompared(compare(before, after, near, ground=ground))
    parted = parting(old.recording, new.recording, tolerance, near_of(old.recording, near))
    if parted.has_other_inputs:
        both = (
            statistics(version.rules, version.recording, ledger) for version, ledger in ((old, before), (new, after))
        )
        return VersionsCompared(LedgerDiff(0, ()), parted, (next(both), next(both)))
    recordings = TwoRecordings(old.recording, new.recording, parted.apart)
    return VersionsCompared(compare(before, after, near, ground=ground, recordings=recordings), parted)
