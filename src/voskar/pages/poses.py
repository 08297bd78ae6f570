"""The poses that a page draws, in chunks that are complete in themselves: a page unpacks those that it needs."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from voskar.core.boxes import BoxCatalog
from voskar.core.posing import Posed
from voskar.core.recording import Display, Recording
from voskar.core.recording.shown import cells_of_all
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Form, hull

ARC = 32
"""Corners that a full circle is drawn with."""
UNIT = 1000
"""Places are whole numbers of 1/UNIT."""
CHUNK_ROWS = 60_000
"""Poses of a chunk: they are unpacked in the time of a frame."""
SHORTEST = 64
"""Frames of a chunk at least, but for the last one."""

Plain = dict[str, Any]


@dataclass(frozen=True)
class PoseChunk:
    """Some frames. `columns` are their poses in the order of actors, then frames; `plain` is the rest, as JSON has it:
    who is there and in which rows, the forms of boxes, what the display shows."""

    first: int
    last: int
    plain: Plain
    columns: Mapping[str, np.ndarray]


def pose_chunks(
    rules: Rules, judged: Recording, catalog: BoxCatalog, frames: tuple[int, int], rows: int = CHUNK_ROWS
) -> Iterator[PoseChunk]:
    """The chunks of some frames of a recording, with poses as they were judged, in order."""
    drawn = _Drawn(rules, judged, catalog)
    count = frames[1] - frames[0] + 1
    mean = max(len(judged.poses.frame[judged.block(frames[0], frames[1] + 1)]) / count, 1)
    length = max(SHORTEST, int(rows / mean))
    for first in range(frames[0], frames[1] + 1, length):
        yield drawn.chunk(first, min(first + length - 1, frames[1]))


class _Drawn:
    """A recording, with the cells that its actors show."""

    def __init__(self, rules: Rules, judged: Recording, catalog: BoxCatalog) -> None:
        self.rules, self.judged, self.catalog = rules, judged, catalog
        names = {name: number for number, name in enumerate(rules.kinds)}
        self.kinds = np.array([names[actor.kind] for actor in judged.actors], dtype=np.int64)
        of_poses = self.kinds[judged.poses.actor] if len(judged.poses) else np.zeros(0, dtype=np.int64)
        self.cells = cells_of_all(judged.poses, of_poses, rules, judged.clips)
        self.picky = {
            number
            for number, name in enumerate(catalog.kinds)
            if any(box.box.within_bounds for box in catalog.by_kind[name])
        }

    def chunk(self, first: int, last: int) -> PoseChunk:
        """Some frames."""
        block = self.judged.block(first, last + 1)
        rows = block.start + np.lexsort((self.judged.poses.frame[block], self.judged.poses.actor[block]))
        return _Chunk(self, first, last, rows).made()


class _Chunk:
    def __init__(self, drawn: _Drawn, first: int, last: int, rows: np.ndarray) -> None:
        self.drawn, self.judged, self.catalog = drawn, drawn.judged, drawn.catalog
        self.first, self.last, self.rows = first, last, rows
        self.kind, self.cell = drawn.kinds[self.judged.poses.actor[rows]], drawn.cells[rows]
        self.forms: list[list[list[float]]] = []
        self._form_of: dict[int, int] = {}

    def made(self) -> PoseChunk:
        """All of it."""
        poses, rows = self.judged.poses, self.rows
        turn = poses.facing[rows], np.round(poses.angle[rows], 4), poses.scale[rows]
        firsts, at_turn = _distinct(turn)
        turns = list(zip(*(column[firsts].tolist() for column in turn), strict=True))
        look = self.kind, poses.clip[rows], self.cell
        firsts, at_look = _distinct(look)
        looks = [self._look(*items) for items in zip(*(column[firsts].tolist() for column in look), strict=True)]
        plain = {
            "first": self.first,
            "last": self.last,
            "actors": self._actors(),
            "forms": self.forms,
            "looks": looks,
            "turns": turns,
            "clips": list(self.judged.clips),
            "logged": self._logged_boxes(),
            "display": [_display(entry) for entry in self.judged.display.within(self.first, self.last)],
        }
        return PoseChunk(self.first, self.last, plain, self._columns(at_turn, at_look))

    def _columns(self, at_turn: np.ndarray, at_look: np.ndarray) -> Mapping[str, np.ndarray]:
        """One row a pose: x and y as differences from the row before, the rest as they are."""
        poses, rows = self.judged.poses, self.rows
        x, y = (np.round(pose[rows] * UNIT).astype(np.int64) for pose in (poses.x, poses.y))
        flags = poses.hidden[rows] * 1 + poses.cut[rows] * 2 + poses.lingering[rows] * 4 + self._shut() * 8
        z = poses.z[rows]
        return {
            "x": np.diff(x, prepend=0).astype("<i4"),
            "y": np.diff(y, prepend=0).astype("<i4"),
            "turn": at_turn.astype("<u4"),
            "look": at_look.astype("<u4"),
            "clip": poses.clip[rows].astype("<i2"),
            "cell": self.cell.astype("<i4"),
            "flags": flags.astype("u1"),
        } | ({"z": np.round(z * UNIT).astype("<i4")} if z.any() else {})

    def _actors(self) -> list[Plain]:
        """Actors with poses, each with the stretches of frames: first frame, how many, and the first row."""
        poses, judged = self.judged.poses, self.judged
        actor, frame = poses.actor[self.rows], poses.frame[self.rows]
        breaks = np.flatnonzero((np.diff(actor) != 0) | (np.diff(frame) != 1)) + 1
        starts = [0, *breaks.tolist()] if len(frame) else []
        ends = [*breaks.tolist(), len(frame)]
        spans: dict[int, list[list[int]]] = {}
        for start, end in zip(starts, ends, strict=False):
            spans.setdefault(int(actor[start]), []).append([int(frame[start]), end - start, start])
        return [
            plain_actor(judged, number, int(self.drawn.kinds[number])) | {"spans": own} for number, own in spans.items()
        ]

    def _ring(self, form: Form) -> list[list[float]]:
        """Flat corners of each part of a form, roundings drawn out."""
        return [[round(value, 4) for value in _outline(part, form.radius).ravel().tolist()] for part in form.parts]

    def _form(self, number: int) -> int:
        if number not in self._form_of:
            self._form_of[number] = len(self.forms)
            self.forms.append(self._ring(self.catalog.forms[number]))
        return self._form_of[number]

    def _look(self, kind: int, clip: int, cell: int) -> list[list[int]]:
        """The open boxes in a cell of a clip: their places in the kind, and forms."""
        own = self.catalog.by_kind[self.catalog.kinds[kind]]
        name = self.judged.clips[clip] if clip >= 0 else None
        return [
            [place, self._form(box.form_in(name, cell))]
            for place, box in enumerate(own)
            if not box.box.logged and box.box.opens(name, cell)
        ]

    def _shut(self) -> np.ndarray:
        """Poses in which a box that is to lie within the bounds does not."""
        found = np.zeros(len(self.rows), dtype=np.int64)
        if self.drawn.picky:
            posed = Posed(self.catalog, self.judged.clips, 1, self.judged)
            for place in np.flatnonzero(np.isin(self.kind, list(self.drawn.picky))).tolist():
                posed.pose(0, self.judged, int(self.rows[place]), int(self.cell[place]))
                own = [box for box in posed.boxes(0) if box.box.within_bounds and not box.box.logged]
                clip = posed.clip(0)
                found[place] = any(
                    box.box.opens(clip, int(self.cell[place])) and not posed.is_open(0, box) for box in own
                )
        return found

    def _logged_boxes(self) -> list[list[Any]]:
        """Where the game itself has boxes: frame, actor, name, and its bounds in the world, or the rings of another
        shape."""
        poses, boxes, found = self.judged.poses, self.judged.boxes, []
        for row in self.rows[poses.logged[self.rows] >= 0].tolist():
            place = np.array([poses.x[row], poses.y[row]])
            name = self.judged.actors[poses.actor[row]].id
            for box, parts in boxes.parts(int(poses.logged[row])).items():
                rings = [np.round(_outline(part.corners + place, part.radius), 3).tolist() for part in parts]
                groups = [*rings[0][0], *rings[0][2]] if len(parts) == 1 and parts[0].is_rect else [rings]
                found.append([int(poses.frame[row]), name, box, *groups])
        return sorted(found, key=lambda items: items[:3])


def plain_actor(judged: Recording, number: int, kind: int) -> Plain:
    """An actor, with the number of its kind."""
    actor = judged.actors[number]
    return {"id": actor.id, "kind": kind, "owner": actor.owner, "driven": actor.driven}


def _display(entry: Display) -> Plain:
    names = ("frame", "id", "health", "percent", "icons", "lives", "score", "clock")
    return {name: value for name in names if (value := getattr(entry, name)) is not None}


def _distinct(columns: Sequence[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Rows that differ, in order of their values: where each is first, and which of them each row is. Much sooner than
    to sort whole rows."""
    codes = np.zeros(len(columns[0]), dtype=np.int64)
    for column in columns:
        if len(column) and (column != column[0]).any():
            values, at = np.unique(column, return_inverse=True)
            codes = codes * len(values) + at
    _, firsts, at = np.unique(codes, return_index=True, return_inverse=True)
    return firsts, at


def _outline(part: np.ndarray, radius: float) -> np.ndarray:
    """A convex part (n, 2) with its rounding drawn out, counter-clockwise from its least corner."""
    angles = np.arange(ARC) * (2 * math.pi / ARC)
    around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * radius
    return hull(part if radius == 0 else (part[:, None, :] + around[None]).reshape(-1, 2))
