"""The coverage of rules as a table, and the rules that were never exercised."""

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
        covereds = [rule for rule in rules if rule.group == group]
        if covereds:
            met = sum(covered.count > 0 for covered in covereds)
            table.add_row(group, str(met), str(len(covereds)), f"{percent(covereds):.0f} %")
    met = sum(rule.count > 0 for rule in rules)
    table.add_row(Text("all", "bold"), str(met), str(len(rules)), Text(f"{percent(rules):.0f} %", "bold"))
    out.print(table)
    never = [rule for rule in rules if not rule.count]
    if never:
        out.print()
        columns = [("never exercised", ""), ("", ""), ("", "")]
        table = present.table("", columns)
        table.title = None
        for entry in never if everything else never[:NEVER]:
            table.add_row(entry.group, entry.name, "" if entry.file is None else f"{entry.file}:{entry.line}")
        out.print(table)
        if len(never) > NEVER and not everything:
            out.print(f"… and {len(never) - NEVER} more: see them with --all", style="dim")
    if coverage.least is not None:
        out.print(Text(f"\n{coverage.text}", "green" if coverage.ok else "bold red"))
