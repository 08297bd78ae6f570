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
    # Each attack has its own damage on each actor, so two attacks run side by side.
    key = (state.row, effect.cause)
    running = world.run.poisons.get(key, [])
    if state.down is not None or (running and rule.stacking == "ignore"):
        return
    if rule.stacking == "renew":  # damage that is due in this frame still counts
        running = [poison._replace(left=1) for poison in running if poison.next == world.frame]
    dealer = effect.other
    # a shot is gone by the time the damage falls: its owner has the credit
    by = effect.by if dealer is None else dealer.owner or dealer.id
    first = world.now(state) + rule.every
    world.run.poisons[key] = [*running, Poison(state.id, first, rule.times, rule.damage, rule.every, by)]
    # Quiet frames are skipped, so the frame of the next damage must be asked for.
    world.visit(first)


def _is_gone(world: World, state: ActorState) -> bool:
    """Whether the game no longer shows a shot. If it uses the id again, that is another shot."""
    return not state.driven and not world.is_present(state.row) and state.kind.logged_kind in world.rules.spawned


def tick(world: World, reach: Reach) -> None:
    """The damage that is due in this frame, by actor, then attack; before any actor goes down."""
    poisons = world.run.poisons
    due = [
        (entries[0].id, key)
        for key, entries in poisons.items()
        if any(poison.next == world.frame for poison in entries)
    ]
    # By id and attack, so that the order does not depend on when each began.
    for _, key in sorted(due, key=lambda pair: (pair[0], pair[1][1])):
        left = []
        for poison in poisons.get(key, ()):
            if poison.next == world.frame:
                state = world.state(key[0])
                # The dead take no damage, and a shot that is gone has no health.
                if state.down is not None or _is_gone(world, state):
                    continue
                lose(world, state, poison.damage, poison.by, key[1])
                # A dealer that is gone has no counters to change.
                if world.run.reached:
                    dealer = world.find(poison.by)
                    reach(world, key[1], {} if dealer is None else {state.id: dealer})
                poison = poison._replace(next=poison.next + poison.every, left=poison.left - 1)
                if poison.left:
                    world.visit(poison.next)
            if poison.left:
                left.append(poison)
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
