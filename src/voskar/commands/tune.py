"""`voskar tune`: what a rulebook comes to with other values, and which of them fit what the game did."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import click
from rich.progress import Progress
from rich.text import Text

from voskar.commands import present
from voskar.commands.options import (
    Command,
    account_options,
    all_option,
    check_actors,
    engine_of,
    engine_options,
    json_option,
    out_option,
    picture_ending,
)
from voskar.errors import InputError, Problem
from voskar.evidence.fitting import search
from voskar.evidence.tuning import Point, VariantScore, fit_words
from voskar.files.reading import whole_file
from voskar.files.recording import load_recording
from voskar.files.rewrite import rewrite
from voskar.files.rulebook import Rulebook, load_rulebook
from voskar.files.vary import LAG, MOST, Axis, Change, changed, current_value, including, meant, parse_axis
from voskar.files.windows import parse_windows
from voskar.suite.running import Engine
from voskar.suite.tuning import Reactions, run_halves, run_trials, trials, trials_of
from voskar.words import counted

CHANGES = ("gained", "lost", "moved", "changed")
ROWS = 40
"""Most variants listed."""


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar tune apiary.toml meadow.jsonl --vary kinds.keeper.iframes=30f..70f/10
  voskar tune apiary.toml meadow.jsonl --vary kinds.keeper.iframes=57f..63f -o iframes.png
  voskar tune apiary.toml bugs/hits-late-log.stage.toml --vary claims.lag=-2..3
  voskar tune apiary.toml meadow.jsonl --fit kinds.keeper.iframes=20f..90f --fit attacks.gore.damage=1..9
  voskar tune apiary.toml meadow.jsonl --vary attacks.gore.damage=3..9 --vary kinds.keeper.health=5..11/2 --json
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recordings", metavar="RECORDING...", nargs=-1, required=True)
@click.option(
    "--fit",
    "fitted",
    multiple=True,
    metavar="KEYPATH=VALUES",
    help="Keys and values to search for the best, many at once, without a grid.",
)
@click.option("--write", is_flag=True, help="With --fit: write the best values into the rulebook.")
@click.option(
    "--vary", "varied", multiple=True, metavar="KEYPATH=VALUES",
    help="A key of the rulebook, or several with + between them, and values: 30f,60f or 30f..60f/5. Several: a grid.",
)  # fmt: skip
@account_options()
@click.option("--actor", metavar="ID", help="Count only hits on this actor, and its deaths.")
@out_option("Draw a figure of one or two varied keys: .png or .svg by the ending")
@engine_options
@all_option(f"every variant, not only the first {ROWS}")
@json_option("one object")
def command(
    rulebook: str,
    recordings: tuple[str, ...],
    fitted: tuple[str, ...],
    write: bool,
    varied: tuple[str, ...],
    reactions: Reactions | None,
    within: tuple[str, ...],
    resync: bool,
    actor: str | None,
    out: str | None,
    workers: int | None,
    cluster: str | None,
    everything: bool,
    as_json: bool,
) -> None:
    """Replay RECORDINGs with values of RULEBOOK changed, and tabulate what that comes to.

    Hits, deaths, time to down, and what differs from the first variant. Where the recordings have claims: how many
    agree, which values fit best, and how sharply; so an unknown number can be found from what the game did.
    `claims.lag` is how many frames late the game logs its claims.
    """
    if bool(fitted) == bool(varied):
        raise click.UsageError("give --vary to try values, or --fit to search for the best")
    ending = picture_ending(out) if out else ""
    parse_windows(within)
    if fitted:
        if out or actor:
            raise click.UsageError("--out and --actor go with --vary")
        axes = [parse_axis(text, "--fit") for text in fitted]
        _check_keys(axes, recordings)
        options = {"reactions": reactions, "within": within, "resync": resync}
        with engine_of(workers, cluster) as engine:
            _fit(rulebook, recordings, axes, options, engine, write=write, as_json=as_json)
        return
    if write:
        raise click.UsageError("--write goes with --fit")
    axes = [parse_axis(text) for text in varied]
    if out and len(axes) > 2:
        raise click.UsageError("a figure shows one or two varied keys")
    _check_axes(axes, recordings)
    entries = trials(rulebook, recordings, axes, reactions=reactions, within=within, resync=resync, actor=actor)
    book = load_rulebook(rulebook)
    for trial in entries:  # every value is sound by itself before any work is done
        if sum(place > 0 for place in trial.point) <= 1 and trial.recording == recordings[0]:
            changed(book, trial.changes)
    known = [load_recording(recording, book).numbers for recording in recordings] if actor else []
    check_actors({name for names in known for name in names}, [actor] if actor else [], "--actor")
    scores: dict[Point, VariantScore] = {}
    console = present.console()
    with (
        engine_of(workers, cluster) as engine,
        Progress(transient=True, disable=as_json or not console.is_terminal, console=console) as bar,
    ):
        task = bar.add_task("replaying", total=len(entries))
        for trial, score in run_trials(entries, engine):
            # Several recordings of one point are added up.
            scores[trial.point] = scores.get(trial.point, VariantScore()) + score
            bar.advance(task)
    lines = fit_words([axis.key for axis in axes], [axis.values for axis in axes], scores)
    if as_json:
        click.echo(json.dumps(_plain(axes, scores, lines)))
    else:
        _show(axes, scores, lines, everything=everything)
    if out:
        from voskar.drawing.tuning import draw_tuning

        with whole_file(out) as part:
            draw_tuning([(axis.key, axis.values) for axis in axes], scores, part, ending)
        present.say("", f"drew {Path(out)}", err=as_json)


def _fit(
    rulebook: str,
    recordings: Sequence[str],
    axes: Sequence[Axis],
    options: dict[str, Any],
    engine: Engine,
    *,
    write: bool,
    as_json: bool,
) -> None:
    """Searches for the best values by the first half of each recording, and holds them against the second."""
    book = load_rulebook(rulebook)
    # The rulebook's own values take part, so that a fit is never worse than the rulebook.
    axes = [including(axis, _own(book, axis)) for axis in axes]
    lengths = [len(axis.values) for axis in axes]
    values: dict[Point, tuple[int, int]] = {}

    def wrong(points: Sequence[Point]) -> list[int]:
        found = list(engine(run_halves, trials_of(rulebook, recordings, axes, points, **options)))
        for index, point in enumerate(points):
            own = found[index * len(recordings) : (index + 1) * len(recordings)]
            values[point] = sum(row for row, _ in own), sum(row for _, row in own)
        return [values[point][0] for point in points]

    now = present_place(book, axes)
    middle, low = tuple(length // 2 for length in lengths), tuple(length // 5 for length in lengths)
    found = search(lengths, [now or middle, middle, low], wrong, now)
    changes = [
        Change(key, path, axis.values[place], axis.option)
        for number, (axis, place) in enumerate(zip(axes, found.best, strict=True))
        for key, path in axis.keys
        if key != LAG and (now is None or place != now[number])
    ]
    changed(book, changes)
    written = rewrite(book, changes) if write and changes else []
    if as_json:
        plain = {
            "voskar": "fit", "version": 2, "tried": found.tried, "written": written,
            "values": {axis.key: axis.values[place] for axis, place in zip(axes, found.best, strict=True)},
            "alike": {a.key: [a.values[index] for index in span] for a, span in zip(axes, found.alike, strict=True)},
            "fitted": found.wrong, "held_out": values[found.best][1],
            "before": None if now is None else list(values[now]),
        }  # fmt: skip
        click.echo(json.dumps(plain))
        return
    console = present.console()
    table = present.table("", [("key", ""), ("was", "right"), ("best", "right"), ("as good", "")])
    table.title = None
    for number, axis in enumerate(axes):
        first, last = (axis.values[place] for place in found.alike[number])
        was = "" if now is None else axis.values[now[number]]
        span = "only this" if first == last else f"{first} to {last}"
        edge = found.alike[number][0] == 0 or found.alike[number][1] == lengths[number] - 1
        table.add_row(axis.key, was, axis.values[found.best[number]], span + (", to the edge" if edge else ""))
    console.print(table)
    before = "" if now is None else f"; it was {values[now][0]} and {values[now][1]}"
    half = f"{found.wrong} in the first half that it was fitted by, {values[found.best][1]} in the second"
    console.print(f"\ndisagreements: {half}{before}")
    console.print(f"{counted(found.tried, 'variant')} tried", style="dim")
    for name in written:
        console.print(f"written into {name}")


def _own(book: Rulebook, axis: Axis) -> Any:
    """The present value of a key in the rulebook; None if it has none."""
    return 0 if axis.key == LAG else current_value(book, axis.keys[0][1])


def present_place(book: Rulebook, axes: Sequence[Axis]) -> Point | None:
    """Where the rulebook's own values lie among those to be tried; None if any lies elsewhere."""
    found = []
    for axis in axes:
        number = _own(book, axis)
        places = [place for place, value in enumerate(axis.values) if meant(value) == number or value == str(number)]
        if not places:
            return None
        found.append(places[0])
    return tuple(found)


def _check_keys(axes: Sequence[Axis], recordings: Sequence[str]) -> None:
    """Raises for keys that are named twice, and a recording that is read once only."""
    keys = [key for axis in axes for key, _ in axis.keys]
    if len(set(keys)) < len(keys):
        raise click.UsageError("each key can be varied once: list all its values there")
    if "-" in recordings:
        raise click.UsageError("a recording is read more than once: give a file")


def _check_axes(axes: Sequence[Axis], recordings: Sequence[str]) -> None:
    """Raises for what cannot be varied so."""
    _check_keys(axes, recordings)
    count = math.prod(len(axis.values) for axis in axes)
    if count > MOST:
        raise InputError(Problem(f"found {count} variants, expected at most {MOST}", key="--vary"))


def _heads(axes: Sequence[Axis]) -> list[str]:
    """Keys as short as they can be told apart: the last step, the last two, or the whole."""
    for steps in (1, 2):
        short = [".".join(axis.key.split(".")[-steps:]) for axis in axes]
        if len(set(short)) == len(short):
            return short
    return [axis.key for axis in axes]


def _show(
    axes: Sequence[Axis], scores: Mapping[Point, VariantScore], lines: Sequence[str], *, everything: bool
) -> None:
    console = present.console()
    claims = any(score.evidence for score in scores.values())
    lived = any(score.lived for score in scores.values())
    least = min(score.wrong for score in scores.values())
    changes_seen = [name for name in CHANGES if any(getattr(score, name) for score in scores.values())]
    changes = changes_seen if console.width >= present.WIDE else ["differ"] if changes_seen else []
    heads = [*_heads(axes), "hits", "deaths", *(["to down"] if lived else []), *changes]
    table = present.table(
        "", [(name, "right") for name in [*heads, *(["agree", "hits off", "rest off", "wrong"] if claims else [])]]
    )
    table.title = None
    shown = list(scores.items())
    for point, entry in shown if everything else shown[:ROWS]:
        row = [axis.values[place] for axis, place in zip(axes, point, strict=True)]
        row += [str(entry.hits), str(entry.deaths), *([present.number(entry.time_to_down)] if lived else [])]
        row += [str(entry.differ if name == "differ" else getattr(entry, name)) for name in changes]
        best = claims and entry.wrong == least
        off = [str(entry.hits_wrong), str(entry.rest_wrong), f"{entry.wrong}{'*' if best else ' '}"]
        row += [f"{entry.agreed}/{entry.claims}", *off] if claims else []
        table.add_row(*row, style="bold green" if best else "")
    console.print(table)
    if len(shown) > ROWS and not everything:
        console.print(f"… and {len(shown) - ROWS} more: see them with --all or --json", style="dim")
    console.print()
    for index, line in enumerate(lines):
        console.print(Text(line, "bold" if index == 0 else ""))
    if lines:
        console.print()
    notes = {
        "to down: median of frames from appearing, or coming back": lived,
        f"{', '.join(changes)}: from what the first line comes to": bool(changes),
        "off, wrong: what check finds of hits, of all else, in all; * where it is least": claims,
        f"the recordings claim no hit: {LAG} changes nothing": not claims and any(axis.key == LAG for axis in axes),
    }
    for note in [note for note, fits in notes.items() if fits]:
        console.print(note, style="dim")


def _plain(axes: Sequence[Axis], scores: Mapping[Point, VariantScore], lines: Sequence[str]) -> dict[str, object]:
    """The machine form."""
    least = min(score.wrong for score in scores.values())
    return {
        "voskar": "tune",
        "version": 2,
        "vary": {axis.key: list(axis.values) for axis in axes},
        "variants": [
            {
                "values": {axis.key: axis.values[place] for axis, place in zip(axes, point, strict=True)},
                **{name: value for name, value in vars(score).items() if name != "lived"},
                "time_to_down": score.time_to_down,
                "wrong": score.wrong,
                "best": score.evidence and score.wrong == least,
            }
            for point, score in scores.items()
        ],
        "fit": list(lines),
    }
