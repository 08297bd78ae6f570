"""The conditions and consequences of a draft's attacks besides damage: from above while falling; how far they push."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from functools import cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from voskar.core.recording import Claim, Poses, Recording
from voskar.draft.seen import AWAY, SIDES, STILL, Seen, Side, whole_hits
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


class Pushed(NamedTuple):
    """A push, and the rows of the pushed actor and of the other actor in the frame of the hit."""

    push: Push
    poses: Poses
    row: int | None
    other: int | None


class Thrown(NamedTuple):
    """How an actor moves in the frame behind a hit, in units a second."""

    rises: bool
    """It goes up, and did not before."""
    up: float
    keeps: bool
    """Its speed across stays as it was."""
    away: float
    """From the other side of the hit, by their places."""
    ahead: float
    """Along the way that the other side faces."""


class ReactionDraft(Seen):
    """Drafts what a hit needs, and its knockback."""

    def reactions(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """Of the hits of one attack, each with the number of its recording."""
        self._stomp(made, claims)
        whole = whole_hits(made, claims)
        for side in SIDES:
            self._launch(made, whole, side)
            self._home(made, whole, side)
        for side in SIDES:
            pushes = self.pushes(whole, side)
            moved = sum(entry.push[0] > 0 for entry in pushes)
            if len(pushes) < LEAST or moved < 0.8 * len(pushes):
                continue
            found = self.knockback(pushes, side)
            if isinstance(found, Value):
                made.keys[f"{side}.knockback"] = found
            else:
                self.unknown.append(f"{made.name}: {found}")

    def pushes(self, claims: Sequence[tuple[int, Claim]], side: Side) -> list[Pushed]:
        """How hits push one of their sides, of those that show it."""
        found = []
        for number, claim in claims:
            played = self.recordings[number]
            name, other = (claim.target, claim.attacker) if side == "target" else (claim.attacker, claim.target)
            push = _push(played, name, claim.frame)
            if push is not None:
                rows = played.row(name or "", claim.frame), played.row(other or "", claim.frame)
                found.append(Pushed(push, played.poses, *rows))
        return found

    @staticmethod
    def knockback(pushes: Sequence[Pushed], side: Side) -> Value | str:
        """The knockback of most pushes of one side, else what is not known of it."""
        found = [entry for entry in pushes if entry.push[0] > 0]
        length = Counter(entry.push[0] for entry in found).most_common(1)[0][0]
        way = float(np.median([math.hypot(*entry.push[1:3]) for entry in found]))
        same = [entry for entry in found if entry.push[0] == length and abs(math.hypot(*entry.push[1:3]) - way) < 0.5]
        if len(same) < 0.8 * len(found):
            return f"its knockback on the {side}: it differs from hit to hit; log `push`"
        keys = [f"distance = {shown(way)}", f'over = "{length}f"']
        keys += ['ease = "fade"'] if sum(entry.push[3] for entry in same) > len(same) / 2 else []
        direction = _direction(same)
        if direction is None:
            return f"which way its knockback on the {side} goes"
        keys += [f"direction = {direction}"] if direction != '"away"' else []
        why = f"{len(same)} of {counted(len(found), 'hit')} on a standing or stunned actor push it so"
        return Value("{ " + ", ".join(keys) + " }", why)

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

    def _launch(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]], side: Side) -> None:
        """A speed upwards in the next frame that it had not before, about the same each time, and the speed across if
        that changes with it."""
        sent = [thrown for number, claim in claims if (thrown := self._thrown(number, claim, side)) is not None]
        up, same = _common([thrown.up for thrown in sent if thrown.rises])
        if same < LEAST or same < 0.8 * len(sent):
            return
        why = f"{same} of {counted(len(sent), 'hit')} send it up so"
        sent = [thrown for thrown in sent if thrown.rises]
        if sum(thrown.keeps for thrown in sent) >= 0.8 * len(sent):
            made.keys[f"{side}.launch"] = Value(shown(up), why)
            return
        for word in ("away", "ahead"):
            across, same = _common([getattr(thrown, word) for thrown in sent])
            if same >= 0.8 * len(sent):
                made.keys[f"{side}.launch"] = Value(f"{{ up = {shown(up)}, {word} = {shown(across)} }}", why)
                return
        self.unknown.append(f"{made.name}: how fast it sends the {side} sideways, besides {shown(up)} up: it differs")

    def _thrown(self, number: int, claim: Claim, side: Side) -> Thrown | None:
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
        rises, keeps = bool(before <= STILL and after > MINIMUM), bool(abs(across - was) <= STILL * rate)
        return Thrown(rises, float(after), keeps, float(across * way), float(across * poses.facing[other]))

    def _home(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]], side: Side) -> None:
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


def _direction(same: Sequence[Pushed]) -> str | None:
    """Away from the other one's place, level, or the way that one faces: the first that each goes by."""
    sides: list[tuple[float, float, float, float, float]] = []
    for push, poses, row, other in same:
        if row is None or other is None:
            return None
        x, y, facing = poses.x, poses.y, poses.facing
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
    """The motion after a hit of an actor that stood before it, or is stunned after it, until the actor stands again.
    Frozen frames do not count. None if the end is not seen; no frames if the actor stays."""
    if (name, frame) in _deaths(played):
        return None  # a body lies where it fell
    poses = played.poses
    places: list[tuple[float, float]] = []
    walks = False
    for at in range(frame - 1, min(frame + LONGEST, played.last) + 1):
        row = played.row(name or "", at)
        if row is None or poses.cut[row] or poses.hidden[row] or (at > frame and at in played.resets):
            return None
        if at > frame and poses.frozen[row] == 1:
            continue
        places.append((float(poses.x[row]), float(poses.y[row])))
        is_stunned = at > frame and poses.stunned[row] == 1  # then all of its motion is the push
        walks = walks or (len(places) == 2 and math.dist(*places) > STILL)
        if len(places) == 3 and walks and not is_stunned:
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
