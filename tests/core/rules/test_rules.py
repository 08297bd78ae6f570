"""Durations, layers and sides."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from voskar.core.kernel.shapes import ClipColumns
from voskar.core.recording import Actor, sides
from voskar.core.recording.shown import cell_of_tick
from voskar.core.rules import Box, Clip, Duration, Kind, eligible
from voskar.core.rules.boxes import MOST_TICKS
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
    assert sides(actors, named, {}) == ["keeper", "keeper", "keeper", None, None, None, "hive"]
    assert sides([Actor("crumb", "crumb"), Actor("own", "crumb", "man")], named, {"crumb": "hive"}) == ["hive", None]


RATES = st.just(60.0) | st.just(59.94005994005994) | st.floats(1, 1e6)


@given(RATES, st.floats(0.001, 1e6), st.integers(0, MOST_TICKS))
def test_the_cell_of_a_tick_is_exact(recording: float, clip_rate: float, tick: int) -> None:
    """floor(tick * rate of the clip / rate of the recording), however many digits the rates have."""
    recorded, rate = Fraction(repr(recording)), Fraction(repr(clip_rate))
    clip = Clip(1 << 61, rate)
    exact = min(tick * rate // recorded, clip.cells - 1)
    step = clip.step(recorded)
    assert step <= rate / recorded
    assert cells_in(clip, recorded, tick) == exact
    table = ClipColumns(1, 1, {(0, 0): (clip.cells, False, step.numerator, step.denominator)})
    assert table.cell_of(0, 0, tick) == exact


def cells_in(clip: Clip, rate: Fraction, tick: int) -> int:
    return int(cell_of_tick(np.array([tick]), Kind("k", clips={"c": clip}), "c", rate)[0])


def test_a_clip_at_broadcast_rate() -> None:
    """A quarter of an hour into a clip the product of tick and step is wider than 64 bits."""
    clip, rate = Clip(7, Fraction(12), loop=True), Fraction("59.94005994005994")
    ticks = [0, 4, 5, 15_372, 15_373, 60_000, 1_000_000, 1 << 23]
    assert [cells_in(clip, rate, tick) for tick in ticks] == [tick * 12 // rate % 7 for tick in ticks]
