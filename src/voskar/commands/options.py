"""Arguments and options that several commands share."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast

import click

from voskar.commands import present
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.kernel.build import is_compiled
from voskar.errors import InputError, Problem, nearest
from voskar.evidence.tolerance import TOLERANCE
from voskar.evidence.trials import TRIALS

if TYPE_CHECKING:
    from voskar.core.adopt import Resync
    from voskar.core.ledger import Event
    from voskar.core.recording import Recording
    from voskar.explaining.leaf import Variants
    from voskar.files.kept import ReadyRulebook
    from voskar.suite.running import Engine

SLOW = 50_000  # poses from which a kernel that is not compiled is worth a note

F = TypeVar("F", bound=Callable[..., Any])

_RANGE = re.compile(r"(\d+)?(-)?(\d+)?")


UNTIL_ERROR = "voskar.until_error"

SHARED = (
    "reactions", "within", "resync", "tolerance", "no_explain", "explain_trials", "actor", "outcome", "frames",
    "until_error", "workers", "cluster", "tables", "report", "coverage", "least", "brief", "everything", "watch",
    "overwrite", "as_json",
)  # fmt: skip
"""The options that several commands have, in the order in which every help lists them: after a command's own."""


class Command(click.Command):
    """A command with its options in a fixed order."""

    def __init__(self, *args: Any, **settings: Any) -> None:
        super().__init__(*args, **settings)
        place = {name: number for number, name in enumerate(SHARED, 1)}
        # A stable sort: options of a command itself keep the order in which they are written.
        self.params.sort(key=lambda param: place.get(param.name or "", 0) if isinstance(param, click.Option) else -1)


def inputs(function: F) -> F:
    """RULEBOOK and RECORDING, in that order, and `--until-error`, which `load` looks up."""
    recording = click.argument("recording", metavar="RECORDING")
    rulebook = click.argument("rulebook", metavar="RULEBOOK")
    until_error = click.option(
        "--until-error",
        is_flag=True,
        expose_value=False,
        # `meta` instead of a parameter: 12 commands would only pass it on to `load`.
        callback=lambda context, _, value: context.meta.update({UNTIL_ERROR: value}),
        help="Read a recording up to its first wrong line instead of refusing it.",
    )
    return rulebook(recording(until_error(function)))


def json_option(what: str) -> Callable[[F], F]:
    """`--json`; `what` names the printed objects: "one object a frame"."""
    return click.option("--json", "as_json", is_flag=True, help=f"Print JSON instead of text: {what}.")


def all_option(what: str) -> Callable[[F], F]:
    """`--all`, where a command leaves something out."""
    return click.option("--all", "everything", is_flag=True, help=f"Show {what}.")


def overwrite_option(function: F) -> F:
    """`--overwrite`."""
    return click.option("--overwrite", is_flag=True, help="Overwrite files that exist.")(function)


def out_option(what: str, default: str | None = None, *, required: bool = False) -> Callable[[F], F]:
    """`-o`, `--out`."""
    return click.option(
        "-o", "--out", default=default, required=required, show_default=default is not None, metavar="FILE",
        help=f"{what}.",
    )  # fmt: skip


def actors_option(what: str) -> Callable[[F], F]:
    """`--actor`, as often as there are actors."""
    return click.option("--actor", multiple=True, metavar="ID", help=f"{what}. Can be repeated.")


def frames_option(function: F) -> F:
    """`--frames`."""
    return click.option(
        "--frames", type=FrameRange(), metavar="A-B", help="Only these frames: 212, 200-300, 200- or -300."
    )(function)


def tolerance_option(function: F) -> F:
    """`--tolerance`."""
    return click.option(
        "--tolerance",
        default=TOLERANCE,
        show_default=True,
        metavar="UNITS",
        help="Allowed distance, in units, between places in the game and in the rules.",
    )(function)


def explain_options(most: int = TRIALS) -> Callable[[F], F]:
    """`--no-explain` and `--explain-trials`, as one parameter: how many values are tried, 0 for none."""

    def decorator(function: F) -> F:
        @click.option(
            "--no-explain", is_flag=True, help="Do not look for values of the rulebook that explain findings."
        )
        @click.option(
            "--explain-trials",
            type=click.IntRange(min=1),
            default=most,
            show_default=True,
            metavar="N",
            help="How many values are tried to explain findings, if each replays 300 frames.",
        )
        @wraps(function)
        def decorated(*, no_explain: bool, explain_trials: int, **others: Any) -> Any:
            return function(trials=0 if no_explain else explain_trials, **others)

        return cast("F", decorated)

    return decorator


def variants_of(book: ReadyRulebook, played: Recording) -> Callable[[], Variants]:
    """A function that makes variants of a rulebook for a recording, once they are wanted."""
    # Reading the rulebook again takes time, and most checks find nothing to explain.

    def made() -> Variants:
        from voskar.explaining.rulebook import RulebookVariants  # with what validates rulebooks

        return RulebookVariants(book.whole, played.rate)

    return made


def report_option(function: F) -> F:
    """`--report`."""
    text = "Write a report: .xml (JUnit), .json, .html or .txt."
    return click.option("--report", multiple=True, metavar="FILE", help=text)(function)


def report_options(function: F) -> F:
    """`--report` and `--least`."""
    least = click.option(
        "--least",
        type=click.FloatRange(0, 100),
        metavar="PERCENT",
        help="Fail below this coverage of the rules.",
    )
    return report_option(least(function))


FORMS = {".xml": "junit", ".json": "json", ".txt": "lines", ".html": "html"}
"""The form of a report, by the ending of its file name."""


def report_form(path: str) -> str:
    """The form of a report. Raises InputError for an unknown ending, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending not in FORMS:
        message = f'found the ending "{ending}", expected .xml (JUnit), .json, .html or .txt (file:line: message)'
        raise InputError(Problem(message, file=path, key="--report"))
    return FORMS[ending]


def coverage_option(function: F) -> F:
    """`--coverage`."""
    return click.option("--coverage", is_flag=True, help="Show which rules were exercised and which never.")(function)


def brief_option(function: F) -> F:
    """`--brief`."""
    return click.option("--brief", is_flag=True, help="Show only totals and common causes.")(function)


def all_faults_option(function: F) -> F:
    """`--all` of what checks many recordings."""
    return all_option("every fault of every recording")(function)


def reactions_option(function: F) -> F:
    """`--reactions`, which overrules the recording's header."""
    return click.option(
        "--reactions",
        type=click.Choice(["baked", "raw"]),
        help="Poses already include knockback and respawn (baked) or not (raw); the header is ignored.",
    )(function)


def within_option(function: F) -> F:
    """`--within`."""
    return click.option(
        "--within",
        multiple=True,
        metavar="N",
        help="Allowed frame offset: 4, 0,8 (before, after), or by evidence hit=0,8.  [default: 0]",
    )(function)


def resync_option(default: bool) -> Callable[[F], F]:
    """`--resync` and `--no-resync`."""
    text = "Adopt the game's account where it differs from the rules, or replay by the rules alone."
    return click.option("--resync/--no-resync", default=default, show_default=True, help=text)


def account_options(*, resync: bool = True) -> Callable[[F], F]:
    """Options for how a recording is read and compared with the rules: `--reactions`, `--within`, `--resync`."""

    def decorated(function: F) -> F:
        return reactions_option(within_option(resync_option(resync)(function)))

    return decorated


def resync_of(played: Recording, within: Sequence[str], resync: bool) -> Resync | None:
    """The input that a replay needs to continue from the game's account."""
    from voskar.core.adopt import Resync
    from voskar.files.windows import parse_windows

    # Windows are checked also without resync, so that a wrong one is never ignored.
    windows = parse_windows(within).at(played)
    return Resync(windows) if resync else None


def cluster_option(function: F) -> F:
    """`--cluster`."""
    return click.option("--cluster", metavar="ADDRESS", help="Run on the workers of this scheduler: tcp://host:8786.")(
        function
    )


def engine_options(function: F) -> F:
    """`--workers` and `--cluster`, of a command that can use many processes."""
    workers = click.option(
        "--workers", type=click.IntRange(1), metavar="N", help="Number of processes.  [default: all cores]"
    )
    return workers(cluster_option(function))


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
        help="Format of tables.",
    )(function)


def load(rulebook: str, recording: str, reactions: Any = None) -> tuple[ReadyRulebook, Recording]:
    """Reads both files."""
    from voskar.files.kept import ReadyRulebook
    from voskar.files.recording import first_wrong_line, load_recording

    rules = ReadyRulebook(rulebook)
    context = click.get_current_context(silent=True)
    # None: the command has no such option, so the hint would be wrong.
    until_error = None if context is None else context.meta.get(UNTIL_ERROR)
    try:
        played = load_recording(recording, rules, until_error=bool(until_error))
    except InputError as error:
        # The hint only helps if there are frames before the wrong line.
        if until_error is False and first_wrong_line(recording, error) is not None:
            present.say("note: --until-error reads the frames before the first wrong line", err=True)
        raise
    for warning in played.warnings:
        present.say(f"warning: {warning}", err=True)
    if not is_compiled() and len(played.poses) > SLOW:
        text = "the kernel is not compiled, so this takes a while; install again where there is a C compiler"
        present.say(f"note: {text}", err=True)
    return rules, replace(played, reactions=reactions) if reactions else played


def picture_ending(path: str | Path, known: Sequence[str] = ("png", "svg")) -> str:
    """ "png", "svg", or what else is known. Raises InputError for another ending, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending[1:] not in known:
        expected = f"{', '.join(f'.{name}' for name in known[:-1])} or .{known[-1]}"
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
        # An open end reaches to the last frame of any recording.
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
        # A contact has two actors and no id; events of one actor have only that.
        if self.actors and self.actors.isdisjoint((event.attacker, event.target, event.id)):
            return False
        if self.outcomes and event.outcome not in self.outcomes:
            return False
        if self.frames is None:
            return True
        # Only contacts last: `until` of a push or a stun is in its future.
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
        frames_option,
        click.option("--outcome", multiple=True, type=click.Choice(OUTCOMES), help="Only contacts with this outcome."),
        actors_option("Only events of this actor"),
    ):
        gathered = option(gathered)
    return gathered
