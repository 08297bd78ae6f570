"""The `voskar` command: finds commands by name, imports them when used, turns errors into exit codes."""

from __future__ import annotations

import codecs
import gc
import io
import os
import signal
import sys
import threading
from contextlib import suppress
from importlib import import_module

import click

from voskar.errors import VoskarError, printable
from voskar.files.reading import begin

AGREED, DISAGREED, BAD_INPUT, OWN_BUG = 0, 1, 2, 3
INTERRUPTED = 130
COLLECT_AFTER = 50_000
"""Python objects that are made before the next garbage collection. A check makes a million objects that stay, and
looking at all of them again and again takes longer than the little garbage is worth."""

COMMANDS = {
    "init": "A folder to begin in: a first rulebook, a suite, a scene, and a logger for the game.",
    "draft": "A first rulebook from recordings, each value with the evidence for it.",
    "replay": "What the rules say happened: every contact judged, and a summary per actor.",
    "check": "Compare what the game logged with the rules.",
    "live": "Findings while the game runs: from a log that grows, or over TCP.",
    "suite": "Check every recording of a suite.",
    "report": "Put the reports of a suite's parts together.",
    "compare": "Two replays against each other: what was gained, lost, moved, and what only follows.",
    "tune": "Other values for a key: what they come to, and which fit what the game did.",
    "margins": "Which values of a rulebook some recordings hold, and how far the others could\n           be off.",
    "why": "Every gate of a pair in a frame, passed or not, with the numbers.",
    "shrink": "The smallest scene that still shows a finding, as a stage script.",
    "audit": "Probable mistakes in a rulebook: place, reason, remedy.",
    "layers": "Who can hit whom by layers and masks, and whether it was ever tried.",
    "page": "A recording as a page to play in: frame by frame, both accounts, every finding.",
    "draw": "A picture of a frame or several, or a timeline of health, lives, hits and deaths.",
    "hud": "What the game's own display should show: health, lives, clock, score, frame by frame.",
    "stats": "Sums per actor and attack: dealt, taken, ignored and why, time alive, deaths.",
    "moves": "Frame data: startup, active, recovery of every timed attack.",
    "stage": "A recording written by hand: a few lines of keyed positions, clips and inputs.",
    "schema": "What a rulebook, suite, stage or expectations may hold, for editors.",
    "convert": "A recording as JSON Lines, or as tables in CSV or Parquet.",
    "demo": "Write the night apiary to a folder and run the full example on it.",
}
"""Commands in the order of `--help`, with their one line there: listing them imports none of them."""

EPILOG = """
\b
Example:
  voskar demo
  voskar init combat --logger cpp
  voskar replay night-apiary/apiary.toml night-apiary/meadow.jsonl
  voskar check night-apiary/apiary.toml night-apiary/meadow.jsonl

\b
Exit codes: 0 done, all agreed; 1 disagreement found; 2 bad input or usage; 3 a bug in Voskar.
Shell completion: eval "$(_VOSKAR_COMPLETE=bash_source voskar)", or zsh_source, fish_source.
"""


class LazyGroup(click.Group):
    """A group that imports a command's module only when that command runs."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Every command, in the order they are met by a newcomer."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command of that name, None for an unknown one."""
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = import_module(f"voskar.commands.{cmd_name}").command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Lists the commands without importing any."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """As Click does, and names the nearest command for an unknown one."""
        from voskar.errors import nearest

        name = args[0] if args else ""
        if name not in COMMANDS and not name.startswith("-"):
            ctx.fail(f'There is no command "{name}" ({nearest(name, COMMANDS)}).')
        return super().resolve_command(ctx, args)


def _version(ctx: click.Context, param: click.Parameter, wanted: bool) -> None:
    """Prints the version, and which kernel is in use."""
    if not wanted or ctx.resilient_parsing:
        return
    from importlib.metadata import version

    from voskar.core.kernel.build import is_compiled

    kernel = "compiled" if is_compiled() else "uncompiled: its source runs, many times slower"
    click.echo(f"voskar, version {version('voskar')}, kernel {kernel}")
    ctx.exit()


@click.group(cls=LazyGroup, epilog=EPILOG, context_settings={"help_option_names": ["-h", "--help"]})
@click.option(
    "--version", is_flag=True, is_eager=True, expose_value=False, callback=_version, help="Version and kernel."
)
def cli() -> None:
    """Replays combat rules over recordings of a game: what every contact should have come to, why, and where
    the game disagrees."""


def main() -> None:
    """Entry point: runs the command line and leaves with its exit code."""
    arguments = sys.argv[1:]
    try:
        code = _whole_run(arguments)
    except SystemExit as stopped:  # a termination, which has unwound by now
        code = stopped.code if isinstance(stopped.code, int) else OWN_BUG
    for number in (signal.SIGTERM, signal.SIGINT):  # all is written, so a second signal may end the process at once
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, signal.SIG_DFL)
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError):
            stream.flush()
    # the system frees everything at once; tidying up takes a tenth of a short run, and may fail on ended workers
    os._exit(code)


def _whole_run(arguments: list[str]) -> int:
    # Watching runs the command again and again, so it must wrap it and cannot be an option of it.
    if "--watch" in arguments and arguments[0] in ("check", "suite", "replay", "draw", "page"):
        from voskar.commands.watching import watched_run

        return watched_run(run, [argument for argument in arguments if argument != "--watch"])
    return run(arguments)


PLAIN = {
    "→": "->", "…": "...", "·": "-", "°": " deg", "±": "+-", "■": "#", "●": "*", "◐": "+", "○": "o", "█": "#",
    "\u2013": "-", "\u2212": "-", "\u00d7": "x", "╸": "-", "━": "-",
}  # fmt: skip
"""Replacements for characters that a terminal cannot show."""


def _degraded(error: UnicodeError) -> tuple[str, int]:
    """The replacement for characters that a stream's encoding does not have."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(PLAIN.get(name, "?") for name in error.object[error.start : error.end]), error.end


def _stopped(number: int, frame: object) -> None:
    """A termination unwinds as an interruption does: unfinished files go, and so do workers."""
    raise SystemExit(128 + number)


def _prepare() -> None:
    """Streams replace characters without an encoding; a termination leaves nothing behind; nothing is read yet."""
    codecs.register_error("voskar", _degraded)
    for name in ("stdout", "stderr"):
        if getattr(sys, name) is None:  # closed by the parent process, which still reads the exit code
            setattr(sys, name, os.fdopen(os.open(os.devnull, os.O_WRONLY), "w", encoding="utf-8"))
    for stream in (sys.stdout, sys.stderr):
        # A test may replace a stream with another kind of object.
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="voskar")
    # Only the main thread may set signal handlers; a test may run the command in another one.
    if threading.current_thread() is threading.main_thread():
        signal.signal(signal.SIGTERM, _stopped)
    gc.set_threshold(COLLECT_AFTER)
    begin()


def run(arguments: list[str]) -> int:
    """Runs one command line and returns its exit code. The one place where errors become text."""
    _prepare()
    # The module is looked up, not imported: most runs keep nothing.
    if "voskar.files.keeping" in sys.modules:
        sys.modules["voskar.files.keeping"].begin()
    try:
        return _run(arguments)
    finally:
        keeping = sys.modules.get("voskar.files.keeping")  # else nothing was to be kept
        if keeping is not None and keeping.why_not_kept() is not None:
            click.echo(f"note: nothing is kept for the next run: {printable(keeping.why_not_kept())}", err=True)


def _run(arguments: list[str]) -> int:
    # Click reports an empty argument as a missing one, which is not true.
    if "" in arguments:
        click.echo("error: found an empty argument, expected a name or a value", err=True)
        return BAD_INPUT
    try:
        code = cli.main(arguments, prog_name="voskar", standalone_mode=False)
        sys.stdout.flush()
        return code if isinstance(code, int) else AGREED
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message())
        return AGREED
    except click.ClickException as error:
        # A message may repeat an argument, and that may hold control characters.
        vars(error)["message"] = printable(error.message)
        error.show()
        return BAD_INPUT
    except VoskarError as error:
        for line in str(error).split("\n"):
            click.echo(f"{click.style('error:', fg='red', bold=True)} {printable(line)}", err=True)
        return BAD_INPUT
    except click.Abort:
        return INTERRUPTED
    except BrokenPipeError:  # the reader of our output has gone, as `head` does
        sys.stderr.close()
        return AGREED
    except OSError as error:  # errors of named files are reported before; this is standard output
        click.echo(f"error: cannot write: {(error.strerror or str(error)).lower()}", err=True)
        return BAD_INPUT
    except Exception:
        import traceback  # no other run needs it

        traceback.print_exc()
        click.echo("error: this is a bug in Voskar; the lines above say where", err=True)
        return OWN_BUG
