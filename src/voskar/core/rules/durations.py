"""Lengths of time as a rulebook writes them, and the frames they come to."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Self

from msgspec import Struct

_DURATION = re.compile(r"(\d+(?:\.\d+)?)(f|ms|s)", re.ASCII)

LONGEST = 1 << 31
"""The longest duration, in frames or seconds."""


class Duration(Struct, frozen=True):
    """A length of time as a rulebook writes it: `12f`, `0.2s`, `200ms`, or a bare integer of frames."""

    amount: Fraction
    seconds: bool

    @classmethod
    def parse(cls, text: str | int) -> Self:
        """Raises ValueError for anything but the four forms, a part of a frame (`1.5f`), and what is longer than any
        recording."""
        if isinstance(text, int):
            if not 0 <= text <= LONGEST:
                raise ValueError(text)
            return cls(Fraction(text), False)
        match = _DURATION.fullmatch(text)
        # a part of a frame cannot be waited for; of a second it can
        if match is None or (match[2] == "f" and "." in match[1]):
            raise ValueError(text)
        amount = Fraction(match[1])
        if amount > LONGEST:
            raise ValueError(text)
        return cls(amount / 1000 if match[2] == "ms" else amount, match[2] != "f")

    def __str__(self) -> str:
        """As `parse` reads it."""
        return f"{float(self.amount):g}s" if self.seconds else f"{self.amount}f"

    def exact(self, rate: Fraction) -> Fraction:
        """Frames at `rate` frames a second, unrounded."""
        return self.amount * rate if self.seconds else self.amount

    def frames(self, rate: Fraction) -> int:
        """Whole frames: floor(seconds * rate + 1/2), on exact fractions, so that 145 ms at 100 a second is 15."""
        exact = self.exact(rate)
        # whole numbers only: floats would round 14.5 frames either way
        return (2 * exact.numerator + exact.denominator) // (2 * exact.denominator)


class Lasting(Duration, frozen=True):
    """A length of time that is at least one frame at any rate."""

    def frames(self, rate: Fraction) -> int:
        """Whole frames, rounded like any duration, but at least 1."""
        return max(Duration.frames(self, rate), 1)
