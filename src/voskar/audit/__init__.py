"""Probable mistakes of a rulebook: one small function a finding, listed in one table."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from voskar.audit.findings import BUDGET, AuditedBook, AuditFinding
from voskar.audit.hits import CHECKS as HIT_CHECKS
from voskar.audit.keys import CHECKS as KEY_CHECKS
from voskar.audit.layers import CHECKS as LAYER_CHECKS
from voskar.audit.lives import CHECKS as LIFE_CHECKS
from voskar.audit.motion import CHECKS as MOTION_CHECKS
from voskar.audit.played import CHECKS as PLAYED_CHECKS
from voskar.audit.shapes import CHECKS as SHAPE_CHECKS
from voskar.core.recording import Recording
from voskar.core.rules import DEFAULT_RATE
from voskar.files.own_rules import AT
from voskar.files.rulebook import Rulebook

CHECKS = {
    **LAYER_CHECKS,
    **SHAPE_CHECKS,
    **HIT_CHECKS,
    **MOTION_CHECKS,
    **LIFE_CHECKS,
    **KEY_CHECKS,
    **PLAYED_CHECKS,
}
"""Every check by name. Those that need a recording say nothing without one."""


UNSHOWN = ("clip-unshown", "never-open", "never-logged", "input-unseen")
"""Checks that miss something in a recording: one recording that has it is enough."""


def audit(
    book: Rulebook,
    recordings: Sequence[Recording] = (),
    *,
    allowed: Collection[str] = (),
    budget: int = BUDGET,
) -> list[AuditFinding]:
    """All findings of all checks but those `allowed`, by file, line and name; of several recordings each once."""
    # rates differ, and durations with them
    cases = [AuditedBook(book, book.rules(recording.rate), recording, budget) for recording in recordings]
    cases = cases or [AuditedBook(book, book.rules(DEFAULT_RATE), None, budget)]
    found: dict[tuple[str, str, int | None, str], list[tuple[AuditedBook, AuditFinding]]] = {}
    for one_book in cases:
        for name, check in CHECKS.items():
            for entry in check(one_book) if name not in allowed else ():
                found.setdefault((entry.name, entry.file, entry.line, entry.key), []).append((one_book, entry))
    # an actor with rules of its own repeats the findings of its kind
    kept = [finding for pairs in found.values() for finding in _once(pairs, cases) if not _is_taken_over(finding)]
    return sorted(
        kept, key=lambda problem: (problem.file, problem.line or 0, problem.name, problem.key, problem.reason)
    )


def _is_taken_over(finding: AuditFinding) -> bool:
    """Whether a finding is about a rule that an actor with rules of its own takes over: its kind has the same
    finding."""
    return finding.key.startswith("kinds.") and AT in finding.key.split(".")[1]


def _once(pairs: Sequence[tuple[AuditedBook, AuditFinding]], cases: Sequence[AuditedBook]) -> list[AuditFinding]:
    """The cases that the first recording shows; none if another recording shows the missing ones."""
    first, entry = pairs[0]
    # Only recordings that have the kind at all can show what is missing.
    if entry.name in UNSHOWN:
        kind = entry.key.split(".")[1] if entry.key.startswith("kinds.") else None
        asked = [one_book for one_book in cases if one_book.shows(kind)] or cases
        if not all(any(one_book is name for one_book, _ in pairs) for name in asked):
            return []
    # A finding that several recordings give is reported once, with the numbers of the first.
    return [finding for one_book, finding in pairs if one_book is first]


__all__ = ["CHECKS", "AuditFinding", "audit"]
