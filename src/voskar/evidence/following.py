"""One mistake, one finding: what only follows from an earlier disagreement is folded into it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from voskar.core.recording import Recording
from voskar.evidence.finding import CODES, Finding

BLOWS = ("moved", "denied", "unclaimed", "damage", "attack")
DEATH = ("walks", "acts", "clip", "seen", "gone-early", "respawn-place", "respawn-late", "cut-short")
TOLD = ("told-moved", "told-denied", "told-untold", "told-other")
DEAD_GATES = ("play", "down", "present", "spent")
GUARD_GATES = ("immune", "repeat")
"""Gates that hang on what blows before have left behind: for good, and for a while."""
DEPENDS: Mapping[str, tuple[str, ...]] = (
    {"health": BLOWS, "immune": BLOWS, "stunned": BLOWS, "hit-health": (*BLOWS, "health"), "still-there": BLOWS}
    | dict.fromkeys(("lives", *TOLD), (*BLOWS, "health"))
    | dict.fromkeys(DEATH, (*BLOWS, "health", *TOLD, "lives"))
    | {"display": (*BLOWS, "health", "lives", *TOLD)}
    | dict.fromkeys(("knockback", "rebound", "home", "jump"), BLOWS)
    | dict.fromkeys(BLOWS, (*BLOWS, "health", "still-there"))
)
"""From which sorts, told of the same actor before, a sort may follow."""


def folded(
    findings: Sequence[Finding], recording: Recording, within: int, near: int
) -> list[tuple[Finding, tuple[Finding, ...]]]:
    """The roots in frame order, each with what follows from it. A mark ends what follows."""
    roots: list[Finding] = []
    follows: dict[int, list[Finding]] = {}
    changed: dict[str, list[tuple[Finding, Finding]]] = {}
    """By actor what was told of it so far, each with its root."""
    order = {code: place for place, code in enumerate(CODES)}
    for one in sorted(findings, key=lambda one: (one.frame, order[one.sort])):
        since = max((mark for mark in recording.resets if mark <= one.frame), default=recording.first)
        root = next(_causes(one, changed, since, within, near), None)
        if root is None:
            roots.append(one)
            root = one
        else:
            follows.setdefault(id(root), []).append(one)
        for name in {one.target, *([one.striker] if one.sort in BLOWS else [])} - {""}:
            changed.setdefault(name, []).append((one, root))
    return [(root, tuple(follows.get(id(root), ()))) for root in roots]


def _causes(
    one: Finding, changed: Mapping[str, Sequence[tuple[Finding, Finding]]], since: int, within: int, near: int
) -> Iterator[Finding]:
    """The roots that a finding may follow from, the nearest first."""
    sorts = DEPENDS.get(one.sort, ())
    if one.sort in BLOWS and (one.why is None or one.why.gate not in (*DEAD_GATES, *GUARD_GATES)):
        return
    for name in (one.target, one.striker):
        for earlier, root in reversed(changed.get(name, ())):
            if earlier.frame < since or earlier.sort not in sorts:
                continue
            if one.sort in BLOWS and not _links(one, earlier, near):
                continue
            if one.sort in ("knockback", "rebound", "home", "jump") and abs(one.frame - earlier.frame) > within + 1:
                continue
            yield root


def _links(one: Finding, earlier: Finding, near: int) -> bool:
    """Whether a blow may hang on what an earlier one has left behind: its target dead, or guarded for a while. Two
    blows of one frame are two mistakes."""
    if earlier.frame == one.frame or earlier.target != one.target or one.why is None:
        return False
    if one.why.gate in DEAD_GATES:
        return earlier.sort != "damage" or one.why.gate != "present"
    return earlier.sort in ("unclaimed", "denied") and one.frame - earlier.frame <= near
