"""One mistake, one finding: what only follows from an earlier disagreement is folded into it.

A finding reads pieces of state; an earlier one has left game and rules with different accounts of some pieces, which
the events of the ledger carry on. What reads a piece while the accounts differ follows from the cause of that.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterable, Sequence
from itertools import groupby

from voskar.core.boxes import FormedBox
from voskar.core.explain.provenance import HIT_GATES, SHOWN, Change, Provenance
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger.events import SpawnEvent
from voskar.core.ledger.pieces import ALL, Piece
from voskar.evidence.finding import CODES, HITS, Finding
from voskar.evidence.held import Held

THERE, HIT, THEN, LAST = range(4)
"""Within a frame: presence, then hits, then everything else; hits of one frame do not follow from each other."""
PRESENCE = (
    "unknown-actor",
    "still-active",
    "respawn-late",
    "down-short",
    "spawn-moved",
    "spawn-missing",
    "spawn-unexpected",
)
LASTING = ("lives", "score", "counters")
"""State that continues behind a mark that begins the room again."""
EVERYONES = ("score", "run")
SHORT = ("motion",)
"""State that shows at once."""

Root = tuple[Finding, tuple[Finding, ...]]


def folded(findings: Sequence[Finding], held: Held, agreed: Collection[int]) -> list[Root]:
    """The roots in frame order, each with what follows from it; of those of one frame first the ones from which
    something follows. `agreed` are the events, by `id()`, that the game logs as the rules do."""
    if not findings:
        return []
    return _Folding(held, agreed, findings).of(findings)


class _Folding:
    def __init__(self, held: Held, agreed: Collection[int], findings: Sequence[Finding]) -> None:
        self.held, self.rules, self.recording = held, held.rules, held.recording
        owned = {event.id for event in held.ledger.all(SpawnEvent) if event.owner}
        owned |= {actor.id for actor in held.recording.actors if actor.owner}
        disputed = {id(finding.hit) for finding in findings if finding.hit is not None}
        self.provenance: Provenance[Finding] = Provenance(
            held.rules, held.ledger, held.kind_of, self._is_moved, owned, agreed, disputed
        )
        begins: list[tuple[int, str | None]] = [(mark, None) for mark in held.recording.resets]
        begins += [(frame, name) for name, course in held.course.courses.items() for frame in course.renewals]
        self._begins = deque(sorted(begins, key=lambda begin: begin[0]))
        """The frames of marks, and those in which an id becomes another actor's."""

    def _is_moved(self, name: str) -> bool:
        return self.recording.reactions == "raw" or name not in self.recording.numbers

    def of(self, findings: Sequence[Finding]) -> list[Root]:
        order = {code: place for place, code in enumerate(CODES)}
        ordered = sorted(
            findings, key=lambda entry: (entry.first, _phase(entry), order[entry.code], not entry.target, entry.frame)
        )
        follows: dict[int, list[Finding]] = {}
        roots: list[Finding] = []
        for (frame, phase), alike in groupby(ordered, key=lambda entry: (entry.first, _phase(entry))):
            while self._begins and self._begins[0][0] <= frame:
                self._begin_again(*self._begins.popleft())
            self.provenance.go_to(frame + 1 if phase >= THEN else frame)
            if phase == HIT:  # they happen at once
                causes = [(finding, self._cause(finding)) for finding in alike]
            else:
                causes = []
                for finding in alike:
                    causes.append((finding, self._cause(finding)))
                    self._changes(*causes[-1])
            for finding, cause in causes:
                if phase == HIT:
                    self._changes(finding, cause)
                if cause is None:
                    roots.append(finding)
                else:
                    follows.setdefault(id(cause), []).append(finding)
        roots.sort(key=lambda root: (root.first, id(root) not in follows, _phase(root), order[root.code]))
        return [(root, tuple(follows.get(id(root), ()))) for root in roots]

    def _begin_again(self, frame: int, name: str | None) -> None:
        self.provenance.go_to(frame)
        if name is not None:
            self.provenance.differences.forget(name)
        else:
            self.provenance.differences.clear(LASTING if self.recording.resets[frame] == "room" else ())

    def _cause(self, finding: Finding) -> Finding | None:
        """The root that a finding follows from; None if it is one."""
        around = self.held.windows.widest
        self._see(finding)
        return self.provenance.differences.cause(self._read(finding), finding.first - around, finding.first + around)

    def _see(self, finding: Finding) -> None:
        """Looks at the logged health and lives right before: where they are as in the rules, earlier differences do not
        matter."""
        row = self.recording.row(finding.target, finding.first - 1) if finding.target else None
        course = self.held.course.courses.get(finding.target)
        if row is None or course is None:
            return
        poses, frame = self.recording.poses, finding.first - 1
        for what, shown, steps in (("health", poses.health, course.health), ("lives", poses.lives, course.lives)):
            value = steps.now(frame)
            if value is not None and abs(float(shown[row]) - value) < 1e-6:
                self.provenance.differences.agree([(what, finding.target)], frame)  # type: ignore[list-item]

    def _read(self, finding: Finding) -> Iterable[Piece]:
        """The pieces that a finding hangs on."""
        code = CODES[finding.code]
        if finding.code in HITS:
            return self._read_by_hit(finding)
        if code.about == "spawn":
            name = finding.hit.id if finding.hit is not None else finding.target
            emitter = finding.emitter.rpartition("/")[2]
            return self.provenance.read_by_spawn(name or "", finding.attacker, emitter)
        names = [finding.target] if finding.target else [name for name in self.held.kinds if self._lives(name)]
        return [(what, ALL if what in EVERYONES else name) for what in code.reads for name in names]

    def _lives(self, name: str) -> bool:
        kind = self.held.kind_of(name)
        return kind is not None and kind.lives is not None

    def _read_by_hit(self, finding: Finding) -> Iterable[Piece]:
        attacker, target = finding.attacker, finding.target
        gate = finding.why.gate if finding.why is not None and finding.frame == finding.first else None
        if finding.code in ("hit-damage", "hit-attack", "hit-case"):
            return ()
        if gate in HIT_GATES:
            return self.provenance.read_by(attacker, target, None, gate)
        if gate == "run":
            return [("run", ALL)]
        if gate in ("present", "play", "open", "touch"):
            return [piece for name in (attacker, target) for piece in self.provenance.read_of_one(name)]
        if gate in ("own", "boxes", "layers"):
            return ()
        name = finding.hit.attack if finding.hit is not None else finding.claim.attack if finding.claim else None
        return self.provenance.read_by(attacker, target, self.rules.attacks.get(name or ""))

    def _changes(self, finding: Finding, cause: Finding | None) -> None:
        """Notes what game and rules have different accounts of from a finding on."""
        root, first, last = cause or finding, finding.first, finding.last
        add = self.provenance.differ
        if finding.code in ("hit-moved", "spawn-moved"):
            for piece, lasts in self._changed(finding):  # one account begins earlier, the other ends later
                if lasts is None or piece[0] in SHORT:
                    add(piece, first, last + (lasts or 0), root)
                elif piece[0] == "emitter" and self._is_held(finding):
                    add(piece, first, last + lasts + 1, root)  # when it fires next is counted from this shot
                else:
                    add(piece, first, last, root)
                    add(piece, first + lasts + 1, last + lasts, root)
            return
        for piece, lasts in self._changed(finding):
            add(piece, first, FOREVER if lasts is None else last + lasts, root)

    def _is_held(self, finding: Finding) -> bool:
        """Whether a shot comes from an emitter that fires as long as a button is held."""
        owner, _, name = finding.emitter.rpartition("/")
        kind = self.held.kind_of(owner)
        own = [emitter for emitter in kind.emitters if emitter.name == name] if kind is not None else []
        return bool(own) and own[0].when.on == "hold"

    def _changed(self, finding: Finding) -> list[Change]:
        code = CODES[finding.code]
        if finding.code in HITS:
            attack = finding.hit.attack if finding.hit is not None else finding.claim.attack if finding.claim else None
            if finding.code in ("hit-damage", "hit-attack"):
                return [(("health", finding.target), None)]
            kills = self._kills(finding)
            return self.provenance.changes_of_hit(finding.attacker, finding.target, attack or "", kills=kills)
        if code.about == "spawn":
            found: list[Change] = [(("presence", finding.target), None), (("motion", finding.target), None)]
            owner, _, emitter = finding.emitter.rpartition("/")
            if emitter and finding.code not in ("spawn-place", "spawn-direction"):
                found += self.provenance.changes_of_emitter(owner, emitter)
            if finding.code == "spawn-missing" and finding.hit is not None:
                found += [(("health", name), None) for name in self._victims(finding.hit.kind or "")]
            return found
        return [
            ((what, ALL if what in EVERYONES else finding.target), SHOWN if what in SHORT else None)
            for what in code.changes
        ]

    def _victims(self, kind: str) -> Iterable[str]:
        """The actors that a kind may have hit if it had been shown."""
        boxes = self.held.catalog.by_kind
        struck = {
            other
            for other, own in boxes.items()
            if any(self.held.catalog.meets(hit, hurt) for hit in boxes[kind] for hurt in own if _are_sides(hit, hurt))
        }
        return [name for name, own in self.held.kinds.items() if own in struck]

    def _kills(self, finding: Finding) -> bool:
        """Whether a hit would take all the health that is left."""
        course = self.held.course.courses.get(finding.target)
        health = None if course is None else course.health.now(finding.first - 1)
        damages = [
            entry.damage for entry in (finding.claim, finding.hit) if entry is not None and entry.damage is not None
        ]
        names = [
            entry.attack
            for entry in (finding.claim, finding.hit)
            if entry is not None and entry.attack in self.rules.attacks
        ]
        damages += [self.rules.attacks[name or ""].damage for name in names]
        return health is not None and health <= max(damages, default=0.0)


def _phase(finding: Finding) -> int:
    if finding.code == "display":
        return LAST
    return THERE if finding.code in PRESENCE else HIT if finding.code in HITS else THEN


def _are_sides(hit: FormedBox, hurt: FormedBox) -> bool:
    return hit.box.role == "hitbox" and hurt.box.role == "hurtbox"
