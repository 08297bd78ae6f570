"""The coverage of rules as a table, and what was never exercised."""

from __future__ import annotations

from rich.text import Text

from voskar.commands import present
from voskar.core.views.coverage import GROUPS
from voskar.suite.coverage import Coverage, percent

NEVER = 20
"""Most rules listed that were never exercised."""


def show(coverage: Coverage, *, everything: bool) -> None:
    """Exercised and not, group by group."""
    out, rules = present.console(), coverage.rules
    table = present.table("rules exercised", [("", ""), ("exercised", "right"), ("of", "right"), ("", "right")])
    for group in GROUPS:
        some = [one for one in rules if one.group == group]
        if some:
            met = sum(one.count > 0 for one in some)
            table.add_row(group, str(met), str(len(some)), f"{percent(some):.0f} %")
    met = sum(one.count > 0 for one in rules)
    table.add_row(Text("all", "bold"), str(met), str(len(rules)), Text(f"{percent(rules):.0f} %", "bold"))
    out.print(table)
    never = [one for one in rules if not one.count]
    if never:
        out.print()
        columns = [("never exercised", ""), ("", ""), ("", "")]
        table = present.table("", columns)
        table.title = None
        for one in never if everything else never[:NEVER]:
            table.add_row(one.group, one.name, "" if one.file is None else f"{one.file}:{one.line}")
        out.print(table)
        if len(never) > NEVER and not everything:
            out.print(f"… and {len(never) - NEVER} more: see them with --all", style="dim")
    if coverage.least is not None:
        out.print(Text(f"\n{coverage.text}", "green" if coverage.ok else "bold red"))
