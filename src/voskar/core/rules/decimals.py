"""Numbers as they are written: damage and its factors are decimal numbers, and come out exact."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from math import floor
from typing import Literal

Rounding = Literal["none", "floor", "nearest", "ceil"]
"""The rounding of damage: parts of a point are dropped, or made whole."""


@lru_cache(maxsize=4096)
def decimal(value: float) -> Fraction:
    """The number that the shortest decimal text of a float means."""
    # 0.1 means a tenth, which no float is: sums and products follow what the rulebook's author wrote
    return Fraction(repr(value))


def added(value: float, other: float) -> float:
    """The sum of two numbers, exact as they are written: ten times 0.1 is 1."""
    # whole numbers below 2^53 are exact as they are, and are nearly all there is
    if value.is_integer() and other.is_integer():
        return value + other
    return float(decimal(value) + decimal(other))


def changed(value: float, by: float, times: int) -> float:
    """A number that has changed so often."""
    if value.is_integer() and by.is_integer():
        return value + by * times
    return float(decimal(value) + decimal(by) * times)


def rounded(value: float | Fraction, rounding: Rounding) -> float:
    """A number with a rounded magnitude; `nearest` rounds halves up."""
    exact = decimal(value) if isinstance(value, float) else Fraction(value)
    # the sign is put aside, so that a heal rounds as damage does
    size = abs(exact)
    if rounding == "floor":
        size = Fraction(floor(size))
    elif rounding == "ceil":
        size = Fraction(-floor(-size))
    elif rounding == "nearest":
        size = Fraction(floor(size + Fraction(1, 2)))
    return float(size if exact >= 0 else -size)


@lru_cache(maxsize=4096)
def scaled(damage: float, factors: tuple[float, ...], rounding: Rounding, least: float) -> float:
    """Damage times its factors, rounded; no less than `least`, unless it or a factor is 0."""
    exact = decimal(damage)
    for factor in factors:
        exact *= decimal(factor)
    if exact == 0:
        return 0.0
    found = rounded(exact, rounding)
    # a minimum is for damage, not for a heal
    return max(found, least) if found >= 0 else found
