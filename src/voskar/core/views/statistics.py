"""Statistics of a replay: what each actor and each attack dealt and took, how much was ignored and why, and deaths."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.origin import brood
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.course import Course
from voskar.core.views.summary import natural
from voskar.core.views.timeline import Timeline, timeline


@dataclass
class Tally:
    """Hits and what kept the other contacts from hit, in frames of contact by outcome."""

    name: str
    landed: int = 0
    dealt: float = 0.0
    stopped: Counter[str] = field(default_factory=Counter)
    first: int | None = None
    """The frame of the first hit."""
    downs: int = 0

    @property
    def contacts(self) -> int:
        """Frames of contact, landed or not."""
        return self.landed + self.stopped.total()

    @property
    def share(self) -> float | None:
        """The part of its frames of contact that did not land."""
        return self.stopped.total() / self.contacts if self.contacts else None

    def add(self, event: Event) -> None:
        """One more contact."""
        if event.outcome == "landed":
            self.landed += 1
            self.dealt += event.damage or 0.0
            self.first = event.frame if self.first is None else self.first
        else:
            self.stopped[event.outcome or ""] += (event.until or event.frame) - event.frame + 1


@dataclass
class Record:
    """One actor, or all that one emitter or parent spawned: as attacker, as target, and how it lived.

    `alive` counts frames in which it was there and not down; `deaths` maps "attacker: attack" to how often.
    """

    name: str
    kind: str
    striking: Tally
    struck: Tally
    count: int = 1
    alive: int = 0
    deaths: Counter[str] = field(default_factory=Counter)
    returns: int = 0


@dataclass(frozen=True)
class Statistics:
    """All of them, actors by id and attacks by name."""

    frames: int
    rate: float
    actors: Mapping[str, Record]
    attacks: Mapping[str, Tally]


def statistics(rules: Rules, recording: Recording, ledger: Ledger) -> Statistics:
    """Counts over a whole ledger."""
    course = timeline(rules, recording, ledger)
    actors: dict[str, Record] = {}
    group: dict[str, Record] = {}
    for name in sorted(course.courses, key=natural):
        entry = course.courses[name]
        # shots are summed up by what fired them
        label = brood(name) if entry.actor.spawned else name
        if label in actors:
            actors[label].count += 1
        else:
            actors[label] = Record(label, entry.kind.name, Tally(label), Tally(label))
        group[name] = actors[label]
        actors[label].alive += _alive(entry, course)
        actors[label].returns += len(entry.returns)
    attacks = {name: Tally(name) for name in rules.attacks}
    last: dict[str, Event] = {}  # the last hit that took health from each
    hit: Event | None = None
    for event in ledger.events:
        if event.event == "contact" and event.attacker and event.target:
            attacks[event.attack or ""].add(event)
            group[event.attacker].striking.add(event)
            group[event.target].struck.add(event)
            hit = event
        elif event.event == "health" and hit is not None and (event.after or 0.0) < (event.before or 0.0):
            # an actor goes down by the last hit that took health, not by the last that healed
            last[event.id or ""] = hit
        elif event.event == "down" and event.id in last:
            cause = last[event.id]
            attacker = group[cause.attacker or ""]
            group[event.id].deaths[f"{attacker.name}: {cause.attack}"] += 1
            attacker.striking.downs += 1
            attacks[cause.attack or ""].downs += 1
    return Statistics(recording.frames, float(recording.rate), actors, attacks)


def _alive(course: Course, whole: Timeline) -> int:
    """Frames in which an actor was there and not down."""
    frames = 0
    for span in course.present:
        frames += span.last - span.first + 1
        for down in course.down:
            # a body that lies there is present, but not alive
            frames -= max(min(span.last, down.last) - max(span.first, down.first) + 1, 0)
    return min(max(frames, 0), whole.last - whole.first + 1)
