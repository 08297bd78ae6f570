"""`voskar check` without arguments: the suite of the folder, one line a recording."""

from __future__ import annotations

import os
from pathlib import Path

import click
from rich.console import Console
from rich.progress import Progress
from rich.text import Text

from voskar.commands import present
from voskar.commands.main import AGREED, BAD_INPUT, DISAGREED
from voskar.errors import InputError, Problem
from voskar.files.suite import NAME, load_suite
from voskar.suite import reports
from voskar.suite.running import Result, run_suite

FORMS = {".xml": "junit", ".json": "json", ".txt": "lines"}
WHOLE = 3
"""Recordings whose faults are told in full."""

FAULTS = 6
"""Most faults of one recording that are told."""


def report_form(path: str) -> str:
    """What a report is written as, by its ending. Raises InputError for another ending, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending not in FORMS:
        message = f'found the ending "{ending}", expected .xml (JUnit), .json or .txt (file:line: message)'
        raise InputError(Problem(message, file=path, key="--report"))
    return FORMS[ending]


def check_suite(suite: str, workers: int | None, written: tuple[str, ...], stop: bool, as_json: bool) -> int:
    """Runs a suite and shows it. Exit code 1 if anything disagrees, 2 if a recording could not be read."""
    if suite == NAME and not Path(NAME).exists():
        raise click.UsageError(f"give a RULEBOOK and a RECORDING, or run in a folder with a {NAME}")
    jobs = load_suite(suite)
    forms = [(path, report_form(path)) for path in written]
    count = workers or os.cpu_count() or 1
    results: list[Result] = []
    out = present.console()
    with Progress(transient=True, disable=as_json or not out.is_terminal, console=out) as bar:
        task = bar.add_task("checking", total=len(jobs))
        for result in run_suite(jobs, count):
            results.append(result)
            bar.advance(task)
            if not as_json:
                _line(out, result)
            if stop and not result.ok:
                break
    for path, form in forms:
        reports.write(results, path, form)
    if as_json:
        import json

        click.echo(json.dumps(reports.plain(results)))
    else:
        _failures(results)
        good = sum(one.ok for one in results)
        frames = sum(one.frames for one in results)
        left = f", {len(jobs) - len(results)} not run" if len(results) < len(jobs) else ""
        out.print(f"{good} of {present.count(len(results), 'recording')} agree, {frames:,} frames{left}")
    if any(one.error is not None for one in results):
        return BAD_INPUT
    return AGREED if all(one.ok for one in results) else DISAGREED


def _line(out: Console, result: Result) -> None:
    word, style = ("agrees", "green") if result.ok else ("fails", "bold red")
    if result.error is not None:
        word, style = "unread", "bold magenta"
    told = result.counts or (result.error or "").splitlines()[0]
    first = ""
    if result.faults:
        first = result.patterns[0] if result.patterns else reports.text(result.faults[0])
    line = Text().append(f"{word:<7}", style).append(f" {result.name}", "bold").append(f"  {told}")
    out.print(line, overflow="ellipsis", no_wrap=True)
    if first:
        out.print(Text(f"        {first}"), overflow="ellipsis", no_wrap=True)


def _failures(results: list[Result]) -> None:
    out = present.console()
    failed = [one for one in results if one.faults]
    out.print()
    for one in results:
        if one.error is not None:
            out.print(Text(one.name, "bold"))
            out.print(Text(f"  {one.error}"))
    for one in failed[:WHOLE]:
        out.print(Text(one.name, "bold"))
        for text in (*one.patterns, *(reports.text(fault) for fault in one.faults[:FAULTS])):
            out.print(Text(f"  {text}"), soft_wrap=False)
        if len(one.faults) > FAULTS:
            out.print(f"  … and {len(one.faults) - FAULTS} more: voskar check RULEBOOK {one.name}", style="dim")
    if len(failed) > WHOLE:
        out.print(f"… and {present.count(len(failed) - WHOLE, 'more recording')} that fail", style="dim")
    if failed:
        out.print()
