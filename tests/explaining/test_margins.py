"""Which values some recordings hold: numbers, words and names, from the edges of what is noticed."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from voskar.explaining.leaf import Leaf
from voskar.explaining.margins import margins_of


@given(st.integers(1, 200), st.integers(0, 31), st.integers(0, 31))
def test_the_edges_of_a_duration(value: int, below: int, above: int) -> None:
    """Frames are found exactly where a step or less away is noticed; else at a quarter of the last step."""
    leaf = Leaf(("kinds", "hornet", "iframes"), "frames", value, least=0)
    (margin,) = margins_of(leaf, lambda other: not value - below <= other <= value + above)
    assert margin.low >= value - below
    assert margin.high <= value + above
    assert margin.above > value + above
    assert margin.held == (above == 0 and (below == 0 or value == 0))
    if value > below:
        assert margin.below < value - below
    if above < 2:
        assert margin.high == value + above


LEAVES = [
    # a value, what is noticed, what else fits, whether it is held
    (Leaf(("a",), "switch", True), {"false"}, (), True),
    (Leaf(("a",), "switch", True), set(), (False,), False),
    (Leaf(("a",), "options", "first", ("first", "all")), {"all"}, (), True),
    (Leaf(("a",), "names", ["hive", "tool"], ("hive", "tool", "keeper")), {"['tool']"}, (["hive"],), False),
    (Leaf(("a",), "cells", "3-5"), {"2-5", "4-5", "3-4"}, ("3-6",), False),
]


@pytest.mark.parametrize(("leaf", "noticed", "loose", "held"), LEAVES)
def test_words_and_names(leaf: Leaf, noticed: set[str], loose: tuple[Any, ...], held: bool) -> None:
    (margin,) = margins_of(leaf, lambda other: str(other) in noticed or str(other).lower() in noticed)
    assert (margin.loose, margin.held) == (loose, held)


def test_margins_of_a_scene(apiary: Path, here: Any, tmp_path: Path) -> None:
    """Four hits as soon as i-frames let them hold those, and the damage; nothing else of the keeper."""
    command = ("margins", "apiary.toml", "right/hits-short-iframes.jsonl", "--key", "kinds.keeper.iframes")
    done = here(*command, "--key", "attacks", "--json", "--least", 90, "-o", tmp_path / "m.png", cwd=apiary)
    assert done.returncode == 1
    found = {load["key"]: load for load in json.loads(done.stdout)["margins"]}
    assert found["kinds.keeper.iframes"]["held"]
    assert (found["kinds.keeper.iframes"]["below"], found["kinds.keeper.iframes"]["above"]) == ("59f", "61f")
    assert found["attacks.sting.damage"]["held"]
    assert not found["attacks.gore.damage"]["met"]
    assert (tmp_path / "m.png").stat().st_size > 5000
    text = here(*command, "--key", "attacks.pry", "--least", 10, cwd=apiary).stdout
    assert "record a hit of `pry` on a" in text
    assert here(*command[:3], "--key", "kinds.mot", cwd=apiary).returncode == 2
