"""Findings that are not believed of a look that does not begin where the run does."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from voskar.core.recording import Recording
from voskar.evidence.finding import Finding
from voskar.explaining.tried import Mark, mark

What = tuple[str, str]
"""A code, and the kind of the actor that a finding is about: "" for an actor that is not recorded."""

BEGUN = frozenset(("respawn-place", "home", "start"))
"""Codes of findings about places where a run has begun."""


def subjects_of(recording: Recording, roots: Iterable[Finding]) -> dict[Mark, What]:
    """The code and the kind of each finding."""
    kinds = {actor.id: actor.logged_kind for actor in recording.actors}
    return {mark(root): (root.code, kinds.get(root.target, "")) for root in roots}


class Doubts:
    """The findings that come only from a missing past, such as a respawn at a start that was forgotten.

    They are learned: a look without the past is held against one with it, in frames that both have judged. What the
    first has alone, it will have again. Where a run began is never known.
    """

    def __init__(self) -> None:
        self._doubted: set[What] = set()

    def learn(self, found: dict[Mark, What], known: Collection[Mark]) -> None:
        """`found` without the past, in frames where `known` is all there is."""
        self._doubted |= {_family(what) for key, what in found.items() if key not in known}

    def __contains__(self, what: What) -> bool:
        return what[0] in BEGUN or _family(what) in self._doubted


def _family(what: What) -> What:
    """The codes that are doubted together: a shot that seems to be in another frame may seem to be missing the next
    time."""
    code, kind = what
    family = code.partition("-")[0]
    return family, "" if family == "spawn" else kind
