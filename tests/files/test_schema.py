"""The JSON Schema of rulebooks refuses what the tool refuses, as far as a schema can see it, and nothing else."""

from __future__ import annotations

import copy
import json
import re
import tomllib
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.files.test_every_key import TEXT
from tests.worlds import rulebook
from voskar import demo
from voskar.errors import InputError
from voskar.files.schemas import schema_text

WRONG: list[Any] = [
    "x", "", -1, 0, 1e99, 0.5, True, [], {}, [1], [3, 2, 1], "5-2", "-3f", "0f", "9q", ["a", "a"], [9, 9, 0, 0],
    {"x": 1}, None,
]  # fmt: skip
"""None stands for a key that is left out."""
OF_THESE = 29
"""One in so many of all mutations is tried."""

TOOL_ONLY = re.compile(
    "unknown (layer|kind|tag|attack|counter|clip)|which kind it is like|there is no file|found a directory"  # names
    "|turns back on itself|span an area|z0 below z1|no earlier than it begins|needs `.space. bounds`"  # two values
    "|found a start of|no less than its min"  # of a counter
    "|`charge` goes with|begins with `voskar"  # what is included has no version
)
"""What only the tool can see: names across tables, and how two values go together."""


@cache
def validator() -> Any:
    return jsonschema.Draft202012Validator(json.loads(schema_text("rulebook")))


def paths(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The way to every value of a tree."""
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*path, key)
        yield from paths(inner, (*path, key))


def mutated(whole: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    """Rulebooks with one value changed, and what was changed."""
    for number, (path, wrong) in enumerate((path, wrong) for path in paths(whole) for wrong in WRONG):
        if number % OF_THESE == 0:
            data = copy.deepcopy(whole)
            table = data
            for key in path[:-1]:
                table = table[key]
            if wrong is None:
                del table[path[-1]]
            else:
                table[path[-1]] = wrong
            yield f"{'.'.join(map(str, path))} = {wrong!r}", data


def told(data: dict[str, Any]) -> str | None:
    """Why the tool refuses a rulebook."""
    data = {key: value for key, value in data.items() if key != "voskar"}
    try:
        rulebook(data)
    except InputError as error:
        return str(error)
    return None


def test_schema_and_tool_refuse_the_same() -> None:
    count, unseen, alarms = 0, [], []
    for what, data in mutated(tomllib.loads(TEXT)):
        refused, valid = told(data), validator().is_valid(data)
        count += 1
        if refused is not None and valid and not TOOL_ONLY.search(refused):
            unseen.append((what, refused))
        if refused is None and not valid and not what.startswith("voskar"):
            alarms.append(what)
    assert count > 300
    assert (unseen, alarms) == ([], [])


@pytest.mark.parametrize("path", sorted(Path(demo.__file__).parent.rglob("*.toml")), ids=lambda path: path.name)
def test_rulebooks_of_the_demo_are_valid(path: Path) -> None:
    data = tomllib.loads(path.read_text())
    if "kinds" in data:
        assert [error.message for error in validator().iter_errors(data)] == []


LIKE = """
[kinds.keeper.boxes.body]
role = "hurtbox"
rect = [4, 4]
[kinds.young]
like = "keeper"
boxes.body.at = [1, 2]
[actors.young-2]
like = "young"
iframes = "5f"
"""


def test_a_kind_that_is_like_another_names_only_what_it_changes() -> None:
    data = tomllib.loads(LIKE)
    assert told(data) is None
    assert [error.message for error in validator().iter_errors({"voskar": 2, **data})] == []
    del data["kinds"]["young"]["like"]
    assert not validator().is_valid({"voskar": 2, **data})
