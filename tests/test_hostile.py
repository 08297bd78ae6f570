"""Input that means no good, or was cut, or comes from elsewhere: one clear error each, and names stay names."""

from __future__ import annotations

import gzip
import json
import os
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from tests import fuzz
from tests.commands.test_cli import VOSKAR, voskar
from tests.worlds import toml

HEADER = '{"voskar":"recording","version":1,"rate":60}'
RULES = {
    "voskar": 1,
    "layers": {"names": ["a"]},
    "kinds": {
        "keeper": {"health": 3, "boxes": {"torso": {"role": "hurtbox", "rect": [9, 9], "layer": ["a"]}}},
        "hornet": {"boxes": {"sting": {"role": "hitbox", "attack": "[/x]", "circle": 3, "mask": ["a"]}}},
    },
    "attacks": {"[/x]": {"damage": 1}},
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "r.toml").write_text(toml(RULES))
    poses = [{"id": "crate[red]", "kind": "keeper", "x": 0, "y": 0}, {"id": ":bee:", "kind": "hornet", "x": 0, "y": 0}]
    lines = [HEADER, *(json.dumps({"frame": frame, "poses": poses}) for frame in range(3))]
    (tmp_path / "r.jsonl").write_text("\n".join(lines))
    return tmp_path


def test_names_are_data(folder: Path, here: Any) -> None:
    told = here("replay", "r.toml", "r.jsonl", cwd=folder)
    assert told.returncode == 0
    for name in ("crate[red]", ":bee:", "[/x]"):
        assert name in told.stdout
    assert "crate[red]" in here("why", "r.toml", "r.jsonl", "--frame", 1, cwd=folder).stdout


RECORDINGS = [
    ('{"voskar":"recording","version":1,"rate":60,"title":"\\ud800"}', "", "control characters"),
    ('{"voskar":"recording","version":1,"rate":' + "9" * 400 + "}", "", "rate"),
    (HEADER, '{"frame":0,"poses":[{"id":"\\ud800","kind":"keeper","x":0,"y":0}]}', "control characters"),
    (HEADER, '{"frame":0,"poses":' + "[" * 3000 + "]" * 3000 + "}\n", "r.jsonl"),
    (HEADER, '{"frame":' + "9" * 5000 + ',"poses":[]}\n', "r.jsonl"),
]


@pytest.mark.parametrize(("header", "line", "told"), RECORDINGS, ids=range(len(RECORDINGS)))
def test_recordings_that_are_refused(folder: Path, here: Any, header: str, line: str, told: str) -> None:
    (folder / "r.jsonl").write_text(f"{header}\n{line}")
    done = here("replay", "r.toml", "r.jsonl", cwd=folder)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr
    assert "Traceback" not in done.stderr
    assert max(map(len, done.stderr.splitlines())) < 400


@pytest.mark.parametrize(
    ("more", "told"),
    [("x = " + "[" * 3000, "nested too deeply"), ("x = " + "1" * 6000, "too many digits"), ("k" * 300 + " = 1", "…")],
)
def test_rulebooks_that_are_refused(folder: Path, here: Any, more: str, told: str) -> None:
    with (folder / "r.toml").open("a") as file:
        file.write(f"\n{more}\n")
    done = here("audit", "r.toml", cwd=folder)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr


LEDGERS = [
    "3", "null", "[]", '{"frame":"x","event":"over"}', '{"frame":1.5,"event":"over"}', '{"frame":1,"event":5}',
    '{"frame":1,"event":"contact"}', "[" * 3000, '{"frame":true,"event":"over"}',
]  # fmt: skip


@pytest.mark.parametrize("line", LEDGERS)
def test_ledgers_that_are_refused(folder: Path, here: Any, line: str) -> None:
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.jsonl", cwd=folder).returncode == 0
    header = (folder / "l.jsonl").read_text().splitlines()[0]
    for text in (f"{header}\n{line}\n", header.replace('"version": 1', '"version": "x"')):
        (folder / "bad.jsonl").write_text(text)
        done = here("compare", "bad.jsonl", "l.jsonl", cwd=folder)
        assert (done.returncode, "bad.jsonl" in done.stderr) == (2, True), done.stderr
    (folder / "bad.parquet").write_bytes(os.urandom(999))
    assert here("compare", "bad.parquet", "l.jsonl", cwd=folder).returncode == 2


def test_a_number_that_no_float_holds(folder: Path, here: Any) -> None:
    (folder / "e.toml").write_text(f'voskar = 1\n[[expect]]\nevent = "landed"\ncount = 1{"0" * 400}\n')
    done = here("check", "r.toml", "r.jsonl", "--expect", "e.toml", cwd=folder)
    assert (done.returncode, "expected a number, or a range" in done.stderr) == (2, True), done.stderr


def test_a_line_without_end_is_refused(folder: Path, here: Any) -> None:
    with gzip.open(folder / "b.jsonl.gz", "wb") as file:
        file.write(HEADER.encode() + b"\n")
        for _ in range(65):
            file.write(b"0" * (1 << 20))
    done = here("replay", "r.toml", "b.jsonl.gz", cwd=folder)
    assert (done.returncode, "longer than 64 MiB" in done.stderr) == (2, True)


@pytest.mark.parametrize("encoding", ["cp1252", "cp437", "ascii"])
def test_any_terminal(apiary: Path, encoding: str) -> None:
    done = voskar("hud", "apiary.toml", "meadow.jsonl", cwd=apiary, PYTHONIOENCODING=encoding)
    assert (done.returncode, "Traceback" in done.stderr) == (0, False)
    assert "0:03.55" in done.stdout


def test_output_is_never_input(folder: Path, here: Any) -> None:
    before = (folder / "r.jsonl").read_bytes()
    done = here("replay", "r.toml", "r.jsonl", "--ledger", "r.jsonl", cwd=folder)
    assert (done.returncode, "read by the same command" in done.stderr) == (2, True)
    assert (folder / "r.jsonl").read_bytes() == before
    (folder / "link.jsonl").symlink_to("target.jsonl")
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "link.jsonl", cwd=folder).returncode == 0
    assert (folder / "link.jsonl").is_symlink()
    assert (folder / "target.jsonl").exists()


def test_a_full_disk_on_standard_output(folder: Path) -> None:
    with Path("/dev/full").open("w") as full:
        command = [VOSKAR, "replay", "r.toml", "r.jsonl"]
        done = subprocess.run(command, cwd=folder, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (done.returncode, "Traceback" in done.stderr) == (2, False)


def test_mutated_input(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every reader answers, or says in one error what is wrong: a share of what `make fuzz` runs."""
    monkeypatch.chdir(tmp_path)
    fuzz.prepare(tmp_path)
    found = fuzz.fuzz(tmp_path, 180, seed=7)
    assert not found.wrong
    assert sum(codes[2] for codes in found.codes.values()) > 100


def write_suite(apiary: Path, folder: Path, count: int) -> None:
    """So many copies of the meadow."""
    for name in ("apiary.toml", "hive.toml", "moth.png"):
        (folder / name).write_bytes((apiary / name).read_bytes())
    for number in range(count):
        (folder / f"m{number}.jsonl").write_bytes((apiary / "meadow.jsonl").read_bytes())
    suite = 'voskar = 1\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["m*.jsonl"]\n'
    (folder / "voskar.toml").write_text(suite)


LATE = [
    # commands that write a file
    ("replay", "apiary.toml", "m0.jsonl", "--ledger", "out.parquet"),
    ("convert", "m0.jsonl", "out.jsonl.gz"),
    ("page", "apiary.toml", "m0.jsonl", "-o", "out.html"),
    ("check", "--suite", "voskar.toml", "--report", "out.json", "--workers", "2", "--fresh"),
]


@pytest.mark.parametrize("command", LATE, ids=[one[0] for one in LATE])
def test_an_interrupted_run_leaves_whole_files_or_none(apiary: Path, tmp_path: Path, command: tuple[str, ...]) -> None:
    """Early and late, however it is ended: under its final name a file is whole, or is not there."""
    write_suite(apiary, tmp_path, 3)
    out = tmp_path / next(one for one in command if one.startswith("out."))
    start = time.perf_counter()
    subprocess.run([VOSKAR, *command], cwd=tmp_path, capture_output=True, check=False)
    seconds, whole = time.perf_counter() - start, out.read_bytes()
    for number, share in ((signal.SIGINT if command[0] == "replay" else signal.SIGTERM, 0.9), (signal.SIGKILL, 0.95)):
        out.unlink(missing_ok=True)
        with subprocess.Popen(
            [VOSKAR, *command], cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        ) as run:
            time.sleep(seconds * share)
            run.send_signal(number)
            _, errors = run.communicate(timeout=60)
        assert b"Traceback" not in errors, errors
        assert not out.exists() or out.read_bytes() == whole or command[0] == "convert"  # gzip tells the time
        if number != signal.SIGKILL:
            assert not list(tmp_path.glob(".*.part"))


def test_a_termination_leaves_nothing_behind(apiary: Path, tmp_path: Path) -> None:
    write_suite(apiary, tmp_path, 12)
    command = [VOSKAR, "check", "--workers", "2", "--pages", "pages"]
    run = subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(1.5)
    run.send_signal(signal.SIGTERM)
    assert run.wait(timeout=30) in (128 + signal.SIGTERM, -signal.SIGTERM, 1)  # or it was done already
    assert not list(tmp_path.rglob("*.part"))
