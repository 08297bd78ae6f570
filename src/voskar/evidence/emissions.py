"""Holding what emitters and parents should spawn against what a recording shows of it."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from operator import attrgetter
from typing import NamedTuple

import numpy as np

from voskar.core.adopt import Window
from voskar.core.emitters.aim import angle_of
from voskar.core.ledger import Event
from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording import Recording
from voskar.core.rules import Emitter, Rules
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held
from voskar.evidence.matching import assigned
from voskar.evidence.starts import DEGREES, Appearance, Starts, emitter_of

WAY = (1.0, 0.75, 0.5, 0.25, 0.0)
"""Moments of a frame at which a hit effect may have happened."""

FINE = 10
"""Parts of a unit in which first steps are compared, to match shots that agree in everything else."""


@dataclass(frozen=True)
class Unfired:
    """An actor that appears though no actor fired it, and the emitters that could have, with their owners."""

    shown: Appearance
    guns: tuple[tuple[str, Emitter], ...]

    @property
    def frame(self) -> int:
        """When it appears."""
        return self.shown.frame

    def finding(self, text: str) -> Finding:
        """The disagreement; `text` is what those emitters say."""
        shown, kind = self.shown, self.shown.actor.logged_kind
        reason = text or f"nothing that spawns {kind} belongs to it"
        game = f"{shown.actor.id} appears at ({shown.x:.1f}, {shown.y:.1f})"
        gun = f"{self.guns[0][0]}/{self.guns[0][1].name}" if len(self.guns) == 1 else ""
        owner = shown.actor.owner or ""
        rules = f"no emitter fires: {reason}"
        return Finding("spawn-unexpected", shown.frame, owner, shown.actor.id, game=game, rules=rules, emitter=gun)


@dataclass(frozen=True)
class Spawned:
    """How many spawns were predicted, how many agreed, and what did not."""

    expected: int
    agreed: int
    odd: tuple[Finding, ...]
    sources: dict[int, SpawnEvent]
    """The spawn that each matched appearance belongs to, by row."""
    unfired: tuple[Unfired, ...]
    matched: Collection[int] = ()
    """The spawns that agreed, by `id()`."""


def emissions(held: Held) -> Spawned:
    """Matches predicted spawns with first appearances of the same kind, and owner where the recording logs it.

    All of a kind are matched at once, no more than `near` frames apart; outside the window they
    disagree. Places are compared where both fall in one frame. What is there in the first frame, or after a mark, needs
    no cause.
    """
    rules, recording, ledger = held.rules, held.recording, held.ledger
    window = held.windows.of("spawn")
    expected = [event for event in ledger.all(SpawnEvent) if event.detail == "expected" and _is_logged(held, event)]
    shown = appearances(rules, recording)
    starts = Starts(held)
    of = _matched(held, expected, shown, starts)
    used = set(of.values())
    odd: list[Finding] = []
    agreed = []
    sources: dict[int, SpawnEvent] = {}
    for number, event in enumerate(expected):
        found: Finding | None = None
        if number in of:
            sources[shown[of[number]].row] = event
            found = _compare(held, event, shown[of[number]], starts)
        elif event.frame + window.after <= recording.last and starts.of(event).there:
            # near the end of the recording it may still appear; one that left at once is never shown
            found = _missing(event)
        agreed += [id(event)] if found is None else []
        odd += [] if found is None else [found]
    spare = [appearance for index, appearance in enumerate(shown) if index not in used and not appearance.given]
    # a reflected shot may be another actor in the game, which then appears in the next frame
    reflected = {(event.detail, event.frame + 1) for event in ledger.of("reflect")}
    spare = [claim for claim in spare if (claim.actor.id, claim.frame) not in reflected]
    spare = [claim for claim in spare if held.recording.logs("spawn", claim.actor.id)]
    unfired = tuple(_unfired(rules, recording, claim) for claim in spare)
    return Spawned(len(expected), len(agreed), tuple(odd), sources, unfired, agreed)


class _Numbered(NamedTuple):
    """Something that happened in a frame, and its place in its list."""

    frame: int
    at: int


def _matched(held: Held, expected: Sequence[SpawnEvent], shown: Sequence[Appearance], starts: Starts) -> dict[int, int]:
    """Which of the appearances each of the spawns is, by places: those of one frame first, and of one owner where the
    game logs all of them, then those up to `near` frames off; all of a kind at once, by frame, direction and place."""
    window = held.windows.of("spawn")
    kinds: dict[str, tuple[list[_Numbered], list[_Numbered]]] = {}
    for at, event in enumerate(expected):
        kinds.setdefault(event.kind, ([], []))[0].append(_Numbered(event.frame, at))
    for at, appearance in enumerate(shown):
        if appearance.actor.logged_kind in kinds:
            kinds[appearance.actor.logged_kind][1].append(_Numbered(appearance.frame, at))

    def may_be(predicted: _Numbered, seen: _Numbered) -> bool:
        event, entry = expected[predicted.at], shown[seen.at]
        return entry.actor.owner in (None, event.owner) and (not entry.given or window.holds(entry.frame, event.frame))

    def cost(predicted: _Numbered, seen: _Numbered) -> tuple[int, ...] | None:
        if not may_be(predicted, seen):
            return None
        event, entry = expected[predicted.at], shown[seen.at]
        # whole numbers: noise in the last digit must not decide between shots that are alike
        turned = round(starts.turned(event, entry))
        apart = min(round(starts.apart(event, entry)), 1000)
        strays = min(round(FINE * starts.strays(event, entry)), 1000)
        # an appearance that needs a cause comes first
        return abs(entry.frame - event.frame), entry.given, turned, apart, strays

    of: dict[int, int] = {}
    for mine, theirs in kinds.values():
        # a shot without an owner may come from any actor, so in its frame all owners compete
        unlogged = {seen.frame for seen in theirs if shown[seen.at].actor.owner is None}
        groups: dict[tuple[int, str | None], tuple[list[_Numbered], list[_Numbered]]] = {}

        def group(shot: _Numbered, owner: str | None, unlogged: set[int] = unlogged) -> tuple[int, str | None]:
            return shot.frame, None if shot.frame in unlogged else owner

        for predicted in mine:
            groups.setdefault(group(predicted, expected[predicted.at].owner), ([], []))[0].append(predicted)
        for seen in theirs:
            key = group(seen, shown[seen.at].actor.owner)
            if key in groups:
                groups[key][1].append(seen)
        for events, poses in groups.values():  # most agree in their frame, and leave few to be sought further off
            if len(events) == len(poses) == 1:
                pairs = [(events[0], poses[0])] if may_be(events[0], poses[0]) else []
            else:
                _put_in_order(events, poses, expected, shown, starts)
                pairs = assigned(events, poses, Window(), cost)
            of |= {event.at: shot.at for event, shot in pairs}
        taken = set(of.values())
        left = (
            [column for column in mine if column.at not in of],
            [column for column in theirs if column.at not in taken],
        )
        of |= {event.at: shot.at for event, shot in assigned(*left, Window(held.near, held.near), cost)}
    return of


def _put_in_order(
    events: list[_Numbered],
    poses: list[_Numbered],
    expected: Sequence[SpawnEvent],
    shown: Sequence[Appearance],
    starts: Starts,
) -> None:
    """Sorts both sides by their ways: shots that are alike otherwise go by their speed, and most agree at once."""
    logs = all(shown[seen.at].logs_velocity for seen in poses)

    def way(predicted: _Numbered) -> tuple[float, float]:
        velocity = starts.of(expected[predicted.at]).velocity
        return _in_order(math.hypot(*velocity), angle_of(*velocity) if any(velocity) else None, logs)

    poses.sort(key=lambda seen: _in_order(math.hypot(*shown[seen.at].way), shown[seen.at].moves, logs))
    events.sort(key=way)


def _in_order(speed: float, direction: float | None, logs: bool) -> tuple[float, float]:
    """By speed, where the game logs it, then by direction."""
    return round(speed, 3) if logs else 0.0, round(direction or 0.0, 1)


def _is_logged(held: Held, event: SpawnEvent) -> bool:
    return event.kind not in held.recording.scope.kinds and "spawn" not in held.recording.scope.events


def appearances(rules: Rules, recording: Recording) -> list[Appearance]:
    """Where recorded actors of those kinds appear, also when they do so again."""
    kinds, poses, found = rules.spawned, recording.poses, []
    rows, mask = recording.appearances(
        [number for number, actor in enumerate(recording.actors) if actor.logged_kind in kinds]
    )
    then = poses.following[rows]
    there, chosen = (then >= 0) & ~poses.cut[then], ~(np.isnan(poses.vx[rows]) | np.isnan(poses.vy[rows]))
    ways = [
        np.where(chosen, velocity[rows], np.where(there, place[then] - place[rows], 0.0)).tolist()
        for velocity, place in ((poses.vx, poses.x), (poses.vy, poses.y))
    ]
    columns = (column[rows].tolist() for column in (poses.actor, poses.frame, poses.x, poses.y, poses.angle))
    for row, known, logs, number, frame, x, y, angle, *way in zip(
        rows.tolist(), mask.tolist(), chosen.tolist(), *columns, *ways, strict=True
    ):
        moves = angle_of(*way) if any(way) else None
        actor, (vx, vy) = recording.actors[number], way
        found.append(Appearance(actor, row, frame, x, y, angle, moves, logs, (vx, vy), known))
    return sorted(found, key=lambda appearance: (appearance.frame, appearance.actor.id))


NEAR = 30
"""Frames about one in which a shot that is shown first may be meant."""


def near_shots(rules: Rules, recording: Recording, frame: int) -> list[Appearance]:
    """Which actors that something spawns appear about a frame, the nearest first."""
    found = [appearance for appearance in appearances(rules, recording) if abs(appearance.frame - frame) <= NEAR]
    return sorted(found, key=lambda appearance: (abs(appearance.frame - frame), appearance.frame, appearance.actor.id))[
        :3
    ]


def _place(event: Event) -> tuple[float, float]:
    return event.x or 0.0, event.y or 0.0


def _who(event: Event) -> str:
    return f"{event.owner}/{event.emitter}" if event.emitter else (event.id or "").rsplit("-", 1)[0]


def _missing(event: Event) -> Finding:
    rules = f"{_who(event)} spawns {event.id} at ({event.x:.1f}, {event.y:.1f})"
    return _finding("spawn-missing", event.frame, event, event.id or "", f"shows no {event.kind}", rules)


def _finding(code: str, frame: int, event: Event, actor: str, game: str, rules: str, shift: int = 0) -> Finding:
    emitter = _who(event) if event.emitter else ""
    return Finding(code, frame, event.owner or "", actor, None, event, shift, game, rules, emitter=emitter)


def _compare(held: Held, event: SpawnEvent, appearance: Appearance, starts: Starts) -> Finding | None:
    """The first thing that differs between a predicted spawn and what appeared. The direction is that of its motion if
    it moves, else that of its pose, where that states any."""
    shift, who = event.frame - appearance.frame, appearance.actor.id
    # a shot in another frame has another place too: that would be the same mistake twice
    if not held.windows.of("spawn").holds(appearance.frame, event.frame):
        word = "later" if shift > 0 else "earlier"
        frames = "1 frame" if abs(shift) == 1 else f"{abs(shift)} frames"
        rules = f"{_who(event)} spawns it in {event.frame}, {frames} {word}"
        emitter = emitter_of(held, event)
        if emitter is not None and emitter.when.on == "hold" and emitter.cooldown:
            rules += f": held, with a cooldown of {emitter.cooldown} frames"
        return _finding(
            "spawn-moved", appearance.frame, event, who, f"{who} appears in {appearance.frame}", rules, shift
        )
    apart = _apart(held, event, appearance, starts)
    if shift == 0 and apart > held.tolerance_of(who):
        moved = held.births[event.frame, event.id].moves_at_once
        text = f"({event.x:.1f}, {event.y:.1f}) and moves it at once" if moved else f"({event.x:.1f}, {event.y:.1f})"
        rules = f"{_who(event)} spawns it at {text}, {apart:.1f} units off"
        game = f"{who} appears at ({appearance.x:.1f}, {appearance.y:.1f})"
        return _finding("spawn-place", appearance.frame, event, who, game, rules)
    turns = event.emitter is not None and starts.turned(event, appearance) > DEGREES
    if shift == 0 and turns and not _is_reflected(held, appearance):
        heads = appearance.angle if appearance.moves is None else appearance.moves
        game = f"{who} heads {heads:.1f}°"
        return _finding("spawn-direction", appearance.frame, event, who, game, f"{_who(event)} aims {event.angle:.1f}°")
    return None


def _is_reflected(held: Held, appearance: Appearance) -> bool:
    """Whether only its first step says where it heads, which goes where it is reflected in its first frame."""
    steps = appearance.moves is not None and not appearance.logs_velocity
    return steps and any(event.frame == appearance.frame for event in held.ledger.about(appearance.actor.id, "reflect"))


def _apart(held: Held, event: SpawnEvent, appearance: Appearance, starts: Starts) -> float:
    """Distance to where it should appear: for a hit effect the overlap of the two boxes."""
    place, away = (appearance.x, appearance.y), [starts.apart(event, appearance)]
    is_off = away[0] > held.tolerance_of(appearance.actor.id)
    # a hit effect may be anywhere in the overlap of the boxes, not only at the contact point
    if is_off and event.emitter is None and event.id.startswith("effect+"):
        hits = held.ledger.hits()
        first, last = (bisect_left(hits, frame, key=attrgetter("frame")) for frame in (event.frame - 1, event.frame))
        for hit in hits[first:last]:
            if math.dist((hit.x or 0.0, hit.y or 0.0), _place(event)) < 1e-3:
                sides = [(hit.attacker, hit.hitbox), (hit.target, hit.hurtbox)]
                for t in WAY:  # a game may sweep what the recording only shows where it ends up
                    known = [held.outside(name or "", box or "", hit.frame, t, place) for name, box in sides]
                    away += [max(value for value in known if value is not None)] if None not in known else []
    return min(away)


def _unfired(rules: Rules, recording: Recording, appearance: Appearance) -> Unfired:
    """A shot that no emitter fired, and the emitters that could have."""
    owner = appearance.actor.owner
    kinds = {actor.id: actor.kind for actor in recording.actors} | {
        fixture.id: fixture.kind for fixture in rules.fixtures
    }
    # without a logged owner every actor with such an emitter may have fired it
    owners = [owner] if owner in kinds else sorted(name for name in kinds if owner is None)
    guns = [
        (name, emitter)
        for name in owners
        for emitter in rules.kinds[kinds[name]].emitters
        if emitter.fan.kind == appearance.actor.logged_kind
    ]
    return Unfired(appearance, tuple(guns))
