"""I-frames: those that a table names, and of the target's kind for a hit that hurts."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect, Side
from voskar.core.immunity import immunise
from voskar.core.rules import Attack, Rules


def apply(effect: Effect) -> None:
    """Immune in n+1 … n+N, under `same_frame = "first"` for the rest of frame n too."""
    state, world, table = effect.own, effect.world, effect.table
    length = table.iframes
    if length is None:
        # only a table of its own makes an attacker immune
        length = state.kind.iframes if effect.side == "target" else 0
    if length:
        # Under "first" the rest of this frame is immune, too, so that a second hit is ignored.
        since = world.frame if world.rules.contact.same_frame == "first" else world.frame + 1
        immunise(world, state, since, length, effect.cause, table.iframes_mode)


def also(attack: Attack, side: Side, rules: Rules) -> bool:
    """The target's kind may have its own."""
    return side == "target" and attack.gives_iframes and any(kind.iframes for kind in rules.kinds.values())


CONSEQUENCE = Consequence(
    "iframes",
    "iframes",
    lambda table: bool(table.iframes),
    apply,
    "iframes",
    lambda table, kind: kind.iframes if table.iframes is None else table.iframes,
    also=also,
)
