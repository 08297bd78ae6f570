"""Shots that change their owner, as the game logs it, though nothing reflects them then."""

from __future__ import annotations

from collections.abc import Iterator

from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held


def owners(held: Held) -> Iterator[Finding]:
    """Reports changes of owner that no reflection explains. A reflection by the rules within the window of hits, to
    that owner, does; so does a new appearance with the first owner."""
    recording, window = held.recording, held.windows.of("hit")
    for frame, number, owner in recording.owner_changes:
        actor = recording.actors[number]
        # a pool fires the shot again, for its first owner, or for the first time for one
        if actor.owner in (owner, None) and recording.appears_after(number, frame - 1) == frame:
            continue
        events = held.ledger.about(actor.id, "reflect")
        if any(event.owner == owner and window.holds(frame - 1, event.frame) for event in events):
            continue
        last = max((event for event in events if event.frame < frame), key=lambda event: event.frame, default=None)
        mine = actor.owner if last is None else last.owner
        text = "belongs to nobody" if mine is None else f"belongs to {mine}"
        yield of_actor("owner", frame, actor.id, f"belongs to {owner} from {frame} on", text)
