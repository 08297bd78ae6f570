"""Files by URL: object storage as a real server has it, and web servers that answer badly."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pytest

from tests import fuzz
from tests.commands.test_cluster import engine
from tests.files.test_keeping import HEADER, log
from tests.worlds import sting, toml
from voskar.files import remote

KEYS = {"AWS_ACCESS_KEY_ID": "keeper", "AWS_SECRET_ACCESS_KEY": "smoke", "AWS_DEFAULT_REGION": "us-east-1"}


@pytest.fixture(scope="module")
def storage() -> Iterator[Any]:
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    server.start()
    yield server
    server.stop()


@pytest.fixture
def bucket(storage: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Any]:
    """An empty bucket called `hive`, and the environment by which it is found; a rulebook in the folder."""
    import boto3

    address = f"http://127.0.0.1:{storage.get_host_and_port()[1]}"
    for name, value in {**KEYS, "AWS_ENDPOINT_URL": address}.items():
        monkeypatch.setenv(name, value)
    monkeypatch.setenv("HOME", str(tmp_path))
    client = boto3.client("s3")
    client.create_bucket(Bucket="hive")
    (tmp_path / "r.toml").write_text(toml({"voskar": 2, **sting()}))
    yield client
    for item in client.list_objects_v2(Bucket="hive").get("Contents", ()):
        client.delete_object(Bucket="hive", Key=item["Key"])
    client.delete_bucket(Bucket="hive")


def test_recordings_ledgers_and_reports(bucket: Any, tmp_path: Path, here: Any) -> None:
    bucket.put_object(Bucket="hive", Key="plays/a.jsonl", Body=log(1).encode())
    (tmp_path / "a.jsonl").write_text(log(1))
    assert here("convert", "a.jsonl", "t", "--tables", "csv", cwd=tmp_path).returncode == 0
    for path in (tmp_path / "t").iterdir():
        bucket.put_object(Bucket="hive", Key=f"plays/t/{path.name}", Body=path.read_bytes())
    for url in ("s3://hive/plays/a.jsonl", "s3://hive/plays/t"):
        done = here("check", "r.toml", url, cwd=tmp_path)
        assert (done.returncode, "1 agreed" in done.stdout) == (0, True), done.stderr
    ledger = "s3://hive/out/l.parquet"
    assert here("replay", "r.toml", "a.jsonl", "--ledger", ledger, cwd=tmp_path).returncode == 0
    assert here("replay", "r.toml", "a.jsonl", "--ledger", "l.jsonl", cwd=tmp_path).returncode == 0
    assert "nothing differs" in here("compare", ledger, "l.jsonl", cwd=tmp_path).stdout
    (tmp_path / "voskar.toml").write_text(
        'voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["s3://hive/plays/a.jsonl", "a.jsonl"]\n'
    )
    done = here("suite", "--report", "s3://hive/out/r.json", cwd=tmp_path)
    assert (done.returncode, "2 of 2 recordings agree" in done.stdout) == (0, True), done.stderr
    assert json.loads(bucket.get_object(Bucket="hive", Key="out/r.json")["Body"].read())["ok"]
    assert here("report", "s3://hive/out/r.json", cwd=tmp_path).returncode == 0
    # it is judged as it is there now, whatever was kept
    bucket.put_object(Bucket="hive", Key="plays/a.jsonl", Body=log(2).encode())
    assert "1 of 2 recordings agree" in here("suite", cwd=tmp_path).stdout


def test_a_worker_of_a_cluster_reads_them(bucket: Any, tmp_path: Path, here: Any) -> None:
    bucket.put_object(Bucket="hive", Key="a.jsonl", Body=log(1).encode())
    (tmp_path / "voskar.toml").write_text(
        'voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["s3://hive/a.jsonl", "s3://hive/none.jsonl"]\n'
    )
    with engine() as (address, *_):
        done = here("suite", "--cluster", address, "--json", cwd=tmp_path)
    there = json.loads(done.stdout)["recordings"]
    assert [item["ok"] for item in there] == [True, False]
    assert there[1]["error"] == "s3://hive/none.jsonl: no such file"


@contextmanager
def cut_after(port: int, count: int) -> Iterator[int]:
    """A port from which so many bytes of every answer of another one come, and then nothing."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with suppress(OSError):
            while True:
                client, _ = listener.accept()
                with client, socket.create_connection(("127.0.0.1", port)) as server:
                    server.sendall(client.recv(1 << 16))
                    client.sendall(server.recv(count))

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield listener.getsockname()[1]
    finally:
        listener.close()


def one_error(done: subprocess.CompletedProcess[str], url: str) -> str:
    """The one line that a command says, behind the URL."""
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1), done.stderr
    begin = f"error: {url}: "
    assert done.stderr.startswith(begin)
    return done.stderr.removeprefix(begin).strip()


def test_what_storage_refuses(
    bucket: Any, storage: Any, tmp_path: Path, here: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One clear error each: to be read, and to be written to."""
    monkeypatch.setattr(remote, "PATIENCE", 2)
    monkeypatch.setattr("s3fs.S3FileSystem.retries", 1)
    port = storage.get_host_and_port()[1]
    bucket.put_object(Bucket="hive", Key="a.jsonl", Body=log(1).encode())
    (tmp_path / "a.jsonl").write_text(log(1))
    url, ledger = "s3://hive/a.jsonl", "s3://hive/l.jsonl"

    def tried() -> tuple[str, str]:
        read = here("check", "r.toml", url, cwd=tmp_path)
        written = here("replay", "r.toml", "a.jsonl", "--ledger", ledger, cwd=tmp_path)
        assert (written.returncode, written.stderr.count("\n")) == (2, 1)
        return one_error(read, url), written.stderr.removeprefix(f"error: {ledger}: ").strip()

    with monkeypatch.context() as patch:
        patch.setenv("AWS_ENDPOINT_URL", "http://127.0.0.1:9")
        assert all("cannot be reached: Could not connect" in text for text in tried())
    with cut_after(port, 90) as cut, monkeypatch.context() as patch:
        patch.setenv("AWS_ENDPOINT_URL", f"http://127.0.0.1:{cut}")
        assert all("cannot be reached" in text for text in tried())
    for name in ("s3://none/a.jsonl", "s3://hive/none.jsonl"):
        assert one_error(here("check", "r.toml", name, cwd=tmp_path), name) == "no such file"
    with monkeypatch.context() as patch:
        patch.delenv("AWS_ACCESS_KEY_ID")
        patch.delenv("AWS_SECRET_ACCESS_KEY")
        patch.setenv("AWS_EC2_METADATA_DISABLED", "true")
        assert all("Unable to locate credentials" in text or "no permission" in text for text in tried())
    with monkeypatch.context() as patch:
        patch.setenv("AWS_SECRET_ACCESS_KEY", "wrong")
        patch.setattr("moto.settings.INITIAL_NO_AUTH_ACTION_COUNT", 0)
        assert all("no permission" in text or "InvalidAccessKeyId" in text for text in tried())


ANSWERS = [
    ("plain", None),
    ("away", None),
    ("slow", None),
    ("round", "cannot be reached"),
    ("missing", "no such file"),
    ("broken", "cannot be reached"),
    ("forbidden", "cannot be reached"),
    ("cut", "cannot be reached"),
    ("short", "cannot be reached"),
    ("never", "cannot be reached"),
]


def test_web_servers(tmp_path: Path, here: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(remote, "PATIENCE", 1)
    (tmp_path / "r.toml").write_text(toml({"voskar": 2, **sting()}))
    (tmp_path / "a.jsonl").write_text(log(1))
    with fuzz.served(tmp_path) as address:
        for way, text in ANSWERS:
            url = f"{address}/{way}/a.jsonl"
            done = here("check", "r.toml", url, cwd=tmp_path)
            if text is None:
                assert done.returncode == 0, done.stderr
            else:
                assert text in one_error(done, url), way
        # a link in a recording is not followed, and a name that leads elsewhere is only a name
        frames = [{"frame": 0, "poses": [], "_note": f'<a href="{address}/plain/a.jsonl">'}]
        (tmp_path / "l.jsonl").write_text("\n".join(map(json.dumps, [HEADER, *frames])) + "\n")
        assert here("replay", "r.toml", f"{address}/plain/l.jsonl", cwd=tmp_path).returncode == 0
        assert here("replay", "r.toml", f"{address}/plain/a.jsonl?at=../x#y", cwd=tmp_path).returncode in (0, 2)
        assert "expected" in here("replay", "r.toml", f"{address}/plain/..", cwd=tmp_path).stderr
    shutil.rmtree(tmp_path)
