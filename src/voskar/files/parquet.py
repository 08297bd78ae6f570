"""Rows of a Parquet file from outside, which may hold anything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

ROWS = 1 << 13
"""Rows that are unpacked at once: a small file may unpack to rows without end."""


def plain_rows(file: Any) -> Iterator[dict[str, Any]]:
    """The rows of an opened `pyarrow.parquet.ParquetFile`, each with the values that it has, but for columns that begin
    with _, which are the game's own.

    Raises ValueError for a column twice, for one that holds neither numbers nor texts, and for whatever the library
    cannot read.
    """
    import pyarrow

    try:
        columns = [item for item in file.schema_arrow if not item.name.startswith("_")]
        for column in columns:
            if not _is_plain(column.type):
                raise ValueError(f'the column "{column.name}" holds {column.type}, expected numbers, truths or texts')
        names = [column.name for column in columns]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f'there are two columns "{twice}"')
        for batch in file.iter_batches(batch_size=ROWS, columns=names):
            for row in batch.to_pylist():
                yield {name: value for name, value in row.items() if value is not None and value == value}
    except (pyarrow.ArrowException, OSError) as error:  # an OSError: broken within its compression
        raise ValueError(str(error)) from None


def _is_plain(column: Any) -> bool:
    """Whether a type of Parquet is that of a column of numbers, truths or texts."""
    from pyarrow import types

    if types.is_dictionary(column):
        column = column.value_type
    texts = types.is_string(column) or types.is_large_string(column)
    return texts or any(test(column) for test in (types.is_boolean, types.is_integer, types.is_floating, types.is_null))
