"""Reads a recording in JSON Lines: decoded line by line by a fast library, straight into columns."""

from __future__ import annotations

import difflib
import json
import math
import re
from collections.abc import Collection, Iterable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec

from voskar.core.recording import Recording
from voskar.errors import InputError, Problem, nearest
from voskar.files.columns import ColumnBuilder
from voskar.files.reading import open_lines
from voskar.files.rulebook import Rulebook

VERSION = 1
"""Version of the recording format. 1: the first."""

CHUNK = 1 << 14  # poses decoded before they become columns; bounds memory


Count = Annotated[int, msgspec.Meta(ge=0, le=1 << 40)]


class PoseLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One pose as it is logged."""

    id: str
    kind: str
    x: float
    y: float
    facing: int = 1
    angle: float = 0.0
    scale: float = 1.0
    clip: str | None = None
    tick: Count | None = None
    cell: Count | None = None
    vx: float | None = None
    vy: float | None = None
    owner: str | None = None
    cut: bool = False
    hidden: bool = False
    health: float | None = None
    lives: float | None = None


class InputLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One input as it is logged."""

    id: str
    button: str
    down: bool = True
    aim: list[float] | None = None


class ClaimLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One claim as it is logged."""

    event: Literal["hit", "down", "respawn", "out", "spawn", "removed"]
    striker: str | None = None
    target: str | None = None
    id: str | None = None
    attack: str | None = None
    damage: float | None = None
    health: float | None = None
    x: float | None = None
    y: float | None = None


class FrameLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One frame: one line."""

    frame: Count
    poses: list[PoseLine] = []
    inputs: list[InputLine] = []
    claims: list[ClaimLine] = []
    reset: Literal["room", "run"] | None = None


HEADER_KEYS = ("voskar", "version", "rate", "up", "reactions", "title", "seed")


def load_recording(path: str | Path, rulebook: Rulebook) -> Recording:
    """Reads and checks a recording, plain or gzip, or "-" for standard input.

    `rulebook` says which kinds there are. Raises InputError with file, line and field.
    """
    name = "standard input" if str(path) == "-" else str(path)
    with open_lines(path) as lines:
        return read_recording(lines, name, rulebook)


def read_recording(lines: Iterable[bytes], name: str, rulebook: Rulebook) -> Recording:
    """Checks the lines of a recording; `name` is what errors call it."""
    numbered = ((number, line) for number, line in enumerate(lines, 1) if not line.isspace())
    head = next(numbered, None)
    if head is None:
        raise InputError(Problem("the file is empty, expected a recording", file=name, line=1))
    header = read_header(name, *head)
    builder = ColumnBuilder(name, rulebook.kinds, "line")
    for chunk in _chunks(_frames(name, numbered)):
        builder.add(chunk)
    return builder.finish(**header)


def read_header(name: str, line: int | None, text: bytes) -> dict[str, Any]:
    """The header as keyword arguments of `ColumnBuilder.finish`."""

    def wrong(message: str, key: str | None = None, hint: str | None = None) -> InputError:
        return InputError(Problem(message, file=name, line=line, key=key, hint=hint))

    try:
        header = json.loads(text, parse_constant=lambda constant: constant)
    except ValueError as error:
        raise wrong(f"not JSON: {_json_message(error)}", hint="a recording begins with a header line") from None
    if not isinstance(header, dict):
        raise wrong(f'found {_sort(header)}, expected a header: an object with "voskar": "recording"')
    if "voskar" not in header:
        raise wrong('no header: the first line must say "voskar": "recording"', hint="is this a recording?")
    if header["voskar"] != "recording":
        raise wrong(f'found {json.dumps(header["voskar"])}, expected "recording"', "voskar")
    if header.get("version") != VERSION or isinstance(header.get("version"), bool):
        found = json.dumps(header["version"]) if "version" in header else "none"
        raise wrong(f"found {found}, expected {VERSION}: this Voskar reads version {VERSION}", "version")
    for key in header:
        if key not in HEADER_KEYS and not key.startswith("_"):
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
    return {
        # the shortest text that gives the same float is the decimal text that was written
        "rate": Fraction(repr(rate)),
        "up": header.get("up", "-y"),
        "reactions": header.get("reactions", "baked"),
        "seed": seed,
        "title": title,
    }


def _frames(name: str, lines: Iterator[tuple[int, bytes]]) -> Iterator[tuple[int, FrameLine]]:
    decode = msgspec.json.Decoder(FrameLine).decode
    for number, line in lines:
        try:
            yield number, decode(line)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
            raise InputError(_line_problem(name, number, line, error)) from None


def _chunks(frames: Iterator[tuple[int, FrameLine]]) -> Iterator[list[tuple[int, FrameLine]]]:
    chunk: list[tuple[int, FrameLine]] = []
    poses = 0
    for frame in frames:
        chunk.append(frame)
        poses += len(frame[1].poses) + 1
        if poses >= CHUNK:
            yield chunk
            chunk, poses = [], 0
    if chunk:
        yield chunk


_OWN = re.compile(r"contains unknown field `(?P<field>[^`]*)`")
_MISSING = re.compile(r"missing required field `(?P<field>[^`]*)`")
_EXPECTED = re.compile(r"Expected `(?P<expected>[^`]*)`, got `(?P<found>[^`]*)`")
_RANGE = re.compile(r"Expected `int` (?P<sign>>=|<=) (?P<limit>\d+)")
_PATH = re.compile(r"- at `\$(?P<path>[^`]*)`")

_WORDS = {
    "float": "a number",
    "int": "a whole number",
    "str": "a text",
    "bool": "true or false",
    "array": "a list",
    "object": "an object",
    "null": "null",
}

_FIELDS: dict[str, Collection[str]] = {
    "": FrameLine.__struct_fields__,
    "poses": PoseLine.__struct_fields__,
    "inputs": InputLine.__struct_fields__,
    "claims": ClaimLine.__struct_fields__,
}


def _line_problem(name: str, number: int, line: bytes, error: Exception) -> Problem:
    """Looks again at a line that could not be decoded, slowly, to say what is wrong and where."""
    try:
        value = json.loads(line)
    except (ValueError, RecursionError) as found:
        cut_off = not line.endswith(b"\n") and not line.rstrip().endswith(b"}")
        hint = "the file ends inside a line: was the game stopped while it wrote?" if cut_off else None
        return Problem(f"not JSON: {_json_message(found)}", file=name, line=number, hint=hint)
    if not isinstance(value, dict):
        return Problem(f"found {_sort(value)}, expected a frame: an object", file=name, line=number)
    frame = value.get("frame")
    frame = frame if isinstance(frame, int) and not isinstance(frame, bool) else None
    if frame is None and value.get("voskar") == "recording":
        return Problem("a second header, expected a frame", file=name, line=number)

    def problem(message: str, key: str | None, hint: str | None = None) -> Problem:
        return Problem(message, file=name, line=number, frame=frame, key=key, hint=hint)

    for path, odd in _odd_numbers(value, ""):
        return problem(f"found {odd}, expected a finite number", path)
    text = str(error)
    place = _PATH.search(text)
    path = (place["path"] if place else "").removeprefix(".")
    if match := _OWN.search(text):
        parent = path.split("[")[0]
        field = match["field"]
        return problem(f'unknown field "{field}"', f"{path}.{field}".removeprefix("."), _hint(field, parent))
    if match := _MISSING.search(text):
        return problem(f'the field "{match["field"]}" is missing', path or None)
    if match := _EXPECTED.search(text):
        expected = " or ".join(_WORDS.get(one, one) for one in match["expected"].split(" | ") if one != "null")
        found_value = _at(value, path)
        found_text = json.dumps(found_value) if not isinstance(found_value, dict | list) else _WORDS[match["found"]]
        return problem(f"found {found_text}, expected {expected}", path)
    if match := _RANGE.search(text):
        word = "or more" if match["sign"] == ">=" else "or less"
        return problem(f"found {json.dumps(_at(value, path))}, expected {match['limit']} {word}", path)
    if "Invalid enum value" in text:
        found_value = _at(value, path)
        options = ("room", "run") if path == "reset" else ("hit", "down", "respawn", "out", "spawn", "removed")
        return problem(f"found {json.dumps(found_value)}", path, nearest(str(found_value), options))
    return problem(text.split(" - at")[0].lower(), path or None)


def _hint(field: str, parent: str) -> str | None:
    close = difflib.get_close_matches(field, list(_FIELDS.get(parent, ())), n=1, cutoff=0.5)
    return f'did you mean "{close[0]}"?' if close else None


def _odd_numbers(value: Any, path: str) -> Iterator[tuple[str, str]]:
    """NaN and infinities, which Python's own reader lets pass, with their paths."""
    if isinstance(value, float) and not math.isfinite(value):
        yield path.removeprefix("."), "NaN" if math.isnan(value) else "a number beyond all range"
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _odd_numbers(inner, f"{path}.{key}")
    elif isinstance(value, list):
        for index, inner in enumerate(value):
            yield from _odd_numbers(inner, f"{path}[{index}]")


def _at(value: Any, path: str) -> Any:
    for step in re.findall(r"[^.\[\]]+", path):
        value = value[int(step)] if isinstance(value, list) else value[step]
    return value


def _json_message(error: Exception) -> str:
    if isinstance(error, json.JSONDecodeError):
        return f"{error.msg[0].lower()}{error.msg[1:]} at column {error.colno}"
    return "not UTF-8 text" if isinstance(error, UnicodeDecodeError) else str(error)


def _sort(value: Any) -> str:
    if isinstance(value, list):
        return "a list"
    return "a text" if isinstance(value, str) else json.dumps(value)
