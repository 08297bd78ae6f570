"""Durations, layers and sides."""

from __future__ import annotations

from fractions import Fraction

import pytest

from voskar.core.recording import Actor, sides
from voskar.core.rules import Box, Duration, eligible
from voskar.core.rules.outlines import circle


@pytest.mark.parametrize(
    ("text", "rate", "frames"),
    [
        ("12f", "60", 12),
        (7, "60", 7),
        ("0.2s", "60", 12),
        ("200ms", "60", 12),
        ("145ms", "100", 15),  # 14.5 rounds up, though 0.145 * 100 is below it in floating point
        ("0.145s", "100", 15),
        ("144.9ms", "100", 14),
        ("8ms", "60", 0),
        ("9ms", "60", 1),
        ("1s", "59.94", 60),
        ("0f", "60", 0),
    ],
)
def test_duration(text: str | int, rate: str, frames: int) -> None:
    assert Duration.parse(text).frames(Fraction(rate)) == frames


@pytest.mark.parametrize("text", ["1.5f", "-2f", "12", "s", "1 s", "1e3ms", -1, "٣f"])
def test_no_duration(text: str | int) -> None:
    with pytest.raises(ValueError, match=r"."):
        Duration.parse(text)


@pytest.mark.parametrize(
    ("hit_sees", "hurt_sees", "allowed"),
    [
        (True, True, {"either", "both", "hitbox", "hurtbox"}),
        (True, False, {"either", "hitbox"}),
        (False, True, {"either", "hurtbox"}),
        (False, False, set()),
    ],
)
def test_detect(hit_sees: bool, hurt_sees: bool, allowed: set[str]) -> None:
    hit = Box("hit", "hitbox", circle(1), layer=1, mask=2 if hit_sees else 0)
    hurt = Box("hurt", "hurtbox", circle(1), layer=2, mask=1 if hurt_sees else 0)
    assert {way for way in ("either", "both", "hitbox", "hurtbox") if eligible(way, hit, hurt)} == allowed


def test_sides_come_from_owners() -> None:
    actors = [
        Actor("gun", "gun", "man"),
        Actor("man", "man"),
        Actor("shot", "shot", "gun"),
        Actor("lost", "shot", "who"),
    ]
    actors += [Actor("ring-1", "shot", "ring-2"), Actor("ring-2", "shot", "ring-1"), Actor("turned", "traitor", "man")]
    named = {"man": "keeper", "traitor": "hive"}
    assert sides(actors, named) == ["keeper", "keeper", "keeper", None, None, None, "hive"]
