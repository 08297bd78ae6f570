"""Resync of clashes: the game decides which of them happen."""

from __future__ import annotations

from voskar.core.adopt.plan import Claimable
from voskar.core.adopt.window import Window
from voskar.core.clashes import Clashes
from voskar.core.world import World

Pair = tuple[str, str]


class LoggedClashes:
    """The clashes that a recording claims."""

    SHARED = frozenset(("window", "_claimable", "_pairs"))

    def __init__(self, world: World, window: Window, claimable: Claimable) -> None:
        self.world, self.window, self._claimable = world, window, claimable
        self._pairs: dict[int, set[Pair]] = {}
        """The pairs that clash by their claims, ids in order, by the frame of the claim."""
        self._used: set[tuple[int, Pair]] = set()
        """Claims that a clash was found for, which stand for no other one."""
        recording = world.recording
        for claim in recording.claims if recording.asks_for("clash") else ():
            if claim.event == "clash" and claim.attacker and claim.target:
                first, second = sorted((claim.attacker, claim.target))
                self._pairs.setdefault(claim.frame, set()).add((first, second))
                world.visit(claim.frame)

    def now(self) -> Clashes | None:
        """Clashes about this frame; None if the game claims none at all."""
        if not self._pairs:
            return None
        about = [self._open(frame) for frame in self._about()]
        return Clashes(set().union(*about), self._open(self.world.frame), self._logs, self._use)

    def _about(self) -> list[int]:
        """Frames with claims that can count for a clash in this frame, the nearest first."""
        frame, (before, after) = self.world.frame, self.window
        return sorted(range(frame - before, frame + after + 1), key=lambda at: abs(at - frame))

    def _open(self, frame: int) -> set[Pair]:
        """The pairs of claims in a frame for which no clash was found."""
        return {pair for pair in self._pairs.get(frame, ()) if (frame, pair) not in self._used}

    def _use(self, first: str, second: str) -> None:
        frame = next((frame for frame in self._about() if (first, second) in self._open(frame)), None)
        if frame is not None:
            self._used.add((frame, (first, second)))

    def _logs(self, first: str, second: str) -> bool:
        world, recording = self.world, self.world.recording
        # where the recording ends before a claim may come, the rules decide
        is_logged = recording.logs("clash", first, second) and world.frame + self.window.after <= recording.last
        return is_logged and first in self._claimable and second in self._claimable
