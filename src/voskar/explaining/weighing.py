"""All evidence about one recording at once: its claims, its expectations, and an earlier ledger of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from voskar.core.adopt import Windows
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.timeline import timeline
from voskar.core.watching import watched
from voskar.evidence.baseline import LedgerDiff, compare
from voskar.evidence.check import Verdict, check
from voskar.evidence.expectations import Failure, State, Statement, hold
from voskar.evidence.held import EXACT, kinds_of
from voskar.evidence.tolerance import TOLERANCE
from voskar.evidence.trials import TRIALS
from voskar.explaining.groups import Group, groups, table_of
from voskar.explaining.leaf import Variants
from voskar.explaining.search import explain
from voskar.explaining.tried import Explanation


@dataclass(frozen=True)
class Weighed:
    """The result. `differs` is None where there was no earlier ledger. `explanations` are the values of the rulebook
    that the game seems to have otherwise; `groups` has every root that none of them explains once, with those that
    concern the same rule."""

    ledger: Ledger
    verdict: Verdict
    failures: tuple[Failure, ...]
    differs: LedgerDiff | None
    explanations: tuple[Explanation, ...] = ()
    groups: tuple[Group, ...] = ()
    variants: Variants | None = field(default=None, repr=False)
    """The variants of the rulebook, if values were tried."""
    tables: Mapping[int, str] = field(default_factory=dict, repr=False)
    """The table of the rulebook that each root concerns, by `id()`."""
    kinds: Mapping[str, str] = field(default_factory=dict, repr=False)
    """The kind of each actor, by id."""

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
    variants: Callable[[], Variants] | None = None,
    trials: int = TRIALS,
    watched_whole: bool = False,
) -> Weighed:
    """Replays and holds everything against it. What is expected of the rules, and an earlier ledger, is held against
    the rules on their own. With `variants`, which are made if there are roots, at most `trials` values of the rulebook
    are tried to explain them; `watched_whole` keeps how all frames were judged.
    """
    places = {statement.frame for statement in statements if isinstance(statement, State) and statement.places}
    seen = watched_whole or bool(places)
    verdict, ledger = check(rules, recording, windows=windows, tolerance=tolerance, resync=resync, watched=seen)
    own, judged = ledger, None if verdict.seen is None else verdict.seen.recording
    if ledger.of("adopted") and (statements or earlier is not None):
        alone = watched(rules, recording, films=bool(places))
        own, judged = alone.ledger, alone.recording
    kinds = kinds_of(rules, recording, ledger)
    explanations: tuple[Explanation, ...] = ()
    made = variants() if variants is not None and verdict.roots and trials > 0 else None
    if made is not None:
        explanations = explain(
            made,
            recording,
            verdict,
            kinds,
            windows=windows,
            tolerance=tolerance,
            resync=resync,
            trials=trials,
        )
    explained = {id(finding) for explanation in explanations for finding in explanation.explains}
    return Weighed(
        ledger,
        verdict,
        tuple(hold(statements, own, timeline(rules, recording, own), judged)) if statements else (),
        None if earlier is None else compare(earlier, own, ground=(rules, recording)),
        explanations,
        tuple(groups([root for root, _ in verdict.roots if id(root) not in explained], kinds, rules)),
        made,
        {id(root): table_of(root, kinds, rules) for root, _ in verdict.roots},
        kinds,
    )
