"""`voskar demo`: the night apiary, written to a folder and run."""

from __future__ import annotations

import shlex
from pathlib import Path

import click

from voskar import demo
from voskar.commands.main import BAD_INPUT, INTERRUPTED, run
from voskar.commands.options import Command, all_option, overwrite_option
from voskar.errors import InputError, Problem
from voskar.files.reading import plain_errors

FOLDER = "night-apiary"

FILE = "@"
"""Marks a word as a file of the demo's folder."""

STORY = (
    ("Where does the game disagree with its rules?", ("check", "@apiary.toml", "@meadow.jsonl")),
    ("Why is the hit in 273 not the rules'?", ("why", "@apiary.toml", "@meadow.jsonl", "--frame", "273")),
    ("And all recordings, one mistake in each of the short ones:", ("suite", "@voskar.toml", "--brief")),
    ("And a fight, two keepers in the ring:", ("moves", "@ring/sparring.toml")),
    ("Is a right match silent, and each mistake found?", ("suite", "@ring/voskar.toml", "--brief")),
    ("To look at:", ("page", "@apiary.toml", "@meadow.jsonl", "-o", "@meadow.html")),
    ("", ("page", "@swarm.toml", "@swarm.jsonl", "-o", "@swarm.html")),
    ("", ("draw", "@apiary.toml", "@meadow.jsonl", "--frame", "1131", "--actor", "keeper", "-o", "@twice.png")),
)
"""The commands that the demo runs, each under the question that it answers."""

REST = (
    ("", ("replay", "@apiary.toml", "@meadow.jsonl")),
    ("", ("replay", "@swarm.toml", "@swarm.jsonl")),
    ("", ("check", "@swarm.toml", "@swarm.jsonl")),
    ("", ("suite", "@voskar.toml")),
)
"""Further commands that it runs with --all."""


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar demo
  voskar demo apiary-to-play-with
""",
)
@click.argument("directory", required=False, metavar="[DIR]", type=click.Path(path_type=Path))
@overwrite_option
@all_option("the replays and the whole suite too")
def command(directory: Path | None, overwrite: bool, everything: bool) -> None:
    """Write the night apiary's rulebooks and recordings to DIR, and run the full example on them.

    DIR is a new folder in the current one unless named. Every command that runs is shown, so that it can be
    repeated by hand. The recordings come from a game with bugs, which `check` finds: two in each of the two long
    ones, and one of each usual kind in the short ones of the suite.
    """
    folder = directory or _new_folder()
    with plain_errors(folder):
        if folder.exists() and any(folder.iterdir()) and not overwrite:
            hint = "name another, or add --overwrite"
            raise InputError(Problem("the folder holds files already", file=str(folder), hint=hint))
        folder.mkdir(parents=True, exist_ok=True)
    written = demo.write(folder)
    click.echo(f"wrote {written} files to {folder}:")
    click.echo("  apiary.toml, swarm.toml    rulebooks of a night apiary")
    click.echo("  meadow.jsonl, swarm.jsonl  what its game did, with two bugs in each")
    click.echo(
        "  voskar.toml, bugs, right   a suite: scenes with one usual mistake each, and the same scenes without it"
    )
    click.echo("  ring                       a sparring match of two keepers, with its own suite\n")
    for question, words in (*STORY, *(REST if everything else ())):
        line = [str(folder / word[1:]) if word.startswith(FILE) else word for word in words]
        if question:
            click.secho(question, bold=True)
        click.secho(f"$ voskar {shlex.join(line)}", dim=True)
        # `run` in the same process: a second interpreter for each command would double the time.
        code = run(line)
        if code == INTERRUPTED:
            raise click.Abort
        # Disagreements are the point of the demo, so only bad input is an error.
        if code >= BAD_INPUT:
            raise AssertionError("the demo's own files are refused")
        click.echo()
    suffix = "" if everything else "More of this: voskar demo --all. "
    click.echo(f"Next: open {folder / 'meadow.html'} in a browser and press n; repeat any line after $;")
    click.echo(f"or begin with your own game: voskar init. {suffix}All commands: voskar --help")


def _new_folder() -> Path:
    number = 1
    # A second demo must not write over files that the user has changed.
    while (folder := Path(FOLDER if number == 1 else f"{FOLDER}-{number}")).exists():
        number += 1
    return folder
