"""I-frames from every source: a hit, a return, a start."""

from __future__ import annotations

from voskar.core.ledger.events import IframesEvent
from voskar.core.rules.attacks import Longer
from voskar.core.world import ActorState, World


def immunise(world: World, state: ActorState, since: int, length: int, cause: str, mode: Longer = "longest") -> None:
    """Gives i-frames from one frame on, the last of them `length` frames after this one; those of a frozen actor after
    its freeze. By default those that do not outlast the running ones change nothing."""
    start = world.now(state)
    if mode == "add" and state.immune_until > world.frame:
        start = state.immune_until
    until = start + length
    if until == state.immune_until or until < since or (mode == "longest" and until < state.immune_until):
        return
    if state.immune_until < world.frame:  # else the running one continues without a hole
        state.immune_since = since
    state.immune_until, state.immune_cause = until, cause
    world.events.append(IframesEvent(frame=world.frame, id=state.id, until=until, cause=cause))


def guard(world: World, state: ActorState) -> None:
    """Gives the i-frames of a start to an actor that is in play for the first time in a run."""
    immunise(world, state, world.frame, state.kind.start_iframes - 1, "start")
