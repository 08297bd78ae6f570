"""The installed `voskar` command on files in a temporary folder."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pandas
import pyarrow.parquet
import pytest

VOSKAR = Path(sys.executable).with_name("voskar")


def voskar(*arguments: object, cwd: Path, stdin: str = "", **env: str) -> subprocess.CompletedProcess[str]:
    """Runs the command as a user would; 100 columns, no terminal."""
    return subprocess.run(
        [VOSKAR, *map(str, arguments)],
        cwd=cwd,
        input=stdin,
        capture_output=True,
        text=True,
        timeout=120,
        env={**os.environ, "COLUMNS": "100", **env},
    )


def test_demo_runs_and_can_be_repeated(apiary: Path, here: Any) -> None:
    again = here("demo", cwd=apiary.parent)
    assert "night-apiary-2" in again.stdout
    shown = [line[2:].split() for line in again.stdout.splitlines() if line.startswith("$ ")]
    assert [line[1] for line in shown] == ["check", "why", "suite", "moves", "suite", "page", "page", "draw"]
    assert here(*shown[1][1:], cwd=apiary.parent).stdout.strip() in again.stdout
    held = here("demo", "night-apiary", cwd=apiary.parent)
    assert (held.returncode, "--overwrite" in held.stderr) == (2, True)


def test_check_finds_exactly_the_planted_bugs(apiary: Path, here: Any) -> None:
    done = here("check", "apiary.toml", "meadow.jsonl", "--json", cwd=apiary)
    assert done.returncode == 1
    verdict = json.loads(done.stdout)
    found = [(item["code"], item["frame"], item["shift"], item["gate"]) for item in verdict["findings"]]
    assert found == [("hit-moved", 273, 1, "immune"), ("hit-denied", 1131, None, "repeat")]
    assert (verdict["claims"], verdict["hits"], verdict["agreed"]) == (20, 19, 18)
    text = here("check", "apiary.toml", "meadow.jsonl", cwd=apiary).stdout
    assert "1 left, this one included" in " ".join(text.split())


def test_within_forgives_frames_but_not_second_hits(apiary: Path, here: Any) -> None:
    done = here("check", "apiary.toml", "meadow.jsonl", "--within", 1, "--json", cwd=apiary)
    assert (done.returncode, json.loads(done.stdout)["agreed"]) == (1, 19)


def test_check_agrees_with_what_the_rules_say(apiary: Path) -> None:
    landed = voskar("replay", "apiary.toml", "meadow.jsonl", "--json", "--outcome", "landed", cwd=apiary).stdout
    claims: dict[int, list[dict[str, object]]] = {}
    for event in map(json.loads, landed.splitlines()[1:]):
        claim = {"event": "hit", **{key: event[key] for key in ("attacker", "target", "damage", "attack")}}
        claims.setdefault(event["frame"], []).append(claim)
    lines = [json.loads(line) for line in (apiary / "meadow.jsonl").read_text().splitlines()]
    for line in lines[1:]:
        line["claims"] = claims.get(line["frame"], [])
        for table, key in ((line["poses"][0], "health"), (line["poses"][0], "immune"), (line, "display")):
            table.pop(key, None)  # what the game's own hits left
    text = "\n".join(map(json.dumps, lines))
    done = voskar("check", "apiary.toml", "-", cwd=apiary, stdin=text)
    assert (done.returncode, "19 agreed" in done.stdout) == (0, True)
    hard = text.replace('"damage": 1', '"damage": 2', 1).replace('"attack": "scald"', '"attack": "sting"', 1)
    done = voskar("check", "apiary.toml", "-", "--json", cwd=apiary, stdin=hard)
    assert [load["code"] for load in json.loads(done.stdout)["findings"]] == ["hit-damage", "hit-attack"]


def test_ledger_in_every_form(apiary: Path, tmp_path: Path, here: Any) -> None:
    for ending in ("jsonl", "csv", "parquet"):
        done = here("replay", "apiary.toml", "meadow.jsonl", "--ledger", tmp_path / f"l.{ending}", cwd=apiary)
        assert done.returncode == 0, done.stderr
    lines = [json.loads(line) for line in (tmp_path / "l.jsonl").read_text().splitlines()]
    table = pandas.read_csv(tmp_path / "l.csv")
    parquet = pyarrow.parquet.read_table(tmp_path / "l.parquet")
    assert len(lines) - 1 == len(table) == parquet.num_rows
    assert [line["frame"] for line in lines[1:]] == table["frame"].tolist() == parquet["frame"].to_pylist()
    assert json.loads(parquet.schema.metadata[b"voskar"]) == lines[0]
    assert lines[0]["voskar"] == "ledger"
    printed = here("replay", "apiary.toml", "meadow.jsonl", "--json", cwd=apiary).stdout
    assert printed == (tmp_path / "l.jsonl").read_text()
    assert sorted(path.name for path in tmp_path.iterdir()) == ["l.csv", "l.jsonl", "l.parquet"]


def test_filters(apiary: Path, here: Any) -> None:
    def events(*options: object) -> list[dict[str, object]]:
        done = here("replay", "apiary.toml", "meadow.jsonl", "--json", *options, cwd=apiary)
        return [json.loads(line) for line in done.stdout.splitlines()[1:]]

    assert {event["outcome"] for event in events("--outcome", "immune")} == {"immune"}
    assert [event["event"] for event in events("--frames", "213")] == ["contact", "health", "iframes"]
    assert [event["frame"] for event in events("--frames", "250-274", "--outcome", "immune")] == [214]
    assert {event["frame"] for event in events("--actor", "hornet-3")} >= {511, 512}
    assert all(
        "hornet-3" in (event.get("attacker"), event.get("target"), event.get("id"))
        for event in events("--actor", "hornet-3")
    )
    text = here("replay", "apiary.toml", "meadow.jsonl", "--frames", "0-3", cwd=apiary).stdout
    assert "no contact passes these filters" in text


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (("replay", "apiary.toml", "meadw.jsonl"), 'no such file (did you mean "meadow.jsonl"?)'),
        (("replay", "apiary.toml", "."), "found a directory, expected a recording"),
        (("replay", "nowhere/x.toml", "meadow.jsonl"), "there is no folder nowhere"),
        (("replay", "meadow.jsonl", "meadow.jsonl"), "not valid TOML"),
        (("check", "apiary.toml", "apiary.toml"), "a stage script begins with `stage = 2` (is this a rulebook?)"),
        (("replay", "apiary.toml", "meadow.jsonl", "--ledger", "l.xls"), 'found the ending ".xls"'),
        (("replay", "apiary.toml", "meadow.jsonl", "--ledger", "no/l.csv"), "there is no folder no"),
        (("replay", "apiary.toml", "meadow.jsonl", "--actor", "kepper"), 'did you mean "keeper"?'),
        (("replay", "apiary.toml", "meadow.jsonl", "--frames", "9-2"), "ends before it begins"),
        (("replya",), 'did you mean "replay"?'),
        (("replay", "apiary.toml"), "Missing argument 'RECORDING'"),
    ],
)
def test_bad_input(apiary: Path, here: Any, arguments: tuple[str, ...], message: str) -> None:
    before = sorted(apiary.rglob("*"))
    done = here(*arguments, cwd=apiary)
    assert (done.returncode, done.stdout) == (2, "")
    assert message in done.stderr
    assert "Traceback" not in done.stderr
    assert sorted(apiary.rglob("*")) == before


def test_same_bytes_for_every_hash_seed(apiary: Path) -> None:
    for files, seeds in ((("apiary.toml", "meadow.jsonl"), "017"), (("swarm.toml", "swarm.jsonl"), "07")):
        seen = {voskar("replay", *files, "--json", cwd=apiary, PYTHONHASHSEED=seed).stdout for seed in seeds}
        assert len(seen) == 1


def test_colour_only_where_wanted(apiary: Path) -> None:
    plain = voskar("replay", "apiary.toml", "meadow.jsonl", cwd=apiary).stdout
    forced = voskar("replay", "apiary.toml", "meadow.jsonl", cwd=apiary, FORCE_COLOR="1").stdout
    refused = voskar("replay", "apiary.toml", "meadow.jsonl", cwd=apiary, FORCE_COLOR="1", NO_COLOR="1").stdout
    assert ("\x1b" in plain, "\x1b[1;31m" in forced, "\x1b[1;31m" in refused) == (False, True, False)
    for columns in ("80", "120"):
        lines = voskar("replay", "apiary.toml", "meadow.jsonl", cwd=apiary, COLUMNS=columns).stdout.splitlines()
        assert max(map(len, lines)) <= int(columns)


def test_what_comes_before_a_wrong_line(apiary: Path, here: Any, tmp_path: Path) -> None:
    lines = (apiary / "meadow.jsonl").read_text().splitlines()
    lines[301] = '{"frame": 300, "poses": [{"id": "keeper", "x": "a"}]}'
    (tmp_path / "bad.jsonl").write_text("\n".join(lines))
    (tmp_path / "good.jsonl").write_text("\n".join(lines[:301]))
    refused = here("replay", apiary / "apiary.toml", "bad.jsonl", cwd=tmp_path)
    assert refused.returncode == 2
    assert "note: --until-error reads the frames before" in refused.stderr
    assert 'bad.jsonl:302: frame 300: poses[0].x: found "a", expected a number' in refused.stderr
    items = [
        here("replay", apiary / "apiary.toml", name, "--until-error", "--json", cwd=tmp_path)
        for name in ("bad.jsonl", "good.jsonl")
    ]
    assert (items[0].returncode, items[0].stdout) == (0, items[1].stdout)
    assert "warning: only frames 0 to 299 are read: bad.jsonl:302" in items[0].stderr
    (tmp_path / "worse.jsonl").write_text("\n".join([lines[0], lines[301]]))
    assert here("replay", apiary / "apiary.toml", "worse.jsonl", "--until-error", cwd=tmp_path).returncode == 2
