"""Boxes of a kind as a table, a row for each box and range of cells: what `boxes_from` names."""

from __future__ import annotations

import csv
import itertools
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any

from voskar.errors import InputError, Problem, first_line, nearest
from voskar.files.parquet import plain_rows
from voskar.files.reading import read_bytes, read_text, whole_file, write_text
from voskar.files.toml_sources import Source, merged
from voskar.files.values import windows

SHAPES: dict[str, tuple[str, ...]] = {"rect": ("w", "h"), "circle": ("r",), "capsule": ("r", "length")}
"""The shapes of a row, each with the columns that give its size."""
SAME = ("role", "attack", "layer", "mask", "rank", "damage_scale", "shape")
"""Columns that are the same in all rows of a box."""
NUMBERS = ("x", "y", "w", "h", "r", "length", "turn", "damage_scale")
COLUMNS = ("clip", "cells", "box", "role", "attack", "shape", *NUMBERS[:-1], "layer", "mask", "rank", "damage_scale")
LAST = 1 << 16
"""The last cell that a box may name."""
MOST = 100_000
"""Rows of a table."""

Row = tuple[int, dict[str, Any]]
Wrong = Callable[[int, str, str], InputError]


def with_box_tables(source: Source) -> Source:
    """A rulebook with the boxes of its tables. Where the rulebook and a table both give a value of a box, the
    rulebook's counts. Raises InputError with row and column."""
    kinds = source.raw.get("kinds")
    if not isinstance(kinds, dict):
        return source
    found = {name: kind for name, kind in kinds.items() if isinstance(kind, dict) and "boxes_from" in kind}
    if not found:
        return source
    raw = {**source.raw, "kinds": dict(kinds)}
    for name, kind in found.items():
        where = ("kinds", name, "boxes_from")
        if not isinstance(kind["boxes_from"], str):
            raise InputError(source.problem(where, "expected the name of a table, .csv or .parquet"))
        try:
            path = source.path_of(where, kind["boxes_from"])
        except ValueError as error:
            raise InputError(source.problem(where, str(error))) from None
        if not path.is_file():
            raise InputError(source.problem(where, f"there is no file {kind['boxes_from']}"))
        # `boxes_from` is gone now, so that the schema of a kind needs no such key.
        own = {key: value for key, value in kind.items() if key != "boxes_from"}
        raw["kinds"][name] = merged({"boxes": boxes_of(path)}, own, ("kinds", name))
    return replace(source, raw=raw)


def boxes_of(path: Path) -> dict[str, dict[str, Any]]:
    """The boxes of a table, as a rulebook has them. Raises InputError."""

    def wrong(row: int, column: str, message: str) -> InputError:
        hint = nearest(column, COLUMNS) if column not in COLUMNS else None
        return InputError(Problem(message, file=str(path), row=row, key=column, hint=hint))

    by_box: dict[str, list[Row]] = {}
    for number, values in enumerate(_rows(path), 1):
        # A limit: a few kilobytes of gzip-compressed Parquet may hold millions of rows.
        if number > MOST:
            raise wrong(number, "box", f"found more than {MOST:,} rows")
        row = _checked(number, values, wrong)
        by_box.setdefault(row["box"], []).append((number, row))
    return {name: _box(rows, wrong) for name, rows in by_box.items()}


def write_rows(path: Path, rows: list[dict[str, Any]]) -> None:
    """Writes such a table, whole or not at all. Raises InputError for a name that is neither .csv nor .parquet."""
    if path.suffix == ".csv":
        text = StringIO()
        writer = csv.DictWriter(text, COLUMNS, lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)
        write_text(path, text.getvalue())
        return
    if path.suffix != ".parquet":
        raise InputError(Problem("expected a name that ends in .csv or .parquet", file=str(path)))
    import pyarrow
    import pyarrow.parquet

    plain = [{name: None if value == "" else value for name, value in row.items()} for row in rows]
    with whole_file(path) as part:
        pyarrow.parquet.write_table(pyarrow.Table.from_pylist(plain), part)


def _rows(path: Path) -> Iterator[dict[str, Any]]:
    if path.suffix == ".csv":
        try:
            for values in csv.DictReader(StringIO(read_text(path).lstrip("\ufeff")), strict=True):
                # An empty cell is a value that the row does not have.
                yield {str(key): value for key, value in values.items() if value not in ("", None)}
        except csv.Error as error:
            raise InputError(Problem(f"not CSV: {error}", file=str(path))) from None
        return
    import pyarrow
    import pyarrow.parquet

    try:
        with pyarrow.parquet.ParquetFile(BytesIO(read_bytes(path))) as file:
            yield from plain_rows(file)
    except (pyarrow.ArrowException, ValueError) as error:
        raise InputError(Problem(f"not Parquet: {first_line(error).lower()}", file=str(path))) from None


def _checked(number: int, values: Mapping[str, Any], wrong: Wrong) -> dict[str, Any]:
    """A row with numbers as such. Raises InputError."""
    row: dict[str, Any] = {}
    for column, value in values.items():
        # Columns with _ are notes of their author.
        if column.startswith("_"):
            continue
        if column not in COLUMNS:
            raise wrong(number, column, f'unknown column "{column}"')
        row[column] = value
        if column in NUMBERS or column == "rank":
            try:
                # Parquet has numbers and CSV has texts; `float` takes both.
                row[column] = int(value) if column == "rank" else float(value)
            except (TypeError, ValueError):
                raise wrong(number, column, f'found "{value}", expected a number') from None
        else:
            row[column] = str(value).strip()
    for column in ("box", "role", "shape"):
        if column not in row:
            raise wrong(number, column, f'no value in the column "{column}"')
    if row["shape"] not in SHAPES:
        raise wrong(number, "shape", f'found "{row["shape"]}", expected {", ".join(SHAPES)}')
    for column in SHAPES[row["shape"]]:
        # A capsule may have a length of 0: it is a circle then.
        if row.get(column, 0.0) <= 0 and (column != "length" or row.get(column, 0.0) < 0):
            raise wrong(number, column, f"a {row['shape']} needs a `{column}` above 0")
    return row


def _box(rows: Iterable[Row], wrong: Wrong) -> dict[str, Any]:
    """One box of all its rows: it is open in their cells, and moves and stretches from one to the next."""
    rows = list(rows)
    number, first = rows[0]
    for other, row in rows[1:]:
        for column in SAME:
            if row.get(column) != first.get(column):
                text = f"found {row.get(column, 'nothing')}, expected {first.get(column, 'nothing')} as in row {number}"
                raise wrong(other, column, text)
    # The first row gives the size; other rows stretch it.
    sizes = [first.get(column, 0.0) for column in SHAPES[first["shape"]]]
    box: dict[str, Any] = {"role": first["role"], first["shape"]: sizes[0] if len(sizes) == 1 else sizes}
    box |= {"at": [first.get("x", 0.0), first.get("y", 0.0)]}
    box |= {name: first[name] for name in ("turn", "attack", "rank", "damage_scale") if name in first}
    box |= {name: first[name].split() for name in ("layer", "mask") if name in first}
    during: dict[str, list[tuple[int, int, int, dict[str, Any]]]] = {}
    always = False
    for other, row in rows:
        clip, cells = row.get("clip", ""), row.get("cells", "")
        if not clip:
            # A second row without a clip could only repeat or contradict the first.
            if cells or always or len(rows) > 1:
                raise wrong(other, "clip", "a row without a clip is for all of them, and the only one of its box")
            always = True
            continue
        try:
            # Spreadsheets use a comma between columns, so a semicolon is taken as well.
            ranges = windows(cells.replace(";", ",")) if cells else ((0, LAST),)
        except ValueError as error:
            raise wrong(other, "cells", f'found "{cells}", expected {error}') from None
        during.setdefault(clip, []).extend((low, high, other, row) for low, high in ranges)
    for clip, spans in during.items():
        spans.sort(key=lambda span: span[:3])
        for before, after in itertools.pairwise(spans):
            # Two rows of one cell would give the box two places at once.
            if after[0] <= before[1]:
                raise wrong(after[2], "cells", f"cells of {clip} that row {before[2]} has as well")
    if not always:
        box["during"] = {clip: ",".join(f"{low}-{high}" for low, high, *_ in those) for clip, those in during.items()}
        box["keys"] = {clip: [_key(low, row, first) for low, _, _, row in those] for clip, those in during.items()}
    return box


def _key(cell: int, row: Mapping[str, Any], first: Mapping[str, Any]) -> dict[str, Any]:
    """Where a box is from a cell on, and how much larger than in its first row."""
    wide, high = _extent(row)
    own_wide, own_high = _extent(first)
    key: dict[str, Any] = {"cell": cell, "at": [row.get("x", 0.0), row.get("y", 0.0)]}
    # A turn that stays the same is left out: a key with it would turn the box once more.
    if row.get("turn", 0.0) != first.get("turn", 0.0):
        key["turn"] = row.get("turn", 0.0)
    if (wide, high) != (own_wide, own_high):
        key["stretch"] = [wide / own_wide, high / own_high]
    return key


def _extent(row: Mapping[str, Any]) -> tuple[float, float]:
    """The width and the height of the shape of a row."""
    if row["shape"] == "rect":
        return row["w"], row["h"]
    # A capsule lies along x: its round ends add their radius on both sides.
    return 2 * row["r"] + row.get("length", 0.0), 2 * row["r"]
