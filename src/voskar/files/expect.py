"""Reads and proposes expectations: TOML with one statement a table."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, ValidationError

from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import COLUMNS, Ledger, written
from voskar.core.ledger.event import NUMBERS
from voskar.core.ledger.events import EVENT_TYPES
from voskar.core.views.timeline import Timeline
from voskar.errors import InputError, nearest
from voskar.evidence.expectations import Range, State, Statement, Wanted
from voskar.files.rulebook_checks import FoundProblem, schema_problems
from voskar.files.toml_sources import Source, read_source
from voskar.files.values import VERSION, Table, Version

EXPECTED = (*EVENT_TYPES, *OUTCOMES)
"""Names that may be expected: an event of the ledger, or a contact by its outcome."""
FILTERS = tuple(name for name in COLUMNS if name not in ("frame", "event", "outcome"))


HIGHEST = 1e15
"""Beyond it floats skip whole numbers."""


def _range(value: Any) -> Range:
    expected = 'a number, or a range such as "2-5", "2-" or "-5"'
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError(expected)
    if not isinstance(value, str) and not abs(value) <= HIGHEST:  # an int may be too large for a float
        raise ValueError(expected)
    if isinstance(value, str):
        try:
            return Range.parse(value)
        except ValueError:
            raise ValueError(expected) from None
    return Range(float(value), float(value))


Numbers = Annotated[Range, BeforeValidator(_range, json_schema_input_type=str | float)]


class ExpectTable(Table):
    """`[[expect]]`; columns of the ledger stand besides these keys."""

    event: str
    say: str = ""
    frames: Numbers | None = None
    count: Numbers | None = None
    never: bool = False
    at: list[Annotated[int, Field(ge=0)]] | None = None
    then: list[dict[str, Any]] = Field(default_factory=list)


class StateTable(Table):
    """`[[state]]`"""

    id: str
    frame: Annotated[int, Field(ge=0)]
    say: str = ""
    health: Numbers | None = None
    lives: Numbers | None = None
    x: Numbers | None = None
    y: Numbers | None = None


class ExpectFile(Table):
    """A whole file of expectations."""

    voskar: Version
    expect: list[ExpectTable] = Field(default_factory=list)
    state: list[StateTable] = Field(default_factory=list)


def load_expectations(path: str | Path) -> list[Statement | State]:
    """The statements of a file, in order. Raises InputError with every problem found."""
    source = read_source(path)
    raw = json.loads(json.dumps(source.raw, default=str))
    found: list[FoundProblem] = []
    wanted: dict[int, Wanted] = {}
    thens: dict[int, tuple[Wanted, ...]] = {}
    tables = raw.get("expect", [])
    for index, table in enumerate(tables if isinstance(tables, list) else ()):
        if isinstance(table, dict):
            where: tuple[str | int, ...] = ("expect", index)
            wanted[index] = _wanted(table, where, found)
            later = table.get("then", [])
            entries = [fields for fields in later if isinstance(fields, dict)] if isinstance(later, list) else []
            thens[index] = tuple(_wanted(dict(fields), (*where, "then", k), found) for k, fields in enumerate(entries))
            modes = [key for key in ("count", "never", "at", "then") if table.get(key)]
            if len(modes) > 1:
                found.append((where, f"found {' and '.join(modes)}, expected one of count, never, at, then", None))
    data: ExpectFile | None = None
    try:
        data = ExpectFile.model_validate(raw)
    except ValidationError as error:
        found += schema_problems(error, ExpectFile)
    if found or data is None:
        problems = {source.problem(*entry) for entry in found}
        raise InputError(sorted(problems, key=lambda problem: (problem.line or 0, problem.key or "", problem.message)))
    result: list[Statement | State] = []
    for index, expect_table in enumerate(data.expect):
        count = Range(0, 0) if expect_table.never else expect_table.count
        at = None if expect_table.at is None else tuple(expect_table.at)
        line = _line(source, ("expect", index))
        frames = expect_table.frames or Range()
        result.append(Statement(wanted[index], line, expect_table.say, str(path), frames, count, at, thens[index]))
    for index, state in enumerate(data.state):
        line = _line(source, ("state", index))
        result.append(
            State(state.id, state.frame, line, state.say, str(path), state.health, state.lives, state.x, state.y)
        )
    return result


def _line(source: Source, where: tuple[str | int, ...]) -> int | None:
    return source.problem(where, "").line


def _wanted(table: dict[str, Any], where: tuple[str | int, ...], found: list[FoundProblem]) -> Wanted:
    """Takes the columns out of a table, and notes their mistakes."""
    event = table.get("event")
    if isinstance(event, str) and event not in EXPECTED:
        found.append(((*where, "event"), f'unknown event "{event}"', nearest(event, EXPECTED)))
    elif where[-2] == "then" and event is None:
        found.append((where, 'the key "event" is missing', None))
    columns: dict[str, str | Range] = {}
    known = (*FILTERS, "frame") if where[-2] == "then" else FILTERS
    for name in [name for name in table if name in known]:
        value = table.pop(name)
        number = name in NUMBERS
        try:
            columns[name] = _range(value) if number else str(value)
        except ValueError as error:
            found.append(((*where, name), f"found {value!r}, expected {error}", None))
    if where[-2] == "then":
        for name in sorted(set(table) - {"event"}):
            found.append(((*where, name), f'unknown key "{name}"', nearest(name, known)))
    return Wanted(str(event), columns)


"""Columns that hold numbers."""


def propose(ledger: Ledger, course: Timeline) -> str:
    """A first file of expectations from a ledger, to be edited: hits, deaths, returns, ends, and the last state.

    Ids of shots are left out: they come from a pool or a counter, and may be others in the next recording.
    """
    lines = [
        "# Proposed from a replay: delete what does not matter, and correct what is wrong.",
        f"voskar = {VERSION}",
    ]
    shots = {name for name, timeline in course.courses.items() if timeline.actor.owner is not None}
    ends = "attacker", "target"
    open_ends = {(hit.attack, end) for hit in ledger.hits() for end in ends if getattr(hit, end) in shots}
    hits: dict[tuple[tuple[str, str], ...], list[int]] = {}
    for hit in ledger.hits():
        named = [(end, getattr(hit, end)) for end in ends if (hit.attack, end) not in open_ends]
        hits.setdefault((*named, ("attack", hit.attack)), []).append(hit.frame)
    for wanted, frames in hits.items():
        lines += ["", "[[expect]]", 'event = "landed"', *(f"{name} = {json.dumps(value)}" for name, value in wanted)]
        lines.append(f"at = {sorted(frames)}")
    for name in ("down", "respawn", "out", "over", "won"):
        actors: dict[str | None, list[int]] = {}
        for event in ledger.of(name):
            actors.setdefault(event.id, []).append(event.frame)
        for actor, frames in actors.items():
            who = [f"id = {json.dumps(actor)}"] if actor else []
            lines += ["", "[[expect]]", f"event = {json.dumps(name)}", *who, f"at = {frames}"]
    for name, entry in course.courses.items():
        health, lives = entry.health.now(course.last), entry.lives.now(course.last)
        if health is not None and (entry.taken or entry.lives.values) and name not in shots:
            lines += ["", "[[state]]", f"id = {json.dumps(name)}", f"frame = {course.last}"]
            lines.append(f"health = {written(float(health))}")
            lines += [f"lives = {written(float(lives))}"] if lives is not None else []
    return "\n".join(lines) + "\n"
