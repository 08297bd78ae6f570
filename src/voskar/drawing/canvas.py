"""A page that is drawn on stroke by stroke, as PNG, as SVG or as the image of a clip.

Matplotlib's renderers, asked directly: its figures and axes, whose layout a picture of a frame has no use for, take
twice as long as all strokes together.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from voskar.core.posing import Bounds
from voskar.core.rules.shapes import Floats
from voskar.drawing.style import PAPER, PICTURE, VECTOR, Dashes, name_alike

if TYPE_CHECKING:
    from matplotlib.font_manager import FontProperties
    from PIL.Image import Image

Point = tuple[float, float]

LINE = "lp"
"""Letters as high and as deep as any: what a line is high."""
SPACING = 1.2
"""From line to line of a text, in heights of a line."""


@lru_cache(maxsize=64)
def _font(size: float, bold: bool) -> FontProperties:
    from matplotlib.font_manager import FontProperties

    return FontProperties(size=size, weight="bold" if bold else "normal")


@lru_cache(maxsize=4096)
def _extent(line: str, size: float, bold: bool, dots: int) -> tuple[float, float, float]:
    """Width and height of a line of text in dots, and what of it is below: most are asked for in every picture."""
    from matplotlib.backends.backend_agg import RendererAgg

    renderer: Any = RendererAgg
    wide, high, below = renderer(1, 1, dots).get_text_width_height_descent(line, _font(size, bold), False)
    return wide, high, below


class Canvas:
    """A page of so many inches. Places are dots from the lower left corner, sizes and widths points; `dot` is a point
    in dots."""

    def __init__(self, wide: float, high: float, dots: int = 100, vector: Path | None = None) -> None:
        """A canvas of `dots` an inch. If `vector` names a file, it is drawn as SVG; `close` finishes it."""
        self._file = None
        self.inch = dots
        if vector is not None:
            from matplotlib.backends.backend_svg import RendererSVG

            name_alike()
            self.inch = 72
            self._file = vector.open("w", encoding="utf-8")
            renderer: Any = RendererSVG
            self._to = renderer(wide * 72, high * 72, self._file, image_dpi=72, metadata=VECTOR)
        else:
            from matplotlib.backends.backend_agg import RendererAgg

            renderer = RendererAgg
            self._to = renderer(round(wide * dots), round(high * dots), dots)
        self.dot = self.inch / 72
        self.wide, self.high = wide * self.inch, high * self.inch
        self.clip: Bounds | None = None
        """Where strokes are seen; everywhere without it."""
        self.area([(0, 0), (self.wide, 0), (self.wide, self.high), (0, self.high)], fill=PAPER)

    def close(self) -> None:
        """Finishes a file of SVG."""
        if self._file is not None:
            self._to.finalize()
            self._file.close()

    def image(self) -> Image:
        """The finished picture."""
        from PIL import Image

        return Image.fromarray(np.asarray(self._to.buffer_rgba())[..., :3])

    def save(self, path: Path) -> None:
        """Writes a PNG."""
        self.image().save(path, "PNG", dpi=(self.inch, self.inch), **PICTURE)

    def _pen(self, colour: str, width: float, dashes: Dashes, alpha: float) -> Any:
        pen = self._to.new_gc()
        pen.set_foreground(colour)
        pen.set_linewidth(width)
        if not isinstance(dashes, str):
            pen.set_dashes(dashes[0] * width, [dash * width for dash in dashes[1]])
        if alpha < 1:
            pen.set_alpha(alpha)
        if self.clip is not None:
            from matplotlib.transforms import Bbox

            pen.set_clip_rectangle(Bbox.from_extents(*self.clip))
        return pen

    def _stroke(self, pen: Any, vertices: Floats, codes: Any, face: Any) -> None:
        from matplotlib.path import Path as Way
        from matplotlib.transforms import IdentityTransform

        self._to.draw_path(pen, Way(vertices, codes), IdentityTransform(), face)
        pen.restore()

    def lines(
        self, pieces: Iterable[Any], colour: str, width: float, dashes: Dashes = "solid", alpha: float = 1.0
    ) -> None:
        """Lines through points, each (n, 2)."""
        rows = [np.asarray(piece, dtype=np.float64) for piece in pieces]
        if not rows:
            return
        codes = np.full(sum(map(len, rows)), 2, dtype=np.uint8)  # continue, but at the first of each
        codes[np.cumsum([0, *map(len, rows[:-1])])] = 1
        self._stroke(self._pen(colour, width, dashes, alpha), np.concatenate(rows), codes, None)

    def area(
        self, ring: Any, *, fill: str | None = None, line: str = PAPER, width: float = 0.0, dashes: Dashes = "solid",
        hatch: str = "", alpha: float = 1.0,
    ) -> None:  # fmt: skip
        """Fills the inside of a ring (n, 2); the hatch has the line's colour."""
        from matplotlib.colors import to_rgba

        pen = self._pen(line, width, dashes, alpha)
        if hatch:
            pen.set_hatch(hatch)
            pen.set_hatch_color(to_rgba(line, alpha))
        corners = np.asarray(ring, dtype=np.float64)
        codes = np.array([1, *[2] * (len(corners) - 1), 79], dtype=np.uint8)  # and back to where it began
        face = None if fill in (None, "none") else to_rgba(str(fill), alpha)
        self._stroke(pen, np.concatenate([corners, corners[:1]]), codes, face)

    def mark(self, at: Point, sign: str, size: float, line: str, fill: str | None = None, width: float = 1.0) -> None:
        """Draws a marker of Matplotlib."""
        from matplotlib.colors import to_rgba
        from matplotlib.markers import MarkerStyle

        style = MarkerStyle(sign)
        shape = style.get_transform().transform_path(style.get_path())
        vertices = np.asarray(shape.vertices) * (size * self.dot) + at
        face = None if fill in (None, "none") else to_rgba(str(fill))
        self._stroke(self._pen(line, width, "solid", 1.0), vertices, shape.codes, face)

    def arrow(self, start: Point, tip: Point, colour: str, width: float) -> None:
        """A line with a head."""
        length = math.dist(start, tip) or 1.0
        x, y = ((b - a) / length * self.dot for a, b in zip(start, tip, strict=True))
        back = tip[0] - 4.5 * x, tip[1] - 4.5 * y
        self.lines([[start, back]], colour, width)
        ring = [tip, (back[0] - 2 * y, back[1] + 2 * x), (back[0] + 2 * y, back[1] - 2 * x)]
        self.area(ring, fill=colour, line=colour, width=0.5)

    def measure(self, text: str, size: float, *, bold: bool = False) -> tuple[float, float]:
        """Width and height of a text in dots."""
        texts = text.split("\n")
        wide = max(_extent(line, size, bold, self.inch)[0] for line in texts)
        return wide, _extent(LINE, size, bold, self.inch)[1] * (1 + SPACING * (len(texts) - 1))

    def text(
        self, text: str, at: Point, size: float, colour: str,
        *, bold: bool = False, across: Literal["left", "middle", "right"] = "left",
        along: Literal["top", "middle", "bottom"] = "middle",
    ) -> None:  # fmt: skip
        """A text, its lines one below the other, that begins, ends or has its middle at a place."""
        font, (_, high, below) = _font(size, bold), _extent(LINE, size, bold, self.inch)
        whole = self.measure(text, size, bold=bold)[1]
        top = at[1] + {"top": 0.0, "middle": whole / 2, "bottom": whole}[along]
        pen = self._pen(colour, 1.0, "solid", 1.0)
        for number, line in enumerate(text.split("\n")):
            wide = _extent(line, size, bold, self.inch)[0]
            x = at[0] - {"left": 0.0, "middle": wide / 2, "right": wide}[across]
            y = top - high * (1 + SPACING * number) + below
            self._to.draw_text(pen, x, self.high - y, line, font, 0.0, ismath=False)
        pen.restore()


class Panel:
    """A part of the world on a canvas: as large as fits into a cell, in its middle."""

    def __init__(self, canvas: Canvas, cell: Bounds, shown: Bounds, *, down: bool) -> None:
        """`cell` is in dots; `down` says that y grows downwards."""
        self.canvas, self.shown, self.down = canvas, shown, down
        wide, high = shown[2] - shown[0], shown[3] - shown[1]
        self.scale = min((cell[2] - cell[0]) / wide, (cell[3] - cell[1]) / high)
        x, y = (cell[0] + cell[2] - wide * self.scale) / 2, (cell[1] + cell[3] - high * self.scale) / 2
        self.bounds = x, y, x + wide * self.scale, y + high * self.scale

    def dots(self, points: Sequence[Any] | Floats) -> Floats:
        """(n, 2) places in the world as dots."""
        found = np.asarray(points, dtype=np.float64)
        x = self.bounds[0] + (found[:, 0] - self.shown[0]) * self.scale
        up = self.shown[3] - found[:, 1] if self.down else found[:, 1] - self.shown[1]
        return np.stack([x, self.bounds[1] + up * self.scale], axis=1)

    def dot(self, x: float, y: float) -> Point:
        """A place in the world as dots."""
        (found,) = self.dots([(x, y)]).tolist()
        return found[0], found[1]
