"""One job in one process; all jobs on all cores, with the same results for any number of workers."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Protocol, TypeVar

from voskar.audit import CHECKS, audit
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.errors import VoskarError
from voskar.explaining.rulebook import RulebookVariants
from voskar.explaining.weighing import Weighed, weigh
from voskar.files.reading import Digest, digest_of, note, noted
from voskar.files.rulebook import Rulebook
from voskar.files.suite import Job, Suite
from voskar.suite.cache import Files, Verdicts
from voskar.suite.coverage import covered
from voskar.suite.results import Fault, Result, result_of

T = TypeVar("T")
R = TypeVar("R")


def rulebook(path: str) -> Rulebook:
    """A rulebook, read once in a process as long as the bytes of its files stay the same. Raises InputError."""
    from voskar.files.rulebook import load_rulebook

    place = os.getcwd(), path
    files, book = _rulebooks.get(place, ({}, None))
    # a file that was written meanwhile is read again
    if book is not None and all(digest is not None and digest_of(name) == digest for name, digest in files.items()):
        for name, digest in files.items():
            note(name, digest)
        return book
    with noted() as files:
        book = load_rulebook(path)
    if len(_rulebooks) >= RULEBOOKS:
        _rulebooks.clear()
    _rulebooks[place] = files, book
    return book


RULEBOOKS = 8
"""Rulebooks that a process has at hand at most."""
_rulebooks: dict[tuple[str, str], tuple[Files, Rulebook]] = {}


def judge(job: Job, *, coverage: bool, pages: str | None) -> tuple[Result, tuple[tuple[str, Digest | None], ...]]:
    """Checks one recording, and names the files that were read for it."""
    with noted() as files:
        result = run_job(job, coverage=coverage, pages=pages)
    return result, tuple((str(path), digest) for path, digest in files.items())


def run_job(job: Job, *, coverage: bool = False, pages: str | None = None) -> Result:
    """Checks one recording. Mistakes in its files are its own result, and no other recording's. With `coverage` the
    rules that it exercised are reported too; a page of a failing one is written into the folder `pages`."""
    from voskar.files.expect import load_expectations
    from voskar.files.ledger import read_ledger
    from voskar.files.recording import load_recording
    from voskar.files.windows import parse_windows

    try:
        book = rulebook(job.rulebook)
        played = load_recording(job.recording, book, pipes=False)
        statements = [expectation for name in job.expect for expectation in load_expectations(name)]
        earlier = None if job.baseline is None else read_ledger(job.baseline)
    except VoskarError as error:
        return Result(job.name, 0, "", (), error=str(error))
    rules = book.rules(played.rate)
    found = weigh(
        rules,
        played,
        statements,
        earlier,
        # the windows of a job stand in the suite, which has been checked already
        windows=parse_windows([job.within]),
        tolerance=job.tolerance,
        resync=job.resync,
        variants=lambda: RulebookVariants(book, played.rate),
        trials=job.trials,
        watched_whole=pages is not None,
    )
    rules_met = tuple(covered(book, played, found.ledger)) if coverage else ()
    result = result_of(job, played, found, len(statements), rules_met)
    if pages is None or not result.faults:
        return result
    return replace(result, page=_write_page(job, Path(pages), rules, played, found))


def _write_page(job: Job, folder: Path, rules: Rules, played: Recording, found: Weighed) -> str:
    from voskar.files.reading import write_text
    from voskar.pages.data import page_data
    from voskar.pages.render import render_page

    path, frames = folder / f"{job.name.replace('/', '--')}.html", (played.first, played.last)
    data = page_data(rules, played, found, (job.rulebook, job.recording), frames)
    write_text(path, render_page(data))
    return str(path)


def _lost(job: Job) -> Result:
    """The result of a job after its process died twice."""
    return Result(job.name, 0, "", (), error="its process was killed, and once more when it was tried again")


def _size(job: Job) -> float:
    """Bytes of its recording: what takes the longest is begun first."""
    try:
        return float(Path(job.recording).stat().st_size)
    except OSError:
        return 0.0


def run_suite(
    jobs: Sequence[Job], engine: Engine, *, verdicts: Verdicts, coverage: bool = False, pages: str | None = None
) -> Iterator[Result]:
    """The results, in the order of the jobs, as soon as each and all before it are done. What `verdicts` has kept is
    not judged again, unless pages are to be written."""
    # a kept verdict writes no page
    kept = [None if pages is not None else verdicts.get((job, coverage)) for job in jobs]
    todo = [job for job, result in zip(jobs, kept, strict=True) if result is None]
    done = engine(partial(judge, coverage=coverage, pages=pages), todo, lambda job: (_lost(job), ()), _size)
    for job, known in zip(jobs, kept, strict=True):
        result = known
        if result is None:
            result, files = next(done)
            verdicts.put((job, coverage), result, {Path(name): digest for name, digest in files})
        yield result
    verdicts.prune()


def audit_rulebooks(suite: Suite, verdicts: Verdicts) -> Iterator[Result]:
    """Each rulebook of a suite, audited with all recordings that are held against it and can be read."""
    from voskar.files.recording import load_recording

    for name in dict.fromkeys(job.rulebook for job in suite.jobs):
        # the audit depends on all recordings of the rulebook
        recordings = [job.recording for job in suite.jobs if job.rulebook == name]
        question = ("audit", name, recordings, sorted(suite.allow))
        known = verdicts.get(question)
        if known is not None:
            yield known
            continue
        with noted() as files:
            try:
                book = rulebook(name)
            except VoskarError:
                continue  # told with each of its recordings
            played = []
            for recording in recordings:
                with contextlib.suppress(VoskarError):
                    played.append(load_recording(recording, book, pipes=False))
        faults = [
            Fault(
                f"audit-{problem.name}",
                None,
                f"{problem.key}: {problem.reason} → {problem.remedy}",
                problem.file,
                problem.line,
                None,
                problem.name,
            )
            for problem in audit(book, played, allowed=suite.allow)
        ]
        count = len(CHECKS) - len(set(suite.allow))
        found = Result(
            f"audit of {Path(name).name}",
            0,
            f"{count - len({fault.cause for fault in faults})} of {count} checks",
            tuple(faults),
            is_audit=True,
        )
        verdicts.put(question, found, files)
        yield found


class Engine(Protocol):
    """Where work is done: the results of a function for each item, in their order, begun with those of the most
    `weight`. `lost` gives the result of an item whose process is killed, and killed again when it is tried again;
    without it that raises VoskarError."""

    def __call__(
        self,
        function: Callable[[T], R],
        items: Sequence[T],
        lost: Callable[[T], R] | None = None,
        weight: Callable[[T], float] | None = None,
    ) -> Iterator[R]:
        """The results."""
        ...


class Processes:
    """Processes of this machine; one worker, or one item, needs none."""

    def __init__(self, workers: int | None = None) -> None:
        self.workers = workers or os.cpu_count() or 1

    def __call__(
        self,
        function: Callable[[T], R],
        items: Sequence[T],
        lost: Callable[[T], R] | None = None,
        weight: Callable[[T], float] | None = None,
    ) -> Iterator[R]:
        """The results. Where a process is killed, what it and its fellows had not done is tried again, each by
        itself."""
        # a process costs more than half a second, and a debugger sees nothing in it
        if self.workers <= 1 or len(items) == 1:
            yield from map(function, items)
            return
        done = 0
        with _workers(min(self.workers, len(items))) as pool:
            # the longest one begun last would keep all others waiting
            first = sorted(range(len(items)), key=lambda at: -weight(items[at])) if weight else range(len(items))
            submitted = {at: pool.submit(function, items[at]) for at in first}
            futures = [submitted[at] for at in range(len(items))]
            try:
                for future in futures:
                    yield future.result()
                    done += 1
            except BrokenProcessPool:
                pass
            else:
                return
        # one by one, so that only the item that kills its process is lost
        for item in items[done:]:
            yield _alone(function, item, lost)


def _alone(function: Callable[[T], R], item: T, lost: Callable[[T], R] | None) -> R:
    try:
        with _workers(1) as pool:
            return pool.submit(function, item).result()
    except BrokenProcessPool:
        if lost is None:
            raise VoskarError("a worker was killed, and once more when its work was tried again") from None
        return lost(item)


def _follow(parent: int) -> None:
    """In a worker: it ends with its parent, even one that was killed; else it would wait for work forever."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


@contextlib.contextmanager
def _workers(count: int) -> Iterator[ProcessPoolExecutor]:
    """Processes that end with the block, however it ends."""
    pool = ProcessPoolExecutor(max_workers=count, initializer=_follow, initargs=(os.getpid(),))
    try:
        yield pool
    except BaseException:
        # `shutdown` alone would wait for the running work
        processes = list((getattr(pool, "_processes", None) or {}).values())
        pool.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()
        raise
    pool.shutdown(cancel_futures=True)
