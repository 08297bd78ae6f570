"""Two ledgers compared: gained, lost, moved and changed events, and those that only follow from them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from voskar.core.adopt import Window
from voskar.core.explain.provenance import Change as PieceChange
from voskar.core.explain.provenance import Provenance
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger import Event, Ledger, written
from voskar.core.ledger.events import ScoreEvent, SpawnEvent
from voskar.core.ledger.pieces import ALL, Piece, What
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.evidence.held import kinds_of
from voskar.evidence.matching import pair_up
from voskar.evidence.parting import NONE, RANKS, STATE, Parted

SORTS = {
    "contact": "hits", "down": "deaths", "respawn": "returns", "out": "ends", "over": "ends", "won": "ends",
    "spawn": "shots", "score": "score",
}  # fmt: skip
"""Names of compared events."""
LIFE = ("down", "respawn", "out", "over", "won")

Change = Literal["gained", "lost", "moved", "changed"]


@dataclass(frozen=True)
class Difference:
    """One hit or turn of a life that the two ledgers do not share. `frame` is that of the first ledger, or of the
    second where only it has the event; `follows` is the frame of an earlier difference that it may come from. `sort` is
    one of SORTS, or what the two recordings log otherwise: "poses" or "spawns"."""

    change: Change
    frame: int
    what: str
    before: str
    after: str
    shift: int = 0
    follows: int | None = None
    sort: str = "hits"
    who: tuple[str, str] = ("", "")
    """Attacker and target of a hit; of other events no attacker, and their actor."""


@dataclass(frozen=True)
class LedgerDiff:
    """All differences, in frame order, and how many events the two have in common."""

    same: int
    differences: tuple[Difference, ...]

    @property
    def causes(self) -> tuple[Difference, ...]:
        """Differences that follow from no earlier one."""
        return tuple(difference for difference in self.differences if difference.follows is None)


@dataclass(frozen=True)
class TwoRecordings:
    """Two recordings with the same ids, and what they log otherwise."""

    old: Recording
    new: Recording
    apart: Sequence[Parted]


def compare(
    before: Ledger,
    after: Ledger,
    near: int | None = None,
    *,
    ground: tuple[Rules, Recording] | None = None,
    recordings: TwoRecordings | None = None,
) -> LedgerDiff:
    """Compares hits, deaths, returns and ends of runs. An event at most `near` frames off (default half a second)
    is the same one, moved.

    With `ground`, the rules and the recording of the first ledger, a difference follows from an earlier one if it reads
    state that the earlier one has changed, as findings do. Of two ledgers alone it follows from an earlier one on the
    same actor. Another damage is a cause of its own every time. Of two `recordings` shots and score are compared too,
    and where an actor is, or what state it is in: what touches it then follows from that.
    """
    near = round(before.rate / 2) if near is None else near
    sides = _Contacts(before), _Contacts(after)
    old, new = ([event for event in entry.events if _counts(event)] for entry in (before, after))
    # one shot more or less changes all later ids of a pool: match shots by kind and owner
    groups: dict[str, str] = {}
    if recordings is not None:
        for events, ledger, recording in ((old, before, recordings.old), (new, after, recordings.new)):
            shots = list(_shots(ledger, recording))
            groups |= {shot.id: f"{shot.kind} of {shot.owner}" for shot in shots}
            events += [*shots, *ledger.all(ScoreEvent)]

    def key(event: Event) -> tuple[str | None, ...]:
        return event.event, *(groups.get(name or "", name) for name in (event.id, event.attacker)), *_rest(event)

    # pair events of the same frame first, so that no moved event gets the partner of an unmoved one
    same, old_spare, new_spare = pair_up(old, new, Window(), key, key)
    moved, lost, gained = pair_up(old_spare, new_spare, Window(near, near), key, key)
    found: list[tuple[Difference, Event | Parted]] = []

    def add(change: Change, event: Event, old: str, new: str, shift: int = 0) -> None:
        who = event.attacker or "", event.target or event.id or ""
        sort = SORTS[event.event]
        found.append((Difference(change, event.frame, _what(event), old, new, shift, sort=sort, who=who), event))

    for logged, other in [*same, *moved]:
        shift = other.frame - logged.frame
        if shift:
            text = f"{abs(shift)} {'frame' if abs(shift) == 1 else 'frames'} {'later' if shift > 0 else 'earlier'}"
            add("moved", logged, str(logged.frame), f"{other.frame}, {text}", shift)
        texts = _value(logged), _value(other)
        if texts[0] != texts[1]:
            add("changed", logged, *texts)
    for logged in lost:
        add("lost", logged, _value(logged), sides[1].instead(logged))
    for logged in gained:
        add("gained", logged, sides[0].instead(logged), _value(logged))
    for log in recordings.apart if recordings is not None else ():
        who = (log.claim.attacker or "" if log.claim is not None else ""), log.id
        found.append((Difference("changed", log.frame, log.what, log.old, log.new, sort=log.sort, who=who), log))
    found.sort(key=lambda pair: (pair[0].frame, _rank(*pair), pair[0].what, pair[0].change))
    if ground is None:
        followed = _follow(found)
    else:
        logs = [] if recordings is None else [*recordings.new.actors, *recordings.old.actors]
        provenance = _provenance(*ground, before, found, are_logs=recordings is not None)
        followed = list(_by_state(found, provenance, {actor.id: actor.owner for actor in logs}))
    return LedgerDiff(len(same), tuple(followed))


def _rank(difference: Difference, event: Event | Parted) -> int:
    """Its place within a frame."""
    if isinstance(event, Parted):
        return event.rank
    return RANKS.index("shots" if difference.sort == "shots" else "hits")


def _shots(ledger: Ledger, recording: Recording) -> Iterator[SpawnEvent]:
    """The shots that a recording shows, each time that one appears, and those that the rules bring."""
    yield from (event for event in ledger.all(SpawnEvent) if event.owner and event.detail is None)
    owned = [number for number, actor in enumerate(recording.actors) if actor.owner is not None]
    for number, stretches in recording.stretches(owned).items() if owned else ():
        actor, poses = recording.actors[number], recording.poses
        for rows, _ in stretches:
            row = int(rows[0])
            place = float(poses.x[row]), float(poses.y[row]), float(poses.angle[row])
            yield SpawnEvent(int(poses.frame[row]), actor.id, actor.logged_kind, *place, actor.owner)


def _counts(event: Event) -> bool:
    return (event.event == "contact" and event.outcome == "landed") or event.event in LIFE


def _rest(event: Event) -> tuple[str | None, ...]:
    return event.target, event.attack


def _what(event: Event) -> str:
    if event.event == "contact":
        return f"{event.attack} of {event.attacker} on {event.target}"
    if isinstance(event, SpawnEvent):
        return f"shot {event.id} of {event.owner}"
    return f"{event.event} of {event.id}" if event.id else event.event


def _value(event: Event) -> str:
    """The values in which a matched event may differ."""
    if event.event == "contact":
        return f"landed, damage {written(event.damage)}"
    if event.event == "down" and event.lives is not None:
        return f"down, lives {written(event.lives)}"
    if isinstance(event, ScoreEvent):
        return f"points {written(event.points)}"
    if event.event in ("respawn", "spawn"):
        return f"at ({written(event.x)}, {written(event.y)})"
    return event.detail or event.event


SHOWN_OF_HIT: tuple[What, ...] = ("health", "motion", "stun", "iframes", "counters")
"""State that a hit that only one game claims may change in both, for any case."""

Disputed = tuple[Difference, Event | Parted]


class _Contacts:
    """The contacts of a ledger in a frame, where it has no hit."""

    def __init__(self, ledger: Ledger) -> None:
        self.of: dict[tuple[str | None, str | None, str | None], list[Event]] = {}
        for event in ledger.of("contact"):
            self.of.setdefault((event.attacker, event.target, event.attack), []).append(event)

    def instead(self, event: Event) -> str:
        """The outcome of the same hit in that frame."""
        if event.event != "contact":
            return f"no {event.event}"
        found: Sequence[Event] = self.of.get((event.attacker, event.target, event.attack), ())
        here = [entry for entry in found if entry.frame <= event.frame <= (entry.until or entry.frame)]
        return (here[0].outcome or "") if here else "no contact"


def _follow(found: Sequence[Disputed]) -> list[Difference]:
    touched: dict[str, int] = {}  # the first difference on each actor
    result = []
    for difference, event in found:
        name = (event.target if isinstance(event, Event) else None) or event.id or ""
        since = touched.get(name)
        if since is not None and since < difference.frame and difference.change != "changed":
            difference = Difference(**{**vars(difference), "follows": since})
        # the end of a run has no actor, and may follow from anything before it
        elif not name and touched:
            difference = Difference(**{**vars(difference), "follows": min(touched.values())})
        touched.setdefault(name, difference.frame)
        result.append(difference)
    return result


def _provenance(
    rules: Rules, recording: Recording, ledger: Ledger, found: Sequence[Disputed], *, are_logs: bool
) -> Provenance[Difference]:
    """Where `are_logs`, the place of a logged actor may be the consequence of a hit: the two need not log the same."""
    kinds = kinds_of(rules, recording, ledger)
    owned = {event.id for event in ledger.all(SpawnEvent) if event.owner}
    owned |= {actor.id for actor in recording.actors if actor.owner}
    disputed = {id(event) for _, event in found}
    agreed = {id(event) for event in ledger.events if _counts(event)} - disputed
    return Provenance(
        rules,
        ledger,
        lambda name: rules.kinds.get(kinds.get(name, "")),
        lambda name: are_logs or recording.reactions == "raw" or name not in recording.numbers,
        owned,
        agreed,
        disputed,
    )


def _by_state(
    found: Sequence[Disputed], provenance: Provenance[Difference], owners: Mapping[str, str | None]
) -> Iterator[Difference]:
    """Folds differences that read a state which an earlier difference changed."""
    claimed: dict[tuple[str | None, ...], tuple[int, Difference]] = {}
    for difference, event in sorted(
        found, key=lambda pair: (min(pair[0].frame, pair[0].frame + pair[0].shift), _rank(*pair))
    ):
        first, last = sorted((difference.frame, difference.frame + difference.shift))
        provenance.go_to(first)
        name = event.id or ""
        in_both = difference.change == "changed" and NONE not in (difference.before, difference.after)
        is_own = in_both and difference.sort in ("hits", "claims")
        own_cause: Difference | None = None
        reads: list[Piece]
        changes: list[PieceChange]
        hit = event.claim if isinstance(event, Parted) else event
        if hit is not None and (hit.attacker or hit.target):
            reads, changes = _of_hit(provenance, hit.attacker or "", hit.target or "", hit.attack or "")
            which = hit.attacker, hit.target, hit.attack
            if isinstance(event, Parted):
                claimed[which] = event.frame, difference
                both = [name for name in (hit.attacker, hit.target) if name]
                changes += [((what, name), None) for name in both for what in SHOWN_OF_HIT]
            # what the two games claim of a hit comes before what the rules make of it
            elif claimed.get(which, (None,))[0] == event.frame:
                own_cause = claimed[which][1]
        elif isinstance(event, Parted):
            reads, changes = _of_pose(event, owners.get(event.id))
        elif isinstance(event, SpawnEvent):
            reads = provenance.read_by_spawn(name, event.owner or "", event.emitter or "")
            changes = [(("presence", name), None), (("motion", name), None)]
        else:
            pieces: list[Piece] = [("presence", name), ("health", name), ("lives", name)]
            reads = [*pieces, ("run", ALL), ("score", ALL), ("score", name)]
            changes = [(piece, None) for piece in reads]
        cause = own_cause if is_own else provenance.differences.cause(reads, first, first)
        for piece, lasts in changes:
            provenance.differ(piece, first, FOREVER if lasts is None else last + lasts, cause or difference)
        yield difference if cause is None else replace(difference, follows=cause.frame)


def _of_hit(
    provenance: Provenance[Difference], attacker: str, target: str, attack: str
) -> tuple[list[Piece], list[PieceChange]]:
    reads = provenance.read_by(attacker, target, provenance.rules.attacks.get(attack))
    kills = provenance.kind_of(target) is not None
    return reads, provenance.changes_of_hit(attacker, target, attack, kills=kills)


def _of_pose(pose: Parted, owner: str | None) -> tuple[list[Piece], list[PieceChange]]:
    """The state that decides a field of a pose, and the state that the field decides: for as long as the two differ in
    it."""
    lasts = pose.last - pose.frame + 1
    if pose.field in STATE:
        what = STATE[pose.field]
        return [(what, pose.id), ("presence", pose.id), ("run", ALL)], [((what, pose.id), lasts)]
    where: list[Piece] = [("presence", pose.id), ("motion", pose.id)]
    if owner is not None and pose.sort == "spawns":
        where += [("presence", owner), ("motion", owner), ("stun", owner)]
    return [*where, ("stun", pose.id), ("run", ALL)], [(piece, lasts) for piece in where[:2]]
