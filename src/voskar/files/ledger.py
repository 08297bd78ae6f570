"""Reads and writes ledgers, as JSON Lines, CSV or Parquet by the file's ending, and as a data frame."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import msgspec

from voskar.core.judging.outcomes import LANDED, OUTCOMES
from voskar.core.ledger import COLUMNS, FORMAT, Event, Ledger
from voskar.core.ledger.event import NUMBERS
from voskar.core.ledger.events import EVENT_TYPES
from voskar.errors import RENAMED, InputError, Problem, first_line, nearest
from voskar.files.frames import sort_of
from voskar.files.parquet import plain_rows
from voskar.files.reading import plain_errors, read_bytes, whole_file
from voskar.files.remote import fetched, is_remote

if TYPE_CHECKING:
    import pandas

ENDINGS = (".jsonl", ".csv", ".parquet")
WHOLE = ("frame", "until")  # columns of whole numbers
HEADER_LIMIT = 1 << 20  # bytes looked at for the header line


Rate = Annotated[float, msgspec.Meta(gt=0, le=1e6)]


class Header(msgspec.Struct):
    """The header of a ledger, as it is read."""

    frames: tuple[int, int]
    version: int = FORMAT
    rulebook: str = ""
    recording: str = ""
    rate: Rate = 60.0
    options: dict[str, Any] = {}


def ledger_lines(ledger: Ledger) -> Iterator[str]:
    """The header and one line an event, each ending in a line break."""
    yield json.dumps(ledger.header()) + "\n"
    for event in ledger.events:
        yield json.dumps(dict(event.columns())) + "\n"


def dataframe(ledger: Ledger) -> pandas.DataFrame:
    """The ledger as a pandas DataFrame: one row an event, missing values where a column does not apply.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> ledger = voskar.replay(rulebook, voskar.load_recording("meadow.jsonl", rulebook))
    >>> table = voskar.dataframe(ledger)
    >>> int((table.outcome == "landed").sum())
    19
    """
    import pandas

    columns: dict[str, Any] = {}
    # Plain `int64` has no missing values.
    for name, values in ledger.columns().items():
        if name in WHOLE:
            columns[name] = pandas.array(values, dtype="Int64")
        elif any(isinstance(value, str) for value in values):
            columns[name] = pandas.array(values, dtype="string")
        elif any(value is not None for value in values):
            columns[name] = pandas.array(values, dtype="Float64")
        else:
            # A column without values needs a type, and text takes nothing away.
            columns[name] = pandas.array(values, dtype="string")
    return pandas.DataFrame(columns)


def check_ending(path: str | Path) -> str:
    """The ending of a ledger's name. Raises InputError for an unknown one, before any work is done."""
    ending = Path(path).suffix.lower()
    if ending not in ENDINGS:
        raise InputError(
            Problem(f'found the ending "{ending}", expected {", ".join(ENDINGS)}', file=str(path), key="--ledger")
        )
    return ending


def write_ledger(ledger: Ledger, path: str | Path) -> None:
    """Write the whole ledger, or on failure nothing. The ending of `path` says how: .jsonl, .csv or .parquet.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> ledger = voskar.replay(rulebook, voskar.load_recording("meadow.jsonl", rulebook))
    >>> voskar.write_ledger(ledger, "ledger.csv")
    """
    ending = check_ending(path)
    with whole_file(path) as part:
        if ending == ".jsonl":
            with part.open("w", encoding="utf-8") as file:
                file.writelines(ledger_lines(ledger))
        elif ending == ".csv":
            table = dataframe(ledger)
            for name in table.columns[table.dtypes == "string"]:
                # A spreadsheet must not run a text that begins with = as a formula.
                table[name] = table[name].map(quoted, na_action="ignore")
            table.to_csv(part, index=False, lineterminator="\n")
        else:
            import pyarrow
            import pyarrow.parquet

            table = pyarrow.Table.from_pandas(dataframe(ledger), preserve_index=False)
            table = table.replace_schema_metadata({b"voskar": json.dumps(ledger.header()).encode()})
            pyarrow.parquet.write_table(table, part)


SURROGATE = "found half of a surrogate pair, as \\ud800 is, expected characters"


def is_ledger(path: str | Path) -> bool:
    """Whether a file is a ledger: by its header, or by the columns of a table."""
    ending = Path(path).suffix.lower()
    if ending not in ENDINGS or not Path(path).is_file():
        return False
    with plain_errors(path), Path(path).open("rb") as file:
        return _is_ledger(file.readline(HEADER_LIMIT), ending)


def _is_ledger(start: bytes, ending: str) -> bool:
    if ending == ".jsonl":
        try:
            header = json.loads(start)
        except (ValueError, RecursionError):
            return False
        return isinstance(header, dict) and header.get("voskar") == "ledger"
    return ending == ".parquet" or start.startswith(b"frame,event,until")


def read_ledger(path: str | Path) -> Ledger:
    """A ledger as it was written. A CSV has no header: its rate is taken to be 60.

    Raises InputError for a file that is none, or of a later format.
    """
    if is_remote(path):
        with fetched(str(path)) as local:
            return read_ledger(local)
    ending = check_ending(path)
    data = read_bytes(path)
    if not _is_ledger(data[:HEADER_LIMIT].partition(b"\n")[0], ending):
        raise InputError(Problem("this is no ledger of Voskar", file=str(path), hint="write one with replay --ledger"))
    header, events = _read_lines(path, data) if ending == ".jsonl" else _read_table(path, data, ending)
    # A CSV has no header, so the frames are those of its events.
    span = [0, max((event.frame for event in events), default=-1)]
    try:
        entry = msgspec.convert({"frames": span, **header}, Header)
    except UnicodeEncodeError:
        raise InputError(Problem(f"not the header of a ledger: {SURROGATE}", file=str(path), line=1)) from None
    except msgspec.ValidationError as error:
        found = re.search(r"^Expected (.*?)(?:,| - at).*\$\.(\w+)", str(error))
        message = str(error) if found is None else f"expected {found[1].replace('`', '')}"
        key = None if found is None else found[2]
        raise InputError(Problem(f"not the header of a ledger: {message}", file=str(path), line=1, key=key)) from None
    return Ledger(events, entry.rulebook, entry.recording, entry.rate, *entry.frames, entry.options)


def _check_version(path: str | Path, version: Any) -> None:
    """Raises InputError for a ledger that this Voskar cannot compare."""
    # A version of a wrong type is reported by the check of the header.
    if isinstance(version, int) and version != FORMAT:
        message = f"found a ledger of version {version}, expected {FORMAT}"
        hint = None
        if version < FORMAT:
            hint = "names have changed since: write it again with voskar replay RULEBOOK RECORDING --ledger FILE"
        raise InputError(Problem(message, file=str(path), hint=hint))


def _event(row: Any) -> Event:
    """The event that a row logs. Raises ValueError with the mistake."""
    if not isinstance(row, dict):
        raise ValueError(f"found {json.dumps(row)}, expected an object")
    unknown = sorted(set(row) - set(COLUMNS))
    if unknown or "frame" not in row or "event" not in row:
        hint = nearest(unknown[0], COLUMNS) if unknown else None
        text = f'unknown column "{unknown[0]}"' + (f" ({hint})" if hint else "") if unknown else "no frame or event"
        raise ValueError(text)
    event_type = EVENT_TYPES.get(row["event"]) if isinstance(row["event"], str) else None
    if event_type is None:
        raise ValueError(f"unknown event {json.dumps(row['event'])}")
    columns = {name: value for name, value in row.items() if name != "event"}
    for name in columns:
        # A ledger that was edited by hand may have a column of another event.
        if name not in event_type.__struct_fields__:
            raise ValueError(f'a {event_type.event} has no column "{name}"')
    if columns.get("outcome", LANDED) not in OUTCOMES:
        raise ValueError(f"unknown outcome {json.dumps(columns['outcome'])}")
    frame = columns["frame"]
    # JSON and CSV readers may give a float, which is no frame even if it is whole.
    if not isinstance(frame, int) or isinstance(frame, bool) or abs(frame) > 1 << 53:
        raise ValueError(f"found the frame {json.dumps(frame)[:40]}, expected a whole number")
    return msgspec.convert(columns, event_type)


def _read_lines(path: str | Path, data: bytes) -> tuple[dict[str, Any], list[Event]]:
    header: dict[str, Any] = {}
    events: list[Event] = []
    # no other line end than this: texts may have any character that looks like one
    for number, line in enumerate(BytesIO(data), 1):
        try:
            row = json.loads(line.decode("utf-8-sig" if number == 1 else "utf-8"))
            if number == 1:
                header = row
                _check_version(path, row.get("version", FORMAT))
            else:
                events.append(_event(row))
        except (ValueError, RecursionError, msgspec.ValidationError) as error:
            text = SURROGATE if isinstance(error, UnicodeEncodeError) else error
            raise InputError(Problem(f"not a line of a ledger: {text}", file=str(path), line=number)) from None
    return header, events


def _read_table(path: str | Path, data: bytes, ending: str) -> tuple[dict[str, Any], list[Event]]:
    header: dict[str, Any] = {}
    events: list[Event] = []
    rows = _csv_rows(data) if ending == ".csv" else _parquet_rows(data, header)
    try:
        for number, row in enumerate(rows, 1):
            if number == 1:
                _check_version(path, header.get("version", 1 if RENAMED.keys() & row.keys() - set(COLUMNS) else FORMAT))
            try:
                events.append(_event({name: _number(name, value) for name, value in row.items()}))
            except (ValueError, OverflowError, msgspec.ValidationError) as error:
                raise InputError(Problem(f"not a row of a ledger: {error}", file=str(path), row=number)) from None
    except (ValueError, RecursionError, OverflowError) as error:  # each library has its own error for a broken table
        raise InputError(Problem(f"not a table of a ledger: {first_line(error)}", file=str(path))) from None
    return header, events


ROWS = 1 << 16
"""Rows that are unpacked at once: a small file may unpack to rows without end."""


def _csv_rows(data: bytes) -> Iterator[dict[str, Any]]:
    """The values of a table's rows. Raises ValueError."""
    import pandas

    # everything as text first: an id may be called NA, or an attack 7
    for piece in pandas.read_csv(BytesIO(data), dtype=str, keep_default_na=False, na_values=[""], chunksize=ROWS):
        for row in piece.to_dict("records"):
            yield {str(name): unquoted(value) for name, value in row.items() if isinstance(value, str)}


def _parquet_rows(data: bytes, header: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """The same for Parquet, with its metadata as the header. Raises ValueError."""
    import pyarrow
    import pyarrow.parquet

    try:
        file = pyarrow.parquet.ParquetFile(BytesIO(data))
    except (pyarrow.ArrowException, OSError) as error:
        raise ValueError(str(error)) from None
    with file:
        found = json.loads((file.schema_arrow.metadata or {}).get(b"voskar", b"{}"))
        if not isinstance(found, dict):
            raise ValueError(f"its metadata is {sort_of(found)}, expected an object")
        header.update(found)
        yield from plain_rows(file)


FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""Characters that a spreadsheet takes for the beginning of a formula, which may do anything."""


def quoted(text: str) -> str:
    """A text as it stands in a CSV, an apostrophe before what a spreadsheet would obey."""
    return f"'{text}" if text.startswith((*FORMULA, "'")) else text


def unquoted(text: str) -> str:
    """A text of a CSV as it was."""
    return text[1:] if text.startswith("'") and text[1:].startswith((*FORMULA, "'")) else text


def _number(name: str, value: Any) -> Any:
    """A value of a table as its column has it."""
    if name in WHOLE:
        whole = float(value)
        if not whole.is_integer():
            raise ValueError(f'found "{str(value)[:40]}" as {name}, expected a whole number')
        return int(whole)
    return float(value) if name in NUMBERS else value
