"""The swarm through the real commands: emissions checked, silence explained, recordings written by hand."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest

SWARM = ("swarm.toml", "swarm.jsonl")


@pytest.fixture(scope="module")
def soon(apiary: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The swarm's first two seconds."""
    folder = tmp_path_factory.mktemp("soon")
    shutil.copy(apiary / SWARM[0], folder)
    (folder / SWARM[1]).write_text("\n".join((apiary / SWARM[1]).read_text().splitlines()[:121]))
    return folder


def test_check_finds_exactly_the_planted_drips(apiary: Path, here: Any) -> None:
    done = here("check", *SWARM, "--json", cwd=apiary)
    verdict = json.loads(done.stdout)
    found = [(item["code"], item["frame"], item["shift"]) for item in verdict["findings"]]
    assert found == [("spawn-moved", 544, -4), ("spawn-unexpected", 700, None)]
    assert (verdict["spawns"], verdict["spawns_agreed"], verdict["claims"], verdict["agreed"]) == (27, 26, 3, 3)
    text = " ".join(f"{item['game']} {item['rules']}" for item in verdict["findings"])
    assert all(word in text for word in ("drip-15", "hornet-2/spit spawns it in 540", "drip-19", "no emitter fires"))
    assert here("audit", *SWARM, cwd=apiary).returncode == 0


def test_replay_sums_up_what_was_spawned(apiary: Path, here: Any) -> None:
    text = here("replay", *SWARM, cwd=apiary).stdout
    rows = {line.split()[0]: line.split() for line in text.split("spawned by the rules")[1].splitlines() if line}
    assert rows["keeper/smoker-*"][1:4] == ["puff", "46", "4"]
    assert rows["hornet-1/spit-*"][1:4] == ["drip", "9", "predicted"]
    only = here("replay", *SWARM, "--actor", "keeper/smoker-1", "--json", cwd=apiary).stdout.splitlines()[1:]
    assert [json.loads(line)["event"] for line in only] == ["spawn", "contact", "removed"]


def test_an_actor_that_never_was(soon: Path, here: Any) -> None:
    assert 'did you mean "keeper/smoker-1' in here("replay", *SWARM, "--actor", "keeper/smoke-1", cwd=soon).stderr


@pytest.mark.parametrize(
    ("frame", "emitter", "fired", "stopped"),
    [
        (40, "keeper/smoker", ["keeper/smoker-1"], []),
        (45, "keeper/smoker", [], ["cooldown"]),
        (61, "hornet-1/spit", [], ["trigger"]),
    ],
)
def test_why_of_emitters(soon: Path, frame: int, emitter: str, fired: list[str], stopped: list[str], here: Any) -> None:
    arguments = ("why", *SWARM, "--frame", frame, "--emitter", emitter)
    value = json.loads(here(*arguments, "--json", cwd=soon).stdout)
    assert value["fired"] == fired
    assert [item["gate"] for item in value["gates"] if not item["passed"]] == stopped
    text = here(*arguments, cwd=soon).stdout
    assert (f"fired {fired[0]}" if fired else f"nothing fired, stopped by {stopped[0]}") in text


def test_why_agrees_with_every_denial(apiary: Path, tmp_path: Path, here: Any) -> None:
    """The gate that `why` names is the one that the judge gave."""
    rules = (apiary / "swarm.toml").read_text().replace('hold = "smoke"', 'press = "smoke"')
    (tmp_path / "swarm.toml").write_text(rules.replace('cooldown = "9f"', 'cooldown = "3s"'))
    files = (tmp_path / "swarm.toml", apiary / "swarm.jsonl")
    events = [json.loads(line) for line in here("replay", *files, "--json", cwd=tmp_path).stdout.splitlines()[1:]]
    denied = [event for event in events if event["event"] == "denied"]
    assert denied
    for event in denied:
        name = f"{event['id']}/{event['emitter']}"
        value = json.loads(
            here("why", *files, "--frame", event["frame"], "--emitter", name, "--json", cwd=tmp_path).stdout
        )
        assert next(item["gate"] for item in value["gates"] if not item["passed"]) == event["detail"]


def test_stage_writes_a_recording_that_replays(apiary: Path, tmp_path: Path, here: Any) -> None:
    for out in ("volley.jsonl", "volley"):
        done = here("stage", apiary / "volley.stage.toml", "-o", tmp_path / out, "--tables", "csv", cwd=tmp_path)
        assert done.stdout.startswith("wrote 240 frames")
    ledgers = {
        here("replay", apiary / "swarm.toml", tmp_path / out, "--json", cwd=tmp_path).stdout
        for out in ("volley.jsonl", "volley")
    }
    assert len(ledgers) == 1
    assert "keeper/smoker-1" in ledgers.pop()
    (tmp_path / "wrong.toml").write_text("stage = 2\nfrmaes = 3\n")
    done = here("stage", tmp_path / "wrong.toml", "-o", tmp_path / "never.jsonl", cwd=tmp_path)
    assert (done.returncode, 'did you mean "frames"?' in done.stderr) == (2, True)
    assert not (tmp_path / "never.jsonl").exists()


def test_draw_shows_driven_actors_by_name(soon: Path, tmp_path: Path, here: Any) -> None:
    out = tmp_path / "shot.svg"
    done = here("draw", *SWARM, "--frame", "48", "--actor", "keeper/smoker-1", "-o", out, cwd=soon)
    assert (done.returncode, out.stat().st_size > 5000) == (0, True)
    wrong = here("draw", *SWARM, "--frame", "100", "--actor", "keeper/smoker-999", "-o", out, cwd=soon)
    assert (wrong.returncode, "there is no actor" in wrong.stderr) == (2, True)
