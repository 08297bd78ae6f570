"""The results of the recordings of a suite."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from voskar.core.recording import Recording
from voskar.evidence.baseline import LedgerDiff
from voskar.evidence.words import WORDS, accounts, question, question_of
from voskar.explaining import words as explained
from voskar.explaining.weighing import Weighed
from voskar.files.suite import Job
from voskar.suite.coverage import Covered
from voskar.words import command_line


@dataclass(frozen=True)
class Fault:
    """One thing that a recording was found to do wrong, in words. `file` and `line` where a source line is known; `why`
    is the command that lists the gates behind it. Faults of one `cause` are alike."""

    code: str
    frame: int | None
    text: str
    file: str | None = None
    line: int | None = None
    why: str | None = None
    cause: str = ""
    attacker: tuple[str, ...] = ()
    """Id and kind of the actor that did it, and of the actor that it happened to."""
    target: tuple[str, ...] = ()
    key: str = ""
    """The table of the rulebook that it is about: `attacks.sting`, `kinds.keeper.emitters.smoker`."""

    @property
    def against(self) -> str:
        """The other side of the comparison: "rules", "expectations", "baseline" or "audit"."""
        return {"expectation": "expectations", "baseline": "baseline", "audit": "audit"}.get(
            self.code.partition("-")[0], "rules"
        )


@dataclass(frozen=True)
class Explained:
    """An explanation: the cause that its faults have, and the sentence that states it."""

    cause: str
    text: str


@dataclass(frozen=True)
class Result:
    """The result of one job. `error` is the reason for which it was not checked at all; `explanations` name the values
    of the rulebook that the game seems to have otherwise."""

    name: str
    frames: int
    counts: str
    faults: tuple[Fault, ...]
    explanations: tuple[Explained, ...] = ()
    error: str | None = None
    covered: tuple[Covered, ...] = ()
    page: str | None = None
    """Where a page of it was written."""
    known: tuple[Fault, ...] = ()
    """Faults that the suite accepts for now."""
    is_audit: bool = False
    """The name of a result about a rulebook, not a recording."""

    @property
    def ok(self) -> bool:
        """Nothing is wrong."""
        return not self.faults and self.error is None


def result_of(
    job: Job, played: Recording, found: Weighed, statements: int, rules_met: tuple[Covered, ...] = ()
) -> Result:
    """The result of one recording that was compared with its rules and so many statements."""
    verdict = found.verdict
    counts = [f"{verdict.agreed} of {verdict.claims} hits" if verdict.claims else "no hits claimed"]
    if verdict.spawns:
        counts.append(f"{verdict.spawns_agreed} of {verdict.spawns} spawns")
    if verdict.events:
        counts.append(f"{verdict.events_agreed} of {verdict.events} other claims")
    if statements:
        counts.append(f"{statements - len(found.failures)} of {statements} expectations")
    if found.differs is not None:
        counts.append(f"{found.differs.same} events of the baseline")
    roots = len(verdict.roots)
    # as `check` says it, so that a report and a terminal can be compared
    entry = tuple(
        Explained(explained.cause(explanation), explained.sentence(explanation, found.variants, roots))
        for explanation in found.explanations
    )
    faults = tuple(_faults(job, found))
    return Result(job.name, played.frames, ", ".join(counts), faults, entry, covered=rules_met)


def _faults(job: Job, found: Weighed) -> Iterator[Fault]:
    """Everything that is wrong, in words."""

    def ask(question: list[str] | None) -> str | None:
        return None if question is None else command_line(["voskar", "why", job.rulebook, job.recording, *question])

    def who(name: str) -> tuple[str, ...]:
        return tuple(part for part in (name, found.kinds.get(name, "")) if part)

    cause = {
        id(finding): f"{group.rule}: {WORDS[finding.code]}" for group in found.groups for finding in group.findings
    }
    cause |= {
        id(finding): explained.cause(explanation)
        for explanation in found.explanations
        for finding in explanation.explains
    }
    for finding, follows in found.verdict.roots:
        game, judged = accounts(finding)
        line = finding.claim.line if finding.claim is not None else None
        text = f"{game}; {judged}" + (f" ({len(follows)} more follow from it)" if follows else "")
        yield Fault(
            finding.code,
            finding.frame,
            text,
            job.recording,
            line,
            ask(question(finding)),
            cause[id(finding)],
            who(finding.attacker),
            who(finding.target),
            found.tables[id(finding)],
        )
    for failure in found.failures:
        text = f"{failure.statement}: expected {failure.expected}, found {failure.found}"
        asked = None if failure.event is None else ask(question_of(failure.event))
        yield Fault("expectation", None, text, failure.file, failure.line, asked, failure.statement)
    if found.differs is not None:
        yield from baseline_faults(found.differs)


def baseline_faults(differs: LedgerDiff) -> Iterator[Fault]:
    """The causes of differences."""
    for cause in differs.causes:
        yield Fault(
            f"baseline-{cause.change}", cause.frame, f"{cause.what}: {cause.before} in the baseline, now {cause.after}"
        )
