"""`--watch`: a command run again whenever a file that it read has changed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import click

from voskar.commands.main import INTERRUPTED
from voskar.errors import printable
from voskar.files.reading import what_was_read

OPTION = "--watch"


def watched_run(run: Callable[[list[str]], int], arguments: list[str]) -> int:
    """Runs a command line, and again whenever a file that it read changes, until it is interrupted. The last code."""
    from watchfiles import watch

    code = run(arguments)
    try:
        while code != INTERRUPTED:  # Ctrl-C in the middle of a run ends the watching, too
            files = {path for path in what_was_read() if path.exists()} or {Path.cwd()}
            click.secho(f"\nwatching {len(files)} file{'s' * (len(files) != 1)}: Ctrl-C ends it", dim=True, err=True)
            changed: set[str] = set()
            folders = {path if path.is_dir() else path.parent for path in files}
            for changes in watch(*folders, debounce=50, step=20, recursive=False, raise_interrupt=True):
                changed = {path for _, path in changes if Path(path) in files or Path(path).parent in files}
                if changed:
                    break
            else:
                return code
            click.clear()
            names = ", ".join(sorted(Path(path).name for path in changed))
            click.secho(f"changed: {printable(names)}", bold=True, err=True)
            code = run(arguments)
    except KeyboardInterrupt:
        pass
    return code


def watch_option(function: Callable[..., int | None]) -> Callable[..., int | None]:
    """The option, for the help: it is taken off before the command is run."""
    text = "Run again whenever a file that was read changes; Ctrl-C ends it."
    return click.option(OPTION, is_flag=True, expose_value=False, help=text)(function)
