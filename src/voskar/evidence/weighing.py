"""All evidence about one recording at once: its claims, what is expected of it, and an earlier ledger of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from voskar.core.adopt import Windows
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.timeline import timeline
from voskar.core.watching import watched
from voskar.evidence.baseline import LedgerDiff, compare
from voskar.evidence.check import Verdict, check
from voskar.evidence.expectations import Failure, State, Statement, hold
from voskar.evidence.held import EXACT
from voskar.evidence.patterns import LEAST, Pattern, causes
from voskar.evidence.tolerance import TOLERANCE
from voskar.evidence.unswept import unswept


@dataclass(frozen=True)
class Weighed:
    """What came of it. `differs` is None where there was no earlier ledger; `causes` has every finding once, with
    those that are like it."""

    ledger: Ledger
    verdict: Verdict
    causes: tuple[Pattern, ...]
    failures: tuple[Failure, ...]
    differs: LedgerDiff | None

    @property
    def patterns(self) -> tuple[Pattern, ...]:
        """Causes that several findings have in common."""
        return tuple(cause for cause in self.causes if len(cause.findings) >= LEAST)

    @property
    def ok(self) -> bool:
        """Nothing disagrees."""
        return self.verdict.ok and not self.failures and not (self.differs and self.differs.differences)


def weigh(
    rules: Rules,
    recording: Recording,
    statements: Sequence[Statement | State] = (),
    earlier: Ledger | None = None,
    *,
    windows: Windows = EXACT,
    tolerance: float = TOLERANCE,
    resync: bool = True,
) -> Weighed:
    """Replays and holds everything against it. What is expected of the rules, and an earlier ledger, is held against
    the rules on their own."""
    places = {statement.frame for statement in statements if isinstance(statement, State) and statement.places}
    verdict, ledger = check(rules, recording, windows=windows, tolerance=tolerance, resync=resync, watched=bool(places))
    own, judged = ledger, None if verdict.seen is None else verdict.seen.recording
    if ledger.of("adopted") and (statements or earlier is not None):
        alone = watched(rules, recording, films=bool(places))
        own, judged = alone.ledger, alone.recording
    roots = [root for root, _ in verdict.roots]
    passing = unswept(rules, recording, roots, windows)
    known = {id(finding) for one in passing for finding in one.findings}
    return Weighed(
        ledger,
        verdict,
        (*passing, *causes([root for root in roots if id(root) not in known], recording)),
        tuple(hold(statements, own, timeline(rules, recording, own), judged)) if statements else (),
        None if earlier is None else compare(earlier, own),
    )
