"""Values that tables of a file may have, each with what it refuses: numbers, durations, points, windows."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer

from voskar.core.rules import Duration, Rehit
from voskar.core.rules import Lasting as LastingDuration
from voskar.core.rules.durations import LONGEST
from voskar.core.rules.polygons import MOST_CORNERS
from voskar.core.rules.shapes import LIMIT

_WINDOW = re.compile(r"(\d+)(?:\s*-\s*(\d+))?", re.ASCII)

REHIT_WORDS = ("once", "entry", "always")


def text(pattern: str) -> Any:
    """In a JSON Schema, a text of a form."""
    # A JSON Schema searches for a pattern anywhere in a text, so it needs both ends.
    return Annotated[str, Field(pattern=f"^(?:{pattern})$")]


# What JSON Schemas say of the texts that are parsed here. Editors use them; what is refused is decided by the parsers.
_SPAN = r"(?:[0-9]+f|[0-9]+(?:\.[0-9]+)?m?s)"
_ABOVE_0 = r"[0-9]*[1-9][0-9]*f|[0-9]*[1-9][0-9]*(?:\.[0-9]+)?m?s|[0-9]+\.[0-9]*[1-9][0-9]*m?s"
_CELLS = r"\s*[0-9]+(?:\s*-\s*[0-9]+)?\s*"
DURATION_INPUT: Any = text(_SPAN) | Annotated[int, Field(ge=0, le=LONGEST)]
LASTING_INPUT: Any = text(_ABOVE_0) | Annotated[int, Field(ge=1, le=LONGEST)]
CELLS_INPUT: Any = text(f"{_CELLS}(?:,{_CELLS})*")
CHARGE_INPUT: Any = text(rf"\s*{_SPAN}\s*-\s*(?:{_SPAN})?\s*")


def comparison_input(*, percent: bool) -> Any:
    """In a JSON Schema, a comparison or a list of them."""
    item = text(r"\s*(?:<=|>=|==|<|>)\s*[-+]?[0-9]{1,15}(?:\.[0-9]{1,15})?\s*" + (r"%?\s*" if percent else ""))
    return item | list[item]  # type: ignore[valid-type]


def exactly_one(*names: str) -> dict[str, Any]:
    """In a JSON Schema, a table with exactly one of some keys."""
    return {"oneOf": [{"required": [name]} for name in names]}


class Table(BaseModel):
    """A table of a file. Unknown keys are errors, and values keep their type: "3" is not a number."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, arbitrary_types_allowed=True, defer_build=True)

    def __deepcopy__(self, memo: dict[int, Any] | None = None) -> Self:
        # each table that a file leaves out is a copy of its default: two thirds of the time of reading a rulebook
        return self


VERSION = 2
"""The version of rulebooks and their suites that is written. In version 1 some keys had other names."""
Version = Annotated[Literal[1, 2], BeforeValidator(lambda value: "" if value is True else value)]


def _duration(value: Any) -> Duration:
    # To Python, `True` is the number 1.
    if isinstance(value, bool) or not isinstance(value, str | int):
        raise ValueError('a duration such as "12f", "0.2s" or "200ms", or a whole number of frames')
    try:
        return Duration.parse(value)
    except ValueError:
        raise ValueError('a duration such as "12f", "0.2s" or "200ms", or a whole number of frames') from None


def _rehit(value: Any) -> Rehit | Duration:
    if value in REHIT_WORDS:
        return Rehit(value)
    try:
        return _duration(value)
    except ValueError:
        raise ValueError('"once", "entry", "always", or a duration such as "12f"') from None


def _corners(value: list[float]) -> list[float]:
    if value[0] == value[2] or value[1] == value[3]:
        # A rectangle of no width touches nothing, and would be a silent mistake.
        raise ValueError("two corners that span an area")
    return value


def _capsule(value: list[float]) -> list[float]:
    if value[0] <= 0 or value[1] < 0:
        raise ValueError("a radius above 0 and a length of 0 or more")
    return value


def windows(value: Any) -> Any:
    """Ranges of cells. Raises ValueError."""
    return ranges(value, 'ranges of cells such as "3-5" or "2-4,8-9"')


def ranges(value: Any, expected: str) -> tuple[tuple[int, int], ...]:
    """`3-5,8` as ((3, 5), (8, 8)). Raises ValueError with the expected form."""
    # A single cell is easily written as a number: `3` in place of `"3"`.
    if not isinstance(value, str):
        raise ValueError(expected)
    found = []
    for piece in value.split(","):
        match = _WINDOW.fullmatch(piece.strip())
        if match is None:
            raise ValueError(expected)
        first, last = int(match[1]), int(match[2] or match[1])
        # A range that ends before it begins is open in no cell.
        if last < first:
            raise ValueError(f"{expected}, each ending no earlier than it begins")
        found.append((first, last))
    return tuple(found)


def _above_zero(value: list[float]) -> list[float]:
    if min(value) <= 0:
        raise ValueError("two numbers above 0")
    return value


Number = Annotated[float, Field(ge=-LIMIT, le=LIMIT, allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, le=LIMIT, allow_inf_nan=False)]
Angle = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Pair = Annotated[list[Number], Field(min_length=2, max_length=2)]
Size = Annotated[
    Pair, AfterValidator(_above_zero), Field(json_schema_extra={"items": {"type": "number", "exclusiveMinimum": 0}})
]
Corners = Annotated[list[Number], Field(min_length=4, max_length=4), AfterValidator(_corners)]
Capsule = Annotated[list[Number], Field(min_length=2, max_length=2), AfterValidator(_capsule)]
Points = Annotated[list[Pair], Field(json_schema_extra={"minItems": 3, "maxItems": MOST_CORNERS})]
Cell = Annotated[int, Field(ge=0, le=1 << 16)]
Cells = Annotated[tuple[tuple[int, int], ...], BeforeValidator(windows, json_schema_input_type=CELLS_INPUT)]
WindowTable = dict[str, Cells]
Frames = Annotated[Duration, BeforeValidator(_duration, json_schema_input_type=DURATION_INPUT), PlainSerializer(str)]
RehitRule = Annotated[
    Rehit | Duration, BeforeValidator(_rehit, json_schema_input_type=Literal[REHIT_WORDS] | DURATION_INPUT)
]
Names = list[str]


Whole = Annotated[int, Field(ge=0, le=1 << 31)]


def _at_least_a_frame(value: Any) -> Any:
    found = _duration(value)
    # Durations of 0 do nothing here: they are most likely a mistake.
    if found.amount == 0:
        raise ValueError("a duration of a frame or more")
    return LastingDuration(found.amount, found.seconds)


def _charge(value: Any) -> tuple[Duration, Duration | None]:
    """`30f-59f`, or without an end `30f-`."""
    expected = 'how long the button is down: "30f-59f", or "30f-" without an upper end'
    least, mark, most = value.partition("-") if isinstance(value, str) else ("", "", "")
    if not mark:
        raise ValueError(expected)
    try:
        first, last = Duration.parse(least.strip()), Duration.parse(most.strip()) if most.strip() else None
    except ValueError:
        raise ValueError(expected) from None
    # Frames and seconds can be compared only at a rate, and the rulebook has none.
    if last is not None and first.seconds == last.seconds and last.amount < first.amount:
        raise ValueError(f"{expected}, ending no earlier than it begins")
    return first, last


Charge = Annotated[
    tuple[Duration, Duration | None],
    BeforeValidator(_charge, json_schema_input_type=CHARGE_INPUT),
    PlainSerializer(str),
]


def _facing(value: int) -> int:
    if value not in (1, -1):
        raise ValueError("1 or -1")
    return value


Facing = Annotated[int, AfterValidator(_facing), Field(json_schema_extra={"enum": [1, -1]})]
ZeroUp = Annotated[float, Field(ge=0, le=LIMIT, allow_inf_nan=False)]
Lasting = Annotated[
    LastingDuration, BeforeValidator(_at_least_a_frame, json_schema_input_type=LASTING_INPUT), PlainSerializer(str)
]
