"""Claims about one actor: down, respawn, out, removed and spawn, held against the same events of a ledger."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Claim, Recording
from voskar.evidence.matching import pair_up


@dataclass(frozen=True)
class Appears:
    """A recorded actor's first pose, as an event of its own."""

    frame: int
    id: str
    event: str = "spawn"


EVENTS = ("down", "respawn", "out", "removed", "spawn")

Sort = Literal["told-moved", "told-denied", "told-untold"]


@dataclass(frozen=True)
class Told:
    """One event that only one side has, or that the two have in different frames: `shift` is the rules' frame less
    the game's."""

    sort: Sort
    frame: int
    actor: str
    claim: Claim | None
    game: str
    rules: str
    shift: int = 0


@dataclass(frozen=True)
class Tellings:
    """How many such claims there were, how many agreed, and all that did not."""

    claims: int
    agreed: int
    odd: tuple[Told, ...]


def tellings(recording: Recording, ledger: Ledger, *, within: int, near: int) -> Tellings:
    """Matches claims and events by sort and actor. An event nobody claimed is odd only where the game claims events of
    that sort at all, of an actor that the recording shows.

    A claimed spawn of a recorded actor is held against its first pose.
    """
    claims = [claim for claim in recording.claims if claim.event in EVENTS]
    sorts = {claim.event for claim in claims}
    events: list[Event | Appears] = [event for event in ledger.events if event.event in sorts and event.id]
    if "spawn" in sorts:
        events += [
            Appears(there[1], actor.id)
            for number, actor in enumerate(recording.actors)
            if (there := recording.pose_from(number, recording.first)) is not None
        ]
    agreed, spare, left = pair_up(claims, events, within, _key, _key)
    moved, denied, untold = pair_up(spare, left, near, _key, _key)
    odd = [
        Told(
            "told-moved",
            claim.frame,
            claim.id or "",
            claim,
            f"tells {claim.event} in {claim.frame}",
            _when(event, claim.frame),
            event.frame - claim.frame,
        )
        for claim, event in moved
    ]
    odd += [
        Told("told-denied", claim.frame, claim.id or "", claim, f"tells {claim.event} in {claim.frame}", why)
        for claim in denied
        for why in [_instead(claim, events)]
    ]
    odd += [
        Told(
            "told-untold",
            event.frame,
            event.id or "",
            None,
            f"tells no {event.event}",
            f"{event.event} in {event.frame}",
        )
        for event in _claimable(recording, untold)
    ]
    return Tellings(len(claims), len(agreed), tuple(sorted(odd, key=lambda one: (one.frame, one.actor, one.sort))))


def _key(one: Claim | Event | Appears) -> tuple[str, str | None]:
    return one.event, one.id


def _when(event: Event | Appears, frame: int) -> str:
    apart = event.frame - frame
    frames = "1 frame" if abs(apart) == 1 else f"{abs(apart)} frames"
    return f"{event.event} in {event.frame}, {frames} {'later' if apart > 0 else 'earlier'}"


def _instead(claim: Claim, events: Sequence[Event | Appears]) -> str:
    """What the rules have of that sort for that actor, the nearest one first."""
    own = sorted(event.frame for event in events if (event.event, event.id) == (claim.event, claim.id))
    if not own:
        return f"no {claim.event} of {claim.id} at all"
    nearest = min(own, key=lambda frame: (abs(frame - claim.frame), frame))
    return f"no {claim.event} there; nearest in {nearest}"


def _claimable(recording: Recording, events: Sequence[Event | Appears]) -> Iterator[Event | Appears]:
    """Events of actors that the recording shows; first poses are no event that has to be claimed."""
    for event in events:
        number = recording.numbers.get(event.id or "")
        if number is not None and event.event != "spawn":
            yield event
