"""The order of hits: the one in which the contacts of a frame are judged."""

from __future__ import annotations

from collections.abc import Callable
from itertools import groupby
from operator import itemgetter
from typing import Any, cast

from voskar.core.boxes import BoxCatalog
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.world import ActorState, World

Claims = Callable[[str, str, str], bool]


def ranks(world: World) -> Callable[[ActorState], Any]:
    """The key among equals: ids as texts, or the order of poses in the frame, then of appearance."""
    if world.rules.contact.order == "id":
        return lambda state: state.id
    pose = world.table.pose
    # recorded actors come first, as the game logs them; driven ones have no pose, but a serial number
    return lambda state: (state.driven, state.serial if state.driven else pose[state.row])


class Order:
    """Groups (one attack of one attacker on one target in a frame) go by whether they preempt, priority (higher
    first), their earliest t, attacker id, attack name, target id; within a group by hurtbox rank (higher
    first), t, hitbox name, hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.

    Which of groups that are equal up to t comes first is the game's to say: what it claims goes before ids. Among
    claimed groups the judge takes next a group that now has the case and the damage of its claim.
    """

    def __init__(self, catalog: BoxCatalog) -> None:
        self._attacks = attacks = sorted({box.attack.name for box in catalog.formed})
        names = {name: place for place, name in enumerate(sorted({box.name for box in catalog.formed}))}
        places = {name: place for place, name in enumerate(attacks)}
        self._attack = [places[box.attack.name] for box in catalog.formed]
        self._first = [(not box.attack.preempts, -box.attack.priority) for box in catalog.formed]
        self._rank = [-box.box.rank for box in catalog.formed]
        self._name = [names[box.name] for box in catalog.formed]

    def of(self, world: World, found: list[TouchRow]) -> list[TouchRow]:
        """The touches of a frame, in the order in which they are judged."""
        return found if len(found) < 2 else [items[-1] for items in self._sorted(world, found, None)]

    def ties(self, world: World, found: list[TouchRow], claims: Claims | None) -> list[list[list[TouchRow]]]:
        """The same, as runs of groups that only ids put in order. `claims` says whether the game claims a hit of an
        attacker, an attack and a target in this frame."""
        keyed = self._sorted(world, found, claims)
        return [
            [[items[-1] for items in group] for _, group in groupby(run, key=itemgetter(3, 4, 5))]
            for _, run in groupby(keyed, key=itemgetter(0, 1, 2))
        ]

    def _sorted(self, world: World, found: list[TouchRow], claims: Claims | None) -> list[tuple[Any, ...]]:
        attack, first, rank, name = self._attack, self._first, self._rank, self._name
        actors = cast(list[ActorState], world.actors)  # every actor that touches is there
        name_of = None if world.rules.contact.order == "id" else ranks(world)
        earliest: dict[tuple[int, int, int], float] = {}
        for attacker, hitbox, target, _, t, _ in found:
            group = (attacker, attack[hitbox], target)
            if t < earliest.setdefault(group, t):
                earliest[group] = t
        # most frames: each touch is its own group, and its time that of the group
        alone = len(earliest) == len(found)
        keyed: list[tuple[Any, ...]] = []
        for touch in found:
            attacker, hitbox, target, hurtbox, t, _ = touch
            its = attack[hitbox]
            if t != 1.0:
                # a time is written with six decimals: the order of hits must follow from what a reader sees
                t = round(t, 6)
            began = t if alone else round(earliest[attacker, its, target], 6)
            # behind the time, before ids: the log may only break ties
            unsaid = claims is not None and not claims(actors[attacker].id, self._attacks[its], actors[target].id)
            mine, other = actors[attacker], actors[target]
            whose, whom = (mine.id, other.id) if name_of is None else (name_of(mine), name_of(other))
            among = (rank[hurtbox], t, name[hitbox], name[hurtbox])
            keyed.append((first[hitbox], began, unsaid, whose, its, whom, among, touch))
        keyed.sort()
        return keyed
