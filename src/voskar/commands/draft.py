"""`voskar draft`: a first rulebook from recordings."""

from __future__ import annotations

from pathlib import Path

import click

from voskar.commands import present
from voskar.commands.options import Command, out_option, overwrite_option
from voskar.errors import InputError, Problem, printable
from voskar.evidence.check import check_hits
from voskar.files.reading import write_text
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.files.schemas import schema_line
from voskar.files.windows import parse_windows
from voskar.words import counted

LAGS = (0, 2, 4, 8)
"""Windows that the draft is checked with."""


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar draft meadow.jsonl -o first.toml --overwrite
""",
)
@click.argument("recordings", metavar="RECORDING...", nargs=-1, required=True)
@out_option("Where to write the rulebook", "rules.toml")
@overwrite_option
def command(recordings: tuple[str, ...], out: str, overwrite: bool) -> None:
    """Draft a rulebook from what RECORDINGs show and claim, each value with the evidence for it.

    What could not be inferred is listed at the end, with what to log for it. Then the recordings are checked by it: how
    much the draft explains.
    """
    from voskar.draft import guess, rulebook_text

    path = Path(out)
    if path.exists() and not overwrite:
        raise InputError(Problem("the file is there already", file=out, key="--out", hint="add --overwrite"))
    if path.suffix != ".toml":
        raise InputError(Problem(f'found the ending "{path.suffix}", expected .toml', file=out, key="--out"))
    loaded = [load_recording(recording, None) for recording in recordings]
    found = guess(loaded)
    names = [printable(Path(recording).name) for recording in recordings]
    write_text(path, schema_line(path, "rulebook") + rulebook_text(found, names))
    kinds = counted(len(found.kinds), "kind")
    present.say(f"drafted {out}: {kinds}, {counted(len(found.attacks), 'attack')}")
    for note in found.notes:
        present.say(f"  the log: {note}")
    for text in found.unknown:
        present.say(f"  not known: {text}")
    # The draft is read back from the file, so that the check uses exactly what the user gets.
    book, late = load_rulebook(out), 0
    for name, played in zip(recordings, loaded, strict=True):
        texts: list[str] = []
        most = -1
        for lag in LAGS:
            landed = check_hits(book.rules(played.rate), played, parse_windows([f"0,{lag}"]))
            texts.append(f"{landed.agreed} within {counted(lag, 'frame')}" if lag else f"{landed.agreed}")
            spare = sum(finding.code == "hit-missing" for finding in landed.findings)
            # The smallest window with the most agreement: a wider one may pair hits by chance.
            if landed.agreed > most:
                most, late = landed.agreed, max(late, lag)
            if landed.agreed == landed.claims:
                break
        agree = ", ".join(texts)
        present.say(f"{name}: of {counted(landed.claims, 'claimed hit')} agree {agree}; {spare} not claimed")
    within = f" --within 0,{late}" if late else ""
    present.say(f"next: voskar check {out} {recordings[0]}{within}")
