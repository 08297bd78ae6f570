"""One mistake, one finding: what only follows from an earlier disagreement is folded into it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from voskar.evidence.finding import CODES, DEATH, HITS, REACTIONS, Finding
from voskar.evidence.held import Held

FIRST = ("still-active", "respawn-late", "down-short")
"""Who is there at all comes before what anybody does in a frame."""
DEAD_GATES = ("play", "down", "present", "consumed")
GUARD_GATES = ("immune", "repeat")
"""Gates that hang on what hits before have left behind: for good, and for a while."""


def folded(findings: Sequence[Finding], held: Held) -> list[tuple[Finding, tuple[Finding, ...]]]:
    """The roots in frame order, each with what follows from it. A mark ends what follows, and so does what was taken
    over from the game."""
    recording = held.recording
    roots: list[Finding] = []
    follows: dict[int, list[Finding]] = {}
    changed: dict[str, list[tuple[Finding, Finding]]] = {}
    """By actor what was told of it so far, each with its root."""
    order = {code: place for place, code in enumerate(CODES)}
    for finding in sorted(
        findings, key=lambda finding: (finding.frame, finding.code not in FIRST, order[finding.code])
    ):
        since = max((mark for mark in recording.resets if mark <= finding.frame), default=recording.first)
        root = next(_causes(finding, changed, since, held), None)
        if root is None:
            roots.append(finding)
            root = finding
        else:
            follows.setdefault(id(root), []).append(finding)
        for name in {finding.target, *([finding.attacker] if finding.code in HITS else [])} - {""}:
            changed.setdefault(name, []).append((finding, root))
    return [(root, tuple(follows.get(id(root), ()))) for root in roots]


def _causes(
    finding: Finding, changed: Mapping[str, Sequence[tuple[Finding, Finding]]], since: int, held: Held
) -> Iterator[Finding]:
    """The roots that a finding may follow from, the nearest first."""
    codes = CODES[finding.code].after
    hangs = finding.code not in HITS or (finding.why is not None and finding.why.gate in (*DEAD_GATES, *GUARD_GATES))
    horizon = held.near if finding.code in DEATH else held.windows.widest + 1
    for name in (finding.target, finding.attacker):
        for earlier, root in reversed(changed.get(name, ())):
            apart = finding.frame - earlier.frame
            if earlier.frame < since:
                break
            if earlier.code not in codes:
                continue
            if earlier.code == "still-active":
                yield root  # whatever it does from there on, it should not be there
            elif finding.code in HITS:
                if hangs and _links(finding, earlier, held.near):
                    yield root
            elif apart <= horizon or (held.resync is None and finding.code not in (*REACTIONS, "teleport")):
                yield root
            if held.resync is not None and apart > held.near and earlier.code != "still-active":
                break


def _links(finding: Finding, earlier: Finding, near: int) -> bool:
    """Whether a hit may hang on what an earlier one has left behind: its target dead, or guarded for a while. Two
    hits of one frame are two mistakes."""
    if earlier.frame == finding.frame or earlier.target != finding.target or finding.why is None:
        return False
    if finding.why.gate in DEAD_GATES:
        return earlier.code != "hit-damage" or finding.why.gate != "present"
    return earlier.code in ("hit-missing", "hit-denied") and finding.frame - earlier.frame <= near
