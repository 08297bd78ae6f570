"""The order of hits: the one in which the contacts of a frame are judged."""

from __future__ import annotations

from typing import Any, cast

from voskar.core.boxes import BoxCatalog
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.world import ActorState, World


class Order:
    """Groups (one attack of one attacker on one target in a frame) go by whether they preempt, priority (higher
    first), their earliest t, attacker id, attack name, target id; within a group by hurtbox rank (higher
    first), t, hitbox name, hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.
    """

    def __init__(self, catalog: BoxCatalog) -> None:
        attacks = sorted({box.attack.name for box in catalog.formed})
        names = sorted({box.name for box in catalog.formed})
        self._attack = [attacks.index(box.attack.name) for box in catalog.formed]
        self._first = [(not box.attack.preempts, -box.attack.priority) for box in catalog.formed]
        self._rank = [-box.box.rank for box in catalog.formed]
        self._name = [names.index(box.name) for box in catalog.formed]

    def of(self, world: World) -> list[TouchRow]:
        """The touches of a frame, in the order in which they are judged."""
        found = world.finder.touches()
        return found if len(found) < 2 else self._sorted(world, found)

    def _sorted(self, world: World, found: list[TouchRow]) -> list[TouchRow]:
        attack, first, rank, name = self._attack, self._first, self._rank, self._name
        actors = cast(list[ActorState], world.actors)  # whoever touches is there
        earliest: dict[tuple[int, int, int], float] = {}
        for attacker, hitbox, target, _, t, _ in found:
            group = (attacker, attack[hitbox], target)
            if t < earliest.setdefault(group, t):
                earliest[group] = t
        alone = len(earliest) == len(found)
        keyed: list[tuple[Any, ...]] = []
        for touch in found:
            attacker, hitbox, target, hurtbox, t, _ = touch
            its = attack[hitbox]
            if t != 1.0:
                t = round(t, 6)
            began = t if alone else round(earliest[attacker, its, target], 6)
            whose, whom = actors[attacker].id, actors[target].id
            keyed.append(
                (*first[hitbox], began, whose, its, whom, rank[hurtbox], t, name[hitbox], name[hurtbox], touch)
            )
        keyed.sort()
        return [one[-1] for one in keyed]
