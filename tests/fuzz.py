"""Mutated input for every reader: one clear error or an answer, never a crash, a hang or a half-written file.

`make fuzz` runs thousands and prints a table; a few hundred are part of the tests.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import random
import re
import resource
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from voskar import demo
from voskar.commands.main import OWN_BUG, run

SLOW = 20.0
"""Seconds that no run may take."""
MEMORY = 2 << 30
"""Bytes that the whole of it may hold."""
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
    one, value = draw.choice(found), draw.choice(ODD)
    told = json.dumps(value, ensure_ascii=draw.random() < 0.5).encode("utf-8", "surrogatepass")
    return data[: one.start()] + told + data[one.end() :]


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


@dataclass
class Reader:
    """A file that is read, and the command that reads it; `{}` stands for the mutated one."""

    file: str
    command: tuple[str, ...]
    name: str = "x"


READERS = {
    "rulebook": Reader("apiary.toml", ("check", "{}", "short.jsonl"), "x.toml"),
    "rulebook, audited": Reader("swarm.toml", ("audit", "{}", "swarm.jsonl"), "x.toml"),
    "recording": Reader("short.jsonl", ("check", "apiary.toml", "{}"), "x.jsonl"),
    "recording, converted": Reader("short.jsonl", ("convert", "{}", "out.jsonl"), "x.jsonl"),
    "recording, drafted from": Reader("short.jsonl", ("draft", "{}", "-o", "out.toml", "--overwrite"), "x.jsonl"),
    "stage script": Reader("volley.stage.toml", ("replay", "swarm.toml", "{}"), "x.stage.toml"),
    "expectations": Reader("meadow.expect.toml", ("check", "apiary.toml", "short.jsonl", "--expect", "{}"), "x.toml"),
    "suite": Reader("short.toml", ("check", "--workers", "1", "--suite", "{}"), "x.toml"),
    "ledger": Reader("ledger.jsonl", ("compare", "{}", "ledger.jsonl"), "x.jsonl"),
    "ledger as CSV": Reader("ledger.csv", ("compare", "ledger.csv", "{}"), "x.csv"),
    "ledger as Parquet": Reader("ledger.parquet", ("compare", "{}", "ledger.parquet"), "x.parquet"),
    "table of poses": Reader("tables/poses.csv", ("check", "apiary.toml", "mutated"), "mutated/poses.csv"),
}


@dataclass
class Found:
    """What came of some runs: exit codes by reader, and what should not have been."""

    codes: dict[str, Counter[int]] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)


def prepare(folder: Path) -> None:
    """The demo, its first frames, and ledgers and tables of them."""
    demo.write(folder)
    lines = (folder / "meadow.jsonl").read_text().splitlines()
    (folder / "short.jsonl").write_text("\n".join(lines[:120]) + "\n")
    runs = 'rulebook = "apiary.toml"\nrecordings = ["short.jsonl"]\nexpect = ["{name}.expect.toml"]\n'
    (folder / "short.toml").write_text(f"voskar = 1\n[[runs]]\n{runs}")
    (folder / "short.expect.toml").write_text('voskar = 1\n[[expect]]\nevent = "landed"\nat = [96]\n')
    for ending in ("jsonl", "csv", "parquet"):
        assert quiet(["replay", "apiary.toml", "short.jsonl", "--ledger", f"ledger.{ending}"])[0] == 0
    assert quiet(["convert", "short.jsonl", "tables", "--tables", "csv"])[0] == 0
    assert quiet(["convert", "short.jsonl", "mutated", "--tables", "csv"])[0] == 0


def quiet(arguments: list[str]) -> tuple[int, str]:
    """A command's exit code and errors."""
    out, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
        code = run(arguments)
    return code, errors.getvalue()


def fuzz(folder: Path, count: int, seed: int) -> Found:
    """So many runs in a prepared folder, which is the current one; the readers in turn."""
    found = Found({name: Counter() for name in READERS})
    for number in range(count):
        name = list(READERS)[number % len(READERS)]
        reader, draw = READERS[name], random.Random(f"{seed}:{number}")
        data = (folder / reader.file).read_bytes()
        for _ in range(draw.choice([1, 1, 1, 2, 4])):
            data = draw.choice(MUTATIONS)(data, draw)
        (folder / reader.name).write_bytes(data)
        start = time.perf_counter()
        code, errors = quiet([reader.name if one == "{}" else one for one in reader.command])
        seconds = time.perf_counter() - start
        found.codes[name][code] += 1
        faults = [f"exit {code}"] * (code in (OWN_BUG, 1) and "Traceback" in errors)
        faults += [f"{seconds:.0f} s"] * (seconds > SLOW)
        faults += ["no word of why"] * (code == 2 and not errors.strip() and name != "suite")
        faults += ["a part left behind"] * bool(list(folder.rglob("*.part")))
        found.wrong += [f"{name}, {seed}:{number}: {', '.join(faults)}: {errors.strip()[-300:]}"] * bool(faults)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    found.wrong += [f"{peak >> 20} MiB held"] * (peak > MEMORY)
    return found


def main(count: int = 20_000, seed: int = 1) -> None:
    """The table of exit codes, and what is wrong."""
    home = Path.cwd()
    with tempfile.TemporaryDirectory() as name:
        os.chdir(name)
        prepare(Path(name))
        found = fuzz(Path(name), count, seed)
        os.chdir(home)
    print("| mutated | runs | 0 agreed | 1 disagreed | 2 refused | 3 our bug |\n|---|--:|--:|--:|--:|--:|")
    for reader, codes in found.codes.items():
        print(f"| {reader} | {codes.total()} | {' | '.join(str(codes[code]) for code in range(4))} |")
    total = sum(found.codes.values(), Counter[int]())
    print(f"| all | {total.total()} | {' | '.join(str(total[code]) for code in range(4))} |")
    for line in found.wrong:
        print(line, file=sys.stderr)
    sys.exit(bool(found.wrong))


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
