"""One job in one process; all jobs on all cores, with the same results for any number of workers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

from voskar.errors import VoskarError
from voskar.files.rulebook import Rulebook
from voskar.files.suite import Job


@dataclass(frozen=True)
class Fault:
    """One thing that a recording was found to do wrong, in words. `file` and `line` where a source line is known."""

    sort: str
    frame: int | None
    text: str
    file: str | None = None
    line: int | None = None


@dataclass(frozen=True)
class Result:
    """What became of one job. `error` is what kept it from being checked at all; `patterns` tell faults alike once."""

    name: str
    frames: int
    counts: str
    faults: tuple[Fault, ...]
    patterns: tuple[str, ...] = ()
    error: str | None = None

    @property
    def ok(self) -> bool:
        """Nothing is wrong."""
        return not self.faults and self.error is None


@lru_cache(maxsize=8)
def _rulebook(path: str) -> Rulebook:
    from voskar.files.rulebook import load_rulebook

    return load_rulebook(path)


def run_job(job: Job) -> Result:
    """Checks one recording. What is wrong with its files is its own result, and nobody else's."""
    from voskar.core.evidence.baseline import compare
    from voskar.core.evidence.claims import check
    from voskar.core.evidence.expectations import hold
    from voskar.core.evidence.patterns import patterns
    from voskar.core.evidence.words import accounts
    from voskar.core.timeline import timeline
    from voskar.files.expect import load_expectations
    from voskar.files.ledger import read_ledger
    from voskar.files.recording import load_recording

    try:
        book = _rulebook(job.rulebook)
        played = load_recording(job.recording, book)
        statements = [(name, one) for name in job.expect for one in load_expectations(name)]
        earlier = None if job.baseline is None else read_ledger(job.baseline)
    except VoskarError as error:
        return Result(job.name, 0, "", (), error=str(error))
    rules = book.rules(played.rate)
    verdict, ledger = check(rules, played, within=job.within, tolerance=job.tolerance)
    faults = []
    for finding in verdict.findings:
        game, judged = accounts(finding)
        line = finding.claim.line if finding.claim is not None else None
        faults.append(Fault(finding.sort, finding.frame, f"{game}; {judged}", job.name, line))
    course = timeline(rules, played, ledger)
    for name, statement in statements:
        for failure in hold([statement], ledger, course):
            text = f"{failure.statement}: expected {failure.expected}, found {failure.found}"
            faults.append(Fault("expectation", None, text, name, failure.line))
    differs = None if earlier is None else compare(earlier, ledger)
    for one in differs.causes if differs is not None else ():
        faults.append(Fault(one.sort, one.frame, f"{one.what}: {one.before} in the baseline, now {one.after}"))
    counts = [f"{verdict.agreed} of {verdict.claims} hits"]
    if verdict.told:
        counts.append(f"{verdict.told_agreed} of {verdict.told} other claims")
    if statements:
        failed = sum(fault.sort == "expectation" for fault in faults)
        counts.append(f"{len(statements) - failed} of {len(statements)} expectations")
    if differs is not None:
        counts.append(f"{differs.same} events of the baseline")
    alike = tuple(f"{len(one.findings)} times {one.text}" for one in patterns(verdict.findings, played))
    return Result(job.name, played.frames, ", ".join(counts), tuple(faults), alike)


def run_suite(jobs: Sequence[Job], workers: int) -> Iterator[Result]:
    """The results, in the order of the jobs, as soon as each and all before it are done."""
    if workers <= 1 or len(jobs) == 1:
        yield from map(run_job, jobs)
        return
    with ProcessPoolExecutor(max_workers=min(workers, len(jobs))) as pool:
        futures = [pool.submit(run_job, job) for job in jobs]
        try:
            for future in futures:
                yield future.result()
        finally:
            for future in futures:
                future.cancel()
