"""The search finds what a grid would, with a fraction of its variants; what it finds is written with comments kept."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from voskar.evidence.fitting import search


@given(st.lists(st.tuples(st.integers(1, 60), st.integers(0, 59)), min_size=1, max_size=3), st.integers(0, 4))
def test_a_valley_is_found(axes: list[tuple[int, int]], flat: int) -> None:
    """Disagreements that grow with the distance from the right values, but for some as good."""
    lengths = [length for length, _ in axes]
    goal = [min(place, length - 1) for length, place in axes]

    def wrong(points: Sequence[tuple[int, ...]]) -> list[int]:
        return [sum(max(abs(a - b) - flat, 0) for a, b in zip(point, goal, strict=True)) for point in points]

    found = search(lengths, [tuple(0 for _ in lengths)], wrong)
    assert found.wrong == 0
    for (low, high), place, length in zip(found.alike, goal, lengths, strict=True):
        assert (low, high) == (max(place - flat, 0), min(place + flat, length - 1))
    own = tuple(goal)
    assert search(lengths, [own], wrong, own).best == own


def test_a_forgotten_number_is_found_and_written(apiary: Path, tmp_path: Path, here: Any) -> None:
    for name in ("apiary.toml", "hive.toml", "moth.png", "meadow.jsonl"):
        (tmp_path / name).write_bytes((apiary / name).read_bytes())
    path = tmp_path / "apiary.toml"
    before = path.read_text()
    path.write_text(before.replace('iframes = "60f"', 'iframes = "41f"   # forgotten', 1))
    process = here("check", "apiary.toml", "bugs.jsonl", cwd=tmp_path)
    assert process.returncode == 2
    keys = ("--fit", "kinds.keeper.iframes=20f..90f", "--fit", "attacks.gore.damage=1..9")
    done = here("tune", "apiary.toml", "meadow.jsonl", *keys, "--write", "--json", "--workers", 1, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["values"] == {"kinds.keeper.iframes": "59f", "attacks.gore.damage": "5"}  # as its first half has it
    assert (found["before"][0] > found["fitted"], found["tried"] < 200) == (True, True)
    assert 'iframes = "59f"   # forgotten' in path.read_text()
    assert len(path.read_text().splitlines()) == len(before.splitlines())
    assert (
        "--write goes with --fit"
        in here("tune", "apiary.toml", "meadow.jsonl", "--vary", keys[1], "--write", cwd=tmp_path).stderr
    )
