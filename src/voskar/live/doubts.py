"""Findings that are not believed of a look that does not begin where the run does."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence

from voskar.core.recording import Recording
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.following import Root
from voskar.explaining.tried import Mark, mark

What = tuple[str, str]
"""A code, and the kind of the actor that a finding is about: "" for an actor that is not recorded."""

BEGUN = frozenset(("respawn-place", "home", "start"))
"""Codes of findings about places where a run has begun."""


def subjects_of(recording: Recording, roots: Iterable[Finding]) -> dict[Mark, What]:
    """The code and the kind of each finding."""
    kinds = {actor.id: actor.logged_kind for actor in recording.actors}
    return {mark(root): (root.code, kinds.get(root.target, "")) for root in roots}


def own_roots(roots: Sequence[Root], since: int) -> Iterator[Root]:
    """What follows from findings before a frame: the first that is wrong with each actor from that frame on. They only
    seem to follow, from values that are unknown where a look begins."""
    for root, follows in roots:
        # only a root from before the frame hides anything that is new in it
        known: set[str] = set()
        for at, finding in enumerate(follows if root.frame < since else ()):
            # other values of events follow from states that are unknown here, so they say nothing by themselves
            is_act = CODES[finding.code].about in ("hit", "event") and finding.code != "event-values"
            if is_act and finding.frame >= since and finding.target not in known:
                known.add(finding.target)
                yield finding, tuple(other for other in follows[at + 1 :] if other.target == finding.target)


class Doubts:
    """The findings that come only from a missing past, such as a respawn at a start that was forgotten.

    They are learned: a look without the past is held against one with it, in frames that both have judged. What the
    first has alone, it will have again. Where a run began is never known.
    """

    def __init__(self) -> None:
        self._doubted: set[What] = set()

    def learn(self, found: dict[Mark, What], known: Collection[Mark]) -> None:
        """`found` without the past, in frames where `known` is all there is."""
        # nothing is ever taken off: a doubt that is wrong costs time to the next look, an alarm that is wrong costs
        # trust
        self._doubted |= {_family(what) for key, what in found.items() if key not in known}

    def __contains__(self, what: What) -> bool:
        return what[0] in BEGUN or _family(what) in self._doubted


def _family(what: What) -> What:
    """The codes that are doubted together: a shot that seems to be in another frame may seem to be missing the next
    time."""
    code, kind = what
    family = code.partition("-")[0]
    return family, "" if family == "spawn" else kind
