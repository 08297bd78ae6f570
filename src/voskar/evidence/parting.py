"""Where two recordings of one game part: the first frame in which they log something else, the actor and the field."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.ledger import written
from voskar.core.ledger.pieces import What
from voskar.core.recording import Claim, Recording
from voskar.core.recording.poses import FIELDS
from voskar.core.rules.shapes import Bools, Ints

PartedSort = Literal["header", "marks", "inputs", "spawns", "poses", "claims", "length"]
SORTS: tuple[PartedSort, ...] = ("header", "marks", "inputs", "spawns", "poses", "claims", "length")

STATE: dict[str, What] = {
    "health": "health", "lives": "lives", "immune": "iframes", "stunned": "stun", "frozen": "stun", "tags": "counters",
    "counters": "counters",
}  # fmt: skip
"""Fields of a pose that hits change, and the kind of state that each of them shows; the others are where it is."""
ROUNDED = 1e-6
"""Logs of one value may differ by so much, in the last digits that are written."""
NOT_THERE = "not there"
NONE = "none"


RANKS = ("header", "marks", "inputs", "timers", "poses", "shots", "spawns", "claims", "hits", "state", "length")
"""The order of differences within a frame: causes before what they may bring about. Poses log i-frames and stun as
earlier frames left them, health as this one did."""


class Parted(NamedTuple):
    """A value that the two recordings log otherwise, in a frame and in those to `last`: whose field of what, and both
    values."""

    frame: int
    last: int
    sort: PartedSort
    id: str
    field: str
    old: str
    new: str
    claim: Claim | None = None

    @property
    def rank(self) -> int:
        """Its place within a frame."""
        shown = STATE.get(self.field) if self.sort == "poses" else None
        timer = shown in ("iframes", "stun")
        return RANKS.index(self.sort if shown is None else "timers" if timer else "state")

    @property
    def what(self) -> str:
        """In words."""
        return f"{self.field} of {self.id}" if self.id else self.field


@dataclass(frozen=True)
class Parting:
    """`firsts` are the first difference of each sort, the first of all first. `apart` are all those of claims and those
    of each actor: of its place, and of its state, one a stretch of frames. `same` counts what comes before."""

    firsts: tuple[Parted, ...]
    apart: tuple[Parted, ...]
    same: dict[str, int]
    has_inputs: bool

    @property
    def first(self) -> Parted | None:
        """Where they part; None if they log the same."""
        return self.firsts[0] if self.firsts else None

    @property
    def inputs(self) -> str:
        """ "not logged", "same" or "other"."""
        if not self.has_inputs:
            return "not logged"
        return "other" if any(difference.sort == "inputs" for difference in self.firsts) else "same"

    @property
    def has_other_inputs(self) -> bool:
        """Whether they part by what players pressed: what differs then says nothing about the game."""
        return self.first is not None and self.first.sort in ("marks", "inputs")


def parting(old: Recording, new: Recording, tolerance: float, near: int) -> Parting:
    """Compares all that two recordings log in the frames that both have. Ids mean the same actor in both.

    Places may differ by `tolerance` units; stretches of an actor that are at most `near` frames apart are one.
    """
    low, high = both = max(old.first, new.first), min(old.last, new.last)
    apart = sorted(
        [*_poses(old, new, both, tolerance, near), *_apart("claims", _claims(old), _claims(new), both)],
        key=lambda pose: (pose.frame, pose.rank, pose.id),
    )
    others = [
        *_header(old, new, low),
        *_apart("marks", _marks(old), _marks(new), both),
        *_apart("inputs", _inputs(old), _inputs(new), both),
    ]
    found = [next((difference for difference in [*others, *apart] if difference.sort == sort), None) for sort in SORTS]
    firsts = [difference for difference in found if difference is not None]
    if old.first != new.first:
        firsts.append(Parted(low, high, "length", "", "first frame", str(old.first), str(new.first)))
    if old.last != new.last:
        firsts.append(Parted(high + 1, high + 1, "length", "", "last frame", str(old.last), str(new.last)))
    # in one frame what players do comes before what follows from it
    firsts.sort(key=lambda first: (first.frame, first.rank))
    until = firsts[0].frame if firsts else high + 1
    poses = old.poses
    same = {
        "frames": max(0, min(until, high + 1) - low),
        "poses": int((~poses.lingering & (poses.frame >= low) & (poses.frame < min(until, high + 1))).sum()),
        "inputs": int(((old.inputs.frame >= low) & (old.inputs.frame < until)).sum()),
        "claims": sum(low <= claim.frame < until for claim in old.claims),
    }
    return Parting(tuple(firsts), tuple(apart), same, bool(len(old.inputs) or len(new.inputs)))


def _header(old: Recording, new: Recording, frame: int) -> list[Parted]:
    """The differences of the headers, which say how the rest is meant."""
    entry = (("up", "up"), ("reactions", "reactions"), ("seed", "seed"), ("poses", "after_hits"))
    values = ((name, getattr(old, field), getattr(new, field)) for name, field in entry)
    return [
        Parted(frame, frame, "header", "", name, str(before), str(after))
        for name, before, after in values
        if before != after
    ]


Logged = Iterator[tuple[int, str, str, str, Claim | None]]
"""Logged values besides poses: frame, id, field, value."""


def _marks(recording: Recording) -> Logged:
    yield from ((frame, "", "reset", what, None) for frame, what in recording.resets.items())


def _inputs(recording: Recording) -> Logged:
    inputs = recording.inputs
    columns = (inputs.frame, inputs.id, inputs.button, inputs.down, inputs.aim)
    for frame, who, button, down, (x, y) in zip(*(column.tolist() for column in columns), strict=True):
        aim = f", aim ({written(x)}, {written(y)})" if x == x else ""
        yield frame, inputs.ids[who], inputs.buttons[button], ("down" if down else "up") + aim, None


def _claims(recording: Recording) -> Logged:
    for claim in recording.claims:
        who = claim.id or claim.target or claim.attacker or ""
        by = f"by {claim.attacker}" if claim.attacker and claim.target else ""
        what = " ".join(part for part in (f"claimed {claim.event}", claim.attack, by) if part)
        values = {name: getattr(claim, name) for name in ("case", "damage", "health", "lives", "x", "y")}
        text = ", ".join(f"{name} {written(value)}" for name, value in values.items() if value not in (None, ""))
        yield claim.frame, who, what, text or "claimed", claim


def _apart(sort: PartedSort, old: Logged, new: Logged, frames: tuple[int, int]) -> list[Parted]:
    """The entries of some frames that only one of the two has, or that have another value, by frame."""
    sides: list[dict[tuple[int, str, str, int], tuple[str, Claim | None]]] = [{}, {}]
    for side, logged in zip(sides, (old, new), strict=True):
        seen: Counter[tuple[int, str, str]] = Counter()
        for frame, who, what, value, claim in logged:
            if frames[0] <= frame <= frames[1]:
                # several alike in one frame are compared in their order
                side[frame, who, what, seen[frame, who, what]] = value, claim
                seen[frame, who, what] += 1
    nothing = NONE, None
    found = []
    for key in sorted(key for key in sides[0].keys() | sides[1].keys()):
        (before, claim), (after, other) = (side.get(key, nothing) for side in sides)
        if before != after:
            found.append(Parted(key[0], key[0], sort, key[1], key[2], before, after, claim or other))
    return found


def _poses(old: Recording, new: Recording, frames: tuple[int, int], tolerance: float, near: int) -> Iterator[Parted]:
    """Stretches of frames in which an actor is there in one of them only, is elsewhere, or has another state."""
    ids = {name: number for number, name in enumerate(dict.fromkeys([*old.numbers, *new.numbers]))}
    names = list(ids)
    (old_rows, old_keys), (new_rows, new_keys) = (_keys(side, ids, frames) for side in (old, new))
    # one number for a frame and an actor, so that poses of both sides are matched in one go
    both, at_old, at_new = np.intersect1d(old_keys, new_keys, assume_unique=True, return_indices=True)
    for side, keys in enumerate((old_keys, new_keys)):
        alone = np.setdiff1d(keys, both, assume_unique=True)
        for who, spans in _spans(alone, len(ids), near).items():
            for first, last in spans:
                before, after = ("there", NOT_THERE) if side == 0 else (NOT_THERE, "there")
                yield Parted(first, last, "spawns", names[who], "pose", before, after)
    old_rows, new_rows = old_rows[at_old], new_rows[at_new]
    apart = {name: differs for name, differs in _columns(old, new, old_rows, new_rows, tolerance) if differs.any()}
    # place and state are separate: a body in another place can have the same health
    for is_state in (False, True):
        columns = {name: differs for name, differs in apart.items() if (name in STATE) == is_state}
        if not columns:
            continue
        anything = np.logical_or.reduce(list(columns.values()))
        for who, spans in _spans(both[anything], len(ids), near).items():
            for first, last in spans:
                at = int(np.searchsorted(both, first * len(ids) + who))
                field = next(name for name, differs in columns.items() if differs[at])
                before, after = _value(old, field, int(old_rows[at])), _value(new, field, int(new_rows[at]))
                yield Parted(first, last, "poses", names[who], field, before, after)


def _keys(recording: Recording, ids: dict[str, int], frames: tuple[int, int]) -> tuple[Ints, Ints]:
    """The rows of logged poses, by frame and actor, and a number for each frame and actor."""
    poses = recording.poses
    numbers = np.array([ids[actor.id] for actor in recording.actors], dtype=np.int64)
    rows = np.flatnonzero(~poses.lingering & (poses.frame >= frames[0]) & (poses.frame <= frames[1]))
    keys = poses.frame[rows].astype(np.int64) * len(ids) + numbers[poses.actor[rows]]
    order = np.argsort(keys, kind="stable")
    return rows[order], keys[order]


def _spans(keys: Ints, actors: int, near: int) -> dict[int, list[tuple[int, int]]]:
    """By actor, the stretches of frames; those at most `near` frames apart are one."""
    found: dict[int, list[tuple[int, int]]] = {}
    frames, who = np.divmod(keys, actors)
    for item in distinct(who).tolist():
        own = frames[who == item]
        parts = np.split(own, np.flatnonzero(np.diff(own) > max(near, 1)) + 1)
        found[item] = [(int(part[0]), int(part[-1])) for part in parts]
    return found


def _columns(
    old: Recording, new: Recording, old_rows: Ints, new_rows: Ints, tolerance: float
) -> Iterator[tuple[str, Bools]]:
    """(rows,) by field: whether the two differ in it."""
    for name, column in (("clip", "clip"), ("tags", "tags"), ("counters", "counted"), ("boxes", "logged")):
        codes: dict[Hashable, int] = {}
        sides = []
        for recording, rows in ((old, old_rows), (new, new_rows)):
            used, places = np.unique(getattr(recording.poses, column)[rows], return_inverse=True)
            values = [_logged(recording, name, number) for number in used.tolist()]
            sides.append(np.array([codes.setdefault(value, len(codes)) for value in values], dtype=np.int64)[places])
        yield name, sides[0] != sides[1]
    for name in FIELDS:
        item, other = getattr(old.poses, name)[old_rows], getattr(new.poses, name)[new_rows]
        if item.dtype.kind == "f":
            slack = max(tolerance, ROUNDED) if name in ("x", "y", "z") else ROUNDED
            differs = ~((np.abs(item - other) <= slack) | (np.isnan(item) & np.isnan(other)))
        else:
            differs = item != other
        yield name, differs
    for name in ("push_x", "push_y"):
        item, other = getattr(old.poses, name)[old_rows], getattr(new.poses, name)[new_rows]
        yield name, ~((np.abs(item - other) <= max(tolerance, ROUNDED)) | (np.isnan(item) & np.isnan(other)))


def _logged(recording: Recording, field: str, number: int) -> Hashable:
    """The value that a number in a column of names stands for."""
    if number < 0:
        return None
    if field == "clip":
        return recording.clips[number]
    if field == "tags":
        return tuple(sorted(recording.tag_sets[number]))
    if field == "counters":
        item = zip(recording.counters.names, recording.counters.values[number].tolist(), strict=True)
        return tuple(sorted((name, written(value)) for name, value in item if value == value))
    parts = recording.boxes.parts(number)
    return tuple(
        (name, *((part.radius, *np.round(part.corners, 4).ravel().tolist()) for part in parts[name]))
        for name in sorted(parts)
    )


def _value(recording: Recording, field: str, row: int) -> str:
    """A field of a pose in words."""
    column = {"counters": "counted", "boxes": "logged"}.get(field, field)
    value = getattr(recording.poses, column)[row].item()
    if field == "boxes":
        return NONE if value < 0 else "boxes " + ", ".join(sorted(recording.boxes.parts(value)))
    if field in ("clip", "tags", "counters"):
        number = _logged(recording, field, value)
        return NONE if number is None else _in_words(number)
    if value != value or (value == -1 and FIELDS[field].type in ("count", "answer") if field in FIELDS else False):
        return NONE
    if isinstance(value, bool) or (field in FIELDS and FIELDS[field].type == "answer"):
        return "yes" if value else "no"
    return str(written(value))


def _in_words(value: Hashable) -> str:
    if isinstance(value, str):
        return value
    parts: Sequence[Any] = value  # type: ignore[assignment]
    return ", ".join(part if isinstance(part, str) else " ".join(map(str, part)) for part in parts) or NONE
