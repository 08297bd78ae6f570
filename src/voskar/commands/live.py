"""`voskar live`: findings while a game is played."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext, suppress
from pathlib import Path
from typing import TYPE_CHECKING

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
from voskar.live.allowance import MOST_SAVED, Allowance
from voskar.live.memory import give_back
from voskar.live.news import Looked, News
from voskar.live.session import Session
from voskar.live.sources import Began, Ended, Listener, LiveSource, source_of
from voskar.words import counted

if TYPE_CHECKING:
    from voskar.live.server import PageServer

WAIT = 0.03
"""Seconds to wait for something to come."""
APART = 0.2
"""Seconds between two times that frames are taken."""
SELDOM = 5.0
"""Seconds after which a look is due though nothing is odd: it counts the hits that agree."""
PAUSE = 2.0
"""Seconds without anything new after which there is time to explain findings."""
GLANCES, LOOKS = 0.5, 0.45
"""Parts of the allowed time for glances, and for looks and whatever must be done; the rest is for what neither
counts."""
MOST_CHARGED = 0.3
"""Seconds that a glance counts at most: the first ones import libraries."""
MOST_OVERDRAWN = 1.0
"""Seconds by which looks at odd frames may be overdrawn: the longer they wait, the more frames there are."""
SPARED = 0.1
"""Seconds that are kept for glances at claims: a glance at frames without claims needs more."""
PROMPT = 2.0
"""Seconds after which there is a glance, and a short look at what it finds odd, even if none is allowed: on a slow
machine the time may not do for anything else."""
TIDIED = 30.0
"""Seconds after which free memory is given back, without a look."""


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
@click.option("--page", is_flag=True, help="Serve the page of the recording on this machine; it grows with it.")
@click.option("--port", type=click.IntRange(0, 65535), default=0, metavar="PORT", help="Port of the page: any if 0.")
@click.option(
    "--forget",
    default="3m",
    show_default=True,
    metavar="TIME",
    help="How much of a run to keep, at most twice as much: 90s, 10m, 1h, or never to forget.",
)
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
    page: bool,
    port: int,
    forget: str,
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
    name = source if source not in (None, "-") else "the game"
    kept = None if forget == "never" else _seconds(forget)
    session = Session(
        rulebook, within=within, tolerance=tolerance, resync=resync, forget=kept, draws=page, name=str(name)
    )
    came = source_of(source, None if listen is None else _address(listen), None if save is None else Path(save))
    with _served(rulebook, str(name), port) if page else nullcontext() as server:
        path = Path(source) if source not in (None, "-") else None
        show = _Show(session, server, path, as_json=as_json, bell=bell)
        if isinstance(came, Listener):
            present.say(f"listening at {':'.join(map(str, came.address))}", err=True)
        elif path is not None and not path.exists():
            present.say(f"waiting for {path}", err=True)
        came.start()
        with suppress(KeyboardInterrupt):
            _follow(came, show, share / 100)
        show.status_off()
        came.over.set()
    if show.path is None or not show.path.exists():
        present.say("nothing came", err=True)
        return BAD_INPUT
    arguments = [rulebook, str(show.path), "--tolerance", str(tolerance), *(f"--within={text}" for text in within)]
    arguments += [] if resync else ["--no-resync"]
    code = check_command.main([*arguments, *(["--json"] if as_json else [])], standalone_mode=False)
    return AGREED if code is None else int(code)


def _follow(came: LiveSource, show: _Show, share: float) -> None:
    """Takes lines until the source ends."""
    # Two allowances: glances are cheap and prompt, and a look may use up the time of many glances.
    glances, looks = Allowance(share * GLANCES), Allowance(share * LOOKS)
    waiting: list[bytes] = []
    next_take, is_odd, explained, came_last = 0.0, False, False, 0.0
    glanced = fine = time.monotonic()
    counted = time.process_time()

    def spent() -> float:
        """CPU seconds since the last call, without those of late looks: these are owed."""
        nonlocal counted
        before, counted = counted, time.process_time()
        late = show.late_cost()
        looks.owe(late)
        return counted - before - late

    while True:
        time.sleep(max(next_take - time.monotonic(), 0.0))  # many frames at once cost less than one by one
        next_take = time.monotonic() + APART
        for items in came.arrived(WAIT):
            # The rest of the recording is judged before the next one begins.
            if isinstance(items, Ended):
                if items.error:
                    present.say(f"error: {items.error}", err=True)
                show.take(waiting)
                show.look(over=True)
                return
            if isinstance(items, Began):
                show.take(waiting)
                show.look(over=True)
                show.path = items.saved or show.path
            else:
                waiting += items
        now = time.monotonic()
        if waiting:
            came_last, explained = now, False
            show.take(waiting)
        looks.take(min(spent(), MOST_CHARGED))  # also by what reads, and serves the page
        if glances.left() >= (0 if show.session.is_claimed else SPARED) or now - glanced >= PROMPT:
            is_odd, glanced = show.glance() or is_odd, now
        glances.take(min(spent(), MOST_CHARGED))
        if now - show.tidied_at >= TIDIED:
            show.tidy()
        # a look is due when a glance finds something odd, or when there is time for it
        is_paused = now - came_last >= PAUSE
        left, cost = looks.left(), show.session.cost
        is_late = now - show.looked_at >= SELDOM and left >= min(2 * cost, MOST_SAVED)  # enough for something odd
        explains = is_paused and not explained and show.server is not None
        if not is_odd:
            fine = now
        if (is_odd and (left >= -MOST_OVERDRAWN or now - fine >= PROMPT)) or is_late or explains:
            explained = explained or is_paused
            show.look(explains=explains, short=is_odd and not (explains or is_paused))
            is_odd = False
            looked = spent()
            looks.take(looked if cost else 0.0)  # the first one also makes everything ready


class _Show:
    """Says what a session finds, on the terminal and on the page."""

    def __init__(
        self, session: Session, server: PageServer | None, path: Path | None, *, as_json: bool, bell: bool
    ) -> None:
        self.session, self.server, self.as_json, self.bell = session, server, as_json, bell
        self.path = path
        """The file that keeps the lines."""
        self.out = present.console()
        self.live = sys.stderr.isatty() and not as_json
        self.shown = False
        self.looked_at = 0.0
        self.tidied_at = time.monotonic()

    def take(self, lines: list[bytes]) -> None:
        """Takes some more lines, which are then gone."""
        known = self.session.recordings
        # Feeding never stops the command: a bad frame ends one recording, and the next may be good.
        try:
            self.session.feed(*lines)
        except InputError as error:
            self.problem(error)
        lines.clear()
        if known and self.session.recordings > known:
            self.restarts()
        if self.server is not None:
            for looked in self.session.over:
                self._draw(looked)
                self.server.page.run_over()
            self.session.over.clear()
            self._draw_fresh()

    def late_cost(self) -> float:
        """CPU seconds of late looks since the last call."""
        cost, self.session.late_cost = self.session.late_cost, 0.0
        if cost:
            self.tidied_at = 0.0  # they leave as much behind as any look
        return cost

    def _draw(self, looked: Looked) -> None:
        assert self.server is not None
        # The server's threads read the page as well.
        with self.server.lock:
            events = self.server.page.looked(looked, forget=self.session.forgotten)
        self.server.send(events)

    def glance(self) -> bool:
        """Whether something odd came lately."""
        try:
            # A glance may find the bad frame that feeding did not check.
            is_odd = self.session.glance()
        except InputError as error:
            self.problem(error)
            return False
        self.status()
        return is_odd

    def tidy(self) -> None:
        """The largest part of what looks and glances need is free again, and the process keeps it."""
        give_back()
        self.tidied_at = time.monotonic()

    def _draw_fresh(self) -> None:
        assert self.server is not None
        for recording in self.session.fresh():
            with self.server.lock:
                events = self.server.page.logged(self.session.book.rules(recording.rate), recording)
            self.server.send(events)

    def look(self, *, over: bool = False, explains: bool = False, short: bool = False) -> None:
        """Judges the whole run, or only the end of a long one."""
        before = self.session.looked
        try:
            if short:
                self.news(self.session.short_look())
            else:
                self.looked_at = time.monotonic()
                self.news(self.session.look(over=over, explains=explains))
        except InputError as error:
            self.problem(error)
            return
        looked = self.session.looked
        if self.server is not None and looked is not None and looked is not before:
            self._draw(looked)
        self.status()
        if not short:  # one of a few seconds leaves little
            self.tidy()

    def news(self, news: News) -> None:
        """A line for each finding, and each that is none."""
        if news.found or news.withdrawn:
            self.status_off()
        for finding in news.withdrawn:
            self._report("withdrawn", finding, 0)
        for finding, follows in news.found:
            self._report("finding", finding, len(follows))

    def _report(self, event: str, finding: Finding, follows: int) -> None:
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
        """Reports an error that ends a recording before its time."""
        self.status_off()
        if self.as_json:
            click.echo(json.dumps({"event": "error", "message": str(error)}))
        else:
            present.say(f"error: {error}", "this recording ends here; waiting for the next one", err=True)

    def restarts(self) -> None:
        """Another recording."""
        self.status_off()
        if self.server is not None:
            with self.server.lock:
                events = self.server.page.restarts()
            self.server.send(events)
            self.session.over.clear()
        if self.as_json:
            click.echo(json.dumps({"event": "begun"}))
        else:
            self.out.print("another recording begins", style="dim")

    def status(self) -> None:
        """How far it has come."""
        if not self.live:
            return
        tally = self.session.tally
        text = f"{tally.frames:,} frames, {tally.agreed} of {counted(tally.claims, 'claimed hit')} agreed, "
        text += f"{counted(tally.findings, 'finding')}; a look takes {self.session.cost:.2f} s"
        click.echo(f"\r\x1b[2K{text}", nl=False, err=True)
        self.shown = True

    def status_off(self) -> None:
        """Takes the status away."""
        if self.shown:
            click.echo("\r\x1b[2K", nl=False, err=True)
            self.shown = False


@contextmanager
def _served(rulebook: str, recording: str, port: int) -> Iterator[PageServer]:
    """The page, as long as it is served. Raises InputError if it cannot be."""
    from voskar.live.page import LivePage

    try:
        # The library of the page is an extra, and only --page needs it.
        from voskar.live.server import PageServer
    except ImportError:
        hint = "install it with `pip install voskar[live]`"
        raise InputError(Problem("a page needs a library that is not installed", key="--page", hint=hint)) from None
    server = PageServer(LivePage(rulebook, recording), port)
    try:
        server.start()
    except OSError as error:
        raise InputError(Problem(f"cannot serve a page at port {port}: {error.strerror}", key="--port")) from None
    present.say(f"the page: {server.address}", err=True)
    try:
        yield server
    finally:
        server.stop()


def _seconds(text: str) -> float:
    """A time such as 10m. Raises InputError for another text."""
    # `isdecimal` refuses signs, points and the digits of other scripts that `int` cannot read.
    number, unit = text[:-1], text[-1:]
    if unit not in UNITS or not number.isdecimal() or not int(number):
        expected = "expected a time such as 90s, 10m or 1h, or never"
        raise InputError(Problem(f'found "{text}", {expected}', key="--forget"))
    return float(int(number) * UNITS[unit])


UNITS = {"s": 1, "m": 60, "h": 3600}


def _address(text: str) -> tuple[str, int]:
    host, colon, port = text.rpartition(":")
    if not colon or not port.isdecimal() or int(port) > 65535:
        expected = "expected an address such as 127.0.0.1:7777"
        raise InputError(Problem(f'found "{text}", {expected}', key="--listen"))
    return host or "127.0.0.1", int(port)
