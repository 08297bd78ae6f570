"""`voskar moves`: the frame data of every timed attack."""

from __future__ import annotations

import json
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path

import click

from voskar.commands import present
from voskar.commands.options import Command, json_option
from voskar.core.rules import DEFAULT_RATE, Rules
from voskar.core.views.framedata import Move, moves
from voskar.errors import InputError, Problem, nearest
from voskar.files.kept import ReadyRulebook


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar moves apiary.toml
  voskar moves apiary.toml --rate 50
  voskar moves apiary.toml meadow.jsonl --json
  voskar moves ring/sparring.toml --out keeper.csv
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recording", metavar="[RECORDING]", required=False)
@click.option(
    "--rate", type=click.FloatRange(0, 1e6, min_open=True), metavar="HZ", help="Frames a second.  [default: 60]"
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write the boxes as a table that `boxes_from` reads, .csv or .parquet.",
)
@click.option("--kind", metavar="KIND", help="Only this kind; --out needs it if several have attacks.")
@json_option("one object a move")
def command(
    rulebook: str, recording: str | None, rate: float | None, out: Path | None, kind: str | None, as_json: bool
) -> None:
    """Show startup, active and recovery frames of every attack of RULEBOOK that has a `during`.

    At the rate given, at that of a RECORDING, or at 60. Startup counts the frames before the first active one.
    """
    if rate is not None and recording is not None:
        raise click.UsageError("give --rate or a RECORDING, not both")
    book = ReadyRulebook(rulebook)
    # `repr` gives the decimal text, so 59.94 stays exact as a fraction.
    pace = Fraction(repr(rate)) if rate is not None else DEFAULT_RATE
    if recording is not None:
        from voskar.files.recording import load_recording

        pace = load_recording(recording, book).rate
    rules = book.rules(pace)
    if kind is not None and kind not in rules.kinds:
        raise InputError(Problem(f'unknown kind "{kind}"', key="--kind", hint=nearest(kind, rules.kinds)))
    # An attack has no kind of its own; the move of a kind has.
    found = [move for move in moves(rules) if kind in (None, move.kind)]
    if out is not None:
        _write(out, book, rules, [kind] if kind is not None else sorted({move.kind for move in found}))
        return
    if as_json:
        click.echo("\n".join(json.dumps({**asdict(move), "active": move.active}) for move in found))
    else:
        _show(found, float(pace))


def _write(out: Path, book: ReadyRulebook, rules: Rules, kinds: list[str]) -> None:
    from voskar.files.box_rows import rows_of
    from voskar.files.box_tables import write_rows

    if len(kinds) != 1:
        # Several kinds may have boxes of one name, and a table has no column for the kind.
        raise click.UsageError(
            f"--out writes the boxes of one kind: name it with --kind ({', '.join(kinds) or 'none'})"
        )
    rows = rows_of(kinds[0], rules.kinds[kinds[0]].boxes, book.whole.data.kinds[kinds[0]].boxes)
    write_rows(out, rows)
    click.echo(f"wrote {len(rows)} rows to {out}")


def _show(found: list[Move], rate: float) -> None:
    out = present.console()
    if not found:
        out.print("no attack has a `during`: nothing is timed")
        return
    rows: list[dict[str, str]] = []
    for move in found:
        # windows with the closed frames between them: 3(6)3
        gaps = [f"({b[0] - a[1] - 1})" for a, b in zip(move.windows, move.windows[1:], strict=False)]
        lengths = [str(last - first + 1) for first, last in move.windows]
        active = "".join(length + gap for length, gap in zip(lengths, [*gaps, ""], strict=True))
        row = {"move": f"{move.kind}.{move.clip}", "attack": move.attack if move.attack != move.clip else ""}
        row |= {"startup": str(move.startup), "active": active}
        row |= {"recov.": _text(move.recovery), "total": _text(move.total), "damage": present.number(move.damage)}
        row |= {"all": present.number(move.damage_all) if move.damage_all != move.damage else ""}
        row |= {"in a row": " ".join(map(present.number, move.in_a_row))}
        row |= {"i-frames": _text(move.iframes), "stun": _text(move.stun or None), "stop": _text(move.hitstop or None)}
        rows += [row | {"adv.": _signed(move.advantage) if move.stun else ""}]
        for case in move.cases:
            values = {"move": f"  {case.case}", "damage": present.number(case.damage), "stun": _text(case.stun or None)}
            rows.append(values | {"stop": _text(case.hitstop or None), "adv.": _signed(case.advantage)})
    # A column that no move uses is left out, so that the table fits 80 columns.
    headings = [name for name in rows[0] if any(row.get(name) for row in rows)]
    columns = [(name, "" if name in ("move", "attack") else "right") for name in headings]
    table = present.table(f"frame data at {present.number(rate)} frames a second", columns)
    table.columns[0].no_wrap = True
    for row in rows:
        table.add_row(*(row.get(name, "") for name in headings))
    out.print(table)
    notes = {
        "active": "active: 3(6)3 is open for 3, closed for 6, open for 3",
        "stop": "stop: frames of hitstop",
        "all": "all: the damage if every window lands",
        "in a row": "in a row: the damage of the first hit, the second, …",
        "adv.": "adv.: frames by which the attacker may act first, if the first active cell lands",
    }
    out.print()
    for name, note in notes.items():
        if name in headings:
            out.print(note, style="dim")


def _text(value: int | None) -> str:
    return "" if value is None else str(value)


def _signed(value: int | None) -> str:
    return "" if value is None else f"{value:+d}"
