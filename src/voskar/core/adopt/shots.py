"""Spawns that the game shows in other frames than the rules have them, or not at all."""

from __future__ import annotations

import math
from bisect import bisect_left

from voskar.core.adopt.plan import Resync
from voskar.core.emitters.firing import ONCE, Emitters
from voskar.core.ledger.events import AdoptedEvent, DeniedEvent, SpawnEvent
from voskar.core.rules import Emitter
from voskar.core.world import ActorState

Shown = dict[tuple[str, str | None], list[tuple[int, int]]]
"""Frames and rows in which shots appear, by kind and owner."""


class Shots:
    """Emissions and the shots that a game shows. An emission that is shown at another frame counts there for its
    cooldown; an emission that is never shown counts for none, though its number is consumed; a shot that no emitter
    fired counts for all that could have fired it."""

    SHARED = frozenset(("resync", "_shown", "_given", "_firsts"))

    def __init__(self, resync: Resync, emitters: Emitters) -> None:
        self.resync, self.emitters, self.world = resync, emitters, emitters.world
        self._shown: Shown = {}
        self._given: Shown = {}
        """The same of what needs no cause, but may have one in its frame."""
        self._firsts: dict[int, list[tuple[str, str | None]]] = {}
        self._used: set[tuple[int, int]] = set()
        """Shots that an emission was found for, of both tables."""
        self._fired: dict[tuple[int, str], int] = {}
        self._seen = 0
        rules, recording = self.world.rules, self.world.recording
        kinds = {emitter.fan.kind for kind in rules.kinds.values() for emitter in kind.emitters}
        actors, poses = recording.actors, recording.poses
        shots = [
            row for row, actor in enumerate(actors) if actor.logged_kind in kinds and recording.logs("spawn", actor.id)
        ]
        rows, mask = recording.appearances(shots)
        for row, frame, known in zip(
            poses.actor[rows].tolist(), poses.frame[rows].tolist(), mask.tolist(), strict=True
        ):
            key = actors[row].logged_kind, actors[row].owner
            if known:
                self._given.setdefault(key, []).append((frame, row))
            else:
                self._shown.setdefault(key, []).append((frame, row))
                self._firsts.setdefault(frame, []).append(key)
                self.world.visit(frame)
        for frames in (*self._shown.values(), *self._given.values()):
            frames.sort()

    def after(self) -> None:
        """The emitters have fired."""
        if not self._shown and not self._given:
            return
        world, fired = self.world, self.emitters.fired
        denied = []
        for event in world.events[self._seen :]:
            if isinstance(event, SpawnEvent) and event.detail == "expected" and event.emitter is not None:
                owner = world.find(event.owner)
                if owner is not None:
                    self._match(owner, event)
            elif isinstance(event, DeniedEvent):
                denied.append(event)
        self._seen = len(world.events)
        for kind, name in self._firsts.get(world.frame, ()):
            for event in denied:
                owner = world.find(event.id)
                emitter = (
                    None
                    if owner is None
                    else next(emitter for emitter in owner.kind.emitters if emitter.name == event.emitter)
                )
                if owner is None or emitter is None or emitter.fan.kind != kind or name not in (None, event.id):
                    continue
                # only a trigger of one frame is used up by a denial: the others fire as soon as they may
                if emitter.when.on in ONCE and self._use(owner, emitter, world.frame, 0, 0, self._shown) is not None:
                    fired[owner.row, emitter.name] = world.frame
                    world.events.append(AdoptedEvent(frame=world.frame, detail="spawn", id=owner.id))
        self._fired = dict(fired)

    def _match(self, owner: ActorState, event: SpawnEvent) -> None:
        window, near = self.resync.windows.of("spawn"), self.resync.windows.near
        gun = owner.row, event.emitter or ""
        emitter = next(emitter for emitter in owner.kind.emitters if emitter.name == event.emitter)
        if self._use(owner, emitter, event.frame, 0, 0, self._shown, self._given) is not None:
            return
        if self._leaves(owner, emitter, event):
            return  # a shot in another frame belongs to another spawn
        if self._use(owner, emitter, event.frame, window.before, window.after, self._shown, self._given) is not None:
            return
        # a shot that is a whole cooldown later is the next one
        later = min(near, emitter.cooldown - 1) if emitter.cooldown else near
        other = self._use(owner, emitter, event.frame, near, later, self._shown)
        if other is not None:
            self.emitters.fired_in(owner, emitter, other)
            self.world.events.append(AdoptedEvent(frame=event.frame, detail="spawn", id=owner.id))
        # nor is it missed where the recording ends before it may be shown
        elif self.world.frame + window.after <= self.world.recording.last:
            self.emitters.unfire(owner.row, emitter, self._fired.get(gun))
            self.world.events.append(AdoptedEvent(frame=event.frame, detail="no spawn", id=owner.id))

    def _leaves(self, owner: ActorState, emitter: Emitter, event: SpawnEvent) -> bool:
        """Whether an edge may take it at once: it appears beyond the edge, or its first move may lead there."""
        world, fan, step = self.world, emitter.fan, 0.0
        if emitter.moves_at_once:
            own = max(fan.speeds[1], math.hypot(*world.rules.kinds[event.kind].motion.velocity))
            step = (own + abs(fan.inherit or 0.0) * math.hypot(*world.velocity(owner.row))) / world.rate
        return world.rules.may_leave(event.kind, event.x or 0.0, event.y or 0.0, step)

    def _use(
        self, owner: ActorState, emitter: Emitter, frame: int, before: int, after: int, *shown: Shown
    ) -> int | None:
        """The frame of the nearest such shot that appears in some frames. It is used up, and that emitter's own."""
        kind, found = emitter.fan.kind, []
        for key in ((kind, owner.id), (kind, None)):
            for frames in filter(None, (table.get(key) for table in shown)):
                low = bisect_left(frames, (frame - before, -1))
                near = frames[low : bisect_left(frames, (frame + after + 1, -1), low)]
                found += [(abs(shot[0] - frame), shot) for shot in near if shot not in self._used]
        if not found:
            return None
        _, used = min(found)
        self._used.add(used)
        self.world.fired_by[used] = emitter.name
        return used[0]
