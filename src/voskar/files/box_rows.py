"""The boxes of a kind as rows of a table, as `boxes_from` reads them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Any

from voskar.core.boxes import keyed_values
from voskar.core.rules import Box
from voskar.errors import VoskarError
from voskar.files.box_tables import COLUMNS, LAST, SHAPES
from voskar.files.rulebook_schema import BoxTable

Cells = tuple[int, int]


def rows_of(kind: str, boxes: tuple[Box, ...], tables: dict[str, BoxTable]) -> list[dict[str, Any]]:
    """A row for each box and range of cells in which it stays as it is. Raises VoskarError for a box that no row can
    say."""
    rows = []
    for box in boxes:
        table = tables[box.name]
        shape, sizes, centre = _shape(kind, box.name, table)
        same: dict[str, Any] = {"box": box.name, "role": box.role, "attack": box.attack, "shape": shape}
        same |= {"layer": " ".join(table.layer or ()), "mask": " ".join(table.mask or ())}
        same |= {"rank": box.rank or None, "damage_scale": box.damage_scale if box.damage_scale != 1 else None}
        for clip, (first, last) in _open(kind, box):
            at, turn, (wide, high) = keyed_values(box, box.keys.get(clip, ()), max(first, 0))
            scale = {"w": wide, "h": high, "r": high, "length": wide}
            cells = (
                "" if first < 0 or (first, last) == (0, LAST) else str(first) if first == last else f"{first}-{last}"
            )
            fields = {"clip": clip, "cells": cells, "x": at[0] + centre[0], "y": at[1] + centre[1]}
            fields |= {"turn": turn or None, **{name: round(size * scale[name], 9) for name, size in sizes.items()}}
            whole = {**same, **fields}
            rows.append({name: "" if whole.get(name) is None else whole[name] for name in COLUMNS})
    return rows


def _shape(kind: str, name: str, table: BoxTable) -> tuple[str, dict[str, float], tuple[float, float]]:
    if table.span is not None and not table.turn and not table.grow:
        x0, y0, x1, y1 = table.span
        return "rect", {"w": abs(x1 - x0), "h": abs(y1 - y0)}, ((x0 + x1) / 2, (y0 + y1) / 2)
    shape = next((text for text in SHAPES if getattr(table, text) is not None), None)
    if shape is None or table.grow:
        raise VoskarError(f"{kind}.{name}: a row of a table says {', '.join(SHAPES)} only, and nothing of `grow`")
    value = getattr(table, shape)
    return shape, dict(zip(SHAPES[shape], value if isinstance(value, list) else [value], strict=True)), (0.0, 0.0)


def _open(kind: str, box: Box) -> Iterator[tuple[str, Cells]]:
    """The clips and cells in which a box is open, parted where it moves; ("", (-1, -1)) if it is always open."""
    if box.during is None:
        if box.keys or box.except_during:
            raise VoskarError(f"{kind}.{box.name}: a row without a clip has no `keys` and no `except_during`")
        yield "", (-1, -1)
        return
    for clip, windows in box.during.items():
        keys = box.keys.get(clip, ())
        moves = {key.cell for key in keys}
        for entry, other in pairwise(keys):
            moves |= set(range(entry.cell, other.cell + 1)) if entry.blend == "linear" else set()
        shut = box.except_during.get(clip, ())
        moves |= {cell for first, last in shut for cell in (first, last + 1)}
        for first, last in windows:
            last = min(last, LAST)
            starts = [first, *sorted(cell for cell in moves if first < cell <= last)]
            for start, end in zip(starts, [*(cell - 1 for cell in starts[1:]), last], strict=True):
                if not any(low <= start <= high for low, high in shut):
                    yield clip, (start, end)
