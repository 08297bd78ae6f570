"""Ids that inputs and claims name, and that no actor has."""

from __future__ import annotations

from collections.abc import Iterator

from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held


def strangers(held: Held) -> Iterator[Finding]:
    """Each once, where it is named first. An actor that comes and goes within a frame has no pose either."""
    for stranger in held.recording.strangers:
        rules = "has no pose in any frame" + (f" ({stranger.hint})" if stranger.hint else "")
        yield of_actor("unknown-actor", stranger.frame, stranger.id, f"is named in {stranger.field}", rules)
