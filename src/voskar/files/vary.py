"""Reads the values to vary, `KEYPATH=VALUES`, and writes them into a rulebook."""

from __future__ import annotations

import copy
import re
import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from voskar.errors import InputError, Problem, nearest
from voskar.files.keypaths import KeyPath
from voskar.files.own_rules import AT
from voskar.files.rulebook import Rulebook, check_source

LAG = "claims.lag"
"""The one key that is not the rulebook's: how many frames late the game logs its claims."""

MOST = 4096
"""Most values on one axis, and most variants of a grid."""

NAMED = {"kinds": "kind", "attacks": "attack", "clips": "clip", "boxes": "box", "emitters": "emitter"}
"""Tables with names of the rulebook as keys: a variant may not make up new ones."""

_STEP = re.compile(r"([^.\[\]]+)|\[(\d+)\]", re.ASCII)
_SPAN = re.compile(r"(-?\d+(?:\.\d+)?)(f|ms|s)?\.\.(-?\d+(?:\.\d+)?)(f|ms|s)?(?:/(\d+(?:\.\d+)?))?", re.ASCII)


@dataclass(frozen=True)
class Axis:
    """A key and the values it takes, as they were written; or several that take the same ones together."""

    keys: tuple[tuple[str, KeyPath], ...]
    values: tuple[str, ...]
    option: str = "--vary"
    """By which it was asked for, as errors call it."""

    @property
    def key(self) -> str:
        """The name of the axis."""
        return " + ".join(key for key, _ in self.keys)


@dataclass(frozen=True)
class Change:
    """One value for one key."""

    key: str
    path: KeyPath
    value: str
    option: str = "--vary"

    @property
    def as_asked(self) -> str:
        """As it was asked for."""
        return f"{self.option} {self.key}={self.value}"


def parse_axis(words: str, option: str = "--vary") -> Axis:
    """`kinds.keeper.iframes=30f,45f,60f` or `…=30f..60f`, in steps of 1 or of what follows a slash: `30f..60f/5`.
    Keys with a `+` between them take the same value together. Raises InputError.
    """
    text = f"{option} {words}"
    named, equals, listed = words.partition("=")
    if not equals or not named.strip() or not listed.strip():
        raise _wrong(text, "expected KEYPATH=VALUES, such as kinds.keeper.iframes=30f,45f,60f")
    keys = tuple((key.strip(), _path(text, key.strip())) for key in named.split("+"))
    values = [value for piece in _pieces(listed) for value in _values(text, piece)]
    if LAG in dict(keys) and (len(keys) > 1 or not all(re.fullmatch(r"-?\d+", value) for value in values)):
        raise _wrong(text, f"found {named.strip()}={listed}, expected whole numbers of frames for {LAG} alone")
    if len(values) > MOST:
        raise _wrong(text, f"found {len(values)} values, expected at most {MOST}")
    return Axis(keys, tuple(dict.fromkeys(values)), option)


_SIZE = re.compile(r"(-?\d+(?:\.\d+)?)(f|ms|s)?", re.ASCII)


def including(axis: Axis, own: Any) -> Axis:
    """An axis that has the rulebook's own value among those that are tried, where it belongs by its size."""
    if own is None or isinstance(own, bool | list | dict) or any(own in (meant(value), value) for value in axis.values):
        return axis
    matches = [_SIZE.fullmatch(name) for name in (str(own), *axis.values)]
    sizes = [(entry[2], Decimal(entry[1])) for entry in matches if entry is not None]
    if len(sizes) < len(matches) or len({unit for unit, _ in sizes}) > 1:
        return replace(axis, values=(str(own), *axis.values))
    place = sum(size < sizes[0][1] for _, size in sizes[1:])
    return replace(axis, values=(*axis.values[:place], str(own), *axis.values[place:]))


def _path(text: str, key: str) -> KeyPath:
    path: list[str | int] = []
    for piece in key.split("."):
        steps = _STEP.findall(piece)
        if not steps or "".join(name or f"[{index}]" for name, index in steps) != piece or not steps[0][0]:
            raise _wrong(text, f'found "{key}", expected a path of keys such as attacks.sting.damage or a.b.rect[0]')
        path += [name or int(index) for name, index in steps]
    return tuple(path)


def _wrong(text: str, message: str, hint: str | None = None) -> InputError:
    return InputError(Problem(message, key=text, hint=hint))


def _pieces(listed: str) -> list[str]:
    """Split at commas that stand in no brackets or quotes."""
    pieces, depth, quoted = [""], 0, ""
    for name in listed:
        if quoted:
            quoted = "" if name == quoted else quoted
        elif name in "\"'":
            quoted = name
        depth += (name in "[{") - (name in "]}")
        if name == "," and depth == 0 and not quoted:
            pieces.append("")
        else:
            pieces[-1] += name
    return [piece.strip() for piece in pieces]


def _values(text: str, piece: str) -> list[str]:
    if not piece:
        raise _wrong(text, "found an empty value between two commas")
    span = _SPAN.fullmatch(piece)
    if span is None:
        return [piece]
    low, high, step = Decimal(span[1]), Decimal(span[3]), Decimal(span[5] or 1)
    unit = span[4] or span[2] or ""
    if (span[2] or unit) != unit or high < low or step == 0:
        raise _wrong(text, f'found "{piece}", expected a range that rises, in one unit')
    if (high - low) / step > MOST:
        raise _wrong(text, f'"{piece}" has more than {MOST} values')
    return [f"{low + step * index}{unit}" for index in range(int((high - low) / step) + 1)]


def meant(text: str) -> Any:
    """The value of a text: TOML if it is any, else a text, so that `30f` and `once` need no quotes."""
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        return text


def changed(book: Rulebook, changes: Sequence[Change]) -> Rulebook:
    """The rulebook with some values changed, checked as a whole. Raises InputError that names the change."""
    source = book.source
    raw = dict(source.raw)
    own = {id(raw)}
    """Tables and lists that are copies already: only what leads to a change is copied."""
    for change in changes:
        text = change.as_asked
        at: Any = raw
        for depth, step in enumerate(change.path):
            _known(book, at, change.path[:depth], step, text)
            if depth == len(change.path) - 1:
                at[step] = meant(change.value)
                break
            if isinstance(at, dict) and step not in at:
                is_list = isinstance(change.path[depth + 1], int)
                at[step] = _default(book, change.path[: depth + 1]) if is_list else {}
            if id(at[step]) not in own and isinstance(at[step], dict | list):
                at[step] = copy.copy(at[step])
                own.add(id(at[step]))
            at = at[step]
    logged_column = {change.path: change.as_asked for change in changes}
    return check_source(replace(source, raw=raw, changes=logged_column))


def current_value(book: Rulebook, path: KeyPath) -> Any:
    """The value of a key as the rulebook has it; None if it has none."""
    at: Any = book.source.raw
    for step in path:
        try:
            at = at[step]
        except (KeyError, IndexError, TypeError):
            return None
    return at


def _default(book: Rulebook, path: KeyPath) -> Any:
    """The default of a key that the rulebook leaves out: a list of numbers, to vary one of them."""
    at: Any = book.data
    for step in path:
        at = at.get(step) if isinstance(at, dict) else getattr(at, str(step), None)
    return list(at) if isinstance(at, list | tuple) else at


def _is_taken_over(book: Rulebook, above: KeyPath, name: str) -> bool:
    """Whether an actor with rules of its own takes a named table over from its kind."""
    if above[0] != "actors" or len(above) != 3:
        return False
    kind = book.data.kinds[f"{book.data.actors[str(above[1])].like}{AT}{above[1]}"]
    return name in getattr(kind, str(above[2]))


def _known(book: Rulebook, at: Any, above: KeyPath, step: str | int, text: str) -> None:
    """Raises InputError where a step leads nowhere."""
    if isinstance(step, int):
        if not isinstance(at, list) or step >= len(at):
            found = f"a list of {len(at)}" if isinstance(at, list) else "not a list of the rulebook"
            raise _wrong(text, f"found {found}, expected one with a place [{step}]")
    elif not isinstance(at, dict):
        hint = (
            f"places of a list are written as {above[-1]}[{step}]" if isinstance(at, list) and step.isdigit() else None
        )
        raise _wrong(text, f'found a {"list" if hint else "value"}, expected a table with "{step}"', hint)
    elif (
        above
        and above[-1] in NAMED
        and len(above) in (1, 3)
        and step not in at
        and not _is_taken_over(book, above, step)
    ):
        raise _wrong(text, f'the rulebook has no {NAMED[str(above[-1])]} "{step}"', nearest(step, at))
