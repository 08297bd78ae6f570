"""`voskar stage`: a recording written by hand."""

from __future__ import annotations

import click

from voskar.commands import present
from voskar.commands.options import Command, out_option, tables_option
from voskar.files.stage import read_stage
from voskar.files.writing import write_recording
from voskar.words import counted


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar stage volley.stage.toml -o volley.jsonl
  voskar replay swarm.toml volley.jsonl
""",
)
@click.argument("script", metavar="SCRIPT")
@out_option("Where to write the recording: .jsonl, .jsonl.gz, or a folder for tables", required=True)
@tables_option
def command(script: str, out: str, tables: str) -> None:
    """Play SCRIPT, a few lines of TOML, into a recording.

    For trying a rule before the game has it, and for tests: actors with keyed positions, clips and inputs,
    repeated, copied and mirrored. The recording is raw unless the script says otherwise: hits move its actors.
    """
    frames = write_recording(read_stage(script), out, tables)
    present.say(f"wrote {counted(frames, 'frame')} to {out}")
