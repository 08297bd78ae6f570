"""`voskar live`: findings while somebody plays."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

import click
from rich.text import Text

from voskar.commands import present
from voskar.commands.check import STYLES, plain_finding
from voskar.commands.check import command as check_command
from voskar.commands.main import AGREED, BAD_INPUT
from voskar.commands.options import Command, json_option, resync_option, tolerance_option, within_option
from voskar.errors import InputError, Problem
from voskar.evidence.finding import Finding
from voskar.evidence.words import accounts
from voskar.live.session import News, Session
from voskar.live.sources import Began, Ended, source_of
from voskar.words import counted

LEAST = 0.2
"""Seconds between two looks at least."""
WAIT = 0.05


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar live apiary.toml play.jsonl
  voskar live apiary.toml --listen 127.0.0.1:7777 --save play.jsonl
  game | voskar live apiary.toml - --json

\b
Exit codes: 0 all agrees, 1 a disagreement was found, 2 bad input.
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("source", metavar="[SOURCE]", required=False)
@within_option
@resync_option(True)
@tolerance_option
@click.option("--listen", metavar="HOST:PORT", help="Wait for a game that sends its lines over TCP.")
@click.option("--save", metavar="FILE", help="Keep what comes over TCP or standard input.")
@click.option("--bell", is_flag=True, help="Ring the terminal's bell at each finding.")
@click.option(
    "--share",
    type=click.IntRange(1, 100),
    default=10,
    show_default=True,
    metavar="PERCENT",
    help="Share of a processor core to take at most: more finds sooner in long runs.",
)
@json_option("one object a finding, and that of check at the end")
def command(
    rulebook: str,
    source: str | None,
    within: tuple[str, ...],
    resync: bool,
    tolerance: float,
    listen: str | None,
    save: str | None,
    bell: bool,
    share: int,
    as_json: bool,
) -> int:
    """Judge a recording while the game writes it.

    SOURCE is a file that grows, or - for standard input. Each finding is printed once no later frame can change it;
    Ctrl-C prints what check prints of the whole recording.
    """
    if (source is None) == (listen is None):
        raise click.UsageError("give a SOURCE, or --listen HOST:PORT")
    session = Session(rulebook, within=within, tolerance=tolerance, resync=resync, name=source or "the game")
    came = source_of(source, None if listen is None else _address(listen), None if save is None else Path(save))
    show = _Show(session, as_json=as_json, bell=bell)
    path = Path(source) if source not in (None, "-") else None
    if listen is not None:
        present.say(f"listening at {':'.join(map(str, came.address))}", err=True)  # type: ignore[attr-defined]
    elif path is not None and not path.exists():
        present.say(f"waiting for {path}", err=True)
    came.start()
    next_look, ended, begun = 0.0, False, 0
    waiting: list[bytes] = []
    try:
        while not ended:
            for one in came.arrived(WAIT):
                if isinstance(one, Ended):
                    ended = True
                    if one.error:
                        present.say(f"error: {one.error}", err=True)
                elif isinstance(one, Began):
                    begun += 1
                    show.take(waiting, over=True)
                    if begun > 1:
                        show.begins_anew()
                    path = one.saved or path
                else:
                    waiting += one
            if time.monotonic() >= next_look:
                began = time.process_time()
                show.take(waiting)  # frames are cheaper by the dozen
                spent = time.process_time() - began
                next_look = time.monotonic() + max(LEAST, spent * (100 / share - 1))
        show.take(waiting, over=True)
    except KeyboardInterrupt:
        pass
    show.status_off()
    came.over.set()
    if path is None or not path.exists():
        present.say("nothing came", err=True)
        return BAD_INPUT
    told = [rulebook, str(path), "--tolerance", str(tolerance), *(f"--within={one}" for one in within)]
    told += [] if resync else ["--no-resync"]
    code = check_command.main([*told, *(["--json"] if as_json else [])], standalone_mode=False)
    return AGREED if code is None else int(code)


class _Show:
    def __init__(self, session: Session, *, as_json: bool, bell: bool) -> None:
        self.session, self.as_json, self.bell = session, as_json, bell
        self.out = present.console()
        self.live = sys.stderr.isatty() and not as_json
        self.shown = False

    def take(self, lines: list[bytes], *, over: bool = False) -> None:
        """Judges some more lines, which are then gone."""
        try:
            self.session.feed(*lines)
        except InputError as error:
            self.problem(error)
        lines.clear()
        self.news(self.session.look(over=over))
        self.status()

    def news(self, news: News) -> None:
        """A line for each finding, and each that is none."""
        if news.found or news.withdrawn:
            self.status_off()
        for finding in news.withdrawn:
            self._tell("withdrawn", finding, 0)
        for finding, follows in news.found:
            self._tell("finding", finding, len(follows))

    def _tell(self, event: str, finding: Finding, follows: int) -> None:
        if self.as_json:
            click.echo(json.dumps({"event": event, **plain_finding(finding), "follows": follows}))
            sys.stdout.flush()
            return
        game, rules = accounts(finding)
        line = Text(f"{finding.frame:>7} ", "dim" if event == "withdrawn" else "")
        line.append(finding.code, STYLES[finding.code] if event == "finding" else "dim")
        if event == "withdrawn":
            line.append(" is withdrawn: later frames explain it", "dim")
        else:
            line.append(f"  {game}; rules: {rules}")
            if follows:
                line.append(f"  (+{follows} that follow)", "dim")
        self.out.print(line, soft_wrap=True)
        if self.bell and event == "finding":
            click.echo("\a", nl=False, err=True)

    def problem(self, error: InputError) -> None:
        """What ends a recording before its time."""
        self.status_off()
        if self.as_json:
            click.echo(json.dumps({"event": "error", "message": str(error)}))
        else:
            present.say(f"error: {error}", "this recording ends here; the next one is waited for", err=True)

    def begins_anew(self) -> None:
        """Another recording."""
        self.status_off()
        if self.as_json:
            click.echo(json.dumps({"event": "begun"}))
        else:
            self.out.print("another recording begins", style="dim")

    def status(self) -> None:
        """How far it has come."""
        if not self.live:
            return
        tally = self.session.tally
        told = f"{tally.frames:,} frames, {tally.agreed} of {counted(tally.claims, 'claimed hit')} agreed, "
        told += f"{counted(tally.findings, 'finding')}; a look takes {self.session.cost:.2f} s"
        click.echo(f"\r\x1b[2K{told}", nl=False, err=True)
        self.shown = True

    def status_off(self) -> None:
        """Takes the status away."""
        if self.shown:
            click.echo("\r\x1b[2K", nl=False, err=True)
            self.shown = False


def _address(text: str) -> tuple[str, int]:
    host, colon, port = text.rpartition(":")
    if not colon or not port.isdecimal() or int(port) > 65535:
        expected = "expected an address such as 127.0.0.1:7777"
        raise InputError(Problem(f'found "{text}", {expected}', key="--listen"))
    return host or "127.0.0.1", int(port)
