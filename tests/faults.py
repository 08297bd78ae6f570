"""Runs that are ended, disturbed or starved: no half file, no orphan, no wrong verdict.

`make faults` tries two hundred and prints a table; a few are part of the tests. Whatever happens to a run, a file under
its final name is whole or as it was before, no process of it is left, and what a suite says afterwards is what a fresh
run says.
"""

from __future__ import annotations

import contextlib
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import tomllib
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from voskar import demo

VOSKAR = Path(sys.executable).with_name("voskar")
TRIALS = 200
MARK = "VOSKAR_TRIAL"
"""The variable by which every process of a trial is known."""
WRITERS = (
    "replay apiary.toml m.jsonl --ledger out/l.jsonl", "replay apiary.toml m.jsonl --ledger out/l.csv",
    "replay apiary.toml m.jsonl --ledger out/l.parquet", "replay apiary.toml m.jsonl --recording out/r.jsonl",
    "convert m.jsonl out/c.jsonl.gz", "convert m.jsonl out/t --tables csv", "page apiary.toml m.jsonl -o out/p.html",
    "draw apiary.toml m.jsonl --frame 95 --out out/f.png", "draw apiary.toml m.jsonl --timeline --out out/t.svg",
    "draft m.jsonl -o out/d.toml", "check apiary.toml m.jsonl --propose out/e.toml",
    "check apiary.toml m.jsonl --draw out/drawn", "suite --report out/r.xml --report out/r.json --workers 2",
    "suite --pages out/pages --workers 2 --fresh", "suite --coverage --report out/r.html --workers 2",
    "stage volley.stage.toml -o out/s.jsonl", "shrink apiary.toml m.jsonl -o out/s.stage.toml",
    "schema rulebook -o out/s.json", "layers apiary.toml m.jsonl --out out/l.png",
    "tune apiary.toml m.jsonl --vary kinds.keeper.iframes=59f..61f -o out/t.png", "report part.json --report out/r.xml",
    "draw apiary.toml m.jsonl --frame 90-95 --out out/clip.gif", "check apiary.toml m.jsonl --shrink out/small",
    "init out/new --logger cpp",
    "demo out/demo",
)  # fmt: skip
"""Every command that writes."""
WATCHED = tuple(writer for writer in WRITERS if writer.split()[0] in ("replay", "draw", "page"))
BEST_SO_FAR = ".stage.toml"
"""What `shrink` writes when Ctrl-C ends it: a scene that is whole, and not yet the smallest."""
PATIENCE = 30.0
"""Seconds after which a run hangs."""


@dataclass
class Disturbed:
    """How many trials of each fault there were, and what was wrong."""

    trials: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)


class Trials:
    """Trials in a prepared folder. What each command writes when nothing happens is known."""

    def __init__(self, folder: Path, cluster: str | None) -> None:
        self.folder, self.cluster = folder, cluster
        self.whole: dict[str, tuple[dict[str, bytes], float]] = {}
        demo.write(folder)
        lines = (folder / "meadow.jsonl").read_text().splitlines()
        (folder / "m.jsonl").write_text("\n".join(lines[:300]) + "\n")
        (folder / "n.jsonl").write_text("\n".join(lines[:120]) + "\n")
        suite = 'voskar = 2\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["?.jsonl"]\n'
        (folder / "voskar.toml").write_text(suite)
        (folder / "out").mkdir()
        with self.start("suite --report part.json", -1) as run:
            run.communicate(timeout=120)

    def start(self, command: str, number: int, **more: object) -> subprocess.Popen[str]:
        """Starts a command, with its own mark."""
        env = {**os.environ, MARK: str(number), "XDG_CACHE_HOME": str(self.folder / "cache"), "COLUMNS": "100"}
        pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL, "text": True}
        return subprocess.Popen([VOSKAR, *command.split()], cwd=self.folder, env=env, **pipes, **more)  # type: ignore[call-overload, no-any-return]

    def expected(self, command: str) -> tuple[dict[str, bytes], float]:
        """What a command writes, and how long it takes."""
        if command not in self.whole:
            self.clear()
            begin = time.perf_counter()
            with self.start(command, -1) as run:
                run.communicate(timeout=120)
            self.whole[command] = self.written(), time.perf_counter() - begin
            assert self.whole[command][0], command
        return self.whole[command]

    def clear(self) -> None:
        """Nothing is written yet."""
        shutil.rmtree(self.folder / "out", ignore_errors=True)
        (self.folder / "out").mkdir()

    def written(self) -> dict[str, bytes]:
        """All files under `out`; the time in the head of a gzip file left out."""
        files = sorted(path for path in (self.folder / "out").rglob("*") if path.is_file())
        return {str(path.relative_to(self.folder / "out")): path.read_bytes() for path in files}

    def finish(self, run: subprocess.Popen[str]) -> tuple[str, str]:
        """What a run has printed and its errors; one that does not end is ended, and says so."""
        try:
            return run.communicate(timeout=PATIENCE)
        except subprocess.TimeoutExpired:
            run.kill()
            out, errors = run.communicate()
            return out, f"{errors}Traceback: it did not end within {PATIENCE:.0f} s"

    # what may happen; each returns what is wrong

    def signalled(self, command: str, number: int, draw: random.Random, waits: tuple[float, ...]) -> Iterator[str]:
        """A command is ended by a signal, after shares of the time that it takes; between two of them a file that it
        reads is touched."""
        whole, seconds = self.expected(command.removesuffix(" --watch"))
        self.clear()
        sent = draw.choice([signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
        with self.start(command, number) as run:
            time.sleep(seconds * waits[0])
            for wait in waits[1:]:
                (self.folder / "m.jsonl").touch()
                time.sleep(seconds * wait)
            run.send_signal(sent)
            _, errors = self.finish(run)
        yield from self.faults(f"{command}, {sent.name}", whole, errors, killed=sent == signal.SIGKILL)

    def ended(self, number: int, draw: random.Random) -> Iterator[str]:
        """A signal at a moment from early to late."""
        yield from self.signalled(draw.choice(WRITERS), number, draw, (draw.uniform(0.02, 1.1),))

    def rewritten(self, number: int, draw: random.Random) -> Iterator[str]:
        """A rulebook gets better values while a signal comes: it is the old one or the new one."""
        self.clear()
        command = "tune tuned.toml meadow.jsonl --fit kinds.keeper.iframes=30f..70f --write"
        tuned, before = self.folder / "tuned.toml", (self.folder / "apiary.toml").read_text().replace('"60f"', '"40f"')
        tuned.write_text(before)
        begin = time.perf_counter()
        with self.start(command, number) as run:
            self.finish(run)
        seconds, after = time.perf_counter() - begin, tuned.read_text()
        if after == before:
            yield f"{command} writes nothing"
        tuned.write_text(before)
        sent = draw.choice([signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
        with self.start(command, number) as run:
            time.sleep(seconds * draw.uniform(0.5, 1.05))
            run.send_signal(sent)
            _, errors = self.finish(run)
        if tuned.read_text() not in (before, after):
            yield f"{command}, {sent.name}: the rulebook is neither the old one nor the new one"
        yield from self.faults(f"{command}, {sent.name}", {}, errors, killed=sent == signal.SIGKILL)

    def watched(self, number: int, draw: random.Random) -> Iterator[str]:
        """A command that runs again when a file changes, ended at any moment."""
        waits = draw.uniform(0.5, 2.0), draw.uniform(0.1, 1.5)
        yield from self.signalled(f"{draw.choice(WATCHED)} --watch", number, draw, waits)

    def clustered(self, number: int, draw: random.Random) -> Iterator[str]:
        """A suite on a cluster, ended at any moment; the cluster continues."""
        if self.cluster is None:
            return
        command = f"suite --report out/r.json --fresh --cluster {self.cluster}"
        yield from self.signalled(command, number, draw, (draw.uniform(0.1, 1.1),))
        with self.start(command, number) as run:
            self.finish(run)
        if self.written() != self.expected(command)[0]:
            yield "the cluster does not go on"

    def full(self, number: int, draw: random.Random) -> Iterator[str]:
        """No file may grow beyond a few bytes, as on a full disk."""
        command = draw.choice(WRITERS)
        whole, _ = self.expected(command)
        self.clear()
        shutil.rmtree(self.folder / "cache", ignore_errors=True)
        most = draw.choice([0, 1, 100, 1000, 5000])

        def limit() -> None:
            resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

        with self.start(command, number, preexec_fn=limit) as run:
            out, errors = self.finish(run)
        if run.returncode not in (0, 1, 2):
            yield f"{command}, files of {most} bytes: exit {run.returncode}: {(out + errors)[-300:]}"
        yield from self.faults(f"{command}, files of {most} bytes", whole, errors)

    def read_only(self, number: int, draw: random.Random) -> Iterator[str]:
        """The output belongs where nothing can be written."""
        command = draw.choice(WRITERS)
        self.clear()
        with self.start(command.replace("out/", "/proc/out/"), number) as run:
            _, errors = self.finish(run)
        if run.returncode != 2:
            yield f"{command} below /proc: exit {run.returncode}: {errors[-300:]}"
        yield from self.faults(f"{command} below /proc", {}, errors)

    def twice(self, number: int, draw: random.Random) -> Iterator[str]:
        """Two runs at once, with one output and one cache."""
        command = draw.choice(
            [writer for writer in WRITERS if writer.split()[0] not in ("init", "demo", "draft", "shrink")]
        )
        whole, _ = self.expected(command)
        self.clear()
        shutil.rmtree(self.folder / "cache", ignore_errors=True)
        with self.start(command, number) as popen, self.start(command, number) as other:
            texts = [self.finish(run)[1] for run in (popen, other)]
        codes = {popen.returncode, other.returncode}
        if not codes <= {0, 1} and not (codes <= {0, 2} and "there already" in "".join(texts)):
            yield f"{command}, twice: exit {popen.returncode} and {other.returncode}: {''.join(texts)[-300:]}"
        if self.written() != whole:
            yield f"{command}, twice: what is written differs"
        yield from self.faults(f"{command}, twice", whole, "".join(texts))

    def clock(self, number: int, draw: random.Random) -> Iterator[str]:
        """The clock goes back: what was written before is of tomorrow. A file then changes within a tick of it."""
        yield from self.verdict(number)
        tomorrow = time.time() + draw.choice([3600, 86_400, 1e6])
        for path in [*self.folder.glob("*.jsonl"), *self.folder.glob("*.toml"), *self.folder.rglob("cache/**/*")]:
            os.utime(path, (tomorrow, tomorrow))
        name = draw.choice(["m.jsonl", "n.jsonl", "apiary.toml"])
        text = (self.folder / name).read_text()
        changed = (
            text.replace('"damage": 1', '"damage": 2') if name != "apiary.toml" else text.replace('"60f"', '"59f"')
        )
        (self.folder / name).write_text(changed)
        os.utime(self.folder / name, (tomorrow, tomorrow))
        yield from self.verdict(number)
        (self.folder / name).write_text(text)

    def rubbish(self, number: int, draw: random.Random) -> Iterator[str]:
        """What is kept is anything: cut, of random bytes, exchanged, folders, links."""
        yield from self.verdict(number)
        kept = [path for path in self.folder.rglob("cache/voskar/*/*") if path.is_file()]
        for path in kept:
            what = draw.randrange(5)
            if what == 0:
                path.write_bytes(draw.randbytes(draw.randrange(200)))
            elif what == 1:
                path.write_bytes(path.read_bytes()[: draw.randrange(200)])
            elif what == 2:
                others = [file for file in kept if file != path and file.is_file() and not file.is_symlink()]
                path.write_bytes(draw.choice(others).read_bytes() if others else b"")
            elif what == 3:
                path.unlink()
                path.mkdir()
            else:
                path.unlink()
                path.symlink_to("/dev/zero")
        yield from self.verdict(number)
        shutil.rmtree(self.folder / "cache", ignore_errors=True)

    def verdict(self, number: int) -> Iterator[str]:
        """What a suite says, from what is kept and afresh."""
        pairs = []
        for item in ("", " --fresh"):
            with self.start(f"suite --json --workers 1{item}", number) as run:
                pairs.append(self.finish(run))
        if pairs[0][0] != pairs[1][0] or not pairs[0][0]:
            yield f"a kept verdict is not that of a fresh run: {pairs[0][1][-200:]} {pairs[1][1][-200:]}"

    def faults(self, what: str, whole: dict[str, bytes], errors: str, *, killed: bool = False) -> Iterator[str]:
        """What must hold whatever has happened."""
        if "Traceback" in errors:
            yield f"{what}: {errors[-400:]}"
        for name, data in self.written().items():
            if name.endswith(".part") or "/." in f"/{name}":
                if not killed:
                    yield f"{what}: {name} is left behind"
            elif whole.get(name) != data and not (
                name.endswith(BEST_SO_FAR) and tomllib.loads(data.decode())["frames"]
            ):
                yield f"{what}: {name} is not whole"
        if not killed and list(self.folder.rglob("cache/**/*.part")):
            yield f"{what}: a part is left in the cache"


FAULTS: tuple[tuple[str, int, Callable[[Trials, int, random.Random], Iterator[str]]], ...] = (
    ("ended by a signal", 7, Trials.ended),
    ("ended while it rewrites a rulebook", 1, Trials.rewritten),
    ("watching, ended by a signal", 2, Trials.watched),
    ("on a cluster, ended by a signal", 2, Trials.clustered),
    ("full disk", 3, Trials.full),
    ("read-only", 1, Trials.read_only),
    ("two runs at once", 2, Trials.twice),
    ("clock set back", 1, Trials.clock),
    ("a cache of rubbish", 1, Trials.rubbish),
)
"""Faults, and how many of twenty trials each has."""


def orphans(number: int) -> list[int]:
    """Processes of a trial that are still there."""
    found = []
    for path in Path("/proc").glob("[0-9]*/environ"):
        with contextlib.suppress(OSError):
            if f"{MARK}={number}\0".encode() in path.read_bytes() and int(path.parent.name) != os.getpid():
                found.append(int(path.parent.name))
    return found


def try_all(folder: Path, count: int, seed: int, cluster: str | None = None) -> Disturbed:
    """So many trials in an empty folder."""
    found, trials = Disturbed(), Trials(folder, cluster)
    order = [fault for fault in FAULTS for _ in range(fault[1])]
    for number in range(count):
        name, _, fault = order[(number * 7) % len(order)]  # 7 and 20 have no factor in common: each has its share
        draw = random.Random(f"{seed}:{number}")
        found.trials[name] += 1
        found.wrong += [f"{seed}:{number}: {name}: {trial}" for trial in fault(trials, number, draw)]
        for _ in range(30):
            left = orphans(number)
            if not left:
                break
            time.sleep(0.1)
        found.wrong += [f"{seed}:{number}: {name}: processes {left} are left"] * bool(left)
        for process in left:
            with contextlib.suppress(OSError):
                os.kill(process, signal.SIGKILL)
    return found


def main(count: int = TRIALS, seed: int = 1) -> None:
    """The table, and what is wrong."""
    from tests.commands.test_cluster import engine

    with engine() as (address, *_), tempfile.TemporaryDirectory() as name:
        found = try_all(Path(name), count, seed, address)
    print("| fault | trials |\n|---|--:|")
    for fault, trials in found.trials.items():
        print(f"| {fault} | {trials} |")
    print(f"| all | {found.trials.total()} |")
    for line in found.wrong:
        print(line, file=sys.stderr)
    sys.exit(bool(found.wrong))


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
