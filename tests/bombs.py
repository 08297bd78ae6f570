"""Large inputs that are refused: how much memory that takes. `make bombs` prints a table, and fails at a gigabyte.

Each is of 100 MB, or unpacks to far more, with what is wrong at its end.
"""

from __future__ import annotations

import gzip
import subprocess
import sys
import tempfile
from pathlib import Path

VOSKAR = Path(sys.executable).with_name("voskar")
SIZE = 100 << 20
MOST = 1 << 30
HEADER = b'{"voskar":"recording","version":2,"rate":60}'
LEDGER = b'{"voskar":"ledger","version":2,"frames":[0,1],"rate":60}\n'
WRONG = b'{"frame":"x"}\n'
RULES = """
voskar = 2
layers.names = ["a"]
kinds.k.boxes.b = { role = "hurtbox", rect = [9, 9], layer = ["a"] }
"""
REPEATED = {
    # a file that is one piece over and over: head, piece, end; and the command
    "one line": ("x.jsonl", HEADER + b'\n{"frame":0,"poses":[', b"[],", b"]}\n", "check r.toml x.jsonl"),
    "nested": ("x.jsonl", HEADER + b"\n", b'{"a":', b"\n", "check r.toml x.jsonl"),
    "TOML": ("x.toml", b"voskar = 2\nx = [", b"1,", b"]\n", "audit x.toml"),
    "ledger": ("x.jsonl", LEDGER, b'{"frame":1,"event":"over"}\n', b"x\n", "compare x.jsonl x.jsonl"),
    "report": ("x.json", b'{"voskar":"suite","recordings":[', b'{"name":"a","faults":[]},', b"3]}", "report x.json"),
    "header of tables": ("t/recording.json", HEADER[:-1] + b',"_x":[', b"1,", b"]}x", "check r.toml t"),
    "claims as CSV": ("t/claims.csv", b"frame,event\n", b"1,over\n", b"x,x\n", "check r.toml t"),
    "poses as CSV": ("t/poses.csv", b"frame,id,kind,x,y\n", b"0,a,k,0,0\n", b"x\n", "check r.toml t"),
}
ENTRIES = {
    "claims": b'{"event":"over"}',
    "inputs": b'{"id":"a","button":"b"}',
    "display": b'{"clock":"1"}',
    "poses": b'{"id":"%d","kind":"k","x":0,"y":0}',
}
"""What a frame may have many of; of poses each has an id of its own."""


def repeated(path: Path, head: bytes, piece: bytes, end: bytes) -> None:
    block = piece * ((1 << 20) // len(piece))
    with path.open("wb") as file:
        file.write(head)
        while file.tell() < SIZE:
            file.write(block)
        file.write(end)


def frames(path: Path, field: str, entry: bytes) -> None:
    count, number = (1 << 20) // len(entry), 0
    with path.open("wb") as file:
        file.write(HEADER + b"\n")
        while file.tell() < SIZE:
            entries = [entry % (number * count + k) if b"%d" in entry else entry for k in range(count)]
            file.write(b'{"frame":%d,"%s":[%s]}\n' % (number, field.encode(), b",".join(entries)))
            number += 1
        file.write(WRONG)


def packed(folder: Path) -> None:
    """Tables of a few kilobytes with millions of rows, and lines of blanks without end."""
    import numpy as np
    import pyarrow
    import pyarrow.parquet

    rows = 30_000_000
    zeros = pyarrow.array(np.zeros(rows))
    names = pyarrow.DictionaryArray.from_arrays(pyarrow.array(np.zeros(rows, np.int32)), ["k"])
    frame = pyarrow.array(np.zeros(rows, np.int64))
    table = pyarrow.table({"frame": frame, "id": names, "kind": names, "x": zeros, "y": zeros})
    pyarrow.parquet.write_table(table, folder / "p/poses.parquet", compression="zstd")
    table = pyarrow.table({"frame": frame, "event": names})
    pyarrow.parquet.write_table(table, folder / "l.parquet", compression="zstd")
    with gzip.open(folder / "z.jsonl.gz", "wb", 1) as file:
        file.write(HEADER + b"\n")
        for number in range(100):
            file.write(b'{"frame":%d,"poses":[]}' % number + b" " * (10 << 20) + b"\n")
        file.write(WRONG)


def peak(folder: Path, command: str) -> int:
    """Bytes that a command holds at most; it has to refuse its input."""
    code = (
        "import resource, subprocess, sys\n"
        "done = subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)\n"
        "print(done.returncode, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, VOSKAR, *command.split()], cwd=folder, capture_output=True, text=True, check=True
    )
    exit_code, held = map(int, done.stdout.split())
    assert exit_code == 2, f"{command}: exit {exit_code}"
    return held * 1024


def main() -> None:
    """The table."""
    found: dict[str, int] = {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "r.toml").write_text(RULES)
        for tables in ("t", "p"):
            (folder / tables).mkdir()
            (folder / tables / "recording.json").write_bytes(HEADER)
        (folder / "t/poses.csv").write_text("frame,id,kind,x,y\n0,a,k,0,0\n")
        for what, (file, head, piece, end, command) in REPEATED.items():
            before = (folder / file).read_bytes() if (folder / file).exists() else b""
            repeated(folder / file, head, piece, end)
            found[what] = peak(folder, command)
            (folder / file).write_bytes(before)
            if file == "t/claims.csv":
                (folder / file).unlink()
        for field, entry in ENTRIES.items():
            frames(folder / "x.jsonl", field, entry)
            found[field] = peak(folder, "check r.toml x.jsonl")
        packed(folder)
        for what, command in (
            ("poses as Parquet", "check r.toml p"),
            ("ledger as Parquet", "compare l.parquet l.parquet"),
            ("gzip", "check r.toml z.jsonl.gz"),
        ):
            found[what] = peak(folder, command)
    print("| refused | MiB held |\n|---|--:|")
    for what, held in found.items():
        print(f"| {what} | {held >> 20} |", flush=True)
    sys.exit(max(found.values()) > MOST)


if __name__ == "__main__":
    main()
