"""Makes the core's structs from checked tables: what has the same key in both is copied here, once for all of them."""

from __future__ import annotations

import typing
from collections.abc import Iterator
from fractions import Fraction
from functools import cache
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import fields
from pydantic import BaseModel

from voskar.core.rules import Duration

S = TypeVar("S", bound=Struct)


def compiled(struct: type[S], table: BaseModel, rate: Fraction, **values: Any) -> S:
    """A struct with the values of the table's keys of the same names, and with the fields `values` as they are.

    Durations become frames at `rate` frames a second, lists tuples or sets, tables the structs that their fields name.
    A field that the table does not have keeps its default.
    """
    hints = _hints(struct)
    own = (name for name in type(table).model_fields if name in hints and name not in values)
    return struct(**{name: _value(getattr(table, name), hints[name], rate) for name in own}, **values)


@cache
def _hints(struct: type[Struct]) -> dict[str, Any]:
    hints = typing.get_type_hints(struct)
    return {field.name: hints[field.name] for field in fields(struct)}


def _value(value: Any, hint: Any, rate: Fraction) -> Any:
    match value:
        case Duration():
            return value.frames(rate)
        case BaseModel():
            return compiled(next(_structs(hint)), value, rate)
        case dict():
            return {name: _value(inner, hint, rate) for name, inner in value.items()}
        case list():
            parts = (_value(inner, hint, rate) for inner in value)
            return frozenset(parts) if _has(hint, frozenset) else tuple(parts)
        case float() if _has(hint, Fraction):
            return Fraction(repr(value))
    return value


def _structs(hint: Any) -> Iterator[type[Struct]]:
    """The structs inside S, S | None, tuple[S, ...] and Mapping[str, S]."""
    if isinstance(hint, type) and issubclass(hint, Struct):
        yield hint
    for inner in typing.get_args(hint):
        yield from _structs(inner)


def _has(hint: Any, wanted: type) -> bool:
    return wanted in (hint, typing.get_origin(hint)) or any(_has(inner, wanted) for inner in typing.get_args(hint))
