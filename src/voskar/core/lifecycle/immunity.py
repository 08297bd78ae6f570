"""I-frames, whoever gives them: a hit or a return."""

from __future__ import annotations

from voskar.core.ledger.events import IframesEvent
from voskar.core.world import ActorState, World


def immunise(world: World, state: ActorState, since: int, until: int, cause: str) -> None:
    """Gives i-frames from one frame through another. One that does not outlast the running one changes nothing."""
    if until <= state.immune_until or until < since:
        return
    if state.immune_until < world.frame:  # else the running one is lengthened without a hole
        state.immune_since = since
    state.immune_until, state.immune_cause = until, cause
    world.events.append(IframesEvent(frame=world.frame, id=state.id, until=until, cause=cause))
