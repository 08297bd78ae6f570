"""Copies of a replay that is under way: what changes is copied, everything else is shared.

The standard `copy.deepcopy` follows every reference, so it copies the rules and the recording as well, and each number
costs a call. Here immutable values are recognised by their type.
"""

from __future__ import annotations

import copy
import dataclasses
from collections.abc import Callable, Mapping
from fractions import Fraction
from types import BuiltinFunctionType, FunctionType, MethodType
from typing import Any

import msgspec
import numpy as np

ATOMS: frozenset[type] = frozenset(
    (type(None), bool, int, float, str, bytes, complex, frozenset, range, Fraction, FunctionType, BuiltinFunctionType)
)
ARRAYS: frozenset[type] = frozenset((np.ndarray, memoryview))
"""Columns outside the kernel are never written once they are made; those of the kernel have their own `copy_from`."""


class Copier:
    """Makes one copy of everything that it is asked for, however often and from wherever it is referred to.

    A class lists in `SHARED` the attributes that all copies share. A class that needs more has a method
    `copied(copier)`, which begins with `copier.empty(self)`.
    """

    def __init__(self) -> None:
        self._made: dict[int, Any] = {}
        self._ways: dict[type, Callable[[Any], Any] | None] = {}

    def __call__(self, value: Any) -> Any:
        """The copy of a value; an immutable value itself."""
        way = self._way(type(value))
        return value if way is None else way(value)

    def empty(self, value: Any) -> Any:
        """A new object of the same class without attributes, which stands for `value` from now on."""
        made = object.__new__(type(value))
        self._made[id(value)] = made
        return made

    def attributes(self, value: Any) -> dict[str, Any]:
        """Copies of an object's attributes, and those that it shares."""
        shared = getattr(value, "SHARED", ())
        return {name: old if name in shared else self(old) for name, old in vars(value).items()}

    def _way(self, kind: type) -> Callable[[Any], Any] | None:
        """How values of a type are copied; None if they are immutable."""
        if kind not in self._ways:
            self._ways[kind] = self._choose(kind)
        return self._ways[kind]

    def _choose(self, kind: type) -> Callable[[Any], Any] | None:
        if kind in ATOMS or kind in ARRAYS or issubclass(kind, type) or kind.__module__ == "typing":
            return None
        if issubclass(kind, Mapping):
            return self._dict if issubclass(kind, dict) else None
        ways: dict[type, Callable[[Any], Any]] = {
            list: self._list,
            set: set.copy,
            tuple: self._tuple,
            MethodType: self._method,
        }
        if kind in ways:
            return ways[kind]
        if issubclass(kind, tuple):  # a NamedTuple holds plain values here
            return None
        if issubclass(kind, msgspec.Struct):
            return None if kind.__struct_config__.frozen else self._struct
        if dataclasses.is_dataclass(kind) and kind.__dataclass_params__.frozen:  # type: ignore[attr-defined]
            return None
        return self._object

    def _changes(self, values: Any) -> bool:
        """Whether any of some values needs a copy of its own."""
        return any(self._way(kind) is not None for kind in set(map(type, values)))

    def _dict(self, value: dict[Any, Any]) -> dict[Any, Any]:
        if not self._changes(value.values()):
            return value.copy()
        return {key: self(one) for key, one in value.items()}

    def _list(self, value: list[Any]) -> list[Any]:
        return [self(one) for one in value] if self._changes(value) else value.copy()

    def _tuple(self, value: tuple[Any, ...]) -> tuple[Any, ...]:
        return tuple(map(self, value)) if self._changes(value) else value

    def _method(self, value: MethodType) -> MethodType:
        return MethodType(value.__func__, self(value.__self__))

    def _struct(self, value: Any) -> Any:
        made = self._made.get(id(value))
        if made is None:
            made = self._made[id(value)] = copy.copy(value)
            for name in value.__struct_fields__:
                old = getattr(value, name)
                if self._way(type(old)) is not None:
                    setattr(made, name, self(old))
        return made

    def _object(self, value: Any) -> Any:
        made = self._made.get(id(value))
        if made is None:
            if hasattr(value, "copied"):
                made = value.copied(self)
            else:
                made = self.empty(value)
                vars(made).update(self.attributes(value))
        return made
