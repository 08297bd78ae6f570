"""Why an emitter fired in a frame, or what kept it silent."""

from __future__ import annotations

import numpy as np

from voskar.core.emitting import beats, clip_starts, input_frames
from voskar.core.explaining import Witness
from voskar.core.ledger import Event, Ledger
from voskar.core.replay import with_lead
from voskar.core.rules_driven import Emitter
from voskar.core.wording import Step


class Silence:
    """Tells the gates of emitters in watched frames, in the order in which they are asked."""

    def __init__(self, witness: Witness, ledger: Ledger) -> None:
        self.witness, self.recording = witness, witness.recording
        self.spawns: dict[tuple[str, str], list[Event]] = {}
        for event in ledger.of("spawn"):
            if event.owner and event.emitter:
                self.spawns.setdefault((event.owner, event.emitter), []).append(event)

    def emitters(self, frame: int, owner: str | None = None) -> list[tuple[str, Emitter]]:
        """The emitters of those present in a frame, or of one of them, by owner and name."""
        rows = self.recording.block(frame, frame + 1)
        names = {self.recording.actors[number].id for number in self.recording.poses.actor[rows].tolist()}
        wanted = sorted(names if owner is None else names & {owner})
        kinds = self.witness.rules.kinds
        return [(name, one) for name in wanted for one in kinds[self._kind(name)].emitters]

    def _kind(self, name: str) -> str:
        return self.recording.actors[self.recording.numbers[name]].kind

    def steps(self, frame: int, owner: str, emitter: Emitter) -> list[Step]:
        """Every gate from the trigger to the limit, and whether it fired."""
        number = self.recording.numbers[owner]
        standing = self.witness.judge.traces[frame].standings.get(owner)
        row = self.witness.recording.row(number, frame)
        hidden = row is not None and bool(self.recording.poses.hidden[row])
        down = standing.down if standing else None
        stunned = standing is not None and frame <= standing.stunned_until
        told = f"stunned until {standing.stunned_until}" if standing and stunned else "not stunned"
        return [
            self._trigger(frame, owner, number, emitter),
            Step("hidden", not hidden, f"{owner} is hidden in this frame" if hidden else "not hidden"),
            Step("down", down is None, "not down" if down is None else f"{owner} has been down since {down}"),
            Step("stunned", not stunned, told),
            self._cooldown(frame, owner, emitter),
            self._limit(frame, owner, emitter),
        ]

    def fired(self, frame: int, owner: str, emitter: Emitter) -> list[Event]:
        """What it spawned in a frame."""
        return [event for event in self.spawns.get((owner, emitter.name), ()) if event.frame == frame]

    def _trigger(self, frame: int, owner: str, number: int, emitter: Emitter) -> Step:
        when, rate = emitter.when, self.recording.rate
        if when.on in ("press", "release", "hold"):
            frames = input_frames(when, owner, self.recording.inputs)
            word = {"press": "pressed", "release": "released", "hold": "held"}[when.on]
            text = f"{when.name} is {word}" if frame in frames else f"{when.name} is not {word}"
        elif when.on == "every":
            rows = self.recording.poses.rows_of(number)
            since = self.recording.poses.frame[rows[~self.recording.poses.hidden[rows]][:1]]
            reach = range(max(frame - when.every, self.recording.first), frame + when.every + 1)
            frames = np.array([one for one, _ in beats(when, since, reach.start, reach.stop)], dtype=np.int64)
            text = f"a beat every {when.every} frames, {float(when.every / rate):g} s, of which "
            text += "this is one" if frame in frames else "this is none"
        else:
            reach = range(
                max(frame - round(rate), self.recording.first), min(frame + round(rate), self.recording.last) + 1
            )
            _, poses, lead = with_lead(self.recording, reach.start, reach.stop)
            wardrobe, cast, kind = self.witness.wardrobe, self.witness.cast, self.witness.rules.kinds[self._kind(owner)]
            found = clip_starts(when, poses, lead, kind, wardrobe.kinds.index(kind.name), cast, wardrobe)
            frames = poses.frame[found[poses.actor[found] == number]]
            text = f"{when.name} {'reaches' if frame in frames else 'does not reach'} cell {when.cell} in this frame"
        if frame in frames:
            return Step("trigger", True, text)
        near = [*frames[frames < frame][-1:].tolist(), *frames[frames > frame][:1].tolist()]
        return Step("trigger", False, text + (f"; nearest in {' and '.join(map(str, near))}" if near else ""))

    def _cooldown(self, frame: int, owner: str, emitter: Emitter) -> Step:
        fired = [event.frame for event in self.spawns.get((owner, emitter.name), ()) if event.frame < frame]
        if not emitter.cooldown:
            return Step("cooldown", True, "no cooldown")
        if not fired:
            return Step("cooldown", True, f"cooldown of {emitter.cooldown} frames, and never fired before")
        ready = fired[-1] + emitter.cooldown
        left = f", {ready - frame} frames from here" if ready > frame else ""
        return Step("cooldown", frame >= ready, f"fired last in {fired[-1]}, ready in {ready}{left}")

    def _limit(self, frame: int, owner: str, emitter: Emitter) -> Step:
        if emitter.limit is None:
            return Step("limit", True, "no limit")
        rows = self.recording.block(frame, frame + 1)
        number, kind = self.recording.numbers[owner], emitter.fan.kind
        new = {event.id for event in self.fired(frame, owner, emitter)}
        present = 0
        for other in self.recording.poses.actor[rows].tolist():
            actor = self.recording.actors[other]
            own = (
                actor.id.startswith(f"{owner}/{emitter.name}-")
                if actor.driven
                else self.recording.owners[other] == number
            )
            seen_before = actor.driven or self.witness.recording.row(other, frame - 1) is not None
            present += actor.kind == kind and bool(own) and seen_before and actor.id not in new
        text = f"{present} of its own there, {emitter.fan.count} more would make {present + emitter.fan.count}"
        return Step("limit", present + emitter.fan.count <= emitter.limit, f"{text}, limit {emitter.limit}")
