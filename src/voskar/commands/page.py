"""`voskar page`: a recording, or two versions of it, to be played and searched in a browser, in one file."""

from __future__ import annotations

from pathlib import Path

import click

from voskar.commands import present
from voskar.commands.compare import Side, is_two_versions, two_versions
from voskar.commands.options import (
    Command,
    account_options,
    explain_options,
    frames_option,
    load,
    out_option,
    tolerance_option,
    variants_of,
)
from voskar.commands.watching import watch_option
from voskar.errors import InputError, Problem
from voskar.evidence.versions import Version, compare_versions
from voskar.explaining.weighing import Weighed, weigh
from voskar.files.reading import write_text
from voskar.files.windows import parse_windows
from voskar.words import counted


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar page apiary.toml meadow.jsonl -o meadow.html
  voskar page apiary.toml meadow.jsonl --frames 200-400 --within 1
  voskar page ring/sparring.toml ring/right/parry-late.jsonl ring/bugs/parry-late.jsonl -o two.html
""",
)
@click.argument("files", nargs=-1, metavar="RULEBOOK RECORDING | RULEBOOK OLD NEW | OLD NEW RECORDING")
@account_options()
@tolerance_option
@explain_options()
@watch_option
@frames_option
@out_option("Where to write the page.  [default: the recording's name, .html]")
def command(
    files: tuple[str, ...],
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    tolerance: float,
    trials: int,
    frames: tuple[int, int] | None,
    out: str | None,
) -> None:
    """Write RECORDING as a page: played frame by frame, with all that `check` finds of it by RULEBOOK.

    Of two recordings or two rulebooks the page shows the new version, the old one as outlines, and what differs. One
    file that fetches nothing: open it from disk, send it, keep it with a build.
    """
    if not (len(files) == 2 or is_two_versions(files)):
        raise click.UsageError("give a rulebook and a recording, and a second one of either to see both")
    *_, recording = files
    # A name such as `meadow.jsonl.gz` has two endings.
    path = Path(out or f"{Path(recording).name.split('.')[0] or 'recording'}.html")
    if path.suffix.lower() not in (".html", ".htm"):
        raise InputError(Problem(f'found the ending "{path.suffix}", expected .html', file=str(path), key="--out"))
    windows = parse_windows(within)
    other = None
    if len(files) == 2:
        book, played = load(files[0], recording, reactions)
        side = Side(book, Version(book.rules(played.rate), played), (files[0], recording))
    else:
        other, side = two_versions(files, reactions)
    played = side.version.recording
    first, last = (
        (played.first, played.last) if frames is None else (max(frames[0], played.first), min(frames[1], played.last))
    )
    if first > last:
        message = f"expected frames of the recording, {played.first} to {played.last}"
        raise InputError(Problem(message, key="--frames"))
    # The page needs templates, which take time to import.
    from voskar.pages.data import PageData, other_data, page_data
    from voskar.pages.render import render_page

    def data(side: Side, trials: int) -> tuple[PageData, Weighed]:
        version = side.version
        found = weigh(
            version.rules,
            version.recording,
            windows=windows,
            tolerance=tolerance,
            resync=resync,
            variants=variants_of(side.book, version.recording),
            trials=trials,
            watched_whole=True,
        )
        return page_data(version.rules, version.recording, found, side.files, (first, last)), found

    shown, found = data(side, trials)
    if other is None:
        text = render_page(shown)
    else:
        # The old version is shown as outlines, so nothing of it has to be explained.
        before, ledger = data(other, 0)
        # Both ledgers are known already; a comparison by itself would replay twice.
        ledgers = {id(other.version): ledger.ledger, id(side.version): found.ledger}
        differs = compare_versions(
            other.version,
            side.version,
            lambda version: ledgers[id(version)],
            None,
            0,
            is_one_recording=other.files[1] == side.files[1],
        )
        text = render_page(shown, other_data(before, differs))
    write_text(path, text)
    size = Path(path).stat().st_size / 1e6
    words = counted(len(found.verdict.roots), "finding")
    present.say(f"{path}: frames {first} to {last}, {words}, {size:.1f} MB; open it in a browser")
