"""Replays in tests: the documented example runs, and a failure shows the gates."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

import voskar.testing

PAGE = Path(__file__).parent.parent / "docs" / "testing.md"


def pytest_on(code: str, folder: Path, files: Path) -> subprocess.CompletedProcess[str]:
    for name in ("apiary.toml", "hive.toml", "moth.png", "meadow.jsonl"):
        (folder / name).write_bytes((files / name).read_bytes())
    (folder / "test_dive.py").write_text(code)
    command = [sys.executable, "-m", "pytest", "-vv", "-p", "no:cacheprovider", "-p", "no:xdist", "test_dive.py"]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)


def test_the_documented_example_runs_and_fails_readably(apiary: Path, tmp_path: Path) -> None:
    code = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.S)[0]
    done = pytest_on(code, tmp_path, apiary)
    assert done.returncode == 0, done.stdout
    done = pytest_on(code.replace("[213, 274]", "[213, 273]"), tmp_path, apiary)
    assert done.returncode == 1
    for line in re.findall(r"^    E  ?(.*)$", PAGE.read_text(), re.M):
        assert line.strip() in done.stdout


def test_questions(apiary: Path) -> None:
    replay = voskar.testing.replayed(apiary / "apiary.toml", apiary / "meadow.jsonl")
    dives = replay.landed().by("hornet-1").on("keeper")
    assert (len(dives), dives.damage, repr(dives)[:9]) == (3, 3, "<3 landed")
    assert [event.hurtbox for event in dives] == ["torso", "torso", "head"]
    assert (replay.lives("keeper", 1409), replay.lives("keeper", 1410)) == (3, 2)
    assert replay.why(274, "hornet-1", "keeper").gate == "landed"
    assert replay.over().frames.against([1991])[1] == "the same frames, in another order or more than once"
    assert (replay.place("keeper", 1410), replay.place("keeper", 1532)) == ((212, 330), (90, 330))
    assert replay.place("keeper", 9999) is None
    assert "keeper" in replay.alive("keeper", 1409)
    assert replay.alive("keeper", 1411) == []
    assert replay.score("keeper", 2039) >= 0
    assert not replay.adopted()
    game = voskar.testing.replayed(apiary / "apiary.toml", apiary / "meadow.jsonl", resync=True)
    assert game.adopted(detail="hit").frames == [273]
    for ask in (
        lambda: replay.landet(),
        lambda: replay.landed(attacker="hornet-99"),
        lambda: replay.landed(attack="stign"),
        lambda: replay.landed(hurtbox="torsoo"),
        lambda: replay.landed().on("keper"),
        lambda: replay.health("keper", 3),
        lambda: replay.place("nobody", 3),
        lambda: replay.alive("hornett", 3),
        lambda: replay.why(3, "hornet-1", "keper"),
    ):
        with pytest.raises((AttributeError, ValueError), match="is there"):
            ask()
    with pytest.raises(TypeError, match='no column "strikr"'):
        replay.landed(strikr="hornet-1")
