"""Edges that are one: actors leave at one side of the space and come in at the other."""

from __future__ import annotations

import numpy as np

from voskar.draft.seen import FEW, Seen
from voskar.draft.values import Value, roundest
from voskar.words import counted

ACROSS, LEAST_SPACE = 0.8, 64.0
"""Which part of a space of at least so many units no actor crosses in a frame."""
SLOW = 0.2
"""Which part of it one goes at most in the frame before it comes round."""
APART = 1.5
"""Units by which the width of a space may be off from one time to the next."""
SIDES = (("left", "right"), ("top", "bottom"))


class WrapDraft(Seen):
    """Drafts `wraps` of kinds, and the bounds that they go round."""

    def wraps(self) -> None:
        """Of each axis on which some kinds come round, always by the same width."""
        for axis, (low_side, high_side) in zip("xy", SIDES, strict=True):
            rounds = {kind: self._rounds(kind, axis) for kind in self.kind_names}
            every = [entry for entries in rounds.values() for entry in entries]
            if len(every) < FEW:
                continue
            width = float(np.median([value for value, *_ in every]))
            same = [entry for entry in every if abs(entry[0] - width) <= APART]
            if len(same) < FEW or len(same) < 0.8 * len(every):
                self.unknown.append(f"edges: {counted(len(every), 'actor')} come round, each by another width")
                continue
            least, most = min(entry[1] for entry in every), max(entry[2] for entry in every)
            width = float(round(max(width, most - least)))
            low = 0.0 if most - width <= 0.0 <= least else roundest(most - width, least)
            for kind, items in rounds.items():
                if items:
                    why = f"it comes round {counted(len(items), 'time')}"
                    self.kinds[kind].keys["wraps"] = Value("true", why)
            why = f"{counted(len(same), 'time')} one comes round from {low_side} to {high_side} or back, by {width:g}"
            self._bounds({low_side: low, high_side: low + width}, why)

    def _rounds(self, kind: str, axis: str) -> list[tuple[float, float, float]]:
        """Each time that one of a kind comes round: the width of the space, and the least and most of its places."""
        found = []
        for played in self.recordings:
            poses, column = played.poses, getattr(played.poses, axis)
            own = self._of_kind(played, kind)
            if not own.any():
                continue
            before = poses.previous
            rows = np.flatnonzero(own & (before >= 0) & ~poses.cut & ~poses.hidden)
            rows = rows[before[before[rows]] >= 0]
            least, most = float(column[own].min()), float(column[own].max())
            space = max(most - least, LEAST_SPACE)
            step, last = column[rows] - column[before[rows]], column[before[rows]] - column[before[before[rows]]]
            rounds = (np.abs(step) > ACROSS * space) & (np.abs(last) < SLOW * space) & (step * last <= 0)
            found += [(float(abs(item)), least, most) for item in (step - last)[rounds]]
        return found
