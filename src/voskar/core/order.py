"""The order of blows: the one in which the contacts of a frame are judged."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from voskar.core.placing import Wardrobe
from voskar.core.rules import Attack
from voskar.core.shapes import Ints
from voskar.core.touching import Touches


def id_ranks(name: Callable[[int], str], among: Ints, count: int) -> Ints:
    """(count,) the place of each actor's id among those of some actors, compared as strings; 0 for the others."""
    ranks = np.zeros(count, dtype=np.int64)
    present = sorted(np.unique(among).tolist(), key=name)
    ranks[present] = np.arange(len(present))
    return ranks


def order_of_blows(touches: Touches, wardrobe: Wardrobe, ranks: Ints) -> Ints:
    """Rows of `touches` in the order in which they are judged; `ranks` as from `id_ranks`.

    Groups (one attack of one striker on one target in a frame) go by whether they preempt, priority (higher
    first), their earliest t, striker id, attack name, target id; within a group by hurtbox rank (higher
    first), t, hitbox name, hurtbox name. Ids and names compare as strings, t rounded to 6 decimals as it is written.
    """
    if not len(touches):
        return np.zeros(0, dtype=np.int64)
    fitted = wardrobe.fitted
    attacks = [wardrobe.rules.attacks.get(one.box.attack or "") or Attack("") for one in fitted]
    attack_names = sorted({attack.name for attack in attacks})
    attack_rank = np.array([attack_names.index(attack.name) for attack in attacks], dtype=np.int64)[touches.hitbox]
    late = np.array([not attack.preempts for attack in attacks], dtype=np.bool_)[touches.hitbox]
    priority = np.array([attack.priority for attack in attacks], dtype=np.int64)[touches.hitbox]
    rank = np.array([one.box.rank for one in fitted], dtype=np.int64)[touches.hurtbox]
    names = sorted({one.box.name for one in fitted})
    box_rank = np.array([names.index(one.box.name) for one in fitted], dtype=np.int64)
    striker, target = ranks[touches.striker], ranks[touches.target]
    t = np.round(touches.t, 6)
    group = np.lexsort((target, attack_rank, striker, touches.frame))
    keys = np.stack([touches.frame[group], striker[group], attack_rank[group], target[group]])
    starts = np.flatnonzero(np.r_[True, (keys[:, 1:] != keys[:, :-1]).any(axis=0)])
    earliest = np.empty(len(touches))
    earliest[group] = np.repeat(np.minimum.reduceat(t[group], starts), np.diff(np.r_[starts, len(touches)]))
    result: Ints = np.lexsort(
        (
            box_rank[touches.hurtbox],
            box_rank[touches.hitbox],
            t,
            -rank,
            target,
            attack_rank,
            striker,
            earliest,
            -priority,
            late,
            touches.frame,
        )
    )
    return result
