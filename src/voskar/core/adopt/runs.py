"""Runs that the rules end and the game continues with."""

from __future__ import annotations

from voskar.core.adopt.plan import Resync
from voskar.core.adopt.presence import Presence
from voskar.core.ledger.events import AdoptedEvent
from voskar.core.world import World

SIGNS = ("hit", "down", "respawn")
"""Claims of a run that continues."""


class RunsOn:
    """A run that is over or won by the rules continues if the game claims no end near it, and continues with hits,
    deaths or returns, or with an actor who should be out. From then on only the game ends it."""

    SHARED = frozenset(("resync", "_ends", "_signs"))

    def __init__(self, resync: Resync, world: World, presence: Presence) -> None:
        self.resync, self.world, self.presence = resync, world, presence
        claims = world.recording.claims
        self._ends = [claim.frame for claim in claims if claim.event in ("over", "won")]
        self._signs = [
            (claim.frame, claim.target if claim.event == "hit" else claim.id)
            for claim in claims
            if claim.event in SIGNS
        ]

    def after(self) -> None:
        """The frame has been settled."""
        world, windows = self.world, self.resync.windows
        run, frame = world.run, world.frame
        if run.ended != frame or any(abs(end - frame) <= windows.near for end in self._ends):
            return
        # signs of the next run say nothing of this one
        mark = min((mark for mark in world.recording.resets if mark > frame), default=world.recording.last + 1)
        late = frame + max(windows.of(sign).after for sign in SIGNS)
        out = {state.id for state in world.everyone() if state.out}  # whether these are there, their poses say
        if any(late < sign < mark and who not in out for sign, who in self._signs) or self._is_anyone_there():
            what = "no won" if any(event.event == "won" for event in world.events[-1:]) else "no over"
            run.ended, run.goes_on = None, True
            world.events.append(AdoptedEvent(frame=frame, detail=what))

    def _is_anyone_there(self) -> bool:
        out = (state for state in self.world.everyone() if state.out and not state.driven)
        return any(self.presence.goes_on(state, self.world.frame, "out") is not None for state in out)
