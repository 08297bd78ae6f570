"""`voskar compare`: two ledgers, two rulebooks on one recording, or one rulebook on two recordings."""

from __future__ import annotations

import json

import click
from rich.text import Text

from voskar.commands import present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import Command, account_options, all_option, json_option, load, resync_of
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.step import replay
from voskar.evidence.baseline import LedgerDiff, compare
from voskar.files.ledger import is_ledger, read_ledger
from voskar.words import counted

ROWS = 40
STYLES = {"gained": "green", "lost": "bold red", "moved": "yellow", "changed": "cyan"}


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar compare apiary.toml gentle.toml meadow.jsonl
  voskar replay apiary.toml meadow.jsonl --ledger before.jsonl
  voskar replay gentle.toml meadow.jsonl --ledger after.jsonl
  voskar compare before.jsonl after.jsonl --json

\b
Exit codes: 0 nothing differs, 1 something does, 2 bad input.
""",
)
@click.argument("files", nargs=-1, metavar="BEFORE AFTER | RULEBOOK RULEBOOK RECORDING | RULEBOOK RECORDING RECORDING")
@account_options()
@click.option(
    "--near",
    type=click.IntRange(0),
    metavar="N",
    help="Frames by which a hit may be off and be the same one.  [half a second]",
)
@all_option("the differences that follow from earlier ones")
@json_option("one object")
def command(
    files: tuple[str, ...],
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    near: int | None,
    everything: bool,
    as_json: bool,
) -> int:
    """Tell which hits, deaths, returns and ends two replays do not share.

    Only causes are listed: --all lists what follows from them too.
    """
    (before, after), ground = ledgers(files, reactions, within, resync=resync)
    found = compare(before, after, near, ground=ground)
    if as_json:
        click.echo(json.dumps(plain(found)))
    else:
        show(found, everything=everything)
    return DISAGREED if found.differences else AGREED


def ledgers(
    files: tuple[str, ...], reactions: str | None, within: tuple[str, ...] = (), *, resync: bool = True
) -> tuple[tuple[Ledger, Ledger], tuple[Rules, Recording] | None]:
    """The two ledgers that some files stand for, and what the first of them was made of."""
    rulebooks = [name for name in files if name.lower().endswith(".toml") and not name.lower().endswith(".stage.toml")]
    others = [name for name in files if name not in rulebooks]
    if len(files) == 2 and not rulebooks:
        return (read_ledger(files[0]), read_ledger(files[1])), None
    if len(files) == 3 and len(rulebooks) in (1, 2) and not any(is_ledger(name) for name in others):
        pairs = [(book, recording) for book in rulebooks for recording in others]
        found = []
        for book, recording in pairs:
            ready, played = load(book, recording, reactions)
            rules = ready.rules(played.rate)
            found.append((replay(rules, played, resync_of(played, within, resync)), (rules, played)))
        return (found[0][0], found[1][0]), found[0][1]
    raise click.UsageError("give two ledgers, two rulebooks and a recording, or a rulebook and two recordings")


def show(found: LedgerDiff, *, everything: bool) -> None:
    """A table of what differs."""
    out = present.console()
    shown = found.differences if everything else found.causes
    if shown:
        table = present.table("", [("frame", "right"), ("difference", ""), ("what", ""), ("before", ""), ("after", "")])
        table.title = None
        for one in shown[:ROWS]:
            name = Text(one.change, STYLES[one.change])
            what = one.what if one.follows is None else f"{one.what} (follows from {one.follows})"
            table.add_row(str(one.frame), name, what, one.before, one.after)
        out.print(table)
        if len(shown) > ROWS:
            out.print(f"… and {len(shown) - ROWS} more: see them with --json", style="dim")
        out.print()
    counts = {change: sum(difference.change == change for difference in found.differences) for change in STYLES}
    told = [f"{number} {change}" for change, number in counts.items() if number] or ["nothing differs"]
    following = len(found.differences) - len(found.causes)
    more = f"; {following} of them follow from earlier ones" if following else ""
    more += ": see them with --all" if following and not everything else ""
    out.print(f"{counted(found.same, 'event')} in common, {', '.join(told)}{more}")


def plain(found: LedgerDiff) -> dict[str, object]:
    """The machine form."""
    return {
        "voskar": "compare",
        "version": 2,
        "same": found.same,
        "differences": [vars(difference) for difference in found.differences],
    }
