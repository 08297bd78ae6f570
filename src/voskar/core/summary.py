"""Sums over a ledger, per actor."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules


@dataclass
class ActorSum:
    """What one actor dealt and took.

    `ignored` counts frames of contact on it that did not land, `stopped` those of its own contacts on others.
    """

    id: str
    kind: str
    full: float | None
    health: float | None
    landed: int = 0
    dealt: float = 0.0
    hits: int = 0
    taken: float = 0.0
    ignored: int = 0
    stopped: int = 0
    down: int | None = None


def natural(name: str) -> list[tuple[bool, int, str]]:
    """A sort key that reads the numbers in a name as numbers."""
    return [
        (not piece.isdecimal(), int(piece) if piece.isdecimal() else 0, piece) for piece in re.split(r"(\d+)", name)
    ]


def summarise(rules: Rules, recording: Recording, ledger: Ledger) -> Mapping[str, ActorSum]:
    """One sum an actor, by id, `hornet-2` before `hornet-10`. Healing counts as damage below 0."""
    sums = {
        actor.id: ActorSum(actor.id, actor.kind, rules.kinds[actor.kind].health, rules.kinds[actor.kind].health)
        for actor in sorted(recording.actors, key=lambda actor: natural(actor.id))
    }
    for event in ledger.events:
        if event.event == "contact" and event.striker and event.target:
            if event.outcome == "landed":
                sums[event.striker].landed += 1
                sums[event.striker].dealt += event.damage or 0.0
                sums[event.target].hits += 1
                sums[event.target].taken += event.damage or 0.0
            else:
                length = (event.until or event.frame) - event.frame + 1
                sums[event.target].ignored += length
                sums[event.striker].stopped += length
        elif event.event == "health" and event.id:
            sums[event.id].health = event.after
        elif event.event == "down" and event.id:
            sums[event.id].down = event.frame
    return sums
