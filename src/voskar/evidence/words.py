"""Findings in words."""

from __future__ import annotations

from voskar.core.ledger import Event
from voskar.evidence.claims import Finding

WORDS = {
    "moved": "at another frame",
    "denied": "denied by the rules",
    "unclaimed": "never claimed by the game",
    "damage": "with other damage",
    "attack": "with another attack",
    "knockback": "knockback not shown",
    "rebound": "rebound not shown",
    "home": "way home not shown",
    "spawn-moved": "spawned at another frame",
    "spawn-missing": "foretold and not shown",
    "spawn-unfired": "shown and not fired",
    "spawn-place": "spawned at another place",
    "spawn-direction": "spawned in another direction",
    "health": "with other health",
    "lives": "with other lives",
    "walks": "moving while down",
    "acts": "acting while down",
    "clip": "with the death clip wrong",
    "seen": "seen while down",
    "respawn-place": "back at another place",
    "respawn-late": "back late",
    "cut-short": "cut short",
    "told-moved": "told in another frame",
    "told-denied": "told and not so",
    "told-untold": "not told",
}
"""What each sort of finding is called where they are counted."""


def accounts(finding: Finding) -> tuple[str, str]:
    """What the game says and what the rules say, each in one sentence."""
    blow = f"{finding.striker or 'somebody'} hits {finding.target or 'somebody'}"
    gate = f"{finding.why.gate}: {finding.why.sentence}" if finding.why else ""
    match finding.sort:
        case "moved":
            direction = "later" if finding.shift > 0 else "earlier"
            frame = finding.landing.frame if finding.landing else 0
            apart = f"{_frames(abs(finding.shift))} {direction}"
            return blow, f"lands in {frame}, {apart}; in {finding.frame} {gate}"
        case "denied":
            return blow, gate
        case "unclaimed":
            landing = finding.landing
            boxes = f"{landing.hitbox} on {landing.hurtbox}" if landing else ""
            return "tells no such hit", f"{blow}: landed, {boxes}"
        case "knockback" | "rebound" | "home":
            return f"{finding.target} {finding.game}", f"{finding.rules}, by the blow in {finding.frame}"
        case "spawn-moved" | "spawn-missing" | "spawn-unfired" | "spawn-place" | "spawn-direction":
            return finding.game, finding.rules
        case "told-moved" | "told-denied" | "told-untold":
            return f"{finding.target} {finding.game}", f"{finding.target} {finding.rules}"
        case "health" | "lives" | "walks" | "acts" | "clip" | "seen" | "respawn-place" | "respawn-late" | "cut-short":
            return f"{finding.target} {finding.game}", f"{finding.target} {finding.rules}"
        case "damage" | "attack":
            return f"{blow}, {finding.sort} {finding.game}", f"{finding.sort} {finding.rules}"


def question(finding: Finding) -> list[str]:
    """What to ask `voskar why`, so that it tells the gates, or the state, behind a finding."""
    match finding.sort:
        case "moved" | "denied" | "unclaimed" | "damage" | "attack":
            return _pair(finding.frame, finding.striker, finding.target)
        case "spawn-moved" | "spawn-missing" | "spawn-unfired" | "spawn-place" | "spawn-direction":
            asked = ["--emitter", finding.emitter] if finding.emitter else ["--actor", finding.target]
            return ["--frame", str(finding.frame), *asked]
        case _:
            return ["--frame", str(finding.frame), "--actor", finding.target]


def question_of(event: Event) -> list[str] | None:
    """The same for an event of the ledger; None if it is nobody's."""
    if event.striker and event.target:
        return _pair(event.frame, event.striker, event.target)
    return ["--frame", str(event.frame), "--actor", event.id] if event.id else None


def _pair(frame: int, striker: str, target: str) -> list[str]:
    return ["--frame", str(frame), "--striker", striker, "--target", target]


def _frames(count: int) -> str:
    return f"{count} frame{'' if count == 1 else 's'}"
