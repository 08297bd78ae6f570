"""Questions about an actor: its look, its values, and its time."""

from __future__ import annotations

import numpy as np

from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.rules.decimals import changed
from voskar.core.world.stage import Stage
from voskar.core.world.state import ActorState

NO_TAGS: frozenset[str] = frozenset()


class Asked(Stage):
    """The world, with what rules ask of actors."""

    # what it shows

    def shown_cell(self, state: ActorState) -> tuple[str | None, int]:
        """The clip and the cell that an actor shows; no clip without a pose."""
        if not self.is_present(state.row):
            return None, -1
        return self.clip(state.row), self.table.cell[state.row]

    def tags(self, state: ActorState) -> frozenset[str]:
        """The tags of its pose: a driven actor has none, nor has one without a pose."""
        if state.driven or not self.is_present(state.row):
            return NO_TAGS
        number = self.recording.poses.tags[self.table.pose[state.row]]
        return NO_TAGS if number < 0 else self.recording.tag_sets[number]

    # what it has

    def is_stunned(self, state: ActorState) -> bool:
        """Whether it is, in this frame."""
        return state.stunned_since <= self.frame <= state.stunned_until

    def is_immune(self, state: ActorState) -> bool:
        """Whether i-frames guard it at this moment."""
        return state.immune_since <= self.frame <= state.immune_until or self.clip_guards(state)

    def clip_guards(self, state: ActorState) -> bool:
        """Whether the cell that it shows makes it immune."""
        if state.kind.name not in self.guarded_by_clips:
            return False
        name, cell = self.shown_cell(state)
        clip = state.kind.clips.get(name or "")
        return clip is not None and any(first <= cell <= last for first, last in clip.iframes)

    def holder(self, state: ActorState, name: str) -> ActorState | None:
        """The actor that has a counter: the actor itself if its kind declares it, else its owner; None if the owner is
        gone."""
        if state.owner is None or name in state.kind.counters:
            return state
        return self.find(state.owner)

    def counter_holder(self, state: ActorState, name: str) -> str:
        """The id of that one."""
        return state.id if state.owner is None or name in state.kind.counters else state.owner

    def counter(self, state: ActorState, name: str) -> float:
        """The value of a counter of an actor, or of its owner."""
        if state.owner is None or name in state.kind.counters:
            return self.counter_of(state, name)
        holder = self.find(state.owner)
        if holder is None:
            return self.run.ghosts.get(state.owner, {}).get(name, 0.0)
        return self.counter_of(holder, name)

    def counter_of(self, holder: ActorState, name: str, ago: int = 0) -> float:
        """The value of a counter, with the regen so far, now or some frames ago."""
        rule = holder.kind.counters.get(name)
        base = holder.regens.get(name) if holder.regens else None
        if base is None or rule is None or rule.regen is None:
            return holder.counters.get(name, 0.0 if rule is None else rule.start)
        value, regen = base.value, rule.regen
        if value == (rule.max if regen.amount > 0 else rule.min):
            return value  # where regen leads to
        elapsed = (self.now(holder) if self.freezes else self.frame) - base.since - ago
        ticks = regen.ticks(elapsed if elapsed > 0 else 0) - base.done
        return rule.within(changed(value, regen.amount, ticks) if ticks else value)

    def conditional(self) -> list[ActorState]:
        """The actors with boxes that open by a condition."""
        conditions = self.catalog.conditions
        there = (state for state in self.actors if state is not None) if conditions else ()
        return [state for state in there if state.kind.name in conditions]

    def touches(self) -> list[TouchRow]:
        """The touches of this frame, of boxes that may meet: a shot that was reflected may be on other layers."""
        found, catalog = self.finder.touches(), self.catalog
        if not catalog.reflections:
            return found
        formed, by = catalog.formed, [None if state is None else state.layers for state in self.actors]
        return [
            entry for entry in found if catalog.meets(formed[entry[1]], formed[entry[3]], by[entry[0]], by[entry[2]])
        ]

    # what time it is for it

    def now(self, state: ActorState) -> int:
        """The frame that its timers count from: this one, or the last in which it is frozen. What was running when it
        was frozen ends so much later."""
        return max(self.frame, self.table.frozen_until[state.row]) if self.freezes else self.frame

    def elapsed(self, state: ActorState, since: int) -> int:
        """Frames since another one, those left out in which it is frozen."""
        return self.now(state) - since

    def is_frozen(self, state: ActorState) -> bool:
        """Whether it is frozen in this frame."""
        return self.table.frozen_since[state.row] <= self.frame <= self.table.frozen_until[state.row]

    def first_in_play(self, state: ActorState) -> int | None:
        """The first frame of this run in which it is there and not hidden, None if there is none."""
        if state.driven:
            return self.table.born[state.row]
        frames = self.seen_frames(state.row)
        low = int(np.searchsorted(frames, self.run.start))
        return int(frames[low]) if low < len(frames) else None
