"""Health, lives, deaths and returns of a draft."""

from __future__ import annotations

import math
from collections.abc import Sequence
from statistics import median

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.immunity import ImmunityDraft
from voskar.draft.seen import AWAY, FEW, STILL
from voskar.draft.values import Value, shown
from voskar.words import counted

SLIDE = 2.0
"""Units across from which on a body has been pushed on."""
LATEST = 120
"""Frames after a death in which its life may be taken."""

Death = tuple[Recording, str, int]
"""A death: its recording, the actor's id, and the frame."""


Return = tuple[Recording, str, int, int]
"""A death, and the frame in which its actor is back."""


class LifeDraft(ImmunityDraft):
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
        returns = self._returns(target, deaths)
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

    def _returns(self, kind: str, deaths: Sequence[Death]) -> Value | None:
        """How long it is away, where it comes back, and for how long it is immune then."""
        returns: list[Return] = []
        for played, name, down in deaths:
            back = [frame for text, frame in self._ends(played, kind)[1] if text == name and frame > down]
            # a mark puts all actors back, and says nothing of returns
            if back and not any(down < mark <= back[0] for mark in played.resets):
                returns.append((played, name, down, back[0]))
        if not returns:
            return None
        begun = []
        for played, name, _, back_in in returns:
            ends = [frame for text, frame in self._ends(played, kind)[0] if text == name] + list(played.resets)
            until = min((frame for frame in ends if frame > back_in), default=played.last + 1)
            begun.append((self._number(played), name, back_in - 1, until))
        resets = [sent for entry in returns if (sent := self._sent_home(*entry))]
        # a longer wait has another cause
        wait = min(
            back_in - down - self._frozen(played, name, down, back_in) for played, name, down, back_in in returns
        )
        keys = [f'after = "{wait}f"']
        if len(resets) >= FEW and resets.count(resets[0]) >= 0.8 * len(returns):
            keys.append(f'resets = "{resets[0]}"')
        keys += self._comes_back_at(kind, returns)
        why = f"{counted(len(returns), 'return')}, after {wait} frames or more"
        shield, words = self._immune_since(begun, "returns")
        if shield:
            keys.append(f'iframes = "{shield}f"')
            why += f"; {words}"
        silent = sum(
            bool(claimed) and (name, back_in) not in claimed
            for played, name, _, back_in in returns
            for claimed in ({(claim.id, claim.frame) for claim in played.claims if claim.event == "respawn"},)
        )
        if silent:
            learn = 'claim them, or log `"unlogged": {"events": ["respawn"]}`'
            self.unknown.append(f"{kind}: {counted(silent, 'return')} that the game does not claim: {learn}")
        return Value("{ " + ", ".join(keys) + " }", why)

    def _comes_back_at(self, kind: str, returns: Sequence[Return]) -> list[str]:
        """The key `at`, if actors return to one other place than their start, or to where they fell."""
        places: list[tuple[float, float]] = []
        off_start, off_death = [], []
        for played, name, down, back in returns:
            row = played.row(name, back)
            if row is None:
                continue
            fallen = next(found for at in (down, down - 1, back) if (found := played.row(name, at)) is not None)
            place, died = ((float(played.poses.x[at]), float(played.poses.y[at])) for at in (row, fallen))
            places.append(place)
            off_start.append(math.dist(place, self._home_of(played, name, back)))
            off_death.append(math.dist(place, died))
        # an actor may have made a step already when it is seen first, or seen again
        if max(off_start, default=0.0) <= AWAY:
            return []
        if max(off_death) < STILL:
            return ['at = "here"']
        x, y = (median(axis) for axis in zip(*places, strict=True))
        if all(math.dist(place, (x, y)) <= AWAY for place in places):
            return [f"at = [{shown(x)}, {shown(y)}]"]
        learn = "an attack with `target.checkpoint` moves its place"
        self.unknown.append(f"{kind}: where it comes back: at {counted(len(set(places)), 'place')}; {learn}")
        return []

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
        lasts, until = self._lying(deaths)
        owed = [late for death in deaths for late in self._owed(*death)]
        worth = [points for played, _, frame in deaths for points in self._worth(played, frame)]
        hidden = [played.row(name, frame + 1) for played, name, frame in deaths]
        keys, reasons = [], []
        if lasts and min(lasts) > 0:
            keys.append(f'lasts = "{min(lasts)}f"')
            reasons.append(f"seen so long after {counted(len(lasts), 'death')}{until}")
        elif lasts and all(row is not None for row in hidden):
            keys.append("hide = true")
            reasons.append(f"hidden at once in {counted(len(deaths), 'death')}")
        pushed = [slid for death in deaths if (slid := self._slides(*death)) is not None]
        if len(pushed) >= FEW and sum(pushed) >= 0.8 * len(pushed):
            keys.append("keeps_push = true")
            reasons.append(f"pushed on after {sum(pushed)} of {counted(len(pushed), 'death')}")
        if owed and 0 < min(owed) == max(owed) <= min(lasts, default=0):
            keys.append(f'life_after = "{owed[0]}f"')
            reasons.append(f"the life is taken so long after {len(owed)}")
        if len(worth) >= FEW and min(worth) == max(worth) > 0:
            keys.append(f"worth = {shown(worth[0])}")
            reasons.append(f"the display's score rises so at {len(worth)}")
        return Value("{ " + ", ".join(keys) + " }", ", ".join(reasons)) if keys else None

    def _lying(self, deaths: Sequence[Death]) -> tuple[list[int], str]:
        """How long bodies are seen after deaths, and what has ended that, in words, if it was not their own time."""
        lasts = [
            seen - frame - self._frozen(played, name, frame, seen)
            for played, name, frame in deaths
            if (seen := self._seen_after(played, name, frame)) is not None
            # else its return has ended it
            and not {(name, seen), (name, seen + 1)} & set(self._ends(played, self._kind(played, name))[1])
        ]
        ends = [self._seen_to_end(*death) for death in deaths]
        ended = [
            end - frame - self._frozen(played, name, frame, end)
            for (played, name, frame), end in zip(deaths, ends, strict=True)
            if end is not None
        ]
        # a mark as long after it as its returns are says that this is how long it lies there, and not only until then
        is_marked = any(end + 1 in played.resets for (played, *_), end in zip(deaths, ends, strict=True) if end)
        if not lasts and is_marked and len(ended) == len(deaths) >= FEW and min(ended) == max(ended):
            return ended, ", until it is back or all begins again"
        return lasts, ""

    def _slides(self, played: Recording, name: str, frame: int) -> bool | None:
        """Whether a body goes on across after its death by a hit that pushes; None if no hit with a known knockback
        killed it, or it is not seen."""
        end = self._seen_to_end(played, name, frame) or self._seen_after(played, name, frame)
        rows = played.row(name, frame), None if end is None else played.row(name, end)
        if rows[0] is None or rows[1] is None:
            return None
        attacks = [
            self.attacks[self._group_of(self._kind(played, claim.attacker), self._kind(played, name), claim).name]
            for claim in self.hits[self._number(played)]
            if (claim.target, claim.frame) == (name, frame) and self._kind(played, claim.attacker)
        ]
        if not any("target.knockback" in made.keys for made in attacks):
            return None
        return abs(float(played.poses.x[rows[1]] - played.poses.x[rows[0]])) > SLIDE

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

    def _seen_to_end(self, played: Recording, name: str, frame: int) -> int | None:
        """The last frame before an actor is back, or before a mark, if it is seen until then."""
        back = [at for text, at in self._ends(played, self._kind(played, name))[1] if text == name]
        end = min((at for at in (*back, *played.resets) if at > frame), default=0) - 1
        rows = [played.row(name, at) for at in range(frame, end + 1)]
        return end if rows and all(row is not None and not played.poses.hidden[row] for row in rows) else None

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
