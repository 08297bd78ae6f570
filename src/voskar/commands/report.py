"""`voskar report`: parts of a suite, put together."""

from __future__ import annotations

import click

from voskar.commands.options import Command, all_faults_option, brief_option, json_option, report_form, report_options
from voskar.commands.suite_view import Conclusion
from voskar.errors import InputError, Problem
from voskar.suite import reports
from voskar.suite.coverage import Coverage, Covered, joined
from voskar.suite.results import Result


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar suite --shard 1/2 --report one.json
  voskar suite --shard 2/2 --report two.json
  voskar report one.json two.json --report junit.xml

\b
Exit codes: 0 all agrees, 1 a disagreement was found, 2 bad input.
""",
)
@click.argument("parts", nargs=-1, required=True, metavar="REPORT.json...")
@report_options
@brief_option
@all_faults_option
@json_option("one object")
def command(
    parts: tuple[str, ...], report: tuple[str, ...], least: float | None, brief: bool, everything: bool, as_json: bool
) -> int:
    """Join the JSON reports that `voskar suite` wrote for parts of a suite into one.

    The same part twice is refused.
    """
    forms = [(path, report_form(path)) for path in report]
    results: list[Result] = []
    rules: list[list[Covered]] = []
    seen: dict[str, list[Result]] = {}
    for path in parts:
        found, met = reports.read(path)
        # Two parts with equal results are one part given twice: their recordings differ otherwise.
        same = next((name for name, known in seen.items() if found and known == found), None)
        if same is not None:
            raise InputError(Problem(f"this is the same part as {same}", file=path))
        seen[path] = found
        # Each part audits the same rulebooks, so an audit counts once.
        known_audits = {result.name for result in results if result.is_audit}
        results += [result for result in found if result.name not in known_audits]
        rules += [] if met is None else [met]
    counted = Coverage(joined(rules), least) if rules or least is not None else None
    results.sort(key=lambda result: result.is_audit)
    view = Conclusion(results, counted, sum(not result.is_audit for result in results))
    view.write(forms)
    return view.show(as_json=as_json, everything=everything, brief=brief)
