"""Health, i-frames, lives, deaths and returns of a draft."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.seen import AWAY, FEW, STILL, Seen
from voskar.draft.spells import FAR, Spell, agreed_on, holds, most_common
from voskar.draft.values import Value, roundest, shown
from voskar.words import counted

FEW_FRAMES = 600
"""Frames behind a hit that are looked at first for the end of its i-frames."""
LATEST = 120
"""Frames after a death in which its life may be taken."""

End = tuple[str, int]
"""The id of an actor that went down or returned, and the frame."""
Death = tuple[Recording, str, int]
"""A death: its recording, the actor's id, and the frame."""

NARROW = 1.25
"""Within this share of its least a range of frames is written as a round number, else as its least."""
SHORT = 3
"""Frames of touching after the last hit of a pair that may be the rest of the same swing."""


class LifeDraft(Seen):
    """Drafts what becomes of those that are hit."""

    def life(self, target: str) -> None:
        """Everything of one kind."""
        self._health(target)
        self._iframes(target)
        self._start_iframes(target)
        self._lives(target)

    def _of_target(self, target: str) -> list[tuple[int, Claim]]:
        return [pair for (_, name), claims in self.pairs.items() if name == target for pair in claims]

    def _health(self, target: str) -> None:
        logged = [
            float(np.nanmax(values))
            for played in self.recordings
            if len(values := self._column(played, target, "health")) and not np.isnan(values).all()
        ]
        logged = [most for most in logged if most > 0]  # an actor that is always dead has no known health
        own = self.kinds[target]
        # a kind that is only healed has no health to lose
        if logged and not any(claim.damage is None or claim.damage > 0 for _, claim in self._of_target(target)):
            self.unknown.append(
                f"{target}: what hurts it: nothing here does, and its health stays at {shown(max(logged))}"
            )
            return
        if logged:
            own.keys["health"] = Value(shown(max(logged)), "the most that is logged")
            return
        consumed = self._consumed(target)
        if consumed is not None:
            own.keys["health"] = consumed
            return
        hits = self._of_target(target)
        generator = ((number, claim) for number, played in enumerate(self.recordings) for claim in played.claims)
        downs = {(number, claim.frame, claim.id) for number, claim in generator if claim.event == "down"}
        gone = sum(
            (number, claim.frame, claim.target) in downs
            or self._vanishes(self.recordings[number], claim.target, claim.frame)
            for number, claim in hits
        )
        attacker = next(text for text, name in sorted(self.pairs) if name == target)
        group = next(group for group in self._groups(attacker) if target in group.targets)
        damage = float(self.attacks[group.name].keys["damage"].text)
        # some of its hits may have been blocked
        if gone >= 0.7 * len(hits) and damage > 0:
            least = shown(min(damage, 1.0))  # the log gives no evidence for more
            own.keys["health"] = Value(least, f"it is down or gone after {gone} of {counted(len(hits), 'hit')}")
        else:
            self.unknown.append(f"{target}: its health: log `health` in its poses")

    def _consumed(self, target: str) -> Value | None:
        """The damage that an actor takes from one return to its next death, where deaths are claimed: so much, and more
        than without the last hit. None where too few agree."""
        lives: list[tuple[float, float]] = []
        for number, played in enumerate(self.recordings):
            down, back = self._ends(played, target)
            for name, end in down:
                since = max([frame for text, frame in (*down, *back) if text == name and frame < end], default=-1)
                since = max([since, *(frame - 1 for frame in played.resets if frame <= end)])
                took = [
                    attack.damage or 0.0
                    for attack in self.hits[number]
                    if attack.target == name and since < attack.frame <= end
                ]
                if took and min(took) > 0:
                    lives.append((sum(took[:-1]), sum(took)))
        # if every hit kills, 1 is enough
        if lives and not any(low for low, _ in lives):
            return Value("1", f"one hit is enough before {counted(len(lives), 'death')}")
        for _, most in sorted(lives, key=lambda count: count[1]):
            fitting = sum(low < most <= high for low, high in lives)
            if fitting >= 0.8 * len(lives):
                return Value(shown(most), f"so much is taken before {fitting} of {counted(len(lives), 'death')}")
        return None

    def _column(self, played: Recording, kind: str, name: str) -> np.ndarray:
        rows = np.flatnonzero(self._of_kind(played, kind))
        column: np.ndarray = getattr(played.poses, name)[rows]
        return column

    def _iframes(self, target: str) -> None:
        """As long as it is logged immune after a hit; else the least time between two hits on one: where several are as
        short, that is no accident."""
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
        if agreed is not None and agreed[0] and (agreed[1] < FAR or agreed[0] > SHORT):
            low, high, count = agreed
            value = roundest(low, high + 1) if high <= NARROW * low else low
            spread = "exactly" if low == high else f"{low} to {high}" if high < FAR else f"{low} or more"
            why = f"touched so long after {count} of {counted(len(gaps), 'hit')} without another one, {spread}"
            self.kinds[target].keys["iframes"] = Value(f'"{int(value)}f"', why)
        elif (most := min((high for _, high in gaps), default=FAR)) and most < FAR:
            why = f"at most {counted(most, 'frame')}, as hits come {counted(most + 1, 'frame')} apart"
            self.unknown.append(f"{target}: its i-frames: {why}; log `immune`, or let it stand in a hazard for a while")

    def _start_iframes(self, target: str) -> None:
        """Drafts for how long it is logged immune from the first frame of a run on."""
        spells = []
        for played in self.recordings:
            # a recording that is cut out of a longer one begins in the middle of a run
            starts = [*([0] if played.first == 0 else []), *(at for at, what in played.resets.items() if what == "run")]
            for name, number in played.numbers.items():
                frames = played.poses.frames_of(number) if self._kind(played, name) == target else ()
                hits = [hit.frame for hits in self.hits for hit in hits if hit.target == name]
                for start in starts if len(frames) else ():
                    until = min((end for end in (*hits, *played.resets) if end > start), default=played.last + 1)
                    spell = self._immune_after(played, name, start - 1, until) if start in frames else None
                    spells += [] if spell is None else [spell]
        agreed = agreed_on(spells)
        if agreed is not None and agreed[0]:
            why = f"logged immune so long from the start of {agreed[2]} of {counted(len(spells), 'run')}"
            self.kinds[target].keys["start_iframes"] = Value(f'"{agreed[0]}f"', why)

    def _ignored(self, target: str) -> list[Spell]:
        """Of each hit: for how many frames after it the two touched without another one on the same actor, and the
        frames until the next one; FAR if a mark, a death, a return or the end comes first."""
        found = []
        for number, played in enumerate(self.recordings):
            breaks: dict[str, list[int]] = defaultdict(list)
            for name, frame in (end for ends in self._ends(played, target) for end in ends):
                breaks[name].append(frame)
            hits: dict[str, dict[int, Claim]] = defaultdict(dict)
            for hit in self.hits[number]:
                if self._kind(played, hit.target) == target and (hit.damage is None or hit.damage > 0):
                    hits[hit.target or ""].setdefault(hit.frame, hit)
            for name, own in hits.items():
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
            hits: dict[str, dict[int, Claim]] = defaultdict(dict)
            for hit in self.hits[number]:
                if self._kind(played, hit.target) == target and (hit.damage is None or hit.damage > 0):
                    hits[hit.target or ""].setdefault(hit.frame, hit)
            down, back = self._ends(played, target)
            for name, frames in hits.items():
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

    def _lives(self, target: str) -> None:
        """Lives, deaths and returns, as they are claimed and shown."""
        deaths = [(played, *end) for played in self.recordings for end in self._ends(played, target)[0]]
        own = self.kinds[target]
        if "health" not in own.keys:  # without it, it would never go down
            if deaths:
                self.unknown.append(f"{target}: how it dies, and comes back, as its health is not known")
            return
        columns = [self._column(played, target, "lives") for played in self.recordings]
        most = [float(np.nanmax(values)) for values in columns if not np.isnan(values).all()]
        numbers = [number for number in most if number >= 1]  # 0 is no limit
        returns = self._returns(deaths)
        if returns is not None:
            own.keys["respawn"] = returns
        if numbers and returns is not None:
            own.keys["lives"] = Value(shown(max(numbers)), "the most that is logged")
        elif numbers:
            learn = "log `health`, or claim `down` and `respawn`"
            self.unknown.append(f"{target}: how it comes back with {shown(max(numbers))} lives: {learn}")
        down = self._down(deaths)
        if down is not None:
            own.keys["down"] = down

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

    def _returns(self, deaths: Sequence[Death]) -> Value | None:
        """How long it is away, where it comes back, and for how long it is immune then."""
        waits: list[int] = []
        places: set[tuple[float, float]] = set()
        shields: list[Spell] = []
        resets: list[str] = []
        at_start = True
        for played, name, down in deaths:
            # a mark puts all actors back, and says nothing of returns
            kind = self._kind(played, name)
            back = [frame for text, frame in self._ends(played, kind)[1] if text == name and frame > down]
            if not back or any(down < mark <= back[0] for mark in played.resets):
                continue  # the game began again
            waits.append(back[0] - down - self._frozen(played, name, down, back[0]))
            row = played.row(name, back[0])
            if row is not None:
                place = float(played.poses.x[row]), float(played.poses.y[row])
                places.add(place)
                at_start &= math.dist(place, self._home_of(played, name, back[0])) < STILL
            ends = [frame for text, frame in self._ends(played, kind)[0] if text == name] + list(played.resets)
            until = min((frame for frame in ends if frame > back[0]), default=played.last + 1)
            shield = self._immune_after(played, name, back[0], until)
            shields += [] if shield is None else [shield]
            sent = self._sent_home(played, name, down, back[0])
            resets += [sent] if sent else []
        if not waits:
            return None
        # a longer wait has another cause
        keys = [f'after = "{min(waits)}f"']
        if len(resets) >= FEW and resets.count(resets[0]) >= 0.8 * len(waits):
            keys.append(f'resets = "{resets[0]}"')
        if len(places) == 1 and not at_start:
            x, y = next(iter(places))
            keys.append(f"at = [{shown(x)}, {shown(y)}]")
        agreed = agreed_on(shields)
        if agreed is not None and agreed[1]:
            keys.append(f'iframes = "{int(roundest(agreed[0] + 1, agreed[1] + 2))}f"')
        why = f"{counted(len(waits), 'return')}, after {min(waits)} frames or more"
        return Value("{ " + ", ".join(keys) + " }", why)

    def _sent_home(self, played: Recording, name: str, down: int, back: int) -> str:
        """The actors that are at their start again as one returns, of recorded actors that were elsewhere: "pair" if it
        is its killer, "room" if it is all others, else nothing."""
        if back in played.resets:
            return ""
        attackers = {
            claim.attacker for claim in played.claims if (claim.event, claim.target, claim.frame) == ("hit", name, down)
        }
        home: dict[str, bool] = {}
        for actor in played.actors:
            rows = played.row(actor.id, back - 1), played.row(actor.id, back)
            if actor.id == name or actor.owner is not None or rows[0] is None or rows[1] is None:
                continue
            before, after = ((float(played.poses.x[row]), float(played.poses.y[row])) for row in rows)
            start = self._home_of(played, actor.id, back)
            if math.dist(before, start) > AWAY:
                home[actor.id] = math.dist(after, start) < 0.5
        if home and all(home.values()):
            return "pair" if home.keys() <= attackers else "room"
        return "pair" if any(home.get(attacker or "", False) for attacker in attackers) else ""

    def _down(self, deaths: Sequence[Death]) -> Value | None:
        """How long a body lies there, when its life is taken, and what it is worth."""
        lasts = [
            seen - frame - self._frozen(played, name, frame, seen)
            for played, name, frame in deaths
            if (seen := self._seen_after(played, name, frame)) is not None
            # else its return has ended it
            and not {(name, seen), (name, seen + 1)} & set(self._ends(played, self._kind(played, name))[1])
        ]
        owed = [late for death in deaths for late in self._owed(*death)]
        worth = [points for played, _, frame in deaths for points in self._worth(played, frame)]
        hidden = [played.row(name, frame + 1) for played, name, frame in deaths]
        keys, reasons = [], []
        if lasts and min(lasts) > 0:
            keys.append(f'lasts = "{min(lasts)}f"')
            reasons.append(f"seen so long after {counted(len(lasts), 'death')}")
        elif lasts and all(row is not None for row in hidden):
            keys.append("hide = true")
            reasons.append(f"hidden at once in {counted(len(deaths), 'death')}")
        if owed and 0 < min(owed) == max(owed) <= min(lasts, default=0):
            keys.append(f'life_after = "{owed[0]}f"')
            reasons.append(f"the life is taken so long after {len(owed)}")
        if len(worth) >= FEW and min(worth) == max(worth) > 0:
            keys.append(f"worth = {shown(worth[0])}")
            reasons.append(f"the display's score rises so at {len(worth)}")
        return Value("{ " + ", ".join(keys) + " }", ", ".join(reasons)) if keys else None

    @staticmethod
    def _frozen(played: Recording, name: str, since: int, until: int) -> int:
        """In how many frames behind one and up to another it is logged frozen: no time passes for it."""
        rows = played.poses.between(played.numbers[name], since + 1, until)
        return int((played.poses.frozen[rows] == 1).sum())

    def _owed(self, played: Recording, name: str, down: int) -> list[int]:
        """How many frames after a death the logged lives fall."""
        rows = [played.row(name, frame) for frame in range(down - 1, min(down + LATEST, played.last) + 1)]
        values = [float("nan") if row is None else float(played.poses.lives[row]) for row in rows]
        return [late - 1 for late in range(1, len(values)) if values[late] < values[late - 1]][:1]

    @staticmethod
    def _worth(played: Recording, frame: int) -> list[float]:
        """By how much the displayed score rises in a frame, if it is displayed in it and in the one before."""
        at = [[entry.score for entry in played.display.within(when, when) if entry.score is not None]
              for when in (frame - 1, frame)]  # fmt: skip
        return [at[1][0] - at[0][0]] if all(at) else []

    def _seen_after(self, played: Recording, name: str, frame: int) -> int | None:
        """The last frame in which an actor is still to be seen without a break, before it is back; None if the game
        begins again or ends before."""
        back = [at for text, at in self._ends(played, self._kind(played, name))[1] if text == name and at > frame]
        marks = [mark for mark in played.resets if mark > frame]
        last, end = frame, min(back, default=played.last)
        while last < end:
            row = played.row(name, last + 1)
            if row is None or played.poses.hidden[row]:
                break
            last += 1
            if last + 1 in marks:
                return None
        return None if last == played.last and not back else last
