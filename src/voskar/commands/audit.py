"""`voskar audit`: probable mistakes in a rulebook."""

from __future__ import annotations

import json

import click
from rich.text import Text

from voskar.audit import CHECKS, AuditFinding, audit
from voskar.audit.findings import BUDGET
from voskar.commands import present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import Command, json_option
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.words import counted


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar audit apiary.toml
  voskar audit apiary.toml meadow.jsonl --allow friends-touch
  voskar audit swarm.toml swarm.jsonl --budget 40

\b
Exit codes: 0 nothing found, 1 something found, 2 bad input.
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recordings", metavar="[RECORDING...]", nargs=-1)
@click.option("--allow", multiple=True, type=click.Choice(list(CHECKS)), metavar="CHECK", help="A check that may fail.")
@click.option(
    "--budget",
    default=BUDGET,
    show_default=True,
    type=click.IntRange(0),
    metavar="N",
    help="Most driven actors that one emitter or parent may have in play: a number.",
)
@json_option("one object a finding")
def command(rulebook: str, recordings: tuple[str, ...], allow: tuple[str, ...], budget: int, as_json: bool) -> int:
    """Look for probable mistakes in RULEBOOK, each with its place, the reason and a remedy.

    With RECORDINGs more can be seen: clips that do not match, boxes too fast for what they should meet,
    friends that touch. What one of them does not show may be in another.
    """
    book = load_rulebook(rulebook)
    # A recording adds checks, so its absence is part of the result.
    found = audit(book, [load_recording(recording, book) for recording in recordings], allowed=allow, budget=budget)
    if as_json:
        click.echo("\n".join(json.dumps(vars(finding)) for finding in found))
    else:
        _show(found, len(CHECKS) - len(set(allow)), bool(recordings))
    return DISAGREED if found else AGREED


def _show(found: list[AuditFinding], checks: int, recorded: bool) -> None:
    out = present.console()
    for finding in found:
        place = f"{finding.file}:{finding.line}" if finding.line else finding.file
        out.print(
            Text(place, "bold").append(f"  {finding.key}", "not bold").append(f"  {finding.name}", "yellow"),
            soft_wrap=True,
        )
        out.print(Text(f"    {finding.reason}"))
        out.print(Text(f"    → {finding.remedy}", "dim"))
    if found:
        out.print()
    alone = "" if recorded else "; with a recording more can be seen"
    out.print(f"{counted(len(found), 'finding')} of {counted(checks, 'check')}{alone}")
