"""Boxes that are open while their actor meets a condition: decided once a frame, before anything touches."""

from __future__ import annotations

from collections.abc import Set

from voskar.core.asking import state_holds
from voskar.core.ledger.events import CounterEvent
from voskar.core.world import World


def latch(world: World, frame: int, rows: Set[int] | None = None) -> None:
    """Sets in the kernel which conditions of its boxes each actor meets in a frame, as far as its state decides: what
    tags its pose has is asked by the kernel itself. `rows` are those whose state may have changed, None for everyone.
    """
    conditions, met = world.catalog.conditions, world.table.met
    for state in world.conditional() if rows is None else map(world.actors.__getitem__, rows):
        if state is not None and state.kind.name in conditions:
            bits = 0
            for number, condition in enumerate(conditions[state.kind.name]):
                bits |= state_holds(world, state, condition, frame) << number
            met[state.row] = bits


def changed_since(world: World, number: int) -> set[int]:
    """The rows of those whose state has changed since so many events had been reported, with what they own: health,
    stun and counters change with an event of their own."""
    names = {event.id for event in world.events[number:] if event.id is not None}
    rows = {world.rows[name] for name in names if name in world.rows}
    if names and world.has_owners:
        rows |= {state.row for state in world.conditional() if state.owner in names}
    return rows


def due(world: World, number: int) -> set[int] | None:
    """The rows of those whose state may be another one as a frame begins; None for everyone: something happened that
    more depends on than regen."""
    looks = world.run.looks.pop(world.frame, set())
    if world.kernel.mark == world.frame or any(type(event) is not CounterEvent for event in world.events[number:]):
        return None
    return looks | changed_since(world, number)
