"""`voskar page`: a recording to be played and searched in a browser, in one file."""

from __future__ import annotations

from pathlib import Path

import click

from voskar.commands import present
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
from voskar.explaining.weighing import weigh
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
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recording", metavar="RECORDING")
@account_options()
@tolerance_option
@explain_options()
@watch_option
@frames_option
@out_option("Where to write the page.  [default: the recording's name, .html]")
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    tolerance: float,
    trials: int,
    frames: tuple[int, int] | None,
    out: str | None,
) -> None:
    """Write RECORDING as a page: played frame by frame, with all that `check` finds of it by RULEBOOK.

    One file that fetches nothing: open it from disk, send it, keep it with a build.
    """
    path = Path(out or f"{Path(recording).name.split('.')[0] or 'recording'}.html")
    if path.suffix.lower() not in (".html", ".htm"):
        raise InputError(Problem(f'found the ending "{path.suffix}", expected .html', file=str(path), key="--out"))
    windows = parse_windows(within)
    book, played = load(rulebook, recording, reactions)
    rules = book.rules(played.rate)
    first, last = (
        (played.first, played.last) if frames is None else (max(frames[0], played.first), min(frames[1], played.last))
    )
    if first > last:
        message = f"expected frames of the recording, {played.first} to {played.last}"
        raise InputError(Problem(message, key="--frames"))
    found = weigh(
        rules,
        played,
        windows=windows,
        tolerance=tolerance,
        resync=resync,
        variants=variants_of(book, played),
        trials=trials,
        watched_whole=True,
    )
    from voskar.pages.data import page_data
    from voskar.pages.render import render_page

    text = render_page(page_data(rules, played, found, (rulebook, recording), (first, last)))
    write_text(path, text)
    size = Path(path).stat().st_size / 1e6
    told = counted(len(found.verdict.roots), "finding")
    present.say(f"{path}: frames {first} to {last}, {told}, {size:.1f} MB; open it in a browser")
