"""All evidence about one recording at once: its claims, what is expected of it, and an earlier ledger of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.timeline import Timeline, timeline
from voskar.evidence.baseline import Comparison, compare
from voskar.evidence.check import TOLERANCE, Verdict, check
from voskar.evidence.expectations import Failure, State, Statement, hold
from voskar.evidence.patterns import LEAST, Pattern, causes


@dataclass(frozen=True)
class Weighed:
    """What came of it. `differs` is None where there was no earlier ledger; `causes` has every finding once, with
    those that are like it."""

    ledger: Ledger
    course: Timeline
    verdict: Verdict
    causes: tuple[Pattern, ...]
    failures: tuple[Failure, ...]
    differs: Comparison | None

    @property
    def patterns(self) -> tuple[Pattern, ...]:
        """Causes that several findings have in common."""
        return tuple(one for one in self.causes if len(one.findings) >= LEAST)

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
    within: int = 0,
    tolerance: float = TOLERANCE,
) -> Weighed:
    """Replays once and holds everything against it."""
    places = {one.frame for one in statements if isinstance(one, State) and one.places}
    verdict, ledger = check(rules, recording, within=within, tolerance=tolerance, watched=places)
    course = timeline(rules, recording, ledger)
    return Weighed(
        ledger,
        course,
        verdict,
        tuple(causes([root for root, _ in verdict.roots], recording)),
        tuple(hold(statements, ledger, course, verdict.judged)),
        None if earlier is None else compare(earlier, ledger),
    )
