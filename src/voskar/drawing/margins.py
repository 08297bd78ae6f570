"""A figure of margins: a bar for each number, as far as it could be another one."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from voskar.drawing.style import FAINT, GRID, INK, PAPER, save
from voskar.explaining.margins import Margin, step_of
from voskar.explaining.numbers import number_at

HELD, LOOSE, OPEN = "#1f6f4a", "#b4541a", "#d9c3b0"
MOST, FAR = 40, 8.0
"""Numbers that are drawn at most, and steps that a bar reaches at most."""


def draw_margins(margins: Sequence[Margin], path: Path, ending: str) -> None:
    """Draws the numbers among some margins into a file, "png" or "svg". Along x are steps from the rulebook's value: a
    frame, one, or a twentieth of it. A pale end was noticed by nothing that was tried."""
    from matplotlib.figure import Figure

    numbers = [margin for margin in margins if margin.is_number and margin.met]
    shown = numbers[:MOST][::-1]
    figure = Figure(figsize=(12.8, max(2.4, 1.2 + 0.19 * len(shown))), dpi=100, facecolor=PAPER, layout="constrained")
    held = sum(margin.held for margin in numbers)
    title = f"{held} of {len(numbers)} numbers are held: how many steps each could be off"
    figure.suptitle(title, x=0.012, ha="left", color=INK, fontsize=13, fontweight="bold")
    ax = figure.subplots()
    ax.set_facecolor(PAPER)
    for row, margin in enumerate(shown):
        low, high = _reach(margin)
        low, high = max(low, -FAR), min(high, FAR)
        colour = HELD if margin.held else LOOSE
        ax.barh(row, high - low or 0.12, left=low if high > low else -0.06, height=0.62, color=colour)
        if margin.below is None:
            ax.barh(row, FAR + low, left=-FAR, height=0.62, color=OPEN)
        if margin.above is None:
            ax.barh(row, FAR - high, left=high, height=0.62, color=OPEN)
    ax.axvline(0, color=INK, linewidth=0.9)
    ax.set_yticks(range(len(shown)), [margin.key for margin in shown], fontsize=8, color=INK)
    ax.set_xlim(-FAR, FAR)
    ax.set_ylim(-0.6, max(len(shown), 1) - 0.4)
    ax.set_xlabel("steps from the rulebook's value (green: held; brown: fits as well; pale: nothing tried was noticed)")
    ax.grid(axis="x", color=GRID, linewidth=0.8)
    ax.set_axisbelow(True)
    ax.tick_params(colors=INK, length=3)
    for name, spine in ax.spines.items():
        spine.set_visible(name in ("left", "bottom"))
        spine.set_color(FAINT)
    save(figure, path, ending)


def _reach(margin: Margin) -> tuple[float, float]:
    """The last values that fit, in steps from the rulebook's."""
    own = number_at(margin.leaf.value, margin.place)
    step = step_of(margin.leaf, own)
    return (margin.low - own) / step, (margin.high - own) / step
