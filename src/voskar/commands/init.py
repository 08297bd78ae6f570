"""`voskar init`: a folder to begin in."""

from __future__ import annotations

from pathlib import Path

import click

from voskar.commands import present
from voskar.commands.options import Command, overwrite_option
from voskar.errors import InputError, Problem
from voskar.files.reading import plain_errors
from voskar.start import LOGGERS, contents, write


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar init combat
  voskar init with-logger --logger cpp
""",
)
@click.argument("directory", required=False, default=".", metavar="[DIR]", type=click.Path(path_type=Path))
@click.option("--logger", type=click.Choice(list(LOGGERS)), help="Write a logger to copy into the game, too.")
@overwrite_option
def command(directory: Path, logger: str | None, overwrite: bool) -> None:
    """Write a small rulebook, a suite, and a scene by hand to DIR, or to this folder: something that runs, to change.

    A logger is one file without dependencies. It buffers, and never throws into the game.
    """
    texts = contents(logger)
    with plain_errors(directory):
        # All files are checked first: a folder with half of them would be worse than none.
        held = [name for name in texts if (directory / name).exists()]
    if held and not overwrite:
        hint = "name another folder, or add --overwrite"
        raise InputError(Problem(f"{', '.join(held)} there already", file=str(directory), hint=hint))
    write(directory, texts)
    shown = dict.fromkeys("schema" if name.startswith("schema/") else name for name in texts)
    present.say(f"wrote {', '.join(shown)}" + ("" if directory == Path(".") else f" to {directory}"))
    enter = "" if directory == Path(".") else f"cd {directory}; "
    present.say(f"next: {enter}voskar suite    (finds the one hit too many in first.stage.toml)")
