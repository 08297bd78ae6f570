"""One frame as a game logs it, and what can be wrong with its line of JSON."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from operator import methodcaller
from typing import Annotated, Any, Literal, NamedTuple, TypeAlias, get_args, get_origin

import msgspec
import numpy as np
from msgspec import UNSET, UnsetType

from voskar.core.kernel.gather import NOTHING, logged_keys
from voskar.errors import InputError, Problem, nearest
from voskar.files.logged_shapes import EXPECTED, LoggedValue

Warn: TypeAlias = Callable[[str], object]
Numbered: TypeAlias = "tuple[int, FrameLine]"
Whole = Annotated[int, msgspec.Meta(ge=-1 << 40, le=1 << 40)]
Count = Annotated[int, msgspec.Meta(ge=0, le=1 << 40)]
Point = Annotated[list[float], msgspec.Meta(min_length=2, max_length=2)]

# an optional field is UNSET if it is not logged, so that a line is written again as it was read
_Text: TypeAlias = str | UnsetType | None
_Number: TypeAlias = float | UnsetType | None
_Flag: TypeAlias = bool | UnsetType | None
_Count: TypeAlias = Count | UnsetType | None


# The garbage collector must not track these structs: a block holds a hundred thousand of them.
class PoseLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One pose as it is logged. An unknown field is an error: a misspelt `facing` would change outcomes in silence."""

    id: str
    kind: str
    x: float
    y: float
    facing: Whole | UnsetType = UNSET
    angle: float | UnsetType = UNSET
    scale: float | UnsetType = UNSET
    z: float | UnsetType = UNSET
    clip: _Text = UNSET
    tick: _Count = UNSET
    cell: _Count = UNSET
    vx: _Number = UNSET
    vy: _Number = UNSET
    owner: _Text = UNSET
    cut: bool | UnsetType = UNSET
    hidden: bool | UnsetType = UNSET
    health: _Number = UNSET
    lives: _Number = UNSET
    immune: _Flag = UNSET
    stunned: _Flag = UNSET
    frozen: _Flag = UNSET
    tags: list[str] | UnsetType | None = UNSET
    counters: dict[str, float] | UnsetType | None = UNSET
    boxes: dict[str, LoggedValue] | UnsetType | None = UNSET
    push: Point | UnsetType | None = UNSET


class InputLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One input as it is logged."""

    id: str
    button: str
    down: bool | UnsetType = UNSET
    aim: Point | UnsetType | None = UNSET


ClaimedEvent: TypeAlias = Literal["hit", "clash", "down", "respawn", "out", "spawn", "removed", "over", "won"]
EVENTS: tuple[str, ...] = get_args(ClaimedEvent)


class ClaimLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One claim as it is logged."""

    event: ClaimedEvent
    ids: tuple[str, str] | UnsetType | None = UNSET
    attacker: _Text = UNSET
    target: _Text = UNSET
    id: _Text = UNSET
    attack: _Text = UNSET
    case: _Text = UNSET
    damage: _Number = UNSET
    health: _Number = UNSET
    lives: _Number = UNSET
    owner: _Text = UNSET
    x: _Number = UNSET
    y: _Number = UNSET


class DisplayLine(msgspec.Struct, gc=False, forbid_unknown_fields=True):
    """One entry of what the game's own display showed."""

    id: _Text = UNSET
    health: _Number = UNSET
    percent: _Number = UNSET
    icons: _Number = UNSET
    lives: _Number = UNSET
    score: _Number = UNSET
    clock: _Text = UNSET


MOST_LOST = 1_000_000
"""Frames that a logger may lose at once."""


class FrameLine(msgspec.Struct, gc=False, omit_defaults=True, forbid_unknown_fields=True):
    """One frame: one line. What it has no key for is NOTHING or UNSET, so that keys can be counted."""

    frame: Count
    # NOTHING differs from an empty list: an empty list is a key that the line has.
    poses: Sequence[PoseLine] = NOTHING
    inputs: Sequence[InputLine] = NOTHING
    claims: Sequence[ClaimLine] = NOTHING
    display: Sequence[DisplayLine] = NOTHING
    reset: Literal["room", "run"] | UnsetType | None = UNSET
    dropped: _Count = UNSET
    problems: list[str] | UnsetType | None = UNSET


def or_none(value: Any) -> Any:
    """A field's value, None if it is not logged."""
    return None if value is UNSET else value


def plain_type(hint: Any) -> type:
    """The type inside `float | UnsetType | None` and the like; of a Literal that of its values."""
    for inner in (hint, *get_args(hint)):
        plain = get_origin(inner) or inner
        if plain in (str, int, float, bool, list, dict, tuple):
            return plain  # type: ignore[no-any-return]
        if plain in (Annotated, Literal):
            return plain_type(get_args(inner)[0]) if plain is Annotated else str
    raise TypeError(hint)


class Sort(NamedTuple):
    """A sort of entries that frames hold besides poses: its struct, the fields that state texts, those that state
    numbers or truths, each with its value where an entry does not have it, and the one that states a point, or ""."""

    line: type[msgspec.Struct]
    texts: tuple[str, ...]
    numbers: dict[str, float]
    point: str


def _sort_of(line: type[msgspec.Struct], **defaults: float) -> Sort:
    types = {field.name: plain_type(field.type) for field in msgspec.structs.fields(line)}
    texts = tuple(name for name, type in types.items() if type in (str, tuple))
    numbers = {name: defaults.get(name, math.nan) for name, type in types.items() if type in (int, float, bool)}
    return Sort(line, texts, numbers, next((name for name, type in types.items() if type is list), ""))


SORTS = {"inputs": _sort_of(InputLine, down=1.0), "claims": _sort_of(ClaimLine), "display": _sort_of(DisplayLine)}


ALWAYS = ("id", "kind", "x", "y", "owner", "clip")
"""Keys that are looked for in every pose."""
_KEY = re.compile(rb'"(\w+)"\s*:')
_OWN_KEY = re.compile(r"_(?!_)\w*")  # two underscores in front may mean something to Python


def names_in(text: bytes) -> set[str]:
    """Texts that may be keys in some lines."""
    return {item.decode() for item in _KEY.findall(text)}


class LineTypes(NamedTuple):
    """The struct of a frame's line, that of its poses, and those of its entries by sort."""

    line: type[msgspec.Struct]
    pose: type[msgspec.Struct]
    entries: dict[str, type[msgspec.Struct]]


WHOLE = LineTypes(FrameLine, PoseLine, {name: sort.line for name, sort in SORTS.items()})
"""The structs that have every field."""


def frames_with_logs(names: Collection[str], *, strict: bool = True) -> LineTypes:
    """Structs of which a pose logs these fields at most, besides who and what it is: most games log few, and what none
    of their poses can have need not be looked for in each. Names with _ in front are keys of the game's own, wherever
    they stand. Any other field is an error; where one is not `strict`, it is passed over."""
    # Keys of the game's own must be fields too, or each of them would be an unknown field.
    own = sorted(name for name in names if _OWN_KEY.fullmatch(name)) if strict else []

    def copy(struct: type[msgspec.Struct], names: Collection[str], types: Mapping[str, Any]) -> type[msgspec.Struct]:
        fields = [field for field in msgspec.structs.fields(struct) if field.name in names]
        said = [
            (field.name, types.get(field.name, field.type), *([] if field.required else [field.default]))
            for field in fields
        ]
        said += [(name, msgspec.Raw | UnsetType, UNSET) for name in own]
        return msgspec.defstruct(struct.__name__, said, module=__name__, gc=False, forbid_unknown_fields=strict)

    pose = copy(PoseLine, {*ALWAYS, *names}, {})
    types: dict[str, Any] = {"poses": Sequence[pose]}  # type: ignore[valid-type]
    entries = WHOLE.entries
    if own or not strict:
        entries = {name: copy(struct, struct.__struct_fields__, {}) for name, struct in entries.items()}
        types |= {name: Sequence[struct] for name, struct in entries.items()}  # type: ignore[valid-type]
    return LineTypes(copy(FrameLine, FrameLine.__struct_fields__, types), pose, entries)


def json_frames(name: str, lines: Iterable[tuple[int, bytes]], warn: Warn) -> Iterator[Numbered]:
    """Frames one by one, each with its line."""
    decode = msgspec.json.Decoder(FrameLine).decode
    for number, line in lines:
        frame: FrameLine | None = None
        # A line that fails here is read again slowly, which names the mistake.
        with suppress(msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
            frame = decode(line)
        # The decoder keeps the last of two equal keys and says nothing; the counts then differ.
        if frame is None or logged_keys(frame) != keys_written(line):
            frame = decoded(name, number, line, warn)
        if frame is not None:
            yield number, frame


keys_written: Callable[[bytes], int] = methodcaller("count", b'":')
"""How many keys are in lines; another number than `logged_keys` may mean that one occurs twice, or only that a text has
a colon in it, which has to be looked at."""


def colons(text: bytes) -> int:
    """No less than `keys_written`, sooner: as many as keys are logged, and no key occurs twice."""
    return int(np.count_nonzero(np.frombuffer(text, dtype=np.uint8) == ord(":")))


def decoded(name: str, number: int, line: bytes, warn: Warn) -> FrameLine | None:
    """The frame of a line, looked at slowly: without the game's own keys, and with no key twice.

    None for a line that is cut off; `warn` reports it. Raises InputError.
    """

    def problem(message: str, **fields: Any) -> InputError:
        return InputError(Problem(message, file=name, line=number, **fields))

    try:
        value = json.loads(line, object_pairs_hook=_Pairs)
    except (ValueError, RecursionError) as error:
        # Only the last line of a file can lack its line end, and a game that stops may leave half of it.
        if not line.endswith(b"\n"):
            warn(f"{name}:{number}: the file ends inside this line, which is left out; did the game stop there?")
            return None
        raise problem(f"not JSON: {json_message(error)}") from None
    if not isinstance(value, _Pairs):
        raise problem(f"found {sort_of(value)}, expected a frame: an object")
    frame, doubled = _plain(value)
    if doubled:
        described_number = frame.get("frame")
        where = described_number if type(described_number) is int else None
        raise problem(f'the key "{doubled.rpartition(".")[2]}" stands twice', frame=where, key=doubled)
    # JSON has no NaN, but Python's reader accepts it.
    for path, odd in _odd_numbers(frame, ""):
        raise InputError(_problem(name, number, frame, path, f"found {odd}, expected a finite number"))
    try:
        return msgspec.convert(frame, FrameLine)
    except UnicodeEncodeError:
        # The decoder refuses half of a surrogate pair with an error that names no place.
        raise problem("found half of a surrogate pair, as \\ud800 is, expected characters") from None
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise InputError(_line_problem(name, number, frame, error)) from None


class _Pairs(list[tuple[str, Any]]):
    """An object with its keys as they stand."""


def _plain(value: Any, path: str = "") -> tuple[Any, str]:
    """A value without keys that begin with _, and the path of the first key that occurs twice in an object, or ""."""
    doubled = ""
    if isinstance(value, _Pairs):
        found: dict[str, Any] = {}
        for key, inner in value:
            here = f"{path}.{key}".removeprefix(".")
            if key in found:
                doubled = doubled or here
            if not key.startswith("_"):
                found[key], deeper = _plain(inner, here)
                doubled = doubled or deeper
        return found, doubled
    if isinstance(value, list):
        items = [_plain(inner, f"{path}[{index}]") for index, inner in enumerate(value)]
        return [item for item, _ in items], next((deeper for _, deeper in items if deeper), "")
    return value, ""


_OWN = re.compile(r"contains unknown field `(?P<field>[^`]*)`")
_MISSING = re.compile(r"missing required field `(?P<field>[^`]*)`")
_EXPECTED = re.compile(r"Expected `(?P<expected>[^`]*)`, got `(?P<found>[^`]*)`")
_RANGE = re.compile(r"Expected `int` (?P<sign>>=|<=) (?P<limit>\d+)")
_LENGTH = re.compile(r"Expected `array` of length (?:>= |<= )?(?P<length>\d+)")
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
    "display": DisplayLine.__struct_fields__,
}


def _problem(
    name: str, number: int, value: dict[str, Any], key: str | None, message: str, hint: str | None = None
) -> Problem:
    frame = value.get("frame")
    frame = frame if isinstance(frame, int) and not isinstance(frame, bool) else None
    return Problem(message, file=name, line=number, frame=frame, key=key, hint=hint)


def _line_problem(name: str, number: int, value: dict[str, Any], error: Exception) -> Problem:
    """The mistake of a frame that is no FrameLine, and its place."""

    def problem(message: str, key: str | None, hint: str | None = None) -> Problem:
        return _problem(name, number, value, key, message, hint)

    # Two recordings were put into one file, so no field of the frame is to blame.
    if "frame" not in value and value.get("voskar") == "recording":
        return Problem("a second header, expected a frame", file=name, line=number)
    text = str(error)
    place = _PATH.search(text)
    path = (place["path"] if place else "").removeprefix(".")
    # The path of an error inside a dict has no key, so the wrong box is searched for.
    if "[...]" in path:
        path, _, deeper = path.partition("[...]")
        boxes = _at(value, path)
        odd = (
            []
            if deeper.startswith("[") or not isinstance(boxes, dict)
            else [pair for pair in boxes.items() if not _is_box(pair[1])]
        )
        for box, corners in odd:
            return problem(f"found {json.dumps(corners)}, expected {EXPECTED}", f"{path}.{box}")
        return problem(f"expected a box as {EXPECTED}", path)
    if match := _OWN.search(text):
        parent = path.split("[")[0]
        field = match["field"]
        return problem(
            f'unknown field "{field}"',
            f"{path}.{field}".removeprefix("."),
            nearest(field, _FIELDS.get(parent, ())),
        )
    if match := _MISSING.search(text):
        return problem(f'the field "{match["field"]}" is missing', path or None)
    if match := _LENGTH.search(text):
        return problem(f"found {json.dumps(_at(value, path))}, expected {match['length']} numbers", path)
    if match := _EXPECTED.search(text):
        expected = " or ".join(_WORDS.get(part, part) for part in match["expected"].split(" | ") if part != "null")
        found_value = _at(value, path)
        found_text = json.dumps(found_value) if not isinstance(found_value, dict | list) else _WORDS[match["found"]]
        return problem(f"found {found_text}, expected {expected}", path)
    if match := _RANGE.search(text):
        word = "or more" if match["sign"] == ">=" else "or less"
        return problem(f"found {json.dumps(_at(value, path))}, expected {match['limit']} {word}", path)
    if "Invalid enum value" in text:
        found_value = _at(value, path)
        options = ("room", "run") if path == "reset" else EVENTS
        return problem(f"found {json.dumps(found_value)}", path, nearest(str(found_value), options))
    return problem(text.split(" - at")[0].lower(), path or None)


def _is_box(value: Any) -> bool:
    try:
        msgspec.convert(value, LoggedValue)
    except msgspec.ValidationError:
        return False
    return True


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
