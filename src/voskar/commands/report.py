"""`voskar report`: parts of a suite, put together."""

from __future__ import annotations

import click

from voskar.commands.suite_view import Conclusion, report_form
from voskar.errors import InputError, Problem
from voskar.suite import reports
from voskar.suite.coverage import Coverage, Covered, joined
from voskar.suite.results import Result


@click.command(
    epilog="""
\b
Example:
  voskar check --suite voskar.toml --shard 1/2 --report one.json
  voskar check --suite voskar.toml --shard 2/2 --report two.json
  voskar report one.json two.json --report junit.xml

\b
Exit codes: 0 all agrees, 1 a disagreement was found, 2 bad input.
"""
)
@click.argument("parts", nargs=-1, required=True, metavar="REPORT.json...")
@click.option(
    "--report", multiple=True, metavar="FILE", help="Written anew: .xml (JUnit), .json, .html, .txt (file:line: text)."
)
@click.option("--least", type=click.FloatRange(0, 100), metavar="PERCENT", help="Fail below this coverage.")
@click.option("--brief", is_flag=True, help="Only the sum, and what recordings have in common.")
@click.option("--all", "everything", is_flag=True, help="Tell every fault of every recording.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object instead of lines.")
def command(
    parts: tuple[str, ...], report: tuple[str, ...], least: float | None, brief: bool, everything: bool, as_json: bool
) -> int:
    """Put JSON reports together that `voskar check` wrote of the parts of a suite, and tell them as one.

    The same part twice is refused.
    """
    forms = [(path, report_form(path)) for path in report]
    results: list[Result] = []
    rules: list[list[Covered]] = []
    seen: dict[str, list[Result]] = {}
    for path in parts:
        found, met = reports.read(path)
        twin = next((name for name, known in seen.items() if found and known == found), None)
        if twin is not None:
            raise InputError(Problem(f"this is the same part as {twin}", file=path))
        seen[path] = found
        known_audits = {one.name for one in results if one.is_audit}
        results += [one for one in found if one.name not in known_audits]
        rules += [] if met is None else [met]
    counted = Coverage(joined(rules), least) if rules or least is not None else None
    results.sort(key=lambda one: one.is_audit)
    view = Conclusion(results, counted, sum(not one.is_audit for one in results))
    view.write(forms)
    return view.show(as_json=as_json, everything=everything, brief=brief)
