"""The conditions and consequences of a draft's attacks besides damage: from above while falling; how far they push."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from functools import cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.seen import AWAY, STILL, Seen
from voskar.draft.values import AttackGuess, Value, shown
from voskar.words import counted

LEAST = 3
"""Hits from which they log anything."""
MINIMUM = 60.0
"""Units a second that are a throw and no step."""
LONGEST = 60
"""Frames of a push at most."""

Push = tuple[int, float, float, bool]
"""Frames, the way, and whether it slows down."""


class Thrown(NamedTuple):
    """How an actor moves in the frame behind a hit, in units a second."""

    rises: bool
    """It goes up, and did not before."""
    up: float
    change: float
    """Of its speed across."""
    away: float
    """From the other side of the hit, by their places."""
    ahead: float
    """Along the way that the other side faces."""


class ReactionDraft(Seen):
    """Drafts what a hit needs, and its knockback."""

    def reactions(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """Of the hits of one attack, each with the number of its recording."""
        self._stomp(made, claims)
        for side in ("attacker", "target"):
            self._launch(made, claims, side)
            self._home(made, claims, side)
        for side, name, other in (("target", "target", "attacker"), ("attacker", "attacker", "target")):
            found = [
                (
                    push,
                    played.poses,
                    played.row(getattr(claim, name), claim.frame),
                    played.row(getattr(claim, other), claim.frame),
                )
                for number, claim in claims
                for played in (self.recordings[number],)
                for push in (_push(played, getattr(claim, name), claim.frame),)
                if push is not None
            ]
            pushes = [push for push, *_ in found]
            if len(pushes) < LEAST or sum(push[0] > 0 for push in pushes) < 0.8 * len(pushes):
                continue
            found = [entry for entry in found if entry[0][0] > 0]
            length = Counter(push[0] for push, *_ in found).most_common(1)[0][0]
            way = float(np.median([math.hypot(push[1], push[2]) for push, *_ in found]))
            same = [entry for entry in found if entry[0][0] == length and abs(math.hypot(*entry[0][1:3]) - way) < 0.5]
            if len(same) < 0.8 * len(found):
                self.unknown.append(f"{made.name}: its knockback on the {side}: it differs from hit to hit; log `push`")
                continue
            keys = [f"distance = {shown(way)}", f'over = "{length}f"']
            keys += ['ease = "fade"'] if sum(push[3] for push, *_ in same) > len(same) / 2 else []
            direction = self._direction(same)
            if direction is None:
                self.unknown.append(f"{made.name}: which way its knockback on the {side} goes")
                continue
            keys += [f"direction = {direction}"] if direction != '"away"' else []
            why = f"{len(same)} of {counted(len(found), 'hit')} on a standing target push it so"
            made.keys[f"{side}.knockback"] = Value("{ " + ", ".join(keys) + " }", why)

    @staticmethod
    def _owner(played: Recording, name: str | None) -> str | None:
        number = played.numbers.get(name or "")
        return None if number is None else played.actors[number].owner

    def _stomp(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """Only from above and falling, if all are so: hits from the side are not drafted to count. Shots fall on whom
        they hit and are no stomp."""
        if any(self._owner(self.recordings[number], claim.attacker) for number, claim in claims):
            return
        hits = [entry for number, claim in claims if (entry := self._above(number, claim)) is not None]
        kinds = {self._kind(self.recordings[number], claim.target) for number, claim in claims}
        own = {self._kind(self.recordings[number], claim.attacker) for number, claim in claims}
        # a touch that hurts its attacker unless it comes from above is a stomp, however far aside it is
        against = [pair for target in kinds for attacker in own for pair in self.pairs.get((target, attacker), [])]
        is_steep = all(high > (0 if against else across) for high, across, _ in hits)
        if len(hits) >= LEAST and is_steep and all(falls for *_, falls in hits):
            made.keys["if.from"] = Value('["above"]', f"it is above in {counted(len(hits), 'hit')}, and falls")
            made.keys["if.from_by"] = Value('"centre"', "")
            # both fall into each other: how far above the one is decides who is hit
            met = [entry for number, claim in against if (entry := self._above(number, claim, back=True)) is not None]
            beaten = max((high for high, _, falls in met if falls and high > 0), default=0.0)
            lowest = min(high for high, *_ in hits)
            if 0 < beaten < lowest:
                why = f"it is hit itself where it is up to {shown(beaten)} above, and hits from {shown(lowest)} on"
                made.keys["if.slack"] = Value(shown((beaten + lowest) / 2), why)
            made.keys["if.falling"] = Value("true", "")
            back = {
                (number, hit.frame, hit.target, hit.attacker)
                for number, logged in enumerate(self.hits)
                for hit in logged
            }
            if not any((number, claim.frame, claim.attacker, claim.target) in back for number, claim in claims):
                made.keys["preempts"] = Value("true", "its target never hits it in the same frame")

    def _above(self, number: int, claim: Claim, back: bool = False) -> tuple[float, float, bool] | None:
        """How far the attacker of a hit is above its target and aside of it, and whether it falls; with `back` its
        target above it. None if they are not shown."""
        played = self.recordings[number]
        down = 1.0 if played.up == "-y" else -1.0
        upper, lower = (claim.target, claim.attacker) if back else (claim.attacker, claim.target)
        rows = [played.row(upper or "", claim.frame - 1), played.row(upper or "", claim.frame)]
        other = played.row(lower or "", claim.frame)
        if rows[0] is None or rows[1] is None or other is None:
            return None
        x, y = played.poses.x, played.poses.y
        falls = (y[rows[1]] - y[rows[0]]) * down > STILL
        return float((y[other] - y[rows[1]]) * down), float(abs(x[rows[1]] - x[other])), bool(falls)

    def _launch(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]], side: str) -> None:
        """A speed upwards in the next frame that it had not before, about the same each time, and the speed across if
        that changes with it."""
        sent = [thrown for number, claim in claims if (thrown := self._thrown(number, claim, side)) is not None]
        up, same = _common([thrown.up for thrown in sent if thrown.rises])
        if same < LEAST or same < 0.8 * len(sent):
            return
        why = f"{same} of {counted(len(sent), 'hit')} send it up so"
        sent = [thrown for thrown in sent if thrown.rises]
        if sum(abs(thrown.change) <= STILL * 60 for thrown in sent) >= 0.8 * len(sent):
            made.keys[f"{side}.launch"] = Value(shown(up), why)
            return
        for word in ("away", "ahead"):
            across, same = _common([getattr(thrown, word) for thrown in sent])
            if same >= 0.8 * len(sent):
                made.keys[f"{side}.launch"] = Value(f"{{ up = {shown(up)}, {word} = {shown(across)} }}", why)
                return
        self.unknown.append(f"{made.name}: how fast it sends the {side} sideways, besides {shown(up)} up: it differs")

    def _thrown(self, number: int, claim: Claim, side: str) -> Thrown | None:
        """How one side of a hit moves in the next frame; None if that is not shown."""
        played = self.recordings[number]
        names = [getattr(claim, side) or "", (claim.attacker if side == "target" else claim.target) or ""]
        found = [played.row(names[0], claim.frame + late) for late in (-1, 0, 1)]
        rows = [row for row in found if row is not None]
        other = played.row(names[1], claim.frame)
        if len(rows) < 3 or other is None or played.poses.cut[rows[2]] or claim.frame + 1 in played.resets:
            return None
        if (names[0], claim.frame) in _deaths(played):
            return None  # a body lies where it fell
        poses, rate = played.poses, float(played.rate)
        up = -rate if played.up == "-y" else rate
        before, after = np.diff(poses.y[rows]) * up
        was, across = np.diff(poses.x[rows]) * rate
        way = np.sign(poses.x[rows[1]] - poses.x[other])
        ahead = np.sign(math.cos(float(poses.facing[other])))
        rises = bool(before <= STILL and after > MINIMUM)
        return Thrown(rises, float(after), float(across - was), float(across * way), float(across * ahead))

    def _home(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]], side: str) -> None:
        """At its start in the next frame, from somewhere else."""
        home = away = 0
        for number, claim in claims:
            played = self.recordings[number]
            name = getattr(claim, side) or ""
            rows = [played.row(name, claim.frame + late) for late in (0, 1)]
            if None in rows or claim.frame + 1 in played.resets:
                continue
            here, then = ((float(played.poses.x[row]), float(played.poses.y[row])) for row in rows)
            at = self._home_of(played, name, claim.frame)
            if math.dist(here, at) > AWAY:
                away += 1
                home += math.dist(then, at) < STILL
        if home >= LEAST and home >= 0.8 * away:
            made.keys[f"{side}.home"] = Value("true", f"at its start after {home} of {counted(away, 'hit')}")

    @staticmethod
    def _direction(same: Sequence[tuple[Push, object, int | None, int | None]]) -> str | None:
        """Away from the other one's place, level, or the way that one faces: the first that each goes by."""
        sides: list[tuple[float, float, float, float, float]] = []
        for push, poses, row, other in same:
            if row is None or other is None:
                return None
            x, y, facing = (getattr(poses, name) for name in ("x", "y", "facing"))
            sides.append((push[1], push[2], float(x[row] - x[other]), float(y[row] - y[other]), float(facing[other])))
        turns = [math.remainder(math.atan2(dy, dx) - math.atan2(y, x), math.tau) for dx, dy, x, y, _ in sides]
        if all(abs(turn) < 0.05 for turn in turns):
            return '"away"'
        if all(abs(dy) < STILL for _, dy, *_ in sides):
            if all(dx * x > 0 for dx, _, x, _, _ in sides):
                return '"flat"'
            if all(dx * facing > 0 for dx, *_, facing in sides):
                return '"facing"'
        return None


@cache
def _hits_on(played: Recording) -> Mapping[str, Sequence[int]]:
    """By id, the frames in which it is hit or goes down."""
    found: dict[str, set[int]] = defaultdict(set)
    for claim in played.claims:
        name = {"hit": claim.target, "down": claim.id}.get(claim.event)
        if name:
            found[name].add(claim.frame)
    return {name: sorted(frames) for name, frames in found.items()}


@cache
def _deaths(played: Recording) -> frozenset[tuple[str | None, int]]:
    return frozenset((claim.id, claim.frame) for claim in played.claims if claim.event == "down")


def _common(speeds: Sequence[float]) -> tuple[float, int]:
    """The median of some speeds, and how many of them are about as large."""
    if not speeds:
        return 0.0, 0
    middle = float(np.median(speeds))
    return middle, sum(abs(speed - middle) <= 0.05 * abs(middle) for speed in speeds)


def _push(played: Recording, name: str | None, frame: int) -> Push | None:
    """The push of an actor that stands as it is hit: its motion from the next frame on, until it stands again; None if
    that is not seen. No frames where it stays."""
    if (name, frame) in _deaths(played):
        return None  # a body lies where it fell
    poses = played.poses
    places: list[tuple[float, float]] = []
    for at in range(frame - 1, min(frame + LONGEST, played.last) + 1):
        row = played.row(name or "", at)
        if row is None or poses.cut[row] or poses.hidden[row] or (at > frame and at in played.resets):
            return None
        places.append((float(poses.x[row]), float(poses.y[row])))
        if len(places) == 2 and math.dist(*places) > STILL:
            return None
        if len(places) > 2 and math.dist(places[-1], places[-2]) <= STILL:
            break
    else:
        return None
    steps = [math.dist(a, b) for a, b in pairwise(places[1:-1])]
    if any(frame < later <= frame + len(steps) for later in _hits_on(played).get(name or "", ())):
        return None  # another push, or a death, has ended this one
    if not steps:
        return 0, 0.0, 0.0, False
    slows = len(steps) > 1 and steps[-1] < 0.7 * steps[0]
    return len(steps), places[-2][0] - places[1][0], places[-2][1] - places[1][1], slows
