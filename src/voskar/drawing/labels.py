"""The labels of a panel: each where it is wanted or as near as there is room, and none over another."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from voskar.core.posing import Bounds
from voskar.drawing.style import FAINT, INK, PAPER

if TYPE_CHECKING:
    from matplotlib.axes import Axes

Point = tuple[float, float]

STEP, STEPS = 8.0, 9
"""Points from one place that is tried to the next, and how many are tried at most on either side."""
LETTER, LINE = 0.6, 1.3
"""Width and height of a letter as shares of its size: known well enough, and measuring it costs as much as drawing."""


class Labels:
    """Puts labels into a panel that shows a part of the world. What is put first has the better place."""

    def __init__(self, ax: Axes, shown: Bounds) -> None:
        self.ax, self.shown = ax, shown
        dots = min(ax.bbox.width / (shown[2] - shown[0]), ax.bbox.height / (shown[3] - shown[1]))
        self.scale = dots * 72 / ax.figure.dpi
        self.taken: list[Bounds] = []

    def _place(self, at: Point) -> Point:
        """A place in the world in points from the lower left corner."""
        x0, y0, _, y1 = self.shown
        up = y1 - at[1] if self.ax.yaxis_inverted() else at[1] - y0
        return (at[0] - x0) * self.scale, up * self.scale

    def keep_free(self, at: Point, reach: float) -> None:
        """Nothing is put so near to a place: points on each side."""
        x, y = self._place(at)
        self.taken.append((x - reach, y - reach, x + reach, y + reach))

    def put(
        self, text: str, at: Point, shift: Point, size: float, colour: str,
        *, bold: bool = False, boxed: bool = False, spare: bool = False,
    ) -> None:  # fmt: skip
        """A label that is wanted `shift` points beside a place in the world; one that is `spare` is left out where
        there is no room near. A boxed one begins or ends at its place, others have it in their middle."""
        lines = text.split("\n")
        wide = max(map(len, lines)) * size * LETTER * (1.12 if bold else 1.0) + 4
        high = len(lines) * size * LINE + 2
        x, y = self._place(at)
        left = x + shift[0] - (0 if boxed and shift[0] > 0 else wide if boxed else wide / 2)
        most = (self.shown[2] - self.shown[0]) * self.scale - wide
        aside = min(max(left, 0), max(most, 0)) - left  # a label at the edge does not leave its panel
        way = 1 if shift[1] > 0 else -1
        places = [0.0, *(sign * way * STEP * step for step in range(1, 5 if spare else STEPS) for sign in (1, -1))]
        lift = next((one for one in places if self._is_free(left + aside, y + shift[1] + one, wide, high)), None)
        if lift is None and spare:
            return
        lift = lift or 0.0
        low = y + shift[1] + lift - high / 2
        self.taken.append((left + aside, low, left + aside + wide, low + high))
        edge = INK if boxed else "none"
        frame = {"boxstyle": "round,pad=0.2", "facecolor": PAPER, "edgecolor": edge, "alpha": 0.85, "linewidth": 0.8}
        weight, side = "bold" if bold else "normal", ("left" if shift[0] > 0 else "right") if boxed else "center"
        leader: dict[str, Any] = {"arrowstyle": "-", "color": FAINT, "linewidth": 0.7, "shrinkB": 2}
        note = self.ax.annotate(
            text, xy=at, xytext=(shift[0] + aside, shift[1] + lift), textcoords="offset points", annotation_clip=True,
            bbox=frame, arrowprops=leader if abs(lift) > 2 * STEP else None,
        )  # fmt: skip
        note.set(fontsize=size, color=colour, zorder=9, fontweight=weight, ha=side, va="center")

    def put_beside(self, text: str, at: Point, size: float) -> None:
        """A boxed label beside a place, on the side where there is room for it."""
        x, _ = self._place(at)
        reach = 30 + LETTER * 1.12 * size * len(text)
        room = (self.shown[2] - self.shown[0]) * self.scale - x
        self.put(text, at, (30 if room > reach or room > x else -30, 14), size, INK, bold=True, boxed=True)

    def _is_free(self, left: float, middle: float, wide: float, high: float) -> bool:
        low, right, top = middle - high / 2, left + wide, middle + high / 2
        return not any(left < x1 and x0 < right and low < y1 and y0 < top for x0, y0, x1, y1 in self.taken)
