"""Gathers frames into a recording's columns, with every check that needs more than one value."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Collection
from dataclasses import fields
from fractions import Fraction
from typing import Any, Literal

import numpy as np

from voskar.core.recording import Actor, Claim, Poses, Recording
from voskar.core.recording.inputs import Inputs
from voskar.core.rules.shapes import LIMIT, Ints
from voskar.errors import InputError, Problem, nearest
from voskar.files.blocks import Block, Key
from voskar.files.frames import ClaimLine, InputLine

RESERVED = "/+#"  # kept for the ids of driven actors
NUMBERS = ("x", "y", "angle", "scale", "vx", "vy", "health", "lives")
NEEDED = ("x", "y", "angle", "scale")  # never absent, so never NaN
SMALLEST, LARGEST = 1e-6, 1e6  # scale


class ColumnBuilder:
    """Takes frames in order, in blocks; `finish` gives the recording.

    `place` is what a frame's number in the file is called in errors: "line", or "row" for tables; with "frame" it
    is not told. Without `kinds` any kind is taken.
    """

    def __init__(self, name: str, kinds: Collection[str] | None, place: Literal["line", "row", "frame"]) -> None:
        self.name, self.kinds, self.place = name, kinds, place
        self.first: int | None = None
        self.last = -1
        self.counts: list[Ints] = []
        self.actors: list[Actor] = []
        self.numbers: dict[str, int] = {}
        self.known: dict[tuple[str, str, str | None], int] = {}  # (id, kind, owner as last told) to number
        self.clips: dict[str, int] = {}
        self.claims: list[Claim] = []
        self.resets: dict[int, str] = {}
        self.inputs: list[tuple[int, str, str, bool, float, float]] = []
        self.pieces: dict[str, list[Any]] = {field.name: [] for field in fields(Poses)}

    def add(self, block: Block) -> None:
        """Adds frames. Raises InputError with their line or row, frame and field."""
        expected = (int(block.frame[0]) if self.first is None else self.last + 1) + np.arange(len(block.frame))
        gaps = np.flatnonzero(block.frame != expected)
        whole = int(gaps[0]) if len(gaps) else len(block.frame)
        for at, what in block.resets:
            self.resets[int(block.frame[at])] = what
        places, frames = block.place[:whole].tolist(), block.frame[:whole].tolist()
        self.inputs += [self._input(places[at], frames[at], one) for at, one in block.inputs if at < whole]
        self.claims += [self._claim(places[at], frames[at], one) for at, one in block.claims if at < whole]
        if len(gaps):
            self.last = int(expected[whole]) - 1
            raise self._error(int(block.place[whole]), None, "frame", self._gap(int(block.frame[whole])))
        if self.first is None:
            self.first = int(block.frame[0])
        self.last = int(block.frame[-1])
        self.counts.append(block.counts)
        columns = self._columns(block)
        self._check(columns, block)
        for name, column in columns.items():
            self.pieces[name].append(_thin(column))

    def forget(self) -> None:
        """Drops the columns gathered so far, for a caller that only wants the checks."""
        self.counts.clear()
        self.claims.clear()
        self.inputs.clear()
        for pieces in self.pieces.values():
            pieces.clear()

    def _gap(self, frame: int) -> str:
        if frame == self.last:
            return f"frame {frame} stands twice, expected {self.last + 1}"
        if frame < self.last:
            return f"frame {frame} comes after {self.last}, expected {self.last + 1}"
        return f"frame {frame} follows {self.last}, expected {self.last + 1}: frame numbers rise by exactly 1"

    def _columns(self, block: Block) -> dict[str, Any]:
        """One array a field."""
        numbers = np.array([self._meet(key, at, block) for at, key in enumerate(block.keys)], dtype=np.int64)
        clips = [self.clips.setdefault(name, len(self.clips)) for name in block.clips]
        rows = len(block.key)
        return {
            **block.numbers,
            "frame": np.repeat(block.frame, block.counts),
            "actor": numbers[block.key] if rows else np.zeros(0, dtype=np.int64),
            "facing": block.numbers["facing"].astype(np.float64),
            "clip": np.array([*clips, -1], dtype=np.int64)[block.clip],
            "lingering": np.zeros(rows, dtype=np.bool_),
        }

    def _meet(self, key: Key, at: int, block: Block) -> int:
        """The number of an actor, which may not have been seen before with this kind and owner."""
        if key in self.known:
            return self.known[key]

        def wrong(field: str, message: str, hint: str | None = None) -> InputError:
            return self._pose_error(int(np.flatnonzero(block.key == at)[0]), field, message, hint, block)

        name, kind, owner = key
        number = self.numbers.get(name)
        if number is None:
            if not name:
                raise wrong("id", "found an empty id")
            if any(mark in name for mark in RESERVED):
                raise wrong("id", f'found "{name}": / + # are kept for driven actors')
            if self.kinds is not None and kind not in self.kinds:
                raise wrong("kind", f'unknown kind "{kind}"', nearest(kind, self.kinds))
            number = len(self.actors)
            self.numbers[name] = number
            self.actors.append(Actor(name, kind, owner))
        else:
            actor = self.actors[number]
            if kind != actor.kind:
                raise wrong("kind", f'"{name}" changes its kind from "{actor.kind}" to "{kind}"')
            if owner is not None and actor.owner is None:
                self.actors[number] = Actor(name, kind, owner)
            elif owner is not None and owner != actor.owner:
                raise wrong("owner", f'"{name}" changes its owner from "{actor.owner}" to "{owner}"')
        self.known[key] = number
        return number

    def _check(self, columns: dict[str, Any], block: Block) -> None:
        """Checks a block in bulk and names the first pose that fails."""
        bad: list[tuple[int, str, str]] = []

        def look(failing: Any, field: str, expected: str) -> None:
            rows = np.flatnonzero(failing)
            if len(rows):
                value = block.clips[block.clip[rows[0]]] if field == "clip" else block.numbers[field][rows[0]].item()
                bad.append((int(rows[0]), field, f"found {value}, expected {expected}"))

        look(np.abs(columns["facing"]) != 1, "facing", "1 or -1")
        look((columns["scale"] < SMALLEST) | (columns["scale"] > LARGEST), "scale", f"{SMALLEST:g} to {LARGEST:g}")
        for field in NUMBERS:
            far = np.abs(columns[field]) > LIMIT
            if field in NEEDED:
                far |= np.isnan(columns[field])
            look(far, field, f"a number within ±{LIMIT:g}")
        # a clip alone says nothing of what is open in it
        stray = (columns["clip"] >= 0) & (columns["tick"] < 0) & (columns["cell"] < 0)
        look(stray, "clip", "a `tick` or a `cell` beside it")
        actor, frame = columns["actor"], columns["frame"]
        if (np.diff(actor)[np.diff(frame) == 0] <= 0).any():  # else they rise within a frame: none is there twice
            order = np.lexsort((actor, frame))
            actor, frame = actor[order], frame[order]
            twice = np.flatnonzero((actor[1:] == actor[:-1]) & (frame[1:] == frame[:-1]))
            for row in order[twice + 1][:1].tolist():
                bad.append((row, "id", f'"{block.keys[block.key[row]][0]}" has two poses in this frame'))
        if bad:
            row, field, message = min(bad)
            raise self._pose_error(row, field, message, None, block)

    def _pose_error(self, row: int, field: str, message: str, hint: str | None, block: Block) -> InputError:
        starts = np.cumsum(block.counts) - block.counts
        at = int(np.searchsorted(starts + block.counts, row, side="right"))
        key = f"poses[{row - int(starts[at])}].{field}"
        return self._error(int(block.place[at]), int(block.frame[at]), key, message, hint)

    def _error(self, number: int, frame: int | None, key: str, message: str, hint: str | None = None) -> InputError:
        line = number if self.place == "line" else None
        row = number if self.place == "row" else None
        return InputError(Problem(message, file=self.name, line=line, row=row, frame=frame, key=key, hint=hint))

    def _claim(self, number: int, frame: int, claim: ClaimLine) -> Claim:
        needed = ("striker", "target") if claim.event == "hit" else ("id",)
        for field in needed:
            if getattr(claim, field) is None:
                raise self._error(number, frame, "claims", f'a "{claim.event}" claim needs "{field}"')
        return Claim(
            frame,
            claim.event,
            number,
            claim.striker,
            claim.target,
            claim.id,
            claim.attack,
            claim.damage,
            claim.health,
            claim.x,
            claim.y,
        )

    def _input(self, number: int, frame: int, one: InputLine) -> tuple[int, str, str, bool, float, float]:
        if one.aim is None:
            return frame, one.id, one.button, one.down, math.nan, math.nan
        if len(one.aim) != 2 or not all(abs(value) <= LIMIT for value in one.aim):
            raise self._error(number, frame, "inputs", f"found the aim {one.aim}, expected [x, y] within ±{LIMIT:g}")
        return frame, one.id, one.button, one.down, one.aim[0], one.aim[1]

    def _inputs(self) -> Inputs:
        if not self.inputs:
            return Inputs()
        frame, who, button, down, x, y = zip(*self.inputs, strict=True)
        ids, buttons = tuple(dict.fromkeys(who)), tuple(dict.fromkeys(button))
        id_numbers, button_numbers = ({name: at for at, name in enumerate(names)} for names in (ids, buttons))
        return Inputs(
            np.array(frame, dtype=np.int64),
            np.array([id_numbers[one] for one in who], dtype=np.int64),
            np.array([button_numbers[one] for one in button], dtype=np.int64),
            np.array(down, dtype=np.bool_),
            np.array([x, y], dtype=np.float64).T,
            ids,
            buttons,
        )

    def finish(self, rate: Fraction, **header: Any) -> Recording:
        """The recording. Raises InputError if it holds no frame."""
        if self.first is None:
            raise InputError(Problem("the recording has a header and no frames", file=self.name))
        poses = Poses(**{name: _join(pieces) for name, pieces in self.pieces.items()})
        starts = np.concatenate([[0], np.cumsum(np.concatenate(self.counts))]).astype(np.int64)
        recording = Recording(
            rate=rate,
            first=self.first,
            starts=starts,
            actors=tuple(self.actors),
            clips=tuple(self.clips),
            poses=poses,
            claims=tuple(self.claims),
            inputs=self._inputs(),
            resets=self.resets,
            digest=self._digest(poses, starts, rate, header),
            **header,
        )
        return recording

    def _digest(self, poses: Poses, starts: Any, rate: Fraction, header: dict[str, Any]) -> str:
        """A digest of all that a replay looks at, the same whatever file form it came in."""
        digest = hashlib.blake2b(digest_size=16)
        actors = [(actor.id, actor.kind, actor.owner) for actor in self.actors]
        meaning = [header.get(key) for key in ("up", "reactions", "seed")]
        digest.update(repr((rate, self.first, actors, list(self.clips), self.resets, meaning)).encode())
        digest.update(starts.tobytes())
        if self.inputs:
            digest.update(repr(self.inputs).encode())
        for field in fields(Poses):
            column = getattr(poses, field.name)
            digest.update(np.ascontiguousarray(column[:1] if _is_one(column) else column).tobytes())
        return digest.hexdigest()


def _is_one(column: Any) -> bool:
    """Whether a column holds one value throughout."""
    if not len(column) or column.strides == (0,):
        return bool(len(column))
    return bool((column == column[0]).all() or (column.dtype.kind == "f" and np.isnan(column).all()))


def _thin(column: Any) -> Any:
    """A column of one value throughout as a view of that value, which costs no memory."""
    return np.broadcast_to(column[:1], column.shape) if _is_one(column) else column


def _join(pieces: list[Any]) -> Any:
    """One array of all pieces; stays a view of one value if every piece is one and the values agree."""
    views = [piece for piece in pieces if len(piece)]
    if not views:
        return pieces[0] if pieces else np.zeros(0)
    total = sum(len(piece) for piece in views)
    first = views[0][:1]
    if all(
        piece.strides == (0,) and np.array_equal(piece[:1], first, equal_nan=first.dtype.kind == "f") for piece in views
    ):
        return np.broadcast_to(first.copy(), (total,))
    return np.concatenate(views)
