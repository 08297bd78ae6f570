"""Health and lives as poses log them, frame by frame."""

from __future__ import annotations

import numpy as np

from voskar.core.adopt.window import COLUMNS, Column, Windows
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import COUNTER
from voskar.core.recording import Claim, Recording
from voskar.core.rules.shapes import Floats, Ints


class Logged:
    """Logged values by actor, and the frames in which they change."""

    def __init__(self, recording: Recording, windows: Windows) -> None:
        self.windows = windows
        self.changes: dict[int, list[tuple[int, Column]]] = {}
        """By frame: the actors and columns with a new logged value, or the first one."""
        self._logged: dict[tuple[int, Column], tuple[Ints, Floats]] = {}
        self._hits: dict[tuple[int, str | None], list[Claim]] = {}
        self._downs: dict[str | None, list[int]] = {}
        for claim in recording.claims:
            if claim.event == "hit":
                self._hits.setdefault((claim.frame, claim.target), []).append(claim)
            elif claim.event == "down":
                self._downs.setdefault(claim.id, []).append(claim.frame)
        poses = recording.poses
        columns = {column: getattr(poses, column) for column in COLUMNS}
        for place, name in enumerate(recording.counters.names):
            numbers = np.append(recording.counters.values[:, place], np.nan)
            columns[COUNTER + name] = numbers[poses.counted]
        for column, values in columns.items():
            known = np.flatnonzero(~np.isnan(values))
            for row in sorted(set(poses.actor[known].tolist())):
                rows = poses.rows_of(row)
                rows = rows[~np.isnan(values[rows]) & ~poses.lingering[rows]]
                if not len(rows):
                    continue
                frames, numbers = poses.frame[rows], values[rows]
                if column in COLUMNS:
                    # some games log overkill as health below 0
                    numbers = np.maximum(numbers, 0.0)
                self._logged[row, column] = frames, numbers
                changed = np.r_[True, (np.diff(numbers) != 0) | (np.diff(frames) > 1)]
                for frame in frames[changed].tolist():
                    self.changes.setdefault(frame, []).append((row, column))

    def value(self, row: int, column: Column, frame: int) -> float | None:
        """The value that a frame logs, None if it logs none."""
        frames, values = self._logged.get((row, column), (None, None))
        if frames is None or values is None:
            return None
        at = int(np.searchsorted(frames, frame))
        return float(values[at]) if at < len(frames) and frames[at] == frame else None

    def last(self, row: int, column: Column) -> int:
        """The last frame in which it is reported."""
        return int(self._logged[row, column][0][-1])

    def _claimed(self, contact: Contact) -> float:
        """The damage that other hits claimed on its target in this frame have done."""
        attacks = contact.world.rules.attacks
        found = 0.0
        for hit in self._hits.get((contact.frame, contact.target.id), ()):
            attack = attacks.get(hit.attack or "")
            found += hit.damage if hit.damage is not None else 0.0 if attack is None else attack.damage
        return found

    def shows(self, contact: Contact) -> bool:
        """Whether logged health, or a claimed `down`, shows the effect of a hit that the game does not claim."""
        frame, target, damage = contact.frame, contact.target, contact.damage
        window = self.windows.of("health")
        found = self._logged.get((target.row, "health"))
        if found is not None and damage:
            frames, values = found
            low, high = np.searchsorted(frames, [frame - window.before, frame + window.after + 1])
            before = float(values[low - 1]) if low else target.kind.health or 0.0
            # what the claimed hits of the frame took shows nothing of this one
            before -= self._claimed(contact)
            return any(
                abs(before - item - damage) < 1e-6 or (item == 0 and 0 < before <= damage)
                for item in values[low:high].tolist()
            )
        if target.health is None or target.health > damage:
            return False
        down = self.windows.of("down")
        return any(
            down.holds(death, frame) and not self._is_explained(target.id, death)
            for death in self._downs.get(target.id, ())
        )

    def _is_explained(self, target: str, death: int) -> bool:
        """Whether a claimed hit on it stands next to a claimed death."""
        window = self.windows.of("down")
        return any((frame, target) in self._hits for frame in range(death - window.after, death + window.before + 1))
