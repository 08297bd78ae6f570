"""Resync of clashes: the game decides which of them happen."""

from __future__ import annotations

from voskar.core.adopt.plan import Claimable
from voskar.core.adopt.window import Window
from voskar.core.clashes import Clashes
from voskar.core.world import World


class LoggedClashes:
    """The clashes that a recording claims."""

    SHARED = frozenset(("window", "_claimable", "_frames"))

    def __init__(self, world: World, window: Window, claimable: Claimable) -> None:
        self.world, self.window, self._claimable = world, window, claimable
        self._frames: dict[tuple[str, str], set[int]] = {}
        """The frames of claimed clashes, by ids in order."""
        recording = world.recording
        for claim in recording.claims if recording.asks_for("clash") else ():
            if claim.event == "clash" and claim.attacker and claim.target:
                first, second = sorted((claim.attacker, claim.target))
                self._frames.setdefault((first, second), set()).add(claim.frame)
                world.visit(claim.frame)

    def now(self) -> Clashes | None:
        """Clashes about this frame; None if the game claims none at all."""
        table, frame = self._frames, self.world.frame
        near = {pair for pair, frames in table.items() if any(self.window.holds(number, frame) for number in frames)}
        now = {pair for pair, frames in table.items() if frame in frames}
        return Clashes(near, now, self._logs) if table else None

    def _logs(self, first: str, second: str) -> bool:
        is_logged = self.world.recording.logs("clash", first, second)
        return is_logged and first in self._claimable and second in self._claimable
