"""`voskar compare`: two ledgers, two rulebooks on one recording, or one rulebook on two recordings."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import click
from rich.text import Text

from voskar.commands import present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import (
    Command,
    account_options,
    all_option,
    json_option,
    load,
    report_form,
    report_option,
    resync_of,
)
from voskar.core.ledger import Ledger, written
from voskar.core.step import replay
from voskar.core.views.statistics import Statistics
from voskar.errors import InputError, Problem
from voskar.evidence.baseline import SORTS as EVENT_SORTS
from voskar.evidence.baseline import LedgerDiff, compare
from voskar.evidence.parting import SORTS, Parted
from voskar.evidence.versions import Version, VersionsCompared, compare_versions
from voskar.files.ledger import is_ledger, read_ledger
from voskar.words import counted

if TYPE_CHECKING:
    from voskar.files.kept import ReadyRulebook

ROWS = 40
ALLOWED = [*SORTS, *dict.fromkeys(EVENT_SORTS.values()), "gained", "lost", "moved", "changed"]
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
  voskar compare ring/sparring.toml ring/right/parry-late.jsonl ring/bugs/parry-late.jsonl
  voskar compare apiary.toml meadow.jsonl meadow.jsonl --allow poses --report compare.xml

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
@click.option(
    "--tolerance",
    type=click.FloatRange(0),
    default=0,
    show_default=True,
    metavar="UNITS",
    help="Distance, in units, by which places of two recordings may differ.",
)
@click.option(
    "--allow",
    type=click.Choice(ALLOWED),
    multiple=True,
    metavar="KIND",
    help=f"A kind of difference that does not count: {', '.join(ALLOWED)}.",
)
@report_option
@all_option("the differences that follow from earlier ones")
@json_option("one object")
def command(
    files: tuple[str, ...],
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    near: int | None,
    tolerance: float,
    allow: tuple[str, ...],
    report: tuple[str, ...],
    everything: bool,
    as_json: bool,
) -> int:
    """Show which hits, deaths, returns and ends two replays do not share.

    Of two recordings it first shows where they part: the first frame in which inputs, poses, claims or spawns differ.
    Only causes are listed: --all lists what follows from them too.
    """
    forms = [(path, report_form(path)) for path in report]
    # Allowed kinds are taken out before the exit code is decided.
    found = compared(files, reactions, within, near, tolerance, resync=resync).without(allow)
    if forms:
        from voskar.suite import reports

        for path, form in forms:
            reports.write([_result(found, files)], path, form, None)
    if as_json:
        click.echo(json.dumps(plain_comparison(found)))
    else:
        if found.parting is not None:
            _show_parting(found)
        if found.statistics is None:
            show(found.differs, everything=everything)
    return DISAGREED if found.any else AGREED


class Side(NamedTuple):
    """One of two versions of a game, with the names of its files."""

    book: ReadyRulebook
    version: Version
    files: tuple[str, str]


def is_two_versions(files: Sequence[str]) -> bool:
    """Whether some files are two versions: two rulebooks and a recording, or a rulebook and two recordings."""
    rulebooks, others = _parted(files)
    return len(files) == 3 and len(rulebooks) in (1, 2) and not any(is_ledger(name) for name in others)


def _parted(files: Sequence[str]) -> tuple[list[str], list[str]]:
    # A stage script ends in .toml as well, but it is a recording.
    rulebooks = [name for name in files if name.lower().endswith(".toml") and not name.lower().endswith(".stage.toml")]
    return rulebooks, [name for name in files if name not in rulebooks]


def two_versions(files: Sequence[str], reactions: str | None, near: int | None = None) -> tuple[Side, Side]:
    """Both, read. Of two recordings the old one has the ids of the new one."""
    rulebooks, others = _parted(files)
    sides = []
    for book, recording in [(book, recording) for book in rulebooks for recording in others]:
        ready, found = load(book, recording, reactions)
        sides.append(Side(ready, Version(ready.rules(found.rate), found), (book, recording)))
    old, new = sides
    if len(others) == 1:
        return old, new
    rates = [written(float(side.version.recording.rate)) for side in sides]
    # Frames of two rates cannot be compared one by one.
    if rates[0] != rates[1]:
        message = f"found {rates[1]} frames a second, expected {rates[0]} as in {others[0]}"
        raise InputError(Problem(message, file=others[1], key="rate"))
    # Ids of pools and random ids differ between runs, so the old one takes those of the new one.
    return old._replace(version=old.version.named_as(new.version, near)), new


def compared(
    files: tuple[str, ...],
    reactions: str | None,
    within: tuple[str, ...],
    near: int | None,
    tolerance: float,
    *,
    resync: bool,
) -> VersionsCompared:
    """The comparison that some files stand for."""
    rulebooks, _ = _parted(files)
    if len(files) == 2 and not rulebooks:
        return VersionsCompared(compare(read_ledger(files[0]), read_ledger(files[1]), near))
    if not is_two_versions(files):
        raise click.UsageError("give two ledgers, two rulebooks and a recording, or a rulebook and two recordings")

    def judge(version: Version) -> Ledger:
        return replay(version.rules, version.recording, resync_of(version.recording, within, resync))

    old, new = two_versions(files, reactions, near)
    return compare_versions(old.version, new.version, judge, near, tolerance, is_one_recording=len(rulebooks) == 2)


def plain_comparison(found: VersionsCompared) -> dict[str, object]:
    """The machine form."""
    own: dict[str, object] = {}
    if found.parting is not None:
        first = found.parting.first
        own["parting"] = {
            "first": None if first is None else _plain_parted(first),
            "firsts": [_plain_parted(difference) for difference in found.parting.firsts],
            "same": found.parting.same,
            "inputs": found.parting.inputs,
        }
    if found.statistics is not None:
        own["statistics"] = [_totals(statistic) for statistic in found.statistics]
    return plain(found.differs) | {"allowed": found.allowed} | own


def _plain_parted(difference: Parted) -> dict[str, object]:
    return {name: value for name, value in difference._asdict().items() if name != "claim"}


def _show_parting(found: VersionsCompared) -> None:
    """Where two recordings part, the parts that are equal until then, and the first difference of each sort."""
    out, own = present.console(), found.parting
    if own is None:
        return
    same = ", ".join(counted(number, name.removesuffix("s")) for name, number in own.same.items() if number)
    first = own.first
    if first is None:
        out.print(f"the recordings are the same: {same}")
        return
    since = min((difference.frame for difference in own.firsts if difference.sort == "inputs"), default=0)
    inputs = {
        "not logged": "no inputs are logged: whether players pressed the same is not known",
        "same": "the inputs are the same to the end: what differs is the game's",
        "other": f"the inputs differ from frame {since} on",
    }[own.inputs]
    where = Text(f"the recordings part in frame {first.frame}: ", style="bold")
    out.print(where + Text(f"{first.what} is {first.old} in the old one, {first.new} in the new one"))
    out.print(f"  the same until then: {same or 'nothing'}")
    # Other inputs lead to other play, so only sums can be compared.
    if own.has_other_inputs:
        inputs += ": what differs behind that is not the game's, and only sums are compared"
    out.print(f"  {inputs}")
    out.print()
    headings = [("first differ in", ""), ("frame", "right"), ("what", ""), ("old", ""), ("new", "")]
    table = present.table("", headings)
    table.title = None
    for entry in own.firsts:
        table.add_row(entry.sort, str(entry.frame), entry.what, entry.old, entry.new)
    out.print(table)
    out.print()
    if found.statistics is not None:
        old, new = map(_totals, found.statistics)
        sums = present.table("", [("sums", ""), ("old", "right"), ("new", "right")])
        sums.title = None
        for name in old:
            sums.add_row(name, str(old[name]), str(new[name]))
        out.print(sums)


def _totals(found: Statistics) -> dict[str, Any]:
    """Sums over all actors."""
    actors = found.actors.values()
    return {
        "frames": found.frames,
        "hits": sum(actor.striking.landed for actor in actors),
        "damage": written(sum(actor.striking.dealt for actor in actors)),
        "deaths": sum(actor.deaths.total() for actor in actors),
        "returns": sum(actor.returns for actor in actors),
    }


def _result(found: VersionsCompared, files: tuple[str, ...]) -> Any:
    """As one recording of a suite, with the old one as its baseline."""
    from voskar.suite.results import Fault, Result, baseline_faults

    faults = [*baseline_faults(found.differs)]
    # Every other difference has its own line already.
    only_logged = ("header", "marks", "inputs", "length")  # the others are among the differences
    for first in found.parting.firsts if found.parting is not None else ():
        if first.sort not in only_logged:
            continue
        text = f"{first.what}: {first.old} in the old recording, {first.new} in the new one"
        faults.insert(0, Fault(f"parting-{first.sort}", first.frame, text, files[-1]))
    counts = f"{counted(found.differs.same, 'event')} in common"
    return Result(files[-1], 0, counts, tuple(sorted(faults, key=lambda fault: fault.frame or 0)))


def show(found: LedgerDiff, *, everything: bool) -> None:
    """A table of what differs."""
    out = present.console()
    shown = found.differences if everything else found.causes
    if shown:
        table = present.table("", [("frame", "right"), ("difference", ""), ("what", ""), ("before", ""), ("after", "")])
        table.title = None
        for entry in shown[:ROWS]:
            name = Text(entry.change, STYLES[entry.change])
            what = entry.what if entry.follows is None else f"{entry.what} (follows from {entry.follows})"
            table.add_row(str(entry.frame), name, what, entry.before, entry.after)
        out.print(table)
        # Thousands of lines are too many to read; the machine form has them all.
        if len(shown) > ROWS:
            out.print(f"… and {len(shown) - ROWS} more: see them with --json", style="dim")
        out.print()
    counts = {change: sum(difference.change == change for difference in found.differences) for change in STYLES}
    text = [f"{number} {change}" for change, number in counts.items() if number] or ["nothing differs"]
    following = len(found.differences) - len(found.causes)
    suffix = f"; {following} of them {'follows' if following == 1 else 'follow'} from earlier ones" if following else ""
    suffix += ": see them with --all" if following and not everything else ""
    out.print(f"{counted(found.same, 'event')} in common, {', '.join(text)}{suffix}")


def plain(found: LedgerDiff) -> dict[str, object]:
    """The machine form."""
    return {
        "voskar": "compare",
        "version": 2,
        "same": found.same,
        "differences": [vars(difference) for difference in found.differences],
    }
