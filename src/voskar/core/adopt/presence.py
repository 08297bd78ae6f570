"""Actors that the game shows in play although they are consumed, out or down by the rules."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np

from voskar.core.adopt.plan import Resync
from voskar.core.adopt.states import stand_again
from voskar.core.rules.shapes import Ints
from voskar.core.world import ActorState, World

LEAST = 3
"""Frames, beyond the window, that an actor has to be shown for to be back."""
TAKES = {"out": "out", "down": "down", "removed": "consumed"}
"""The reason for which an actor is out of play, by the event that states it."""
MOVED = 1.0
"""Units from where it was last in play: it moves on."""
FEW = 256
"""Poses that are looked at first; if they do not tell, twice as many."""


class Presence:
    """Adopts presence. An actor that is shown for more than a few frames is back from the frame in which it moves on,
    or is claimed in a hit. Only baked poses show it."""

    SHARED = frozenset(("resync", "_claimed", "_downs", "_marks"))

    def __init__(self, resync: Resync, world: World) -> None:
        self.resync, self.world = resync, world
        recording = world.recording
        self._looks = not world.raw and not rules_say_nothing(world)
        self._back: dict[int, list[tuple[ActorState, str, int]]] = {}
        self._marks = [*sorted(recording.resets), recording.last + 1]
        self._seen = 0
        self._claimed: dict[str, list[int]] = {}
        for claim in recording.claims if self._looks else ():
            if claim.event == "hit":
                for name in {claim.attacker, claim.target} - {None}:
                    self._claimed.setdefault(name or "", []).append(claim.frame)
        self._downs: dict[str | None, list[int]] = {}
        for claim in recording.claims:
            if claim.event == "down":
                self._downs.setdefault(claim.id, []).append(claim.frame)

    def before(self) -> None:
        """Returns the actors that are back in this frame."""
        for state, what, since in self._back.pop(self.world.frame, ()):
            still = {
                "consumed": state.consumed == since,
                "out": state.out,
                "down": state.down == since and not state.out,
            }
            if still[what]:
                stand_again(self.world, state)
                # the hit that emptied it has not happened for the game
                if state.health == 0:
                    state.health = state.kind.health
                self.world.jump(state)

    def after(self) -> None:
        """After the frame is settled: looks up how the recording continues actors that the frame has taken out of
        play."""
        world = self.world
        events, self._seen = world.events[self._seen :], len(world.events)
        if not self._looks:
            return
        for event in events:
            what = TAKES.get(event.event)
            if what is None or (what == "consumed" and event.detail != what):
                continue
            state = world.find(event.id)
            if state is None or state.driven:
                continue
            if what == "down" and (state.kind.down.motion is not None or self._is_logged_down(state.id, event.frame)):
                continue
            frame = self.goes_on(state, event.frame, what)
            if frame is not None:
                self._back.setdefault(frame, []).append((state, what, event.frame))
                world.visit(frame)

    def keeps(self, state: ActorState) -> bool:
        """Whether an actor that is consumed in this frame will turn out to be still there: nothing of it is
        forgotten."""
        return self._looks and self.goes_on(state, self.world.frame, "consumed") is not None

    def _is_logged_down(self, name: str, frame: int) -> bool:
        window = self.resync.windows.near
        return any(abs(when - frame) <= window for when in self._downs.get(name, ()))

    def goes_on(self, state: ActorState, since: int, what: str) -> int | None:
        """The frame in which an actor is back that something took out of play in the frame `since`; None if it is
        not."""
        rows = self.world.recording.poses.unbroken(state.row, since)
        # after a mark everyone is back anyway
        rows = rows[: self._marks[bisect_right(self._marks, since)] - since]
        if what == "down" and state.kind.respawn is not None:  # when it is due back it is no body
            rows = rows[: max(state.kind.respawn.after, 1)]
        size = FEW
        while (found := self._goes_on(state, since, what, rows[:size])) is None and size < len(rows):
            size *= 2
        return found

    def _goes_on(self, state: ActorState, since: int, what: str, rows: Ints) -> int | None:
        """The same by some of its poses."""
        poses, most = self.world.recording.poses, LEAST + self.resync.windows.within("poses")
        shown = rows[~poses.hidden[rows] & ~poses.lingering[rows]]
        if what == "down":
            shown = self._upright(state, shown)
        # a few frames more of a pose are how games take an actor away, not a sign of life
        if len(shown) - 1 <= most:
            return None
        apart = np.hypot(poses.x[shown] - poses.x[shown[0]], poses.y[shown] - poses.y[shown[0]]) > MOVED
        moves = [int(poses.frame[shown[np.argmax(apart)]])] if apart.any() else []
        if what == "down":
            # a body that is pushed moves for a few frames, too
            return moves[0] if int(apart.sum()) > most else None
        claimed = self._claimed.get(state.id, [])
        at = bisect_right(claimed, since)
        struck = [frame for frame in claimed[at : at + 1] if frame <= poses.frame[shown[-1]]]
        return min([*moves, *struck], default=None)

    def _upright(self, state: ActorState, shown: Ints) -> Ints:
        """Poses of an actor that is down that do not show it as dead: a body lies there, too."""
        recording, poses, clip = self.world.recording, self.world.recording.poses, state.kind.down.clip
        dead = poses.health[shown] <= 0
        if clip in recording.clips:
            dead |= poses.clip[shown] == recording.clips.index(clip)
        dead[:1] = False  # where it fell
        return shown[~dead]


def rules_say_nothing(world: World) -> bool:
    """Whether no actor is ever consumed, out or down."""
    return not any(table.remove for table in world.rules.tables) and all(
        kind.health is None for kind in world.rules.kinds.values()
    )
