"""Shots of a draft: what fires them, where, how fast and how often, and what becomes of them."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise

import numpy as np

from voskar.core.recording import Recording
from voskar.draft.fired import SPREAD, Shot, input_of, is_aimed, muzzle_of, nearest, shots_of, turned
from voskar.draft.seen import FEW, Seen
from voskar.draft.values import Value, quoted, roundest, shown
from voskar.draft.walls import walls
from voskar.words import counted

LEAST = 3
"""Shots of an owner's kind from which they log anything."""
MOST = 0.8
"""The share that has to agree for a rule; the rest may be bugs."""


class ShotDraft(Seen):
    """Drafts emitters of owners, and life, edges and walls of what they fire."""

    walled: set[int]
    """Shots that end at a wall."""

    def shots(self) -> None:
        """All kinds that appear with an owner."""
        found: dict[str, dict[str, list[Shot]]] = defaultdict(lambda: defaultdict(list))
        for played, claims in zip(self.recordings, self.hits, strict=True):
            ends: dict[str, list[int]] = defaultdict(list)
            for claim in claims:
                ends[claim.attacker or ""].append(claim.frame)
            for shot in shots_of(played, ends):
                kind = self._kind(played, shot.id)
                found[kind][self._kind(played, shot.owner)].append(shot)
        shots = {
            kind: [shot for entries in by_owner.values() for shot in entries]
            for kind, by_owner in sorted(found.items())
        }
        self._walls(shots)
        for kind, by_owner in sorted(found.items()):
            every = shots[kind]
            if len(every) < LEAST:
                self.unknown.append(f"{kind}: what fires it: {counted(len(every), 'shot')} log too little")
                continue
            self._motion(kind, every)
            for owner, items in sorted(by_owner.items()):
                if len(items) >= LEAST:
                    self._emitter(owner, kind, items)

    # what becomes of it

    def _walls(self, shots: Mapping[str, Sequence[Shot]]) -> None:
        """Walls that shots of any kind end at."""
        found = walls(
            [lifetime for shot in shots.values() for lifetime in _lifetimes(shot)[2]],
            [shot for entry in shots.values() for shot in entry],
        )
        self.walled = {id(flight) for _, flights in found for flight in flights}
        if found:
            rects = [f"{{ rect = [{', '.join(map(shown, rect))}] }}" for rect, _ in found]
            why = f"{counted(len(self.walled), 'shot')} end at {counted(len(found), 'wall')}"
            self.space["solids"] = Value(f"[{', '.join(rects)}]", why)

    def _motion(self, kind: str, shots: Sequence[Shot]) -> None:
        """How long it lives, and where it ends, if that explains all ends but those with a hit."""
        whole = [shot for shot in shots if shot.whole]
        if not whole:
            self.unknown.append(f"{kind}: when it ends: each is gone with a hit, or stays to the end")
            return
        longest, full, rest = _lifetimes(shots)
        keys: list[str] = []
        why: list[str] = []
        if full:
            keys.append(f'life = "{longest}f"')
            why.append(f"{len(full)} of {len(whole)} without a hit are there for {longest} frames, none for longer")
        walled = [shot for shot in rest if id(shot) in self.walled]
        if walled:
            keys.append('on_solid = "remove"')
            why.append(f"{counted(len(walled), 'shot')} end at a wall")
            rest = [shot for shot in rest if id(shot) not in self.walled]
        if rest:
            edges = _edges(rest)
            if edges is None:
                text = f"{len(full)} are there for {longest} frames, " if full else ""
                text += f"{counted(len(rest), 'shot')} end sooner, neither by a hit nor at one edge"
                self.unknown.append(f"{kind}: when it ends: {text}")
                return
            self._bounds(edges, f"{counted(len(rest), 'shot')} end at {', '.join(sorted(edges))}")
            keys.append('at_edge = "remove"')
            why.append(f"{counted(len(rest), 'shot')} end at an edge")
        self.kinds[kind].keys["motion"] = Value("{ " + ", ".join(keys) + " }", "; ".join(why))

    # what fires it

    def _emitter(self, owner: str, kind: str, shots: Sequence[Shot]) -> None:
        """The emitter of an owner's kind, if its trigger, muzzle and aim are the same for nearly all."""

        def missing(what: str) -> None:
            self.unknown.append(f"{owner}: {what} its {kind}")

        trigger = _pressed(shots) or _beaten(shots) or _shown(shots)
        if trigger is None:
            missing("what makes it fire: no button, beat or cell of a clip goes with")
            return
        muzzle, same = muzzle_of([shot.offset for shot in shots])
        along = [turned(shot) for shot in shots if shot.step is not None]
        turns = sum(same) < MOST * len(same) and len(along) >= MOST * len(shots)
        if turns:
            muzzle, same = muzzle_of(along)
        if sum(same) < MOST * len(same):
            missing("its muzzle: where they appear about it changes, of")
            return
        name = kind if kind not in {box.name for box in self.kinds[owner].boxes} else f"{kind}-gun"
        keys = {"spawn": Value(quoted(kind), f"{counted(len(shots), 'shot')}"), **trigger}
        keys["muzzle"] = Value(f"[{shown(muzzle[0])}, {shown(muzzle[1])}]", f"{sum(same)} of {len(same)} there")
        keys |= {"turns": Value("true", "it turns with the aim")} if turns else {}
        steps = [shot.step for shot in shots if shot.step is not None]
        flown = sum(shot.last > shot.frame for shot in shots)
        paces = np.array([math.hypot(*step) for step in steps])
        if steps and len(steps) >= MOST * flown and (np.abs(paces - np.median(paces)) < 0.05).mean() >= MOST:
            rate = float(shots[0].played.rate)
            aim = self._aim([shot for shot in shots if shot.step is not None], turns)
            if aim is None:
                missing("its aim: neither ahead, nor at its input, nor at anybody near, of")
                return
            keys["speed"] = Value(
                shown(float(np.median(paces)) * rate), f"{shown(float(np.median(paces)))} units a frame"
            )
            keys |= aim
        else:
            self.unknown.append(f"{kind}: how it flies: not straight on at one speed")
        self.kinds[owner].emitters[name] = keys

    def _aim(self, shots: Sequence[Shot], from_owner: bool) -> dict[str, Value] | None:
        """Ahead needs no word; else an angle, the aim of an input, or the nearest of a kind."""
        headings = [shot.heading for shot in shots]
        first = headings[0]
        turns = np.array([math.remainder(heading - first, 360.0) for heading in headings])
        middle = math.remainder(first + float(np.median(turns)), 360.0)
        same = [abs(math.remainder(heading - middle, 360.0)) <= SPREAD for heading in headings]
        if np.mean(same) >= MOST:
            value = Value(shown(middle), f"{sum(same)} of {len(shots)} go that way")
            return {} if abs(middle) <= SPREAD else {"aim": value}
        pointed = sum(is_aimed(shot, input_of(shot), from_owner) for shot in shots)
        if pointed >= MOST * len(shots):
            return {"aim": Value('"input"', f"{pointed} of {len(shots)} go where the input points")}
        for target in self.kind_names:
            hit = sum(is_aimed(shot, nearest(shot, target, from_owner), from_owner) for shot in shots)
            if hit >= MOST * len(shots):
                why = f"{hit} of {len(shots)} go at the nearest"
                return {"aim": Value(f"{{ target = {quoted(target)} }}", why)}
        return None


def _lifetimes(shots: Sequence[Shot]) -> tuple[int, list[Shot], list[Shot]]:
    """The longest that any of a kind is there; those that are there so long, if they are several; those that are not.
    Of all only such as hit no actor and end before the recording does."""
    longest = max(shot.last - shot.frame + 1 for shot in shots)
    whole = [shot for shot in shots if shot.whole]
    full = [shot for shot in whole if shot.last - shot.frame + 1 == longest]
    if len(full) < FEW:
        return longest, [], whole
    return longest, full, [shot for shot in whole if shot.last - shot.frame + 1 != longest]


def _edges(shots: Sequence[Shot]) -> dict[str, float] | None:
    """By side where shots end: a line that each is on this side of, and would have crossed. None if any has none."""
    sides: dict[str, tuple[int, Callable[[float], float]]] = {
        "left": (0, lambda value: -value), "right": (0, float), "top": (1, lambda value: -value), "bottom": (1, float),
    }  # fmt: skip
    groups: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for shot in shots:
        if shot.step is None:
            return None
        axis = 0 if abs(shot.step[0]) >= abs(shot.step[1]) else 1
        side = (("left", "right"), ("top", "bottom"))[axis][shot.step[axis] > 0]
        turn = sides[side][1]
        groups[side].append((turn(shot.end[axis]), turn(shot.end[axis] + shot.step[axis])))
    found = {}
    for side, pairs in groups.items():
        low, high = max(inside for inside, _ in pairs), min(beyond for _, beyond in pairs)
        if low >= high or len(pairs) < 2:
            return None
        found[side] = sides[side][1](roundest(low, high))
    return found


def _by_owner(shots: Sequence[Shot]) -> list[tuple[Recording, str, list[int]]]:
    """The frames in which each owner fires, a fan once."""
    frames: dict[tuple[int, str], set[int]] = defaultdict(set)
    recordings = {id(shot.played): shot.played for shot in shots}
    for shot in shots:
        frames[id(shot.played), shot.owner].add(shot.frame)
    return [(recordings[key], owner, sorted(numbers)) for (key, owner), numbers in frames.items()]


def _pressed(shots: Sequence[Shot]) -> dict[str, Value] | None:
    """The button that is pressed, or let go, or held, as it fires, with its cooldown and limit."""
    owners = _by_owner(shots)
    total = sum(len(fired) for *_, fired in owners)
    buttons = sorted({button for played, *_ in owners for button in played.inputs.buttons})
    for word in ("pressed", "released", "held"):
        for button in buttons:
            marks = [[number for number, what in played.resets.items() if what == "run"] for played, *_ in owners]
            groups = [
                played.inputs.held(owner, button)
                if word == "held"
                else getattr(played.inputs, word)(owner, button, mark)
                for (played, owner, _), mark in zip(owners, marks, strict=True)
            ]
            going = sum(
                len(set(fired) & set(frames.tolist())) for (*_, fired), frames in zip(owners, groups, strict=True)
            )
            if going >= MOST * total:
                verb = {"pressed": "press", "released": "release", "held": "hold"}[word]
                why = f"{going} of {counted(total, 'time')} {quoted(button)} is {word}"
                keys = {"when": Value(f"{{ {verb} = {quoted(button)} }}", why)}
                return keys | _held_off(shots, owners, [frames.tolist() for frames in groups], held=word == "held")
    return None


def _held_off(
    shots: Sequence[Shot],
    owners: Sequence[tuple[Recording, str, list[int]]],
    triggers: Sequence[list[int]],
    *,
    held: bool,
) -> dict[str, Value]:
    """The reason for which it does not fire at a trigger: too soon after the last shot, or too many of its own still
    there."""
    gaps = [b - a for *_, fired in owners for a, b in pairwise(fired)]
    if not gaps:
        return {}
    least = min(gaps)
    if held:
        return {"cooldown": Value(f'"{least}f"', f"{counted(len(gaps), 'gap')} while it is held, the least {least}")}
    soon: list[int] = []
    crowds: list[int] = []
    for (played, owner, fired), asked in zip(owners, triggers, strict=True):
        for frame in set(asked) - set(fired):
            before = [number for number in fired if number < frame]
            if not before:
                continue
            if frame - before[-1] < least:
                soon.append(frame - before[-1])
            else:
                crowds.append(_there(shots, played, owner, frame))
    found = {}
    if soon:
        why = f"fires again after {least} frames at the least, not after {max(soon)}"
        found["cooldown"] = Value(f'"{least}f"', why)
    fullest = max(_there(shots, played, owner, frame) for played, owner, fired in owners for frame in fired)
    if len(crowds) > 1 and min(crowds) > fullest:
        found["limit"] = Value(f"{fullest + 1}", f"never more than {fullest + 1}; {len(crowds)} times no more came")
    return found


def _there(shots: Sequence[Shot], played: Recording, owner: str, frame: int) -> int:
    """How many of an owner's shots are there as a frame begins."""
    return sum(shot.played is played and shot.owner == owner and shot.frame < frame <= shot.last + 1 for shot in shots)


def _beaten(shots: Sequence[Shot]) -> dict[str, Value] | None:
    """A beat that nearly all follow, counted from where the owner first is."""
    owners = _by_owner(shots)
    gaps = Counter(b - a for *_, fired in owners for a, b in pairwise(fired))
    if not gaps:
        return None
    beat = gaps.most_common(1)[0][0]
    count = sum(number for gap, number in gaps.items() if gap % beat == 0)  # an emitter that cannot fire loses its beat
    if gaps[beat] < 2 or count < MOST * sum(gaps.values()):
        return None
    # shots with other pauses follow something else, such as a button that is not logged
    beats = sum((fired[-1] - fired[0]) // beat for *_, fired in owners)
    if sum(gaps.values()) < MOST * beats:
        return None
    waits = Counter(
        fired[0] - int(played.poses.frame[played.poses.rows_of(played.numbers[owner])[0]])
        for played, owner, fired in owners
    )
    first, _ = waits.most_common(1)[0]
    when = f'{{ every = "{beat}f", first = "{first}f" }}'
    return {
        "when": Value(
            when, f"{count} of {counted(sum(gaps.values()), 'gap')} are of {beat} frames, or of several times as many"
        )
    }


def _shown(shots: Sequence[Shot]) -> dict[str, Value] | None:
    """The cell of a clip in which nearly all are fired."""
    cells = Counter((shot.clip, shot.cell) for shot in shots if shot.clip)
    if not cells:
        return None
    (clip, cell), count = cells.most_common(1)[0]
    if count < MOST * len(shots):
        return None
    return {"when": Value(f"{{ clip = {quoted(clip)}, cell = {cell} }}", f"{count} of {counted(len(shots), 'shot')}")}
