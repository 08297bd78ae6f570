"""A TOML file and all it includes as one table that knows the file and line of every key."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from voskar.errors import InputError, Problem
from voskar.files.keypaths import KeyPath, dotted
from voskar.files.reading import read_text
from voskar.files.shapes import SHAPES
from voskar.files.toml_lines import key_lines

ADDED_UP: tuple[KeyPath, ...] = (("fixtures",), ("space", "solids"))
"""Lists that an including file adds to; every other list and value replaces the included one."""

MOST_INCLUDED = 256
"""Files that one file may include, and they in turn."""


@dataclass
class Source:
    """The merged table, and where each of its keys is."""

    name: str
    raw: dict[str, Any]
    places: dict[KeyPath, tuple[str, int]] = field(default_factory=dict)
    root: Path | None = None
    changes: Mapping[KeyPath, str] = field(default_factory=dict)
    """Values that have replaced keys since they were read, as errors should print them."""

    def place(self, where: KeyPath) -> tuple[str, int | None]:
        """File and line of a key, else of the nearest table above it."""
        for depth in range(len(where), 0, -1):
            if where[:depth] in self.places:
                return self.places[where[:depth]]
        return self.name, None

    def problem(self, where: KeyPath, message: str, hint: str | None = None) -> Problem:
        """A problem at a key."""
        file, line = self.place(where)
        for path, item in self.changes.items():
            if where[: len(path)] == path:
                file, line = item, None
        return Problem(message, file=file, line=line, key=dotted(where), hint=hint)

    def path_of(self, where: KeyPath, name: str) -> Path:
        """The file that a key names, seen from the file that key stands in.

        Raises ValueError if it lies outside the folder of the file that names it.
        """
        if self.root is None:
            raise ValueError("this rulebook has no folder")
        return inside(self.root, Path(self.place(where)[0]).parent / name)


def inside(root: Path, path: Path) -> Path:
    """A path if it lies in a folder or below, links followed. Raises ValueError if not."""
    if not path.resolve().is_relative_to(root.resolve()):
        raise ValueError(f"{path.name} lies outside the folder of the file that names it")
    return path


def read_source(path: str | Path) -> Source:
    """Reads a file and what it includes, each file once. Raises InputError for what cannot be read, for includes in a
    ring, and for more than MOST_INCLUDED."""
    return _read(Path(path), Path(path).parent)


LONGEST = 4 << 20
"""Characters of a TOML file: a hundred times what a large rulebook has. Each value takes hundreds of bytes more."""


def parse_source(text: str, name: str) -> Source:
    """One file's text. Raises InputError if it is not TOML, or too long."""
    if len(text) > LONGEST:
        message = f"found {len(text) / (1 << 20):.1f} MiB of TOML, expected at most {LONGEST >> 20} MiB"
        raise InputError(Problem(message, file=name))
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise InputError(_syntax(name, error, text)) from None
    except RecursionError:
        raise InputError(Problem("nested too deeply", file=name)) from None
    except ValueError:  # Python refuses a number of thousands of digits
        raise InputError(Problem("a number of too many digits", file=name)) from None
    return Source(name, raw, {path: (name, line) for path, line in key_lines(text).items()})


class _Included:
    """The files that a file includes, and those that they include, each read once."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.sources: dict[Path, Source] = {}
        self.includes: dict[Path, list[Path]] = {}

    def read(self, path: Path, chain: tuple[Path, ...]) -> Path:
        """Reads a file and what it includes, and returns what it is called here: links followed. `chain` are the files
        that lead to it. Raises InputError."""
        key = path.resolve()
        if key in self.sources:
            return key
        own = self.sources[key] = parse_source(read_text(path), str(path))
        own.root = self.root
        found: list[Path] = []
        includes = own.raw.get("include", [])
        for index, name in enumerate(includes if isinstance(includes, list) else ()):  # else the schema refuses it
            if not isinstance(name, str):
                continue
            where = ("include", index)
            try:
                target = inside(self.root, path.parent / name)
            except ValueError as error:
                raise InputError(own.problem(where, str(error))) from None
            if target.resolve() in (*chain, key):
                raise InputError(own.problem(where, f"{name} includes itself, through {path.name}"))
            if not target.is_file():
                raise InputError(own.problem(where, f"there is no file {name}"))
            if len(self.sources) > MOST_INCLUDED and target.resolve() not in self.sources:
                raise InputError(own.problem(where, f"found more than {MOST_INCLUDED} included files"))
            found.append(self.read(target, (*chain, key)))
        self.includes[key] = found
        return key

    def in_order(self, key: Path) -> list[Source]:
        """The sources to merge, one after the other: a file after those that it includes. A file that several include
        stands where it is included last: its keys again replace those that stood between."""
        order: dict[Path, None] = {}

        def visit(path: Path) -> None:
            if path not in order:
                order[path] = None
                for other in reversed(self.includes[path]):
                    visit(other)

        visit(key)
        return [self.sources[path] for path in reversed(order)]


def _read(path: Path, root: Path) -> Source:
    included = _Included(root)
    first, *sources = included.in_order(included.read(path, ()))
    if not sources:
        return first
    merged = Source(str(path), {}, {}, root)
    for source in (first, *sources):
        if source is not sources[-1]:
            source.raw.pop("include", None)
        _merge(merged, source)
    return merged


def _merge(onto: Source, source: Source) -> None:
    shifts = {path: len(found) for path in ADDED_UP if isinstance(found := _at(onto.raw, path), list)}
    onto.raw = merged(onto.raw, source.raw, ())
    for where, place in source.places.items():
        for path, shift in shifts.items():
            if where[: len(path)] == path and len(where) > len(path):
                index = where[len(path)]
                where = (*path, int(index) + shift, *where[len(path) + 1 :])
        onto.places[where] = place


def _at(raw: dict[str, Any], path: KeyPath) -> Any:
    value: Any = raw
    for step in path:
        value = value.get(step) if isinstance(value, dict) else None
    return value


def merged(below: Any, above: Any, path: KeyPath) -> Any:
    """Two tables as one: where both say something, the one above counts, and a shape stands in for another."""
    if isinstance(below, dict) and isinstance(above, dict):
        if len(path) == 4 and path[0] == "kinds" and path[2] == "boxes" and any(shape in above for shape in SHAPES):
            below = {key: value for key, value in below.items() if key not in SHAPES}  # one shape for another
        both = {key: merged(below[key], above[key], (*path, key)) for key in below if key in above}
        return {**below, **above, **both}
    if path in ADDED_UP and isinstance(below, list) and isinstance(above, list):
        return below + above
    return above


def _syntax(name: str, error: tomllib.TOMLDecodeError, text: str) -> Problem:
    message, _, place = str(error).rpartition(" (at ")
    last = text.rstrip().count("\n") + 1
    line = int(place.split(",")[0].removeprefix("line ")) if place.startswith("line ") else last
    return Problem(f"not valid TOML: {message.lower()}", file=name, line=line)
