"""Numbers within the values of a rulebook: the moved number, and its neighbours."""

from __future__ import annotations

from typing import Any

from voskar.explaining.leaf import Leaf


def moved_place(leaf: Leaf, value: Any) -> int | None:
    """The place of the only number that differs, -1 for a single number; None if several differ."""
    if leaf.sort in ("frames", "rehit", "whole", "number") and not isinstance(value, bool | str | None):
        return -1
    if leaf.sort == "numbers" and isinstance(value, list) and isinstance(leaf.value, list):
        others = [at for at, (item, own) in enumerate(zip(value, leaf.value, strict=True)) if item != own]
        return others[0] if len(others) == 1 else None
    return None


def number_at(value: Any, place: int) -> float:
    """A number, or that at a place of several; 0 for none."""
    found = value if place < 0 else value[place]
    return found if isinstance(found, int | float) else 0.0


def with_number(value: Any, place: int, other: float) -> Any:
    """A value with another number in its place."""
    if place < 0:
        return type(value)(other)
    return [round(other, 3) if at == place else item for at, item in enumerate(value)]


def neighbours(leaf: Leaf, value: Any) -> list[Any]:
    """The next values on either side of a number."""
    place = moved_place(leaf, value)
    if place is None:
        return []
    whole = leaf.sort in ("frames", "rehit", "whole")
    now = number_at(value, place)
    step = 1.0 if whole else max(abs(now - number_at(leaf.value, place)) / 10, 0.01)
    found = [with_number(value, place, now + way * step) for way in (-1, 1)]
    return [item for item in found if not (leaf.least is not None and place < 0 and item < leaf.least)]
