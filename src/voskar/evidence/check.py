"""A recording compared with the rules: a row of evidence a module."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from voskar.core.adopt import Resync, Windows
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.watching import Watched
from voskar.core.watching import watched as watch
from voskar.evidence.beginnings import beginnings
from voskar.evidence.displayed import displayed
from voskar.evidence.emissions import emissions
from voskar.evidence.events import event_claims
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.following import folded
from voskar.evidence.held import EXACT, Held
from voskar.evidence.hints import hints
from voskar.evidence.hits import HitEvidence, Reasons, hits
from voskar.evidence.jumps import jumps
from voskar.evidence.lives import lives
from voskar.evidence.motions import motions
from voskar.evidence.outlines import outlines
from voskar.evidence.owners import owners
from voskar.evidence.presence import presence
from voskar.evidence.reactions import reactions
from voskar.evidence.states import states
from voskar.evidence.strangers import strangers
from voskar.evidence.tolerance import TOLERANCE
from voskar.evidence.unordered import unordered

ROWS: tuple[Callable[[Held], Iterable[Finding]], ...] = (
    strangers,
    lives,
    states,
    outlines,
    displayed,
    presence,
    unordered,
    owners,
    beginnings,
)
"""Rows that need nothing but both accounts. Hits, other claims, reactions and spawns are counted too."""


@dataclass(frozen=True)
class Verdict:
    """The outcome of a check: how many hit claims agreed, and every disagreement in frame order.

    `spawns` counts the actors that should have appeared in the recording, `spawns_agreed` those that did as they
    should; `events` counts claims of other events than hits; `undecided` reactions that other motion leaves open.
    `not_compared` says what the recording does not log. `judged` has the poses as they were judged: in a raw recording
    hits have moved them.
    """

    claims: int
    hits: int
    agreed: int
    findings: tuple[Finding, ...]
    spawns: int = 0
    spawns_agreed: int = 0
    events: int = 0
    events_agreed: int = 0
    undecided: int = 0
    not_compared: tuple[str, ...] = ()
    seen: Watched | None = field(default=None, repr=False)
    resync: Resync | None = field(default=None, repr=False)
    """The resync, if the replay had one."""
    roots: tuple[tuple[Finding, tuple[Finding, ...]], ...] = ()
    """The findings that do not follow from others, each with those that follow from it."""
    hints: tuple[str, ...] = ()
    """Causes of several findings that are no mistake of the game."""

    @property
    def ok(self) -> bool:
        """Nothing disagrees."""
        return not self.findings


def check(
    rules: Rules,
    recording: Recording,
    *,
    windows: Windows = EXACT,
    tolerance: float = TOLERANCE,
    resync: bool = True,
    explains: bool = True,
    watched: bool = False,
) -> tuple[Verdict, Ledger]:
    """Replays and compares. `windows` are how far evidence may be off, `tolerance` is for places, in units. With
    `resync` the replay continues from the game's account where it and the rules disagree; with `explains` findings say
    why. Of `watched` frames the poses of driven actors are kept too."""
    seen = replayed(rules, recording, windows=windows, resync=resync, watched=watched)
    return compared(seen, windows=windows, tolerance=tolerance, explains=explains, watched=watched)


def replayed(rules: Rules, recording: Recording, *, windows: Windows, resync: bool, watched: bool = False) -> Watched:
    """The replay of a recording, which can be compared with it more than once."""
    windows = windows.at(recording)
    films = watched or _placed(recording, windows)
    return watch(rules, recording, films=films, resync=Resync(windows) if resync else None)


def compared(
    seen: Watched,
    *,
    windows: Windows,
    tolerance: float = TOLERANCE,
    explains: bool = True,
    watched: bool = False,
) -> tuple[Verdict, Ledger]:
    """The recording of a replay compared with it, as `check` does."""
    rules, recording = seen.world.rules, seen.logged
    windows = windows.at(recording)
    ask = seen.asking if explains else None
    orders = seen.world.orders
    held = Held(rules, recording, seen.ledger, seen.recording, windows, tolerance, seen.resync, ask, orders)
    landed, events, spawned, reacted = hits(held), event_claims(held), emissions(held), reactions(held)
    reasons = Reasons(held, unfired=spawned.unfired if explains else ())
    found = [*landed.findings, *events.findings, *reacted.findings, *spawned.odd]
    found += [reasons.of_spawn(spawn) if explains else spawn.finding("") for spawn in spawned.unfired]
    moved = motions(held, spawned.sources)
    found += [*moved.findings, *jumps(held, moved.compared), *(finding for row in ROWS for finding in row(held))]
    if recording.lost:  # frames that were not logged disagree with nothing
        found = [
            finding for finding in found if not any(first <= finding.frame <= last for first, last in recording.lost)
        ]
    found = _sorted(found)
    verdict = Verdict(
        landed.claims,
        landed.hits,
        landed.agreed,
        tuple(found),
        spawned.expected,
        spawned.agreed,
        events.claims,
        events.agreed,
        reacted.undecided,
        (*_not_compared(held), *(f"motion of {kind}" for kind in moved.alone)),
        seen if watched else None,
        seen.resync,
        tuple(folded(found, held, {*landed.matched, *events.matched, *spawned.matched})),
        tuple(hints(held, found)),
    )
    return verdict, held.ledger


STATE_ROWS: tuple[Callable[[Held], Iterable[Finding]], ...] = (lives, states, displayed, presence)
"""Rows that need no ways of actors: they take half the time."""


class PartVerdict(NamedTuple):
    """The result of a part of the evidence: all findings, and the roots, each with those that follow from it."""

    findings: tuple[Finding, ...]
    roots: tuple[tuple[Finding, tuple[Finding, ...]], ...]


def check_part(
    rules: Rules,
    recording: Recording,
    *,
    windows: Windows,
    tolerance: float,
    resync: bool,
    explains: bool = False,
) -> PartVerdict:
    """Compares hits, other claims and states, but no shots, ways and reactions."""
    windows = windows.at(recording)
    seen = watch(rules, recording, films=False, resync=Resync(windows) if resync else None)
    orders = seen.stepper.world.orders
    ask = seen.asking if explains else None
    held = Held(rules, recording, seen.ledger, seen.recording, windows, tolerance, seen.resync, ask, orders)
    landed, events = hits(held), event_claims(held)
    found = _sorted([*landed.findings, *events.findings, *(finding for row in STATE_ROWS for finding in row(held))])
    return PartVerdict(tuple(found), tuple(folded(found, held, {*landed.matched, *events.matched})))


def _sorted(found: Iterable[Finding]) -> list[Finding]:
    place = {code: at for at, code in enumerate(CODES)}
    return sorted(found, key=lambda finding: (finding.frame, place[finding.code], finding.attacker, finding.target))


def check_hits(rules: Rules, recording: Recording, windows: Windows) -> HitEvidence:
    """Compares hits alone, with resync, and says nothing of why."""
    windows = windows.at(recording)
    seen = watch(rules, recording, films=False, resync=Resync(windows))
    return hits(Held(rules, recording, seen.ledger, recording, windows, TOLERANCE, seen.resync))


def _placed(recording: Recording, windows: Windows) -> set[int]:
    """Frames in which a pose logs where something happened that a claim places."""
    placed = (claim.frame for claim in recording.claims if claim.x is not None and claim.event in ("down", "removed"))
    return {frame for middle in placed for frame in range(middle - windows.widest - 1, middle + windows.widest + 1)}


def _not_compared(held: Held) -> Iterable[str]:
    """Data that the rules have and the recording does not log."""
    scope = held.recording.scope
    names = {event.event for event in held.ledger.events}
    for event, word in (("hit", "hits"), ("down", "down"), ("respawn", "respawn"), ("out", "out")):
        came = bool(held.ledger.hits()) if event == "hit" else event in names
        if came and (event in scope.events or not held.recording.asks_for(event)):
            yield f"claims of {word}"
    poses, actors = held.recording.poses, held.recording.actors
    asked = {kind.name for kind in held.rules.kinds.values() if kind.tags}
    for name in sorted(asked & {actor.kind for actor in actors}):
        own = np.array([actor.kind == name for actor in actors], dtype=np.bool_)[poses.actor]
        if not (poses.tags[own] >= 0).any():
            yield f"tags of {name}"
    for name, values in (("kinds", scope.kinds), ("attacks", scope.attacks), ("reactions", scope.reactions)):
        yield from (f"{name} {value}" for value in sorted(values))
