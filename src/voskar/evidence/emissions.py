"""Holding what emitters and parents should spawn against what a recording shows of it."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from typing import Literal

import numpy as np

from voskar.core.emitters.aim import angle_of
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import Spawn
from voskar.core.recording import Actor, Recording
from voskar.core.rules import Emitter, Rules

DEGREES = 1.0
"""By how much directions may differ."""

Sort = Literal["spawn-moved", "spawn-missing", "spawn-unfired", "spawn-place", "spawn-direction"]


@dataclass(frozen=True)
class Appearance:
    """The first pose of a recorded actor: its angle, and the direction it moves in (None while it stands still)."""

    actor: Actor
    frame: int
    x: float
    y: float
    angle: float
    moves: float | None


@dataclass(frozen=True)
class Odd:
    """A disagreement about something that was spawned, in words. `expected` None: nobody fired it. `gun` is the
    only emitter that could have, `owner/name`."""

    sort: Sort
    frame: int
    owner: str
    actor: str
    game: str
    rules: str
    expected: Event | None = None
    shift: int = 0
    gun: str = ""

    @property
    def emitter(self) -> str:
        """`owner/name`, empty for children and effects, and where several could have fired."""
        return _who(self.expected) if self.expected is not None and self.expected.emitter else self.gun


@dataclass(frozen=True)
class Unfired:
    """An actor that appears though nobody fired it, and the emitters that could have, with their owners."""

    shown: Appearance
    guns: tuple[tuple[str, Emitter], ...]

    @property
    def frame(self) -> int:
        """When it appears."""
        return self.shown.frame

    def odd(self, told: str) -> Odd:
        """The disagreement; `told` is what those emitters say."""
        one, kind = self.shown, self.shown.actor.kind
        reason = told or f"nothing that spawns {kind} belongs to it"
        game = f"{one.actor.id} appears at ({one.x:.1f}, {one.y:.1f})"
        gun = f"{self.guns[0][0]}/{self.guns[0][1].name}" if len(self.guns) == 1 else ""
        owner = one.actor.owner or ""
        return Odd("spawn-unfired", one.frame, owner, one.actor.id, game, f"nobody fires: {reason}", gun=gun)


@dataclass(frozen=True)
class Spawned:
    """How many spawns were foretold, how many actors of such kinds appeared, how many agreed, and what did not."""

    expected: int
    appeared: int
    agreed: int
    odd: tuple[Odd, ...]
    unfired: tuple[Unfired, ...]


def emissions(
    rules: Rules, recording: Recording, ledger: Ledger, *, within: int, near: int, tolerance: float
) -> Spawned:
    """Matches foretold spawns with first appearances of the same kind, and owner where the recording tells it.

    Nearest in time first, each used once, no more than `near` frames apart; more than `within` apart they
    disagree. Places are compared where both fall in one frame, within `tolerance` units. What is there in the
    first frame was spawned before it.
    """
    expected = [event for event in ledger.all(Spawn) if event.detail == "expected"]
    shown = appearances(rules, recording)
    by_kind: dict[str, list[int]] = {}
    for index, one in enumerate(shown):  # in frame order
        by_kind.setdefault(one.actor.kind, []).append(index)
    frames = {kind: [shown[index].frame for index in own] for kind, own in by_kind.items()}
    options = []
    for number, event in enumerate(expected):
        own, when = by_kind.get(event.kind, []), frames.get(event.kind, [])
        for index in own[bisect_left(when, event.frame - near) : bisect_right(when, event.frame + near)]:
            one = shown[index]
            if one.actor.owner in (None, event.owner):
                apart = math.dist((one.x, one.y), _place(event))
                options.append((abs(one.frame - event.frame), apart, index, number))
    options.sort()
    used: set[int] = set()
    of: dict[int, int] = {}
    for _, _, index, number in options:
        if number not in of and index not in used:
            of[number] = index
            used.add(index)
    odd: list[Odd] = []
    agreed = 0
    for number, event in enumerate(expected):
        if number in of:
            found = _compare(event, shown[of[number]], within, tolerance, straight=_flies_straight(rules, event))
        else:
            found = _missing(event)
        agreed += found is None
        odd += [] if found is None else [found]
    unfired = tuple(_unfired(rules, recording, one) for index, one in enumerate(shown) if index not in used)
    return Spawned(len(expected), len(shown), agreed, tuple(odd), unfired)


def appearances(rules: Rules, recording: Recording) -> list[Appearance]:
    """First appearances of recorded actors of kinds that emitters or parents spawn, the first frame left out."""
    kinds = {emitter.fan.kind for kind in rules.kinds.values() for emitter in kind.emitters}
    kinds |= {fan.kind for kind in rules.kinds.values() for fan in kind.down.spawn}
    poses, found = recording.poses, []
    wanted = [number for number, actor in enumerate(recording.actors) if actor.kind in kinds]
    for number in wanted:
        rows = poses.rows_of(number)
        row = int(rows[0])
        frame = int(poses.frame[row])
        if frame == recording.first:
            continue
        way = (0.0, 0.0)
        if not np.isnan(poses.vx[row]) and not np.isnan(poses.vy[row]):
            way = float(poses.vx[row]), float(poses.vy[row])
        elif len(rows) > 1 and poses.frame[rows[1]] == frame + 1:
            way = float(poses.x[rows[1]] - poses.x[row]), float(poses.y[rows[1]] - poses.y[row])
        moves = angle_of(*way) if any(way) else None
        place = float(poses.x[row]), float(poses.y[row])
        found.append(Appearance(recording.actors[number], frame, *place, float(poses.angle[row]), moves))
    return sorted(found, key=lambda one: (one.frame, one.actor.id))


def _place(event: Event) -> tuple[float, float]:
    return event.x or 0.0, event.y or 0.0


def _who(event: Event) -> str:
    return f"{event.owner}/{event.emitter}" if event.emitter else (event.id or "").rsplit("-", 1)[0]


def _missing(event: Event) -> Odd:
    rules = f"{_who(event)} spawns {event.id} at ({event.x:.1f}, {event.y:.1f})"
    return Odd("spawn-missing", event.frame, event.owner or "", event.id or "", f"shows no {event.kind}", rules, event)


def _flies_straight(rules: Rules, event: Event) -> bool:
    """Whether what is spawned moves along its aim: at a speed of its own, and with nothing of its owner's."""
    fans = [one.fan for kind in rules.kinds.values() for one in kind.emitters if one.name == event.emitter]
    if event.emitter is None:
        fans = [fan for kind in rules.kinds.values() for fan in kind.down.spawn]
    own = [fan for fan in fans if fan.kind == event.kind]
    return bool(own) and all((fan.speed or 0) > 0 and not fan.inherit for fan in own)


def _compare(event: Event, one: Appearance, within: int, tolerance: float, *, straight: bool) -> Odd | None:
    """The first thing that differs between a foretold spawn and what appeared. The direction is that of its motion
    if it should fly `straight` along its aim and moves, else that of its pose."""
    shift = event.frame - one.frame
    who, owner = one.actor.id, event.owner or ""
    if abs(shift) > within:
        word = "later" if shift > 0 else "earlier"
        frames = "1 frame" if abs(shift) == 1 else f"{abs(shift)} frames"
        rules = f"{_who(event)} spawns it in {event.frame}, {frames} {word}"
        return Odd("spawn-moved", one.frame, owner, who, f"{who} appears in {one.frame}", rules, event, shift)
    apart = math.dist((one.x, one.y), _place(event))
    if shift == 0 and apart > tolerance:
        rules = f"{_who(event)} spawns it at ({event.x:.1f}, {event.y:.1f}), {apart:.1f} units off"
        return Odd("spawn-place", one.frame, owner, who, f"{who} appears at ({one.x:.1f}, {one.y:.1f})", rules, event)
    aim = event.angle or 0.0
    heads = one.moves if straight and one.moves is not None else one.angle
    if shift == 0 and abs(math.remainder(aim - heads, 360.0)) > DEGREES:
        game = f"{who} heads {heads:.1f}°"
        return Odd("spawn-direction", one.frame, owner, who, game, f"{_who(event)} aims {aim:.1f}°", event)
    return None


def _unfired(rules: Rules, recording: Recording, one: Appearance) -> Unfired:
    """One that nobody fired, and the emitters that could have."""
    owner = one.actor.owner
    kinds = {actor.id: actor.kind for actor in recording.actors} | {one.id: one.kind for one in rules.fixtures}
    owners = [owner] if owner in kinds else sorted(name for name in kinds if owner is None)
    guns = [
        (name, emitter)
        for name in owners
        for emitter in rules.kinds[kinds[name]].emitters
        if emitter.fan.kind == one.actor.kind
    ]
    return Unfired(one, tuple(guns))
