"""Two ledgers held against each other: what was gained, lost, moved or changed, and what only follows from that."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from voskar.core.adopt import Window
from voskar.core.explain.provenance import Provenance
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger import Event, Ledger, written
from voskar.core.ledger.events import SpawnEvent
from voskar.core.ledger.pieces import ALL, Piece
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.evidence.held import kinds_of
from voskar.evidence.matching import pair_up

LIFE = ("down", "respawn", "out", "over", "won")

Change = Literal["gained", "lost", "moved", "changed"]


@dataclass(frozen=True)
class Difference:
    """One hit or turn of a life that the two ledgers do not share. `frame` is that of the first ledger, or of the
    second where only it has the event; `follows` is the frame of an earlier difference that it may come from."""

    change: Change
    frame: int
    what: str
    before: str
    after: str
    shift: int = 0
    follows: int | None = None


@dataclass(frozen=True)
class LedgerDiff:
    """Everything that differs, in frame order, and how many events the two have in common."""

    same: int
    differences: tuple[Difference, ...]

    @property
    def causes(self) -> tuple[Difference, ...]:
        """Differences that follow from no earlier one."""
        return tuple(difference for difference in self.differences if difference.follows is None)


def compare(
    before: Ledger, after: Ledger, near: int | None = None, *, ground: tuple[Rules, Recording] | None = None
) -> LedgerDiff:
    """Compares hits, deaths, returns and ends of runs. An event at most `near` frames off (default half a second)
    is the same one, moved.

    With `ground`, the rules and the recording of the first ledger, a difference follows from an earlier one if it reads
    state that the earlier one has changed, as findings do. Of two ledgers alone it follows from an earlier one on the
    same actor. Another damage is a cause of its own every time.
    """
    near = round(before.rate / 2) if near is None else near
    old, new = ([event for event in one.events if _counts(event)] for one in (before, after))
    same, old_spare, new_spare = pair_up(old, new, Window(), _key, _key)
    moved, lost, gained = pair_up(old_spare, new_spare, Window(near, near), _key, _key)
    sides = _Contacts(before), _Contacts(after)
    found: list[tuple[Difference, Event]] = []
    for one, other in [*same, *moved]:
        shift = other.frame - one.frame
        if shift:
            text = f"{abs(shift)} {'frame' if abs(shift) == 1 else 'frames'} {'later' if shift > 0 else 'earlier'}"
            difference = Difference("moved", one.frame, _what(one), str(one.frame), f"{other.frame}, {text}", shift)
            found.append((difference, one))
        told = _value(one), _value(other)
        if told[0] != told[1]:
            found.append((Difference("changed", one.frame, _what(one), *told), one))
    found += [(Difference("lost", one.frame, _what(one), _value(one), sides[1].instead(one)), one) for one in lost]
    found += [(Difference("gained", one.frame, _what(one), sides[0].instead(one), _value(one)), one) for one in gained]
    found.sort(key=lambda pair: (pair[0].frame, pair[0].what, pair[0].change))
    followed = _follow(found) if ground is None else _by_state(found, _provenance(*ground, before, found))
    return LedgerDiff(len(same), tuple(followed))


def _counts(event: Event) -> bool:
    return (event.event == "contact" and event.outcome == "landed") or event.event in LIFE


def _key(event: Event) -> tuple[str | None, ...]:
    return event.event, event.id, event.attacker, event.target, event.attack


def _what(event: Event) -> str:
    if event.event == "contact":
        return f"{event.attack} of {event.attacker} on {event.target}"
    return f"{event.event} of {event.id}" if event.id else event.event


def _value(event: Event) -> str:
    """What a matched event may differ in."""
    if event.event == "contact":
        return f"landed, damage {written(event.damage)}"
    if event.event == "down" and event.lives is not None:
        return f"down, lives {written(event.lives)}"
    if event.event == "respawn":
        return f"at ({written(event.x)}, {written(event.y)})"
    return event.detail or event.event


class _Contacts:
    """What a ledger has in a frame instead of a hit."""

    def __init__(self, ledger: Ledger) -> None:
        self.of: dict[tuple[str | None, str | None, str | None], list[Event]] = {}
        for event in ledger.of("contact"):
            self.of.setdefault((event.attacker, event.target, event.attack), []).append(event)

    def instead(self, event: Event) -> str:
        """The outcome of the same hit in that frame."""
        if event.event != "contact":
            return f"no {event.event}"
        found: Sequence[Event] = self.of.get((event.attacker, event.target, event.attack), ())
        here = [one for one in found if one.frame <= event.frame <= (one.until or one.frame)]
        return (here[0].outcome or "") if here else "no contact"


def _follow(found: Sequence[tuple[Difference, Event]]) -> list[Difference]:
    touched: dict[str, int] = {}  # the first difference on each actor
    result = []
    for difference, event in found:
        name = event.target or event.id or ""
        since = touched.get(name)
        if since is not None and since < difference.frame and difference.change != "changed":
            difference = Difference(**{**vars(difference), "follows": since})
        elif not name and touched:
            difference = Difference(**{**vars(difference), "follows": min(touched.values())})
        touched.setdefault(name, difference.frame)
        result.append(difference)
    return result


def _provenance(
    rules: Rules, recording: Recording, ledger: Ledger, found: Sequence[tuple[Difference, Event]]
) -> Provenance[Difference]:
    kinds = kinds_of(rules, recording, ledger)
    owned = {event.id for event in ledger.all(SpawnEvent) if event.owner}
    owned |= {actor.id for actor in recording.actors if actor.owner}
    disputed = {id(event) for _, event in found}
    agreed = {id(event) for event in ledger.events if _counts(event)} - disputed
    return Provenance(
        rules,
        ledger,
        lambda name: rules.kinds.get(kinds.get(name, "")),
        lambda name: recording.reactions == "raw" or name not in recording.numbers,
        owned,
        agreed,
        disputed,
    )


def _by_state(found: Sequence[tuple[Difference, Event]], provenance: Provenance[Difference]) -> Iterator[Difference]:
    """Those that read what an earlier one has changed follow from it."""
    for difference, event in sorted(found, key=lambda pair: min(pair[0].frame, pair[0].frame + pair[0].shift)):
        first, last = sorted((difference.frame, difference.frame + difference.shift))
        provenance.go_to(first)
        name = event.id or ""
        if event.event == "contact":
            attack = provenance.rules.attacks.get(event.attack or "")
            reads = provenance.read_by(event.attacker or "", event.target or "", attack)
            kills = provenance.kind_of(event.target or "") is not None
            changes = provenance.changes_of_hit(
                event.attacker or "", event.target or "", event.attack or "", kills=kills
            )
        else:
            pieces: list[Piece] = [("presence", name), ("health", name), ("lives", name)]
            reads = [*pieces, ("run", ALL)]
            changes = [(piece, None) for piece in reads]
        cause = None if difference.change == "changed" else provenance.differences.cause(reads, first, first)
        for piece, lasts in changes:
            provenance.differ(piece, first, FOREVER if lasts is None else last + lasts, cause or difference)
        yield difference if cause is None else replace(difference, follows=cause.frame)
