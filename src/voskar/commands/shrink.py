"""`voskar shrink`: the smallest scene that still shows a finding."""

from __future__ import annotations

import shlex
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import click
import msgspec
import tomlkit
from rich.progress import Progress

from voskar.commands import present
from voskar.commands.options import cluster_option, engine_of, load, resync_option, within_option
from voskar.core.adopt import Windows
from voskar.core.recording import Recording
from voskar.errors import InputError, Problem, VoskarError
from voskar.evidence.check import check
from voskar.evidence.finding import Finding
from voskar.evidence.words import accounts
from voskar.files.reading import made_folder, whole_file
from voskar.files.recording import open_frames, read_recording, read_stage_text
from voskar.files.rulebook import Rulebook, check_source
from voskar.files.toml_sources import Source
from voskar.files.windows import parse_windows

MOST = 40
"""Findings of one recording that are made small at most."""
SPREADS = (8, 30, 90, 240, 1000, 1 << 30)
"""Frames before a finding that may matter, the fewest first."""
AFTER = 35
"""Frames behind it: half a second and a little, in which something may still be the same at another frame."""


@click.command(
    epilog="""
\b
Example:
  voskar shrink apiary.toml meadow.jsonl -o first.stage.toml
  voskar shrink apiary.toml meadow.jsonl --finding 2 -o twice.stage.toml
"""
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recording", metavar="RECORDING")
@within_option
@resync_option(default=True)
@click.option(
    "--finding", "number", default=1, show_default=True, type=click.IntRange(1), help="Which, as `check` lists."
)
@click.option("-o", "--out", default="small.stage.toml", show_default=True, metavar="FILE", help="A stage script.")
@click.option("--rules", "ruled", metavar="FILE", help="Also the rules that it needs, as a rulebook of their own.")
@cluster_option("")
@click.option("--overwrite", is_flag=True, help="Write over FILE if it is there.")
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
    """Make of RECORDING the smallest scene that still shows a finding: same sort, same pair, same gate.

    Frames, actors, claims, inputs and clips are taken away, ways made straight and round, as long as it is still
    there. A bug of half a minute becomes a script of ten lines, to mail, to keep, to put into a ticket; with --rules
    its rulebook too has only what is needed. Ctrl-C writes the best so far.
    """
    if not out.endswith(".stage.toml"):
        raise InputError(Problem("expected a name that ends in .stage.toml", file=out, key="--out"))
    for path, key in ((out, "--out"), (ruled, "--rules")):
        if path is not None and Path(path).exists() and not overwrite:
            raise InputError(Problem("the file is there already", file=path, key=key, hint="add --overwrite"))
    if ruled is not None and Path(ruled).resolve().parent != Path(rulebook).resolve().parent:
        message = "expected a name beside the rulebook, whose images it may need"
        raise InputError(Problem(message, file=ruled, key="--rules"))
    parse_windows(within)
    work = Shrinking(rulebook, recording, number, within, resync, ruled is not None)
    with engine_of(None, cluster) as engine:
        small = next(engine(shrink, [work]))
    with whole_file(out) as part:
        part.write_text(small.text, encoding="utf-8")
    click.echo(small.told)
    click.echo(f"{out}: {small.size}")
    if ruled is not None:
        with whole_file(ruled) as part:
            part.write_text(small.rules, encoding="utf-8")
        click.echo(f"{ruled}: {present.count(_lines(small.rules), 'line')}, of {small.of}")
    click.echo(f"next: voskar check {shlex.join([ruled or rulebook, out])}")


@dataclass(frozen=True)
class Shrinking:
    """What is to be made small: the `number`th finding of a recording, and perhaps the rules with it."""

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
        message = f"found {work.number}, expected at most {len(verdict.roots)}: so many findings there are"
        raise InputError(Problem(message, key="--finding"))
    finding = verdict.roots[work.number - 1][0]
    small = shrunk(book.whole, work.recording, finding, windows, resync=work.resync)
    if not work.with_rules:
        return small
    rules = needed_rules(_Search(book.whole, windows, finding, resync=work.resync), small.text)
    return replace(small, rules=rules, of=_lines(tomlkit.dumps(book.whole.source.raw)))


@dataclass(frozen=True)
class Shrunk:
    """A stage script, what it took to find it, and how large it is, in words; the rules that it needs, and how many
    lines they were."""

    text: str
    told: str
    size: str
    rules: str = ""
    of: int = 0


def shrunk(book: Rulebook, recording: str, finding: Finding, windows: Windows, *, resync: bool) -> Shrunk:
    """The smallest scene that shows a finding, with a bar while it is sought. Ctrl-C takes the best so far.

    Raises VoskarError where a stage script cannot show it.
    """
    from voskar.shrink import reduced, script_of, script_text

    search = _Search(book, windows, finding, resync=resync)
    header, frames = _plain_frames(recording)
    frames = search.cut(header, frames)
    best = script_of(header, frames)
    if not search.shows(best):
        told = "the scripts made here do not say all that this finding needs (velocities, a scale that changes)"
        raise VoskarError(f"{told}; the frames that it needs are {frames[0]['frame']} to {frames[-1]['frame']}")

    def tell(script: dict[str, Any]) -> None:
        nonlocal best
        best = script
        keys = sum(len(part["way"]) for part in script["parts"])
        bar.update(task, description=f"{present.count(len(script['parts']), 'actor')}, {present.count(keys, 'key')}")

    console = present.console()
    with Progress(transient=True, disable=not console.is_terminal, console=console) as bar:
        task = bar.add_task("shrinking", total=None)
        try:
            best = reduced(best, search.shows, tell)
        except KeyboardInterrupt:
            click.echo("interrupted: this is the best so far", err=True)
    game, rules = accounts(finding)
    about = (
        f"{finding.sort} in frame {finding.frame} of {Path(recording).name}, made small.\ngame: {game}\nrules: {rules}"
    )
    text = script_text(best, about)
    lines = _lines(text)
    needed = f"{present.count(len(frames), 'frame')} needed, {search.tried} scenes tried"
    size = f"{lines} lines, {present.count(len(best['parts']), 'actor')}"
    return Shrunk(text, f"{finding.sort} in {finding.frame}: {needed}", size)


def _lines(text: str) -> int:
    """Lines that say something."""
    return len([line for line in text.splitlines() if line and not line.startswith("#")])


def needed_rules(search: _Search, script: str) -> str:
    """The TOML of the rules that a script needs to show its finding, with a bar while they are sought. Ctrl-C takes the
    best so far."""
    from voskar.shrink import reduced_rules

    raw = search.book.source.raw
    best = raw

    def tell(rules: dict[str, Any]) -> None:
        nonlocal best
        best = rules
        bar.update(task, description=f"rules, {present.count(_lines(tomlkit.dumps(rules)), 'line')}")

    console = present.console()
    with Progress(transient=True, disable=not console.is_terminal, console=console) as bar:
        task = bar.add_task("rules", total=None)
        try:
            best = reduced_rules(raw, lambda rules: search.shows_by(rules, script), tell)
        except KeyboardInterrupt:
            click.echo("interrupted: these are the fewest so far", err=True)
    about = f"# What {search.finding.sort} in frame {search.finding.frame} needs of {Path(search.book.path).name}.\n"
    return about + tomlkit.dumps(best)


def shrink_findings(
    book: Rulebook, recording: str, findings: Sequence[Finding], windows: Windows, folder: Path, *, resync: bool
) -> None:
    """A script of each finding, up to 40; tells each, and those that no script can show."""
    made_folder(folder)
    stem = Path(recording).name.split(".")[0]
    for number, one in enumerate(findings[:MOST], 1):
        path = folder / f"{stem}-{number:02}-frame-{one.frame}-{one.sort}.stage.toml"
        try:
            small = shrunk(book, recording, one, windows, resync=resync)
        except VoskarError as error:
            click.echo(f"{one.sort} in {one.frame}: {error}", err=True)
            continue
        with whole_file(path) as part:
            part.write_text(small.text, encoding="utf-8")
        click.echo(f"{path}: {small.size}")


def _plain_frames(recording: str) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    with open_frames(recording) as source:
        return source.header, [msgspec.to_builtins(frame) for _, frame in source.frames]


class _Search:
    """Whether a scene still shows a finding."""

    def __init__(self, book: Rulebook, windows: Windows, finding: Finding, *, resync: bool) -> None:
        self.book, self.windows, self.finding, self.resync, self.tried = book, windows, finding, resync, 0
        self.wanted = _signature(finding)
        self.known: set[tuple[object, ...]] | None = None
        """All findings of the smallest scene so far."""

    def cut(self, header: Mapping[str, Any], frames: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
        """The fewest frames about it, of a few spreads, that still show it."""
        place = next(k for k, frame in enumerate(frames) if frame["frame"] == self.finding.frame)
        for before in SPREADS:
            some = list(frames[max(place - before, 0) : place + AFTER + 1])
            lines = [msgspec.json.encode(header), *map(msgspec.json.encode, some)]
            try:
                played = read_recording(lines, "the scene", self.book)
            except InputError:
                continue  # who is claimed or owned is not in it yet
            self.known = None
            if self._is_in(played):
                self.known = None  # a script may show others
                return some
        return list(frames)

    def shows(self, script: dict[str, Any]) -> bool:
        """Whether a script does."""
        from voskar.shrink import script_text

        try:
            return self._is_in(read_stage_text(script_text(script, ""), "the scene", self.book))
        except InputError:
            return False

    def shows_by(self, rules: dict[str, Any], script: str) -> bool:
        """Whether a script does by other rules."""
        source = self.book.source
        try:
            book = check_source(Source(source.name, rules, dict(source.places), source.root))
            return self._is_in(read_stage_text(script, "the scene", book), book)
        except InputError:
            return False

    def _is_in(self, played: Recording, book: Rulebook | None = None) -> bool:
        self.tried += 1
        rules = (book or self.book).rules(played.rate)
        verdict, _ = check(rules, played, windows=self.windows, resync=self.resync)
        found = {_signature(root) for root, _ in verdict.roots}
        if self.wanted not in found or (self.known is not None and not found <= self.known):
            return False  # nor one that was not there before, as of a hit whose claim is taken away
        self.known = found
        return True


def _signature(one: Finding) -> tuple[object, ...]:
    """What stays the same: sort, pair, gate, and by how much it is off."""
    return one.sort, one.striker, one.target, None if one.why is None else one.why.gate, one.shift
