"""One frame as a game logs it, and what can be wrong with its line of JSON."""

from __future__ import annotations

import difflib
import json
import math
import re
from collections.abc import Collection, Iterable, Iterator
from typing import Annotated, Any, Literal

import msgspec

from voskar.errors import InputError, Problem, nearest

Whole = Annotated[int, msgspec.Meta(ge=-1 << 40, le=1 << 40)]
Count = Annotated[int, msgspec.Meta(ge=0, le=1 << 40)]


class PoseLine(msgspec.Struct, gc=False, omit_defaults=True, forbid_unknown_fields=True):
    """One pose as it is logged. An unknown field is an error: a misspelt `facing` would change outcomes in silence."""

    id: str
    kind: str
    x: float
    y: float
    facing: Whole = 1
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


class InputLine(msgspec.Struct, gc=False, omit_defaults=True, forbid_unknown_fields=True):
    """One input as it is logged."""

    id: str
    button: str
    down: bool = True
    aim: list[float] | None = None


class ClaimLine(msgspec.Struct, gc=False, omit_defaults=True, forbid_unknown_fields=True):
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


class FrameLine(msgspec.Struct, gc=False, omit_defaults=True, forbid_unknown_fields=True):
    """One frame: one line."""

    frame: Count
    poses: list[PoseLine] = []
    inputs: list[InputLine] = []
    claims: list[ClaimLine] = []
    reset: Literal["room", "run"] | None = None


def frame_telling(names: Collection[str]) -> type[msgspec.Struct]:
    """A frame whose poses tell these fields at most, beside who and what they are: most games tell few, and what none
    of a frame's poses can have need not be looked for in each. Another field in it is an error, as in a FrameLine."""
    always = ("id", "kind", "x", "y", "owner", "clip")

    def default(field: Any) -> list[Any]:
        if field.required:
            return []
        return [[] if field.default is msgspec.NODEFAULT else field.default]  # the only factory is that of lists

    def copy(sort: type[msgspec.Struct], fields: Iterable[Any], types: dict[str, Any]) -> type[msgspec.Struct]:
        told = [(one.name, types.get(one.name, one.type), *default(one)) for one in fields]
        return msgspec.defstruct(sort.__name__, told, module=__name__, gc=False, forbid_unknown_fields=True)

    poses = [one for one in msgspec.structs.fields(PoseLine) if one.name in always or one.name in names]
    pose = copy(PoseLine, poses, {})
    return copy(FrameLine, msgspec.structs.fields(FrameLine), {"poses": list[pose]})  # type: ignore[valid-type]


def json_frames(name: str, lines: Iterable[tuple[int, bytes]]) -> Iterator[tuple[int, FrameLine]]:
    decode = msgspec.json.Decoder(FrameLine).decode
    for number, line in lines:
        try:
            yield number, decode(line)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
            raise line_error(name, number, line, error) from None


def line_error(name: str, number: int, line: bytes, error: Exception) -> InputError:
    """What is wrong with a line that could not be decoded."""
    return InputError(_line_problem(name, number, line, error))


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
        return Problem(f"not JSON: {json_message(found)}", file=name, line=number, hint=hint)
    if not isinstance(value, dict):
        return Problem(f"found {sort_of(value)}, expected a frame: an object", file=name, line=number)
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


def json_message(error: Exception) -> str:
    if isinstance(error, json.JSONDecodeError):
        return f"{error.msg[0].lower()}{error.msg[1:]} at column {error.colno}"
    return "not UTF-8 text" if isinstance(error, UnicodeDecodeError) else str(error)


def sort_of(value: Any) -> str:
    if isinstance(value, list):
        return "a list"
    return "a text" if isinstance(value, str) else json.dumps(value)


def hint_for(field: str, sort: type[msgspec.Struct]) -> str | None:
    """The nearest field of a struct to a misspelt one."""
    close = difflib.get_close_matches(field, list(sort.__struct_fields__), n=1, cutoff=0.5)
    return f'did you mean "{close[0]}"?' if close else None
