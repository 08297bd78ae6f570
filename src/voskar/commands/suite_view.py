"""`voskar check` without arguments: the suite of the folder, one line a recording."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import click
from rich.console import Console
from rich.padding import Padding
from rich.progress import Progress
from rich.text import Text

from voskar.audit import CHECKS
from voskar.commands import coverage_view, present
from voskar.commands.main import AGREED, BAD_INPUT, DISAGREED
from voskar.commands.options import SUITE, engine_of
from voskar.errors import InputError, Problem
from voskar.files.keeping import kept_folder
from voskar.files.reading import made_folder
from voskar.files.suite import load_suite
from voskar.suite import reports
from voskar.suite.cache import Verdicts
from voskar.suite.coverage import Coverage, joined
from voskar.suite.results import Result
from voskar.suite.running import audit_rulebooks, run_suite
from voskar.words import counted

FORMS = {".xml": "junit", ".json": "json", ".txt": "lines", ".html": "html"}
WHOLE = 3
"""Recordings whose faults are told in full."""

WHOSE = {
    "rules": "the game is not what its rules say",
    "expectations": "the rules are not what is expected of them",
    "baseline": "the rules are not what they were in the baseline",
    "audit": "the audit of the rules finds something",
}
"""Whose mistake it probably is, by what a recording was held against."""

COMMON = 8
"""Most causes listed that several recordings have in common."""

FAULTS = 6
"""Most faults of one recording that are told."""


def report_form(path: str) -> str:
    """What a report is written as, by its ending. Raises InputError for another ending, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending not in FORMS:
        message = f'found the ending "{ending}", expected .xml (JUnit), .json, .html or .txt (file:line: message)'
        raise InputError(Problem(message, file=path, key="--report"))
    return FORMS[ending]


def shard_of(text: str) -> tuple[int, int]:
    """`2/8` as (2, 8). Raises InputError."""
    match = re.fullmatch(r"(\d{1,4})/(\d{1,4})", text, re.ASCII)
    if match is None or not 1 <= int(match[1]) <= int(match[2]):
        raise InputError(Problem(f'found "{text}", expected a part such as 2/8', key="--shard"))
    return int(match[1]), int(match[2])


def check_suite(
    suite: str,
    workers: tuple[int | None, str | None],
    written: tuple[str, ...],
    *,
    stop: bool,
    everything: bool,
    as_json: bool,
    coverage: bool,
    least: float | None,
    pages: str | None = None,
    brief: bool = False,
    shard: str | None = None,
    fresh: bool = False,
) -> int:
    """Runs a suite, with so many processes or on a cluster at an address, and shows it. Exit code 1 if anything
    disagrees or too few rules were exercised, 2 if a recording could not be read."""
    if suite == SUITE and not Path(SUITE).exists():
        raise click.UsageError(f"give a RULEBOOK and a RECORDING, or run in a folder with a {SUITE}")
    loaded = load_suite(suite, CHECKS)
    jobs, least = loaded.jobs, loaded.coverage if least is None else least
    if shard is not None:
        number, parts = shard_of(shard)
        jobs = jobs[number - 1 :: parts]
    coverage = coverage or least is not None
    forms = [(path, report_form(path)) for path in written]
    if pages is not None and workers[1] is not None:
        raise click.UsageError("--pages are written where recordings are checked: leave them out with --cluster")
    results: list[Result] = []
    verdicts = Verdicts(kept_folder("verdicts"), fresh=fresh)
    out = present.console()
    if pages is not None:
        made_folder(pages)
    with (
        engine_of(*workers) as engine,
        Progress(transient=True, disable=as_json or not out.is_terminal, console=out) as bar,
    ):
        task = bar.add_task("checking", total=len(jobs))
        for result in run_suite(jobs, engine, verdicts=verdicts, coverage=coverage, pages=pages):
            results.append(result)
            bar.advance(task)
            if not as_json and not brief:
                _line(out, result)
            if stop and not result.ok:
                break
    if loaded.audit and shard is None and not (stop and not all(one.ok for one in results)):
        for result in audit_rulebooks(loaded, verdicts):
            results.append(result)
            if not as_json and not brief:
                _line(out, result)
    rules = joined(one.covered for one in results) if coverage else []
    found = Coverage(rules, least) if coverage else None
    if pages is not None:
        reports.write(results, str(Path(pages) / "index.html"), "html", found)
    view = Conclusion(results, found, len(jobs))
    view.write(forms)
    return view.show(as_json=as_json, everything=everything, brief=brief)


class Conclusion:
    """What a suite came to, told. `expected` is how many recordings it has."""

    def __init__(self, results: list[Result], found: Coverage | None, expected: int) -> None:
        self.results, self.found, self.expected = results, found, expected

    def write(self, forms: Sequence[tuple[str, str]]) -> None:
        """Reports: paths, and what each is written as."""
        for path, form in forms:
            reports.write(self.results, path, form, self.found)

    def show(self, *, as_json: bool, everything: bool, brief: bool) -> int:
        """Prints it, and returns the exit code."""
        results, found, out = self.results, self.found, present.console()
        if as_json:
            import json

            click.echo(json.dumps(reports.plain(results, found)))
        else:
            if not brief:
                _failures(results, everything=everything)
            if found is not None:
                coverage_view.show(found, everything=everything)
                out.print()
            _common(results)
            checked = [one for one in results if not one.is_audit]
            good, frames = sum(one.ok for one in checked), sum(one.frames for one in checked)
            left = f", {self.expected - len(checked)} not run" if len(checked) < self.expected else ""
            out.print(f"{good} of {counted(len(checked), 'recording')} agree, {frames:,} frames{left}")
            for against, words in WHOSE.items():
                some = sum(any(fault.against == against for fault in one.faults) for one in results)
                if some:
                    out.print(f"  in {some} {words}")
        if any(one.error is not None for one in results):
            return BAD_INPUT
        return AGREED if all(one.ok for one in results) and (found is None or found.ok) else DISAGREED


def _common(results: list[Result]) -> None:
    """What several recordings have in common."""
    found = reports.common(results)
    out = present.console()
    for one in found[:COMMON]:
        out.print(Text(f"{counted(one.faults, 'time')} in {one.recordings} recordings  ", "bold").append(one.cause))
    if len(found) > COMMON:
        out.print(f"… and {counted(len(found) - COMMON, 'more cause')} that several have: see --json", style="dim")
    if found:
        out.print()


def _line(out: Console, result: Result) -> None:
    word, style = ("agrees", "green") if result.ok else ("fails", "bold red")
    if result.error is not None:
        word, style = "unread", "bold magenta"
    told = result.counts or (result.error or "").split("\n")[0]
    first = ""
    if result.faults:
        first = result.patterns[0] if result.patterns else reports.text(result.faults[0])
    line = Text().append(f"{word:<7}", style).append(f" {result.name}", "bold").append(f"  {told}")
    for one in (line, Text(f"        {first}")) if first else (line,):
        if out.is_terminal:
            out.print(one, overflow="ellipsis", no_wrap=True)
        else:  # a file or a pipe is as wide as its lines
            out.print(one, soft_wrap=True)


def _failures(results: list[Result], *, everything: bool) -> None:
    out = present.console()
    failed = [one for one in results if one.faults]
    out.print()
    for one in results:
        if one.error is not None:
            out.print(Text(one.name, "bold"))
            out.print(Text(f"  {one.error}"))
    for one in failed if everything else failed[:WHOLE]:
        out.print(Text(one.name, "bold"))
        for pattern in one.patterns:
            out.print(Text(f"  {pattern}"))
        shown = one.faults if everything else one.faults[:FAULTS]
        for fault in shown:
            out.print(Padding(Text(reports.text(fault)), (0, 0, 0, 2)))
            if fault.why is not None:
                out.print(Text(f"    {fault.why}", "dim"), soft_wrap=True)
        if len(one.faults) > len(shown):
            out.print(f"  … and {len(one.faults) - FAULTS} more: see them with --all", style="dim")
    if len(failed) > WHOLE and not everything:
        left = counted(len(failed) - WHOLE, "more recording")
        out.print(f"… and {left} that {'fails' if left.startswith('1 ') else 'fail'}: in full with --all", style="dim")
    if failed:
        out.print()
