"""The recordings of one game, as a draft looks at them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from voskar.core.recording import Claim, Recording
from voskar.core.rules.shapes import Bools
from voskar.draft.values import AttackGuess, KindGuess, Value, shown
from voskar.words import counted

Cells = dict[str, tuple[int, int]]
"""The first and last cell of some clips."""

End = tuple[str, int]
"""The id of an actor that went down or returned, and the frame."""

Side = Literal["target", "attacker"]
SIDES: tuple[Side, ...] = ("target", "attacker")

FEW = 2
"""So many cases are no accident."""
CLOSE = 4
"""Frames within which one thing follows from another."""
STILL = 0.05
"""Units a frame that are no motion."""
AWAY = 8.0
"""Units from its start at which being there again means something."""


def _falls(played: Recording) -> Iterator[Claim]:
    """A hit wherever logged health falls, for a game that claims none."""
    poses = played.poses
    before = poses.previous
    rows = np.flatnonzero((before >= 0) & (poses.health < poses.health[before]))
    for row in rows.tolist():
        frame, name = int(poses.frame[row]), played.actors[int(poses.actor[row])].id
        if frame not in played.resets:
            yield Claim(frame, "hit", 0, target=name, damage=float(poses.health[before[row]] - poses.health[row]))


def _whole(played: Recording, claim: Claim) -> Claim:
    """A hit with both of its sides: a side that is not logged is the nearest actor of another kind that is not its
    own."""
    name = claim.attacker or claim.target
    row = None if claim.attacker and claim.target else played.row(name or "", claim.frame)
    if row is None:
        return claim
    poses, own = played.poses, played.actors[played.numbers[name or ""]]
    here = np.arange(*played.block(claim.frame, claim.frame + 1).indices(len(poses.x))[:2])
    here = here[~poses.hidden[here]]
    apart = np.maximum(np.abs(poses.x[here] - poses.x[row]), np.abs(poses.y[here] - poses.y[row]))
    for at in here[np.argsort(apart, kind="stable")].tolist():
        other = played.actors[int(poses.actor[at])]
        if other.kind != own.kind and own.id != other.owner and other.id != own.owner:
            return replace(claim, attacker=claim.attacker or other.id, target=claim.target or other.id)
    return claim


def cell_of(played: Recording, row: int) -> int:
    """The cell of a pose, or the frames since its clip began."""
    poses = played.poses
    return int(poses.cell[row]) if poses.cell[row] >= 0 else int(poses.tick[row])


class AttackGroup(NamedTuple):
    """An attack of an attacker of one kind on targets of some kinds. If it `is_named`, it has the game's name."""

    attacker: str
    name: str
    targets: list[str]
    is_named: bool


class Seen:
    """Recordings, and the kinds and attacks drafted so far. `pairs` are the hits of each two kinds."""

    def __init__(self, recordings: Sequence[Recording]) -> None:
        self.recordings = recordings
        claimed = [[claim for claim in played.claims if claim.event == "hit"] for played in recordings]
        fallen = not any(claimed)
        if fallen:
            claimed = [list(_falls(played)) for played in recordings]
        self.hits = [
            [_whole(played, claim) for claim in claims] for played, claims in zip(recordings, claimed, strict=True)
        ]
        self._shown_last: dict[tuple[Recording, int], int] = {}
        self._known_ends: dict[tuple[Recording, str], tuple[list[End], list[End]]] = {}
        self.kind_names = sorted({actor.kind for played in recordings for actor in played.actors})
        self.kinds = {name: KindGuess(name) for name in self.kind_names}
        self.pairs: dict[tuple[str, str], list[tuple[int, Claim]]] = defaultdict(list)
        for number, (played, logged) in enumerate(zip(recordings, self.hits, strict=True)):
            for claim in logged:
                names = [self._kind(played, name) for name in (claim.attacker, claim.target)]
                if names[0] and names[1]:
                    self.pairs[names[0], names[1]].append((number, claim))
        self.unknown: list[str] = []
        self.undecided: set[str] = set()
        """Cases of hits with a condition that is not known."""
        if fallen and any(claimed):
            count = counted(sum(map(len, claimed)), "hit")
            self.unknown.append(f"{count}: none is claimed, health falls so often: claim hits with attacker and target")
        for side in ("attacker", "target"):
            unlogged = sum(getattr(claim, side) is None for claims in claimed for claim in claims)
            if unlogged:
                many = f"{unlogged} of {counted(sum(map(len, claimed)), 'hit')}"
                learn = "claim hits with attacker and target"
                self.unknown.append(f"who is the {side} of {many}, the nearest is taken for it: {learn}")
        self.attacks: dict[str, AttackGuess] = {}
        self.space: dict[str, Value] = {}
        self.edges: dict[str, float] = {}
        """Sides of the space that are known."""
        self.why_edges = ""
        self.attackers = sorted({attacker for attacker, _ in self.pairs})
        self.targets = sorted({target for _, target in self.pairs})

    def _kind(self, played: Recording, name: str | None) -> str:
        number = played.numbers.get(name or "")
        return "" if number is None else played.actors[number].kind

    @staticmethod
    def _of_kind(played: Recording, kind: str) -> Bools:
        """(poses,) which poses are of actors of a kind."""
        found: Bools = np.array([actor.kind == kind for actor in played.actors], dtype=np.bool_)[played.poses.actor]
        return found

    def _number(self, played: Recording) -> int:
        return next(at for at, other in enumerate(self.recordings) if other is played)

    @staticmethod
    def _home_of(played: Recording, name: str, frame: int) -> tuple[float, float]:
        """The place at which an actor was first seen since the last mark."""
        mark = max([at for at in played.resets if at <= frame], default=played.first)
        number = played.numbers[name]
        start = played.poses.rows_of(number)[int(np.searchsorted(played.poses.frames_of(number), mark))]
        return float(played.poses.x[start]), float(played.poses.y[start])

    def _ends(self, played: Recording, kind: str) -> tuple[list[End], list[End]]:
        if (played, kind) not in self._known_ends:
            self._known_ends[played, kind] = self._all_ends(played, kind)
        return self._known_ends[played, kind]

    def _all_ends(self, played: Recording, kind: str) -> tuple[list[End], list[End]]:
        """Every death and every return of a kind: those that are claimed; for an actor without a claimed death, those
        that its logged health shows, nothing left and then some again."""
        found: dict[str, list[End]] = {"down": [], "respawn": []}
        for claim in played.claims:
            if claim.event in found and self._kind(played, claim.id) == kind:
                found[claim.event].append((claim.id or "", claim.frame))
        # a claim says more than a bar, which may be shown late
        if not found["down"]:
            for actor in played.actors:
                if actor.kind != kind:
                    continue
                rows = played.poses.rows_of(played.numbers[actor.id])
                rows = rows[~np.isnan(played.poses.health[rows])]
                gone = (played.poses.health[rows] <= 0).astype(np.int64)
                for at in np.flatnonzero(np.diff(gone)).tolist():
                    found["down" if gone[at + 1] else "respawn"].append(
                        (actor.id, int(played.poses.frame[rows[at + 1]]))
                    )
        if not found["respawn"]:
            backs = [(name, self._shown_again(played, name, frame)) for name, frame in found["down"]]
            found["respawn"] = [(name, back) for name, back in backs if back is not None]
        return found["down"], found["respawn"]

    @staticmethod
    def _shown_again(played: Recording, name: str, down: int) -> int | None:
        """The first frame in which an actor that was gone after its death is there again, and not dead."""
        if name not in played.numbers:
            return None
        poses, rows = played.poses, played.poses.rows_of(played.numbers[name])
        rows = rows[(poses.frame[rows] >= down) & ~poses.hidden[rows]]
        gaps = np.flatnonzero(np.diff(poses.frame[rows]) > 1)
        if not len(gaps) or poses.health[rows[gaps[0] + 1]] <= 0:
            return None
        return int(poses.frame[rows[gaps[0] + 1]])

    def _groups(self, attacker: str) -> list[AttackGroup]:
        """The attacks of an attacker: those that the game names, each; else apart where it shows other clips as it hits
        other targets."""
        named: dict[str, set[str]] = defaultdict(set)
        clips: dict[str, set[str]] = {}
        for (name, target), claims in sorted(self.pairs.items()):
            if name != attacker:
                continue
            for _, claim in claims:
                if claim.attack is not None:
                    named[claim.attack].add(target)
            rest = [(number, claim) for number, claim in claims if claim.attack is None]
            if rest:
                clips[target] = {self._clip(self.recordings[number], claim) for number, claim in rest} - {""}
        groups: list[tuple[set[str], list[str]]] = []
        for target, own in clips.items():
            fitting = next((group for group in groups if not own or not group[0] or group[0] & own), None)
            if fitting is None:
                groups.append((set(own), [target]))
            else:
                fitting[0].update(own)
                fitting[1].append(target)
        found = [AttackGroup(attacker, name, sorted(targets), True) for name, targets in sorted(named.items())]
        for _, targets in groups:
            name = attacker if len(groups) == 1 else f"{attacker} on {' and '.join(targets)}"
            found.append(AttackGroup(attacker, name, targets, False))
        return found

    def _hits_in(self, group: AttackGroup, *targets: str) -> list[tuple[int, Claim]]:
        """The hits of an attack, on some of its targets or on all, each with the number of its recording."""
        wanted = group.name if group.is_named else None
        return [
            (number, claim)
            for target in targets or group.targets
            for number, claim in self.pairs[group.attacker, target]
            if claim.attack == wanted
        ]

    def _group_of(self, attacker: str, target: str, claim: Claim) -> AttackGroup:
        """The attack that a hit is of."""
        return next(
            group
            for group in self._groups(attacker)
            if target in group.targets and (group.name if group.is_named else None) == claim.attack
        )

    def _cells(self, group: AttackGroup) -> Cells | None:
        """The cells of each clip in which an attack hits; None where a hit shows no clip."""
        found: Cells = {}
        for number, claim in self._hits_in(group):
            played = self.recordings[number]
            row = played.row(claim.attacker or "", claim.frame)
            if row is None or played.poses.clip[row] < 0:
                return None
            clip, cell = played.clips[played.poses.clip[row]], cell_of(played, row)
            low, high = found.get(clip, (cell, cell))
            found[clip] = min(low, cell), max(high, cell)
        return found

    def _clip(self, played: Recording, claim: Claim) -> str:
        row = played.row(claim.attacker or "", claim.frame)
        number = -1 if row is None else int(played.poses.clip[row])
        return played.clips[number] if number >= 0 else ""

    def _vanishes(self, played: Recording, name: str | None, frame: int) -> bool:
        number = played.numbers.get(name or "")
        if number is None:
            return True
        last = self._last_shown(played, number)
        return last < 0 or last <= frame + CLOSE < played.last

    def _last_shown(self, played: Recording, number: int) -> int:
        """The last frame in which an actor is not hidden, -1 for none."""
        if (played, number) not in self._shown_last:
            rows = played.poses.rows_of(number)
            frames = played.poses.frame[rows[~played.poses.hidden[rows]]]
            self._shown_last[played, number] = int(frames[-1]) if len(frames) else -1
        return self._shown_last[played, number]

    def _bounds(self, edges: dict[str, float], why: str) -> None:
        """The bounds of the space; a side that nothing ends at is far beyond all that is seen."""
        poses = [played.poses for played in self.recordings]
        far = 1000.0
        low = [min(float(pose.x.min()) for pose in poses) - far, min(float(pose.y.min()) for pose in poses) - far]
        high = [max(float(pose.x.max()) for pose in poses) + far, max(float(pose.y.max()) for pose in poses) + far]
        table = {"left": low[0], "top": low[1], "right": high[0], "bottom": high[1]} | self.edges | edges
        self.edges |= edges
        open_sides = [side for side in table if side not in self.edges]
        why = f"{self.why_edges}; {why}" if self.why_edges else why
        self.why_edges = why
        why += f"; no log of {', '.join(open_sides)}" if open_sides else ""
        self.space["bounds"] = Value("[" + ", ".join(shown(round(value)) for value in table.values()) + "]", why)


def whole_hits(made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> list[tuple[int, Claim]]:
    """The hits of an attack that are of no case: none that the game names, and none that their damage shows."""
    own = made.keys["damage"].text
    return [
        (number, claim)
        for number, claim in claims
        if not claim.case and (claim.damage is None or shown(claim.damage) == own)
    ]
