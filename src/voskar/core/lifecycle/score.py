"""Points for the side that did it, else for whoever it belongs to."""

from __future__ import annotations

from voskar.core.ledger.events import ScoreEvent
from voskar.core.world import World


def award(world: World, who: str, points: float) -> None:
    """Adds points for what an actor did; without a side they go to whom it belongs to."""
    state = world.find(who)
    seen = {who}  # owners may go round in a ring
    while state is not None and state.side is None and state.owner not in (None, *seen):
        who = state.owner or ""
        seen.add(who)
        state = world.find(who)
    name = who if state is None or state.side is None else state.side
    score = world.run.score
    score[name] = score.get(name, 0.0) + points
    world.events.append(ScoreEvent(frame=world.frame, id=name, points=points, total=score[name]))
