"""Why a pair of actors came to what it did in a frame, from the verdicts of the gates that judged it."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping

import numpy as np
from msgspec import Struct

from voskar.core.boxes import FormedBox
from voskar.core.explain.step import Step, layers_step, steps_of, units
from voskar.core.judging.gates import GATES
from voskar.core.ledger import Event, Ledger
from voskar.core.posing import Posed
from voskar.core.recording import Recording
from voskar.core.recording.shown import cells_of_all, openness
from voskar.core.rules import Rules
from voskar.core.rules.shapes import TOLERANCE, Bools, Ints
from voskar.core.watching import Moment, Question, Watched, watched
from voskar.core.world import ActorState

NEAR = 8.0
"""Units within which two boxes have nearly met."""


class Account(Struct, frozen=True):
    """How far one hitbox and one hurtbox of a pair came in a frame, gate by gate.

    `gate` is what decided: the first that stopped them (`present`, `run`, `play`, `own`, `boxes`, `layers`, `open`,
    `touch`, or an outcome), else `landed`. `gap` is below 0 where they overlap, None where it cannot be measured.
    """

    frame: int
    attacker: str
    target: str
    steps: tuple[Step, ...]
    hitbox: str = ""
    hurtbox: str = ""
    attack: str = ""
    gap: float | None = None
    in_clip: bool = False
    """Whether the hitbox opens in a cell of the clip that the attacker shows."""

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


class PairExplainer:
    """Explains pairs in the frames that a replay was watched in."""

    def __init__(self, found: Watched) -> None:
        self.rules: Rules = found.world.rules
        self.moments: Mapping[int, Moment] = found.watch.moments
        self.ledger: Ledger = found.ledger
        self.recording: Recording = found.recording
        self.catalog = found.world.catalog
        recording = self.recording
        kind_of = np.array([self.catalog.kind_number[actor.kind] for actor in recording.actors], dtype=np.int64)
        kinds = kind_of[recording.poses.actor] if len(recording.poses) else np.zeros(0, dtype=np.int64)
        self._cells = cells_of_all(recording.poses, kinds, self.rules, recording.clips)
        self._posed = Posed(self.catalog, recording.clips, 2, recording)
        self._opened: dict[tuple[str, int], Bools] = {}

    @classmethod
    def of(cls, rules: Rules, recording: Recording, questions: Mapping[int, Question]) -> PairExplainer:
        """Replays a recording and watches it."""
        return cls(watched(rules, recording, questions))

    def deciding(
        self, frame: int, attacker: str, target: str, *, attack: str | None = None, second: bool = False
    ) -> Account:
        """The account of the boxes of a pair that came furthest, of one attack if it has boxes for it.

        With `second` a hit in this frame is explained by another claim, and the question is what stopped
        one more.
        """
        accounts = self.pair(frame, attacker, target)
        accounts = [account for account in accounts if account.attack == attack] or accounts
        others = [account for account in accounts if account.gate != "landed"]
        if second and others:
            return others[0]
        if second:
            step = Step("repeat", False, "it landed in this frame, but only once")
            return Account(frame, attacker, target, (step,))
        return accounts[0]

    def pair(self, frame: int, attacker: str, target: str) -> list[Account]:
        """Every hitbox of one actor against every hurtbox of another, those that came furthest first."""
        steps = self._presence(frame, attacker, target)
        if not all(step.passed for step in steps):
            return [Account(frame, attacker, target, tuple(steps))]
        hits, hurts = (
            [box for box in self.catalog.by_kind[self._kind(name)] if box.box.role == role]
            for name, role in ((attacker, "hitbox"), (target, "hurtbox"))
        )
        if not hits or not hurts:
            lacking, role = (attacker, "hitbox") if not hits else (target, "hurtbox")
            steps.append(Step("boxes", False, f"{lacking} has no {role}"))
            return [Account(frame, attacker, target, tuple(steps))]
        accounts = [self._boxes(frame, attacker, target, hit, hurt, steps) for hit in hits for hurt in hurts]
        return sorted(
            accounts,
            key=lambda account: (
                account.reach[0],
                account.gate == "landed",
                # the hitbox that this clip opens is the likeliest of the closed ones
                account.gate == "open" and account.in_clip,
                account.reach[1],
            ),
            reverse=True,
        )

    def near(self, frame: int, within: float = NEAR) -> list[Account]:
        """All contacts of a frame, and all that nearly happened: boxes apart by no more than `within`, and
        boxes that overlap but are closed, or that layers keep from meeting."""
        found = []
        for attacker, target in sorted(self.moments[frame].pairs if frame in self.moments else ()):
            for account in self.pair(frame, attacker, target):
                if account.gap is not None and account.gap <= (within if self._open_and_eligible(account) else 0.0):
                    found.append(account)
        return sorted(found, key=lambda entry: entry.reach, reverse=True)

    @staticmethod
    def _open_and_eligible(account: Account) -> bool:
        return all(step.passed for step in account.steps if step.gate in ("layers", "open"))

    def _kind(self, name: str) -> str:
        return self.recording.actors[self.recording.numbers[name]].kind

    def _row(self, name: str, frame: int) -> int | None:
        return self.recording.row(name, frame)

    def _presence(self, frame: int, attacker: str, target: str) -> list[Step]:
        """Whether both are there, in play, and not each other's."""
        recording = self.recording
        if not recording.first <= frame <= recording.last:
            return [Step("present", False, f"the recording has frames {recording.first} to {recording.last}")]
        for name in (attacker, target):
            if name not in recording.numbers:
                return [Step("present", False, f"{name} is not in the recording")]
        if attacker == target:
            return [Step("own", False, "an actor cannot hit itself")]
        rows = [self._row(name, frame) for name in (attacker, target)]
        ended = ended_before(self.ledger, recording, frame)
        for name, row in zip((attacker, target), rows, strict=True):
            if row is None:
                return [Step("present", False, f"{name} has no pose in this frame; {self._seen(name, frame)}")]
        held = [name for name, row in zip((attacker, target), rows, strict=True) if recording.poses.lingering[row or 0]]
        text = f", {' and '.join(held)} lingering" if held else ""
        steps = [Step("present", True, f"both have a pose{text}")]
        if ended is not None:
            return [*steps, Step("run", False, ended_words(ended))]
        states = self.moments[frame].states
        for name, row in zip((attacker, target), rows, strict=True):
            if recording.poses.hidden[row or 0]:
                return [*steps, Step("play", False, f"{name} is hidden in this frame")]
            out = self._out_of_play(states[name], frame)
            if out:
                return [*steps, Step("play", False, out)]
        return [*steps, Step("play", True, "neither is hidden or down")]

    def _out_of_play(self, state: ActorState, frame: int) -> str:
        """Why an actor was not in play before the frame's hits, empty if it was."""
        if state.down is not None:
            return f"{state.id} has been down since {state.down}{self._back(state.id, frame)}"
        if state.consumed is not None and frame < state.gone_until:
            back = f"is back in {state.gone_until}" if state.gone_until <= self.recording.last else "does not come back"
            return f"{state.id} was consumed in {state.consumed} and {back}"
        return ""

    def _back(self, name: str, frame: int) -> str:
        """The frame in which a downed actor comes back, and the actor that keeps it away."""
        for event in self.ledger.of("respawn"):
            if event.frame >= frame and name in (event.id, event.detail):
                who = f", as {event.id}" if event.detail else ""
                return f" and comes back in {event.frame}{who}"
        return " and does not come back"

    def _seen(self, name: str, frame: int) -> str:
        frames = self.recording.poses.frame[self.recording.poses.rows_of(self.recording.numbers[name])]
        before, after = frames[frames < frame], frames[frames > frame]
        texts = [f"last seen in {before[-1]}"] if len(before) else []
        texts += [f"next in {after[0]}"] if len(after) else []
        gone = [event for event in self.ledger.about(name, "removed") if event.frame <= frame]
        texts += [f"removed ({gone[-1].detail}) in {gone[-1].frame}"] if gone else []
        return ", ".join(texts)

    def nearest(self, frame: int, attacker: str, target: str) -> str:
        """The least distance of two actors within a second of a frame, in words; empty if they never shared one."""
        best: tuple[float, int, str] | None = None
        for hit in self.catalog.by_kind[self._kind(attacker)]:
            for hurt in self.catalog.by_kind[self._kind(target)]:
                if hit.box.role == "hitbox" and hurt.box.role == "hurtbox" and self.catalog.meets(hit, hurt):
                    found = self.approach(frame, attacker, target, hit, hurt)
                    if found and (best is None or found < best[:2]):
                        best = (*found, f"{hit.name} to {hurt.name}")
        return f"nearest in {best[1]}, {best[2]}: {units(best[0])}" if best else ""

    def _boxes(
        self, frame: int, attacker: str, target: str, hit: FormedBox, hurt: FormedBox, presence: Iterable[Step]
    ) -> Account:
        """The gates of one hitbox and one hurtbox, past presence."""
        own = self._own(frame, attacker, target, hit.attack.hits_owner)
        opened = self._open(frame, ((attacker, hit), (target, hurt)))
        value, touch = self._touch(frame, attacker, target, hit, hurt)
        verdicts = self.moments[frame].verdicts[attacker, hit.name, target, hurt.name]
        states = (self._state(frame, name) for name in (attacker, target))
        # a reflected shot has other layers than its kind
        by = (None if state is None else state.layers for state in states)
        boxes = (self.rules.reflected(box.box, reflect) for box, reflect in zip((hit, hurt), by, strict=True))
        steps = [*presence, own, layers_step(self.rules, *boxes), opened, touch, *steps_of(verdicts)]
        clip = self.recording.poses.clip[self._row(attacker, frame) or 0]
        in_clip = clip >= 0 and self.recording.clips[clip] in (hit.box.during or ())
        names = hit.name, hurt.name, hit.attack.name
        return Account(frame, attacker, target, tuple(steps), *names, value, bool(in_clip))

    def _state(self, frame: int, name: str) -> ActorState | None:
        return self.moments[frame].states.get(name) if frame in self.moments else None

    def _owner(self, frame: int, name: str) -> str | None:
        state = self._state(frame, name)
        return self.recording.actors[self.recording.numbers[name]].owner if state is None else state.owner

    def _own(self, frame: int, attacker: str, target: str, hits_owner: bool) -> Step:
        mine, theirs = (self._owner(frame, name) for name in (attacker, target))
        text = ""
        if mine == target:
            text = f"{target} owns {attacker}"
        elif mine is not None and mine == theirs:
            text = f"both are owned by {mine}"
        if text and hits_owner:
            return Step("own", True, f"{text}, but the attack hits its owner")
        return Step("own", not text, text or "neither owns the other, and they share no owner")

    def _open(self, frame: int, both: Iterable[tuple[str, FormedBox]]) -> Step:
        """Whether both boxes are open, and when a closed one was and will be."""
        texts, passed = [], True
        poses, clips = self.recording.poses, self.recording.clips
        for name, box in both:
            number = self.recording.numbers[name]
            rows, frames, is_open = poses.rows_of(number), poses.frames_of(number), self._openness(name, box)
            # both are present, so the frame is one of theirs
            at = int(np.searchsorted(frames, frame))
            why = self._closed_by_state(frame, name, box) if is_open[at] else ""
            if why:
                passed = False
                texts.append(f"{name}.{box.name} is closed{why}")
                continue
            clip, cell, shut = poses.clip[rows[at]], self._cells[rows[at]], self._shut(box, int(rows[at]))
            shown_why = f" {shut}" if shut else ""
            timed = box.box.during is not None or box.box.except_during
            shown = f" in {clips[clip]} cell {cell}" if timed and clip >= 0 else ""
            if is_open[at]:
                texts.append(f"{box.name} is open{shown}" if timed else f"{box.name} is always open")
                continue
            passed = False
            opened = np.flatnonzero(is_open)
            after = int(np.searchsorted(opened, at))
            when = f"opens next in {frames[opened[after]]}" if after < len(opened) else "does not open again"
            last = f", was open last in {frames[opened[after - 1]]}" if after else ""
            why = shown_why or shown or " without a clip"
            texts.append(f"{name}.{box.name} is closed{why}; it {when}{last}")
        return Step("open", passed, "; ".join(texts))

    def _closed_by_state(self, frame: int, name: str, box: FormedBox) -> str:
        """Why a box that its clip opens is closed by the state of its actor; empty if it is not."""
        moment = self.moments[frame]
        unmet = moment.unmet.get(name, {}).get(self.catalog.condition_of(box))
        if unmet is not None:
            return f" by its `if`: {unmet}"
        state = moment.states.get(name)
        # a stun and a freeze close hitboxes only: the actor can still be hit
        if box.box.role != "hitbox" or state is None:
            return ""
        if state.kind.stun_disarms and frame <= state.stunned_until:
            return f": {name} is stunned until {state.stunned_until}"
        return f": {name} is frozen until {moment.frozen[name]}" if name in moment.frozen else ""

    def _openness(self, name: str, box: FormedBox) -> Bools:
        """Whether a box of an actor is open in each of its poses."""
        found = self._opened.get((name, box.number))
        if found is None:
            poses, rows = self.recording.poses, self.recording.poses.rows_of(self.recording.numbers[name])
            found = openness(box.box, poses.clip[rows], self._cells[rows], self.recording.clips)
            if box.box.logged or box.box.within_bounds:
                found &= np.array([not self._shut(box, int(row)) for row in rows])
            self._opened[name, box.number] = found
        return found

    def _shut(self, box: FormedBox, row: int) -> str:
        """Why a box that its clip opens is closed in a pose all the same; empty if it is not."""
        if not (box.box.logged or box.box.within_bounds):
            return ""
        posed = self._posed
        posed.pose(0, self.recording, row, int(self._cells[row]))
        if posed.form(0, box) < 0:
            return "as the game logs none there"
        return "as it sticks out of the bounds" if box.box.within_bounds and not self._inside(box) else ""

    def _inside(self, box: FormedBox) -> bool:
        bounds = self.rules.space.bounds
        if bounds is None:
            return True
        x0, y0, x1, y1 = self._posed.bounds(0, box)
        low, high = min(x0 - bounds[0], y0 - bounds[1]), min(bounds[2] - x1, bounds[3] - y1)
        return min(low, high) >= -TOLERANCE

    def _touch(self, frame: int, attacker: str, target: str, hit: FormedBox, hurt: FormedBox) -> tuple[float, Step]:
        """The gap of two boxes in a frame, whether they touched, and where they came nearest."""
        rows = [self._row(name, frame) or 0 for name in (attacker, target)]
        value = self._gap(rows[0], hit, rows[1], hurt)
        found = self.moments[frame].touched.get((attacker, hit.name, target, hurt.name))
        if found is not None:
            how = f"met at t = {found:.3g}, on the way" if found < 1 else f"overlap by {-value:.3f} units"
            return min(value, 0.0), Step("touch", True, how)
        apart = self._posed.depth_gap(0, hit, 1, hurt)  # in the poses that the gap was measured in
        if value <= -self._posed.slack and apart > -TOLERANCE:
            return value, Step("touch", False, f"they are apart in depth by {units(max(apart, 0.0))}")
        if value <= -self._posed.slack:
            return value, Step("touch", True, f"overlap by {-value:.3f} units")
        apart_by = "apart by " + units(value) if value < math.inf else "a box without a shape touches nothing"
        text = apart_by if value > TOLERANCE else "their edges only meet"
        nearest = self.approach(frame, attacker, target, hit, hurt)
        if nearest and nearest[0] != round(value, 6):
            text += f"; nearest within a second in {nearest[1]}: {units(nearest[0])}"
        return value, Step("touch", False, text)

    def _gap(self, row_a: int, hit: FormedBox, row_b: int, hurt: FormedBox) -> float:
        """The gap of two boxes in two poses, open or not; infinite if one has no shape there."""
        for at, row in enumerate((row_a, row_b)):
            self._posed.pose(at, self.recording, row, int(self._cells[row]))
        return self._posed.gap(0, hit, 1, hurt)

    def approach(
        self, frame: int, attacker: str, target: str, hit: FormedBox, hurt: FormedBox
    ) -> tuple[float, int] | None:
        """The least gap of two boxes within a second of a frame and the frame of it; the nearest of equals."""
        poses, reach = self.recording.poses, round(float(self.recording.rate))
        sides: list[Ints] = []
        for name in (attacker, target):
            rows = poses.between(self.recording.numbers[name], frame - reach, frame + reach)
            sides.append(rows[~poses.hidden[rows]])
        shared, at_a, at_b = np.intersect1d(poses.frame[sides[0]], poses.frame[sides[1]], return_indices=True)
        mine, theirs = sides[0][at_a], sides[1][at_b]
        # no gap is less than this; over an edge that wraps it may be
        far = np.hypot(poses.x[mine] - poses.x[theirs], poses.y[mine] - poses.y[theirs])
        for rows, box in ((mine, hit), (theirs, hurt)):
            far = far - (math.inf if box.kind.wraps else self.catalog.extent(box) * np.abs(poses.scale[rows]))
        order = np.argsort(far, kind="stable")
        nearest: tuple[float, int, int] | None = None
        for least, other, row_a, row_b in zip(
            *(column[order].tolist() for column in (far, shared, mine, theirs)), strict=True
        ):
            if nearest is not None and least > nearest[0] + TOLERANCE:
                break
            found = round(self._gap(row_a, hit, row_b, hurt), 6), abs(other - frame), other
            nearest = found if nearest is None else min(nearest, found)
        return None if nearest is None else (nearest[0], nearest[2])


def ended_before(ledger: Ledger, recording: Recording, frame: int) -> Event | None:
    """The event that ended the run before a frame, if no mark has begun it again since."""
    since = max([mark for mark in recording.resets if mark <= frame], default=recording.first)
    ends = [event for event in ledger.ends if since <= event.frame < frame]
    return max(ends, key=lambda event: event.frame, default=None)


def ended_words(event: Event) -> str:
    """The end of a run as a reason."""
    word = "over" if event.event == "over" else f"won ({event.detail})"
    return f"the run was {word} in {event.frame}, and nothing is judged after it"


def asked(pairs: Collection[tuple[int, str, str]]) -> dict[int, Question]:
    """Questions about pairs in frames: (frame, attacker, target)."""
    found: dict[int, Question] = {}
    for frame, attacker, target in pairs:
        found.setdefault(frame, Question()).pairs.add((attacker, target))
    return found


__all__ = ["GATES", "NEAR", "Account", "PairExplainer", "asked", "ended_before", "ended_words"]
