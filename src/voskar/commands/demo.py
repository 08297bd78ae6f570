"""`voskar demo`: the night apiary, written to a folder and run."""

from __future__ import annotations

import shlex
from importlib.resources import files
from pathlib import Path

import click

from voskar.commands.main import BAD_INPUT, run
from voskar.demo import meadow, sprites, swarm
from voskar.errors import InputError, Problem
from voskar.files.reading import plain_errors, whole_file

FOLDER = "night-apiary"
TEXTS = (
    "apiary.toml", "gentle.toml", "hive.toml", "meadow.expect.toml", "swarm.toml", "volley.stage.toml", "voskar.toml"
)  # fmt: skip

STEPS = (
    ("replay", "apiary.toml", "meadow.jsonl"),
    ("check", "apiary.toml", "meadow.jsonl"),
    ("replay", "swarm.toml", "swarm.jsonl"),
    ("check", "swarm.toml", "swarm.jsonl"),
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
    """Write the night apiary's rulebook and recording to DIR, and run the full example on them.

    DIR is a new folder in the current one unless named. Every command that runs is shown, so that it can be
    repeated by hand. The recording comes from a game with two bugs, which `check` finds.
    """
    folder = directory or _new_folder()
    with plain_errors(folder):
        if folder.exists() and any(folder.iterdir()) and not overwrite:
            hint = "name another, or add --overwrite"
            raise InputError(Problem("the folder holds files already", file=str(folder), hint=hint))
        folder.mkdir(parents=True, exist_ok=True)
    texts = {name: files("voskar.demo").joinpath(name).read_text(encoding="utf-8") for name in TEXTS}
    texts["meadow.jsonl"] = meadow.text()
    texts["swarm.jsonl"] = swarm.text()
    for name, text in texts.items():
        with whole_file(folder / name) as part:
            part.write_text(text, encoding="utf-8")
    with whole_file(folder / "moth.png") as part:
        sprites.write_moth(part)
    click.echo(f"wrote {', '.join(texts)}, moth.png to {folder}\n")
    for name, *arguments in STEPS:
        line = [name, *(str(folder / argument) for argument in arguments)]
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
