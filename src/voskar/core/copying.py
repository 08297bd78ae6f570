"""Copies of a replay that is under way: what changes is copied, everything else is shared.

The standard `copy.deepcopy` follows every reference, so it copies the rules and the recording as well, and each number
costs a call. Here immutable values are recognised by their type.
"""

from __future__ import annotations

import copy
import dataclasses
from collections.abc import Callable, Collection, Iterable, Mapping
from fractions import Fraction
from functools import cache
from types import BuiltinFunctionType, FunctionType, MethodType, UnionType
from typing import Any, Literal, Union, get_args, get_origin, get_type_hints

import msgspec
import numpy as np

ATOMS: frozenset[type] = frozenset(
    (type(None), bool, int, float, str, bytes, complex, frozenset, range, Fraction, FunctionType, BuiltinFunctionType)
)
ARRAYS: frozenset[type] = frozenset((np.ndarray, memoryview))
"""Columns outside the kernel are never written once they are made; those of the kernel have their own `copy_from`."""


@cache
def is_immutable(kind: type) -> bool:
    """Whether values of a type never change, nor anything that they hold."""
    if kind in ATOMS or kind in ARRAYS or issubclass(kind, type):
        return True
    if issubclass(kind, tuple):
        return kind is not tuple  # a NamedTuple holds plain values here
    if issubclass(kind, msgspec.Struct):
        return kind.__struct_config__.frozen
    if dataclasses.is_dataclass(kind):
        return bool(kind.__dataclass_params__.frozen)  # type: ignore[attr-defined]
    return issubclass(kind, Mapping) and not issubclass(kind, dict)


@cache
def open_fields(kind: type[msgspec.Struct]) -> tuple[str, ...]:
    """The fields of a struct that may hold something that changes, by their annotations."""
    hints = get_type_hints(kind)
    return tuple(name for name in kind.__struct_fields__ if _may_change(hints[name]))


def _may_change(hint: Any) -> bool:
    whole = get_origin(hint) or hint
    if whole in (Union, UnionType, tuple):
        return any(_may_change(part) for part in get_args(hint) if part is not Ellipsis)
    return whole is not Literal and not (isinstance(whole, type) and is_immutable(whole))


class Copier:
    """Makes one copy of everything that it is asked for, however often and from wherever it is referred to.

    A class lists in `SHARED` the attributes that all copies share. A class that needs more has a method
    `copied(copier)`, which begins with `copier.empty(self)`; that of a struct, with `copier.shallow(self)`.
    """

    def __init__(self) -> None:
        self._made: dict[int, Any] = {}
        self._ways: dict[type, Callable[[Any], Any]] = {
            dict: self._dict,
            list: lambda value: [self(item) for item in value] if self._any_changes(value) else value.copy(),
            set: set.copy,
            tuple: lambda value: tuple(map(self, value)) if self._any_changes(value) else value,
            MethodType: lambda value: MethodType(value.__func__, self(value.__self__)),
        }

    def __call__(self, value: Any) -> Any:
        """The copy of a value; an immutable value itself."""
        kind: Any = type(value)
        if is_immutable(kind):
            return value
        way = self._ways.get(kind)
        if way is not None:
            return way(value)
        made = self._made.get(id(value))
        return self._object(value) if made is None else made

    def empty(self, value: Any) -> Any:
        """A new object of the same class without attributes, which stands for `value` from now on."""
        made = object.__new__(type(value))
        self._made[id(value)] = made
        return made

    def shallow(self, value: Any) -> Any:
        """A new struct with the same fields, which stands for `value` from now on."""
        made = self._made[id(value)] = copy.copy(value)
        return made

    def fill(self, made: Any, value: Any, leaving_out: Collection[str] = ()) -> None:
        """Gives a new object copies of another's attributes, and those that the two share.

        To look into an object's `__dict__` makes all its attributes slower from then on, so it is better to go on
        with the copy, whose attributes are set one by one.
        """
        shared = getattr(value, "SHARED", ())
        for name, old in vars(value).items():
            if name not in leaving_out:
                setattr(made, name, old if name in shared else self(old))

    @staticmethod
    def _any_changes(values: Iterable[Any]) -> bool:
        return not all(is_immutable(kind) for kind in set(map(type, values)))

    def _dict(self, value: dict[Any, Any]) -> dict[Any, Any]:
        if value and self._any_changes(value.values()):
            return {key: self(item) for key, item in value.items()}
        return value.copy()

    def _object(self, value: Any) -> Any:
        if hasattr(value, "copied"):
            made = value.copied(self)
        elif isinstance(value, msgspec.Struct):
            made = self.shallow(value)
            for name in open_fields(type(value)):
                setattr(made, name, self(getattr(value, name)))
        else:
            made = self.empty(value)
            self.fill(made, value)
        return made
