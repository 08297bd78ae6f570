"""Damage over time: health that falls in some frames after a hit, at the end of each."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.consequences.health import lose
from voskar.core.world import ActorState, Poison, World

Reach = Callable[[World, str, Mapping[str, ActorState]], None]


def apply(effect: Effect) -> None:
    """Begins it, unless its actor is down; what runs already of the same attack begins anew, goes on beside it, or
    lets nothing begin."""
    rule, world, state = effect.table.over_time, effect.world, effect.own
    assert rule is not None
    key = (state.row, effect.cause)
    running = world.run.poisons.get(key, [])
    if state.down is not None or (running and rule.stacking == "ignore"):
        return
    if rule.stacking == "renew":  # what is due in this frame still falls
        running = [one._replace(left=1) for one in running if one.next == world.frame]
    dealer = effect.other
    by = effect.by if dealer is None else dealer.owner or dealer.id
    first = world.now(state) + rule.every
    world.run.poisons[key] = [*running, Poison(state.id, first, rule.times, rule.damage, rule.every, by)]
    world.visit(first)


def tick(world: World, reach: Reach) -> None:
    """The damage that is due in this frame, by actor, then attack; before anybody goes down."""
    poisons = world.run.poisons
    due = [(some[0].id, key) for key, some in poisons.items() if any(one.next == world.frame for one in some)]
    for name, key in sorted(due, key=lambda one: (one[0], one[1][1])):
        left = []
        for one in poisons.get(key, ()):
            if one.next == world.frame:
                state = world.actors[key[0]]
                if state is None or state.id != name or state.down is not None:
                    continue
                lose(world, state, one.damage, one.by, key[1])
                if world.run.reached:
                    dealer = world.find(one.by)
                    reach(world, key[1], {} if dealer is None else {state.id: dealer})
                one = one._replace(next=one.next + one.every, left=one.left - 1)
                if one.left:
                    world.visit(one.next)
            if one.left:
                left.append(one)
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
