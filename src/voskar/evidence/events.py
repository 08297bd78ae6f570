"""Claims of other events than hits, held against the same events of a ledger, with all that they log."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from operator import attrgetter
from typing import NamedTuple

from voskar.core.adopt import Window
from voskar.core.ledger import Event
from voskar.core.ledger.event import number
from voskar.core.ledger.origin import brood
from voskar.core.recording import Claim, Poses
from voskar.core.rules.shapes import Ints
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held, Vector
from voskar.evidence.matching import pair_up


@dataclass(frozen=True)
class Shown:
    """An event that poses show: a recorded actor's first pose, or its last."""

    frame: int
    id: str
    event: str
    x: float
    y: float
    owner: str | None = None


EVENTS = ("clash", "down", "respawn", "out", "removed", "spawn", "over", "won")


class EventEvidence(NamedTuple):
    """How many such claims there were, how many agreed, and all that did not; `matched` are the events that did, by
    `id()`."""

    claims: int
    agreed: int
    findings: tuple[Finding, ...]
    matched: Collection[int] = ()


def event_claims(held: Held) -> EventEvidence:
    """Matches claims and events by event and actor. An event no actor claimed is odd only where the game claims events
    of that name at all, or says that it does, of an actor that the recording shows.

    A claimed spawn of a recorded actor is held against its first pose too, a claimed end of one that the rules do not
    end against its last pose, in that frame or the next.
    """
    claims = [
        claim for claim in held.recording.claims if claim.event in EVENTS and held.recording.logs(claim.event, claim.id)
    ]
    names = [event for event in EVENTS if held.recording.asks_for(event)]
    events: list[Event | Shown] = [
        event
        for event in sorted((event for name in names for event in held.of(name)), key=attrgetter("frame"))
        if (event.id or event.event in ("over", "won")) and held.recording.logs(event.event, event.id)
    ]
    events += _poses(held, claims, events)
    taken = {} if held.resync is None else held.resync.plan
    known = [(entry, taken[number].rules) for number, entry in enumerate(held.recording.claims) if number in taken]
    compared = {id(claim) for claim in claims}
    known = [(entry, event) for entry, event in known if id(entry) in compared]
    gone = {id(entry) for entry, _ in known}
    own = {(event.frame, event.event, event.id) for _, event in known if event is not None}
    left = [event for event in events if (event.frame, event.event, event.id) not in own]
    agreed: list[tuple[Claim, Event | Shown]] = []
    spare: list[Claim] = []
    for name in EVENTS:
        window = held.windows.of(name)
        logged = [claim for claim in claims if claim.event == name and id(claim) not in gone]
        pairs, rest, left = pair_up(logged, left, window, _key, _key)
        agreed, spare = agreed + pairs, spare + rest
    late, window = [claim for claim in spare if claim.event == "removed"], held.windows.of("removed")
    again, _, left = pair_up(late, left, Window(window.before + 1, window.after + 1), _key, _key)
    for claim, event in again:  # gone in the frame behind its last pose
        if isinstance(event, Shown) and claim.frame >= event.frame:
            agreed.append((claim, event))
            spare.remove(claim)
        else:
            left.append(event)
    moved, denied, unlogged = pair_up(spare, left, Window(held.near, held.near), _key, _key)
    moved += [(entry, event) for entry, event in known if event is not None]
    denied += [entry for entry, event in known if event is None]
    other = [finding for claim, event in agreed for finding in _other(held, claim, event)]
    found = list(other)
    for claim, event in moved:
        shift = event.frame - claim.frame
        text, rules = f"claims {claim.event} in {claim.frame}", _when(event, claim.frame)
        found.append(Finding("event-moved", claim.frame, "", _who(claim) or "", claim, None, shift, text, rules))
    for claim in denied:
        text = f"claims {claim.event} in {claim.frame}"
        found.append(
            Finding(
                "event-denied",
                claim.frame,
                "",
                _who(claim) or "",
                claim,
                game=text,
                rules=_instead(held, claim, events),
            )
        )
    driven = [claim for claim in claims if claim.id not in held.recording.numbers]
    asked = {(event.event, brood(event.id or "")) for event in driven}
    forced = {(event.frame, event.id) for event in held.of("adopted") if event.detail == "spawn"}
    for event in unlogged:
        if isinstance(event, Shown) or (event.event == "spawn" and (event.frame, event.id) in forced):
            continue
        if _is_asked(held, event, asked):
            text, rules = f"claims no {event.event}", f"{event.event} in {event.frame}"
            found.append(Finding("event-missing", event.frame, "", _who(event) or "", game=text, rules=rules))
    wrong = {id(finding.claim) for finding in other}
    return EventEvidence(
        len(claims),
        len(agreed) - len(wrong),
        tuple(sorted(found, key=lambda finding: (finding.frame, finding.target, finding.code))),
        [id(event) for claim, event in agreed if id(claim) not in wrong],
    )


def _poses(held: Held, claims: Sequence[Claim], events: Sequence[Event | Shown]) -> Iterator[Shown]:
    """First and last poses of actors with a claimed spawn or end: an id that is used again has several."""
    recording, poses = held.recording, held.recording.poses
    removals: dict[str, list[int]] = {}
    for end in events:
        if end.event == "removed":
            removals.setdefault(end.id or "", []).append(end.frame)
    claimed: dict[tuple[str, str], list[int]] = {}
    for claim in claims:
        if claim.event in ("spawn", "removed") and claim.id in recording.numbers:
            claimed.setdefault((claim.event, claim.id or ""), []).append(claim.frame)
    stretches = recording.stretches(sorted({recording.numbers[name] for _, name in claimed}))
    for (event, name), frames in sorted(claimed.items()):
        number_of = recording.numbers[name]
        parts = [rows for rows, _ in stretches[number_of]]
        if event == "spawn":
            certain, cuts = _starts(poses, parts)
        else:
            # where the rules remove it themselves, their event is the better account
            own = [rows for rows in parts if not _ends_in(poses, rows, removals.get(name, ()))]
            certain, cuts = _ends(poses, number_of, own)
        # a cut is another actor of a pool only where the game says so: else it is the same one elsewhere
        known, window = poses.frame[certain].tolist(), held.windows.of(event)
        for row in cuts:
            frame = int(poses.frame[row])
            if frame in frames and not any(window.holds(frame, other) for other in known):
                certain.append(row)
        for row in certain:
            place = float(poses.x[row]), float(poses.y[row])
            yield Shown(int(poses.frame[row]), name, event, *place, recording.actors[number_of].owner)


def _starts(poses: Poses, parts: Sequence[Ints]) -> tuple[list[int], list[int]]:
    """The rows in which an actor appears, and those in which it is only cut to another place."""
    rows = [int(part[0]) for part in parts]
    cuts = [row for row in rows if poses.previous[row] >= 0 and not poses.hidden[poses.previous[row]]]
    return [row for row in rows if row not in cuts], cuts


def _ends(poses: Poses, actor: int, parts: Sequence[Ints]) -> tuple[list[int], list[int]]:
    """The rows after which an actor is gone, and those after which it is only cut to another place. A game may log an
    actor on, hidden, before it removes it."""
    certain, cuts = set(), []
    for part in parts:
        row = int(part[-1])
        following = int(poses.following[row])
        if following >= 0 and not poses.hidden[following]:
            cuts.append(row)
        else:
            certain |= {row, int(poses.unbroken(actor, int(poses.frame[row]))[-1])}
    return sorted(certain), cuts


def _ends_in(poses: Poses, rows: Ints, frames: Collection[int]) -> bool:
    """Whether any of some frames lies in a stretch of poses, or right behind it."""
    return any(poses.frame[rows[0]] <= frame <= poses.frame[rows[-1]] + 1 for frame in frames)


def _is_asked(held: Held, event: Event, asked: Collection[tuple[str, str]]) -> bool:
    """Whether a game could have claimed an event, and had time to: of the run, of a recorded actor, or of a driven one
    whose fellows it claims such events of."""
    if not held.in_time(event.frame, event.event) or event.detail == "no spawn":
        return False
    # a game can name what it shows; what only the rules drive it may know by other names, or not at all
    recorded = event.id is None or event.id in held.recording.numbers
    return recorded or (event.event, brood(event.id or "")) in asked


def _key(entry: Claim | Event | Shown) -> tuple[str, str | None]:
    return entry.event, _who(entry)


def _who(entry: Claim | Event | Shown) -> str | None:
    """The actors that it is about: of a clash both sides."""
    if entry.event != "clash":
        return entry.id
    both = (entry.attacker, entry.target) if isinstance(entry, Claim) else (entry.id, getattr(entry, "other", None))
    return " and ".join(sorted(name or "" for name in both))


def _when(event: Event | Shown, frame: int) -> str:
    apart = event.frame - frame
    frames = "1 frame" if abs(apart) == 1 else f"{abs(apart)} frames"
    return f"{event.event} in {event.frame}, {frames} {'later' if apart > 0 else 'earlier'}"


def _instead(held: Held, claim: Claim, events: Sequence[Event | Shown]) -> str:
    """The rules' nearest event of that type for that actor, in words."""
    ended = held.ended_before(claim.frame)
    if ended is not None:
        return f"no {claim.event}: the run was {ended.event} in {ended.frame}"
    own = sorted(event.frame for event in events if _key(event) == _key(claim))
    held_back = [event for event in held.ledger.about(claim.id or "", "respawn_held") if event.frame <= claim.frame]
    if claim.event == "respawn" and held_back:
        return f"waits since {held_back[-1].frame}: {held_back[-1].detail} is in the way"
    who = f" of {_who(claim)}" if _who(claim) else ""
    if not own:
        return f"no {claim.event}{who} at all"
    nearest = min(own, key=lambda frame: (abs(frame - claim.frame), frame))
    return f"no {claim.event} there; nearest in {nearest}"


def _other(held: Held, claim: Claim, event: Event | Shown) -> Iterator[Finding]:
    """Values of a claim that are not those of its event."""
    for field, game, rules in _values(held, claim, event):
        text = f"claims {claim.event} with {field} {game}"
        yield Finding("event-values", claim.frame, "", _who(claim) or "", claim, game=text, rules=f"{field} {rules}")


def _values(held: Held, claim: Claim, event: Event | Shown) -> Iterator[tuple[str, str, str]]:
    course = held.course.courses.get(claim.id or "")
    if (
        claim.event != "clash"
        and claim.attacker is not None
        and getattr(event, "by", None) not in (None, claim.attacker)
    ):
        yield "attacker", claim.attacker, str(getattr(event, "by", ""))
    owner = getattr(event, "owner", None)
    if claim.owner is not None and owner != claim.owner:
        yield "owner", claim.owner, str(owner or "nobody")
    lives = getattr(event, "lives", None)
    # a return has no number of its own: the claim states what the actor has then
    if lives is None and course is not None:
        lives = course.lives.now(event.frame)
    if claim.lives is not None and lives is not None and claim.lives != lives:
        yield "lives", number(claim.lives), number(lives)
    # only claims of returns state health, and an actor comes back with all of it
    full = None if course is None else course.kind.health
    if claim.health is not None and full is not None and abs(claim.health - full) > 1e-6:
        yield "health", number(claim.health), number(full)
    if claim.x is not None and claim.y is not None:
        place, tolerance = _place(held, claim, event), held.tolerance_of(claim.id or "")
        places = [] if place is None else [place, *_muzzles(held, event)]
        if place is not None and all(math.dist(goal, (claim.x, claim.y)) > tolerance for goal in places):
            yield "place", f"({claim.x:g}, {claim.y:g})", f"({place[0]:g}, {place[1]:g})"


def _muzzles(held: Held, event: Event | Shown) -> Iterator[Vector]:
    """Places where a shown shot may have been spawned, before it moved in the frame of its first pose."""
    if isinstance(event, Shown) and event.event == "spawn":
        kind = held.kind_of(event.id)
        for spawn in held.spawns.get(event.frame, ()):
            birth = held.births.get((spawn.frame, spawn.id))
            is_its = kind is not None and spawn.kind == kind.logged_kind and event.owner in (None, spawn.owner)
            if is_its and birth is not None and birth.moves_at_once:
                yield spawn.x, spawn.y


def _place(held: Held, claim: Claim, event: Event | Shown) -> tuple[float, float] | None:
    """Where it happened: as the event says, else where the pose of its frame is, else the last one before."""
    if event.event in ("spawn", "respawn") or isinstance(event, Shown):
        return event.x or 0.0, event.y or 0.0
    judged = held.judged
    for frame in (event.frame, event.frame - 1):
        row = judged.row(claim.id or "", frame)
        if row is not None:
            return float(judged.poses.x[row]), float(judged.poses.y[row])
    return None
