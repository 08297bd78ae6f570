"""A shrunk scene still shows its finding; a script of frames plays as the frames did."""

from __future__ import annotations

import copy
import json
import shutil
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given

from tests import strategies
from tests.worlds import recording, rulebook
from voskar.core.step import replay
from voskar.files.recording import read_script
from voskar.files.stage import play_stage
from voskar.shrink.script import ranges, script_of, script_text, way


@pytest.mark.parametrize(
    ("code", "files", "number", "lines"),
    [
        ("hit-moved", ("apiary.toml", "meadow.jsonl"), 1, 26),
        ("hit-denied", ("apiary.toml", "meadow.jsonl"), 2, 33),
        ("spawn-unexpected", ("swarm.toml", "bugs/spit-quick-fire.stage.toml"), 1, 24),
        ("hit-missing", ("darts.toml", "bugs/shots-tunnel.stage.toml"), 1, 30),
        ("hit-denied", ("yard.toml", "bugs/yard-old-box.stage.toml"), 1, 26),  # logged boxes
    ],
)
def test_what_is_left_shows_the_finding(
    apiary: Path, tmp_path: Path, here: Any, code: str, files: tuple[str, str], number: int, lines: int
) -> None:
    out = tmp_path / "small.stage.toml"
    done = here("shrink", *files, "--finding", number, "-o", out, cwd=apiary)
    assert done.returncode == 0, done.stderr
    text = out.read_text()
    assert len([line for line in text.splitlines() if line and not line.startswith("#")]) <= lines
    found = json.loads(here("check", files[0], out, "--json", cwd=apiary).stdout)["findings"]
    assert [item["code"] for item in found] == [code]
    less = tmp_path / "less.stage.toml"
    check = ("check", files[0], less, "--no-explain", "--json")
    assert needless(tomllib.loads(text), found[0], less, lambda: here(*check, cwd=apiary)) == []
    if code == "hit-missing":  # the quickest of them: twice the same
        twice = here("shrink", *files, "--finding", number, "-o", tmp_path / "again.stage.toml", cwd=apiary)
        assert twice.returncode == 0
        assert (tmp_path / "again.stage.toml").read_text() == text


KEPT = {"stage", "frames", "rate", "up", "reactions"}


def needless(script: dict[str, Any], finding: dict[str, Any], out: Path, checked: Any) -> list[tuple[Any, ...]]:
    """What can be taken out of a script that then still shows the one finding, alike."""
    found = []
    for path in paths(script):
        less = copy.deepcopy(script)
        table: Any = less
        for key in path[:-1]:
            table = table[key]
        del table[path[-1]]
        if path[0] in KEPT or "at" in path[:-1]:
            continue
        out.write_text(script_text(less, ""))
        done = checked()
        if done.returncode == 1:
            left = json.loads(done.stdout)["findings"]
            alike = ("code", "attacker", "target", "shift", "damage", "gate", "rules")
            if len(left) == 1 and all(left[0][key] == finding[key] for key in alike):
                found.append(path)
    return found


def paths(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The way to every key and entry."""
    for key, inner in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        yield (*path, key)
        yield from paths(inner, (*path, key))


def test_the_rules_that_it_needs(apiary: Path, tmp_path: Path, here: Any) -> None:
    """A rulebook of a few lines, next to the whole one, by which the small scene shows the same."""
    for name in ("darts.toml", "apiary.toml", "hive.toml", "moth.png"):
        shutil.copy(apiary / name, tmp_path)
    out, rules = tmp_path / "small.stage.toml", tmp_path / "few.toml"
    options = ("--rules", rules, "-o", out)
    done = here("shrink", "darts.toml", apiary / "bugs" / "shots-tunnel.stage.toml", *options, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert len([line for line in rules.read_text().splitlines() if line and not line.startswith("#")]) < 20
    found = [json.loads(here("check", name, out, "--json", cwd=tmp_path).stdout) for name in ("darts.toml", rules)]
    assert found[0]["findings"] == found[1]["findings"]
    elsewhere = ("--rules", tmp_path / "there" / "few.toml", "-o", tmp_path / "other.stage.toml")
    held = here("shrink", "darts.toml", "x.jsonl", *elsewhere, cwd=tmp_path)
    assert (held.returncode, "expected a name in the folder of the rulebook" in held.stderr) == (2, True)


def test_what_is_refused(apiary: Path, here: Any, tmp_path: Path) -> None:
    for arguments, text in (
        (("--finding", 9), "expected at most 2"),
        (("-o", tmp_path / "x.toml"), "ends in .stage.toml"),
    ):
        done = here("shrink", "apiary.toml", "meadow.jsonl", *arguments, cwd=apiary)
        assert (done.returncode, text in done.stderr) == (2, True)


@given(strategies.rulebooks(), strategies.recordings())
def test_a_script_of_frames_plays_alike(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    """Where a script can say all of it: no swept or turning clips under way in the middle."""
    book = rulebook(data)
    played = recording(book, frames)
    rules = book.rules(played.rate)
    plain = [msgspec.to_builtins(frame) for frame in frames]
    script = script_of({"rate": 60}, plain)
    again = read_script(tomllib.loads(script_text(script, "a test")), "test", book)
    delay = script["frames"] - len(frames)
    places = {
        (int(f) - delay, again.actors[a].id): (x, y)
        for f, a, x, y in zip(again.poses.frame, again.poses.actor, again.poses.x, again.poses.y, strict=True)
    }
    for frame, item in enumerate(plain):
        for pose in item["poses"]:
            assert places.pop((frame, pose["id"])) == pytest.approx((pose["x"], pose["y"]), abs=2e-6)
    assert not places
    assert replay(rules, again).first == 0


def test_a_script_says_what_a_pose_logs() -> None:
    """Shapes of boxes that turn with their actor, tags and counters that come and go, and how the game logs."""
    header = {"rate": 60, "poses": "after_hits", "lag": {"hit": [0, 2]}, "seed": 7, "reactions": "raw"}
    circle, polygon = {"circle": [13, 5, 2]}, {"polygon": [[8, 1], [12, 1], [10, 6]]}
    frames: list[dict[str, Any]] = [
        {"boxes": {"belly": circle}, "tags": [], "counters": {"heat": 2}},
        {"boxes": {"belly": [[8, 4, 12, 6], polygon]}, "tags": ["calm"], "counters": {"heat": 2, "guard": 1.5}},
        {"boxes": {"belly": [8, 4, 12, 6]}, "tags": ["calm", "fed"], "counters": {"heat": 0, "guard": 1.5}},
        {"boxes": {}, "tags": [], "counters": {"heat": 0, "guard": 1.5}},
    ]
    poses = [{"id": "a", "kind": "waxling", "x": 10, "y": 5, "facing": -1, **fields} for fields in frames]
    plain = [{"frame": at, "poses": [pose]} for at, pose in enumerate(poses)]
    text = script_text(script_of(header, plain), "a scene")
    played = play_stage(text, "scene.stage.toml")
    assert {key: played.header[key] for key in header} == header
    assert [msgspec.to_builtins(frame)["poses"] for _, frame in played.frames] == [[pose] for pose in poses]


def test_lines_and_ranges() -> None:
    points = [(f, float(f), 0.0) for f in range(10)] + [(10, 50.0, 0.0), (11, 51.0, 0.0)]
    assert way(points, {10}) == [
        {"f": 0, "at": [0.0, 0.0]},
        {"f": 9, "at": [9.0, 0.0]},
        {"f": 10, "at": [50.0, 0.0], "ease": "jump"},
        {"f": 11, "at": [51.0, 0.0]},
    ]
    assert ranges([4, 1, 2, 9, 3]) == "1-4,9"
