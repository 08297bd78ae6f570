"""Health, i-frames, lives, deaths and returns of a draft."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.seen import FEW, Seen
from voskar.draft.values import Value, roundest, shown, times

FAR = 1200
"""Frames after a hit from which being immune has another cause."""
LATEST = 120
"""Frames after a death in which its life may be taken."""

Death = tuple[Recording, str, int]
"""Who went down, and in which frame."""


class LifeDraft(Seen):
    """Drafts what becomes of those that are hit."""

    def life(self, target: str) -> None:
        """Everything of one kind."""
        self._health(target)
        self._iframes(target)
        self._lives(target)

    def _of_target(self, target: str) -> list[tuple[int, Claim]]:
        return [pair for (_, name), some in self.pairs.items() if name == target for pair in some]

    def _health(self, target: str) -> None:
        told = [
            float(np.nanmax(values))
            for played in self.recordings
            if len(values := self._column(played, target, "health")) and not np.isnan(values).all()
        ]
        own = self.kinds[target]
        if told:
            own.keys["health"] = Value(shown(max(told)), "the most that is logged")
            return
        hits = self._of_target(target)
        gone = sum(self._vanishes(self.recordings[number], one.target, one.frame) for number, one in hits)
        if gone >= 0.7 * len(hits):
            striker = next(one for one, name in sorted(self.pairs) if name == target)
            group = next(one for one in self._groups(striker) if target in one)
            damage = self.attacks[self._attack_name(striker, group)].keys["damage"].text
            own.keys["health"] = Value(damage, f"it is gone after {gone} of {times(len(hits), 'hit')}")
        else:
            self.unknown.append(f"{target}: its health: log `health` in its poses")

    def _column(self, played: Recording, kind: str, name: str) -> np.ndarray:
        rows = np.flatnonzero(np.array([one.kind == kind for one in played.actors])[played.poses.actor])
        column: np.ndarray = getattr(played.poses, name)[rows]
        return column

    def _iframes(self, target: str) -> None:
        """As long as it is logged immune after a hit; else the least time between two hits on one: where several are as
        short, that is no accident."""
        least, most, rows = self._immune_bounds(target)
        if rows and least <= most:
            if least:
                value = int(roundest(least, most + 1))
                spread = "exactly" if least == most else f"{least} to {most}"
                why = f"logged immune so long after hits, {spread}, in {times(rows, 'pose')}"
                self.kinds[target].keys["iframes"] = Value(f'"{value}f"', why)
            return
        gaps: list[int] = []
        for number, played in enumerate(self.recordings):
            by_target: dict[str, list[int]] = defaultdict(list)
            for one in self.hits[number]:
                if self._kind(played, one.target) == target and (one.damage is None or one.damage > 0):
                    by_target[one.target or ""].append(one.frame)
            for frames in by_target.values():
                gaps += [b - a for a, b in zip(sorted(set(frames))[:-1], sorted(set(frames))[1:], strict=True)]
        if not gaps:
            return
        least = min(gaps)
        close = sum(gap <= least + 2 for gap in gaps)
        why = f"{times(len(gaps), 'gap')} between hits, the least {least} frames"
        if least > 1:
            sure = f", {close} about as short" if close >= FEW else ": no more than that"
            self.kinds[target].keys["iframes"] = Value(f'"{least - 1}f"', why + sure)
        if close < FEW:
            self.unknown.append(f"{target}: its i-frames: {why}; log `immune`, or let it stand in a hazard for a while")

    def _immune_bounds(self, target: str) -> tuple[int, int, int]:
        """How many frames after a hit it was still logged immune, how many at most, and how many poses tell; a return
        has i-frames of its own."""
        least, most, rows = 0, FAR, 0
        for number, played in enumerate(self.recordings):
            hits: dict[str, list[int]] = defaultdict(list)
            for one in self.hits[number]:
                if self._kind(played, one.target) == target and (one.damage is None or one.damage > 0):
                    hits[one.target or ""].append(one.frame)
            for name, frames in hits.items():
                ends = [one.frame for one in played.claims if one.event in ("down", "respawn") and one.id == name]
                ends += list(played.resets)
                poses, own = played.poses, played.poses.rows_of(played.numbers[name])
                for row in own[poses.immune[own] >= 0].tolist():
                    frame = int(poses.frame[row])
                    since = max([one for one in frames if one < frame], default=None)
                    if since is None or frame in frames or any(since <= one <= frame for one in ends):
                        continue
                    rows += 1
                    if poses.immune[row]:
                        least = max(least, frame - since) if frame - since < FAR else least
                    else:
                        most = min(most, frame - since - 1)
        return least, most, rows

    def _shield(self, played: Recording, name: str, frame: int) -> int | None:
        """How many frames from one on it is logged immune; None where that is not told to its end."""
        count = 0
        while True:
            row = played.row(name, frame + count)
            told = -1 if row is None else int(played.poses.immune[row])
            if told < 0 or frame + count in played.resets:
                return None
            if told == 0:
                return count
            count += 1

    def _lives(self, target: str) -> None:
        """Lives, deaths and returns, as they are claimed and shown."""
        deaths = [
            (played, one.id or "", one.frame)
            for played in self.recordings
            for one in played.claims
            if one.event == "down" and self._kind(played, one.id) == target
        ]
        own = self.kinds[target]
        columns = [self._column(played, target, "lives") for played in self.recordings]
        told = [float(np.nanmax(values)) for values in columns if not np.isnan(values).all()]
        returns = self._returns(deaths)
        if returns is not None:
            own.keys["respawn"] = returns
        if told and returns is not None:
            own.keys["lives"] = Value(shown(max(told)), "the most that is logged")
        elif told:
            self.unknown.append(
                f"{target}: how it comes back with {shown(max(told))} lives: claim `down` and `respawn`"
            )
        down = self._down(deaths)
        if down is not None:
            own.keys["down"] = down

    def _returns(self, deaths: Sequence[Death]) -> Value | None:
        """How long it is away, where it comes back, and for how long it is immune then."""
        waits: list[int] = []
        places: set[tuple[float, float]] = set()
        shields: list[int] = []
        for played, name, down in deaths:
            back = [one.frame for one in played.claims if (one.event, one.id) == ("respawn", name) and one.frame > down]
            if not back:
                continue
            waits.append(back[0] - down)
            row = played.row(name, back[0])
            if row is not None:
                places.add((float(played.poses.x[row]), float(played.poses.y[row])))
            shield = self._shield(played, name, back[0] + 1)
            shields += [] if not shield else [shield + 1]
        if not waits:
            return None
        keys = [f'after = "{min(waits)}f"']
        if len(places) == 1:
            x, y = next(iter(places))
            keys.append(f"at = [{shown(x)}, {shown(y)}]")
        if shields:
            keys.append(f'iframes = "{Counter(shields).most_common(1)[0][0]}f"')
        why = f"{times(len(waits), 'return')}, after {min(waits)} frames or more"
        return Value("{ " + ", ".join(keys) + " }", why)

    def _down(self, deaths: Sequence[Death]) -> Value | None:
        """How long a body lies there, when its life is taken, and what it is worth."""
        lasts = [self._seen_after(*death) - death[2] for death in deaths]
        owed = [late for death in deaths for late in self._owed(*death)]
        worth = [points for played, _, frame in deaths for points in self._worth(played, frame)]
        hidden = [played.row(name, frame + 1) for played, name, frame in deaths]
        keys, reasons = [], []
        if lasts and min(lasts) > 0:
            keys.append(f'lasts = "{min(lasts)}f"')
            reasons.append(f"seen so long after {times(len(lasts), 'death')}")
        elif deaths and all(row is not None for row in hidden):
            keys.append("hide = true")
            reasons.append(f"hidden at once in {times(len(deaths), 'death')}")
        if owed and min(owed) == max(owed) > 0:
            keys.append(f'life_after = "{owed[0]}f"')
            reasons.append(f"the life is taken so long after {len(owed)}")
        if len(worth) >= FEW and min(worth) == max(worth) > 0:
            keys.append(f"worth = {shown(worth[0])}")
            reasons.append(f"the display's score rises so at {len(worth)}")
        return Value("{ " + ", ".join(keys) + " }", ", ".join(reasons)) if keys else None

    def _owed(self, played: Recording, name: str, down: int) -> list[int]:
        """How many frames after a death the logged lives fall."""
        rows = [played.row(name, frame) for frame in range(down - 1, min(down + LATEST, played.last) + 1)]
        told = [float("nan") if row is None else float(played.poses.lives[row]) for row in rows]
        return [late - 1 for late in range(1, len(told)) if told[late] < told[late - 1]][:1]

    @staticmethod
    def _worth(played: Recording, frame: int) -> list[float]:
        """By how much the displayed score rises in a frame, if it is displayed in it and in the one before."""
        at = [[one.score for one in played.display if one.frame == when and one.score is not None]
              for when in (frame - 1, frame)]  # fmt: skip
        return [at[1][0] - at[0][0]] if all(at) else []

    def _seen_after(self, played: Recording, name: str, frame: int) -> int:
        """The last frame in which one is still to be seen without a break."""
        last = frame
        while last < played.last:
            row = played.row(name, last + 1)
            if row is None or played.poses.hidden[row]:
                break
            last += 1
        return last
