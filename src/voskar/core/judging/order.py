"""The order of blows: the one in which the contacts of a frame are judged."""

from __future__ import annotations

from typing import Any, cast

from voskar.core.boxes import BoxCatalog
from voskar.core.world import ActorState, World

Touch = tuple[int, int, int, int, float, int]
"""Striker, hitbox, target, hurtbox (rows and box numbers), t, and the row of the kernel's table."""


class Order:
    """Groups (one attack of one striker on one target in a frame) go by whether they preempt, priority (higher
    first), their earliest t, striker id, attack name, target id; within a group by hurtbox rank (higher
    first), t, hitbox name, hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.
    """

    def __init__(self, catalog: BoxCatalog) -> None:
        self._attack = [one.attack.name for one in catalog.formed]
        self._first = [(not one.attack.preempts, -one.attack.priority) for one in catalog.formed]
        self._rank = [-one.box.rank for one in catalog.formed]
        self._name = [one.name for one in catalog.formed]

    def of(self, world: World) -> list[Touch]:
        """The touches of a frame, in the order in which they are judged."""
        finder, placing = world.finder, world.placing
        if finder.count == 0:
            return []
        hits, hurts = placing.hits, placing.hurts
        hit_actor, hit_box, hurt_actor, hurt_box = hits.actor, hits.box, hurts.actor, hurts.box
        hit, hurt, t = finder.hit, finder.hurt, finder.t
        found: list[Touch] = []
        for k in range(finder.count):
            i, j = hit[k], hurt[k]
            found.append((hit_actor[i], hit_box[i], hurt_actor[j], hurt_box[j], t[k], k))
        return found if len(found) == 1 else self._sorted(world, found)

    def _sorted(self, world: World, found: list[Touch]) -> list[Touch]:
        attack, first, rank, name = self._attack, self._first, self._rank, self._name
        actors = cast(list[ActorState], world.actors)  # whoever touches is there
        earliest: dict[tuple[int, str, int], float] = {}
        for striker, hitbox, target, _, t, _ in found:
            group = (striker, attack[hitbox], target)
            before = earliest.get(group)
            if before is None or t < before:
                earliest[group] = t
        keyed: list[tuple[Any, ...]] = []
        for touch in found:
            striker, hitbox, target, hurtbox, t, _ = touch
            its = attack[hitbox]
            keyed.append(
                (
                    first[hitbox], round(earliest[striker, its, target], 6), actors[striker].id, its,
                    actors[target].id, rank[hurtbox], round(t, 6), name[hitbox], name[hurtbox], touch,
                )
            )  # fmt: skip
        keyed.sort()
        return [one[-1] for one in keyed]
