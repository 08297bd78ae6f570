"""`voskar suite`: every recording of a suite against its rules, expectations and baselines."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date
from pathlib import Path

import click
from rich.progress import Progress

from voskar.audit import CHECKS
from voskar.commands import present
from voskar.commands.options import (
    Command,
    all_faults_option,
    brief_option,
    coverage_option,
    engine_of,
    engine_options,
    explain_options,
    json_option,
    report_form,
    report_options,
)
from voskar.commands.suite_view import Conclusion, show_line
from voskar.commands.watching import watch_option
from voskar.errors import InputError, Problem
from voskar.evidence.trials import SUITE_TRIALS
from voskar.files.keeping import kept_folder
from voskar.files.reading import made_folder
from voskar.files.suite import load_suite
from voskar.suite import reports
from voskar.suite.cache import Verdicts
from voskar.suite.coverage import Coverage, joined
from voskar.suite.known import KnownFindings
from voskar.suite.results import Result
from voskar.suite.running import audit_rulebooks, run_suite

SUITE = "voskar.toml"
"""The suite of a folder."""


def shard_of(text: str) -> tuple[int, int]:
    """`2/8` as (2, 8). Raises InputError."""
    # Four digits: `int` of a longer text may take minutes.
    match = re.fullmatch(r"(\d{1,4})/(\d{1,4})", text, re.ASCII)
    if match is None or not 1 <= int(match[1]) <= int(match[2]):
        raise InputError(Problem(f'found "{text}", expected a part such as 2/8', key="--shard"))
    return int(match[1]), int(match[2])


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar suite
  voskar suite voskar.toml --report junit.xml --pages pages
  voskar suite --shard 1/2 --report one.json
  voskar suite --coverage --least 60

\b
Exit codes: 0 all agrees, 1 a disagreement was found or too few rules were exercised, 2 bad input.
""",
)
@click.argument("file", metavar="[FILE]", default=SUITE)
@click.option("--pages", metavar="DIR", help="Write a page for each recording that fails, and an index.")
@click.option("--shard", metavar="I/N", help="Check part I of N only, for machines that share nothing.")
@click.option("--fresh", is_flag=True, help="Judge everything again, also kept results of earlier runs.")
@click.option("--stop", is_flag=True, help="Stop at the first failure.")
@explain_options(SUITE_TRIALS)
@engine_options
@coverage_option
@report_options
@brief_option
@all_faults_option
@watch_option
@json_option("one object")
def command(
    file: str,
    pages: str | None,
    shard: str | None,
    fresh: bool,
    stop: bool,
    trials: int,
    workers: int | None,
    cluster: str | None,
    coverage: bool,
    report: tuple[str, ...],
    least: float | None,
    brief: bool,
    everything: bool,
    as_json: bool,
) -> int:
    """Check every recording of the suite FILE (default: voskar.toml).

    A suite names rulebooks and recordings, and what they are compared with: expectations and baselines. A recording
    that cannot be read fails alone.
    """
    # A missing default file is a question of usage, not a broken path.
    if file == SUITE and not Path(SUITE).exists():
        raise click.UsageError(f"this folder has no {SUITE}: name a suite, or check one recording with voskar check")
    loaded = load_suite(file, CHECKS)
    asked = 0 if brief and not report and not as_json else trials  # which says how many agree, and nothing more
    jobs = tuple(replace(job, trials=asked) for job in loaded.jobs)
    least = loaded.coverage if least is None else least
    if shard is not None:
        number, parts = shard_of(shard)
        # Every nth recording, so that long and short ones spread over the parts.
        jobs = jobs[number - 1 :: parts]
    coverage = coverage or least is not None
    forms = [(path, report_form(path)) for path in report]
    # The workers of a cluster write to their own disks.
    if pages is not None and cluster is not None:
        raise click.UsageError("pages are written where recordings are checked: --pages does not go with --cluster")
    results: list[Result] = []
    known = KnownFindings(loaded.known, date.today())
    verdicts = Verdicts(kept_folder("verdicts"), fresh=fresh)
    out = present.console()
    if pages is not None:
        made_folder(pages)
    with (
        engine_of(workers, cluster) as engine,
        Progress(transient=True, disable=as_json or not out.is_terminal, console=out) as bar,
    ):
        task = bar.add_task("checking", total=len(jobs))
        for result in run_suite(jobs, engine, verdicts=verdicts, coverage=coverage, pages=pages):
            # Known findings are taken out before anything counts faults.
            result = known.accept(result)
            results.append(result)
            bar.advance(task)
            if not as_json and not brief:
                show_line(out, result)
            if stop and not result.ok:
                break
    # A part would audit every rulebook again, and `report` keeps one of each.
    if loaded.audit and shard is None and not (stop and not all(result.ok for result in results)):
        for result in audit_rulebooks(loaded, verdicts):
            results.append(result)
            if not as_json and not brief:
                show_line(out, result)
    rules = joined(result.covered for result in results) if coverage else []
    found = Coverage(rules, least) if coverage else None
    if pages is not None:
        reports.write(results, str(Path(pages) / "index.html"), "html", found)
    # A part of a suite cannot tell that a known finding is gone.
    whole = shard is None and len(results) >= len(jobs)
    view = Conclusion(results, found, len(jobs), [str(entry) for entry in known.gone()] if whole else [])
    view.write(forms)
    return view.show(as_json=as_json, everything=everything, brief=brief)
