"""Writes ledgers, as JSON Lines, CSV or Parquet by the file's ending, and as a data frame."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from voskar.core.ledger import Ledger
from voskar.errors import InputError, Problem
from voskar.files.reading import whole_file

if TYPE_CHECKING:
    import pandas

ENDINGS = (".jsonl", ".csv", ".parquet")
WHOLE = ("frame", "until")  # columns of whole numbers


def ledger_lines(ledger: Ledger) -> Iterator[str]:
    """The header and one line an event, each ending in a line break."""
    yield json.dumps(ledger.header()) + "\n"
    for event in ledger.events:
        yield json.dumps(dict(event.told())) + "\n"


def dataframe(ledger: Ledger) -> pandas.DataFrame:
    """The ledger as a pandas DataFrame: one row an event, missing values where a column does not apply."""
    import pandas

    columns: dict[str, Any] = {}
    for name, values in ledger.columns().items():
        if name in WHOLE:
            columns[name] = pandas.array(values, dtype="Int64")
        elif any(isinstance(value, str) for value in values):
            columns[name] = pandas.array(values, dtype="string")
        elif any(value is not None for value in values):
            columns[name] = pandas.array(values, dtype="Float64")
        else:
            columns[name] = pandas.array(values, dtype="string")
    return pandas.DataFrame(columns)


def check_ending(path: str | Path) -> str:
    """The ending of a ledger's name. Raises InputError for one that is not known, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending not in ENDINGS:
        raise InputError(
            Problem(f'found the ending "{ending}", expected {", ".join(ENDINGS)}', file=str(path), key="--ledger")
        )
    return ending


def write_ledger(ledger: Ledger, path: str | Path) -> None:
    """Writes the whole ledger, or on failure nothing."""
    ending = check_ending(path)
    with whole_file(path) as part:
        if ending == ".jsonl":
            with part.open("w", encoding="utf-8") as file:
                file.writelines(ledger_lines(ledger))
        elif ending == ".csv":
            dataframe(ledger).to_csv(part, index=False, lineterminator="\n")
        else:
            import pyarrow
            import pyarrow.parquet

            table = pyarrow.Table.from_pandas(dataframe(ledger), preserve_index=False)
            table = table.replace_schema_metadata({b"voskar": json.dumps(ledger.header()).encode()})
            pyarrow.parquet.write_table(table, part)
