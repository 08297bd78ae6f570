"""The labels of a panel: each where it is wanted or as near as there is room, and none over another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voskar.core.posing import Bounds
from voskar.drawing.style import FAINT, INK, PAPER

if TYPE_CHECKING:
    from voskar.drawing.canvas import Panel, Point

STEP, STEPS, FEW = 8.0, 9, 5
"""Points from one place that is tried to the next, and how many are tried on either side, for one that is spare few."""
PAD = 2.0
"""Points about a label."""


class Labels:
    """Puts labels into a panel. The first labels get the better places."""

    def __init__(self, panel: Panel) -> None:
        self.panel, self.dot = panel, panel.canvas.dot
        self.taken: list[Bounds] = []

    def keep_free(self, at: Point, reach: float) -> None:
        """Nothing is put so near to a place in the world: points on each side."""
        (x, y), reach = self.panel.dot(*at), reach * self.dot
        self.taken.append((x - reach, y - reach, x + reach, y + reach))

    def put(
        self, text: str, at: Point, shift: Point, size: float, colour: str,
        *, bold: bool = False, boxed: bool = False, spare: bool = False, over: Point | None = None,
    ) -> None:  # fmt: skip
        """A label that is wanted `shift` points next to a place in the world, or as far on the other side of the place
        `over`; one that is `spare` is left out where there is no room near. A boxed one begins or ends at its place,
        others have it in their middle."""
        canvas, pad = self.panel.canvas, PAD * self.dot
        x, y = self.panel.dot(*at)
        x0, y0, x1, y1 = self.panel.bounds
        if not (x0 <= x <= x1 and y0 <= y <= y1):
            return
        wide, high = (value + 2 * pad for value in canvas.measure(text, size, bold=bold))
        left = x + shift[0] * self.dot - (0 if boxed and shift[0] > 0 else wide if boxed else wide / 2)
        left = min(max(left, x0), max(x1 - wide, x0))  # a label at the edge does not leave its panel
        wanted, way = y + shift[1] * self.dot - high / 2, STEP * self.dot * (1 if shift[1] > 0 else -1)
        lows = [wanted + sign * way * step for step in range(1, FEW if spare else STEPS) for sign in (1, -1)]
        if over is not None:
            lows.insert(0, self.panel.dot(*over)[1] - shift[1] * self.dot - high / 2)
        free = next((value for value in (wanted, *lows) if self._is_free(left, value, wide, high)), None)
        if free is None and spare:
            return
        low = wanted if free is None else free
        self.taken.append((left, low, left + wide, low + high))
        if abs(low - wanted) > 2 * abs(way) and (not lows or low != lows[0]):  # it might be taken for another's
            canvas.lines([[(x, y), (min(max(x, left), left + wide), low if low > y else low + high)]], FAINT, 0.7)
        ring = [(left, low), (left + wide, low), (left + wide, low + high), (left, low + high)]
        canvas.area(ring, fill=PAPER, line=INK if boxed else PAPER, width=0.8 if boxed else 0.0, alpha=0.85)
        canvas.text(text, (left + wide / 2, low + high / 2), size, colour, bold=bold, across="middle")

    def put_beside(self, text: str, at: Point, size: float) -> None:
        """A boxed label next to a place, on the side where there is room for it."""
        reach = 30 * self.dot + self.panel.canvas.measure(text, size, bold=True)[0]
        x = self.panel.dot(*at)[0]
        left, right = x - self.panel.bounds[0], self.panel.bounds[2] - x
        self.put(text, at, (30 if right > reach or right > left else -30, 14), size, INK, bold=True, boxed=True)

    def _is_free(self, left: float, low: float, wide: float, high: float) -> bool:
        right, top = left + wide, low + high
        if low < self.panel.bounds[1] or top > self.panel.bounds[3]:
            return False
        return not any(left < x1 and x0 < right and low < y1 and y0 < top for x0, y0, x1, y1 in self.taken)
