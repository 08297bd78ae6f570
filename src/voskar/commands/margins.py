"""`voskar margins`: which values of a rulebook some recordings hold, and how far the others could be off."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click
from rich.progress import Progress
from rich.text import Text

from voskar.commands import present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import (
    Command,
    all_option,
    engine_of,
    engine_options,
    json_option,
    out_option,
    picture_ending,
    within_option,
)
from voskar.explaining.leaf import words
from voskar.explaining.margins import Margin, instruction
from voskar.files.reading import whole_file
from voskar.files.windows import parse_windows
from voskar.suite.margins import MarginJob, margin_jobs, run_margins
from voskar.words import counted

LISTED = 30
"""Most loose values that are listed."""


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar margins apiary.toml bugs/hits-weak-push.stage.toml --key attacks.pry
  voskar margins apiary.toml right/hits-short-iframes.jsonl --key kinds.keeper --json
  voskar margins apiary.toml right/hits-damage-table.jsonl --key attacks -o margins.png
  voskar margins voskar.toml --least 40

\b
Exit codes: 0 done, 1 fewer values are held than --least asks for, 2 bad input.
""",
)
@click.argument("rulebook", metavar="RULEBOOK|SUITE")
@click.argument("recordings", metavar="[RECORDING...]", nargs=-1)
@click.option("--key", "keys", multiple=True, metavar="KEY", help="Only the values below this key of the rulebook.")
@click.option("--least", type=click.FloatRange(0, 100), metavar="PERCENT", help="Fail if fewer values are held.")
@within_option
@out_option("Draw a bar for each number: .png or .svg by the ending")
@engine_options
@all_option("every value, also those that are held")
@json_option("one object")
def command(
    rulebook: str,
    recordings: tuple[str, ...],
    keys: tuple[str, ...],
    least: float | None,
    within: tuple[str, ...],
    out: str | None,
    workers: int | None,
    cluster: str | None,
    everything: bool,
    as_json: bool,
) -> int:
    """Find how far each value of RULEBOOK could be another one before RECORDINGs would notice.

    A value is held if the next value on either side makes `check` find something else. A rule that runs and that
    nothing holds is as good as not tested. Without recordings the first argument is a suite: of each of its rulebooks
    the values are tried on all recordings that it names for it.
    """
    ending = picture_ending(out) if out else ""
    parse_windows(within)
    jobs = _jobs(rulebook, recordings, within)
    if keys:
        jobs = [job for job in jobs if any(_below(job, key) for key in keys)]
    # Keys are searched for before the work, so that a misspelt key fails at once.
    if not jobs:
        raise click.UsageError("the rulebook says no value below these keys")
    found: list[tuple[MarginJob, Margin]] = []
    console = present.console()
    with (
        engine_of(workers, cluster) as engine,
        Progress(transient=True, disable=as_json or not console.is_terminal, console=console) as bar,
    ):
        task = bar.add_task("trying", total=len(jobs))
        for job, margins in zip(jobs, run_margins(jobs, engine), strict=True):
            found += [(job, margin) for margin in margins]
            bar.advance(task)
    held = sum(margin.held for _, margin in found)
    share = 100 * held / len(found)
    if as_json:
        click.echo(json.dumps(_plain(found, held)))
    else:
        _show(found, held, everything=everything, several=len({job.rulebook for job in jobs}) > 1)
    if out:
        from voskar.drawing.margins import draw_margins

        with whole_file(out) as part:
            draw_margins([margin for _, margin in found], part, ending)
        present.say("", f"drew {Path(out)}", err=as_json)
    return DISAGREED if least is not None and share < least else AGREED


def _jobs(rulebook: str, recordings: Sequence[str], within: tuple[str, ...]) -> list[MarginJob]:
    if recordings:
        return margin_jobs(rulebook, recordings, within)
    from voskar.audit import CHECKS
    from voskar.files.suite import load_suite

    by_rulebook: dict[str, list[str]] = {}
    for job in load_suite(rulebook, CHECKS).jobs:
        by_rulebook.setdefault(job.rulebook, []).append(job.recording)
    return [margin_job for book, names in by_rulebook.items() for margin_job in margin_jobs(book, names, within)]


def _below(job: MarginJob, key: str) -> bool:
    # A key with brackets is one of a list.
    return f"{job.key}.".startswith(f"{key}.") or job.key.startswith(f"{key}[")


def _value_text(margin: Margin, value: Any) -> str:
    return "none" if value is None else words(margin.leaf._replace(sort=_sort(margin)), value)


def _sort(margin: Margin) -> Any:
    return "number" if margin.place >= 0 else margin.leaf.sort


def _own(margin: Margin) -> Any:
    return margin.leaf.value[margin.place] if margin.place >= 0 else margin.leaf.value


def _range(margin: Margin) -> str:
    """The range of values that fit as well."""
    if not margin.is_number:
        return ", ".join(_value_text(margin, item) for item in margin.loose[:3]) + (
            ", …" if len(margin.loose) > 3 else ""
        )
    low = _value_text(margin, margin.low) if margin.below is not None else f"{_value_text(margin, margin.low)} or less"
    high = (
        _value_text(margin, margin.high) if margin.above is not None else f"{_value_text(margin, margin.high)} or more"
    )
    # An open end has no value on that side at which the recordings would notice.
    return f"{low} to {high}"


def _said(margin: Margin) -> str:
    """The margin in words."""
    if margin.held or not margin.met:
        return "held" if margin.held else "never met"
    if not margin.is_number:
        return f"{_range(margin)} would not be noticed"
    near = [_value_text(margin, item) for item in (margin.below, margin.above) if item is not None]
    return f"{_range(margin)} fit alike" + (f", {' and '.join(near)} would be noticed" if near else "")


def _show(found: Sequence[tuple[MarginJob, Margin]], held: int, *, everything: bool, several: bool) -> None:
    out = present.console()
    loose = [(job, margin) for job, margin in found if everything or not margin.held]
    for job, margin in loose if everything else loose[:LISTED]:
        name = f"{Path(job.rulebook).name}: {margin.key}" if several else margin.key
        line = Text(name, "bold green" if margin.held else "bold" if margin.met else "dim")
        line.append(f"  {_value_text(margin, _own(margin))}: ", "not bold").append(_said(margin), "not bold")
        out.print(line)
        if not margin.held:
            out.print(Text(f"    record {instruction(margin)}", "dim"))
    if loose:
        if not everything and len(loose) > LISTED:
            out.print(f"… and {len(loose) - LISTED} more: see them with --all, or some of them with --key", style="dim")
        out.print()
    never = sum(not margin.met for _, margin in found)
    # An attack that is never met needs a scene of its own, not a closer look.
    text = f", {never} are of kinds and attacks that are never met" if never else ""
    out.print(f"{held} of {counted(len(found), 'value')} held, {100 * held / len(found):.0f} %{text}")


def _plain(found: Sequence[tuple[MarginJob, Margin]], held: int) -> dict[str, object]:
    """The machine form."""
    return {
        "voskar": "margins",
        "version": 1,
        "values": len(found),
        "held": held,
        "margins": [
            {
                "rulebook": job.rulebook,
                "key": margin.key,
                "rules": _value_text(margin, _own(margin)),
                "held": margin.held,
                "met": margin.met,
                "low": None if margin.low is None else _value_text(margin, margin.low),
                "high": None if margin.high is None else _value_text(margin, margin.high),
                "below": None if margin.below is None else _value_text(margin, margin.below),
                "above": None if margin.above is None else _value_text(margin, margin.above),
                "loose": [_value_text(margin, item) for item in margin.loose],
                "record": None if margin.held else instruction(margin),
            }
            for job, margin in found
        ],
    }
