"""News of looks at a recording that grows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.evidence.finding import Finding
from voskar.explaining.weighing import Weighed


class News(NamedTuple):
    """The news of a look: new root findings, each with those that follow from it, and reported findings that are
    withdrawn."""

    found: tuple[tuple[Finding, tuple[Finding, ...]], ...] = ()
    withdrawn: tuple[Finding, ...] = ()

    def followed_by(self, other: News) -> News:
        """With what another look has brought."""
        return News((*self.found, *other.found), (*self.withdrawn, *other.withdrawn))


class Looked(NamedTuple):
    """A look: what it judged, and all that came of it."""

    rules: Rules
    recording: Recording
    found: Weighed


class SureFrames(NamedTuple):
    """The frames, both included, of which a look reports findings; `late` is how long a finding waits for its window to
    pass."""

    since: int
    until: int
    late: int

    def holds(self, finding: Finding) -> bool:
        """Whether a finding lies in them."""
        return self.since <= finding.frame <= self.until


@dataclass(frozen=True)
class LiveTally:
    """The count of a recording so far. `findings` are the roots that have been reported and not withdrawn."""

    frames: int = 0
    claims: int = 0
    agreed: int = 0
    findings: int = 0
