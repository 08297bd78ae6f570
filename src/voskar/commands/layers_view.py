"""The matrix of layers and masks: which hitboxes meet which hurtboxes."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from voskar.commands import present
from voskar.core.explain.step import DETECT_WORDS
from voskar.core.rules import Rules
from voskar.core.views.exercise import LayerPair

WIDTH = 5
"""Columns of a cell: eight layers fit 80."""


def show_matrix(rules: Rules, pairs: Sequence[LayerPair], tried: bool) -> None:
    """Rows are layers with hitboxes, columns layers with hurtboxes, by number; and where the table is not kept."""
    out = present.console()
    rows = list(dict.fromkeys(pair.hit_layer for pair in pairs))
    columns = list(dict.fromkeys(pair.hurt_layer for pair in pairs))
    cells = {(pair.hit_layer, pair.hurt_layer): pair for pair in pairs}
    names = list(dict.fromkeys([*rows, *columns]))
    # Numbers instead of names: eight names across do not fit 80 columns.
    number = {name: str(place) for place, name in enumerate(names, 1)}
    label = min(max((len(name or "(none)") for name in names), default=6), 24) + 4
    detect = rules.contact.detect
    out.print(Text(f'who meets whom; detect = "{detect}": {DETECT_WORDS[detect]}', "bold"))
    out.print(Text("hitboxes on, down; hurtboxes on, across", "dim"))
    out.print(Text(" " * label + "".join(number[name].rjust(WIDTH) for name in columns)))
    for name in names:
        line = Text(f"{number[name]:>2} {present.shortened(name or '(none)', label - 4)}".ljust(label))
        for other in columns if name in rows else ():
            line.append(*_cell(cells.get((name, other)), tried))
        out.print(line)
    marks = "a number: contacts" if tried else "x: they meet"
    marks += ", 0: they may meet and never did" if tried else ""
    broken = [pair for pair in pairs if pair.breaks]
    marks += ", -: they do not" + (", !: not as [layers.meets] has it" if broken else "")
    out.print(Text(marks, "dim"))
    for pair in broken:
        out.print(Text(f"  {pair.hit_layer or '(none)'} on {pair.hurt_layer or '(none)'}: {pair.breaks}", "yellow"))


def _cell(pair: LayerPair | None, tried: bool) -> tuple[str, str]:
    if pair is None:
        return " " * WIDTH, ""
    text, style = ("-", "dim") if not pair.eligible else (str(pair.contacts) if tried else "x", "")
    if pair.eligible and tried and not pair.contacts:
        style = "yellow"
    if pair.breaks:
        text, style = text + "!", "yellow"
    return text.rjust(WIDTH), style
