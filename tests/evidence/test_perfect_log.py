"""`check` is silent on the log of a game that plays exactly by the rules, and finds each mistake put into it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import strategies, uncommon
from tests.mutants import MUTANTS, logged, tried, world
from tests.worlds import recording, rulebook
from voskar.core.views.perfect import perfect_log
from voskar.evidence.check import check
from voskar.evidence.finding import CODES


def silent(data: dict[str, Any], frames: list[dict[str, Any]]) -> list[tuple[str, int, str, str]]:
    """The findings in the perfect log of a world."""
    made = {fan["kind"] for kind in data["kinds"].values() for fan in kind.get("down", {}).get("spawn", ())}
    made |= {one["spawn"] for kind in data["kinds"].values() for one in kind.get("emitters", {}).values()}
    starts: dict[str, tuple[float, float]] = {}
    for frame in frames:
        frame.pop("reset", None)  # a random mark may cut a death short, which is told
        frame["poses"] = [pose for pose in frame["poses"] if pose["kind"] not in made]  # nobody would have fired them
        for pose in frame["poses"]:
            pose["hidden"] = False  # and one that is hidden when it is due is back too late
            x, y = starts.setdefault(pose["id"], (pose["x"], pose["y"]))
            if pose.get("cut") and (pose["x"], pose["y"]) == (x, y):
                pose["x"] += 2.0  # back at its start right after a blow, it would seem to be sent there
    book = rulebook(data)
    played = recording(book, frames, reactions="raw")
    rules = book.rules(played.rate)
    verdict, _ = check(rules, logged(book, *perfect_log(rules, played)))
    return [(one.sort, one.frame, one.game, one.rules) for one in verdict.findings]


@given(st.one_of(strategies.rulebooks(), strategies.deadly_rulebooks()), strategies.recordings(frames_at_most=16))
def test_a_correct_game_is_left_in_peace(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    assert silent(data, frames) == []


@given(uncommon.rulebooks(strategies.rulebooks()), strategies.recordings())
def test_so_is_one_with_rules_that_few_need(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    assert silent(data, frames) == []


def test_shots_and_deaths_are_logged_as_they_are() -> None:
    import random

    for seed in range(3):
        book, played = world(random.Random(seed))
        rules = book.rules(played.rate)
        header, frames = perfect_log(rules, played)
        assert any(pose["kind"] == "puff" for frame in frames for pose in frame["poses"])
        assert check(rules, logged(book, header, frames))[0].findings == ()


@pytest.mark.parametrize("name", MUTANTS)
def test_a_mistake_is_found_and_named(name: str) -> None:
    results = [one for seed in range(6) for one in (tried(name, seed),) if one is not None][:2]
    assert results
    assert all(found for found, _, _ in results)
    assert any(named for _, named, _ in results)


def test_the_command_writes_it(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("replay", "swarm.toml", "volley.stage.toml", "--recording", tmp_path / "log.jsonl", cwd=apiary)
    assert done.returncode == 0, done.stderr
    assert json.loads((tmp_path / "log.jsonl").read_text().splitlines()[0])["reactions"] == "baked"
    checked = here("check", "swarm.toml", tmp_path / "log.jsonl", cwd=apiary)
    assert checked.returncode == 0, checked.stdout


def test_the_page_of_findings_is_the_table_in_use() -> None:
    text = (Path(__file__).parents[2] / "docs" / "findings.md").read_text(encoding="utf-8")
    told = [line.split("|") for line in text.splitlines() if line.startswith("| ") and "`voskar why" in line]
    assert [(row[1].strip(), row[2].strip(" `"), row[3].strip()) for row in told] == [
        (one.seen, code, one.words) for code, one in CODES.items()
    ]
