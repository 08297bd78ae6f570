"""`voskar convert`: a recording in another of its forms."""

from __future__ import annotations

import sys

import click

from voskar.commands import present
from voskar.commands.options import Command, tables_option
from voskar.files.recording import read_whole
from voskar.files.source import FrameSource
from voskar.files.writing import write_recording
from voskar.words import counted


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar convert meadow.jsonl meadow-tables
  voskar convert meadow.jsonl meadow-csv --tables csv
  voskar convert meadow.jsonl meadow.jsonl.gz
""",
)
@click.argument("recording", metavar="RECORDING")
@click.argument("out", metavar="OUT")
@tables_option
def command(recording: str, out: str, tables: str) -> None:
    """Write RECORDING in another form: JSON Lines if OUT ends in .jsonl or .jsonl.gz, else a folder of tables.

    Every check but that of kinds is made on the way, and nothing is left behind if one fails. The ledgers of
    both forms are the same.
    """
    from rich.console import Console
    from rich.progress import Progress

    err = Console(file=sys.stderr)

    def write(source: FrameSource) -> int:
        # The share of bytes read is known; the number of frames is not.
        with Progress(console=err, transient=True, disable=not err.is_terminal) as bar:
            task = bar.add_task("converting", total=1.0)
            frames = write_recording(source, out, tables, lambda: bar.update(task, completed=source.share()))
        for warning in source.warnings:
            present.say(f"warning: {warning}", err=True)
        return frames

    frames = read_whole(recording, write)
    present.say(f"wrote {counted(frames, 'frame')} to {out}")
