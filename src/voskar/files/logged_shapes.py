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


def shape_of(told: Any) -> tuple[LoggedPart, ...]:
    """The convex parts of a value, in the world. Raises ValueError, saying what is wrong."""
    some = told if isinstance(told, list) and told and not _is_number(told[0]) else [told]
    return tuple(part for one in some for part in _parts(one))


def shown(told: Any) -> str:
    """A value as it is written."""
    return json.dumps(_plain(msgspec.to_builtins(told)))


def _plain(told: Any) -> Any:
    if isinstance(told, list):
        return [_plain(one) for one in told]
    if isinstance(told, dict):
        return {name: _plain(one) for name, one in told.items()}
    return int(told) if isinstance(told, float) and told.is_integer() else told


def _parts(told: Any) -> list[LoggedPart]:
    if isinstance(told, list):
        if len(told) == 4 and all(map(_is_number, told)):
            (x0, x1), (y0, y1) = sorted(told[::2]), sorted(told[1::2])
            return [LoggedPart(np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]), is_rect=True)]
    elif (told.circle is UNSET) == (told.polygon is UNSET):
        pass
    elif told.circle is not UNSET:
        if len(told.circle) == 3 and all(map(_is_number, told.circle)) and told.circle[2] >= 0:
            return [LoggedPart(np.array([told.circle[:2]]), told.circle[2])]
    elif told.polygon is not UNSET and all(len(point) == 2 and all(map(_is_number, point)) for point in told.polygon):
        try:
            return [LoggedPart(np.array(part)) for part in convex_parts([(x, y) for x, y in told.polygon])]
        except ValueError as error:
            raise ValueError(f"a polygon: {error}") from None
    raise ValueError(f"found {shown(told)}, expected {EXPECTED}")


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and math.isfinite(value) and abs(value) <= LIMIT
