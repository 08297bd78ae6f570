"""Sums over a ledger, per actor."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping

from msgspec import Struct, field

from voskar.core.ledger import Ledger
from voskar.core.ledger.origin import brood
from voskar.core.recording import Actor, Recording
from voskar.core.rules import Rules


class ActorSum(Struct):
    """Hits and damage that one actor dealt and took.

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


def everyone(rules: Rules, recording: Recording, ledger: Ledger) -> Mapping[str, Actor]:
    """All actors of the recording, by id: recorded, placed as fixtures, or spawned."""
    found = {actor.id: actor for actor in recording.actors}
    for fixture in rules.fixtures:
        # a fixture may be recorded as well: then the recording's own actor counts
        found.setdefault(fixture.id, Actor(fixture.id, fixture.kind, driven=True))
    for event in ledger.of("spawn"):
        if event.detail != "expected" and event.id and event.kind:
            found[event.id] = Actor(event.id, event.kind, event.owner, driven=True, spawned=True)
    return found


def summarise(rules: Rules, recording: Recording, ledger: Ledger) -> Mapping[str, ActorSum]:
    """One sum an actor, by id, `hornet-2` before `hornet-10`; one for all that an emitter or parent spawned.

    Healing counts as damage below 0.
    """
    actors = everyone(rules, recording, ledger)
    sums: dict[str, ActorSum] = {}
    of: dict[str, ActorSum] = {}
    for name in sorted(actors, key=natural):
        actor = actors[name]
        full = None if actor.spawned else rules.kinds[actor.kind].health
        group = brood(name) if actor.spawned else name
        of[name] = sums.setdefault(group, ActorSum(group, actor.kind, full, full))
    for event in ledger.events:
        if event.event == "contact" and event.attacker and event.target:
            attacker, target = of[event.attacker], of[event.target]
            if event.outcome == "landed":
                attacker.landed += 1
                attacker.dealt += event.damage or 0.0
                target.hits += 1
                target.taken += event.damage or 0.0
            else:
                length = (event.until or event.frame) - event.frame + 1
                target.ignored += length
                attacker.stopped += length
        elif event.event == "health" and event.id and not actors[event.id].spawned:
            of[event.id].health = event.after
        elif event.event == "down" and event.id and not actors[event.id].spawned:
            of[event.id].down = event.frame
        elif event.event == "respawn" and event.id and not actors[event.id].spawned:
            of[event.id].health, of[event.id].down = of[event.id].full, None
    return sums


class Brood(Struct):
    """The spawns of one emitter, parent or hit effect: their number, how many were only predicted, how they ended, the
    most at once, and how often and why the emitter was denied."""

    name: str
    kind: str = ""
    spawned: int = 0
    expected: int = 0
    most: int = 0
    ends: Counter[str] = field(default_factory=Counter)
    denied: Counter[str] = field(default_factory=Counter)


def broods(ledger: Ledger) -> Mapping[str, Brood]:
    """All spawns and denials, by emitter, parent or hit effect."""
    found: dict[str, Brood] = {}
    alive: Counter[str] = Counter()
    for event in ledger.events:
        if event.event == "spawn" and event.id:
            entry = found.setdefault(brood(event.id), Brood(brood(event.id)))
            entry.kind = event.kind or ""
            entry.spawned += 1
            entry.expected += event.detail == "expected"
            # an expected shot is recorded, and counted there
            alive[entry.name] += event.detail != "expected"
            entry.most = max(entry.most, alive[entry.name])
        elif event.event == "denied":
            name = f"{event.id}/{event.emitter}-*"
            found.setdefault(name, Brood(name)).denied[event.detail or ""] += 1
        elif event.event == "removed" and event.id and brood(event.id) in found:
            found[brood(event.id)].ends[event.detail or ""] += 1
            alive[brood(event.id)] -= 1
    return dict(sorted(found.items(), key=lambda item: natural(item[0])))
