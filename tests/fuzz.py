"""Mutated input for every reader: one clear error or an answer, never a crash, a hang or a half-written file.

`make fuzz` runs thousands and prints a table; a few hundred are part of the tests.
"""

from __future__ import annotations

import contextlib
import decimal
import gzip
import io
import json
import os
import random
import re
import resource
import socket
import struct
import sys
import tempfile
import threading
import time
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import pyarrow
import pyarrow.parquet

from voskar import demo
from voskar.commands.main import OWN_BUG, run
from voskar.files import remote

SLOW = 20.0
"""Seconds that no run may take."""
MEMORY = 1 << 30
"""Bytes that a process may hold for all of its runs."""
HEAVY = 0.1
"""How often a command that takes long is run."""
PART = 2500
"""Runs of one process."""
RAW = re.compile(r"[\x00-\x09\x0b-\x1a\x1c-\x1f\x7f-\x9f\u2028-\u202e\u2066-\u2069]")
"""Control characters in what is printed; that of styles is left to other tests."""
ODD: list[Any] = [
    None, True, False, 0, -1, 1, 0.5, -0.0, 1e308, -1e308, 1e-320, 10**30, -(10**30), 2**31, 2**63, float("nan"),
    float("inf"), "", "x", "keeper", "é" * 40, "a" * 300, "[red]", "\u0000", "\u001b[31m", "\ud800", "\ufffe", "1e9s",
    "3-1", "60f", "../x", [], {}, [[]], [1, 2], {"": 1}, [None] * 9, "0,0,0,0", "::error::x",
]  # fmt: skip
"""Values where others are expected."""
PIECES = [
    b"\x00",
    b"\xff",
    b"\n",
    b"\r",
    b'"',
    b"{",
    b"]",
    b"=",
    b"#",
    b"\xed\xa0\x80",
    b"9" * 400,
    b"[" * 900,
    b"1e999",
]
"""Bytes to put anywhere."""

Mutation = Callable[[bytes, random.Random], bytes]


def bytes_changed(data: bytes, draw: random.Random) -> bytes:
    """A piece put in, taken out, or doubled."""
    at = draw.randrange(len(data) + 1)
    to = min(at + draw.choice([1, 2, 9, 80]), len(data))
    return draw.choice([data[:at] + draw.choice(PIECES) + data[at:], data[:at] + data[to:], data[:to] + data[at:]])


def cut_off(data: bytes, draw: random.Random) -> bytes:
    """The end is missing."""
    return data[: draw.randrange(len(data) + 1)]


def lines_changed(data: bytes, draw: random.Random) -> bytes:
    """A line left out, doubled, or somewhere else."""
    lines = data.split(b"\n")
    at, to = draw.randrange(len(lines)), draw.randrange(len(lines))
    line = lines.pop(at)
    for _ in range(draw.randrange(3)):
        lines.insert(min(to, len(lines)), line)
    return b"\n".join(lines)


def value_changed(data: bytes, draw: random.Random) -> bytes:
    """A number, a word or a string becomes another thing; in TOML and CSV as in JSON."""
    found = list(re.finditer(rb'"[^"\n]*"|-?\d+(?:\.\d+)?|\b(?:true|false|null)\b', data))
    if not found:
        return data
    entry, value = draw.choice(found), draw.choice(ODD)
    name = json.dumps(value, ensure_ascii=draw.random() < 0.5).encode("utf-8", "surrogatepass")
    return data[: entry.start()] + name + data[entry.end() :]


def json_changed(data: bytes, draw: random.Random) -> bytes:
    """In a line of JSON any value, however deep, becomes another, is left out, renamed or doubled."""
    lines = data.split(b"\n")
    at = draw.randrange(len(lines))
    try:
        whole = json.loads(lines[at])
    except ValueError:
        return value_changed(data, draw)
    place: Any = whole
    while isinstance(place, dict | list) and place:
        key = draw.choice(list(place)) if isinstance(place, dict) else draw.randrange(len(place))
        if not isinstance(place[key], dict | list) or not place[key] or draw.random() < 0.2:
            if draw.random() < 0.6 or isinstance(place, list):
                place[key] = draw.choice(ODD)
            else:
                value = place.pop(key)
                place.update({draw.choice(["x", key + "s", "frame", "_x"]): value} if draw.random() < 0.7 else {})
            break
        place = place[key]
    lines[at] = json.dumps(whole).encode()
    return b"\n".join(lines)


MUTATIONS: list[Mutation] = [bytes_changed, cut_off, lines_changed, value_changed, value_changed, json_changed]


def text_changed(data: bytes, draw: random.Random) -> bytes:
    """One mutation of a text, or several."""
    for _ in range(draw.choice([1, 1, 1, 2, 4])):
        data = draw.choice(MUTATIONS)(data, draw)
    return data


def zipped_changed(data: bytes, draw: random.Random) -> bytes:
    """What is within a gzip file is another text, or the file itself is broken."""
    if draw.random() < 0.5:
        return gzip.compress(text_changed(gzip.decompress(data), draw), 1)
    return draw.choice([bytes_changed, bit_flipped, cut_off])(data, draw)


def bit_flipped(data: bytes, draw: random.Random) -> bytes:
    """One bit is another one."""
    at = draw.randrange(max(len(data), 1))
    return data[:at] + bytes([data[at] ^ 1 << draw.randrange(8)]) + data[at + 1 :] if data else data


def image_changed(data: bytes, draw: random.Random) -> bytes:
    """A PNG with a part of its own changed and the sum over it right again, or broken anywhere."""
    if draw.random() < 0.4:
        return draw.choice([bytes_changed, bit_flipped, cut_off])(data, draw)
    chunks, at = [], 8
    while at < len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        chunks.append((data[at + 4 : at + 8], data[at + 8 : at + 8 + length]))
        at += 12 + length
    place = draw.randrange(len(chunks))
    name, body = chunks[place]
    what = draw.randrange(4)
    if what == 0:
        body = bit_flipped(body, draw)
    elif what == 1 and name == b"IHDR":
        sides = struct.pack(">II", draw.choice([0, 1, 5000, 2**31 - 1]), draw.choice([0, 1, 60000]))
        body = sides + body[8:]
    elif what == 2:
        body = zlib.compress(b"\0" * draw.choice([0, 10, 10**6]))
    else:
        name = draw.choice([b"IHDR", b"PLTE", b"tRNS", b"tEXt", b"zTXt", b"acTL", b"IEND"])
    chunks[place] = name, body
    if draw.random() < 0.2:
        chunks.insert(draw.randrange(len(chunks)), chunks[draw.randrange(len(chunks))])
    whole = (
        len(text).to_bytes(4, "big") + kind + text + zlib.crc32(kind + text).to_bytes(4, "big") for kind, text in chunks
    )
    return data[:8] + b"".join(whole)


def columns_of(rows: int, draw: random.Random) -> pyarrow.Array:
    """A column that no table of ours has."""
    small = {"x": 1}
    for _ in range(draw.choice([0, 3, 40])):
        small = {"x": small}  # type: ignore[dict-item]
    return draw.choice(
        [
            lambda: pyarrow.array([[1, 2]] * rows),
            lambda: pyarrow.array([small] * rows),
            lambda: pyarrow.array([b"\xff\x00"] * rows),
            lambda: pyarrow.array([2**62] * rows, pyarrow.timestamp(draw.choice(["s", "us", "ns"]))),
            lambda: pyarrow.array([-(2**31)] * rows, pyarrow.date32()),
            lambda: pyarrow.array([decimal.Decimal("1e30")] * rows),
            lambda: pyarrow.array([None] * rows),
            lambda: pyarrow.array([True] * rows),
            lambda: pyarrow.array(["x"] * rows).dictionary_encode(),
            lambda: pyarrow.array([2**63 + 5] * rows, pyarrow.uint64()),
            lambda: pyarrow.array([float("nan")] * rows),
            lambda: pyarrow.array([{"a": 1}] * rows, pyarrow.map_(pyarrow.string(), pyarrow.int64())),
            lambda: pyarrow.array([10**15] * rows, pyarrow.duration("s")),
        ]
    )()


def parquet_changed(data: bytes, draw: random.Random) -> bytes:
    """A Parquet table with other columns, types, names or metadata, or broken anywhere."""
    if draw.random() < 0.15:
        return draw.choice([bytes_changed, bit_flipped, cut_off])(data, draw)
    table = pyarrow.parquet.read_table(io.BytesIO(data))
    for _ in range(draw.choice([1, 1, 2])):
        at = draw.randrange(table.num_columns) if table.num_columns else 0
        name = table.column_names[at] if table.num_columns else "x"
        what = draw.randrange(6)
        if what == 0 and table.num_columns:
            table = table.remove_column(at)
        elif what <= 2 and table.num_columns:
            table = table.set_column(at, name, columns_of(table.num_rows, draw))
        elif what == 3:
            extra = draw.choice(["x", "", "_own", name, "frame", "\u001b[1m"])
            table = table.append_column(extra, columns_of(table.num_rows, draw))
        elif what == 4:
            text = draw.choice([b"[1]", b"{", b"[" * 3000, b'"x"', b'{"rate": 1e999}', b'{"frames": [5, 1]}', b"\xff"])
            table = table.replace_schema_metadata({b"voskar": text, b"pandas": text})
        else:
            table = table.slice(0, draw.randrange(table.num_rows + 1))
    out = io.BytesIO()
    try:
        pyarrow.parquet.write_table(table, out, compression=draw.choice(["none", "gzip", "zstd", "snappy"]))
    except pyarrow.ArrowException:  # there is no such Parquet
        return bytes_changed(data, draw)
    return out.getvalue()


@dataclass
class Reader:
    """A file that is read, the commands that read it, and how it is changed; `{}` stands for the mutated one."""

    file: str
    name: str
    commands: tuple[str, ...]
    change: Mutation = text_changed
    heavy: tuple[str, ...] = ()
    """Commands that take so long that they are only now and then run."""


RULED = (
    "check {} short.jsonl", "check {} short.jsonl --coverage --within 4", "replay {} short.jsonl",
    "audit {} short.jsonl", "layers {}", "moves {}", "stats {} short.jsonl", "hud {} short.jsonl",
    "why {} short.jsonl --frame 90", "why {} short.jsonl --frame 95 --attacker hornet-1 --target keeper",
    "compare {} apiary.toml short.jsonl",
)  # fmt: skip
DRAWN = (
    "draw {} short.jsonl --frame 95 --out x.png", "page {} short.jsonl -o x.html",
    "tune {} short.jsonl --vary kinds.keeper.iframes=59f..61f", "layers {} --out x.svg",
)  # fmt: skip
LOGGED = (
    "check apiary.toml {}", "check apiary.toml {} --no-resync", "replay apiary.toml {} --resync",
    "convert {} out.jsonl", "draft {} -o out.toml --overwrite", "audit apiary.toml {}", "stats apiary.toml {}",
    "hud apiary.toml {}", "why apiary.toml {} --frame 90", "why apiary.toml {} --frame 95 --actor keeper",
    "layers apiary.toml {}", "compare apiary.toml apiary.toml {}", "replay apiary.toml {} --recording out.jsonl",
)  # fmt: skip
SHOWN = (
    "draw apiary.toml {} --frame 95 --out x.png", "page apiary.toml {} -o x.html",
    "draw apiary.toml {} --timeline --out x.svg", "shrink apiary.toml {} -o s.stage.toml --overwrite",
    "tune apiary.toml {} --vary kinds.keeper.iframes=59f..61f",
)  # fmt: skip

READERS = {
    "rulebook": Reader("apiary.toml", "x.toml", RULED, heavy=DRAWN),
    "rulebook, moving": Reader("swarm.toml", "x.toml", ("audit {} swarming.jsonl", "replay {} swarming.jsonl")),
    "rulebook, included": Reader("hive.toml", "hive.toml", ("check apiary.toml short.jsonl", "audit apiary.toml")),
    "image": Reader("moth.png", "moth.png", ("check apiary.toml short.jsonl", "moves apiary.toml"), image_changed),
    "recording": Reader("short.jsonl", "x.jsonl", LOGGED, heavy=SHOWN),
    "recording, gzip": Reader("short.jsonl.gz", "x.jsonl.gz", LOGGED, zipped_changed),
    "stage script": Reader("volley.stage.toml", "x.stage.toml", ("replay swarm.toml {}", "stage {} -o out.jsonl")),
    "expectations": Reader("meadow.expect.toml", "x.toml", ("check apiary.toml short.jsonl --expect {}",)),
    "suite": Reader("short.toml", "x.toml", ("suite --workers 1 {}", "suite --workers 1 {} --json")),
    "suite's report": Reader("report.json", "x.json", ("report {}", "report {} --json", "report {} --report x.xml")),
    "ledger": Reader("ledger.jsonl", "l.jsonl", ("compare {} ledger.jsonl", "compare ledger.jsonl {}")),
    "ledger as CSV": Reader("ledger.csv", "l.csv", ("compare ledger.csv {}", "compare {} ledger.jsonl")),
    "ledger as Parquet": Reader("ledger.parquet", "l.parquet", ("compare {} ledger.parquet",), parquet_changed),
    "baseline": Reader("ledger.jsonl", "l.jsonl", ("check apiary.toml short.jsonl --baseline {}",)),
    "header of tables": Reader("tables/recording.json", "mutated/recording.json", ("check apiary.toml mutated",)),
    "table of poses": Reader("tables/poses.csv", "mutated/poses.csv", ("check apiary.toml mutated",)),
    "table of claims": Reader("tables/claims.csv", "mutated/claims.csv", ("check apiary.toml mutated",)),
    "poses as Parquet": Reader(
        "packed/poses.parquet", "repacked/poses.parquet", ("check apiary.toml repacked", "convert repacked out.jsonl"),
        parquet_changed,
    ),
    "claims as Parquet": Reader(
        "packed/claims.parquet", "repacked/claims.parquet", ("check apiary.toml repacked",), parquet_changed
    ),
    "URL": Reader("short.jsonl", "x.jsonl", ("check apiary.toml {url}", "convert {url} out.jsonl")),
}  # fmt: skip
"""Whatever is read, by every command that reads it."""


@dataclass
class Runs:
    """What came of some runs: exit codes by reader, and what should not have been."""

    codes: dict[str, Counter[int]] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)


def prepare(folder: Path) -> None:
    """The demo, its first frames, and ledgers, tables and a report of them."""
    demo.write(folder)
    lines = (folder / "meadow.jsonl").read_text().splitlines()
    short = "\n".join(lines[:120]) + "\n"
    (folder / "short.jsonl").write_text(short)
    (folder / "swarming.jsonl").write_text("\n".join((folder / "swarm.jsonl").read_text().splitlines()[:120]) + "\n")
    (folder / "short.jsonl.gz").write_bytes(gzip.compress(short.encode()))
    runs = 'rulebook = "apiary.toml"\nrecordings = ["short.jsonl"]\nexpect = ["{name}.expect.toml"]\n'
    (folder / "short.toml").write_text(f"voskar = 2\n[[runs]]\n{runs}")
    (folder / "short.expect.toml").write_text('voskar = 2\n[[expect]]\nevent = "landed"\nat = [96]\n')
    for ending in ("jsonl", "csv", "parquet"):
        assert quiet(["replay", "apiary.toml", "short.jsonl", "--ledger", f"ledger.{ending}"])[0] == 0
    for tables, form in (("tables", "csv"), ("mutated", "csv"), ("packed", "parquet"), ("repacked", "parquet")):
        assert quiet(["convert", "short.jsonl", tables, "--tables", form])[0] == 0
    assert quiet(["suite", "short.toml", "--coverage", "--report", "report.json"])[0] in (0, 1)


class Service(BaseHTTPRequestHandler):
    """Serves the file of its folder that a path names, in the way that the path says first."""

    folder = Path()

    def do_HEAD(self) -> None:
        self.do_GET()

    def do_GET(self) -> None:
        """As a good server would, or not."""
        way, _, name = self.path.strip("/").partition("/")
        data = (self.folder / name).read_bytes() if (self.folder / name).is_file() else b""
        code = {"missing": 404, "broken": 500, "forbidden": 403, "away": 302, "round": 302}.get(way, 200)
        self.send_response(code)
        if way == "away":
            self.send_header("Location", f"/plain/{name}")
        elif way == "round":
            self.send_header("Location", self.path)
        length = {"short": len(data) + 99, "long": len(data) // 2, "odd": -1}.get(way, len(data))
        self.send_header("Content-Length", str(length))
        self.end_headers()
        if self.command == "HEAD" or code != 200:
            return
        with contextlib.suppress(OSError):
            if way == "slow":
                for at in range(0, len(data), len(data) // 4 + 1):
                    self.wfile.write(data[at : at + len(data) // 4 + 1])
                    self.wfile.flush()
                    time.sleep(0.002)
            elif way == "cut":
                self.wfile.write(data[: len(data) // 2])
                self.connection.shutdown(socket.SHUT_RDWR)
            elif way == "never":
                self.wfile.write(data[:100])
                self.wfile.flush()
                time.sleep(2 * remote.PATIENCE)
            else:
                self.wfile.write(data)

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing."""


WAYS = (
    "plain",
    "plain",
    "plain",
    "away",
    "round",
    "missing",
    "broken",
    "forbidden",
    "short",
    "long",
    "odd",
    "slow",
    "cut",
)
"""How a server may answer. `never` takes as long as one has patience, and is tried by itself."""


@contextlib.contextmanager
def served(folder: Path) -> Iterator[str]:
    """The address of a server of a folder."""
    handler = type("Handler", (Service,), {"folder": folder})
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()


def quiet(arguments: list[str]) -> tuple[int, str]:
    """A command's exit code and errors."""
    out, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
        code = run(arguments)
    return code, errors.getvalue()


def fuzz(folder: Path, count: int, seed: int, first: int = 0) -> Runs:
    """So many runs in a prepared folder, which is the current one; the readers in turn, from the `first` run on."""
    found = Runs({name: Counter() for name in READERS})
    whole = {reader.file: (folder / reader.file).read_bytes() for reader in READERS.values()}
    with served(folder) as address:
        for number in range(first, first + count):
            name = list(READERS)[number % len(READERS)]
            reader, draw = READERS[name], random.Random(f"{seed}:{number}")
            (folder / reader.name).write_bytes(reader.change(whole[reader.file], draw))
            heavy = reader.heavy and draw.random() < HEAVY
            command = draw.choice(reader.heavy if heavy else reader.commands)
            url = f"{address}/{draw.choice(WAYS)}/{reader.name}"
            start = time.perf_counter()
            code, errors = quiet([word.replace("{url}", url).replace("{}", reader.name) for word in command.split()])
            seconds = time.perf_counter() - start
            (folder / reader.name).write_bytes(whole[reader.file])  # others may need it
            (folder / "out.jsonl").unlink(missing_ok=True)
            found.codes[name][code] += 1
            faults = [f"exit {code}"] * (code == OWN_BUG or "Traceback" in errors)
            faults += [f"{seconds:.0f} s"] * (seconds > SLOW)
            faults += ["no word of why"] * (code == 2 and not errors.strip() and "suite" not in name)
            faults += ["a part left behind"] * bool(list(folder.rglob("*.part")))
            faults += ["a raw control character"] * bool(RAW.search(errors))
            where = f"{name}, {seed}:{number}, {command}"
            found.wrong += [f"{where}: {', '.join(faults)}: {errors.strip()[-400:]}"] * bool(faults)
    return found


def share(job: tuple[int, int, int]) -> Runs:
    """A part of the runs, in a folder of its own."""
    first, count, seed = job
    with tempfile.TemporaryDirectory() as name:
        os.chdir(name)
        os.environ["XDG_CACHE_HOME"] = f"{name}/cache"
        prepare(Path(name))
        found = fuzz(Path(name), count, seed, first)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    found.wrong += [f"{peak >> 20} MiB held"] * (peak > MEMORY)
    return found


def main(count: int = 40_000, seed: int = 1) -> None:
    """The table of exit codes, and what is wrong."""
    found = Runs({name: Counter() for name in READERS})
    jobs = [(first, min(PART, count - first), seed) for first in range(0, count, PART)]
    # a new process for each part: what matplotlib or a cache of strings keeps is not what a command needs
    with ProcessPoolExecutor(os.cpu_count(), max_tasks_per_child=1, mp_context=get_context("spawn")) as pool:
        for job in pool.map(share, jobs):
            found.wrong += job.wrong
            for reader, codes in job.codes.items():
                found.codes[reader] += codes
            for line in job.wrong:
                print(line, file=sys.stderr, flush=True)
    print("| mutated | runs | 0 agreed | 1 disagreed | 2 refused | 3 our bug |\n|---|--:|--:|--:|--:|--:|")
    for reader, codes in found.codes.items():
        print(f"| {reader} | {codes.total():,} | {' | '.join(f'{codes[code]:,}' for code in range(4))} |")
    total = sum(found.codes.values(), Counter[int]())
    print(f"| all | {total.total():,} | {' | '.join(f'{total[code]:,}' for code in range(4))} |")
    sys.exit(bool(found.wrong))


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
