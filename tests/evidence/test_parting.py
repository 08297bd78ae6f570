"""Where two recordings part, who is who in them, and what follows from that."""

from __future__ import annotations

import json
import shutil
from copy import deepcopy
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Here
from tests.worlds import recording, rulebook
from voskar.core.recording import Recording
from voskar.core.step import replay
from voskar.demo import sparring
from voskar.evidence.alignment import aligned
from voskar.evidence.baseline import LedgerDiff, TwoRecordings, compare
from voskar.evidence.parting import Parting, parting

RULES: dict[str, Any] = {
    "layers": {"names": ["body"]},
    "attacks": {"sting": {"damage": 1}},
    "kinds": {
        "keeper": {
            "health": 9,
            "counters": {"wax": {}},
            "tags": ["air"],
            "boxes": {"body": {"role": "hurtbox", "layer": ["body"], "rect": [10, 10]}},
        },
        "dart": {"boxes": {"tip": {"role": "hitbox", "attack": "sting", "mask": ["body"], "circle": 2}}},
    },
}
BOOK = rulebook(RULES)


def played(shots: dict[str, int] | None = None, frames: int = 40) -> list[dict[str, Any]]:
    """A keeper who stands, and darts that fly at him, by the frame in which each appears."""
    found = []
    for frame in range(frames):
        poses: list[dict[str, Any]] = [{"id": "k", "kind": "keeper", "x": 0, "y": 0, "health": 9}]
        for name, first in (shots or {"dart-1": 5, "dart-2": 20}).items():
            if first <= frame < first + 10:
                poses.append({"id": name, "kind": "dart", "owner": "bee", "x": 50 - 10 * (frame - first), "y": 0})
        found.append({"poses": poses, "inputs": [{"id": "k", "button": "jump"}] if frame == 3 else []})
    return found


def both(new: list[dict[str, Any]], old: list[dict[str, Any]] | None = None) -> tuple[Parting, LedgerDiff, Recording]:
    entry, other = recording(BOOK, old or played()), recording(BOOK, new)
    rules = BOOK.rules(entry.rate)
    other = aligned(entry, other, 30)
    parted = parting(entry, other, 0.0, 30)
    recordings = TwoRecordings(entry, other, parted.apart)
    return (
        parted,
        compare(replay(rules, entry), replay(rules, other), ground=(rules, entry), recordings=recordings),
        other,
    )


def changed(frame: int, pose: dict[str, Any] | None = None, **more: Any) -> list[dict[str, Any]]:
    frames = deepcopy(played())
    frames[frame]["poses"][0] |= pose or {}
    frames[frame] |= more
    return frames


HIT = {"event": "hit", "target": "k"}
PARTED = [
    # what the new one logs otherwise, the sort, frame and field of the first difference, both values
    (changed(7, {"x": 0.5}), ("poses", 7, "x", "0", "0.5")),
    (changed(7, {"health": 8}), ("poses", 7, "health", "9", "8")),
    (changed(39, {"clip": "run", "tick": 0}), ("poses", 39, "clip", "none", "run")),
    (changed(0, {"hidden": True}), ("poses", 0, "hidden", "no", "yes")),
    (changed(7, {"tags": ["air"]}), ("poses", 7, "tags", "none", "air")),
    (changed(7, {"counters": {"wax": 2}}), ("poses", 7, "counters", "none", "wax 2")),
    (changed(7, {"boxes": {"body": [0, 0, 1, 1]}}), ("poses", 7, "boxes", "none", "boxes body")),
    (changed(7, {"immune": True}), ("poses", 7, "immune", "none", "yes")),
    (changed(3, inputs=[]), ("inputs", 3, "jump", "down", "none")),
    (changed(3, {"x": 1}, inputs=[]), ("inputs", 3, "jump", "down", "none")),
    (changed(9, reset="room"), ("marks", 9, "reset", "none", "room")),
    (changed(9, claims=[HIT | {"damage": 1}]), ("claims", 9, "claimed hit", "none", "damage 1")),
    (changed(9, {"health": 8}, claims=[HIT]), ("claims", 9, "claimed hit", "none", "claimed")),
    (changed(9, {"x": 1}, claims=[HIT]), ("poses", 9, "x", "0", "1")),
    (played(frames=39), ("length", 39, "last frame", "39", "38")),
    (played({"dart-1": 5, "dart-2": 19}), ("spawns", 19, "pose", "not there", "there")),
]


@pytest.mark.parametrize(("new", "expected"), PARTED)
def test_the_first_difference(new: list[dict[str, Any]], expected: tuple[Any, ...]) -> None:
    first = both(new)[0].first
    assert first is not None
    assert (first.sort, first.frame, first.field, first.old, first.new) == expected
    assert both(new)[0].same["frames"] == first.frame


@pytest.mark.parametrize(
    ("first", "header", "expected"),
    [
        (0, {"up": "+y"}, ("header", 0, "up", "-y", "+y")),
        (0, {"seed": 4}, ("header", 0, "seed", "0", "4")),
        (40, {}, ("length", 40, "first frame", "0", "40")),  # no frame that both have
        (3, {}, ("inputs", 3, "jump", "down", "none")),
    ],
)
def test_other_headers_and_frames(first: int, header: dict[str, Any], expected: tuple[Any, ...]) -> None:
    old, new = recording(BOOK, played()), recording(BOOK, played(), first=first, **header)
    for entry, other in ((old, new), (new, old)):
        assert parting(entry, aligned(entry, other, 30), 0.0, 30).first is not None
    found = parting(old, aligned(old, new, 30), 0.0, 30).first
    assert found is not None
    assert (found.sort, found.frame, found.field, found.old, found.new) == expected


def test_the_same_game_does_not_part() -> None:
    parted, differs, _ = both(played())
    assert (parted.firsts, differs.differences) == ((), ())
    assert parted.same == {"frames": 40, "poses": 60, "inputs": 1, "claims": 0}


ALIGNED = [
    # darts of the new recording, and who they are in the old one
    ({"dart-8f": 5, "dart-a0": 20}, {"dart-8f": "dart-1", "dart-a0": "dart-2"}),
    ({"dart-2": 5, "dart-1": 20}, {"dart-2": "dart-1", "dart-1": "dart-2"}),
    ({"dart-1": 20}, {"dart-1": "dart-2"}),
    ({"dart-1": 1, "dart-2": 5, "dart-3": 20}, {"dart-2": "dart-1", "dart-3": "dart-2", "dart-1": "dart-1 (other)"}),
]


@pytest.mark.parametrize(("shots", "who"), ALIGNED)
def test_who_is_who(shots: dict[str, int], who: dict[str, str]) -> None:
    names = [actor.id for actor in recording(BOOK, played(shots)).actors if actor.kind == "dart"]
    found = [actor.id for actor in both(played(shots))[2].actors if actor.kind == "dart"]
    assert dict(zip(names, found, strict=True)) == who


def test_other_ids_are_the_same_game() -> None:
    assert both(played({"dart-8f": 5, "dart-a0": 20}))[0].first is None


def test_a_shot_that_leaves_early_comes_before_the_hit_that_moves_by_it() -> None:
    _, differs, _ = both(played({"dart-1": 5, "dart-2": 18}))
    assert [(cause.frame, cause.sort) for cause in differs.causes] == [(20, "shots")]
    assert ("hits", "moved", -2) in {
        (difference.sort, difference.change, difference.shift) for difference in differs.differences
    }


@pytest.mark.parametrize("name", sparring.BUGS)
def test_a_change_of_a_game_is_the_first_cause(name: str, here: Here, tmp_path: Path) -> None:
    bug = sparring.BUGS[name]
    for path in (Path(sparring.__file__).parent / "ring").glob("sparring.*"):
        shutil.copy(path, tmp_path)
    for side, bugs in (("old", frozenset[str]()), ("new", frozenset([name]))):
        (tmp_path / f"{side}.jsonl").write_text(sparring.text(bug.seed, bug.frames, bugs))
    done = here("compare", "sparring.toml", "old.jsonl", "new.jsonl", "--json", cwd=tmp_path)
    found = json.loads(done.stdout)
    causes = [item for item in found["differences"] if item["follows"] is None]
    assert done.returncode == 1
    assert causes[0]["frame"] == found["parting"]["first"]["frame"]
    assert len(causes) <= 2
    same = here("compare", "sparring.toml", "old.jsonl", "old.jsonl", cwd=tmp_path)
    assert (same.returncode, "the recordings are the same" in same.stdout) == (0, True)


def test_what_is_allowed_and_reported(here: Here, tmp_path: Path) -> None:
    (tmp_path / "rules.toml").write_text('voskar = 2\n[kinds.keeper]\nhealth = 9\n[layers]\nnames = ["body"]\n')
    header = {"voskar": "recording", "version": 2, "rate": 60}
    for name, x, pressed, rate in (("a", 0, True, 60), ("b", 1, True, 60), ("c", 1, False, 60), ("d", 0, True, 30)):
        inputs = [{"id": "k", "button": "jump"}] if pressed else []
        pose = {"id": "k", "kind": "keeper", "x": x, "y": 0}
        lines = [header | {"rate": rate}, {"frame": 0, "poses": [pose], "inputs": inputs}]
        (tmp_path / f"{name}.jsonl").write_text("\n".join(map(json.dumps, lines)))
    lines = [
        ("b.jsonl", [], 1, "the inputs are the same to the end"),
        ("b.jsonl", ["--allow", "poses"], 0, "the recordings are the same"),
        ("b.jsonl", ["--tolerance", "1"], 0, "the recordings are the same"),
        ("c.jsonl", [], 1, "only sums are compared"),
        ("d.jsonl", [], 2, "found 30 frames a second, expected 60"),
    ]
    for other, options, code, text in lines:
        done = here("compare", "rules.toml", "a.jsonl", other, *options, "--report", "r.xml", cwd=tmp_path)
        assert (done.returncode, text in " ".join((done.stdout + done.stderr).split())) == (code, True), done
    here("compare", "rules.toml", "a.jsonl", "c.jsonl", "--report", "r.xml", cwd=tmp_path)
    assert "parting-inputs" in (tmp_path / "r.xml").read_text()
