"""The end of a run: over when everyone is out, won by a goal."""

from __future__ import annotations

import numpy as np

from voskar.core.ledger.events import OverEvent, ScoreEvent, WonEvent
from voskar.core.world import World


class Goals:
    """Whether a run is over or won."""

    SHARED = frozenset(("_vanish",))

    def __init__(self, world: World) -> None:
        self.world, self.goal = world, world.rules.goal
        self._asks = bool(self.goal.clear) or self.goal.survive is not None
        self._vanish = self._vanishing()
        for frame in self._vanish:
            world.visit(frame)
        self.begin(world.frame)

    def begin(self, frame: int) -> None:
        """A run begins."""
        if self.goal.survive is not None:
            self.world.visit(frame + self.goal.survive)

    def _vanishing(self) -> set[int]:
        """The frames in which a recorded actor of a kind to be cleared is no longer to be seen."""
        recording = self.world.recording
        poses = recording.poses
        if not self.goal.clear or not len(poses):
            return set()
        wanted = np.array([actor.logged_kind in self.goal.clear for actor in recording.actors], dtype=np.bool_)
        rows = poses.by_actor
        rows = rows[wanted[poses.actor[rows]] & ~poses.hidden[rows]]
        if not len(rows):
            return set()
        # the frame behind each unbroken stretch of poses
        goes_on = (poses.actor[rows][1:] == poses.actor[rows][:-1]) & (np.diff(poses.frame[rows]) == 1)
        return set((poses.frame[rows][~np.append(goes_on, False)] + 1).tolist())

    def look(self) -> None:
        """At the end of a frame: over goes before won."""
        world, run, frame = self.world, self.world.run, self.world.frame
        if not (self._asks or run.won or run.anyone_out):
            return
        # only an event changes the actors that are out or cleared, so most frames skip the scan over all actors
        recheck, run.recheck = run.recheck or frame in self._vanish, False
        if run.goes_on:
            return
        survived = self.goal.survive is not None and frame == run.start + self.goal.survive
        how = "goal" if run.won else "survive" if survived else None
        if run.anyone_out and recheck and self._all_out():
            run.ended = frame
            world.events.append(OverEvent(frame))
        elif how or (self.goal.clear and recheck and self._is_clear()):
            run.ended = frame
            world.events.append(WonEvent(frame=frame, detail=how or "clear"))

    def _has_appeared(self, row: int, since: int) -> bool:
        """Whether a recorded actor has been seen from a frame to this one; driven ones have."""
        world = self.world
        if world.table.driven[row]:
            return True
        frames = world.seen_frames(row)
        low = int(np.searchsorted(frames, since))
        return low < len(frames) and int(frames[low]) <= world.frame

    def _all_out(self) -> bool:
        for state in self.world.everyone():
            # an actor without lives is never out, and a successor carries its lives on
            plays = state.lives is not None and not state.out and not state.succeeded
            if plays and self._has_appeared(state.row, self.world.run.start):
                return False
        return True

    def _is_clear(self) -> bool:
        """Whether each kind to be cleared was there, and none of it is in play or to come back."""
        world, run, wanted = self.world, self.world.run, self.goal.clear
        seen = set(run.seen_kinds)
        for state in world.everyone():
            name = state.kind.logged_kind
            if name not in wanted:
                continue
            # it is down, and comes back
            if state.returns:
                return False
            here = state.driven or (world.is_present(state.row) and not world.table.hidden[state.row])
            consumed = state.consumed is not None and (state.consumed == world.frame or world.frame < state.gone_until)
            if here and state.down is None and not consumed:
                return False
            if name not in seen and self._has_appeared(state.row, run.room_start):
                seen.add(name)
        return all(name in seen for name in wanted)


def award(world: World, who: str, points: float) -> None:
    """Adds points for what an actor did; without a side they go to its first owner."""
    state = world.find(who)
    seen = {who}  # owners may go round in a ring
    while state is not None and state.side is None and state.owner not in (None, *seen):
        who = state.owner or ""
        seen.add(who)
        state = world.find(who)
    name = who if state is None or state.side is None else state.side
    score = world.run.score
    score[name] = score.get(name, 0.0) + points
    world.events.append(ScoreEvent(frame=world.frame, id=name, points=points, total=score[name]))
