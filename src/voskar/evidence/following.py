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
    for one in sorted(findings, key=lambda one: (one.frame, one.code not in FIRST, order[one.code])):
        since = max((mark for mark in recording.resets if mark <= one.frame), default=recording.first)
        root = next(_causes(one, changed, since, held), None)
        if root is None:
            roots.append(one)
            root = one
        else:
            follows.setdefault(id(root), []).append(one)
        for name in {one.target, *([one.attacker] if one.code in HITS else [])} - {""}:
            changed.setdefault(name, []).append((one, root))
    return [(root, tuple(follows.get(id(root), ()))) for root in roots]


def _causes(
    one: Finding, changed: Mapping[str, Sequence[tuple[Finding, Finding]]], since: int, held: Held
) -> Iterator[Finding]:
    """The roots that a finding may follow from, the nearest first."""
    codes = CODES[one.code].after
    hangs = one.code not in HITS or (one.why is not None and one.why.gate in (*DEAD_GATES, *GUARD_GATES))
    horizon = held.near if one.code in DEATH else held.windows.widest + 1
    for name in (one.target, one.attacker):
        for earlier, root in reversed(changed.get(name, ())):
            apart = one.frame - earlier.frame
            if earlier.frame < since:
                break
            if earlier.code not in codes:
                continue
            if earlier.code == "still-active":
                yield root  # whatever it does from there on, it should not be there
            elif one.code in HITS:
                if hangs and _links(one, earlier, held.near):
                    yield root
            elif apart <= horizon or (held.resync is None and one.code not in (*REACTIONS, "teleport")):
                yield root
            if held.resync is not None and apart > held.near and earlier.code != "still-active":
                break


def _links(one: Finding, earlier: Finding, near: int) -> bool:
    """Whether a hit may hang on what an earlier one has left behind: its target dead, or guarded for a while. Two
    hits of one frame are two mistakes."""
    if earlier.frame == one.frame or earlier.target != one.target or one.why is None:
        return False
    if one.why.gate in DEAD_GATES:
        return earlier.code != "hit-damage" or one.why.gate != "present"
    return earlier.code in ("hit-missing", "hit-denied") and one.frame - earlier.frame <= near
