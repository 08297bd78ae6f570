"""The shapes that a box may have: each key once, with its value, and how it is drawn."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from msgspec.structs import replace
from pydantic import BeforeValidator, Field

from voskar.core.rules.outlines import capsule, circle, pixels, polygon, rectangle
from voskar.core.rules.shapes import Outline
from voskar.files.values import Capsule, Corners, Number, Pair, Points, Positive, Size, Table


class Image(NamedTuple):
    """An image that a box takes its shape from: opacities (rows, columns), and the sign of y from row to row."""

    alpha: np.ndarray
    down: float


class Shape(NamedTuple):
    """One shape. `draw` makes the outline, in units; it raises ValueError for a value that has no area."""

    draw: Callable[[ShapeTable, Image | None], Outline]
    shrinks: bool = False
    """Whether `grow` below 0 can take something off on every side."""


def _logged(value: Any) -> Any:
    if value is not True and not (isinstance(value, str) and value):
        raise ValueError("true, or the name under which the game logs it")
    return value


class ShapeTable(Table):
    """The keys of a box that give its shape, and those that go with `pixels`."""

    rect: Size | None = None
    span: Corners | None = None
    circle: Positive | None = None
    capsule: Capsule | None = None
    polygon: Points | None = None
    pixels: str | None = None
    logged: Annotated[
        Literal[True] | str | None, BeforeValidator(_logged, json_schema_input_type=Literal[True] | str)
    ] = None
    pad: Annotated[list[Number], Field(min_length=4, max_length=4)] = [0.0, 0.0, 0.0, 0.0]
    alpha: Annotated[int, Field(ge=1, le=255)] = 128
    origin: Pair = [0.0, 0.0]
    pixel: Positive = 1.0

    def outline(self, grow: float, image: Image | None) -> Outline:
        """The shape as convex parts. Raises ValueError without a shape, and for a polygon or an image without area."""
        # A box has exactly one shape; the schema has checked this.
        for name, shape in SHAPES.items():
            if getattr(self, name) is not None:
                return replace(shape.draw(self, image), grow=grow)
        raise ValueError("no shape")


def _rect(table: Any, image: Image | None) -> Outline:
    width, height = table.rect
    return rectangle(-width / 2, -height / 2, width / 2, height / 2)


def _polygon(table: Any, image: Image | None) -> Outline:
    return polygon([(x, y) for x, y in table.polygon])


def _pixels(table: Any, image: Image | None) -> Outline:
    assert image is not None
    x, y = table.origin
    return pixels(image.alpha >= table.alpha, (x, y), table.pixel, image.down)


SHAPES: Mapping[str, Shape] = {
    "rect": Shape(_rect, shrinks=True),
    "span": Shape(lambda table, image: rectangle(*table.span), shrinks=True),  # type: ignore[misc]
    "circle": Shape(lambda table, image: circle(table.circle or 0.0), shrinks=True),
    "capsule": Shape(lambda table, image: capsule(*table.capsule), shrinks=True),  # type: ignore[misc]
    "polygon": Shape(_polygon),
    "pixels": Shape(_pixels),
    "logged": Shape(lambda table, image: circle(0.0), shrinks=True),  # the recording has its place and size
}
"""The shapes by key. A box has one of them."""
