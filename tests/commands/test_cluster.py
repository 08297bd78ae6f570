"""A suite on other machines: a real scheduler with two worker processes, of which one is killed; files by URL."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

import voskar as installed
from tests.commands.test_cli import VOSKAR, voskar
from voskar.suite.cluster import DEEP, _put, shipped_with

COPIES = 4
WIDE = {**os.environ, "COLUMNS": "100", "PYTHONUNBUFFERED": "1"}
BROKEN = '{"voskar": "recording", "version": 2, "rate": 60}\n{"frame": "x"}\n'


@contextmanager
def engine(**more: str) -> Iterator[tuple[str, list[int], subprocess.Popen[str]]]:
    """Address, processes of the workers, and the scheduler's own process."""
    script = Path(__file__).with_name("engine.py")
    process = subprocess.Popen(
        [sys.executable, script], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        env={**os.environ, **more},
    )  # fmt: skip
    assert process.stdin is not None
    assert process.stdout is not None
    try:
        address, *pids = process.stdout.readline().split()
        yield address, [int(pid) for pid in pids], process
    finally:
        process.kill() if process.poll() is not None else process.stdin.close()
        try:
            process.wait(20)
        except subprocess.TimeoutExpired:
            process.kill()


@pytest.fixture(scope="module")
def running() -> Iterator[tuple[str, list[int], subprocess.Popen[str]]]:
    with engine() as started:
        yield started


@pytest.fixture
def suite(apiary: Path, tmp_path: Path) -> Path:
    """Many recordings, one that cannot be read, one with an image in its rules, in folders."""
    for name in ("apiary.toml", "hive.toml", "moth.png", "meadow.expect.toml"):
        shutil.copy(apiary / name, tmp_path / name)
    (tmp_path / "plays").mkdir()
    played = "".join((apiary / "meadow.jsonl").read_text().splitlines(keepends=True)[:1200])
    for number in range(COPIES):
        (tmp_path / "plays" / f"meadow {number:02}.jsonl").write_text(played)
    (tmp_path / "plays" / "torn.jsonl").write_text(
        '{"voskar": "recording", "version": 2, "rate": 60}\n{"frame": "x"}\n'
    )
    runs = '[[runs]]\nrecordings = ["plays/*.jsonl"]\nexpect = ["meadow.expect.toml"]\n'
    (tmp_path / "voskar.toml").write_text(f'voskar = 2\n[suite]\nrulebook = "apiary.toml"\n{runs}')
    return tmp_path


@contextmanager
def begun(suite: Path, address: str) -> Iterator[subprocess.Popen[str]]:
    """A check on the cluster, of which the first recording has been reported. The suite is named in full, so are its
    files."""
    command = [VOSKAR, "suite", "--no-explain", "--fresh", suite / "voskar.toml", "--cluster", address]
    pipes: Any = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "text": True}
    with subprocess.Popen([*command, "--report", "there.json"], cwd=suite, env=WIDE, **pipes) as there:
        assert there.stdout is not None
        assert there.stdout.readline().startswith("fails   plays/meadow 00.jsonl")
        yield there


def test_the_same_bytes_though_a_worker_dies(suite: Path, running: Any) -> None:
    address, pids, _ = running
    here = voskar("suite", "--no-explain", "--fresh", suite / "voskar.toml", "--report", "here.json", cwd=suite)
    with begun(suite, address) as there:
        os.kill(pids[0], signal.SIGKILL)  # in the middle of the others
        text, error = (stream.read() if stream else "" for stream in (there.stdout, there.stderr))
    _, _, rest = here.stdout.partition("\n")
    assert f"{suite}/plays/torn.jsonl:2" in rest
    assert (there.returncode, text) == (here.returncode, rest) == (2, text), error
    assert (suite / "there.json").read_bytes() == (suite / "here.json").read_bytes()


def test_a_grid_too(apiary: Path, running: Any) -> None:
    grid = ("tune", "apiary.toml", "meadow.jsonl", "--vary", "kinds.keeper.iframes=58f..61f", "--json")
    here, there = (voskar(*grid, *pair, cwd=apiary) for pair in ((), ("--cluster", running[0])))
    assert (there.returncode, there.stdout) == (0, here.stdout), there.stderr


def test_shrinking_too(apiary: Path, tmp_path: Path, here: Any, running: Any) -> None:
    for name, pair in (("here", ()), ("there", ("--cluster", running[0]))):
        out = tmp_path / f"{name}.stage.toml"
        done = here("shrink", "darts.toml", "bugs/shots-tunnel.stage.toml", "-o", out, *pair, cwd=apiary)
        assert done.returncode == 0, done.stderr
    assert (tmp_path / "here.stage.toml").read_bytes() == (tmp_path / "there.stage.toml").read_bytes()
    wrong = here("shrink", "darts.toml", "none.jsonl", "-o", tmp_path / "x.stage.toml", *pair, cwd=apiary)
    assert (wrong.returncode, "none.jsonl: no such file" in wrong.stderr) == (2, True), wrong.stderr


@pytest.mark.parametrize("name", ["../" * 40 + "x", "/" + "../" * 12 + "x", "a/" + "../" * 30 + "x"])
def test_nothing_leaves_the_folder_of_the_work(tmp_path: Path, name: str) -> None:
    """Whatever a piece of work is called: a worker writes below its own folder, or not at all."""
    room = tmp_path / "rooms" / "r" / DEEP
    with pytest.raises(OSError, match="leads out of the folder"):
        _put(room, {name: b"x"})
    _put(room, {"../../y": b"y", "/abs/z": b"z"})
    assert not list(tmp_path.glob("*[xyz]"))
    assert {path.name for path in tmp_path.rglob("*") if path.is_file()} == {"y", "z"}


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (("--cluster", "nowhere"), "found no scheduler at nowhere"),
        (("--cluster", "tcp://127.0.0.1:9", "--workers", "2"), "leave them out with --cluster"),
        (("--cluster", "tcp://127.0.0.1:9", "--pages", "p"), "does not go with --cluster"),
    ],
)
def test_what_cannot_be(suite: Path, here: Any, options: tuple[str, ...], told: str) -> None:
    done = here("suite", "--no-explain", *options, cwd=suite)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr


def test_workers_with_another_voskar_are_refused(suite: Path, tmp_path: Path) -> None:
    source = Path(installed.__file__).parent
    shutil.copytree(source, tmp_path / "other" / "voskar", ignore=shutil.ignore_patterns("__pycache__"))
    with (tmp_path / "other" / "voskar" / "errors.py").open("a") as file:
        file.write("# another one\n")
    with engine(PYTHONPATH=str(tmp_path / "other")) as (address, _, _):
        done = voskar("suite", "--cluster", address, cwd=suite)
        assert done.returncode == 2
        assert "of other sources (install the same one everywhere)" in done.stderr


def test_files_by_url(apiary: Path, tmp_path: Path, here: Any) -> None:
    url = f"file://{tmp_path}"
    shutil.copy(apiary / "meadow.jsonl", tmp_path / "play.jsonl")
    item = here("replay", "apiary.toml", f"{url}/play.jsonl", "--ledger", f"{url}/out.parquet", cwd=apiary)
    two = here("replay", "apiary.toml", "meadow.jsonl", "--ledger", tmp_path / "own.parquet", cwd=apiary)
    assert (item.returncode, two.returncode) == (0, 0), item.stderr
    assert (tmp_path / "out.parquet").read_bytes() == (tmp_path / "own.parquet").read_bytes()
    held = here("check", "apiary.toml", f"{url}/play.jsonl", "--baseline", f"{url}/out.parquet", cwd=apiary)
    assert "against file://" in held.stdout
    (tmp_path / "play.jsonl").write_text(BROKEN)
    for name, value in (("play.jsonl", "play.jsonl:2"), ("none.jsonl", "none.jsonl: no such file")):
        bad = here("replay", "apiary.toml", f"{url}/{name}", cwd=apiary)
        assert (bad.returncode, f"error: {url}/{value}" in bad.stderr) == (2, True), bad.stderr
    unknown = here("replay", "apiary.toml", "zzz://there/x.jsonl", cwd=apiary)
    assert (unknown.returncode, unknown.stderr.count("\n")) == (2, 1), unknown.stderr


def test_a_scheduler_that_goes(suite: Path, running: Any) -> None:
    address, _, process = running
    for copy in range(20):
        shutil.copy(suite / "plays" / "meadow 00.jsonl", suite / "plays" / f"more-{copy}.jsonl")
    with begun(suite, address) as there:
        process.kill()
        text = there.stderr.read() if there.stderr else ""
    assert there.returncode == 2
    assert text.startswith(f"error: --cluster: the scheduler at {address} was lost")
    assert text.count("\n") == 1  # whatever the libraries had to say
    assert not (suite / "there.json").exists()


@pytest.mark.parametrize("rules", ["rules/apiary.toml", "../here/rules/apiary.toml", "linked/apiary.toml"])
def test_a_rulebook_is_shipped_with_what_it_names(
    apiary: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, rules: str
) -> None:
    here = tmp_path / "here"
    (here / "rules").mkdir(parents=True)
    (here / "linked").symlink_to("rules")
    for name in ("apiary.toml", "hive.toml", "moth.png"):
        shutil.copy(apiary / name, here / "rules" / name)
    monkeypatch.chdir(here)
    folder = rules.rpartition("/")[0]
    shipped = shipped_with(rules)
    assert set(shipped) == {f"{folder}/{name}" for name in ("apiary.toml", "hive.toml", "moth.png")}
    full = shipped_with(str(here / rules))
    assert set(full) == {str(here / name) for name in shipped}
