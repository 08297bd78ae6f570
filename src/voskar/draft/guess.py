"""What recordings tell of the rules that made them: values, each with the evidence for it."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.boxes import FEW, BoxDraft
from voskar.draft.values import AttackGuess, Guess, Value, shown, times

CLOSE = 4
"""Frames within which one thing follows from another."""


def guess(recordings: Sequence[Recording]) -> Guess:
    """Reads the rules off some recordings of one game."""
    return RulesDraft(recordings).run()


class RulesDraft(BoxDraft):
    """Drafts everything else."""

    def run(self) -> Guess:
        """Everything, in the order of a rulebook."""
        if not self.pairs:
            self.unknown.append("no hit is claimed of two that are shown: claim hits with striker and target")
        self._sides()
        self.boxes()
        for striker in self.strikers:
            for targets in self._groups(striker):
                self._attack(striker, targets)
        contact = self._contact()
        for target in self.targets:
            self._health(target)
            self._iframes(target)
            self._lives(target)
        up = self.recordings[0].up
        return Guess(
            up, list(self.targets), list(self.kinds.values()), list(self.attacks.values()), contact, self.unknown
        )

    # who is against whom

    def _sides(self) -> None:
        """Two sides, if nobody then hits its own."""
        links: dict[str, set[str]] = defaultdict(set)
        for striker, target in self.pairs:
            links[striker].add(target)
            links[target].add(striker)
        owners = self._owner_kinds()
        colour: dict[str, int] = {}
        todo = [(name, 0) for name in sorted(links, key=lambda one: -sum(one == t for _, t in self.pairs))]
        while todo:
            name, side = todo.pop(0)
            if name in colour:
                continue
            colour[name] = side
            todo[:0] = [(other, 1 - side) for other in sorted(links[name])]
            todo[:0] = [(owner, side) for owner in owners.get(name, ()) if owner in links]
        joined = {one for names in links.values() for one in names}
        if any(colour[striker] == colour[target] for striker, target in self.pairs) or not joined:
            return
        if self._parts(links, owners) > 1:
            self.unknown.append("sides: nothing tells which of two pairs of foes belong together: log `owner` of shots")
            return
        names = {side: min(one for one, own in colour.items() if own == side) for side in set(colour.values())}
        for name, side in colour.items():
            self.kinds[name].side = names[side]

    @staticmethod
    def _parts(links: dict[str, set[str]], owners: dict[str, set[str]]) -> int:
        """How many groups of kinds nothing connects."""
        left, count = set(links), 0
        while left:
            count += 1
            todo = [left.pop()]
            while todo:
                one = todo.pop()
                near = links[one] | owners.get(one, set()) | {name for name, own in owners.items() if one in own}
                todo += sorted(near & left)
                left -= near
        return count

    def _owner_kinds(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = defaultdict(set)
        for played in self.recordings:
            for actor in played.actors:
                if actor.owner in played.numbers:
                    found[actor.kind].add(self._kind(played, actor.owner))
        return found

    # attacks

    def _attack(self, striker: str, targets: Sequence[str]) -> None:
        name = self._attack_name(striker, targets)
        made = self.attacks.setdefault(name, AttackGuess(name))
        some = [pair for target in targets for pair in self.pairs[striker, target]]
        damages = Counter(one.damage for _, one in some if one.damage is not None)
        if damages:
            value, count = damages.most_common(1)[0]
            made.keys["damage"] = Value(shown(value), f"{count} of {times(len(some), 'hit')} tell it")
        elif "damage" not in made.keys:
            lost = self._lost(some)
            value = Counter(lost).most_common(1)[0][0] if lost else 1.0
            why = f"health falls so in {times(len(lost), 'hit')}" if lost else "nothing tells: log damage, or health"
            made.keys["damage"] = Value(shown(value), why)
        gone = sum(self._vanishes(self.recordings[number], one.striker, one.frame) for number, one in some)
        if gone >= FEW and gone >= 0.8 * len(some):
            made.keys["striker.remove"] = Value("true", f"it is gone after {gone} of {times(len(some), 'hit')}")
        repeats = Counter((number, one.striker, one.target) for number, one in some)
        if max(repeats.values()) == 1 and "striker.remove" not in made.keys:
            made.keys["rehit"] = Value('"once"', f"none of {times(len(repeats), 'pair')} hits twice")

    def _lost(self, some: Iterable[tuple[int, Claim]]) -> list[float]:
        found = []
        for number, one in some:
            played = self.recordings[number]
            rows = [played.row(one.target or "", frame) for frame in (one.frame - 1, one.frame)]
            if rows[0] is not None and rows[1] is not None:
                lost = played.poses.health[rows[0]] - played.poses.health[rows[1]]
                if lost == lost and lost:
                    found.append(float(lost))
        return found

    def _vanishes(self, played: Recording, name: str | None, frame: int) -> bool:
        number = played.numbers.get(name or "")
        if number is None:
            return True
        rows = played.poses.rows_of(number)
        frames = played.poses.frame[rows[~played.poses.hidden[rows]]]
        return not len(frames) or int(frames[-1]) <= frame + CLOSE < played.last

    def _contact(self) -> dict[str, Value]:
        together = guarded = 0
        for told in self.hits:
            several = Counter((frame, target) for frame, target, _ in {(o.frame, o.target, o.striker) for o in told})
            together += sum(count > 1 for count in several.values())
            guarded += len(several)
        text = "all" if together else "first"
        why = f"{times(together, 'frame')} with more than one hit on somebody" if together else "never two hits at once"
        return {"same_frame": Value(f'"{text}"', why)} if guarded else {}

    # who is hit

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
        """The least time between two hits on one; where several are as short, that is no accident."""
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
            self.unknown.append(f"{target}: its i-frames: {why}; let it stand in a hazard for a while")

    def _lives(self, target: str) -> None:
        own = self.kinds[target]
        columns = [self._column(played, target, "lives") for played in self.recordings]
        told = [float(np.nanmax(values)) for values in columns if not np.isnan(values).all()]
        waits, places, lasts = [], [], []
        for played in self.recordings:
            for down, name in [(one.frame, one.id) for one in played.claims if one.event == "down"]:
                if self._kind(played, name) != target:
                    continue
                back = [
                    one.frame for one in played.claims if one.event == "respawn" and one.id == name and one.frame > down
                ]
                seen = self._seen_after(played, name or "", down)
                lasts.append(seen - down)
                if back:
                    waits.append(back[0] - down)
                    row = played.row(name or "", back[0])
                    if row is not None:
                        places.append((float(played.poses.x[row]), float(played.poses.y[row])))
        if waits:
            keys = [f'after = "{min(waits)}f"']
            if len(set(places)) == 1:
                keys.append(f"at = [{shown(places[0][0])}, {shown(places[0][1])}]")
            why = f"{times(len(waits), 'return')}, after {min(waits)} frames or more"
            own.keys["respawn"] = Value("{ " + ", ".join(keys) + " }", why)
        if told and waits:
            own.keys["lives"] = Value(shown(max(told)), "the most that is logged")
        elif told:
            self.unknown.append(
                f"{target}: how it comes back with {shown(max(told))} lives: claim `down` and `respawn`"
            )
        if lasts and min(lasts) > 0:
            own.keys["down"] = Value(
                f'{{ lasts = "{min(lasts)}f" }}', f"seen so long after {times(len(lasts), 'death')}"
            )

    def _seen_after(self, played: Recording, name: str, frame: int) -> int:
        """The last frame in which one is still to be seen without a break."""
        last = frame
        while last < played.last:
            row = played.row(name, last + 1)
            if row is None or played.poses.hidden[row]:
                break
            last += 1
        return last
