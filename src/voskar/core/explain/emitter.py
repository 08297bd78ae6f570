"""Why an emitter fired in a frame, or what kept it silent."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from voskar.core.explain.pair import ended_before, ended_words
from voskar.core.explain.step import Step, steps_of
from voskar.core.ledger.events import SpawnEvent
from voskar.core.rules import Emitter
from voskar.core.watching import Watched


class EmitterExplainer:
    """Lists the gates of emitters in watched frames, in the order in which they were asked."""

    def __init__(self, found: Watched) -> None:
        self.ledger, self.recording = found.ledger, found.recording
        self.kinds = found.world.rules.kinds
        self.moments = found.watch.moments

    @cached_property
    def _spawns(self) -> Mapping[tuple[int, str, str], list[SpawnEvent]]:
        found: dict[tuple[int, str, str], list[SpawnEvent]] = {}
        for event in self.ledger.all(SpawnEvent):
            if event.owner and event.emitter:
                found.setdefault((event.frame, event.owner, event.emitter), []).append(event)
        return found

    def emitters(self, frame: int, owner: str | None = None) -> list[tuple[str, Emitter]]:
        """The emitters of those present in a frame, or of one of them, by owner and name."""
        rows = self.recording.block(frame, frame + 1)
        actors = [self.recording.actors[number] for number in set(self.recording.poses.actor[rows].tolist())]
        wanted = sorted((actor for actor in actors if owner in (None, actor.id)), key=lambda actor: actor.id)
        return [(actor.id, emitter) for actor in wanted for emitter in self.kinds[actor.kind].emitters]

    def steps(self, frame: int, owner: str, emitter: Emitter) -> list[Step]:
        """Every gate from the trigger to the limit."""
        ended = ended_before(self.ledger, self.recording, frame)
        if ended is not None:
            return [Step("run", False, ended_words(ended))]
        verdicts = self.moments[frame].pulls.get((owner, emitter.name))
        if verdicts is None:
            return [Step("trigger", False, f"{owner} is fired in this frame, and fires itself from the next one on")]
        return steps_of(verdicts)

    def fired(self, frame: int, owner: str, emitter: Emitter) -> list[SpawnEvent]:
        """The actors that it spawned in a frame."""
        return self._spawns.get((frame, owner, emitter.name), [])
