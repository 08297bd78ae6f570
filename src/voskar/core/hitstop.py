"""Hitstop: an actor is frozen for some frames after a hit, and all its timers with it.

What was running ends so many frames later: each deadline that is still to come is moved. What begins while an actor is
frozen counts from the end of its freeze (`World.now`).
"""

from __future__ import annotations

from voskar.core import counting
from voskar.core.judging.memory import Memory
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger.events import HitstopEvent
from voskar.core.lifecycle.due import try_from
from voskar.core.world import ActorState, World


def freeze(world: World, memory: Memory, state: ActorState, length: int, *, is_logged: bool = True) -> None:
    """Freezes an actor in n+1 … n+`length`; a freeze that ends no later than the running one changes nothing."""
    table, row, frame = world.table, state.row, world.frame
    until = frame + length
    extra = until - max(table.frozen_until[row], frame)
    if extra <= 0:
        return
    if table.frozen_until[row] < frame:  # otherwise the freeze continues without a gap
        table.frozen_since[row] = frame + 1
    if not table.frozen_since[row] <= frame:
        # a frozen actor stands still, but what asks for its velocity, a shot that inherits it for one, means that of
        # before
        world.stopped[row] = world.velocity(row)
    table.frozen_until[row] = until
    _delay(world, memory, state, extra)
    if is_logged:
        world.events.append(HitstopEvent(frame=frame, id=state.id, until=until))


def freeze_all(world: World, memory: Memory, length: int) -> None:
    """Everyone is frozen, and every actor that appears meanwhile."""
    world.run.frozen_until = max(world.run.frozen_until, world.frame + length)
    for state in sorted(world.everyone(), key=lambda actor: actor.id):
        # an absent actor freezes as well, or its timers would run ahead of the others
        freeze(world, memory, state, length, is_logged=world.is_present(state.row))


def _delay(world: World, memory: Memory, state: ActorState, extra: int) -> None:
    """Moves every deadline that is still to come."""
    table, run, row, frame = world.table, world.run, state.row, world.frame
    if state.immune_until > frame:
        state.immune_until += extra
    if state.stunned_until > frame:
        state.stunned_until += extra
        world.look_at(state.stunned_until + 1, row)
    if table.disarmed_until[row] > frame:
        table.disarmed_until[row] += extra
    memory.delay(row, frame, extra)
    run.delayed[row] = run.delayed.get(row, 0) + extra
    if state.driven:
        table.since[row] += extra
        for column in (table.expires, table.hides, table.ends):
            # FOREVER itself must not move: it would no longer be recognised
            if frame < column[row] < FOREVER // 2:
                column[row] += extra
    world.kernel.pushes.delay(row, extra)
    counting.delay(world, state, extra)
    for key, poisons in run.poisons.items():
        if key[0] == row:
            run.poisons[key] = [
                poison._replace(next=poison.next + extra) if poison.next > frame else poison for poison in poisons
            ]
            for entry in run.poisons[key]:
                world.visit(entry.next)
    if state.owes is not None and state.owes > frame:
        state.owes += extra
        run.lives.setdefault(state.owes, []).append((state.id, row))
        world.visit(state.owes)
    for until in [until for until, outs in run.outs.items() if until > frame and (state.id, row) in outs]:
        run.outs[until].remove((state.id, row))
        run.outs.setdefault(until + extra, []).append((state.id, row))
        world.visit(until + extra)
    if state.driven and table.ends[row] < FOREVER // 2:
        run.ends.setdefault(table.ends[row], []).append(row)
        world.visit(table.ends[row])
    if row in run.due:
        try_from(world, state, max(state.awaits, frame + 1) + extra)  # when it is seen again is the game's
