"""Raw and baked recordings through the command line."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.commands.test_cli import voskar
from tests.core.judging.test_hits import ways, world
from tests.worlds import toml


@pytest.fixture
def push(tmp_path: Path) -> Path:
    """A waxling that stands still however often it is pushed, and a keeper who goes after it."""
    attack = {"damage": 1, "rehit": "3f", "target": {"knockback": {"distance": 12, "over": "2f", "direction": 0}}}
    (tmp_path / "rules.toml").write_text(toml({"voskar": 2, **world(attack, touch=False)}))
    frames: list[dict[str, Any]] = ways([(0, 0)] * 5 + [(12, 0)] * 5)
    lines: list[dict[str, Any]] = [{"voskar": "recording", "version": 2, "rate": 60}]
    lines += [{"frame": number, **frame} for number, frame in enumerate(frames)]
    (tmp_path / "play.jsonl").write_text("\n".join(map(json.dumps, lines)))
    return tmp_path


def hits(folder: Path, *options: str) -> list[int]:
    done = voskar("replay", "rules.toml", "play.jsonl", "--json", "--outcome", "landed", *options, cwd=folder)
    return [json.loads(line)["frame"] for line in done.stdout.splitlines()[1:]]


def test_reactions_overrule_the_header(push: Path) -> None:
    assert hits(push) == hits(push, "--reactions", "baked") == [0, 3]
    assert hits(push, "--reactions", "raw") == [0, 5]


def test_later_rows_follow_from_a_different_course(push: Path, here: Any) -> None:
    text = here("replay", "rules.toml", "play.jsonl", cwd=push).stdout
    rows = [line for line in text.splitlines() if " stomp " in line]
    assert [row.count("~") for row in rows] == [0, 1, 1, 1]
    assert "~ follows from a different course of events: in 0 waxling is pushed 12.0 units at 0°" in " ".join(
        text.split()
    )
    assert "~" not in here("replay", "rules.toml", "play.jsonl", "--reactions", "raw", cwd=push).stdout


def test_check_tells_both_numbers(push: Path, here: Any) -> None:
    done = here("check", "rules.toml", "play.jsonl", "--json", cwd=push)
    found = [load for load in json.loads(done.stdout)["findings"] if load["code"] == "knockback"]
    assert (done.returncode, [item["frame"] for item in found]) == (1, [0, 3])
    assert (found[0]["game"], found[0]["rules"]) == (
        "moves 0.0 units to frame 2",
        "pushed 12.0 units at 0° from 1 to 2",
    )
    loose = here("check", "rules.toml", "play.jsonl", "--json", "--tolerance", 13, cwd=push)
    assert {load["code"] for load in json.loads(loose.stdout)["findings"]} <= {
        "teleport"
    }  # no actor claims a hit at all


def test_moves(apiary: Path, here: Any) -> None:
    (move,) = map(json.loads, here("moves", "apiary.toml", "--json", cwd=apiary).stdout.splitlines())
    assert (move["startup"], move["windows"], move["recovery"], move["total"]) == (9, [[9, 17]], 9, 27)
    (slow,) = map(json.loads, here("moves", "apiary.toml", "--rate", 30, "--json", cwd=apiary).stdout.splitlines())
    assert (slow["startup"], slow["active"], slow["total"]) == (5, 4, 14)
    assert here("moves", "apiary.toml", "meadow.jsonl", "--rate", 30, cwd=apiary).returncode == 2
