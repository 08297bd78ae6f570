"""Boxes as poses log them: corners, circles, polygons, and lists of these."""

from __future__ import annotations

import json
import math
from typing import Any, TypeAlias

import msgspec
import numpy as np
from msgspec import UNSET, UnsetType

from voskar.core.recording import LoggedPart
from voskar.core.rules.polygons import convex_parts
from voskar.core.rules.shapes import LIMIT


class ShapeLine(msgspec.Struct, forbid_unknown_fields=True):
    """A shape that is no rectangle along the axes."""

    circle: list[float] | UnsetType = UNSET
    polygon: list[list[float]] | UnsetType = UNSET


LoggedValue: TypeAlias = list[float | list[float] | ShapeLine] | ShapeLine

EXPECTED = (
    'the corners [x0, y0, x1, y1], {"circle": [x, y, r]}, {"polygon": [[x, y], …]} or a list of these, all within '
    f"±{LIMIT:g}"
)


def shape_of(items: Any) -> tuple[LoggedPart, ...]:
    """The convex parts of a value, in the world. Raises ValueError with the mistake."""
    # Four numbers are one rectangle; a list of anything else is a list of shapes.
    entries = items if isinstance(items, list) and items and not _is_number(items[0]) else [items]
    return tuple(part for item in entries for part in _parts(item))


def shown(value: Any) -> str:
    """A value as it is written."""
    return json.dumps(_plain(msgspec.to_builtins(value)))


def _plain(value: Any) -> Any:
    if isinstance(value, list):
        return [_plain(item) for item in value]
    if isinstance(value, dict):
        return {name: _plain(item) for name, item in value.items()}
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _parts(value: Any) -> list[LoggedPart]:
    if isinstance(value, list):
        if len(value) == 4 and all(map(_is_number, value)):
            (x0, x1), (y0, y1) = sorted(value[::2]), sorted(value[1::2])
            return [LoggedPart(np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]), is_rect=True)]
    elif (value.circle is UNSET) == (value.polygon is UNSET):
        # Both or neither: the error below shows the value.
        pass
    elif value.circle is not UNSET:
        # A radius of 0 is a point, which touches nothing but is a valid log.
        if len(value.circle) == 3 and all(map(_is_number, value.circle)) and value.circle[2] >= 0:
            return [LoggedPart(np.array([value.circle[:2]]), value.circle[2])]
    elif value.polygon is not UNSET and all(len(point) == 2 and all(map(_is_number, point)) for point in value.polygon):
        try:
            # The judge works on convex parts only.
            return [LoggedPart(np.array(part)) for part in convex_parts([(x, y) for x, y in value.polygon])]
        except ValueError as error:
            raise ValueError(f"a polygon: {error}") from None
    raise ValueError(f"found {shown(value)}, expected {EXPECTED}")


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and math.isfinite(value) and abs(value) <= LIMIT
