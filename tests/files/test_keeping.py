"""What is kept belongs to the very bytes that were judged, and to the user alone."""

from __future__ import annotations

import gzip
import json
import os
import threading
from pathlib import Path
from typing import Any

import pytest

from tests.worlds import brush, sting, toml
from voskar.files import keeping
from voskar.files.keeping import get, kept_folder, prune, put, why_not_kept
from voskar.files.reading import digest_of, noted, opened, read_bytes
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.files.suite import Job
from voskar.suite.cache import Verdicts
from voskar.suite.running import Processes, run_suite

HEADER = {"voskar": "recording", "version": 2, "rate": 60}


def log(hits: int) -> str:
    """A hornet touches the keeper in frame 1; the game claims so many hits there."""
    frames = brush({"hornet": ".#.."})
    frames[1]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}] * hits
    lines = [HEADER, *({"frame": place, **frame} for place, frame in enumerate(frames))]
    return "".join(json.dumps(line) + "\n" for line in lines)


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A rulebook, and recordings that agree with it."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    (tmp_path / "r.toml").write_text(toml({"voskar": 2, **sting()}))
    for name in ("a.jsonl", "b.jsonl"):
        (tmp_path / name).write_text(log(1))
    return tmp_path


def job(recording: str) -> Job:
    return Job(recording, "r.toml", recording, (), None, 0, True, 1.0)


def outcome(folder: Path, *, fresh: bool = False) -> list[bool]:
    verdicts = Verdicts(kept_folder("verdicts"), fresh=fresh)
    return [result.ok for result in run_suite([job("a.jsonl"), job("b.jsonl")], Processes(1), verdicts=verdicts)]


@pytest.mark.parametrize("changed", ["b.jsonl", "r.toml"])
def test_a_file_that_is_another_one_while_a_suite_runs(folder: Path, changed: str) -> None:
    """It is replaced after the first result, and put back at the end: every later verdict is that of its bytes."""
    right = (folder / changed).read_text()
    wrong = log(0) if changed == "b.jsonl" else right.replace('"rect" = [10, 10]', '"rect" = [10, 10], "at" = [900, 0]')
    assert wrong != right
    for first, then in ((right, wrong), (wrong, right)):
        (folder / changed).write_text(first)
        results = run_suite([job("a.jsonl"), job("b.jsonl")], Processes(1), verdicts=Verdicts(kept_folder("verdicts")))
        next(results)
        (folder / changed).write_text(then)
        list(results)
        for text in (first, then, right):
            (folder / changed).write_text(text)
            assert outcome(folder) == outcome(folder, fresh=True)


def test_a_table_that_comes_later(folder: Path) -> None:
    """What is not there is read as well: a table of claims makes another recording of the same folder."""
    (folder / "t").mkdir()
    (folder / "t/recording.json").write_text(json.dumps({**HEADER, "frames": [0, 1]}))
    (folder / "t/poses.csv").write_text("frame,id,kind,x,y\n0,keeper,keeper,0,0\n1,keeper,keeper,0,0\n")

    def ok() -> list[bool]:
        return [result.ok for result in run_suite([job("t")], Processes(1), verdicts=Verdicts(kept_folder("verdicts")))]

    assert ok() == [True]
    assert ok() == [True]
    (folder / "t/claims.csv").write_text("frame,event,attacker,target\n1,hit,hornet,keeper\n")
    assert ok() == [False]


@pytest.mark.parametrize("name", ["a.jsonl", "a.jsonl.gz", "p.parquet", "r.toml"])
def test_the_digest_is_that_of_the_bytes_that_were_read(folder: Path, name: str) -> None:
    """A file that changes while it is read has none."""
    path = folder / name
    if name.endswith(".gz"):
        path.write_bytes(gzip.compress(log(1).encode()))
    elif name == "p.parquet":
        path.write_bytes(os.urandom(3000))
    with noted() as files:
        read_bytes(path)
    assert files == {path: digest_of(path)}
    assert files[path] is not None
    with noted() as files, opened(path) as stream:
        stream.read(1)
        path.write_bytes(path.read_bytes() + b"\n")
    assert files == {path: None}
    with noted() as files:
        read_bytes(path)
        path.write_bytes(b"")
        read_bytes(path)
    assert files == {path: None}


def test_recordings_are_digested_as_they_are_read(folder: Path) -> None:
    book = load_rulebook(folder / "r.toml")
    path = folder / "a.jsonl.gz"
    path.write_bytes(gzip.compress(log(1).encode()))
    for file in (folder / "a.jsonl", path):
        with noted() as files:
            load_recording(file, book)
        assert files == {file: digest_of(file)}


def test_nothing_is_kept_where_others_could_write(folder: Path) -> None:
    cache = folder / "cache/voskar"
    assert kept_folder("verdicts") == cache / "verdicts"
    assert (cache.stat().st_mode & 0o777, (cache / "verdicts").stat().st_mode & 0o777) == (0o700, 0o700)
    cache.chmod(0o755)  # as an earlier Voskar left it: no other actor could write there
    assert kept_folder("verdicts") is not None
    assert cache.stat().st_mode & 0o777 == 0o700


def opened_to_all(cache: Path) -> None:
    (cache / "voskar").chmod(0o777)


def opened_within(cache: Path) -> None:
    (cache / "voskar/verdicts").chmod(0o770)


def linked(cache: Path) -> None:
    (cache / "voskar").rename(cache / "elsewhere")
    (cache / "voskar").symlink_to(cache / "elsewhere")


def linked_above(cache: Path) -> None:
    cache.rename(cache.with_name("elsewhere"))
    cache.symlink_to(cache.with_name("elsewhere"))


def open_above(cache: Path) -> None:
    cache.chmod(0o777)


def not_ours(cache: Path) -> None:
    os.chown(cache / "voskar", 12345, 12345)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (opened_to_all, "written to by others"),
        (opened_within, "written to by others"),
        (linked, "is a link"),
        (linked_above, "is a link"),
        (open_above, "written to by others"),
        pytest.param(
            not_ours, "another user", marks=pytest.mark.skipif(os.getuid() != 0, reason="only root gives files away")
        ),
    ],
)
def test_a_folder_that_is_not_safe(folder: Path, here: Any, change: Any, told: str) -> None:
    (folder / "voskar.toml").write_text('voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["?.jsonl"]\n')
    assert here("suite", cwd=folder).returncode == 0
    change(folder / "cache")
    before = sorted(folder.rglob("cache/**/*"))
    for command in (("suite",),) if change is opened_within else (("suite",), ("check", "r.toml", "a.jsonl")):
        done = here(*command, cwd=folder)
        assert done.returncode == 0
        assert done.stderr.count("note: nothing is kept") == 1
        assert told in done.stderr
    assert sorted(folder.rglob("cache/**/*")) == before


def test_without_a_home_nothing_is_kept(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def home() -> Path:
        raise RuntimeError("no home")

    monkeypatch.delenv("XDG_CACHE_HOME")
    monkeypatch.setattr(keeping.Path, "home", home)
    keeping.begin()
    assert kept_folder("verdicts") is None
    assert why_not_kept() == "there is no home folder; set XDG_CACHE_HOME"


def test_parts_do_not_stay(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of a full disk, or of a run that was killed."""
    place = kept_folder("verdicts")
    assert place is not None

    def full(self: Path, data: bytes) -> int:
        self.touch()
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(Path, "write_bytes", full)
        put(place / "x", b"data")
    assert list(place.iterdir()) == []
    for name, age in ((".a.1.part", 7200), (".b.2.part", 60)):
        (place / name).touch()
        os.utime(place / name, (os.stat(place / name).st_mtime - age,) * 2)
    prune(place, 10)
    assert [path.name for path in place.iterdir()] == [".b.2.part"]


def test_rubbish_is_no_verdict(folder: Path) -> None:
    """Whatever stands where a verdict should: it is judged, and nothing waits."""
    assert outcome(folder) == [True, True]
    place = kept_folder("verdicts")
    assert place is not None
    for rubbish in (b"", b"\xff", b"[" * 5000, b"{}", b'["/dev/zero"]', b'["r.toml", 3]', b'{"name": "1e999"}'):
        for path in place.iterdir():
            path.write_bytes(rubbish)
        assert outcome(folder) == [True, True]
    for path in place.iterdir():
        path.unlink()
        os.mkfifo(path)
    done: list[Any] = []
    thread = threading.Thread(target=lambda: done.append(outcome(folder)), daemon=True)
    thread.start()
    thread.join(20)
    assert done == [[True, True]]
    assert get(Path("/dev/zero")) is None
