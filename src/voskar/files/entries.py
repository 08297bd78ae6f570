"""The claims, inputs and display of a recording, checked as columns: a long session has millions."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import fields
from functools import partial
from typing import Any

import numpy as np

from voskar.core.recording import Claim, DisplayLog, Inputs, Stranger
from voskar.core.rules.shapes import LIMIT, Bools, Ints
from voskar.errors import CONTROL, InputError, nearest
from voskar.files.blocks import EntryColumns
from voskar.files.frames import SORTS

RESERVED = "/+#"
"""Characters of the ids of driven actors."""
CLAIMED: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "hit": (
        ("attacker", "target"),
        ("attacker", "target", "attack", "case", "damage", "health", "x", "y"),
    ),
    "clash": (("ids", "attacker"), ("ids", "attacker", "target", "x", "y")),
    "down": (("id",), ("id", "attacker", "lives", "x", "y")),
    "respawn": (("id",), ("id", "health", "lives", "x", "y")),
    "spawn": (("id",), ("id", "owner", "x", "y")),
    "removed": (("id",), ("id", "x", "y")),
    "out": (("id",), ("id",)),
    "over": ((), ()),
    "won": ((), ()),
}
"""Of each claim: the fields of which it needs one, and all others that it may have."""
CLAIM = [name for name in SORTS["claims"].line.__struct_fields__ if name not in ("event", "ids")]
IDS = ("attacker", "target", "id", "owner")
Wrong = Callable[..., InputError]
"""Makes an error at a line or row, in a frame, at a field, with a message and a hint."""


class Entries:
    """Gathers what frames log besides poses."""

    def __init__(self, wrong: Wrong) -> None:
        self._wrong = wrong
        self.claims: list[Claim] = []
        self._inputs = _Pieces("id", "button")
        self._display = _Pieces("id", "clock")
        # The first place is enough for an error; keeping all of them would cost memory for each claim.
        self.named: dict[str, tuple[int, int, str]] = {}
        """Where an input, a claim or the display first names an id: line or row, frame, field."""
        # Each word is checked once: a session has millions of claims and a few dozen words.
        self._words: set[str] = set()
        """Buttons and attacks that are known to be printable."""

    def __len__(self) -> int:
        return len(self.claims) + len(self._display)

    def take(self, entries: dict[str, EntryColumns], line: Ints, frame: Ints) -> None:
        """Takes some of each sort; `line` and `frame` (frames,) are those of their block. Raises InputError."""
        takes = {"inputs": self._take_inputs, "claims": self._take_claims, "display": self._take_display}
        for name, columns in entries.items():
            if len(columns):
                takes[name](columns, line[columns.at], frame[columns.at])

    def clear(self) -> None:
        """Drops all gathered entries."""
        self.claims.clear()
        self._inputs.pieces.clear()
        self._display.pieces.clear()

    def inputs(self) -> Inputs:
        """All inputs."""
        found = self._inputs.whole()
        if not found:
            return Inputs()
        aim = np.column_stack([found["aim_x"], found["aim_y"]])
        names, down = self._inputs.names, found["down"] != 0
        return Inputs(
            found["frame"], found["id"], found["button"], down, aim, tuple(names["id"]), tuple(names["button"])
        )

    def display(self) -> DisplayLog:
        """The whole display."""
        found, names = self._display.whole(), self._display.names
        if not found:
            return DisplayLog()
        columns = {field.name: found[field.name] for field in fields(DisplayLog) if field.name in found}
        return DisplayLog(**columns, ids=tuple(names["id"]), clocks=tuple(names["clock"]))

    def _take_inputs(self, columns: EntryColumns, line: Ints, frame: Ints) -> None:
        (ids, who), (buttons, button), down = columns.texts["id"], columns.texts["button"], columns.numbers["down"]
        aim_x, aim_y = columns.numbers["aim_x"], columns.numbers["aim_y"]
        odd = (np.abs(aim_x) > LIMIT) | (np.abs(aim_y) > LIMIT) | (np.isnan(aim_x) != np.isnan(aim_y))
        # Nearly all blocks log presses alone, and need no search for a button with two states.
        if down.min() != down.max():
            same = (columns.at * len(ids) + who) * len(buttons) + button
            # A stable sort keeps the order of the log within a frame, so the later entry is the one reported.
            order = np.argsort(same, kind="stable")
            begins = np.flatnonzero(np.diff(same[order], prepend=-1))
            first = np.repeat(down[order[begins]], np.diff(begins, append=len(order)))
            odd[order[down[order] != first]] = True

        def error(row: int) -> InputError:
            place = int(line[row]), int(frame[row]), "inputs"
            aim = [aim_x[row].item(), aim_y[row].item()]
            if any(abs(value) > LIMIT for value in aim) or math.isnan(aim[0]) != math.isnan(aim[1]):
                return self._wrong(*place, f"found the aim {aim}, expected [x, y] within ±{LIMIT:g}")
            names = f'the button "{buttons[button[row]]}" of "{ids[who[row]]}"'
            return self._wrong(*place, f"{names} is down and up in one frame")

        self._meet(columns, "inputs", ("id",), ("button",), odd, error, line, frame)
        self._inputs.add(columns, frame, line)

    def _take_claims(self, entries: EntryColumns, line: Ints, frame: Ints) -> None:
        # A clash names two ids in `ids`; as attacker and target it passes the same checks as a hit.
        entries = _with_both(entries)
        count = len(entries)
        events, event = entries.texts["event"]
        odd, needs = np.zeros(count, dtype=np.bool_), np.zeros((count, len(CLAIM)), dtype=np.bool_)
        for at, field in enumerate(CLAIM):
            is_text = field in entries.texts
            has = entries.texts[field][1] >= 0 if is_text else ~np.isnan(entries.numbers[field])
            # Most claims have few of the fields, so most columns are skipped here.
            if not has.any():
                continue
            odd |= has & np.array([field not in CLAIMED[name][1] for name in events])[event]
            needs[:, at] = has & np.array([field in CLAIMED[name][0] for name in events])[event]
            if not is_text:
                odd |= np.abs(entries.numbers[field]) > LIMIT
        # An event that needs no field, such as `over`, is never short of one.
        odd |= np.array([bool(CLAIMED[name][0]) for name in events])[event] & ~needs.any(axis=1)
        self._meet(
            entries,
            "claims",
            IDS,
            ("attack", "case"),
            odd,
            lambda row: self._of_claim(entries, row, line, frame),
            line,
            frame,
        )
        columns = [_values(entries, field, count) for field in CLAIM]
        self.claims += map(Claim, frame.tolist(), [events[item] for item in event.tolist()], line.tolist(), *columns)

    def _of_claim(self, columns: EntryColumns, row: int, line: Ints, frame: Ints) -> InputError:
        """The mistake of a claim."""
        place = int(line[row]), int(frame[row])
        names, codes = columns.texts["event"]
        event = names[codes[row]]
        needed, allowed = CLAIMED[event]
        for field in CLAIM:
            (value,) = _values(columns, field, 1, row)
            if value is not None and field not in allowed:
                hint = f"it takes {', '.join(allowed) or 'nothing else'}"
                return self._wrong(*place, f"claims.{field}", f'a "{event}" claim has no "{field}"', hint)
            if isinstance(value, float) and abs(value) > LIMIT:
                return self._wrong(*place, f"claims.{field}", f"found {value}, expected a number within ±{LIMIT:g}")
        missing = " or ".join(f'"{field}"' for field in needed)
        return self._wrong(*place, "claims", f'a "{event}" claim needs {missing}')

    def _take_display(self, columns: EntryColumns, line: Ints, frame: Ints) -> None:
        # An entry without values may lack its id: the clock belongs to no actor.
        nobody = columns.texts["id"][1] < 0
        odd = np.zeros(len(columns), dtype=np.bool_)
        for column in columns.numbers.values() if nobody.any() else ():
            odd |= nobody & ~np.isnan(column)

        def error(row: int) -> InputError:
            return self._wrong(int(line[row]), int(frame[row]), "display", 'an entry of the display needs an "id"')

        self._meet(columns, "display", ("id",), (), odd, error, line, frame)
        self._display.add(columns, frame, line)

    def _meet(
        self,
        columns: EntryColumns,
        sort: str,
        ids: Iterable[str],
        words: Iterable[str],
        odd: Bools,
        error: Callable[[int], InputError],
        line: Ints,
        frame: Ints,
    ) -> None:
        """Ids that have to be an actor's, and words, that are new; then the first entry that is odd is an error."""
        rows = np.flatnonzero(odd)
        # Entries behind the first odd one are not read, so that they cannot raise an error before it.
        end = int(rows[0]) if len(rows) else len(columns)
        found = []
        for order, field in enumerate((*ids, *words)):
            names, codes = columns.texts[field]
            is_id = field in IDS
            for name, row in zip(names, _first(codes[:end], len(names)), strict=True):
                if row >= 0 and name not in (self.named if is_id else self._words):
                    found.append((row, order, field, name, is_id))
        # In the order of the file: the mistake that is reported does not depend on the order of columns.
        for row, _, field, name, is_id in sorted(found):
            place = int(line[row]), int(frame[row]), f"{sort}.{field}"
            if name not in self.named and name not in self._words:
                refuse_control(name, partial(self._wrong, *place))
            if is_id:
                self.named.setdefault(name, place)
            else:
                self._words.add(name)
        if len(rows):
            raise error(end)

    def strangers(self, known: Collection[str], fixtures: Collection[str]) -> Iterator[Stranger]:
        """Ids that are nowhere else: no actor has that id, or no actor that was ever there at the end of a frame."""
        for name, (number, frame, field) in self.named.items():
            # Driven actors have no pose, so their ids are known only after the replay.
            if name not in known and name not in fixtures and not any(mark in name for mark in RESERVED):
                yield Stranger(name, frame, field, number, nearest(name, [*known, *fixtures]))


class _Pieces:
    """Entries of one sort, block by block; texts are numbered over all of them."""

    def __init__(self, *texts: str) -> None:
        self.names: dict[str, dict[str, int]] = {field: {} for field in texts}
        self.pieces: list[dict[str, Any]] = []
        self.count = 0

    def __len__(self) -> int:
        return self.count

    def add(self, entries: EntryColumns, frame: Ints, line: Ints) -> None:
        columns: dict[str, Any] = {"frame": frame, "line": line, **entries.numbers}
        for field, known in self.names.items():
            names, codes = entries.texts[field]
            columns[field] = np.array([*(known.setdefault(name, len(known)) for name in names), -1])[codes]
        self.pieces.append(columns)
        self.count += len(frame)

    def whole(self) -> dict[str, Any]:
        """All pieces as one; nothing without any."""
        return {name: np.concatenate([piece[name] for piece in self.pieces]) for name in next(iter(self.pieces), ())}


def _values(columns: EntryColumns, field: str, count: int, first: int = 0) -> list[Any]:
    """So many values of a field from a row on, None if it is not logged."""
    if field in columns.texts:
        names, codes = columns.texts[field]
        known = [*names, None]
        return [known[code] for code in codes[first : first + count].tolist()] if names else [None] * count
    column = columns.numbers[field][first : first + count]
    if np.isnan(column).all():
        return [None] * count
    return [None if value != value else value for value in column.tolist()]


def _first(codes: Ints, count: int) -> list[int]:
    """The row in which each of these codes first occurs, -1 for none."""
    first = np.full(count + 1, -1, dtype=np.int64)
    first[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)  # backwards, so that the first row of a code is written last
    found: list[int] = first[:count].tolist()
    return found


def refuse_control(text: str, wrong: Callable[[str], InputError]) -> None:
    """Raises an error for a text with control characters."""
    if CONTROL.search(text):
        raise wrong(f"found {json.dumps(text)}, expected no control characters")


def _with_both(columns: EntryColumns) -> EntryColumns:
    """Claims of clashes, which name both sides in `ids`: one is the attacker, the other the target."""
    pairs, codes = columns.texts["ids"]
    texts = {field: pair for field, pair in columns.texts.items() if field != "ids"}
    rows = np.flatnonzero(codes >= 0)
    if len(rows):
        for place, field in enumerate(("attacker", "target")):
            names, column = list(texts[field][0]), texts[field][1].copy()
            # The names of both sides are numbered after those that hits already use.
            number = {name: at for at, name in enumerate(names)}
            for row in rows.tolist():
                name = pairs[codes[row]][place]
                column[row] = number.setdefault(name, len(number))
            texts[field] = (list(number), column)
    return EntryColumns(columns.at, texts, columns.numbers)
