"""`voskar layers`: the layers that can hit each other, and whether they ever did."""

from __future__ import annotations

import json
from pathlib import Path

import click
from rich.text import Text

from voskar.commands import present
from voskar.commands.layers_view import show_matrix
from voskar.commands.options import Command, json_option, out_option, picture_ending
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import DEFAULT_RATE, Rules
from voskar.core.views.exercise import LayerPair, layer_pairs
from voskar.files.kept import ReadyRulebook
from voskar.files.reading import whole_file


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar layers apiary.toml
  voskar layers apiary.toml meadow.jsonl --boxes
  voskar layers apiary.toml meadow.jsonl --out layers.png
""",
)
@click.argument("rulebook", metavar="RULEBOOK")
@click.argument("recordings", metavar="[RECORDING]...", nargs=-1)
@click.option("--boxes", is_flag=True, help="Each pair of layers and of boxes on a line of its own too, with why.")
@out_option("Draw a picture: .png or .svg by the ending")
@json_option("one object a pair of layers")
def command(rulebook: str, recordings: tuple[str, ...], boxes: bool, out: str | None, as_json: bool) -> None:
    """Show as one matrix whether hitboxes on a layer may meet hurtboxes on another, and where masks break the table.

    With recordings: how many contacts each pair had, so that pairs never tried stand out, and pairs that should not
    touch.
    """
    ending = picture_ending(out) if out else ""
    book = ReadyRulebook(rulebook)
    ledgers = _replayed(recordings, book) if recordings else []
    played = [recording for recording, _ in ledgers]
    # Layers do not depend on the rate, so any rate serves without a recording.
    rules = book.rules(played[0].rate if played else DEFAULT_RATE)
    pairs = layer_pairs(rules, ledgers)
    if as_json:
        click.echo("\n".join(json.dumps(_plain(pair, bool(played))) for pair in pairs))
    else:
        show_matrix(rules, pairs, bool(played))
        if boxes:
            _show_boxes(rules, pairs, bool(played))
    if out:
        from voskar.drawing.layers import draw_layers

        with whole_file(out) as part:
            draw_layers(pairs, bool(played), part, ending)
        present.say("", f"drew {Path(out)}", err=as_json)


def _replayed(recordings: tuple[str, ...], book: ReadyRulebook) -> list[tuple[Recording, Ledger]]:
    from voskar.core.step import replay
    from voskar.files.recording import load_recording

    played = [load_recording(path, book) for path in recordings]
    return [(recording, replay(book.rules(recording.rate), recording)) for recording in played]


def _show_boxes(rules: Rules, pairs: list[LayerPair], tried: bool) -> None:
    out = present.console()
    out.print()
    counts = [("contacts", "right"), ("landed", "right")] if tried else []
    columns = [("hitbox layer", ""), ("hurtbox layer", ""), ("may meet", ""), *counts, ("because", "")]
    table = present.table("pairs of layers and boxes", columns)
    table.columns[-1].ratio, table.expand = 1, True
    # A pair that may meet and never did is the most likely mistake, so it stands out.
    for pair in pairs:
        word = Text("yes" if pair.eligible else "no", "" if pair.eligible else "dim")
        if tried and pair.eligible and not pair.contacts:
            word = Text("yes, untried", "yellow")
        row = [str(pair.contacts), str(pair.landed)] if pair.eligible else ["", ""]
        reason = Text(pair.reason, "dim")
        table.add_row(pair.hit_layer or "(none)", pair.hurt_layer or "(none)", word, *(row if tried else ()), reason)
        for entry in pair.pairs:
            row = [str(entry.contacts), str(entry.landed)] if tried else []
            untried = Text("untried" if tried and not entry.contacts else "", "yellow")
            table.add_row(f"  {entry.hitbox}", f"  {entry.hurtbox}", untried, *row, "")
    out.print(table)
    alone = [
        f"{kind.name}.{box.name}"
        for kind in rules.kinds.values()
        for box in kind.boxes
        # Such a box is easy to write by mistake, and nothing else reports it.
        if not box.layer and not box.mask
    ]
    if alone:
        out.print(f"\non no layer and looking for none, so they meet nothing: {', '.join(alone)}", style="dim")


def _plain(pair: LayerPair, tried: bool) -> dict[str, object]:
    found: dict[str, object] = {
        "hitbox_layer": pair.hit_layer or None,
        "hurtbox_layer": pair.hurt_layer or None,
        "eligible": pair.eligible,
        "because": pair.reason,
        "promised": pair.promised,
        "boxes": [vars(entry) if tried else {"hitbox": entry.hitbox, "hurtbox": entry.hurtbox} for entry in pair.pairs],
    }
    return found | ({"contacts": pair.contacts, "landed": pair.landed} if tried else {})
