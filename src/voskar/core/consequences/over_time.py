"""Damage over time: health that falls in some frames after a hit, at the end of each."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.consequences.health import lose
from voskar.core.world import ActorState, Poison, World

Reach = Callable[[World, str, Mapping[str, ActorState]], None]


def apply(effect: Effect) -> None:
    """Begins it, unless its actor is down. If damage over time of the same attack runs already, that starts again,
    continues, or lets nothing begin."""
    rule, world, state = effect.table.over_time, effect.world, effect.own
    assert rule is not None
    key = (state.row, effect.cause)
    running = world.run.poisons.get(key, [])
    if state.down is not None or (running and rule.stacking == "ignore"):
        return
    if rule.stacking == "renew":  # what is due in this frame still falls
        running = [poison._replace(left=1) for poison in running if poison.next == world.frame]
    dealer = effect.other
    by = effect.by if dealer is None else dealer.owner or dealer.id
    first = world.now(state) + rule.every
    world.run.poisons[key] = [*running, Poison(state.id, first, rule.times, rule.damage, rule.every, by)]
    world.visit(first)


def tick(world: World, reach: Reach) -> None:
    """The damage that is due in this frame, by actor, then attack; before any actor goes down."""
    poisons = world.run.poisons
    due = [
        (entries[0].id, key)
        for key, entries in poisons.items()
        if any(poison.next == world.frame for poison in entries)
    ]
    for name, key in sorted(due, key=lambda pair: (pair[0], pair[1][1])):
        left = []
        for entry in poisons.get(key, ()):
            if entry.next == world.frame:
                state = world.actors[key[0]]
                if state is None or state.id != name or state.down is not None:
                    continue
                lose(world, state, entry.damage, entry.by, key[1])
                if world.run.reached:
                    dealer = world.find(entry.by)
                    reach(world, key[1], {} if dealer is None else {state.id: dealer})
                entry = entry._replace(next=entry.next + entry.every, left=entry.left - 1)
                if entry.left:
                    world.visit(entry.next)
            if entry.left:
                left.append(entry)
        if left and key in poisons:
            poisons[key] = left
        else:
            poisons.pop(key, None)


CONSEQUENCE = Consequence(
    "over_time",
    "health",
    lambda table: table.over_time is not None,
    apply,
    "health",
)
