"""How long actors were immune after hits, as far as a log shows it, and what several such times have in common."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

FAR = 1200
"""Frames after a hit from which being immune has another cause."""

Spell = tuple[int, int]
"""For how many frames after an event an actor was immune, at least and at most; FAR if its end was not seen."""


def holds(spell: Spell, value: int) -> bool:
    """Whether a number of frames fits a spell."""
    return spell[0] <= value <= spell[1]


def most_common(spells: Sequence[Spell]) -> int:
    """The longest that fits most of them."""
    counts = Counter(spells)
    held = {low: sum(count for spell, count in counts.items() if holds(spell, low)) for low, _ in counts}
    return max(held, key=lambda low: (held[low], low), default=0)


def agreed_on(spells: Sequence[Spell], *, ends: bool = True) -> tuple[int, int, int] | None:
    """The value that nearly all have in common, and their number: a game with a bug has one that differs. With `ends`
    an end of it must be seen."""
    least = most_common(spells)
    fitting = [spell for spell in spells if holds(spell, least)]
    most = min((high for _, high in fitting), default=FAR)
    is_seen = most < FAR or (not ends and bool(spells))
    return (least, most, len(fitting)) if len(fitting) >= 0.8 * len(spells) and is_seen else None
