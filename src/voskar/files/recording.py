"""Reads a recording in any of its forms, straight into columns."""

from __future__ import annotations

import io
import json
import math
from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import IO, Any

from voskar.core.recording import Recording
from voskar.errors import InputError, Problem, nearest
from voskar.files.blocks import json_blocks, table_blocks
from voskar.files.columns import ColumnBuilder
from voskar.files.frames import json_frames, json_message, sort_of
from voskar.files.reading import open_lines
from voskar.files.rulebook import Rulebook
from voskar.files.source import FrameSource
from voskar.files.tables import HEADER, header_text, is_tables, table_frames

VERSION = 1
"""Version of the recording format. 1: the first."""

HEADER_KEYS = ("voskar", "version", "rate", "up", "reactions", "title", "seed")


def load_recording(path: str | Path, rulebook: Rulebook) -> Recording:
    """Reads and checks a recording: JSON Lines, plain or gzip, a folder of tables, "-" for standard input, or the
    stage script (`.toml`) of one.

    `rulebook` says which kinds there are. Raises InputError with file, line or row, and field.
    """
    with open_frames(path) as source:
        return _gather(source, rulebook.kinds)


def read_recording(lines: Iterable[bytes], name: str, rulebook: Rulebook) -> Recording:
    """Checks the lines of a recording; `name` is what errors call it."""
    stream = io.BytesIO(b"\n".join(line.rstrip(b"\n") for line in lines))
    return _gather(_json_source(stream, name, lambda: 0.0), rulebook.kinds)


@contextmanager
def open_frames(path: str | Path) -> Iterator[FrameSource]:
    """Opens a recording in any of its forms."""
    if Path(path).suffix.lower() == ".toml":
        from voskar.files.stage import read_stage  # scripts are few, and their schema takes time to build

        yield read_stage(path)
        return
    if str(path) != "-" and is_tables(path):
        folder = Path(path)
        header = read_header(str(folder / HEADER), None, header_text(folder), tables=True)
        told = header.pop("frames", None)
        frames, blocks = table_frames(folder, told), table_blocks(folder, told)
        yield FrameSource(str(folder / "poses"), "row", header, frames, blocks, lambda: 0.0)
        return
    if str(path) != "-" and Path(path).is_dir():
        hint = f"a folder of tables has a {HEADER}"
        raise InputError(Problem("found a directory, expected a recording", file=str(path), hint=hint))
    with open_lines(path) as lines:
        yield _json_source(lines.stream, "standard input" if str(path) == "-" else str(path), lines.share)


def _json_source(stream: IO[bytes], name: str, share: Callable[[], float]) -> FrameSource:
    numbered = ((number, line) for number, line in enumerate(stream, 1) if not line.isspace())
    head = next(numbered, None)
    if head is None:
        raise InputError(Problem("the file is empty, expected a recording", file=name, line=1))
    header = read_header(name, *head)
    return FrameSource(name, "line", header, json_frames(name, numbered), json_blocks(name, stream, head[0]), share)


def _gather(source: FrameSource, kinds: Collection[str] | None) -> Recording:
    builder = ColumnBuilder(source.name, kinds, source.place)
    for block in source.blocks:
        builder.add(block)
    return builder.finish(**meaning(source.header))


def read_header(name: str, line: int | None, text: bytes, *, tables: bool = False) -> dict[str, Any]:
    """The header, checked, as it was written. That of tables may tell the first and last of its `frames`."""

    def wrong(message: str, key: str | None = None, hint: str | None = None) -> InputError:
        return InputError(Problem(message, file=name, line=line, key=key, hint=hint))

    try:
        header = json.loads(text, parse_constant=lambda constant: constant)
    except ValueError as error:
        raise wrong(f"not JSON: {json_message(error)}", hint="a recording begins with a header line") from None
    if not isinstance(header, dict):
        raise wrong(f'found {sort_of(header)}, expected a header: an object with "voskar": "recording"')
    if "voskar" not in header:
        raise wrong('no header: the first line must say "voskar": "recording"', hint="is this a recording?")
    if header["voskar"] != "recording":
        raise wrong(f'found {json.dumps(header["voskar"])}, expected "recording"', "voskar")
    if header.get("version") != VERSION or isinstance(header.get("version"), bool):
        found = json.dumps(header["version"]) if "version" in header else "none"
        raise wrong(f"found {found}, expected {VERSION}: this Voskar reads version {VERSION}", "version")
    for key in header:  # those that begin with _ are the game's own
        if key not in HEADER_KEYS and not key.startswith("_") and not (tables and key == "frames"):
            raise wrong(f'unknown key "{key}"', key, nearest(key, HEADER_KEYS))
    rate = header.get("rate")
    if isinstance(rate, bool) or not isinstance(rate, int | float) or not (math.isfinite(rate) and 0 < rate <= 1e6):
        found = "none" if rate is None else json.dumps(rate)
        raise wrong(f"found {found}, expected frames per second above 0", "rate")
    for key, options in (("up", ("-y", "+y")), ("reactions", ("baked", "raw"))):
        if key in header and header[key] not in options:
            raise wrong(f'found {json.dumps(header[key])}, expected "{options[0]}" or "{options[1]}"', key)
    seed, title = header.get("seed", 0), header.get("title", "")
    if isinstance(seed, bool) or not isinstance(seed, int):
        raise wrong(f"found {json.dumps(seed)}, expected a whole number", "seed")
    if not isinstance(title, str):
        raise wrong(f"found {json.dumps(title)}, expected a text", "title")
    span = header.get("frames")
    if tables and span is not None and not _is_span(span):
        raise wrong(f"found {json.dumps(span)}, expected the first and the last frame", "frames")
    return header


def _is_span(value: Any) -> bool:
    whole = isinstance(value, list) and len(value) == 2 and all(type(one) is int for one in value)
    return whole and 0 <= value[0] <= value[1] <= 1 << 40


def meaning(header: dict[str, Any]) -> dict[str, Any]:
    """A checked header as keyword arguments of `ColumnBuilder.finish`."""
    return {
        # the shortest text that gives the same float is the decimal text that was written
        "rate": Fraction(repr(header["rate"])),
        "up": header.get("up", "-y"),
        "reactions": header.get("reactions", "baked"),
        "seed": header.get("seed", 0),
        "title": header.get("title", ""),
    }
