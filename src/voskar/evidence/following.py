"""One mistake, one finding: what only follows from an earlier disagreement is folded into it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from voskar.evidence.finding import CODES, Finding
from voskar.evidence.held import Held

BLOWS = ("moved", "denied", "unclaimed", "damage", "attack")
DEATH = ("walks", "acts", "clip", "seen", "gone-early", "respawn-place", "respawn-late", "cut-short")
REACTIONS = ("knockback", "rebound", "home", "unordered")
FIRST = ("still-there", "respawn-late", "gone-early")
"""Who is there at all comes before what anybody does in a frame."""
TOLD = ("told-moved", "told-denied", "told-untold", "told-other")
DEAD_GATES = ("play", "down", "present", "spent")
GUARD_GATES = ("immune", "repeat")
"""Gates that hang on what blows before have left behind: for good, and for a while."""
DEPENDS: Mapping[str, tuple[str, ...]] = (
    {"health": BLOWS, "immune": BLOWS, "stunned": BLOWS, "hit-health": (*BLOWS, "health"), "still-there": BLOWS}
    | dict.fromkeys(("lives", *TOLD), (*BLOWS, "health"))
    | dict.fromkeys(DEATH, (*BLOWS, "health", *TOLD, "lives"))
    | {"display": (*BLOWS, "health", "lives", *TOLD)}
    | dict.fromkeys(("path", "life-long", "life-short", "past-edge"), ("still-there",))
    | dict.fromkeys(("spawn-unfired", "spawn-missing", "spawn-moved"), (*DEATH, *TOLD, "still-there"))
    | dict.fromkeys(REACTIONS, BLOWS)
    | {"jump": (*BLOWS, *REACTIONS)}
    | dict.fromkeys(BLOWS, (*BLOWS, "health", "still-there"))
)
"""From which sorts, told of the same actor before, a sort may follow."""


def folded(findings: Sequence[Finding], held: Held) -> list[tuple[Finding, tuple[Finding, ...]]]:
    """The roots in frame order, each with what follows from it. A mark ends what follows, and so does what was taken
    over from the game."""
    recording = held.recording
    roots: list[Finding] = []
    follows: dict[int, list[Finding]] = {}
    changed: dict[str, list[tuple[Finding, Finding]]] = {}
    """By actor what was told of it so far, each with its root."""
    order = {code: place for place, code in enumerate(CODES)}
    for one in sorted(findings, key=lambda one: (one.frame, one.sort not in FIRST, order[one.sort])):
        since = max((mark for mark in recording.resets if mark <= one.frame), default=recording.first)
        root = next(_causes(one, changed, since, held), None)
        if root is None:
            roots.append(one)
            root = one
        else:
            follows.setdefault(id(root), []).append(one)
        for name in {one.target, *([one.striker] if one.sort in BLOWS else [])} - {""}:
            changed.setdefault(name, []).append((one, root))
    return [(root, tuple(follows.get(id(root), ()))) for root in roots]


def _causes(
    one: Finding, changed: Mapping[str, Sequence[tuple[Finding, Finding]]], since: int, held: Held
) -> Iterator[Finding]:
    """The roots that a finding may follow from, the nearest first."""
    sorts = DEPENDS.get(one.sort, ())
    hangs = one.sort not in BLOWS or (one.why is not None and one.why.gate in (*DEAD_GATES, *GUARD_GATES))
    horizon = held.near if one.sort in DEATH else held.windows.widest + 1
    for name in (one.target, one.striker):
        for earlier, root in reversed(changed.get(name, ())):
            apart = one.frame - earlier.frame
            if earlier.frame < since:
                break
            if earlier.sort not in sorts:
                continue
            if earlier.sort == "still-there":
                yield root  # whatever it does from there on, it should not be there
            elif one.sort in BLOWS:
                if hangs and _links(one, earlier, held.near):
                    yield root
            elif apart <= horizon or (held.resync is None and one.sort not in (*REACTIONS, "jump")):
                yield root
            if held.resync is not None and apart > held.near and earlier.sort != "still-there":
                break


def _links(one: Finding, earlier: Finding, near: int) -> bool:
    """Whether a blow may hang on what an earlier one has left behind: its target dead, or guarded for a while. Two
    blows of one frame are two mistakes."""
    if earlier.frame == one.frame or earlier.target != one.target or one.why is None:
        return False
    if one.why.gate in DEAD_GATES:
        return earlier.sort != "damage" or one.why.gate != "present"
    return earlier.sort in ("unclaimed", "denied") and one.frame - earlier.frame <= near
