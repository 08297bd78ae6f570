"""Figures of variants: curves over one varied key, a map over two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from voskar.drawing.style import FAINT, GRID, INK, PAPER, save
from voskar.evidence.tuning import Point, VariantScore

if TYPE_CHECKING:
    from matplotlib.axes import Axes

WRONG, HITS, DEATHS, LIVED = "#a3360b", "#175a8c", "#22252b", "#5b3f8c"

Keyed = tuple[str, Sequence[str]]
"""A key and its values."""


def draw_tuning(axes: Sequence[Keyed], scores: Mapping[Point, VariantScore], path: Path, ending: str) -> None:
    """Draws one or two varied keys into a file: "png" or "svg". The best variants have a ring, or a frame."""
    from matplotlib.figure import Figure

    claims = any(score.evidence for score in scores.values())
    lived = any(score.lived for score in scores.values())
    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=PAPER, layout="constrained")
    figure.suptitle(_title(axes, claims), x=0.012, ha="left", color=INK, fontsize=13, fontweight="bold")
    if len(axes) == 1:
        rows = figure.subplots(1 + claims + lived, 1, sharex=True, squeeze=False)
        _curves(list(rows[:, 0]), axes[0], scores, claims=claims)
    else:
        _maps(list(figure.subplots(1, 2, squeeze=False)[0]), axes, scores, claims=claims)
    save(figure, path, ending)


def _title(axes: Sequence[Keyed], claims: bool) -> str:
    names = " and ".join(key for key, _ in axes)
    return f"{names}: what the game bears out" if claims else f"what {names} come{'s' if len(axes) == 1 else ''} to"


def _dress(ax: Axes, label: str) -> None:
    ax.set_facecolor(PAPER)
    ax.set_ylabel(label, color=INK)
    ax.grid(axis="y", color=GRID, linewidth=0.8)
    ax.tick_params(colors=INK, length=3)
    for name, spine in ax.spines.items():
        spine.set_visible(name in ("left", "bottom"))
        spine.set_color(FAINT)


def _whole(ax: Axes) -> None:
    """Only whole numbers, from 0 on, along y."""
    from matplotlib.ticker import MaxNLocator

    ax.yaxis.set_major_locator(MaxNLocator(nbins=6, integer=True))
    ax.set_yticks([tick for tick in ax.get_yticks() if 0 <= tick <= ax.get_ylim()[1]])


def _curves(rows: Sequence[Axes], axis: Keyed, scores: Mapping[Point, VariantScore], *, claims: bool) -> None:
    """A row for disagreements, if there are claims, one for hits and deaths, one for the time to down, if any goes."""
    key, values = axis
    line = [scores[place,] for place in range(len(values))]
    at = range(len(values))
    rest = list(rows)
    if claims:
        ax, wrong = rest.pop(0), [score.wrong for score in line]
        _dress(ax, "disagreements")
        ax.plot(at, wrong, color=WRONG, marker="o", markersize=5, linewidth=1.6)
        best = [place for place in at if wrong[place] == min(wrong)]
        ax.plot(best, [wrong[place] for place in best], "o", markersize=13, mfc="none", mec=WRONG, mew=1.6)
        for place in best:
            ax.annotate(
                f"{line[place].agreed} of {line[place].claims} agree" if place == best[0] else "",
                (place, wrong[place]), (0, -20), textcoords="offset points", ha="center", color=INK, fontsize=9,
            )  # fmt: skip
        ax.set_ylim(-0.18 * max(wrong) - 0.5, max(wrong) * 1.12 + 1)
        _whole(ax)
    ax = rest.pop(0)
    _dress(ax, "hits and deaths")
    ax.plot(at, [score.hits for score in line], color=HITS, marker="s", markersize=5, linewidth=1.6, label="hits")
    deaths = [score.deaths for score in line]
    ax.plot(at, deaths, color=DEATHS, marker="x", markersize=6, linewidth=1.2, linestyle=(0, (4, 2)), label="deaths")
    ax.set_ylim(0, max(score.hits for score in line) * 1.15 + 1)
    _whole(ax)
    ax.legend(frameon=False, labelcolor=INK, loc="center right", ncols=2)
    for ax in rest:
        _dress(ax, "frames to down (median)")
        lived = [float("nan") if score.time_to_down is None else score.time_to_down for score in line]
        ax.plot(at, lived, color=LIVED, marker="^", markersize=5, linewidth=1.6)
        ax.set_ylim(0, max(score.time_to_down or 0 for score in line) * 1.15 + 1)
    step = -(-len(values) // 24)
    ax = rows[-1]
    ax.set_xticks(list(at)[::step], list(values)[::step])
    ax.set_xlabel(key, color=INK)


def _maps(cells: Sequence[Axes], axes: Sequence[Keyed], scores: Mapping[Point, VariantScore], *, claims: bool) -> None:
    """Two maps of cells with numbers: disagreements, or deaths where there are no claims, and hits."""
    from matplotlib.colors import LinearSegmentedColormap

    (first, across), (second, up) = axes
    deaths = {point: score.deaths for point, score in scores.items()}
    left = {point: score.wrong for point, score in scores.items()} if claims else deaths
    hits = {point: score.hits for point, score in scores.items()}
    for ax, name, cell, full in (
        (cells[0], "disagreements" if claims else "deaths", left, "#e8a15c"),
        (cells[1], "hits", hits, "#8fb8d6"),
    ):
        table = [[cell[x, y] for x in range(len(across))] for y in range(len(up))]
        least, most = min(cell.values()), max(cell.values())
        colours = LinearSegmentedColormap.from_list(name, ["#ffffff", full])
        ax.imshow(table, origin="lower", aspect="auto", cmap=colours, vmin=least, vmax=max(most, least + 1))
        for y, row in enumerate(table):
            for x, value in enumerate(row):
                best = claims and ax is cells[0] and value == least
                if len(across) <= 24 and len(up) <= 24:
                    weight = "bold" if best else "normal"
                    ax.text(x, y, str(value), ha="center", va="center", color=INK, fontsize=9, fontweight=weight)
                if best:
                    ax.plot(x, y, "s", markersize=20, mfc="none", mec=WRONG, mew=1.8)
        ax.set_title(name, loc="left", color=INK, fontsize=11)
        steps = -(-len(across) // 16), -(-len(up) // 24)
        ax.set_xticks(range(0, len(across), steps[0]), list(across)[:: steps[0]], rotation=0 if len(across) < 9 else 60)
        ax.set_yticks(range(0, len(up), steps[1]), list(up)[:: steps[1]])
        ax.set_xlabel(first, color=INK)
        ax.set_ylabel(second, color=INK)
        ax.tick_params(length=0, colors=INK)
        for spine in ax.spines.values():
            spine.set_visible(False)
