"""`voskar hud`: what a game's own display would show, frame by frame."""

from __future__ import annotations

import csv
import io
import json

import click

from voskar.commands import present
from voskar.commands.options import (
    Command,
    account_options,
    actors_option,
    check_actors,
    frames_option,
    inputs,
    json_option,
    load,
    resync_of,
)
from voskar.core.ledger import written
from voskar.core.step import replay
from voskar.core.views.hud import Gauge, HudFrame, changes, clock, display, displayed, icons
from voskar.core.views.timeline import timeline


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar hud apiary.toml meadow.jsonl
  voskar hud apiary.toml meadow.jsonl --frames 240-300 --every
  voskar hud apiary.toml meadow.jsonl --csv | head
""",
)
@inputs
@account_options()
@actors_option("Only values of this actor")
@frames_option
@click.option(
    "--icon",
    default=1.0,
    show_default=True,
    type=click.FloatRange(0, min_open=True),
    metavar="HEALTH",
    help="Health that one whole icon stands for, a number.",
)
@click.option("--every", is_flag=True, help="A row for every frame, not only where a value changes.")
@json_option("one object a frame, for every frame")
@click.option("--csv", "as_csv", is_flag=True, help="One CSV row a frame and actor, for every frame.")
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    actor: tuple[str, ...],
    frames: tuple[int, int] | None,
    icon: float,
    every: bool,
    as_json: bool,
    as_csv: bool,
) -> None:
    """Show health in per cent and icons, lives, clock and score after each frame of RECORDING, by RULEBOOK.

    To compare with the game's own display. Without --actor it shows the actors that have lives, else all recorded
    actors with health.
    """
    if as_json and as_csv:
        raise click.UsageError("give --json or --csv, not both")
    book, played = load(rulebook, recording, reactions)
    rules = book.rules(played.rate)
    course = timeline(rules, played, replay(rules, played, resync_of(played, within, resync)))
    check_actors(course.courses, actor, "--actor")
    names = list(actor) or displayed(course)
    low, high = frames or (played.first, played.last)
    # Machine forms must not depend on which values happen to change.
    whole = every or as_json or as_csv
    wanted = range(played.first, played.last + 1) if whole else changes(rules, course, names)
    shown = [display(rules, course, frame, names, icon) for frame in wanted if low <= frame <= high]
    rate = float(played.rate)
    if as_json:
        click.echo("\n".join(json.dumps(_plain(hud, rate)) for hud in shown))
    elif as_csv:
        click.echo(_rows(shown, rate), nl=False)
    else:
        _show(shown, names, rate)


def _show(shown: list[HudFrame], names: list[str], rate: float) -> None:
    out = present.console()
    if not names:
        out.print("no actor has health: there is nothing to display")
        return
    counts = any(gauge.lives is not None for hud in shown for gauge in hud.gauges)
    # A game without scores gets no empty column.
    scores = any(hud.score for hud in shown)
    counts_down = any(hud.left is not None for hud in shown)  # there is so long to survive
    columns = [
        ("frame", "right"),
        ("left" if counts_down else "clock", "right"),
        ("actor", ""),
        ("health", "right"),
        ("", "right"),
        ("icons", ""),
    ]
    columns += [("lives", "right")] if counts else []
    table = present.table("", [*columns, ("", ""), *([("score", "")] if scores else [])])
    table.title = None
    for entry in shown:
        score = ", ".join(f"{name} {present.number(points)}" for name, points in entry.score)
        # A frame without actors still has a clock and a score.
        for index, gauge in enumerate(entry.gauges or (None,)):
            text = clock(entry.clock if entry.left is None else entry.left, rate)
            head = (str(entry.frame), text) if index == 0 else ("", "")
            cells = ["", "", "", "", *([""] if counts else []), ""]
            if gauge is not None:
                health = f"{present.number(gauge.health)}/{present.number(gauge.full)}"
                lives = [] if not counts else ["" if gauge.lives is None else str(gauge.lives)]
                cells = [gauge.actor, health, f"{gauge.percent:.0f} %", icons(gauge), *lives, gauge.state]
            if index == 0 and entry.end:
                cells[-1] = f"{cells[-1]} {entry.end}".strip()
            table.add_row(*head, *cells, *([score if index == 0 else ""] if scores else []))
    out.print(table)


def _plain(frame: HudFrame, rate: float) -> dict[str, object]:
    """The machine form of a frame."""
    return {
        "frame": frame.frame,
        "clock": round(frame.clock / rate, 6),
        "left": None if frame.left is None else round(frame.left / rate, 6),
        "score": {name: written(points) for name, points in frame.score},
        "end": frame.end or None,
        "actors": [_actor(gauge) for gauge in frame.gauges],
    }


def _actor(gauge: Gauge) -> dict[str, object]:
    """The machine form of an actor's values."""
    return {
        "id": gauge.actor,
        "health": written(gauge.health),
        "full": written(gauge.full),
        "percent": round(gauge.percent, 6),
        "whole": gauge.whole,
        "part": round(gauge.part, 6),
        "icons": gauge.icons,
        "lives": gauge.lives,
        "state": gauge.state or None,
    }


def _rows(shown: list[HudFrame], rate: float) -> str:
    """CSV, scores as columns of their own."""
    # All scores of the recording, as a CSV has the same columns in every row.
    names = sorted({name for hud in shown for name, _ in hud.score})
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    columns = ("health", "full", "percent", "whole", "part", "icons", "lives", "state")
    table.writerow(["frame", "clock", "left", "end", "id", *columns, *(f"score {name}" for name in names)])
    for entry in shown:
        plain = _plain(entry, rate)
        scores = [dict(entry.score).get(name, 0) for name in names]
        for gauge in map(_actor, entry.gauges):
            head = [entry.frame, plain["clock"], plain["left"], plain["end"], gauge["id"]]
            table.writerow([*head, *(gauge[column] for column in columns), *map(written, map(float, scores))])
    return text.getvalue()
