"""Why a pair of actors came to what it did in a frame, from the same functions that judge."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from operator import attrgetter

import numpy as np

from voskar.core import geometry
from voskar.core.gates import GATES
from voskar.core.judging import Judge
from voskar.core.ledger import Event
from voskar.core.placing import Cast, Fitted, Wardrobe, cells, form_bounds, openness
from voskar.core.recording import Poses, Recording
from voskar.core.replay import cast_of, judge_frames, with_lead
from voskar.core.rules import Rules
from voskar.core.shapes import TOLERANCE, Floats, Ints
from voskar.core.sight import Sight
from voskar.core.swings import Swings
from voskar.core.touching import Touches, find_touches, part_groups, slack_of
from voskar.core.wording import Step, layers_step, units, verdict_sentence

NEAR = 8.0
"""Units within which two boxes have nearly met."""


@dataclass(frozen=True)
class Account:
    """How far one hitbox and one hurtbox of a pair came in a frame, gate by gate.

    `gate` is what decided: the first that stopped them (`present`, `play`, `own`, `boxes`, `layers`, `open`, `touch`,
    or an outcome), else `landed`. `gap` is below 0 where they overlap, None where it cannot be measured.
    """

    frame: int
    striker: str
    target: str
    steps: tuple[Step, ...]
    hitbox: str = ""
    hurtbox: str = ""
    attack: str = ""
    gap: float | None = None

    @property
    def gate(self) -> str:
        """The gate that decided, or "landed"."""
        return next((step.gate for step in self.steps if not step.passed), "landed")

    @property
    def sentence(self) -> str:
        """The deciding gate in one sentence."""
        boxes = f"{self.hitbox} on {self.hurtbox}" if self.hitbox else ""
        stopped = next((step for step in self.steps if not step.passed), None)
        if stopped is None:
            return f"{boxes}, landed"
        return f"{boxes}: {stopped.text}" if boxes else stopped.text

    @property
    def reach(self) -> tuple[int, float]:
        """How far it came: gates passed before the first that stopped, then the nearer the further."""
        passed = next((index for index, step in enumerate(self.steps) if not step.passed), len(self.steps))
        return passed, -(self.gap or 0.0)


class Witness:
    """Replays a recording, watches some frames, and tells what happened in them and why."""

    def __init__(self, rules: Rules, recording: Recording, frames: Collection[int]) -> None:
        self.rules = rules
        self.judge: Judge = judge_frames(rules, recording, frames)
        self.recording = self.judge.recording
        self.wardrobe: Wardrobe = self.judge.wardrobe
        self.cast: Cast = cast_of(self.recording, self.wardrobe)
        self._swings: Swings | None = None
        self._times: dict[int, dict[tuple[int, ...], float]] = {}  # touches by frame, as they are asked for

    def deciding(
        self, frame: int, striker: str, target: str, *, attack: str | None = None, second: bool = False
    ) -> Account:
        """The account of the boxes of a pair that came furthest, of one attack if it has boxes for it.

        With `second` a landing in this frame is explained by another claim, and the question is what stopped
        one more.
        """
        accounts = self.pair(frame, striker, target)
        accounts = [one for one in accounts if one.attack == attack] or accounts
        others = [one for one in accounts if one.gate != "landed"]
        if second and others:
            return others[0]
        if second:
            step = Step("repeat", False, "it landed in this frame, but only once")
            return Account(frame, striker, target, (step,))
        return accounts[0]

    def pair(self, frame: int, striker: str, target: str) -> list[Account]:
        """Every hitbox of one actor against every hurtbox of another, those that came furthest first."""
        steps = self._presence(frame, striker, target)
        if not all(step.passed for step in steps):
            return [Account(frame, striker, target, tuple(steps))]
        numbers = self.recording.numbers[striker], self.recording.numbers[target]
        hits, hurts = (
            [one for one in self.wardrobe.by_kind[self.recording.actors[number].kind] if one.box.role == role]
            for number, role in zip(numbers, ("hitbox", "hurtbox"), strict=True)
        )
        if not hits or not hurts:
            lacking, role = (striker, "hitbox") if not hits else (target, "hurtbox")
            steps.append(Step("boxes", False, f"{lacking} has no {role}"))
            return [Account(frame, striker, target, tuple(steps))]
        accounts = [self._boxes(frame, *numbers, hit, hurt, steps) for hit in hits for hurt in hurts]
        return sorted(accounts, key=lambda one: (one.reach[0], one.gate == "landed", one.reach[1]), reverse=True)

    def near(self, frame: int, within: float = NEAR) -> list[Account]:
        """All contacts of a frame, and all that nearly happened: boxes apart by no more than `within`, and
        boxes that overlap but are closed, or that layers keep from meeting."""
        found = []
        for striker, target in self._close_pairs(frame, within):
            for one in self.pair(frame, striker, target):
                if one.gap is not None and one.gap <= (within if self._open_and_eligible(one) else 0.0):
                    found.append(one)
        return sorted(found, key=lambda one: one.reach, reverse=True)

    def _close_pairs(self, frame: int, within: float) -> list[tuple[str, str]]:
        """Pairs of actors in order of id whose bounds come so near, and those whose contacts were judged."""
        poses, rows = self.recording.poses, self.recording.block(frame, frame + 1)
        sides: list[tuple[list[str], list[Floats]]] = [([], []), ([], [])]
        for row in range(rows.start, rows.stop):
            actor = self.recording.actors[poses.actor[row]]
            at = np.array([row])
            for side, role in zip(sides, ("hitbox", "hurtbox"), strict=True):
                for fitted in self.wardrobe.by_kind[actor.kind]:
                    if fitted.box.role == role:
                        clip, cell, _ = self._shown(at, fitted)
                        form = fitted.form_in(self._clip(clip[0]) if clip[0] >= 0 else None, int(cell[0]))
                        side[0].append(actor.id)
                        side[1].append(form_bounds(poses, at, self.wardrobe.forms[form])[:, 0])
        pairs = {(one.contact.striker.id, one.contact.target.id) for one in self.judge.traces[frame].judged}
        if sides[0][0] and sides[1][0]:
            a, b = np.array(sides[0][1])[:, None], np.array(sides[1][1])[None]
            apart = np.maximum(np.maximum(a[..., :2] - b[..., 2:], b[..., :2] - a[..., 2:]).max(axis=-1), 0.0)
            pairs |= {(sides[0][0][i], sides[1][0][j]) for i, j in np.argwhere(apart <= within).tolist()}
        return sorted(pair for pair in pairs if pair[0] != pair[1])

    @staticmethod
    def _open_and_eligible(account: Account) -> bool:
        return all(step.passed for step in account.steps if step.gate in ("layers", "open"))

    def _presence(self, frame: int, striker: str, target: str) -> list[Step]:
        """Whether both are there, in play, and not each other's."""
        recording = self.recording
        if not recording.first <= frame <= recording.last:
            return [Step("present", False, f"the recording has frames {recording.first} to {recording.last}")]
        for name in (striker, target):
            if name not in recording.numbers:
                return [Step("present", False, f"{name} is not in the recording")]
        if striker == target:
            return [Step("own", False, "an actor cannot hit itself")]
        numbers = recording.numbers[striker], recording.numbers[target]
        rows = [self.recording.row(number, frame) for number in numbers]
        for name, number, row in zip((striker, target), numbers, rows, strict=True):
            if row is None:
                seen = self._seen(number, frame)
                return [
                    Step("present", False, f"{name} has no pose in this frame; {seen}{self._last(frame, *numbers)}")
                ]
        held = [name for name, row in zip((striker, target), rows, strict=True) if recording.poses.lingering[row or 0]]
        told = f", {' and '.join(held)} lingering" if held else ""
        steps = [Step("present", True, f"both have a pose{told}")]
        ended = self._ended(frame)
        if ended is not None:
            word = "over" if ended.event == "over" else f"won ({ended.detail})"
            return [*steps, Step("run", False, f"the run was {word} in {ended.frame}, and nothing is judged after it")]
        standings = self.judge.traces[frame].standings
        for name, row in zip((striker, target), rows, strict=True):
            down = standings[name].down
            if recording.poses.hidden[row or 0]:
                return [*steps, Step("play", False, f"{name} is hidden in this frame")]
            if down is not None:
                return [*steps, Step("play", False, f"{name} has been down since {down}{self._back(name, frame)}")]
            spent, gone_until = standings[name].spent, standings[name].gone_until
            if spent is not None and frame < gone_until:
                back = f"is back in {gone_until}" if gone_until <= self.recording.last else "does not come back"
                return [*steps, Step("play", False, f"{name} was used up in {spent} and {back}")]
        steps.append(Step("play", True, "neither is hidden or down"))
        return steps

    def _ended(self, frame: int) -> Event | None:
        """What ended the run before a frame, if no mark has begun it again since."""
        events = self.judge.events
        until = bisect_left(events, frame, key=attrgetter("frame"))
        since = max([mark for mark in self.recording.resets if mark <= frame], default=self.recording.first)
        ends = (event for event in reversed(events[:until]) if event.event in ("over", "won"))
        return next((event for event in ends if event.frame >= since), None)

    def _back(self, name: str, frame: int) -> str:
        """When one that is down comes back, and who keeps it."""
        for event in self.judge.events[bisect_left(self.judge.events, frame, key=attrgetter("frame")) :]:
            if event.event == "respawn" and name in (event.id, event.detail):
                who = f", as {event.id}" if event.detail else ""
                return f" and comes back in {event.frame}{who}"
        return " and does not come back"

    def _seen(self, number: int, frame: int) -> str:
        frames = self.recording.poses.frame[self.recording.poses.rows_of(number)]
        before, after = frames[frames < frame], frames[frames > frame]
        told = [f"last seen in {before[-1]}"] if len(before) else []
        told += [f"next in {after[0]}"] if len(after) else []
        name = self.recording.actors[number].id
        gone = [one for one in self.judge.events if one.event == "removed" and one.id == name and one.frame <= frame]
        told += [f"removed ({gone[-1].detail}) in {gone[-1].frame}"] if gone else []
        return ", ".join(told)

    def _last(self, frame: int, striker: int, target: int) -> str:
        """How near two actors had come in the second before one of them was gone."""
        best: tuple[float, int, str] | None = None
        for hit in self.wardrobe.by_kind[self.recording.actors[striker].kind]:
            for hurt in self.wardrobe.by_kind[self.recording.actors[target].kind]:
                if self.wardrobe.meets[hit.number, hurt.number]:
                    found = self.approach(frame, striker, target, hit, hurt)
                    if found and (best is None or found < best[:2]):
                        best = (*found, f"{hit.box.name} to {hurt.box.name}")
        return f"; nearest in {best[1]}, {best[2]}: {units(best[0])}" if best else ""

    def _boxes(
        self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted, presence: Iterable[Step]
    ) -> Account:
        """The gates of one hitbox and one hurtbox, past presence."""
        attack = self.rules.attacks[hit.box.attack or ""]
        own = self._own(striker, target, attack.hits_owner)
        opened = self._open(frame, ((striker, hit), (target, hurt)))
        value, touch = self._touch(frame, striker, target, hit, hurt)
        steps = [*presence, own, layers_step(self.rules, hit.box, hurt.box), opened, touch]
        steps += self._judged(frame, striker, target, hit, hurt, touch.passed)
        names = (self.recording.actors[striker].id, self.recording.actors[target].id)
        return Account(frame, *names, tuple(steps), hit.box.name, hurt.box.name, attack.name, value)

    def _own(self, striker: int, target: int, hits_owner: bool) -> Step:
        owners, actors = self.recording.owners, self.recording.actors
        text = ""
        if owners[striker] == target:
            text = f"{actors[target].id} owns {actors[striker].id}"
        elif owners[striker] != -1 and owners[striker] == owners[target]:
            text = f"both are owned by {actors[striker].owner}"
        if text and hits_owner:
            return Step("own", True, f"{text}, but the attack hits its owner")
        return Step("own", not text, text or "neither owns the other, and they share no owner")

    def _open(self, frame: int, both: Iterable[tuple[int, Fitted]]) -> Step:
        """Whether both boxes are open, and when a closed one was and will be."""
        texts, passed = [], True
        for number, fitted in both:
            rows = self.recording.poses.rows_of(number)
            clip, cell, is_open = self._shown(rows, fitted)
            frames = self.recording.poses.frame[rows]
            at = int(np.searchsorted(frames, frame))
            name = f"{self.recording.actors[number].id}.{fitted.box.name}"
            timed = fitted.box.during is not None or fitted.box.except_during
            shown = f" in {self._clip(clip[at])} cell {cell[at]}" if timed and clip[at] >= 0 else ""
            if is_open[at]:
                texts.append(f"{fitted.box.name} is open{shown}" if timed else f"{fitted.box.name} is always open")
                continue
            passed = False
            later, earlier = frames[(frames > frame) & is_open], frames[(frames < frame) & is_open]
            when = f"opens next in {later[0]}" if len(later) else "does not open again"
            last = f", was open last in {earlier[-1]}" if len(earlier) else ""
            texts.append(f"{name} is closed{shown or ' without a clip'}; it {when}{last}")
        return Step("open", passed, "; ".join(texts))

    def _clip(self, number: int) -> str:
        return self.recording.clips[number]

    def _shown(self, rows: Ints, fitted: Fitted) -> tuple[Ints, Ints, np.ndarray]:
        """Clip, cell and openness of a box in some poses of its actor."""
        poses, clips = self.recording.poses, self.recording.clips
        cell = cells(poses, rows, self.rules.kinds[fitted.kind], clips, self.rules.rate)
        clip = poses.clip[rows]
        return clip, cell, openness(fitted.box, clip, cell, clips)

    def _touch(self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted) -> tuple[float, Step]:
        """The gap of two boxes in a frame, whether it counts as a touch, and where they came nearest."""
        rows = self.recording.row(striker, frame), self.recording.row(target, frame)
        value = float(self._gaps(np.array([rows[0]]), np.array([rows[1]]), hit, hurt)[0])
        found = self._found(frame, striker, target, hit, hurt)
        if found is not None:
            how = f"met at t = {found:.3g}, on the way" if found < 1 else f"overlap by {-value:.3f} units"
            return min(value, 0.0), Step("touch", True, how)
        if value <= -slack_of(self.wardrobe):
            return value, Step("touch", True, f"overlap by {-value:.3f} units")
        text = "apart by " + units(value) if value > TOLERANCE else "their edges only meet"
        nearest = self.approach(frame, striker, target, hit, hurt)
        if nearest and nearest[0] != round(value, 6):
            text += f"; nearest within a second in {nearest[1]}: {units(nearest[0])}"
        return value, Step("touch", False, text)

    def _found(self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted) -> float | None:
        """The time of their touch, if the search for touches found one."""
        if frame not in self._times:
            _, poses, lead = with_lead(self.recording, frame, frame + 1)
            touches = find_touches(poses, self.cast, self.wardrobe, lead)
            keys = (touches.striker, touches.hitbox, touches.target, touches.hurtbox)
            listed = zip(*(column.tolist() for column in keys), strict=True)
            self._times[frame] = dict(zip(listed, touches.t.tolist(), strict=True))
        return self._times[frame].get((striker, hit.number, target, hurt.number))

    def _gaps(self, rows_a: Ints, rows_b: Ints, hit: Fitted, hurt: Fitted) -> Floats:
        """(k,) gaps of two boxes in pairs of poses, open or not."""
        forms = []
        for rows, fitted in ((rows_a, hit), (rows_b, hurt)):
            clip, cell, _ = self._shown(rows, fitted)
            names = [self._clip(number) if number >= 0 else None for number in clip.tolist()]
            forms.append(np.array([fitted.form_in(name, at) for name, at in zip(names, cell.tolist(), strict=True)]))
        return box_gaps(self.recording.poses, rows_a, forms[0], rows_b, forms[1], self.wardrobe)

    def approach(self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted) -> tuple[float, int] | None:
        """The least gap of two boxes within a second of a frame and the frame of it; the nearest of equals."""
        poses, reach = self.recording.poses, round(float(self.recording.rate))
        sides = []
        for number in (striker, target):
            rows = poses.rows_of(number)
            sides.append(rows[(np.abs(poses.frame[rows] - frame) <= reach) & ~poses.hidden[rows]])
        shared, at_a, at_b = np.intersect1d(poses.frame[sides[0]], poses.frame[sides[1]], return_indices=True)
        if not len(shared):
            return None
        gaps = np.round(self._gaps(sides[0][at_a], sides[1][at_b], hit, hurt), 6)
        best = min(range(len(shared)), key=lambda k: (gaps[k], abs(int(shared[k]) - frame)))
        return float(gaps[best]), int(shared[best])

    def _judged(self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted, touching: bool) -> list[Step]:
        """The gates of judging, as they were, or as they would have been for boxes that did not touch."""
        trace = self.judge.traces[frame]
        names = (self.recording.actors[striker].id, hit.box.name, self.recording.actors[target].id, hurt.box.name)
        for one in trace.judged if touching else ():
            contact = one.contact
            if (contact.striker.id, contact.hitbox.name, contact.target.id, contact.hurtbox.name) == names:
                return [Step(name, not verdict.stops, verdict_sentence(verdict)) for name, verdict in one.verdicts]
        if self._swings is None:
            self._swings = Swings(self.recording.poses, self.cast, self.wardrobe)
        row = self.recording.row(striker, frame)
        swing = int(self._swings.of(np.array([hit.number]), np.array([row]))[0])
        contact = self.judge.contact(frame, (striker, hit.number, target, hurt.number, 1.0, swing, 0), trace)
        contact.sight = self._sight(frame, striker, target, hit, hurt)
        verdicts = [(name, gate(contact)) for name, gate in GATES]
        return [Step(name, not verdict.stops, verdict_sentence(verdict)) for name, verdict in verdicts]

    def _sight(self, frame: int, striker: int, target: int, hit: Fitted, hurt: Fitted) -> Sight:
        """What could be seen of a pair that did not touch: a table of one touch that never was."""
        rows, poses, _ = with_lead(self.recording, frame, frame + 1)
        logged = replace(self.judge.logged.poses.rows(rows), cut=poses.cut)
        at = [(self.recording.row(number, frame) or 0) - rows.start for number in (striker, target)]
        one = {"frame": frame, "striker": striker, "hitbox": hit.number, "target": target, "hurtbox": hurt.number}
        one |= {"striker_pose": at[0], "target_pose": at[1], "hit_part": 0, "hurt_part": 0}
        columns = {name: np.array([value]) for name, value in one.items()}
        never = Touches(t=np.ones(1), striker_shift=np.zeros((1, 2)), target_shift=np.zeros((1, 2)), **columns)
        return Sight(poses, never, self.cast, self.wardrobe, logged)


def box_gaps(poses: Poses, rows_a: Ints, forms_a: Ints, rows_b: Ints, forms_b: Ints, wardrobe: Wardrobe) -> Floats:
    """(k,) signed gaps in units of boxes in pairs of poses: the least over their parts; negative where they overlap."""
    parts = wardrobe.parts
    result = np.full(len(rows_a), np.inf)
    for form_a, form_b in np.unique(np.stack([forms_a, forms_b]), axis=1).T.tolist():
        at = np.flatnonzero((forms_a == form_a) & (forms_b == form_b))
        own = np.arange(parts.start[form_a], parts.start[form_a] + parts.count[form_a])
        other = np.arange(parts.start[form_b], parts.start[form_b] + parts.count[form_b])
        k, a, b = (grid.reshape(-1) for grid in np.meshgrid(at, own, other, indexing="ij"))
        for rows, va, vb, radii in part_groups(poses, rows_a[k], a, rows_b[k], b, wardrobe):
            np.minimum.at(result, k[rows], geometry.gap(va, vb, radii))
    return result
