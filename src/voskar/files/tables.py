"""Recordings as tables: a folder with `recording.json` and, as CSV or Parquet, `poses`, `inputs`, `claims`, `display`,
`marks`.
"""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from io import TextIOWrapper
from pathlib import Path
from typing import Any, Literal, TypeVar, get_args

import msgspec
from msgspec import UNSET, UnsetType, structs

from voskar.core.kernel.gather import NOTHING
from voskar.errors import InputError, Problem, first_line, nearest
from voskar.files.frames import (
    MOST_LOST,
    ClaimLine,
    Count,
    DisplayLine,
    FrameLine,
    InputLine,
    PoseLine,
    or_none,
    plain_type,
)
from voskar.files.logged_shapes import LoggedValue
from voskar.files.parquet import plain_rows
from voskar.files.reading import opened, opened_anywhere, plain_errors, read_text

HEADER = "recording.json"
ENDINGS = (".parquet", ".csv")

T = TypeVar("T", bound=msgspec.Struct)


class MarkLine(msgspec.Struct, forbid_unknown_fields=True):
    """A row of `marks`."""

    reset: Literal["room", "run"] | UnsetType | None = UNSET
    dropped: Count | UnsetType | None = UNSET
    problem: str | UnsetType | None = UNSET


class Row(msgspec.Struct):
    """A row's number in its table (from 1, the heading not counted), its frame, and the rest."""

    number: int
    frame: int
    values: dict[str, Any]


def is_tables(path: str | Path) -> bool:
    """Whether a path is a folder of tables."""
    return (Path(path) / HEADER).is_file()


def header_text(folder: Path) -> bytes:
    """The text of the header file."""
    return read_text(folder / HEADER).encode()


def table_frames(folder: Path, span: tuple[int, int] | None) -> Iterator[tuple[int, FrameLine]]:
    """Every frame with the row of `poses` it begins at. Raises InputError naming file, row and field.

    `span` are the first and last frame the header logs; without it they are those of the tables, and frames that no
    table mentions are left out for the caller to complain about.
    """
    inputs = gathered(folder, "inputs", InputLine)
    claims = gathered(folder, "claims", ClaimLine)
    display = gathered(folder, "display", DisplayLine)
    marks = gathered(folder, "marks", MarkLine)
    poses = _grouped(folder, "poses", PoseLine)
    others = sorted({*inputs, *claims, *display, *marks})
    if span:
        # a frame that any table mentions is there, even if a mark says that it is lost
        lost = lost_frames(marks) - set(others)
        others = [frame for frame in range(span[0], span[1] + 1) if frame not in lost]
    # Poses are read as they come; the other tables are small and are held as a whole.
    waiting = next(poses, None)
    place = 0
    row = 1
    while waiting is not None or place < len(others):
        frame = min([*([waiting[0]] if waiting else []), *others[place : place + 1]])
        line = FrameLine(
            frame,
            inputs=inputs.get(frame, NOTHING),
            claims=claims.get(frame, NOTHING),
            display=display.get(frame, NOTHING),
        )
        for mark in marks.get(frame, ()):
            marked(line, mark)
        if waiting is not None and waiting[0] == frame:
            line.poses, row = waiting[2], waiting[1]
            waiting = next(poses, None)
        while place < len(others) and others[place] <= frame:
            place += 1
        yield row, line


def lost_frames(marks: Mapping[int, Sequence[MarkLine]]) -> set[int]:
    """The frames that the logger lost before others: no table has them."""
    dropped = ((frame, mark.dropped) for frame, group in marks.items() for mark in group if mark.dropped)
    return {lost for frame, count in dropped for lost in range(max(frame - min(count, MOST_LOST), 0), frame)}


def marked(line: FrameLine, mark: MarkLine) -> None:
    """Adds a row of `marks` to its frame."""
    if mark.reset:
        line.reset = mark.reset
    if mark.dropped:
        line.dropped = mark.dropped
    if mark.problem:
        line.problems = [*(line.problems or ()), mark.problem]


def table_path(folder: Path, name: str) -> Path | None:
    return next((folder / (name + ending) for ending in ENDINGS if (folder / (name + ending)).is_file()), None)


def _rows(folder: Path, name: str) -> Iterator[Row]:
    path = table_path(folder, name)
    if path is None:
        return
    last = -1
    with plain_errors(path):
        for number, values in enumerate(_csv_rows(path) if path.suffix == ".csv" else _parquet_rows(path), 1):
            frame = values.pop("frame", None)
            # digits alone: int() would also take signs, spaces and underscores
            if isinstance(frame, str) and re.fullmatch(r"\d+", frame, re.ASCII):
                frame = int(frame)
            # a Parquet column may hold truth values, and these are whole numbers to Python
            if not isinstance(frame, int) or isinstance(frame, bool) or not 0 <= frame <= 1 << 40:
                message = f"found {json.dumps(frame, default=str)}, expected a frame number of 0 or more"
                raise InputError(Problem(message, file=str(path), row=number, key="frame"))
            if frame < last:
                message = f"frame {frame} comes after {last}: rows are in frame order"
                raise InputError(Problem(message, file=str(path), row=number, key="frame"))
            last = frame
            yield Row(number, frame, {key: value for key, value in values.items() if not key.startswith("_")})


def _csv_rows(path: Path) -> Iterator[dict[str, Any]]:
    with opened(path) as stream, TextIOWrapper(stream, newline="", encoding="utf-8-sig") as file:
        try:
            for values in csv.DictReader(file, strict=True):
                # the reader keeps cells that no column stands above under None
                if None in values:
                    yield {"frame": values.get("frame"), "more cells than the heading has": ""}
                # CSV cannot tell an empty text from nothing: both are "not logged"
                yield {key: value for key, value in values.items() if value not in ("", None)}
        except (csv.Error, UnicodeDecodeError) as error:
            raise InputError(Problem(f"not CSV: {error}", file=str(path))) from None


def _parquet_rows(path: Path) -> Iterator[dict[str, Any]]:
    import pyarrow
    import pyarrow.parquet

    try:
        with opened_anywhere(path) as stream, pyarrow.parquet.ParquetFile(stream) as file:
            yield from plain_rows(file)
    except (pyarrow.ArrowException, ValueError) as error:
        raise InputError(Problem(f"not Parquet: {first_line(error).lower()}", file=str(path))) from None


def _read(path: Path | None, row: Row, struct: type[T]) -> T:
    """A row as what it is. CSV cells are texts, so numbers are taken from texts there."""
    values = row.values
    # A point is two columns. Half a point is reported as an unknown column.
    for pair in POINTS:
        if f"{pair}_x" in values and f"{pair}_y" in values:
            values = {key: value for key, value in values.items() if not key.startswith(f"{pair}_")}
            values[pair] = [row.values[f"{pair}_x"], row.values[f"{pair}_y"]]
    try:
        for name in MAPS & values.keys():
            if isinstance(values[name], str):
                values = {**values, name: map_in(name, values[name])}
        for name in WORDS & values.keys():
            if isinstance(values[name], str):
                values = {**values, name: values[name].split()}
        # Only CSV takes numbers from texts: in Parquet a text in a number's column is a mistake.
        return msgspec.convert(values, struct, strict=path is None or path.suffix != ".csv")
    except msgspec.DecodeError as error:
        text, _, place = str(error).partition(" - at ")
        field = re.sub(r"[`$.]", "", place) or None
        unknown = re.search(r"unknown field `([^`]*)`", text)
        missing = re.search(r"missing required field `([^`]*)`", text)
        hint = None
        if unknown:
            text, field, hint = (
                f'unknown column "{unknown[1]}"',
                unknown[1],
                nearest(unknown[1], struct.__struct_fields__),
            )
        elif missing:
            text, field = f'no value in the column "{missing[1]}"', missing[1]
        elif field is not None:
            found = json.dumps(values.get(field.split("[")[0]), default=str)
            text = f"found {found}: {text[0].lower()}{text[1:]}".replace("`", "")
        raise InputError(Problem(text, file=str(path), row=row.number, frame=row.frame, key=field, hint=hint)) from None


def _grouped(folder: Path, name: str, struct: type[T]) -> Iterator[tuple[int, int, list[T]]]:
    """(frame, first row, what its rows say), a frame at a time."""
    path = table_path(folder, name)
    frame, first = -1, 0
    group: list[T] = []
    for row in _rows(folder, name):
        if row.frame != frame and group:
            yield frame, first, group
            group = []
        if not group:
            frame, first = row.frame, row.number
        group.append(_read(path, row, struct))
        # A folder without frame numbers has every row in one frame, which would fill the memory.
        if len(group) > MOST_ROWS:
            raise InputError(Problem(f"found more than {MOST_ROWS:,} rows of one frame", file=str(path), row=first))
    if group:
        yield frame, first, group


def gathered(folder: Path, name: str, struct: type[T]) -> dict[int, list[T]]:
    """A small table by frame. Raises InputError for a large one."""
    found: dict[int, list[T]] = {}
    count = 0
    for frame, first, group in _grouped(folder, name, struct):
        found[frame] = group
        count += len(group)
        if count > MOST_ROWS:
            message = f"found more than {MOST_ROWS:,} rows"
            raise InputError(Problem(message, file=str(table_path(folder, name)), row=first))
    return found


MOST_ROWS = 3_000_000
"""Most rows of a small table, which is held as a whole: many hours of play."""


LINES: Mapping[str, type[msgspec.Struct]] = {
    "poses": PoseLine, "inputs": InputLine, "claims": ClaimLine, "display": DisplayLine, "marks": MarkLine,
}  # fmt: skip
"""The tables, each with the struct of its rows."""


FIELD_TYPES = {
    name: {field.name: plain_type(field.type) for field in structs.fields(line) if field.name != "ids"}
    for name, line in LINES.items()
}
WORDS = {
    field.name for line in LINES.values() for field in structs.fields(line) if list[str] in get_args(field.type)
} - {"problems"}
"""Fields that are several texts, which stand in a cell with spaces between."""
POINTS = {name for types in FIELD_TYPES.values() for name, type in types.items() if type is list} - WORDS
"""Fields that are two columns in a table."""
MAPS = {name for types in FIELD_TYPES.values() for name, type in types.items() if type is dict}
"""Fields that are JSON in a table."""


def _columns_of(types: Mapping[str, type]) -> dict[str, type]:
    columns: dict[str, type] = {"frame": int}
    for name, type in types.items():
        text = name in MAPS or name in WORDS
        columns |= {f"{name}_x": float, f"{name}_y": float} if name in POINTS else {name: str if text else type}
    return columns


COLUMNS = {name: _columns_of(types) for name, types in FIELD_TYPES.items()}
"""The columns of each table, with their types."""


def map_in(name: str, text: str) -> dict[str, Any]:
    """The boxes or counters of a pose, which stand in a cell as JSON. Raises msgspec.DecodeError."""
    return _MAPS[name].decode(text)


_MAPS: Mapping[str, msgspec.json.Decoder[dict[str, Any]]] = {
    "boxes": msgspec.json.Decoder(dict[str, LoggedValue]),
    "counters": msgspec.json.Decoder(dict[str, float]),
}


def _row_of(frame: int, line: msgspec.Struct) -> dict[str, Any]:
    """A line as a row of its table; points are two columns, boxes JSON. The two of a clash are its attacker and its
    target."""
    row: dict[str, Any] = {"frame": frame}
    both: tuple[str | None, str | None] = (None, None)
    for name in line.__struct_fields__:
        value = or_none(getattr(line, name))
        if name == "ids":
            both = value or (None, None)
        elif name in ("attacker", "target") and both[0] is not None:
            # A table has no column for a pair, so a clash uses the columns of a hit.
            row[name] = both[name == "target"]
        elif name in POINTS:
            row[f"{name}_x"], row[f"{name}_y"] = value or (None, None)
        elif name in MAPS:
            row[name] = None if value is None else msgspec.json.encode(value).decode()
        elif name in WORDS:
            row[name] = None if value is None else " ".join(value)
        else:
            row[name] = value
    return row


GROUP = 1 << 18
"""Rows that Parquet holds together: in small groups it is read at half the pace, large ones take memory to write."""


class TableWriter:
    """Writes frames into tables of a folder, a chunk at a time. Call `close` at the end."""

    def __init__(self, folder: Path, header: Mapping[str, Any], form: str) -> None:
        self.folder, self.header, self.form = folder, dict(header), form
        self.span: tuple[int, int] | None = None
        self._stack = ExitStack()
        self._tables: dict[str, Any] = {}
        self._waiting: dict[str, list[Any]] = {}

    def add(self, frames: Iterable[FrameLine]) -> None:
        """Writes some frames."""
        rows: dict[str, list[dict[str, Any]]] = {name: [] for name in LINES}
        for line in frames:
            self.span = (self.span[0] if self.span else line.frame, line.frame)
            for name in ("poses", "inputs", "claims", "display"):
                rows[name] += [_row_of(line.frame, item) for item in getattr(line, name)]
            if line.reset or line.dropped:
                rows["marks"].append(
                    {"frame": line.frame, "reset": or_none(line.reset), "dropped": or_none(line.dropped)}
                )
            rows["marks"] += [{"frame": line.frame, "problem": problem} for problem in line.problems or ()]
        for name, columns in COLUMNS.items():
            if rows[name]:
                self._write(name, columns, rows[name])

    def _write(self, name: str, columns: Mapping[str, type], rows: list[dict[str, Any]]) -> None:
        if self.form == "csv":
            if name not in self._tables:
                file = self._stack.enter_context((self.folder / f"{name}.csv").open("w", newline="", encoding="utf-8"))
                self._tables[name] = csv.DictWriter(file, columns, lineterminator="\n")
                self._tables[name].writeheader()
            written = (
                # `str(True)` would be "True", and readers expect JSON's spelling.
                {key: str(flag).lower() if isinstance(flag, bool) else flag for key, flag in row.items()}
                for row in rows
            )
            self._tables[name].writerows(written)
            return
        import pyarrow
        import pyarrow.parquet

        # stated, not guessed: a column that is empty in the first rows may have values in later ones
        schema = pyarrow.schema([(column, arrow_type(type)) for column, type in columns.items()])
        if name not in self._tables:
            writer = pyarrow.parquet.ParquetWriter(self.folder / f"{name}.parquet", schema, compression="lz4")
            self._tables[name] = self._stack.enter_context(writer)
        waiting = self._waiting.setdefault(name, [])
        waiting.append(pyarrow.Table.from_pylist(rows, schema=schema))
        if sum(map(len, waiting)) >= GROUP:
            self._write_group(name)

    def _write_group(self, name: str) -> None:
        import pyarrow

        group = pyarrow.concat_tables(self._waiting.pop(name))
        self._tables[name].write_table(group, row_group_size=len(group))

    def close(self) -> None:
        """Finishes the tables and writes the header."""
        for name in list(self._waiting):
            self._write_group(name)
        self._stack.close()
        header = {**self.header, "frames": list(self.span or (0, -1))}
        (self.folder / HEADER).write_text(json.dumps(header) + "\n", encoding="utf-8")


def arrow_type(type: type) -> Any:
    """The type of a column in Parquet."""
    import pyarrow

    return {int: pyarrow.int64(), float: pyarrow.float64(), bool: pyarrow.bool_(), str: pyarrow.string()}[type]
