"""hud, stats and the timeline, through the command line, on the demo."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from tests.commands.test_cli import voskar
from tests.worlds import brush, recording, rulebook, sting
from voskar.core.step import replay
from voskar.core.views.statistics import statistics
from voskar.core.views.timeline import timeline

FILES = ("apiary.toml", "meadow.jsonl")


def rows(folder: Path, *options: object) -> dict[int, dict[str, str]]:
    done = voskar("hud", *FILES, "--csv", *options, cwd=folder)
    assert done.returncode == 0, done.stderr
    return {int(row["frame"]): row for row in csv.DictReader(io.StringIO(done.stdout)) if row["id"] == "keeper"}


def test_hud_in_every_frame(apiary: Path) -> None:
    found = rows(apiary)
    assert list(found) == list(range(2040))
    state = {frame: (row["health"], row["lives"], row["state"]) for frame, row in found.items()}
    assert [state[frame] for frame in (1409, 1410, 1469, 1470, 1531, 1532)] == [
        ("4", "3", ""), ("0", "2", "down"), ("0", "2", "down"),
        ("0", "2", "waiting"), ("0", "2", "waiting"), ("9", "2", ""),
    ]  # fmt: skip
    assert (state[1990][2], state[1991][2], found[1991]["end"]) == ("down", "out", "over")
    assert found[2039]["clock"] == found[1991]["clock"] == "33.183333"  # it stands still


def test_hud_icons(apiary: Path, here: Any) -> None:
    row = rows(apiary, "--icon", 2)[1349]
    assert [row[key] for key in ("health", "percent", "whole", "part", "icons")] == ["4", "44.444444", "2", "0.0", "5"]
    row = rows(apiary, "--icon", 2)[496]
    assert "●●●" in here("hud", *FILES, "--icon", 2, "--frames", 496, cwd=apiary).stdout
    row = rows(apiary, "--icon", 2)[273]
    assert [row["whole"], row["part"]] == ["3", "0.5"]
    assert "●●●◐○" in here("hud", *FILES, "--icon", 2, "--frames", 273, cwd=apiary).stdout
    lines = here("hud", *FILES, "--json", "--frames", "1991-1991", cwd=apiary).stdout
    assert json.loads(lines)["actors"][0]["state"] == "out"


def test_stats(apiary: Path, here: Any) -> None:
    found = json.loads(here("stats", *FILES, "--json", cwd=apiary).stdout)
    keeper = next(item for item in found["actors"] if item["id"] == "keeper")
    assert keeper["deaths"] == {"drone: gore": 3}
    assert (keeper["returns"], keeper["alive_frames"]) == (2, 2040 - 121 - 59 - 88)
    assert found["attacks"]["gore"]["landed"] == 6
    assert found["attacks"]["gore"]["downs"] == 3
    text = here("stats", *FILES, "--actor", "keeper", cwd=apiary).stdout
    assert "drone: gore (3)" in text


def test_shares_and_causes() -> None:
    data = sting(keeper={"health": 2, "iframes": 2, "respawn": {"after": 3}})
    book = rulebook(data)
    played = recording(book, brush({"hornet": "#######.#"}))
    rules = book.rules(played.rate)
    found = statistics(rules, played, replay(rules, played))
    keeper, hornet = found.actors["keeper"], found.actors["hornet"]
    assert (keeper.struck.landed, keeper.struck.stopped["immune"]) == (3, 3)
    assert keeper.struck.share == 0.5
    assert (keeper.alive, keeper.deaths, hornet.striking.downs) == (9 - 2, {"hornet: sting": 1}, 1)
    course = timeline(rules, played, replay(rules, played)).courses["keeper"]
    assert [(span.first, span.last) for span in course.down] == [(4, 5)]
    assert [(span.first, span.last, span.cause) for span in course.immune] == [
        (1, 2, "sting"),
        (4, 5, "sting"),
        (7, 8, "sting"),
    ]
    assert [course.health.now(frame) for frame in range(9)] == [1, 1, 1, 0, 0, 0, 1, 1, 1]


def test_a_fixture_is_there_again_after_a_mark() -> None:
    data = sting(attack={"damage": 0, "attacker": {"remove": True}})
    data["fixtures"] = [{"kind": "hornet", "id": "post", "at": [0, 0]}]
    frames = brush({"hornet": "....."})
    frames[3]["reset"] = "room"
    book = rulebook(data)
    played = recording(book, frames)
    rules = book.rules(played.rate)
    course = timeline(rules, played, replay(rules, played)).courses["post"]
    assert [(span.first, span.last) for span in course.present] == [(0, 0), (3, 3)]


@pytest.mark.parametrize(
    "options",
    [(), ("--frame", "1300-"), ("--by-run",), ("--beside", "meadow.jsonl"), ("--actor", "keeper", "-o", "life.svg")],
)
def test_timeline(apiary: Path, tmp_path: Path, options: tuple[Any, ...], here: Any) -> None:
    files = [apiary / name for name in FILES]
    chosen = [apiary / option if option == "meadow.jsonl" else option for option in options]
    done = here("draw", *files, "--timeline", *chosen, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    picture = tmp_path / ("life.svg" if "life.svg" in options else "timeline.png")
    if picture.suffix == ".png":
        with Image.open(picture) as image:
            assert image.width == 1280
            assert len(image.convert("RGB").getcolors(1 << 20) or []) > 50
    else:
        assert "over in 1991" in picture.read_text() or "<path" in picture.read_text()


def test_usage_errors(apiary: Path, here: Any, tmp_path: Path) -> None:
    for options, text in (
        ((), "give --frame, or --timeline"),
        (("--frame", "1", "--by-run"), "go with --timeline"),
        (("--timeline", "--frame", "9000"), "expected frames of the recording"),
        (("--timeline", "--actor", "keper"), "keeper"),
    ):
        done = here("draw", *FILES, *options, cwd=apiary)
        assert (done.returncode, text in done.stderr) == (2, True), done.stderr
    assert here("hud", *FILES, "--json", "--csv", cwd=apiary).returncode == 2
    empty = tmp_path / "empty.jsonl"
    empty.write_text('{"voskar": "recording", "version": 2, "rate": 60}\n{"frame": 0, "poses": []}\n')
    done = here("draw", FILES[0], str(empty), "--timeline", cwd=apiary)
    assert (done.returncode, "found nobody, expected an actor" in done.stderr) == (2, True), done.stderr
