"""A picture of the layers that can hit each other: hitbox layers against hurtbox layers."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from voskar.core.views.exercise import LayerPair
from voskar.drawing.style import FAINT, GRID, INK, PAPER, save

LANDED, TOUCHED, NEVER = "#e8a15c", "#f6dcbd", "#dfe7ee"


def draw_layers(pairs: Sequence[LayerPair], tried: bool, path: Path, ending: str) -> None:
    """One cell a pair: filled where boxes may meet, crossed where not, with counts; dots where never tried."""
    from matplotlib.figure import Figure
    from matplotlib.patches import Patch, Rectangle

    rows = list(dict.fromkeys(pair.hit_layer for pair in pairs)) or [""]
    columns = list(dict.fromkeys(pair.hurt_layer for pair in pairs)) or [""]
    figure = Figure(
        figsize=(max(4.4 + 1.7 * len(columns), 7.0), max(2.2 + 0.95 * len(rows), 3.6)),
        dpi=100,
        facecolor=PAPER,
        layout="constrained",
    )
    ax = figure.subplots()
    ax.set_facecolor(PAPER)
    for pair in pairs:
        x, y = columns.index(pair.hurt_layer), rows.index(pair.hit_layer)
        if not pair.eligible:
            ax.plot([x - 0.12, x + 0.12], [y - 0.12, y + 0.12], color=FAINT, linewidth=1.2)
            ax.plot([x - 0.12, x + 0.12], [y + 0.12, y - 0.12], color=FAINT, linewidth=1.2)
            continue
        colour = LANDED if pair.landed else TOUCHED if pair.contacts else NEVER
        hatch = "" if pair.contacts or not tried else ".."
        cell = Rectangle(
            (x - 0.46, y - 0.46), 0.92, 0.92, facecolor=colour, edgecolor=FAINT, linewidth=0.6, hatch=hatch
        )
        ax.add_patch(cell)
        ax.text(
            x,
            y - 0.14,
            f"{len(pair.pairs)} of {pair.boxes} box pairs",
            ha="center",
            va="center",
            fontsize=8.5,
            color=INK,
        )
        counts = (
            f"{pair.contacts:,} contacts, {pair.landed:,} landed" if pair.contacts else "never tried" if tried else ""
        )
        ax.text(x, y + 0.18, counts, ha="center", va="center", fontsize=8.5, color=INK, fontweight="bold")
    ax.set_xlim(-0.5, len(columns) - 0.5)
    ax.set_ylim(len(rows) - 0.5, -0.5)
    ax.set_xticks(range(len(columns)), [name or "(no layer)" for name in columns], color=INK)
    ax.set_yticks(range(len(rows)), [name or "(no layer)" for name in rows], color=INK)
    ax.xaxis.tick_top()
    ax.xaxis.set_label_position("top")
    ax.set_xlabel("hurtboxes on layer", color=FAINT)
    ax.set_ylabel("hitboxes on layer", color=FAINT)
    ax.tick_params(length=0)
    for spine in ax.spines.values():
        spine.set_color(GRID)
    handles = [
        Patch(facecolor=LANDED, edgecolor=FAINT, label="landed"),
        Patch(facecolor=TOUCHED, edgecolor=FAINT, label="touched, never landed"),
        Patch(
            facecolor=NEVER,
            edgecolor=FAINT,
            hatch=".." if tried else "",
            label="may meet, never tried" if tried else "may meet",
        ),
    ]
    handles = handles if tried else handles[2:]
    ax.plot([], [], color=FAINT, marker="x", linestyle="none", label="layers keep them apart")
    extra = ax.get_legend_handles_labels()[0]
    figure.legend(
        handles=[*handles, *extra], loc="outside lower center", ncols=4, frameon=False, fontsize=9, labelcolor=INK
    )
    save(figure, path, ending)
