"""`voskar shrink`: the smallest scene that still shows a finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import click
from rich.progress import Progress

from voskar.commands import present
from voskar.commands.options import (
    Command,
    cluster_option,
    engine_of,
    load,
    out_option,
    overwrite_option,
    resync_option,
    within_option,
)
from voskar.core.adopt import Windows
from voskar.errors import InputError, Problem, VoskarError
from voskar.evidence.check import check
from voskar.evidence.finding import Finding
from voskar.files.reading import made_folder, write_text
from voskar.files.rulebook import Rulebook
from voskar.files.windows import parse_windows
from voskar.shrink import Search, Shrunk, lines_of, needed_rules, shrunk
from voskar.words import command_line, counted

MOST = 40
"""Findings of one recording that are made small at most."""


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar shrink apiary.toml meadow.jsonl -o first.stage.toml
  voskar shrink apiary.toml meadow.jsonl --finding 2 -o twice.stage.toml
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recording", metavar="RECORDING")
@within_option
@resync_option(default=True)
@click.option(
    "--finding",
    "number",
    default=1,
    show_default=True,
    type=click.IntRange(1),
    help="Number of the finding, as `check` lists.",
)
@out_option("Where to write the stage script", "small.stage.toml")
@click.option("--rules", "ruled", metavar="FILE", help="Also the rules that it needs, as a rulebook of their own.")
@cluster_option
@overwrite_option
def command(
    rulebook: str,
    recording: str,
    within: tuple[str, ...],
    resync: bool,
    number: int,
    out: str,
    ruled: str | None,
    cluster: str | None,
    overwrite: bool,
) -> None:
    """Make of RECORDING the smallest scene that still shows a finding: same code, same pair, same gate.

    Frames, actors, claims, inputs and clips are taken away, ways made straight and round, as long as the finding
    stays. A bug of half a minute becomes a script of ten lines, to mail, to keep, to put into a ticket; with --rules
    its rulebook is as small as possible, too. Ctrl-C writes the best so far.
    """
    if not out.endswith(".stage.toml"):
        raise InputError(Problem("expected a name that ends in .stage.toml", file=out, key="--out"))
    for path, key in ((out, "--out"), (ruled, "--rules")):
        if path is not None and Path(path).exists() and not overwrite:
            raise InputError(Problem("the file is there already", file=path, key=key, hint="add --overwrite"))
    # Paths in a rulebook are relative to its folder.
    if ruled is not None and Path(ruled).resolve().parent != Path(rulebook).resolve().parent:
        message = "expected a name in the folder of the rulebook: it may need its images"
        raise InputError(Problem(message, file=ruled, key="--rules"))
    parse_windows(within)
    work = Shrinking(rulebook, recording, number, within, resync, ruled is not None)
    # On a cluster the search runs on a worker, and only its text comes back.
    with engine_of(None, cluster) as engine:
        small = next(engine(shrink, [work]))
    write_text(out, small.text)
    if small.interrupted:
        present.say("interrupted: this is the best so far", err=True)
    present.say(small.summary)
    present.say(f"{out}: {small.size}")
    if ruled is not None:
        write_text(ruled, small.rules)
        present.say(f"{ruled}: {counted(lines_of(small.rules), 'line')}, of {small.of}")
    present.say(f"next: voskar check {command_line([ruled or rulebook, out])}")


@dataclass(frozen=True)
class Shrinking:
    """The input of a shrink: the `number`th finding of a recording, and perhaps the rules with it."""

    rulebook: str
    recording: str
    number: int
    within: tuple[str, ...]
    resync: bool
    with_rules: bool


def shrink(work: Shrinking) -> Shrunk:
    """The smallest scene, and the rules it needs. Raises InputError where there are not so many findings."""
    windows = parse_windows(work.within)
    book, played = load(work.rulebook, work.recording)
    verdict, _ = check(book.rules(played.rate), played, windows=windows, resync=work.resync)
    if work.number > len(verdict.roots):
        message = f"found {work.number}, expected at most {len(verdict.roots)}: that is the number of findings"
        raise InputError(Problem(message, key="--finding"))
    finding = verdict.roots[work.number - 1][0]
    search = Search(book.whole, windows, finding, resync=work.resync)
    with _bar() as tell:
        small = shrunk(search, work.recording, tell)
        if work.with_rules:
            small = needed_rules(search, small, tell)
    return small


@contextmanager
def _bar() -> Iterator[Callable[[str], None]]:
    """A bar that states how far a search has come."""
    console = present.console()
    with Progress(transient=True, disable=not console.is_terminal, console=console) as bar:
        task = bar.add_task("shrinking", total=None)
        yield lambda text: bar.update(task, description=text)


def shrink_findings(
    book: Rulebook, recording: str, findings: Sequence[Finding], windows: Windows, folder: Path, *, resync: bool
) -> None:
    """Writes a script of each finding, up to 40; prints each, and those that no script can show."""
    made_folder(folder)
    stem = Path(recording).name.split(".")[0]
    for number, finding in enumerate(findings[:MOST], 1):
        # The number keeps the order of the findings; the frame alone may occur twice.
        path = folder / f"{stem}-{number:02}-frame-{finding.frame}-{finding.code}.stage.toml"
        try:
            with _bar() as tell:
                small = shrunk(Search(book, windows, finding, resync=resync), recording, tell)
        except VoskarError as error:
            # One finding without a scene must not lose the scenes of the others.
            present.say(f"{finding.code} in {finding.frame}: {error}", err=True)
            continue
        write_text(path, small.text)
        present.say(f"{path}: {small.size}")
