"""Findings of one cause told once: an off-by-one in all i-frames, another damage, everything late by one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from voskar.core.recording import Recording
from voskar.evidence.finding import Finding
from voskar.evidence.words import WORDS

LEAST = 3
"""So many findings alike make a pattern."""


@dataclass(frozen=True)
class Pattern:
    """Findings alike: what they have in common, in words, and which they are."""

    text: str
    findings: tuple[Finding, ...]

    @property
    def frames(self) -> tuple[int, ...]:
        """Where they are."""
        return tuple(finding.frame for finding in self.findings)


Key = tuple[str, int, str, str, str, str]


def causes(findings: Sequence[Finding], recording: Recording) -> list[Pattern]:
    """Findings alike, in the order of their first frames; each finding is in one group, if need be alone.

    A shift that all claims of one event told in another frame share, whatever their gates and their actors, is one
    pattern if they are most of what the game claims of it: everything is late, or early.
    """
    kinds = {actor.id: actor.kind for actor in recording.actors}
    moved = [finding for finding in findings if finding.code == "hit-moved"]
    shifts = Counter(finding.shift for finding in moved)
    found: list[Pattern] = []
    gates = {_gate(finding) for finding in moved}
    claimed = sum(claim.event == "hit" for claim in recording.claims)
    most = len(moved) >= LEAST and 3 * len(moved) >= 2 * claimed
    if most and len(shifts) == 1 and (len(gates) > 1 or gates == {""}):
        found.append(Pattern(_all_late("hit", next(iter(shifts))), tuple(moved)))
        findings = [finding for finding in findings if finding.code != "hit-moved"]
    told: dict[str, list[Finding]] = {}
    for finding in findings:
        if finding.code == "event-moved" and finding.claim is not None:
            told.setdefault(finding.claim.event, []).append(finding)
    for event, some in told.items():
        claimed = sum(claim.event == event for claim in recording.claims)
        if len(some) >= LEAST and 3 * len(some) >= 2 * claimed and len({one.shift for one in some}) == 1:
            found.append(Pattern(_all_late(event, some[0].shift), tuple(some)))
            findings = [finding for finding in findings if finding not in some]
    groups: dict[Key, list[Finding]] = {}
    for finding in findings:
        groups.setdefault(_key(finding, kinds), []).append(finding)
    found += [Pattern(_words(key), tuple(some)) for key, some in groups.items()]
    return sorted(found, key=lambda pattern: pattern.frames)


def _all_late(event: str, shift: int) -> str:
    late = f"{_frames(shift)} {'early' if shift > 0 else 'late'}"
    return f"every {event} that the game tells in another frame is {late}: its log, or its order"


def _gate(finding: Finding) -> str:
    """What held the hit back where game and rules differ; i-frames that the hit itself gave held nothing back."""
    gate = finding.why.gate if finding.why is not None else ""
    if finding.code == "hit-moved" and (finding.drift or gate == "immune"):
        return "immune" if finding.drift else ""
    return gate


def _key(finding: Finding, kinds: dict[str, str]) -> Key:
    """What findings of one cause have in common."""
    attacker, target = (kinds.get(name, name) for name in (finding.attacker, finding.target))
    attack = finding.hit.attack if finding.hit is not None and finding.hit.attack else ""
    gate = _gate(finding)
    if finding.code == "hit-moved" and gate == "immune":
        return finding.code, finding.drift, gate, "", target, ""
    if finding.code in ("hit-damage", "hit-attack"):
        return finding.code, 0, f"{finding.game}, not {finding.rules}", attacker, "", attack
    if finding.code in ("event-moved", "event-denied", "event-missing"):
        return finding.code, finding.shift, finding.game.split(" in ")[0], "", target, ""
    if finding.code == "box-moved":
        return finding.code, 0, finding.game.split(" and ")[0], "", target, ""
    return finding.code, finding.shift, gate, attacker, target, attack


def _frames(shift: int) -> str:
    return "1 frame" if abs(shift) == 1 else f"{abs(shift)} frames"


def _words(key: Key) -> str:
    code, shift, gate, attacker, target, attack = key
    late = f"{_frames(shift)} {'early' if shift > 0 else 'late'}" if shift else ""
    if code == "hit-moved" and gate == "immune":
        return f"i-frames of {target} end {_frames(shift)} {'too soon' if shift > 0 else 'too late'} in the game"
    if code == "hit-moved":
        return f"{attacker}'s hits on {target} come {late}" + (f" ({gate})" if gate else "")
    if code == "hit-denied":
        return f"{attacker}'s hits on {target} are counted though the rules deny them: {gate}"
    if code == "hit-missing":
        return f"{attacker}'s {attack} lands on {target} and the game never tells"
    if code in ("hit-damage", "hit-attack"):
        return f"{code.removeprefix('hit-')} of {attacker}'s {attack} is told as {gate}"
    if code == "box-moved":
        return f"{target}'s {gate} in the game: its `at` in the rulebook, or the game's own"
    if code.startswith("event-"):
        return f"{target} {gate} {late}".rstrip() + (", and the rules have none" if code == "event-denied" else "")
    return f"{target}: {WORDS[code]}" + (f", {late}" if late else "")
