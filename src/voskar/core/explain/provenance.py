"""Which findings follow from which: how long game and rules disagree about a piece of state, and how that passes
through the events of a ledger from one piece to another."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection, Iterable, Mapping
from operator import attrgetter
from typing import Generic, NamedTuple, TypeVar

from voskar.core.consequences import consequences_of
from voskar.core.consequences.consequence import table_of
from voskar.core.emitters.gates import GATES as EMITTER_GATES
from voskar.core.judging.gates import GATES
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import ContactEvent, SpawnEvent
from voskar.core.ledger.origin import Origin
from voskar.core.ledger.pieces import ALL, Piece, What, pair
from voskar.core.rules import Attack, Kind, Rules

Cause = TypeVar("Cause")
HIT_GATES = {gate.name: gate for gate in GATES}

Change = tuple[Piece, int | None]
"""A piece, and how many frames it is another for: None until something else changes it."""

SHOWN = 2
"""Frames after a hit within which any reaction begins."""


class Apart(NamedTuple, Generic[Cause]):
    """Frames in which two accounts of a piece differ, and why."""

    first: int
    last: int
    cause: Cause


_FIRST = attrgetter("first")


class Differences(Generic[Cause]):
    """By piece: where game and rules differ."""

    def __init__(self) -> None:
        self._spans: dict[Piece, list[Apart[Cause]]] = {}
        """By where they begin; of those that begin together the first to be added is the last."""

    def __bool__(self) -> bool:
        return bool(self._spans)

    def add(self, piece: Piece, first: int, last: int, cause: Cause) -> None:
        """They differ from one frame to another."""
        if first <= last:
            spans = self._spans.setdefault(piece, [])
            spans.insert(bisect_left(spans, first, key=_FIRST), Apart(first, last, cause))

    def agree(self, pieces: Iterable[Piece], frame: int) -> None:
        """They are seen to agree in a frame: what began before it has ended."""
        for piece in pieces:
            if piece in self._spans:
                kept = [span for span in self._spans[piece] if span.first >= frame]
                if kept:
                    self._spans[piece] = kept
                else:
                    del self._spans[piece]

    def clear(self, kept: Collection[str]) -> None:
        """Everything starts again, except for some kinds of state."""
        self._spans = {piece: spans for piece, spans in self._spans.items() if piece[0] in kept}

    def forget(self, name: str) -> None:
        """An id is another actor's from now on."""
        self._spans = {
            piece: spans
            for piece, spans in self._spans.items()
            if piece[1] != name
            and not piece[1].startswith((f"{name}>", f"{name}/"))
            and not piece[1].endswith(f">{name}")
        }

    def cause(self, pieces: Iterable[Piece], first: int, last: int) -> Cause | None:
        """Why any of some pieces differs in some frames: of several causes the latest."""
        found: Apart[Cause] | None = None
        for piece in pieces:
            spans = self._spans.get(piece, ())
            for at in range(bisect_right(spans, last, key=_FIRST) - 1, -1, -1):
                if found is not None and spans[at].first <= found.first:
                    break
                if first <= spans[at].last:
                    found = spans[at]
                    break
        return None if found is None else found.cause


class Provenance(Generic[Cause]):
    """Goes through a ledger and carries causes on.

    `kind_of` knows the kind of each actor, `is_moved` whether the rules say where it is, `owned` are those that have an
    owner. `agreed` are events that the game logs as the rules do, by `id()`: whatever they read and change is the same
    in both accounts. `disputed` are those that a disagreement is about, which says itself what it changes.
    """

    def __init__(
        self,
        rules: Rules,
        ledger: Ledger,
        kind_of: Callable[[str], Kind | None],
        is_moved: Callable[[str], bool],
        owned: Collection[str],
        agreed: Collection[int],
        disputed: Collection[int],
    ) -> None:
        self.rules, self.ledger, self.kind_of, self.is_moved = rules, ledger, kind_of, is_moved
        self.owned, self.agreed, self.disputed = owned, agreed, disputed
        self.differences: Differences[Cause] = Differences()
        self._at = 0
        self._frame = -1
        self._hit: Cause | None = None
        """Why the last hit of this frame is no hit of the game; None where it is."""
        self._end: Cause | None = None
        """The same of the last death, return or removal for good."""

    def differ(self, piece: Piece, first: int, last: int, cause: Cause) -> None:
        """Notes that two accounts of a piece differ from one frame to another; for an actor that is not there in one of
        them, or cannot act, also the numbers of its shots ever after."""
        self.differences.add(piece, first, last, cause)
        kind = self.kind_of(piece[1]) if piece[0] in ("presence", "stun", "counters") else None
        for emitter in kind.emitters if kind is not None else ():
            self.differences.add(("numbers", f"{piece[1]}/{emitter.name}"), first, FOREVER, cause)

    def go_to(self, frame: int) -> None:
        """Carries on through all events before a frame."""
        events = self.ledger.events
        if not self.differences:  # nothing to carry
            self._at = max(self._at, bisect_left(events, frame, key=lambda event: event.frame))
            return
        while self._at < len(events) and events[self._at].frame < frame:
            self._pass(events[self._at])
            self._at += 1

    def _pass(self, event: Event) -> None:
        if event.frame != self._frame:
            self._frame, self._hit, self._end = event.frame, None, None
        if id(event) in self.disputed:
            self._hit = None
            return
        differences, frame = self.differences, event.frame
        changes = self.changes_of(event)
        cause = None if id(event) in self.agreed else self._cause_of(event)
        if isinstance(event, ContactEvent):
            if event.outcome == "landed":
                self._hit = cause
                if id(event) in self.agreed:
                    differences.agree(self.read_by(event.attacker, event.target, self._attack(event)), frame)
        elif event.event == "adopted":
            self._hit = None  # what it changes was said where the disagreement is
        elif event.event in ("down", "out", "respawn"):
            self._end = cause
        if cause is not None:
            for piece, lasts in changes:
                self.differ(piece, frame, FOREVER if lasts is None else frame + lasts, cause)
        elif id(event) in self.agreed or event.event == "respawn":
            differences.agree([piece for piece, _ in changes], frame)

    def _cause_of(self, event: Event) -> Cause | None:
        """Why an event of the rules is no event of the game."""
        if event.event in ("health", "knockback", "launch", "reflect", "stun", "home", "checkpoint", "counter"):
            return self._hit
        if event.event == "iframes":
            return self._end if event.cause == "respawn" else self._hit
        if event.event in ("score", "over", "won"):
            return self._end or self._hit
        if event.event == "removed" and event.detail == "consumed":
            return self._hit
        return self.differences.cause(self._reads(event), event.frame, event.frame)

    def _reads(self, event: Event) -> list[Piece]:
        """The pieces that an event hangs on."""
        name = event.id or ""
        if isinstance(event, ContactEvent):
            return self.read_by(event.attacker, event.target, self._attack(event))
        if isinstance(event, SpawnEvent):
            return self.read_by_spawn(event.id, event.owner or "", event.emitter or "")
        reads: dict[str, tuple[Piece, ...]] = {
            "down": (("health", name), ("presence", name)),
            "life": (("lives", name), ("presence", name)),
            "out": (("lives", name), ("presence", name)),
            "respawn": (("lives", name), ("presence", name), ("run", ALL)),
            "removed": (("presence", name), ("motion", name), ("run", ALL)),
        }
        return list(reads.get(event.event, ()))

    def _attack(self, event: Event) -> Attack | None:
        return self.rules.attacks.get(event.attack or "")

    def read_by(self, attacker: str, target: str, attack: Attack | None, gate: str | None = None) -> list[Piece]:
        """The state that decides whether a touch of a pair is a hit: all that the gates read, or only one gate."""
        whose = {"attacker": attacker, "target": target, "pair": pair(attacker, target)}
        if gate is not None:
            return self._read(HIT_GATES[gate].reads, whose)
        found: list[Piece] = [("run", ALL), *self.read_of_one(attacker), *self.read_of_one(target)]
        for entry in HIT_GATES.values():
            if attack is None or entry.possible(self.rules, attack):
                found += self._read(entry.reads, whose)
        return found

    def _read(self, reads: Iterable[tuple[What, str]], whose: Mapping[str, str]) -> list[Piece]:
        pieces = [(what, whose[side]) for what, side in reads]
        return [piece for piece in pieces if piece[0] != "motion" or self.is_moved(piece[1])]

    def read_of_one(self, name: str) -> list[Piece]:
        """The state that decides whether an actor is there, and where."""
        origin = Origin.parse(name)
        found: list[Piece] = [("presence", name)]
        if origin is not None and origin.emitter is not None:
            found.append(("numbers", origin.beginning))
        return [*found, ("motion", name)] if self.is_moved(name) else found

    def read_by_spawn(self, name: str, owner: str, emitter: str) -> list[Piece]:
        """The state that decides whether an actor appears, and where."""
        origin = Origin.parse(name)
        found: list[Piece] = [("run", ALL), *self.read_of_one(owner)]
        if emitter:
            gun = f"{owner}/{emitter}"
            for gate in EMITTER_GATES:
                found += self._read(gate.reads, {"owner": owner, "emitter": gun})
            return [*found, ("numbers", gun)]
        if origin is not None:
            found += [("children", origin.parent), ("children", origin.beginning)]
        return found

    def changes_of(self, event: Event) -> list[Change]:
        """The state that an event changes, and for how long."""
        name = event.id or ""
        if isinstance(event, ContactEvent):
            attack = self._attack(event) if event.outcome == "landed" else None
            if attack is None:
                return []
            return self._rehits(attack, event.attacker, event.target)
        lasting = event.until - event.frame + 2 if event.until is not None else None
        found: list[Change] = []
        for what in event.changes:
            whose = ALL if what in ("score", "run") else name
            ends = {"motion": lasting, "iframes": lasting, "stun": lasting, "children": 1}
            found.append(((what, whose), ends.get(what)))
        if isinstance(event, SpawnEvent) and event.emitter:
            found += self.changes_of_emitter(event.owner or "", event.emitter)
        return found

    def changes_of_emitter(self, owner: str, name: str) -> list[Change]:
        """The state that a shot changes: its emitter may not fire for the cooldown and, under a limit, while its shots
        are there, nor may another emitter of the limit group."""
        kind = self.kind_of(owner)
        own = [emitter for emitter in kind.emitters if emitter.name == name] if kind is not None else []
        lasts = None if not own or own[0].limit is not None else own[0].cooldown - 1
        found: list[Change] = [(("emitter", f"{owner}/{name}"), lasts)]
        return [*found, (("emitter", owner), None)] if own and own[0].limit_group is not None else found

    def changes_of_hit(self, attacker: str, target: str, name: str, *, kills: bool) -> list[Change]:
        """The state that a hit of an attack changes; of an unknown attack, that of any attack of the attacker."""
        kind, victim = self.kind_of(attacker), self.kind_of(target)
        known = [box.attack for box in kind.boxes if box.role == "hitbox"] if kind is not None else []
        names = [name] if name in self.rules.attacks else sorted({attack for attack in known if attack})
        found: list[Change] = [(("health", target), None), (("motion", target), SHOWN), (("motion", attacker), SHOWN)]
        if kills and victim is not None:
            found += [(("presence", target), None), (("lives", target), None), (("children", target), 1)]
            found += [(("score", ALL), None), (("run", ALL), None)] if victim.down.worth or victim.lives else []
        for attack in (self.rules.attacks[text] for text in names):
            found += self._rehits(attack, attacker, target)
            for side, consequence in consequences_of(attack, self.rules):
                who = attacker if side == "attacker" else target
                whose, table = self.kind_of(who), table_of(attack, side)
                if whose is not None:
                    if consequence.changes == "children":
                        who = f"effect+{table.spawn}"
                    elif consequence.changes == "run":
                        who = ALL
                    found.append(((consequence.changes, who), consequence.lasts(table, whose)))
        return found

    def _rehits(self, attack: Attack, attacker: str, target: str) -> list[Change]:
        """The hits that a hit keeps from landing: the same attack again, and others if it may land on few targets a
        swing."""
        found: list[Change] = [
            (("rehit", pair(attacker, target)), self._rehit(attack, self.kind_of(attacker), attacker))
        ]
        return [*found, (("rehit", attacker), None)] if attack.max_targets is not None else found

    def _rehit(self, attack: Attack, kind: Kind | None, attacker: str) -> int | None:
        """How long a hit keeps the same attack from landing again: None until its swing is over."""
        if attack.rehit is None:
            return None if attacker in self.owned or (kind is not None and kind.timed(attack.name)) else 0
        return {"once": None, "after": attack.rehit.frames - 1}.get(attack.rehit.mode, 0)
