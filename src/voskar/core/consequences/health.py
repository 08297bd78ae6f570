"""Damage and healing: health, and what absorbs damage before it, ahead of either table."""

from __future__ import annotations

from voskar.core.counting import absorbing, change
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import HealthEvent
from voskar.core.lifecycle.down import go_down
from voskar.core.rules.decimals import added, scaled
from voskar.core.world import ActorState, World


def lose(world: World, state: ActorState, damage: float, by: str, cause: str | None = None) -> None:
    """Takes health, below 0 gives it. Counters that absorb are taken from first.

    Health stops at 0 and at the full; one that runs out is settled at the end of the frame, or at once. `by` is who did
    it, `cause` the attack of damage that comes later than its hit.
    """
    before = state.health
    # A kind without health takes no damage, and the hit still lands.
    if before is None or not damage:
        return
    if damage > 0 and world.any_absorbs:
        # Healing passes by what absorbs.
        damage = _absorbed(world, state, damage, by)
    after = left_after(before, damage, state.kind.health or 0.0)
    if after == before:
        if after == 0 and damage > 0:
            world.settling.add(state.row)  # it may still stand, as the game had it
        return
    state.health = after
    # The credit of a death goes to the last actor that took health, not to a healer.
    if after < before:
        state.credit = by
    world.events.append(HealthEvent(world.frame, state.id, before, after, by, cause))
    if after == 0:
        world.settling.add(state.row)
        # In this mode a second hit in the same frame finds a downed target.
        if world.rules.contact.health_check == "at_once":
            go_down(world, state)


def left_after(before: float, damage: float, full: float) -> float:
    """Health after damage, or after healing below 0: at least 0, and no more than the full."""
    # decimal sums are slow, and whole numbers are exact without
    rest = before - damage if before.is_integer() and damage.is_integer() else added(before, -damage)
    # healing does not take off what an actor has above its full health
    return max(rest, 0.0) if damage > 0 else min(rest, max(full, before))


def _absorbed(world: World, state: ActorState, damage: float, by: str) -> float:
    """The damage that is left after counters have absorbed their part."""
    for name in absorbing(world, state):
        holder = world.holder(state, name)
        if holder is not None and damage > 0:
            taken = min(damage, added(world.counter_of(holder, name), -holder.kind.counters[name].min))
            if taken > 0:
                change(world, state, name, -taken, by)
                damage = added(damage, -taken)
    return damage


def take(contact: Contact) -> None:
    """All changes of health by a hit: its damage, then that of the tables, then lifesteal."""
    world, attacker, target, effect = contact.world, contact.attacker, contact.target, contact.effect
    before = target.health
    lose(world, target, contact.damage, attacker.id)
    if effect.target.damage:
        lose(world, target, effect.target.damage, attacker.id)
    after = target.health
    if effect.attacker.damage:
        lose(world, attacker, effect.attacker.damage, target.id)
    share = effect.attacker.lifesteal
    # of the lost health alone: overkill and absorbed damage give nothing back
    if share and before is not None and after is not None and (lost := added(before, -after)) > 0:
        thief = world.find(attacker.owner) if attacker.owner is not None else attacker
        if thief is not None and thief.down is None:
            lose(world, thief, -scaled(lost, (share,), world.rules.contact.round_damage, 0.0), target.id)
