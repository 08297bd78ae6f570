"""Arguments and options that several commands share."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from voskar.commands import present
from voskar.core.adopt import Resync
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.kernel.build import is_compiled
from voskar.core.ledger import Event
from voskar.core.recording import Recording
from voskar.errors import InputError, Problem, nearest
from voskar.files.kept import ReadyRulebook
from voskar.files.recording import load_recording
from voskar.files.windows import parse_windows

if TYPE_CHECKING:
    from voskar.suite.running import Engine

SLOW = 50_000  # poses from which a kernel that is not compiled is worth a note

F = TypeVar("F", bound=Callable[..., Any])

SUITE = "voskar.toml"
"""What a suite is called where no other name is given."""

_RANGE = re.compile(r"(\d+)?(-)?(\d+)?")


def inputs(function: F) -> F:
    """RULEBOOK and RECORDING, in that order."""
    recording = click.argument("recording", metavar="RECORDING")
    rulebook = click.argument("rulebook", metavar="RULEBOOK")
    return rulebook(recording(function))


def reactions_option(function: F) -> F:
    """`--reactions`, which overrules the recording's header."""
    return click.option(
        "--reactions",
        type=click.Choice(["baked", "raw"]),
        help="Take the poses as showing what blows do (baked) or not (raw), whatever the header says.",
    )(function)


def within_option(function: F) -> F:
    """`--within`."""
    return click.option(
        "--within",
        multiple=True,
        metavar="N",
        help="Frames that evidence may be off: 4, 0,8 (before, after), or hit=0,8 by sort.  [default: 0]",
    )(function)


def resync_option(default: bool) -> Callable[[F], F]:
    """`--resync` and `--no-resync`."""
    told = "Go on from the game's account where it and the rules disagree, or let the rules run on their own."
    return click.option("--resync/--no-resync", default=default, show_default=True, help=told)


def account_options(*, resync: bool = True) -> Callable[[F], F]:
    """How a recording is taken, and held against the rules: `--reactions`, `--within`, `--resync`."""

    def decorated(function: F) -> F:
        return reactions_option(within_option(resync_option(resync)(function)))

    return decorated


def resync_of(played: Recording, within: Sequence[str], resync: bool) -> Resync | None:
    """What a replay needs to go on from the game's account."""
    windows = parse_windows(within).at(played.rate)
    return Resync(windows) if resync else None


def cluster_option(what: str) -> Callable[[F], F]:
    """`--cluster`."""
    return click.option("--cluster", metavar="ADDRESS", help=f"A scheduler{what} whose workers do it: tcp://host:8786.")


def engine_options(what: str) -> Callable[[F], F]:
    """`--workers` and `--cluster`, of a command that has more to do than one process likes to."""

    def decorated(function: F) -> F:
        workers = click.option(
            "--workers", type=click.IntRange(1), metavar="N", help=f"Processes{what}.  [default: all cores]"
        )
        return workers(cluster_option(what)(function))

    return decorated


@contextmanager
def engine_of(workers: int | None, address: str | None) -> Iterator[Engine]:
    """Where work is done, as options say."""
    from voskar.suite.running import Processes

    if address is None:
        yield Processes(workers)
        return
    if workers is not None:
        raise click.UsageError("--workers are those of this machine: leave them out with --cluster")
    from voskar.suite.cluster import cluster

    with cluster(address) as engine:
        yield engine


def tables_option(function: F) -> F:
    """`--tables`, for commands that write recordings."""
    return click.option(
        "--tables",
        default="parquet",
        show_default=True,
        type=click.Choice(["parquet", "csv"]),
        help="What tables are written as.",
    )(function)


def load(rulebook: str, recording: str, reactions: Any = None) -> tuple[ReadyRulebook, Recording]:
    """Reads both files."""
    rules = ReadyRulebook(rulebook)
    played = load_recording(recording, rules)
    for warning in played.warnings:
        present.say(f"warning: {warning}", err=True)
    if not is_compiled() and len(played.poses) > SLOW:
        told = "the kernel is not compiled, so this takes a while; install again where there is a C compiler"
        present.say(f"note: {told}", err=True)
    return rules, replace(played, reactions=reactions) if reactions else played


def picture_ending(path: str | Path, known: Sequence[str] = ("png", "svg")) -> str:
    """ "png", "svg", or what else is known. Raises InputError for another ending, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending[1:] not in known:
        expected = f"{', '.join(f'.{one}' for one in known[:-1])} or .{known[-1]}"
        raise InputError(Problem(f'found the ending "{ending}", expected {expected}', file=str(path), key="--out"))
    return ending[1:]


def check_actors(known: Collection[str], names: Iterable[str], option: str) -> None:
    """Raises InputError for an actor that was never there."""
    for name in sorted(names):
        if name not in known:
            hint = nearest(name, known)
            raise InputError(Problem(f'there is no actor "{name}" in the recording', key=option, hint=hint))


class FrameRange(click.ParamType[tuple[int, int]]):
    """`212`, `200-300`, `200-` or `-300`; both ends belong to it."""

    name = "frames"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> tuple[int, int]:
        """(first, last)."""
        if isinstance(value, tuple):
            return value
        match = _RANGE.fullmatch(value)
        if match is None or not (match[1] or match[3]):
            self.fail(f'found "{value}", expected a frame or a range such as 200-300, 200- or -300', param, ctx)
        first = int(match[1]) if match[1] else 0
        last = int(match[3]) if match[3] else (1 << 60 if match[2] else first)
        if last < first:
            self.fail(f'the range "{value}" ends before it begins', param, ctx)
        return first, last


@dataclass(frozen=True)
class Filter:
    """Which events to show. Nothing named means everything."""

    actors: frozenset[str] = frozenset()
    outcomes: frozenset[str] = frozenset()
    frames: tuple[int, int] | None = None

    def __bool__(self) -> bool:
        return bool(self.actors or self.outcomes or self.frames)

    def takes(self, event: Event) -> bool:
        """Whether an event passes. A contact counts for both its actors, and for every frame it runs through."""
        if self.actors and self.actors.isdisjoint((event.striker, event.target, event.id)):
            return False
        if self.outcomes and event.outcome not in self.outcomes:
            return False
        if self.frames is None:
            return True
        last = event.until if event.event == "contact" and event.until is not None else event.frame
        return event.frame <= self.frames[1] and last >= self.frames[0]

    def check(self, known: Collection[str]) -> None:
        """Raises InputError for an actor that was never there."""
        check_actors(known, self.actors, "--actor")


def filters(function: Callable[..., Any]) -> Callable[..., Any]:
    """`--actor`, `--outcome` and `--frames`, handed to the command as `shown`, a Filter."""

    @wraps(function)
    def gathered(*args: Any, actor: Any, outcome: Any, frames: Any, **rest: Any) -> Any:
        return function(*args, shown=Filter(frozenset(actor), frozenset(outcome), frames), **rest)

    for option in (
        click.option("--frames", type=FrameRange(), metavar="A-B", help="Only frames 212, 200-300, 200- or -300."),
        click.option("--outcome", multiple=True, type=click.Choice(OUTCOMES), help="Only contacts with this outcome."),
        click.option("--actor", multiple=True, metavar="ID", help="Only what concerns this actor. May be repeated."),
    ):
        gathered = option(gathered)
    return gathered
