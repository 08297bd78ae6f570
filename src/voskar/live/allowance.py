"""The processor time that live may spend."""

from __future__ import annotations

import time

MOST_SAVED = 4.0
"""Seconds of processor time that are saved at most: a quiet hour must not pay for a minute without pause."""


class Allowance:
    """Processor time that may be spent: a share of what passes. What is overdrawn is paid back, what is left is
    saved."""

    def __init__(self, share: float) -> None:
        self.share, self._left, self._at = share, 0.0, time.monotonic()
        self._owed = 0.0

    def left(self) -> float:
        """Seconds that may be spent now."""
        now = time.monotonic()
        more = (now - self._at) * self.share
        paid = min(self._owed, more / 2)
        # a first look may cost more than minutes bring in; paid back at once, it would hold up all that follows
        self._owed -= paid
        self._left, self._at = min(self._left + more - paid, MOST_SAVED), now
        return self._left

    def take(self, spent: float) -> None:
        """Takes off the spent time."""
        self._left -= spent

    def owe(self, spent: float) -> None:
        """Takes off what had to be spent: at once as far as something is saved, else bit by bit, so that half of what
        comes in stays for the next look."""
        at_once = min(spent, max(self.left(), 0.0))
        self._left -= at_once
        self._owed += spent - at_once
