"""Every single value of a rulebook, written or by default, with what it may be: what can be varied one by one."""

from __future__ import annotations

import json
import typing
from collections.abc import Iterator, Mapping, Sequence
from fractions import Fraction
from functools import cache
from typing import Any, Literal

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from voskar.core.asking import ANY_CELL
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.rules import Duration, Rehit, Rules
from voskar.errors import InputError
from voskar.explaining.leaf import Leaf
from voskar.files.keypaths import KeyPath, dotted
from voskar.files.likes import has_likes
from voskar.files.own_rules import AT, KEPT, KEPT_OF_BOXES
from voskar.files.rulebook import Rulebook
from voskar.files.values import REHIT_WORDS
from voskar.files.vary import Change, changed, current_value

WORDS = {
    "aim": ("facing", "input"),
    "direction": ("away", "flat", "facing", "travel"),
}
"""Words that a key may have in place of a number."""
PLACES = ("start", "here", "checkpoint")
LAYERS = ("layer", "mask")
KINDS = ("spawn", "kind", "target", "clear")
SKIPPED = (
    "include",
    "boxes_from",
    "voskar",
    "id",
    "pixels",
    "needs",
    "press",
    "release",
    "hold",
    "keeps",
    "polygon",
    "names",
    "like",
    "limit_group",
    "actors",
)
"""Keys that are not varied: names of files or of the log, and keys that are no rule. Keys of one actor are varied with
the kind that this makes."""


NEEDED = {
    "iframes_mode": "iframes",
    "stun_mode": "stun",
    "hitstop_on": "hitstop",
    "max_lives": "lives",
    "pad": "logged",
}
"""Keys that say nothing without another one of their table."""


class RulebookVariants:
    """A rulebook with values that change one by one. `leaves` are all of them, in the order of the schema."""

    def __init__(self, book: Rulebook, rate: Fraction) -> None:
        self.book, self.rate = book, rate
        self._own = book.rules(rate)
        self.leaves = tuple(_Walk(book, rate).table(book.data, ()))
        self._sorts = {leaf.path: leaf.sort for leaf in self.leaves}

    def said(self) -> tuple[Leaf, ...]:
        """The values that the rulebook itself says."""
        # Most values are defaults, which are not in the file.
        return tuple(leaf for leaf in self.leaves if current_value(self.book, leaf.path) is not None)

    def place(self, path: KeyPath) -> tuple[str, int | None]:
        """File and line of a key, else of the nearest table above it."""
        return self.book.source.place(path)

    def rules(self, changes: Mapping[KeyPath, Any]) -> Rules | None:
        """The rules with some values changed, None where they are no rules."""
        if not changes:
            return self._own
        made = self.changed(changes)
        if made is None:
            return None
        # `like` and actors' own rules copy tables, so a change may reach other kinds.
        alone = not has_likes(self.book.source.raw) and not self.book.data.actors
        if alone and all(path[0] in ("kinds", "attacks") for path in changes):  # everything else is compiled already
            tables = {path[:2] for path in changes}
            return made.some_rules(self._own, {str(name) for _, name in tables})
        return made.rules(self.rate)

    def changed(self, changes: Mapping[KeyPath, Any]) -> Rulebook | None:
        """The same as a rulebook."""
        entries = [Change(dotted(path), path, self.written(path, value)) for path, value in changes.items()]
        try:
            return changed(self.book, entries)
        except InputError:
            return None

    def written(self, path: KeyPath, value: Any) -> str:
        """A value as the file has it."""
        frames = self._sorts.get(path) in ("frames", "rehit") and isinstance(value, int)
        return json.dumps(f"{value}f" if frames else value)


class _Walk:
    def __init__(self, book: Rulebook, rate: Fraction) -> None:
        data, self.rate = book.data, rate
        self.book = book
        self.sides = tuple(dict.fromkeys(kind.side for kind in data.kinds.values() if kind.side is not None))
        self.kinds, self.attacks, self.layers = tuple(data.kinds), tuple(data.attacks), tuple(data.layers.names)

    def table(self, table: BaseModel, path: KeyPath) -> Iterator[Leaf]:
        """The values of a table and of those within it."""
        for name, field in type(table).model_fields.items():
            key = field.alias or name
            placed = key in ("at", "turn", "grow") and getattr(table, "logged", False)  # where the game says it is
            if key not in SKIPPED and not placed and not self.is_idle(table, key) and not _is_kept(path, key):
                yield from self.value(getattr(table, name), (*path, key), field)

    def is_idle(self, table: BaseModel, key: str) -> bool:
        """Whether a key only says how another key is meant that is not there."""
        needed = NEEDED.get(key)
        return needed is not None and not self.frames(getattr(table, needed))

    def value(self, value: Any, path: KeyPath, field: FieldInfo) -> Iterator[Leaf]:
        key = str(path[-1])
        if isinstance(value, BaseModel):
            if key == "launch" and not isinstance(current_value(self.book, path), dict):
                yield Leaf(path, "number", value.up)  # type: ignore[attr-defined]
            else:
                yield from self.table(value, path)
        elif isinstance(value, dict):
            for name, inner in value.items():
                # A tuple of tuples is cells, and the range of all cells has no end to move.
                if isinstance(inner, tuple) and inner and isinstance(inner[0], tuple):
                    if inner[0][1] < ANY_CELL:
                        yield Leaf((*path, name), "cells", _ranges(inner))
                elif isinstance(inner, float):
                    yield Leaf((*path, name), "number", inner)
                elif isinstance(inner, BaseModel | list):
                    # Kinds made for one actor are written in its own table.
                    _, of_actor, actor = str(name).partition(AT)
                    own = ("actors", actor) if path == ("kinds",) and of_actor else (*path, name)
                    yield from self.value(inner, own, field)
        elif isinstance(value, list) and value and isinstance(value[0], BaseModel):
            if path[0] == "actors" and current_value(self.book, path) is None:
                return  # a list is taken over whole
            for place, inner in enumerate(value):
                yield from self.table(inner, (*path, place))
        elif isinstance(value, tuple) and value and isinstance(value[0], tuple):
            yield Leaf(path, "cells", _ranges(value))
        else:
            leaf = self.leaf(value, path, key, field)
            if leaf is not None:
                yield leaf

    def leaf(self, value: Any, path: KeyPath, key: str, field: FieldInfo) -> Leaf | None:
        types, words, least = _types(field)
        if key in LAYERS:
            return Leaf(path, "names", value, self.layers)
        is_table = any(isinstance(kind_type, type) and issubclass(kind_type, BaseModel) for kind_type in types)
        if (is_table and value is None) or isinstance(value, tuple):
            return None
        if key in KINDS and (value is None or isinstance(value, str)):
            return Leaf(path, "name", value, self.kinds)
        if key == "side":
            return Leaf(path, "name", value, self.sides)
        if key == "attack":
            return Leaf(path, "name", value, self.attacks)
        if Rehit in types:
            return Leaf(path, "rehit", self.frames(value), REHIT_WORDS, 0)
        if Duration in types:
            return Leaf(path, "frames", self.frames(value), least=1 if _lasts(types) else 0)
        if bool in types:
            return Leaf(path, "switch", value)
        if key in WORDS and not isinstance(value, BaseModel):
            return Leaf(path, "number" if isinstance(value, float) else "options", value, WORDS[key])
        if key == "at" and path[-2] == "respawn":
            return Leaf(path, "numbers" if isinstance(value, list) else "options", value, PLACES)
        if key == "consumed_by":
            return Leaf(path, "several", value, OUTCOMES)
        if words and isinstance(value, list):
            return Leaf(path, "several", value, words)
        if words:
            return Leaf(path, "options", value, words)
        if isinstance(value, list) and value and all(isinstance(item, float | int) for item in value):
            return Leaf(path, "numbers", value)
        if value is None and (list in types or dict in types):
            return None
        if float in types or int in types:
            return Leaf(path, "number" if float in types else "whole", value, least=least)
        return None

    def frames(self, value: Any) -> Any:
        """A duration in frames."""
        if isinstance(value, Rehit):
            return str(value)
        return value.frames(self.rate) if isinstance(value, Duration) else value


def _is_kept(path: KeyPath, key: str) -> bool:
    """Whether a key is not an actor's own to say."""
    return path[:1] == ("actors",) and key in (KEPT if len(path) == 2 else KEPT_OF_BOXES if path[2] == "boxes" else ())


def _ranges(cells: Sequence[tuple[int, int]]) -> str:
    return ",".join(f"{first}-{last}" if last > first else str(first) for first, last in cells)


def _lasts(types: frozenset[type]) -> bool:
    return any(issubclass(kind_type, Duration) and kind_type is not Duration for kind_type in types)


def _types(field: FieldInfo) -> tuple[frozenset[type], tuple[str, ...], float | None]:
    """The plain types that a field may have, the words, and the least number."""
    least = next((item.ge for item in field.metadata if getattr(item, "ge", None) is not None), None)
    types, words = _plain(typing.cast("typing.Hashable", field.annotation))
    return types, words, least


@cache
def _plain(annotation: Any) -> tuple[frozenset[type], tuple[str, ...]]:
    if typing.get_origin(annotation) is Literal:
        return frozenset(), tuple(argument for argument in typing.get_args(annotation) if isinstance(argument, str))
    if isinstance(annotation, type) and not typing.get_args(annotation):
        base: set[type] = {Duration} if issubclass(annotation, Duration) else set()
        return frozenset({annotation, *base}), ()
    origin = typing.get_origin(annotation)
    types: frozenset[type] = frozenset({origin} if isinstance(origin, type) else ())
    words: tuple[str, ...] = ()
    for inner in typing.get_args(annotation):
        if isinstance(inner, type) or typing.get_args(inner):
            items, said = _plain(inner)
            types, words = types | items, words + said
    return types, words
