"""I-frames of a draft: after hits, after returns, and from the start of runs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Literal

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.core.rules.shapes import Floats
from voskar.draft.seen import CLOSE, STILL, Seen
from voskar.draft.spells import FAR, Spell, agreed_on, holds, most_common
from voskar.draft.values import Value, roundest
from voskar.words import counted

FEW_FRAMES = 600
"""Frames behind a hit that are looked at first for the end of its i-frames."""
NARROW = 1.25
"""Within this share of its least a range of frames is written as a round number, else as its least."""
MANY = 300
"""Hits that say how far two reach; more cost time and say no more."""
LEAST = 3
"""Returns, or runs, from which touches without a hit say for how long they make immune."""
SHORT = 3
"""Frames of touching after the last hit of a pair that may be the rest of the same swing."""


Since = tuple[int, str, int, int]
"""The number of a recording, an actor, the last frame before it may be immune, and the first frame after that."""


class ImmunityDraft(Seen):
    """Drafts for how long hits, returns and starts make immune."""

    def _iframes(self, target: str) -> None:
        """The frames for which it is logged immune after hits; else the frames for which it is touched after hits
        without another one."""
        spells = self._immune_after_hits(target)
        every = [pair for spell in spells.values() for pair in spell]
        usual = most_common(every)
        own = {
            attack: pairs
            for attack, pairs in spells.items()
            if sum(holds(pair, usual) for pair in pairs) < len(pairs) / 2
        }
        rest = [pair for attack, pairs in spells.items() if attack not in own for pair in pairs]
        # an attack gets i-frames of its own if its spells have another length
        for attack, entries in own.items():
            self._immune_for(self.attacks[attack].keys, "target.iframes", entries)
        if self._immune_for(self.kinds[target].keys, "iframes", rest):
            return
        gaps = self._ignored(target)
        agreed = agreed_on(gaps, ends=False)
        # a single length could be chance; so many frames of touching could not
        if agreed is not None and agreed[0] > SHORT:
            value, spread = _within(*agreed[:2])
            why = f"touched so long after {agreed[2]} of {counted(len(gaps), 'hit')} without another one, {spread}"
            self.kinds[target].keys["iframes"] = Value(f'"{value}f"', why)
        elif (most := min((high for _, high in gaps), default=FAR)) and most < FAR:
            why = f"at most {counted(most, 'frame')}, as hits come {counted(most + 1, 'frame')} apart"
            self.unknown.append(f"{target}: its i-frames: {why}; log `immune`, or let it stand in a hazard for a while")

    def _start_iframes(self, target: str) -> None:
        """Drafts for how long it is immune from the first frame of a run on."""
        begun: list[Since] = []
        for number, played in enumerate(self.recordings):
            # a recording that is cut out of a longer one begins in the middle of a run
            starts = [*([0] if played.first == 0 else []), *(at for at, what in played.resets.items() if what == "run")]
            for name, actor in played.numbers.items():
                frames = played.poses.frames_of(actor) if self._kind(played, name) == target else ()
                deaths = [frame for text, frame in self._ends(played, target)[0] if text == name]
                for start in starts if len(frames) else ():
                    until = min((end for end in (*deaths, *played.resets) if end > start), default=played.last + 1)
                    begun += [(number, name, start - 1, until)] if start in frames else []
        value, why = self._immune_since(begun, "runs")
        if value:
            self.kinds[target].keys["start_iframes"] = Value(f'"{value}f"', why)

    def _immune_since(self, begun: Sequence[Since], word: Literal["runs", "returns"]) -> tuple[int, str]:
        """How many frames actors are immune from the start of runs or from returns on, and the evidence; 0 if it is
        not known. `immune` of poses says it, else touches without a hit."""
        logged = [
            spell
            for number, name, since, until in begun
            if (spell := self._immune_after(self.recordings[number], name, since, until)) is not None
        ]
        agreed = agreed_on(logged)
        if agreed is not None and agreed[1]:
            value = int(roundest(agreed[0], agreed[1] + 1))
            return value, f"logged immune so long from {agreed[2]} of {len(logged)} {word} on"
        if logged:
            return 0, ""
        kinds = {self._kind(self.recordings[number], name) for number, name, *_ in begun}
        reaches = {
            (own, kind): reach
            for own, kind in self.pairs
            if kind in kinds and (reach := self._reach_of(own, kind)) is not None
        }
        touched = [self._ignored_since(*entry, reaches) for entry in begun]
        agreed = agreed_on(touched)
        if agreed is None or agreed[0] <= SHORT or agreed[2] < LEAST:
            return 0, ""
        value, spread = _within(*agreed[:2])
        return value, f"touched so long from {agreed[2]} of {len(touched)} {word} on without a hit, {spread}"

    def _ignored_since(
        self, number: int, name: str, since: int, until: int, reaches: Mapping[tuple[str, str], Floats]
    ) -> Spell:
        """How many frames after `since` an actor is touched without a hit, and how many frames pass until a hit; FAR if
        no hit comes before `until`. It is touched if an attacker is as near as in one of its hits."""
        played = self.recordings[number]
        kind, poses = self._kind(played, name), played.poses
        hits = self._hurting(number, kind).get(name, {})
        end = min((frame for frame in hits if frame > since), default=until)
        last, seen = since, min(end - 1, since + FAR)
        theirs = poses.between(played.numbers[name], since + 1, seen)
        theirs = theirs[~poses.hidden[theirs]]
        clips = {own: [-1, *self._clips_of(own, kind, played)] for own, target in reaches if target == kind}
        struck: dict[str | None, list[int]] = defaultdict(list)
        for hit in self.hits[number]:
            struck[hit.target] += range(hit.frame, hit.frame + CLOSE)
        for attacker, actor in enumerate(played.actors):
            reach = reaches.get((actor.kind, kind)) if actor.owner != name else None
            mine = poses.between(attacker, since + 1, seen) if reach is not None else theirs[:0]
            if reach is None or not len(mine):
                continue
            # in another clip it may not attack at all
            acts = np.isin(poses.clip[mine], clips[actor.kind])
            mine = mine[acts & ~poses.hidden[mine] & (poses.health[mine] != 0)]
            frames, here, there = np.intersect1d(poses.frame[mine], poses.frame[theirs], return_indices=True)
            if not len(frames):
                continue
            apart = np.column_stack([axis[mine[here]] - axis[theirs[there]] for axis in (poses.x, poses.y)])
            inside = ((apart[:, None] * reach >= 0) & (np.abs(apart[:, None]) <= np.abs(reach) + STILL)).all(axis=2)
            # who is hit just then may be kept from hitting by that
            near = inside.any(axis=1) & ~np.isin(frames, struck[actor.id])
            last = max([last, *frames[near].tolist()])
        return last - since, end - since - 1 if end < until else FAR

    def _reach_of(self, attacker: str, target: str) -> Floats | None:
        """How the two stand to each other in their hits, (hits, 2); None if something else decides these as well."""
        groups = [group for group in self._groups(attacker) if target in group.targets]
        keys = [key for group in groups for key in self.attacks[group.name].keys]
        if any(key.startswith("if.") for key in keys) or any(self._cells(group) for group in groups):
            return None
        found = []
        for number, claim in self.pairs[attacker, target][:MANY]:
            played = self.recordings[number]
            rows = played.row(claim.attacker or "", claim.frame), played.row(claim.target or "", claim.frame)
            if rows[0] is not None and rows[1] is not None:
                found.append([float(axis[rows[0]] - axis[rows[1]]) for axis in (played.poses.x, played.poses.y)])
        return np.array(found) if found else None

    def _clips_of(self, attacker: str, target: str, played: Recording) -> list[int]:
        """The clips of a recording in which attackers hit."""
        return [
            int(played.poses.clip[row])
            for number, claim in self.pairs[attacker, target]
            if self.recordings[number] is played and (row := played.row(claim.attacker or "", claim.frame)) is not None
        ]

    def _hurting(self, number: int, target: str) -> dict[str, dict[int, Claim]]:
        """The hits of a recording that hurt a kind: by the id of the target and the frame, the first of each frame."""
        found: dict[str, dict[int, Claim]] = defaultdict(dict)
        for hit in self.hits[number]:
            hurts = hit.damage is None or hit.damage > 0
            if hurts and self._kind(self.recordings[number], hit.target) == target:
                found[hit.target or ""].setdefault(hit.frame, hit)
        return found

    def _ignored(self, target: str) -> list[Spell]:
        """Of each hit: for how many frames after it the two touched without another one on the same actor, and the
        frames until the next one; FAR if a mark, a death, a return or the end comes first."""
        found = []
        for number, played in enumerate(self.recordings):
            breaks: dict[str, list[int]] = defaultdict(list)
            for name, frame in (end for ends in self._ends(played, target) for end in ends):
                breaks[name].append(frame)
            for name, own in self._hurting(number, target).items():
                ends = [*breaks[name], *played.resets, played.last + 1]
                for first, second in pairwise([*sorted(own), played.last + 1]):
                    end = min(end for end in ends if end >= first)
                    until = min(second, end)
                    hits_of_both = [own[at] for at in (first, second) if at in own and at <= until]
                    touched = max(self._touched(played, claim, first, until) for claim in hits_of_both)
                    found.append((touched, second - first - 1 if second < end else FAR))
        return found

    def _touched(self, played: Recording, hit: Claim, first: int, second: int) -> int:
        """How long after a frame, and before another one, the two of a hit were last no further apart than in the hit,
        in a cell in which its attack hits; 0 for never."""
        poses, numbers = played.poses, played.numbers
        at = [played.row(name or "", hit.frame) for name in (hit.attacker, hit.target)]
        if at[0] is None or at[1] is None:
            return 0
        mine, theirs = (
            poses.between(numbers[name or ""], first + 1, min(second, first + FAR) - 1)
            for name in (hit.attacker, hit.target)
        )
        frames, both, other = np.intersect1d(poses.frame[mine], poses.frame[theirs], return_indices=True)
        mine, theirs = mine[both], theirs[other]
        near = ~(poses.hidden[mine] | poses.hidden[theirs]) & (poses.clip[mine] == poses.clip[at[0]])
        for axis in (poses.x, poses.y):
            near &= np.abs(axis[mine] - axis[theirs]) <= abs(axis[at[0]] - axis[at[1]]) + STILL
        if poses.clip[at[0]] >= 0:
            group = self._group_of(self._kind(played, hit.attacker), self._kind(played, hit.target), hit)
            low, high = (self._cells(group) or {}).get(played.clips[poses.clip[at[0]]], (0, FAR))
            cell = np.where(poses.cell[mine] >= 0, poses.cell[mine], poses.tick[mine])
            near &= (cell >= low) & (cell <= high)
        return int(frames[near][-1]) - first if near.any() else 0

    @staticmethod
    def _immune_for(keys: dict[str, Value], key: str, spells: Sequence[Spell]) -> bool:
        """Writes for how long, if nearly all agree on that."""
        agreed = agreed_on(spells)
        if agreed is None:
            return False
        least, most, count = agreed
        if most:
            spread = "exactly" if least == most else f"{least} to {most}"
            why = f"logged immune so long after {count} of {counted(len(spells), 'hit')}, {spread}"
            keys[key] = Value(f'"{int(roundest(least, most + 1))}f"', why)
        return True

    def _immune_after_hits(self, target: str) -> dict[str, list[Spell]]:
        """Of each hit that hurt, by its attack. A return has i-frames of its own."""
        found: dict[str, list[Spell]] = defaultdict(list)
        for number, played in enumerate(self.recordings):
            down, back = self._ends(played, target)
            for name, frames in self._hurting(number, target).items():
                ends = {frame for text, frame in (*down, *back) if text == name} | {*frames, *played.resets}
                # a death ends the i-frames with the life
                for frame in sorted(frames.keys() - {frame for text, frame in down if text == name}):
                    until = min((end for end in ends if end > frame), default=played.last + 1)
                    spell = self._immune_after(played, name, frame, until)
                    attacker = self._kind(played, frames[frame].attacker)
                    if spell is not None and attacker:
                        found[self._group_of(attacker, target, frames[frame]).name].append(spell)
        return found

    @staticmethod
    def _immune_after(played: Recording, name: str, since: int, until: int) -> Spell | None:
        """How many frames from one on it is logged immune at least, and at most; None where that is not logged."""
        poses, reach = played.poses, FEW_FRAMES
        while True:  # most end soon
            own = poses.between(played.numbers[name], since + 1, min(until - 1, since + reach))
            own = own[poses.immune[own] >= 0]
            ended = np.flatnonzero(poses.immune[own] == 0)
            if len(ended) or since + reach >= until - 1:
                break
            reach *= 4
        if not len(own):
            return None
        if not len(ended):
            return int(poses.frame[own[-1]]) - since, FAR
        least = int(poses.frame[own[ended[0] - 1]]) - since if ended[0] else 0
        return least, int(poses.frame[own[ended[0]]]) - since - 1


def _within(low: int, high: int) -> tuple[int, str]:
    """The number that is written for a range of frames, and the range in words."""
    value = int(roundest(low, high + 1)) if high <= NARROW * low else low
    return value, "exactly" if low == high else f"{low} to {high}" if high < FAR else f"{low} or more"
