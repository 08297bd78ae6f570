"""Consequences of a hit, a file each, in the order in which they happen on either side of a contact.

To add one: a file here with a `Consequence`, its place in CONSEQUENCES, its key in the rulebook's schema, its page
in the docs. Coverage reads this table.
"""

from __future__ import annotations

from collections.abc import Mapping

from voskar.core.consequences import (
    checkpoint,
    gives,
    goal,
    health,
    home,
    iframes,
    knockback,
    launch,
    lives,
    over_time,
    reflect,
    remove,
    spawn,
    stun,
)
from voskar.core.consequences.consequence import Consequence, Effect, Side
from voskar.core.hitstop import freeze, freeze_all
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules
from voskar.core.world import ActorState, World

CONSEQUENCES: tuple[Consequence, ...] = (
    iframes.CONSEQUENCE,
    stun.CONSEQUENCE,
    knockback.CONSEQUENCE,
    launch.CONSEQUENCE,
    remove.CONSEQUENCE,
    home.CONSEQUENCE,
    checkpoint.CONSEQUENCE,
    gives.CONSEQUENCE,
    lives.CONSEQUENCE,
    over_time.CONSEQUENCE,
    goal.CONSEQUENCE,
    spawn.CONSEQUENCE,
    reflect.CONSEQUENCE,
)


SIDES: tuple[Side, ...] = ("target", "attacker")
"""In the order in which consequences happen."""

Bound = tuple[tuple[Side, Consequence], ...]


def consequences_of(attack: Attack, rules: Rules) -> Bound:
    """The consequences that a hit of an attack can have, and for which side."""
    return tuple(
        (side, consequence) for side in SIDES for consequence in CONSEQUENCES if consequence.does(attack, side, rules)
    )


def land(contact: Contact, consequences: Bound) -> None:
    """Carries out a hit: health, then the consequences of its attack, then those of counters that it brought to a
    limit."""
    # Health comes first: lifesteal and the counters of later consequences read what was lost.
    health.take(contact)
    world, attacker, target, attack = contact.world, contact.attacker, contact.target, contact.effect
    if attack.hitstop:
        stop(contact)
    if consequences:
        on_target = Effect(world, target, attacker, attack.target, attack.name, "target", contact)
        on_attacker = Effect(world, attacker, target, attack.attacker, attack.name, "attacker", contact)
        for side, consequence in consequences:
            consequence.apply(on_target if side == "target" else on_attacker)
    # Few hits bring a counter to a limit, so the common case is one test.
    if world.run.reached:
        reach(world, attack.name, {attacker.id: target, target.id: attacker}, contact)


def stop(contact: Contact) -> None:
    """Freezes the target, then the attacker, or everyone."""
    effect, world, memory = contact.effect, contact.world, contact.memory
    if effect.hitstop_on == "all":
        freeze_all(world, memory, effect.hitstop)
        return
    for side, state in (("target", contact.target), ("attacker", contact.attacker)):
        if effect.hitstop_on in ("both", side):
            freeze(world, memory, state, effect.hitstop)


def carry_out(effect: Effect) -> None:
    """Carries out a table that is not that of a hit: its damage, then its consequences."""
    health.lose(effect.world, effect.own, effect.table.damage, effect.by)
    for consequence in CONSEQUENCES:
        # A table without a hit has no attack, so the consequences that need one are never named in it.
        if consequence.named(effect.table):
            consequence.apply(effect)


def reach(world: World, cause: str, others: Mapping[str, ActorState], contact: Contact | None = None) -> None:
    """The consequences of counters that have come to a limit, for their actors; `others` are the other actors of a hit,
    by id. Changes by these consequences trigger nothing further."""
    # A copy, as consequences change counters: those changes start nothing more.
    reached = world.run.reached.copy()
    for row, rule, lowest in reached:
        table, state = rule.on_min if lowest else rule.on_max, world.actors[row]
        if table is None or state is None:
            continue
        other = others.get(state.id)
        if other is None and contact is not None:  # an owner's: the other one is that of its shot
            other = contact.attacker if contact.target.owner == state.id else contact.target
        side: Side = "target" if contact is None or other is not contact.target else "attacker"
        carry_out(Effect(world, state, other, table, cause, side, contact))
    world.run.reached.clear()


def consume(contact: Contact, outcome: str) -> None:
    """Counts an outcome other than a hit towards a removal."""
    attack = contact.effect
    if attack.target.remove:
        remove.count(contact, "target", contact.target, attack.target, outcome)
    if attack.attacker.remove:
        remove.count(contact, "attacker", contact.attacker, attack.attacker, outcome)


__all__ = [
    "CONSEQUENCES",
    "SIDES",
    "Bound",
    "Consequence",
    "Effect",
    "Side",
    "carry_out",
    "consequences_of",
    "consume",
    "land",
    "reach",
]
