"""`make bench`: what a replay costs, next to what a bare C loop over the same scene costs, as ratios of one run.

Every measurement runs in a fresh process, so that peak memory is its own.
"""

from __future__ import annotations

import gc
import json
import math
import os
import platform
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

import scenes

SHARES = (0.25, 0.5, 1.0)
ALIVE = (20, 100, 500, 2000)
RECORDINGS, SINGLE, OFTEN = 200, 10, 2000
HERE = Path(__file__).parent
FIGHTS = {"plain": scenes.RULES, "fights": scenes.fights()}


os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # an installed package has its bytecode next to it


def peak() -> float:
    """Megabytes that this process has held at most."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def measure(rulebook: str, recording: str) -> dict[str, float]:
    """Seconds and megabytes for one recording, in this process."""
    from voskar.core.step import replay
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    base = peak()
    start = time.perf_counter()
    played = load_recording(recording, book)
    read = time.perf_counter() - start
    columns = sum(
        column.nbytes if column.strides != (0,) else 0
        for column in vars(played.poses).values()
        if hasattr(column, "nbytes")
    )
    read_peak = peak() - base
    rules = book.rules(played.rate)
    start = time.perf_counter()
    ledger = replay(rules, played)
    seconds = time.perf_counter() - start
    born = {event.id: event.frame for event in ledger.of("spawn")}
    lives = sum(event.frame - born.pop(event.id, event.frame) for event in ledger.of("removed"))
    lives += sum(played.last + 1 - frame for frame in born.values())
    return {
        "frames": played.frames,
        "contacts": sum((event.until or event.frame) - event.frame + 1 for event in ledger.of("contact")),
        "events": len(ledger),
        "alive": lives / max(played.frames, 1),
        "read": read,
        "replay": seconds,
        "columns_mb": columns / 2**20,
        "read_mb": read_peak,
        "peak_mb": peak(),
    }


def readings(rulebook: str, recording: str, tables: str) -> dict[str, float]:
    """Seconds that the JSON library takes to decode a recording by itself, letting each line go or keeping all, and
    that reading it takes, from JSON Lines and from Parquet: the least of several rounds."""
    import msgspec

    from voskar.files.frames import FrameLine
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book, decoder = load_rulebook(rulebook), msgspec.json.Decoder(FrameLine)

    def lines() -> None:
        with Path(recording).open("rb") as file:
            next(file)
            for line in file:
                decoder.decode(line)

    def kept() -> None:
        _, _, text = Path(recording).read_bytes().partition(b"\n")
        decoder.decode_lines(text)

    tasks: dict[str, Callable[[], object]] = {
        "lines": lines,
        "kept": kept,
        "json": lambda: load_recording(recording, book),
        "parquet": lambda: load_recording(tables, book),
    }
    found = dict.fromkeys(tasks, float("inf"))
    for _ in range(7):
        for name, task in tasks.items():
            start = time.perf_counter()
            task()
            found[name] = min(found[name], time.perf_counter() - start)
    return found


def kernel_alone(rulebook: str, recording: str, dump: str) -> dict[str, float]:
    """Moves and touches a scene again with the same births and ends, and times the kernel alone; writes the scene for
    the C loop."""
    import numpy as np

    from voskar.core.ledger.events import SpawnEvent
    from voskar.core.step import Stepper
    from voskar.core.world import Birth, World
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    played = load_recording(recording, book)
    rules = book.rules(played.rate)
    speeds: dict[str, tuple[float, float]] = {}
    stepper = Stepper(rules, played)
    entered = stepper.world.enter

    def enter(birth: Birth, facing: float = 1.0) -> Any:
        speeds[birth.id] = birth.velocity or (0.0, 0.0)
        return entered(birth, facing)

    stepper.world.enter = enter  # type: ignore[method-assign]
    ledger = stepper.run()
    born: dict[int, list[Birth]] = {}
    ends = {event.id: (event.frame, event.detail) for event in ledger.of("removed")}
    shots = []
    for event in ledger.all(SpawnEvent):
        velocity = speeds[event.id]
        birth = Birth(event.id, event.kind, event.x, event.y, event.angle, velocity)
        born.setdefault(event.frame, []).append(birth)
        end, why = ends.get(event.id, (played.last + 1, ""))
        shots.append((event.frame, end + (why == "consumed"), event.x, event.y, *velocity))
    consumed: dict[int, list[str]] = {}
    for name, (frame, why) in ends.items():
        if why == "consumed":
            consumed.setdefault(frame, []).append(name or "")
    world = World(rules, played)
    kernel, touches, seconds = world.kernel, 0, 0.0
    clock = time.perf_counter
    for frame in range(played.first, played.last + 1):
        world.frame = frame
        start = clock()
        kernel.begin(frame)
        seconds += clock() - start
        for _, state, _ in world.left():
            world.discard(state)
        for birth in born.get(frame, ()):
            world.enter(birth)
        start = clock()
        kernel.touch(frame)
        seconds += clock() - start
        touches += world.finder.count
        for name in consumed.get(frame, ()):
            world.discard(world.state(world.rows[name]))
    poses = played.poses
    count = len(played.actors)
    if shots:
        head = [played.frames, count, len(shots), 7, 5, 3]
        where = np.stack([poses.x, poses.y, poses.facing], axis=1).reshape(-1)
        np.concatenate([head, where, np.array(shots).reshape(-1)]).astype(float).tofile(dump)
    else:
        keepers = sum(actor.kind == "keeper" for actor in played.actors)
        where = np.stack([poses.x, poses.y, poses.facing], axis=1).reshape(-1)
        np.concatenate([[played.frames, keepers, count - keepers], where]).astype(float).tofile(dump)
    return {"touches": touches, "seconds": seconds}


def fresh(*arguments: object) -> dict[str, float]:
    """A measurement in a process of its own."""
    done = subprocess.run([sys.executable, str(HERE / "run.py"), *map(str, arguments)], capture_output=True, text=True)
    if done.returncode:
        sys.exit(done.stderr)
    result: dict[str, float] = json.loads(done.stdout)
    return result


def best_of(runs: int, measured: Callable[[], dict[str, float]], key: str) -> dict[str, float]:
    """The quickest of several measurements."""
    return min((measured() for _ in range(runs)), key=lambda row: row[key])


def against_c(folder: Path) -> None:
    """Moving and touching next to the C loop, which has to count the same touches."""
    compiler = shutil.which(os.environ.get("CC", "cc"))
    if compiler is None:
        print("\nno C compiler: nothing to hold the kernel against")
        return
    limit = folder / "limit"
    subprocess.run([compiler, "-O2", "-o", limit, HERE / "limit.c", "-lm"], check=True)
    print("\n| moving and touching | alive | touches | C µs a frame | kernel µs a frame | times C |")
    print("|---|--:|--:|--:|--:|--:|")
    rows = [("swarm", scenes.swarm(alive), 1800 if alive < 1000 else 900) for alive in ALIVE]
    for scene, rules, frames in [*rows, ("crowd", scenes.RULES, 900)]:
        files = scenes.write(folder, scene, frames, rules)
        dump = folder / "scene"
        found = best_of(3, lambda files=files, dump=dump: fresh("kernel", *files, dump), "seconds")  # type: ignore[misc]
        runs = [subprocess.run([limit, scene, dump], capture_output=True, text=True, check=True) for _ in range(3)]
        touches, seconds = min((run.stdout.split() for run in runs), key=lambda pair: float(pair[1]))
        if int(touches) != found["touches"]:
            sys.exit(f"{scene}: the C loop counts {touches} touches, the kernel {found['touches']}")
        alive = fresh("replay", *files)["alive"] if scene == "swarm" else 500
        c, own = float(seconds) / frames * 1e6, found["seconds"] / frames * 1e6
        print(f"| {scene} | {alive:,.0f} | {int(touches):,} | {c:.1f} | {own:.1f} | {own / c:.1f} |", flush=True)
        if frames == 900 and scene == "swarm":  # as many alive, with all that Python does
            files = scenes.write(folder, scene, frames, scenes.BUSY)
            row = best_of(3, lambda files=files: fresh("replay", *files), "replay")  # type: ignore[misc]
            own = row["replay"] / frames * 1e6
            text = f"{row['alive']:,.0f} | {row['contacts']:,.0f} | {c:.1f} | {own:.1f} | {own / c:.1f} |"
            print(f"| swarm, busy, everything | {text}", flush=True)


def scenes_table(folder: Path) -> None:
    """Everything from files to ledger, at a quarter, half and all of the frames."""
    print("\n| scene | frames | contacts | read s | replay s | frames/s | columns MB | peak MB |")
    print("|---|--:|--:|--:|--:|--:|--:|--:|")
    table = [
        ("duel", scenes.RULES, {}),
        ("skirmish", scenes.RULES, {}),
        ("crowd", scenes.RULES, {}),
        ("crowd, mixed shapes, swept", scenes.MIXED, {}),
        ("swarm of 2,000", scenes.swarm(2000), {}),
        ("swarm, busy", scenes.BUSY, {}),
        ("room", scenes.room(), {}),
        ("raw", scenes.RAW, {"reactions": "raw"}),
        ("raw, baked", scenes.RAW, {"reactions": "baked"}),
    ]
    files_of = {"swarm of 2,000": "swarm", "swarm, busy": "swarm", "room": "empty", "raw": "duel", "raw, baked": "duel"}
    for name, rules, header in table:
        scene = files_of.get(name, name.split(",")[0])
        full = 36_000 if name.startswith("raw") else scenes.SCENES[scene][-1]
        rows = []
        for share in SHARES:
            files = scenes.write(folder, scene, int(full * share), rules, **header)
            row = fresh("replay", *files)
            rows.append(row)
            pace = row["frames"] / row["replay"]
            print(
                f"| {name} | {row['frames']:,} | {row['contacts']:,} | {row['read']:.2f} "
                f"| {row['replay']:.2f} | {pace:,.0f} "
                f"| {row['columns_mb']:.0f} | {row['peak_mb']:.0f} |",
                flush=True,
            )
        growth = {part: rows[-1][part] / rows[0][part] for part in ("read", "replay")}
        text = ", ".join(f"{part} {value:.1f}" for part, value in growth.items())
        print(f"| {name}: all to a quarter | 4.0 | {text} | | | | | |")


def fights_table(folder: Path) -> None:
    """Scenes with rules of fights on everyone, next to the same scenes without."""
    print("\n| rules of fights on everyone | without, replay s | with, replay s | times without |")
    print("|---|--:|--:|--:|")
    for scene, frames in (("duel", 30_000), ("crowd", 900), ("skirmish", 9_000)):
        files = {rules: scenes.write(folder / rules, scene, frames, text) for rules, text in FIGHTS.items()}
        found = {rules: best_of(5, lambda its=its: fresh("replay", *its), "replay") for rules, its in files.items()}  # type: ignore[misc]
        plain, own = (found[rules]["replay"] for rules in FIGHTS)
        print(f"| {scene} | {plain:.3f} | {own:.3f} | {own / plain:.2f} |", flush=True)


def reading_table(folder: Path) -> None:
    """Reading next to what the JSON library takes alone."""
    voskar = str(Path(sys.executable).with_name("voskar"))
    print(
        "\n| reading | MB | decoded by line s | at once s | JSON Lines s | times by line | Parquet s | times as fast |"
    )
    print("|---|--:|--:|--:|--:|--:|--:|--:|")
    for scene, frames in (("duel", 108_000), ("skirmish", 36_000), ("crowd", 1_800)):
        rules, recording = scenes.write(folder, scene, frames)
        tables = folder / f"{scene}-tables"
        subprocess.run([voskar, "convert", recording, tables], check=True, capture_output=True)
        row = fresh("read", rules, recording, tables)
        print(
            f"| {scene} | {recording.stat().st_size / 2**20:.0f} | {row['lines']:.3f} | {row['kept']:.3f} "
            f"| {row['json']:.3f} | {row['json'] / row['lines']:.1f} | {row['parquet']:.3f} "
            f"| {row['json'] / row['parquet']:.1f} |",
            flush=True,
        )


def whole_process(folder: Path) -> None:
    """The command on the demo's meadow, next to importing NumPy and Click."""
    voskar = str(Path(sys.executable).with_name("voskar"))
    demo = folder / "demo"
    subprocess.run([voskar, "demo", str(demo)], capture_output=True, check=True)

    def median(command: list[str]) -> float:
        times = []
        for _ in range(9):
            start = time.perf_counter()
            subprocess.run(command, capture_output=True, check=True, cwd=demo)
            times.append(time.perf_counter() - start)
        return statistics.median(times)

    print("\n| whole process | s | times importing NumPy and Click |")
    print("|---|--:|--:|")
    bare = median([sys.executable, "-c", "import numpy, click"])
    print(f"| importing NumPy and Click | {bare:.3f} | 1.0 |", flush=True)
    for name, command in (
        ("voskar --help", [voskar, "--help"]),
        ("voskar schema rulebook", [voskar, "schema", "rulebook"]),
        ("voskar moves", [voskar, "moves", "apiary.toml"]),
        ("voskar layers", [voskar, "layers", "apiary.toml"]),
        ("voskar replay of the meadow", [voskar, "replay", "apiary.toml", "meadow.jsonl"]),
        ("voskar replay of the swarm", [voskar, "replay", "swarm.toml", "swarm.jsonl"]),
    ):
        seconds = median(command)
        print(f"| {name} | {seconds:.3f} | {seconds / bare:.1f} |", flush=True)


def suites() -> None:
    """A suite of 200 recordings of 3,600 frames with 6 actors: one worker, two, and a run for each recording."""
    with tempfile.TemporaryDirectory() as folder:
        scenes.write_suite(Path(folder), RECORDINGS, scenes.SCENES["match"][-1])
        voskar = str(Path(sys.executable).with_name("voskar"))

        def seconds(command: str, *arguments: str) -> float:
            start = time.perf_counter()
            subprocess.run([voskar, command, *arguments], cwd=folder, capture_output=True, check=True)
            return time.perf_counter() - start

        # some runs stand for all: each takes as long as another
        single = sum(seconds("check", "rules.toml", f"match-{n:03}.jsonl") for n in range(SINGLE)) / SINGLE * RECORDINGS
        print("\n| suite of 200 recordings | s | recordings/s | of the sum of single runs |")
        print("|---|--:|--:|--:|")
        for name, time_taken in (
            ("each in a run of its own", single),
            ("1 worker", seconds("suite", "--fresh", "--workers", "1")),
            ("2 workers", seconds("suite", "--fresh", "--workers", "2")),
        ):
            share = time_taken / single
            print(f"| {name} | {time_taken:.1f} | {RECORDINGS / time_taken:.1f} | {share:.2f} |", flush=True)


def clusters(recordings: int = OFTEN) -> None:
    """A big suite on processes of this machine, and on workers of a scheduler next to them, recordings shipped."""
    from distributed import LocalCluster

    with tempfile.TemporaryDirectory() as folder:
        scenes.write_suite(Path(folder), recordings, scenes.SCENES["match"][-1])
        voskar = str(Path(sys.executable).with_name("voskar"))
        print(f"\n| suite of {recordings:,} recordings | s | recordings/s |")
        print("|---|--:|--:|")

        def report(name: str, *arguments: str) -> None:
            command = [voskar, "suite", "--fresh", "--brief", *arguments]
            start = time.perf_counter()
            subprocess.run(command, cwd=folder, capture_output=True, check=True)
            seconds = time.perf_counter() - start
            print(f"| {name} | {seconds:.1f} | {recordings / seconds:.1f} |", flush=True)

        for workers in (1, 2):
            report(f"{workers} of this machine", "--workers", str(workers))
            with LocalCluster(
                n_workers=workers, threads_per_worker=1, dashboard_address=None, host="127.0.0.1"
            ) as value:
                report(f"{workers} of a cluster", "--cluster", value.scheduler_address)


def check_shots(shots: str, rulebook: str, recording: str) -> dict[str, float]:
    """Checking logged shots and their claims, next to replaying them."""
    from voskar.core.step import replay
    from voskar.explaining.weighing import weigh
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    played = load_recording(recording, book)
    rules = book.rules(played.rate)
    alone = check = math.inf
    for _ in range(3):
        start = time.perf_counter()
        replay(rules, played)
        alone = min(alone, time.perf_counter() - start)
        start = time.perf_counter()
        weighed = weigh(rules, played)
        check = min(check, time.perf_counter() - start)
    return {"shots": int(shots), "replay": alone, "check": check, "ok": weighed.ok}


def checks(folder: Path) -> None:
    """Logged shots with claims, at a quarter, half and all of 10,000."""
    print("\n| logged shots with claims | replay s | check s | times replay |")
    print("|---|--:|--:|--:|")
    for shots in (2_500, 5_000, 10_000):
        row = fresh("check", shots, *scenes.write_shots(folder, shots))
        text = f"{row['replay']:.2f} | {row['check']:.2f} | {row['check'] / row['replay']:.1f}"
        print(f"| {shots:,} | {text} |", flush=True)


def copying(rulebook: str, recording: str) -> dict[str, float]:
    """A copy of a replay in the middle of a scene: seconds, megabytes, and what a frame of it takes."""
    import tracemalloc

    from voskar.core.step import Stepper
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    played = load_recording(recording, book)
    stepper = Stepper(book.rules(played.rate), played)
    start = time.perf_counter()
    stepper.run_to(played.first + played.frames // 2)
    frame = (time.perf_counter() - start) / (played.frames // 2)
    seconds = math.inf
    for _ in range(9):
        start = time.perf_counter()
        copy = stepper.copy()
        seconds = min(seconds, time.perf_counter() - start)
    del copy
    tracemalloc.start()
    copy = stepper.copy()
    size = tracemalloc.get_traced_memory()[0] / 2**20
    return {"actors": len(copy.world.actors), "seconds": seconds, "mb": size, "frame": frame}


def copies(folder: Path) -> None:
    """What a copy of a replay costs: resync makes one in thousands of frames."""
    print("\n| copy of a replay | actors | ms | MB | of a frame |\n|---|--:|--:|--:|--:|")
    for name, scene, rules in (
        ("room", "empty", scenes.room()),
        ("crowd", "crowd", scenes.RULES),
        ("swarm of 2,000", "swarm", scenes.swarm(2000)),
    ):
        row = fresh("copy", *scenes.write(folder, scene, 900, rules))
        text = f"{row['seconds'] * 1e3:.1f} | {row['mb']:.1f} | {row['seconds'] / row['frame']:.0f}"
        print(f"| {name} | {row['actors']:.0f} | {text} |", flush=True)


def hours(folder: Path) -> None:
    """An hour of play with its claims, and the same with one and with sixty that the rules deny."""
    print("\n| an hour of play | check s | times without any |\n|---|--:|--:|")
    rulebook, recording = scenes.write(folder, "duel", 216_000)
    scenes.claim(rulebook, recording, denied=0)
    alone = best_of(3, lambda: fresh("check", 0, rulebook, recording), "check")["check"]
    print(f"| its claims agree | {alone:.2f} | 1.00 |", flush=True)
    for denied in (1, 60):
        scenes.claim(rulebook, recording, denied=denied)
        row = best_of(3, lambda: fresh("check", 0, rulebook, recording), "check")
        print(f"| {denied} denied | {row['check']:.2f} | {row['check'] / alone:.2f} |", flush=True)


def main() -> None:
    """Prints Markdown tables."""
    tasks = {"replay": measure, "kernel": kernel_alone, "check": check_shots, "read": readings, "copy": copying}
    if sys.argv[1:2] and sys.argv[1] in tasks:
        from voskar.commands.main import COLLECT_AFTER

        gc.set_threshold(COLLECT_AFTER)  # as the command looks for garbage
        print(json.dumps(tasks[sys.argv[1]](*sys.argv[2:])))  # type: ignore[operator]
        return
    from voskar.core.kernel.build import is_compiled

    kernel = "compiled" if is_compiled() else "uncompiled"
    print(f"Python {platform.python_version()}, {platform.machine()}, {platform.system()}, kernel {kernel}")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if is_compiled():
            against_c(folder)
        scenes_table(folder)
        fights_table(folder)
        reading_table(folder)
        checks(folder)
        copies(folder)
        hours(folder)
        whole_process(folder)
    suites()
    clusters()


if __name__ == "__main__":
    main()
