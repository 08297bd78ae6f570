"""Findings in words."""

from __future__ import annotations

from voskar.core.ledger import Event
from voskar.evidence.finding import CODES, Finding
from voskar.words import counted

WORDS = {code: entry.words for code, entry in CODES.items()}
"""The name of each code of a finding where findings are counted."""


def accounts(finding: Finding) -> tuple[str, str]:
    """The game's account and the rules', each in one sentence."""
    pair = f"{finding.attacker or 'an actor'} hits {finding.target or 'an actor'}"
    gate = f"{finding.why.gate}: {finding.why.sentence}" if finding.why else ""
    match finding.code:
        case "hit-moved":
            direction = "later" if finding.shift > 0 else "earlier"
            frame = finding.hit.frame if finding.hit else 0
            apart = f"{_frames(abs(finding.shift))} {direction}"
            return pair, f"lands in {frame}, {apart}; in {_gate_frame(finding)} {gate}"
        case "hit-denied":
            there = finding.why.frame if finding.why else finding.frame
            return pair, gate if there == finding.frame else f"in {there} {gate}"
        case "hit-missing":
            hit = finding.hit
            boxes = f"{hit.hitbox} on {hit.hurtbox}" if hit else ""
            return "no such hit logged", f"{pair}: landed, {boxes}"
        case "hit-damage" | "hit-attack" | "hit-case":
            what = finding.code.removeprefix("hit-")
            return f"{pair}, {what} {finding.game}", f"{what} {finding.rules}"
        case "hit-health":
            return f"{pair}, and leaves health {finding.game}", f"health {finding.rules}"
        case "hit-place":
            return f"{pair} at {finding.game}", f"the two boxes meet about {finding.rules}"
        case "knockback" | "launch" | "home" | "reflect":
            return f"{finding.target} {finding.game}", f"{finding.rules}, by the hit in {finding.frame}"
    if CODES[finding.code].about == "spawn":
        return finding.game, finding.rules
    return f"{finding.target} {finding.game}".strip(), f"{finding.target} {finding.rules}".strip()


def question(finding: Finding) -> list[str]:
    """The arguments of `voskar why` that list the gates, or the state, behind a finding."""
    about = CODES[finding.code].about
    if about == "hit" and finding.attacker and finding.target:
        frame = finding.why.frame if finding.why is not None else finding.frame
        return _pair(frame, finding.attacker, finding.target)
    if about == "spawn":
        asked = ["--emitter", finding.emitter] if finding.emitter else ["--actor", finding.target]
        return ["--frame", str(finding.frame), *asked]
    return ["--frame", str(finding.frame), *(["--actor", finding.target] if finding.target else [])]


def question_of(event: Event) -> list[str] | None:
    """The same for an event of the ledger; None if it is no actor's."""
    if event.attacker and event.target:
        return _pair(event.frame, event.attacker, event.target)
    return ["--frame", str(event.frame), "--actor", event.id] if event.id else None


def _pair(frame: int, attacker: str, target: str) -> list[str]:
    return ["--frame", str(frame), "--attacker", attacker, "--target", target]


def _frames(count: int) -> str:
    return counted(count, "frame")


def _gate_frame(finding: Finding) -> int:
    return finding.why.frame if finding.why is not None else finding.frame
