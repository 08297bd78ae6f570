"""Stun: emitters are denied, and a kind may be disarmed."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import StunEvent


def apply(effect: Effect) -> None:
    """Stunned in n+1 … n+D. By default a stun that does not outlast the running one changes nothing."""
    state, world, table = effect.own, effect.world, effect.table
    runs = state.stunned_until > world.frame
    start = world.now(state)
    if table.stun_mode == "add" and runs:
        start = state.stunned_until
    until = start + table.stun
    # A shorter stun must not end a longer one.
    if until == state.stunned_until or (table.stun_mode == "longest" and until < state.stunned_until):
        return
    if state.stunned_until < world.frame:  # otherwise the stun continues without a gap
        state.stunned_since = world.frame + 1
    state.stunned_until = until
    if state.kind.stun_disarms:
        world.disarm(state, until)
    # Boxes with a condition on the stun may open or close in the frame after it.
    world.look_at(until + 1, state.row)
    world.events.append(StunEvent(frame=world.frame, id=state.id, until=until, by=effect.by))


CONSEQUENCE = Consequence("stun", "stun", lambda table: table.stun > 0, apply, "stun", lambda table, kind: table.stun)
