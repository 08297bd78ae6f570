"""`voskar moves`: the frame data of every timed attack."""

from __future__ import annotations

import json
from fractions import Fraction

import click

from voskar.commands import present
from voskar.commands.options import Command, json_option
from voskar.core.rules import DEFAULT_RATE
from voskar.core.views.framedata import Move, moves
from voskar.files.kept import ReadyRulebook


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar moves apiary.toml
  voskar moves apiary.toml --rate 50
  voskar moves apiary.toml meadow.jsonl --json
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recording", metavar="[RECORDING]", required=False)
@click.option(
    "--rate", type=click.FloatRange(0, 1e6, min_open=True), metavar="HZ", help="Frames a second.  [default: 60]"
)
@json_option("one object a move")
def command(rulebook: str, recording: str | None, rate: float | None, as_json: bool) -> None:
    """Tell startup, active and recovery frames of every attack of RULEBOOK that has a `during`.

    At the rate given, at that of a RECORDING, or at 60. Startup counts the frames before the first active one.
    """
    if rate is not None and recording is not None:
        raise click.UsageError("give --rate or a RECORDING, not both")
    book = ReadyRulebook(rulebook)
    pace = Fraction(repr(rate)) if rate is not None else DEFAULT_RATE
    if recording is not None:
        from voskar.files.recording import load_recording

        pace = load_recording(recording, book).rate
    found = moves(book.rules(pace))
    if as_json:
        click.echo("\n".join(json.dumps({**vars(one), "active": one.active}) for one in found))
    else:
        _show(found, float(pace))


def _show(found: list[Move], rate: float) -> None:
    out = present.console()
    if not found:
        out.print("no attack has a `during`: nothing is timed")
        return
    stuns = any(one.stun for one in found)
    headings = ("startup", "active", "recovery", "total", "damage", "all", "i-frames", *(("stun",) if stuns else ()))
    columns = [("move", ""), ("attack", ""), *((heading, "right") for heading in headings)]
    table = present.table(f"frame data at {present.number(rate)} frames a second", columns)
    for one in found:
        # windows with the closed frames between them: 3(6)3
        gaps = [f"({b[0] - a[1] - 1})" for a, b in zip(one.windows, one.windows[1:], strict=False)]
        lengths = [str(last - first + 1) for first, last in one.windows]
        active = "".join(length + gap for length, gap in zip(lengths, [*gaps, ""], strict=True))
        table.add_row(
            f"{one.kind}.{one.clip}",
            one.attack,
            str(one.startup),
            active,
            "" if one.recovery is None else str(one.recovery),
            "" if one.total is None else str(one.total),
            present.number(one.damage),
            present.number(one.damage_all),
            "kind's" if one.iframes is None else str(one.iframes),
            *((str(one.stun),) if stuns else ()),
        )
    out.print(table)
    out.print(
        "\nactive: 3(6)3 is open for 3, closed for 6, open for 3; all: the damage if every window lands", style="dim"
    )
