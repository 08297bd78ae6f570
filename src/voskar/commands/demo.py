"""`voskar demo`: the night apiary, written to a folder and run."""

from __future__ import annotations

import shlex
from pathlib import Path

import click

from voskar import demo
from voskar.commands.main import BAD_INPUT, run
from voskar.errors import InputError, Problem
from voskar.files.reading import plain_errors

FOLDER = "night-apiary"

STEPS = (
    ("replay", "apiary.toml", "meadow.jsonl"),
    ("check", "apiary.toml", "meadow.jsonl"),
    ("replay", "swarm.toml", "swarm.jsonl"),
    ("check", "swarm.toml", "swarm.jsonl"),
    ("check", "--suite", "voskar.toml"),
)
"""What the demo runs, in its own folder."""


@click.command(
    epilog="""
\b
Example:
  voskar demo
  voskar demo apiary-to-play-with
"""
)
@click.argument("directory", required=False, metavar="[DIR]", type=click.Path(path_type=Path))
@click.option("--overwrite", is_flag=True, help="Write into DIR even if it holds files already.")
def command(directory: Path | None, overwrite: bool) -> None:
    """Write the night apiary's rulebooks and recordings to DIR, and run the full example on them.

    DIR is a new folder in the current one unless named. Every command that runs is shown, so that it can be
    repeated by hand. The recordings come from a game with bugs, which `check` finds: two in each of the two long
    ones, and one of each usual sort in the short ones of the suite.
    """
    folder = directory or _new_folder()
    with plain_errors(folder):
        if folder.exists() and any(folder.iterdir()) and not overwrite:
            hint = "name another, or add --overwrite"
            raise InputError(Problem("the folder holds files already", file=str(folder), hint=hint))
        folder.mkdir(parents=True, exist_ok=True)
    written = demo.write(folder)
    click.echo(f"wrote {written} files to {folder}\n")
    for name, *arguments in STEPS:
        line = [name, *(one if one.startswith("-") else str(folder / one) for one in arguments)]
        click.secho(f"$ voskar {shlex.join(line)}", bold=True)
        if run(line) >= BAD_INPUT:
            raise AssertionError("the demo's own files are refused")
        click.echo()
    click.echo(f"The same by hand: the lines after $, or `voskar --help`. The files are in {folder}.")


def _new_folder() -> Path:
    number = 1
    while (folder := Path(FOLDER if number == 1 else f"{FOLDER}-{number}")).exists():
        number += 1
    return folder
