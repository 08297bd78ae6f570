"""Values of a rulebook's key that the game may have instead, the likeliest first."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.evidence.finding import Finding
from voskar.explaining.accounts import APART, CELL, NUMBER, OFF, PLACE, SPAN, compared, headings, touch_gaps
from voskar.explaining.leaf import Leaf
from voskar.explaining.measures import Measures, commonest, gaps, snapped

MOST = 14
"""Values of one key at most."""
MEASURED, TOLD, WORD, NEXT, FAR = 1.0, 0.8, 0.6, 0.3, 0.12
"""How far a value is trusted: measured in the recording; made of both accounts; one of a few words; the next number;
any other."""

COMPARED = ("damage", "damage_scale", "distance", "up", "launch", "health", "worth", "weight", "bounce", "survive")
"""Numbers that accounts tell as they are, or that these are in proportion to."""
SHARES = ("inherit", "bounciness", "damage_scale", "gravity", "weight", "bounce")

Guess = tuple[float, Any]


class Guesses:
    """Knows a recording and the rules that it was checked by."""

    def __init__(self, rules: Rules, recording: Recording, kinds: Mapping[str, str]) -> None:
        self.rules, self.recording, self.kinds = rules, recording, kinds
        self.measures = Measures(recording)

    def of(self, leaf: Leaf, findings: Sequence[Finding]) -> list[Guess]:
        """Values of a key, without its own, each once, with how far each is trusted."""
        found: dict[str, Guess] = {}
        for trust, value in self._all(leaf, findings):
            key = repr(value)
            # Of equal values the most trusted one counts.
            if value != leaf.value and not _is_below(leaf, value) and trust > found.get(key, (0.0, None))[0]:
                found[key] = trust, value
        return sorted(found.values(), key=lambda guess: -guess[0])[:MOST]

    def is_cleared(self, leaf: Leaf) -> bool:
        """Whether the recording shows the value of a key as the rules have it."""
        # A measured acceleration has noise, so it clears a value within a few units.
        if leaf.path[-1] == "acceleration" and leaf.sort == "numbers":
            found = self._motion(str(leaf.path[1]))
            shown = [found.get(f"acceleration_{axis}") for axis in "xy"]
            return all(
                values and abs(values[0] - own) <= 2 + 0.03 * abs(own)
                for values, own in zip(shown, leaf.value, strict=True)
            )
        if leaf.sort != "number" or isinstance(leaf.value, str):
            return False
        own, measured = leaf.value or 0.0, self._measured(leaf)
        return bool(measured) and min(abs(value - own) for value in measured) <= 0.02 * abs(own) + 0.02

    def _all(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        match leaf.sort:
            case "switch":
                yield from ((WORD, flag) for flag in ((True, False) if leaf.value is None else (not leaf.value,)))
            case "options":
                yield from ((WORD, option) for option in leaf.options)
                if leaf.path[-1] in ("aim", "direction"):
                    yield from self._numbers(leaf, findings)
                if leaf.path[-1] == "at":
                    yield from self._places(leaf, findings)
            case "name":
                shown = [self.kinds.get(finding.target) for finding in findings]
                yield from ((MEASURED, name) for name in shown if name in leaf.options)
                yield from ((NEXT, option) for option in leaf.options)
            case "names" | "several":
                own = list(leaf.value or ())
                met = [name for finding in findings[:4] for name in self._met(leaf, finding)]
                yield from ((TOLD, [*own, name]) for name in met if name not in own)
                for entry in leaf.options:
                    yield WORD, [name for name in own if name != entry] if entry in own else [*own, entry]
            case "cells":
                yield from ((TOLD, finding) for finding in _opened(leaf.value, findings))
                yield from ((WORD, window) for window in _windows(leaf.value))
            case "frames" | "rehit":
                yield from self._frames(leaf, findings)
            case "whole":
                yield from self._counts(leaf, findings)
            case "number":
                yield from self._numbers(leaf, findings)
                yield from ((WORD, option) for option in leaf.options)
            case "numbers":
                yield from self._vectors(leaf, findings)

    def _met(self, leaf: Leaf, finding: Finding) -> Sequence[str]:
        """The layers that a mask lacks to see the other box of a finding, or those that its mask sees."""
        names = (finding.attacker, finding.target)
        kinds = [self.rules.kinds.get(self.kinds.get(name, "")) for name in names]
        if finding.why is None or None in kinds or leaf.path[0] != "kinds":
            return ()
        boxes = [
            next((box for box in kind.boxes if box.name == text), None)
            for kind, text in zip(kinds, (finding.why.hitbox, finding.why.hurtbox), strict=True)
            if kind is not None
        ]
        other = boxes[1 if kinds[0] is not None and kinds[0].name == leaf.path[1] else 0]
        if other is None:
            return ()
        return self.rules.layer_names(other.layer if leaf.path[-1] == "mask" else other.mask or 0)

    # durations

    def _frames(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        value = leaf.value if isinstance(leaf.value, int) else 0
        yield from _voted(self._from_frames(value, findings))
        yield from ((MEASURED, frame) for frame in self._measured_frames(leaf))
        if leaf.path[0] == "attacks":
            yield from self._since_hits(findings)
        if leaf.sort == "rehit":
            yield from ((WORD, option) for option in leaf.options)
        # Off by one is the most common mistake of all.
        yield from ((NEXT, number) for number in (value + 1, value - 1, value + 2, value - 2))
        yield from ((FAR, number) for number in (2 * value, value // 2, 0, value + 5, value - 5, value + 12))

    def _from_frames(self, value: int, findings: Iterable[Finding]) -> Iterator[tuple[int, int]]:
        for finding in findings:
            if finding.drift:
                # A drift is exact: it is measured over many shots.
                yield value - finding.drift, 3
            if finding.shift:
                yield value - finding.shift, 2
                yield value + finding.shift, 1
            if finding.code.startswith("event-"):
                yield finding.frame - self.recording.first, 2
                yield finding.frame - self.recording.first + 1, 1
            for frames, way in OFF.findall(finding.game):
                yield value + (int(frames) if way == "long" else -int(frames)), 3
            if finding.code.startswith("state-"):
                for first, last, only in SPAN.findall(finding.game):
                    length = 1 if only else int(last) - int(first) + 1
                    # "not" says that the game ends the state too early.
                    sign = -1 if "not " in finding.game else 1
                    yield value + sign * length, 3
                    yield length, 2

    def _since_hits(self, findings: Sequence[Finding]) -> Iterator[Guess]:
        """How long before a finding its actor was last hit: what that hit began lasts longer than that, or less."""
        hits = self.measures.hits_on
        for finding in findings[:4]:
            for name in (finding.target, finding.attacker):
                before = [frame for frame in hits.get(name, ()) if frame < finding.first]
                # The hit may have begun a state that is still on, or that has just ended.
                if before:
                    yield TOLD, finding.first - before[-1]
                    yield NEXT, finding.first - before[-1] - 1

    def _measured_frames(self, leaf: Leaf) -> Iterator[int]:
        path, measures = leaf.path, self.measures
        name = path[-1]
        if name == "iframes":
            target = str(path[1]) if path[0] == "kinds" else None
            short = sorted(set(gaps(measures.hits(target))))[:2]
            # I-frames end before the next hit, so one frame less than the gap.
            yield from (gap - 1 for gap in short)
        elif name == "rehit":
            short = sorted(set(gaps(measures.hits(None, str(path[1])))))[:2]
            yield from short
        elif path[-2] == "when" or name == "cooldown":
            kind = self._spawned(path)
            births = measures.births(str(path[1]), kind) if kind else {}
            between = gaps(births.values())
            if name == "first":
                since = [frames[0] - measures.arrival(owner) for owner, frames in births.items()]
                yield from map(int, commonest(since, 2))
            elif between:
                yield from (min(between), *map(int, commonest(between, 3)))
        elif name == "life":
            for lived in self._motion(str(path[1])).get("life", ()):
                yield int(lived)
        elif path[-2] == "respawn" and name == "after":
            yield from map(int, commonest(measures.waits("down", "respawn"), 2))
        elif name == "out_after":
            yield from map(int, commonest(measures.waits("down", "out"), 2))

    def _spawned(self, path: Sequence[str | int]) -> str | None:
        """The kind that the emitter of a path spawns."""
        kind = self.rules.kinds.get(str(path[1]))
        for emitter in kind.emitters if kind is not None else ():
            if len(path) > 3 and emitter.name == path[3]:
                return emitter.fan.kind
        return None

    # numbers

    def _counts(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        value, name = leaf.value or 0, leaf.path[-1]
        if name in ("limit", "count"):
            kind = self._spawned(leaf.path)
            groups = self.measures.births(str(leaf.path[1]), kind) if kind else {}
            if name == "count":
                together = commonest(frames.count(frame) for frames in groups.values() for frame in frames)
                yield from ((MEASURED, int(number)) for number in together)
            elif kind:
                yield from ((MEASURED, number) for number in self.measures.alive(kind))
        elif name in ("lives", "priority", "rank"):
            yield from ((trust, int(item)) for trust, item in _voted(compared(value, findings)) if item.is_integer())
        yield from ((NEXT, item) for item in (value + 1, value - 1, value + 2, value - 2))
        yield from ((FAR, item) for item in (value + 3, value + 8))

    def _numbers(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        value, name = leaf.value if isinstance(leaf.value, float | int) else 0.0, leaf.path[-1]
        measured = self._measured(leaf)
        for number in measured:
            # The rules' own value would be confirmed once more and cost a trial.
            if abs(number - value) > 0.02 * abs(value) + 0.02:
                yield from _near(MEASURED, number)
        if name in COMPARED:
            for trust, number in _voted(compared(value, findings)):
                yield from _near(trust, number)
        if name in ("slack", "onto"):
            texts = [finding.why.sentence for finding in findings if finding.why is not None]
            numbers = [float(item) for text in texts for item in NUMBER.findall(text)]
            yield from ((TOLD, round(amount + 0.05, 1)) for amount in sorted(set(numbers), reverse=True)[:4])
        if name == "jitter":
            off = [abs(heading) for finding in findings for heading in headings(finding)]
            # Jitter goes to both sides; the largest offset is a lower bound of half of it.
            yield from ((MEASURED, round(by * max(off) + 0.5)) for by in (1, 2) if off)
        if name in ("circle", "grow", "slack"):
            yield from ((TOLD, value + amount) for gap in touch_gaps(findings) for amount in (gap, -gap))
            # Actors that come nearer each frame tell how much a box is too small.
            for way, dx, dy in self._early(findings):
                yield TOLD, round(value + way * max(abs(dx), abs(dy)), 2)
        if value:
            yield from ((NEXT, round(value * by, 4)) for by in (0.5, 2, 0.0))
            yield from (
                (FAR, amount) for amount in (0.8 * value, 1.25 * value, value + 1, value - 1, -value, value * 4)
            )
        else:
            yield from ((NEXT, amount) for amount in ((0.5, 1.0, 2.0) if name in SHARES else (1.0, 10.0, 100.0)))
            yield from ((FAR, amount) for amount in (-1.0, 100.0, 5.0))

    def _measured(self, leaf: Leaf) -> list[float]:
        path, name = leaf.path, str(leaf.path[-1])
        if path == ("space", "gravity"):
            # The world's gravity acts downwards for either sign of y.
            down = -1.0 if self.recording.up == "+y" else 1.0
            falls = {kind.name: kind.motion for kind in self.rules.kinds.values() if kind.motion.gravity}
            return [
                (value - down * motion.acceleration[1]) / motion.gravity
                for name, motion in falls.items()
                for value in self._motion(name).get("world_gravity", ())
            ]
        kind = self._spawned(path) if "emitters" in path else None
        if "motion" in path and "down" not in path:
            kind = str(path[1])
        if len(path) > 4 and path[2:4] == ("down", "spawn"):
            own = self.rules.kinds.get(str(path[1]))
            kind = own.down.spawn[int(path[4])].kind if own is not None else None
        if kind is None:
            return []
        if name == "gravity" and self.rules.space.gravity:
            change = self.rules.kinds[kind].motion.acceleration[1]
            fall = self._motion(kind).get("world_gravity", ())
            down = -1.0 if self.recording.up == "+y" else 1.0
            return [(value - down * change) / self.rules.space.gravity for value in fall]
        if name == "aim":
            # A shot to the left has its heading mirrored.
            return [angle for value in self._motion(kind).get("heading", ()) for angle in (value, 180 - value)]
        return list(self._motion(kind).get(name, ()))

    def _fall(self, leaf: Leaf) -> float:
        """The part of the acceleration along y that is gravity's."""
        kind = self.rules.kinds[str(leaf.path[1])]
        down = -1.0 if self.recording.up == "+y" else 1.0
        return down * kind.motion.gravity * self.rules.space.gravity

    def _motion(self, kind: str) -> Mapping[str, list[float]]:
        return self.measures.motion(kind)

    # places and sizes

    def _vectors(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        value, name = list(leaf.value), str(leaf.path[-1])
        if len(value) == 2:
            yield from self._places(leaf, findings)
        if name == "acceleration":
            found = self._motion(str(leaf.path[1]))
            x, y = (found.get(f"acceleration_{axis}", [0.0])[0] for axis in "xy")
            number, another = snapped(x)[0], snapped(y - self._fall(leaf))[0]
            if not self.is_cleared(leaf):
                yield from ((MEASURED, items) for items in ([number, another], [number, value[1]], [value[0], another]))
                yield from ((TOLD, items) for items in ([-number, another], [-number, value[1]]))
        if name == "bounds":
            places = [place for finding in findings for place in PLACE.findall(finding.game)]
            # The last place that was logged lies inside, so the edge is a round number behind it.
            for axis in (0, 1) if places else ():
                seen = [float(place[axis]) for place in places]
                for by in (20.0, 10.0, 1.0):  # a shot that leaves is logged last right before the edge
                    yield TOLD, _with(value, axis + 2, math.ceil(max(seen) / by) * by)
                    yield TOLD, _with(value, axis, math.floor(min(seen) / by) * by)
        grows = 2 if name in ("rect", "stretch") else 1
        for way, dx, dy in self._early(findings) if len(value) == 2 else ():
            for at, by in enumerate((dx, dy)):
                if name == "rect":
                    # A rectangle grows on both sides of its centre.
                    yield TOLD, _with(value, at, value[at] + 2 * way * abs(by))
                elif by:
                    yield from ((TOLD, _with(value, at, value[at] + sign * by)) for sign in (1, -1))
        for gap in touch_gaps(findings)[:1]:
            for at in range(len(value)):
                yield from ((TOLD, _with(value, at, value[at] + sign * grows * gap)) for sign in (1, -1))
        for by, trust in ((1.0, FAR), (4.0, NEXT), (12.0, NEXT)):
            for at in range(len(value)):
                step = by if abs(value[at]) < 60 else by * abs(value[at]) / 30
                yield from ((trust, _with(value, at, value[at] + way)) for way in (step, -step))

    def _early(self, findings: Sequence[Finding]) -> Iterator[tuple[int, float, float]]:
        """For hits in another frame: 1 if the game has them earlier, else -1, and by how much the two actors come
        nearer, along x and y, from a bit behind the one frame to the other."""
        recording, poses = self.recording, self.recording.poses
        for finding in [entry for entry in findings if entry.code == "hit-moved" and entry.shift][:2]:
            names, frames = (finding.attacker, finding.target), (finding.frame, finding.frame + finding.shift)
            rows = [[recording.row(name, frame) for name in names] for frame in frames]
            apart = [
                (poses.x[number] - poses.x[other], poses.y[number] - poses.y[other])
                for number, other in rows
                if number is not None and other is not None
            ]
            if len(apart) == 2:
                # The touch began somewhere between two frames, so half a frame is the best guess.
                share = (abs(finding.shift) - 0.5) / abs(finding.shift)
                dx, dy = (float(apart[1][axis] - apart[0][axis]) * share for axis in (0, 1))
                yield 1 if finding.shift > 0 else -1, dx, dy

    def _places(self, leaf: Leaf, findings: Sequence[Finding]) -> Iterator[Guess]:
        """Where the game has something, next to where the rules have it."""
        votes: list[tuple[tuple[float, float], int]] = []
        value = leaf.value if isinstance(leaf.value, list) else [0.0, 0.0]
        for finding in findings:
            shown, meant = PLACE.findall(finding.game), PLACE.findall(finding.rules)
            if leaf.path[-2:] == ("respawn", "at") and shown:
                votes.append(((_snap(float(shown[0][0])), _snap(float(shown[0][1]))), 3))
            elif shown and meant:
                dx, dy = (float(shown[0][axis]) - float(meant[0][axis]) for axis in (0, 1))
                off = APART.search(finding.rules)
                far = float(off[1]) / (math.hypot(dx, dy) or 1.0) if off is not None else 1.0
                for by in dict.fromkeys(
                    (1.0, far)
                ):  # what moves at once is somewhere else than where it is told to appear
                    votes.append(((_snap(value[0] + by * dx), _snap(value[1] + by * dy)), 2))
                    votes.append(((_snap(value[0] - by * dx), _snap(value[1] + by * dy)), 1))
        yield from ((trust, list(place)) for trust, place in _voted(votes))


def _near(trust: float, number: float) -> Iterator[Guess]:
    """A number, and what may be meant by it."""
    for place, value in enumerate(snapped(number)):
        yield trust if place == 0 else min(trust, NEXT), value


def _voted(votes: Iterable[tuple[Any, int]]) -> list[Guess]:
    """The values with the most votes; the first is trusted more than the rest."""
    counts: dict[Any, int] = {}
    for value, weight in votes:
        counts[value] = counts.get(value, 0) + weight
    ordered = sorted(counts, key=lambda value: -counts[value])[:6]
    return [(TOLD * (0.85**place), value) for place, value in enumerate(ordered)]


def _opened(text: str, findings: Iterable[Finding]) -> Iterator[str]:
    """Ranges of cells with a first range up to the cell in which a box is logged as closed."""
    first, *names = text.split(",")
    low, high = (int(name) for name in (first.split("-") * 2)[:2])
    for finding in findings:
        for words in CELL.findall(finding.why.sentence if finding.why is not None else ""):
            yield ",".join([f"{min(low, int(words))}-{max(high, int(words))}", *names])


def _windows(text: str) -> Iterator[str]:
    """Ranges of cells with another beginning or end of the first range."""
    first, *names = text.split(",")
    low, high = (int(name) for name in (first.split("-") * 2)[:2])
    for by, to in ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (-1, -1), (0, 2), (0, -2), (2, 0), (-2, 0), (0, 4)):
        if 0 <= low + by <= high + to:
            yield ",".join([f"{low + by}-{high + to}" if high + to > low + by else f"{low + by}", *names])


def _with(value: Sequence[float], place: int, other: float) -> list[float]:
    return [round(other, 3) + 0.0 if at == place else number for at, number in enumerate(value)]


def _snap(value: float) -> float:
    return float(round(value)) if abs(value - round(value)) <= 0.15 else round(value, 2)


def _is_below(leaf: Leaf, value: Any) -> bool:
    return leaf.least is not None and isinstance(value, int | float) and value < leaf.least
