"""The log of a game that plays exactly by the rules: what a recording would have shown, and claimed, of it."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections import defaultdict
from typing import Any

import numpy as np

from voskar.core.ledger import Event
from voskar.core.ledger.event import written
from voskar.core.recording import Recording
from voskar.core.recording.boxes import LoggedPart
from voskar.core.recording.lingering import spans, velocities
from voskar.core.recording.shown import cell_of_tick
from voskar.core.rules import Rules
from voskar.core.views.course import Course
from voskar.core.views.meters import frames_in
from voskar.core.views.steps import holds
from voskar.core.views.timeline import Timeline, timeline
from voskar.core.watching import Watched, watched

Frame = dict[str, Any]
MARKS = str.maketrans({"/": ".", "+": ".", "#": "."})


def perfect_log(rules: Rules, recording: Recording) -> tuple[dict[str, Any], list[Frame]]:
    """The header and the frames, as a recording has them, baked.

    Poses are as moved; what emitters and parents spawned is shown under ids of its own, fixtures are not. One that is
    down stands where it fell, in its clip, and is hidden or gone as the rules say; one consumed or out has no pose. All
    events are claimed, and states told. Where a recorded actor is sent off by a launch no rule knows its path: the
    header says that launches are not logged.
    """
    log = _Log(rules, recording)
    return log.header(), log.frames()


class _Log:
    def __init__(self, rules: Rules, recording: Recording) -> None:
        self.rules, self.recording = rules, recording
        self.seen: Watched = watched(rules, recording, films=True)
        self.ledger, self.judged = self.seen.ledger, self.seen.recording
        self.course: Timeline = timeline(rules, recording, self.ledger)
        self.fixtures = {fixture.id for fixture in rules.fixtures}
        own = self.seen.world.recording
        self.vx, self.vy = velocities(own.poses, float(own.rate), spans(rules, own), np.arange(len(own.poses)))
        self.has_cases = any(kind.cases for kind in rules.kinds.values())
        self.has_cases |= any(attack.cases for attack in rules.attacks.values())
        self.born = {(event.frame, event.id) for event in self.ledger.of("spawn")}
        self.guarded = {(event.frame, event.id) for event in self.ledger.of("iframes")}
        self.halted = {(event.frame, event.id) for event in self.ledger.of("hitstop")}
        self.stunned = {(event.frame, event.id) for event in self.ledger.of("stun")}
        self.consumed: dict[str, list[int]] = defaultdict(list)
        for event in self.ledger.of("removed"):
            if event.detail == "consumed":
                self.consumed[event.id or ""].append(event.frame)
        self.begins = [recording.first, *sorted(recording.resets)]
        self.names = {actor.id: self._name(actor.id) for actor in self.judged.actors}

    def _name(self, name: str) -> str:
        return name if name in self.recording.numbers or name in self.fixtures else name.translate(MARKS)

    def header(self) -> dict[str, Any]:
        """As JSON."""
        sent = [
            name
            for name in ("launch", "reflect")
            if any(event.id in self.recording.numbers for event in self.ledger.of(name))
        ]
        header: dict[str, Any] = {"voskar": "recording", "version": 2, "rate": written(float(self.recording.rate))}
        header |= {"up": self.recording.up, "reactions": "baked", "seed": self.recording.seed}
        header |= {"title": self.recording.title} if self.recording.title else {}
        header["logged"] = {"events": ["hit", "down", "respawn", "out", "over", "won"]}
        frozen = [event for event in self.ledger.of("hitstop") if event.id in self.recording.numbers]
        unlogged = [*sent, *(["hitstop"] if frozen else [])]
        return header | ({"unlogged": {"reactions": unlogged}} if unlogged else {})

    def frames(self) -> list[Frame]:
        """Yields one frame after the other."""
        claims = self._claims()
        inputs = self._inputs()
        found = []
        for frame in range(self.recording.first, self.recording.last + 1):
            fields: Frame = {"frame": frame, "poses": self._poses(frame)}
            for key, entries in (("inputs", inputs), ("claims", claims)):
                if entries.get(frame):
                    fields[key] = entries[frame]
            if frame in self.recording.resets:
                fields["reset"] = self.recording.resets[frame]
            found.append(fields)
        return found

    def _inputs(self) -> dict[int, list[dict[str, Any]]]:
        inputs, found = self.recording.inputs, defaultdict(list)
        for row in range(len(inputs)):
            fields: dict[str, Any] = {"id": inputs.ids[inputs.id[row]], "button": inputs.buttons[inputs.button[row]]}
            if not inputs.down[row]:
                fields["down"] = False
            if not math.isnan(inputs.aim[row][0]):
                fields["aim"] = inputs.aim[row].tolist()
            found[int(inputs.frame[row])].append(fields)
        return found

    def _claims(self) -> dict[int, list[dict[str, Any]]]:
        found: dict[int, list[dict[str, Any]]] = defaultdict(list)
        for event in self.ledger.events:
            claim = self._claim(event)
            if claim is not None:
                found[event.frame].append(claim)
        return found

    def _claim(self, event: Event) -> dict[str, Any] | None:
        def name(text: str | None) -> str:
            return self.names.get(text or "", text or "")

        match event.event:
            case "contact" if event.outcome == "landed":
                table = {"event": "hit", "attacker": name(event.attacker), "target": name(event.target)}
                table |= {"attack": event.attack or "", "damage": written(event.damage)}
                return table | ({"case": event.case or ""} if self.has_cases else {})
            case "clash":
                return {"event": "clash", "ids": [name(event.id), name(event.other)]}
            case "down" | "out":
                lives = {"lives": written(event.lives)} if event.event == "down" and event.lives is not None else {}
                return {"event": event.event, "id": name(event.id)} | lives
            case "respawn":
                there = {} if event.detail else {"x": event.x, "y": event.y}
                return {"event": "respawn", "id": name(event.id)} | there
            case "over" | "won":
                return {"event": event.event}
        return None

    def _poses(self, frame: int) -> list[dict[str, Any]]:
        judged, found = self.judged, []
        rows = judged.block(frame, frame + 1)
        for row in range(rows.start, rows.stop):
            actor = judged.actors[judged.poses.actor[row]]
            # a recording neither shows what lingers nor what the rulebook places
            if judged.poses.lingering[row] or actor.id in self.fixtures:
                continue
            pose = self._pose(frame, row, actor.id)
            if pose is not None:
                found.append(pose)
        return found

    def _pose(self, frame: int, row: int, name: str) -> dict[str, Any] | None:
        poses, course = self.judged.poses, self.course.courses.get(name)
        actor = self.judged.actors[poses.actor[row]]
        if course is not None and self._is_gone(course, name, frame):
            return None
        pose: dict[str, Any] = {"id": self.names[name], "kind": actor.logged_kind}
        pose |= {"x": float(poses.x[row]), "y": float(poses.y[row])}
        for key, plain in (("facing", 1.0), ("angle", 0.0), ("scale", 1.0), ("z", 0.0)):
            value = float(getattr(poses, key)[row])
            pose |= {} if value == plain else {key: written(value) if key == "facing" else value}
        if poses.clip[row] >= 0:
            pose["clip"] = self.judged.clips[poses.clip[row]]
            text = "tick" if poses.tick[row] >= 0 else "cell"
            pose[text] = int(getattr(poses, text)[row])
        if actor.driven:
            pose |= {"vx": float(poses.vx[row]), "vy": float(poses.vy[row])}
        else:
            own = self.seen.world.recording.row(name, frame)
            back = course is not None and any(span.last + 1 == frame for span in course.down)
            pose |= self._velocity(own, back=back) if own is not None else {}
            pose |= self._boxes(own, actor.kind, pose) if own is not None else {}
        if poses.tags[row] >= 0:
            pose["tags"] = sorted(self.judged.tag_sets[poses.tags[row]])
        owner = self._owner(name, frame) or actor.owner
        if owner is not None:
            pose["owner"] = self.names.get(owner, owner)
        # an id that is used again in the next frame would seem to have jumped there
        again = actor.driven and (frame, name) in self.born and self.judged.row(name, frame - 1) is not None
        pose |= {"cut": True} if poses.cut[row] or again else {}
        pose |= {"hidden": True} if poses.hidden[row] else {}
        if course is not None and not actor.driven:
            self._report(course, frame, pose)
            self._lie(course, name, frame, pose)
        return pose

    def _owner(self, name: str, frame: int) -> str | None:
        """The owner of a driven shot since its last reflection."""
        if name in self.seen.world.recording.numbers:
            return None
        events = [event.owner for event in self.ledger.about(name, "reflect") if event.frame < frame]
        return events[-1] if events else None

    def _boxes(self, own: int, kind: str, pose: Frame) -> Frame:
        """The boxes that the rules take from the log, around a pose. The others are where the rules have them."""
        recording = self.seen.world.recording
        slot = int(recording.poses.logged[own])
        names = {box.logged for box in self.rules.kinds[kind].boxes if box.logged}
        if slot < 0 or not names:
            return {}
        found: Frame = {}
        for name, parts in recording.boxes.parts(slot).items():
            if name in names:
                shapes = [_shape(part, pose["x"], pose["y"]) for part in parts]
                found[name] = shapes[0] if len(shapes) == 1 else shapes
        return {"boxes": found}

    def _velocity(self, own: int, *, back: bool) -> dict[str, float]:
        """The velocity of its own motion; 0 where it is back in play, and the game logged none."""
        poses = self.seen.world.recording.poses
        return {
            "vx": 0.0 if back and math.isnan(poses.vx[own]) else float(self.vx[own]),
            "vy": 0.0 if back and math.isnan(poses.vy[own]) else float(self.vy[own]),
        }

    def _is_gone(self, course: Course, name: str, frame: int) -> bool:
        """Consumed or out, and not back."""
        number = self.recording.numbers.get(name)
        if number is None:
            return False
        since = self.begins[bisect_right(self.begins, frame) - 1]
        fell = next((span.first for span in reversed(course.down) if span.first <= frame <= span.last), since)
        if any(min(since, fell) <= out < frame for out in course.outs):
            return True
        consumed = self.consumed[name]
        at = bisect_left(consumed, frame) - 1
        return at >= 0 and consumed[at] >= since and frame < self.recording.returns(number, consumed[at])

    def _report(self, course: Course, frame: int, pose: dict[str, Any]) -> None:
        """Its state."""
        for key in ("health", "lives"):
            value = getattr(course, key).now(frame)
            pose |= {} if value is None else {key: written(value)}
        counters = {name: steps.now(frame) for name, steps in course.counters.items()}
        fields = {name: written(value) for name, value in sorted(counters.items()) if value is not None}
        pose |= {"counters": fields} if fields else {}
        down = holds(course.down, frame) or holds(course.down, frame + 1)
        if not down and (frame, course.actor.id) not in self.guarded:
            pose["immune"] = holds(course.immune, frame) or self._is_guarded(course, pose)
        if self.stunned and not down and (frame, course.actor.id) not in self.stunned:
            pose["stunned"] = holds(course.stunned, frame)
        frozen = holds(course.frozen, frame)
        # in the frame of the hit either is right, and a body may still be frozen
        if frozen or (self.halted and (frame, course.actor.id) not in self.halted):
            pose["frozen"] = frozen

    def _is_guarded(self, course: Course, pose: dict[str, Any]) -> bool:
        """Whether the cell that it shows makes it immune."""
        clip = course.kind.clips.get(pose.get("clip", ""))
        if clip is None or not clip.iframes:
            return False
        cell = pose.get("cell")
        if cell is None:
            cell = cell_of_tick(np.array([pose["tick"]]), course.kind, pose["clip"], self.rules.rate)[0]
        return any(first <= cell <= last for first, last in clip.iframes)

    def _lie(self, course: Course, name: str, frame: int, pose: dict[str, Any]) -> None:
        """Gives a pose the look of an actor that is down."""
        down = course.kind.down
        span = next((span for span in course.down if span.first <= frame <= span.last), None)
        if span is None:
            return
        fell = self.judged.row(name, span.first - 1)
        if fell is not None and down.motion is None:
            pose |= {"x": float(self.judged.poses.x[fell]), "y": float(self.judged.poses.y[fell]), "vx": 0.0, "vy": 0.0}
        pose.pop("boxes", None)  # where it lies it has none
        poses = self.judged.poses
        if down.clip is not None:
            pose.pop("cell", None)
            tick = frame - span.first - frames_in(course.frozen, span.first, frame)
            pose |= {"clip": down.clip, "tick": tick}
        elif fell is not None and poses.clip[fell] >= 0:  # nothing continues while it lies there
            text = "tick" if poses.tick[fell] >= 0 else "cell"
            pose.pop("tick", None)
            pose.pop("cell", None)
            pose |= {"clip": self.judged.clips[poses.clip[fell]], text: int(getattr(poses, text)[fell])}
        if down.hide or (down.lasts and frame > course.after(span.first - 1, down.lasts)):
            pose["hidden"] = True


def _shape(part: LoggedPart, x: float, y: float) -> Any:
    """A part of a logged box as a recording has it."""
    corners = (part.corners + np.array((x, y))).tolist()
    if part.is_rect:
        return [*corners[0], *corners[2]]
    return {"circle": [*corners[0], part.radius]} if len(corners) == 1 else {"polygon": corners}
