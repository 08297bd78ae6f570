"""`make bench`: time to read, to find touches and to judge, and how it grows with the recording.

Every measurement runs in a fresh process, so that peak memory is its own.
"""

from __future__ import annotations

import json
import platform
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import scenes

SHARES = (0.25, 0.5, 1.0)


def measure(rulebook: str, recording: str) -> dict[str, float]:
    """Seconds and megabytes for one recording, in this process."""
    from voskar.core.placing import Wardrobe
    from voskar.core.touching import find_touches

    from voskar.core import replay as core
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    def peak() -> float:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024

    book = load_rulebook(rulebook)
    base = peak()
    start = time.perf_counter()
    played = load_recording(recording, book)
    read = time.perf_counter() - start
    read_peak = peak() - base
    columns = sum(
        column.nbytes if column.strides != (0,) else 0
        for column in vars(played.poses).values()
        if hasattr(column, "nbytes")
    )
    rules = book.rules(played.rate)
    start = time.perf_counter()
    wardrobe = Wardrobe(rules)
    cast = core.cast_of(played, wardrobe)
    touches = 0
    stop = played.first
    while stop <= played.last:
        first, stop = stop, core.block_end(played, stop, core.BLOCK)
        _, poses, lead = core.with_lead(played, first, stop)
        touches += len(find_touches(poses, cast, wardrobe, lead))
    touching = time.perf_counter() - start
    start = time.perf_counter()
    ledger = core.replay(rules, played)
    whole = time.perf_counter() - start
    return {
        "frames": played.frames,
        "touches": touches,
        "events": len(ledger),
        "read": read,
        "touch": touching,
        "judge": whole - touching,
        "read_mb": read_peak,
        "columns_mb": columns / 2**20,
        "peak_mb": peak(),
    }


def mixed() -> str:
    """What the crowd's touches cost when its shapes are mixed and swept, against rectangles only."""
    times = []
    for rules in (scenes.RECTANGLES, scenes.MIXED):
        with tempfile.TemporaryDirectory() as folder:
            files = scenes.write(Path(folder), "crowd", scenes.SCENES["crowd"][-1] // 4, rules)
            done = subprocess.run(
                [sys.executable, __file__, *map(str, files)], capture_output=True, text=True, check=True
            )
            times.append(json.loads(done.stdout)["touch"])
    return f"{times[1] / times[0]:.1f} times as long"


def measure_swarm(rulebook: str, recording: str) -> dict[str, float]:
    """How many shots are alive on average, and the seconds of a replay, in this process."""
    from voskar.core.step import replay
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    played = load_recording(recording, book)
    rules = book.rules(played.rate)
    start = time.perf_counter()
    ledger = replay(rules, played)
    seconds = time.perf_counter() - start
    born = {event.id: event.frame for event in ledger.of("spawn")}
    lives = sum(event.frame - born.pop(event.id) for event in ledger.of("removed"))
    lives += sum(played.last + 1 - frame for frame in born.values())
    counts = {"frames": played.frames, "alive": lives / played.frames, "hits": len(ledger.landings())}
    return counts | {"seconds": seconds, "peak_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024}


def swarms() -> None:
    """A swarm of driven shots against 50 targets: what a replay costs by how many are alive."""
    print("\n| shots alive | frames | hits | replay s | frames/s | µs a shot and frame | peak MB |")
    print("|--:|--:|--:|--:|--:|--:|--:|")
    frames = scenes.SCENES["swarm"][-1]
    for alive in (110, 540, 2160):  # some are always used up in hits
        with tempfile.TemporaryDirectory() as folder:
            files = scenes.write(Path(folder), "swarm", frames, scenes.swarm(alive))
            command = [sys.executable, __file__, "swarm", *map(str, files)]
            row = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        cost = row["seconds"] / row["frames"]
        print(
            f"| {row['alive']:,.0f} | {row['frames']:,} | {row['hits']:,} | {row['seconds']:.1f} | {1 / cost:,.0f} "
            f"| {cost / row['alive'] * 1e6:.2f} | {row['peak_mb']:.0f} |",
            flush=True,
        )


RECORDINGS, SINGLE = 200, 10


def suites() -> None:
    """A suite of 200 recordings of 3,600 frames with 6 actors: one worker, two, and a run for each recording."""
    with tempfile.TemporaryDirectory() as folder:
        scenes.write_suite(Path(folder), RECORDINGS, scenes.SCENES["match"][-1])
        voskar = str(Path(sys.executable).with_name("voskar"))

        def seconds(*arguments: str) -> float:
            start = time.perf_counter()
            subprocess.run([voskar, "check", *arguments], cwd=folder, capture_output=True, check=True)
            return time.perf_counter() - start

        # some runs stand for all: each takes as long as another
        single = sum(seconds("rules.toml", f"match-{n:03}.jsonl") for n in range(SINGLE)) / SINGLE * RECORDINGS
        print("\n| suite of 200 recordings | s | recordings/s | of the sum of single runs |")
        print("|---|--:|--:|--:|")
        for name, time_taken in (
            ("each in a run of its own", single),
            ("1 worker", seconds("--workers", "1")),
            ("2 workers", seconds("--workers", "2")),
        ):
            share = time_taken / single
            print(f"| {name} | {time_taken:.1f} | {RECORDINGS / time_taken:.1f} | {share:.2f} |", flush=True)


def all_pairs() -> str:
    """How much slower the crowd's touches are when every pair of a frame is tried instead of the grid."""
    code = "from voskar.core import candidates; candidates.FEW = 1 << 40; import run; run.main()"
    with tempfile.TemporaryDirectory() as folder:
        files = scenes.write(Path(folder), "crowd", scenes.SCENES["crowd"][-1] // 4)
        times = []
        for command in ([__file__], ["-c", code]):
            done = subprocess.run(
                [sys.executable, *command, *map(str, files)],
                capture_output=True,
                text=True,
                check=True,
                cwd=Path(__file__).parent,
            )
            times.append(json.loads(done.stdout)["touch"])
    return f"{times[1] / times[0]:.1f} times as long"


def start_up(python: str) -> tuple[float, float]:
    """Seconds for `voskar --help`, and for a bare interpreter: the best of several."""
    command = [str(Path(python).with_name("voskar")), "--help"]
    return best(command), best([python, "-c", "pass"])


def best(command: list[str]) -> float:
    """Seconds of the fastest of seven runs."""
    times = []
    for _ in range(7):
        start = time.perf_counter()
        subprocess.run(command, capture_output=True, check=True)
        times.append(time.perf_counter() - start)
    return min(times)


def main() -> None:
    """Prints Markdown tables."""
    if sys.argv[1:2] == ["swarm"]:
        print(json.dumps(measure_swarm(*sys.argv[2:])))
        return
    if len(sys.argv) == 3:
        print(json.dumps(measure(*sys.argv[1:])))
        return
    print(f"Python {platform.python_version()}, {platform.machine()}, {platform.system()}\n")
    print("| scene | frames | touches | read s | touch s | judge s | frames/s | reading MB | columns MB | peak MB |")
    print("|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|")
    with tempfile.TemporaryDirectory() as folder:
        for scene, (*_, full) in scenes.SCENES.items():
            if scene in ("swarm", "match"):
                continue  # they have tables of their own
            rows = []
            for share in SHARES:
                files = scenes.write(Path(folder), scene, int(full * share))
                done = subprocess.run([sys.executable, __file__, *map(str, files)], capture_output=True, text=True)
                if done.returncode:
                    sys.exit(done.stderr)
                row = json.loads(done.stdout)
                rows.append(row)
                pace = row["frames"] / (row["touch"] + row["judge"])
                times = " | ".join(f"{row[part]:.2f}" for part in ("read", "touch", "judge"))
                sizes = " | ".join(f"{row[part]:.0f}" for part in ("read_mb", "columns_mb", "peak_mb"))
                counts = f"{row['frames']:,} | {row['touches']:,}"
                print(f"| {scene} | {counts} | {times} | {pace:,.0f} | {sizes} |", flush=True)
            quarter, whole = rows[0], rows[-1]
            growth = {part: whole[part] / quarter[part] for part in ("read", "touch", "judge")}
            told = ", ".join(f"{part} {value:.1f}" for part, value in growth.items())
            print(f"| {scene}: full to quarter | 4.0 | {told} | | | | | | | |")
    swarms()
    suites()
    help_time, bare = start_up(sys.executable)
    print("\nThe crowd's touches at a quarter, capsules, polygons, pixels and sweeps against rectangles: " + mixed())
    print("\nThe crowd's touches at a quarter, all pairs of a frame tried: " + all_pairs())
    print(f"\n`voskar --help`: {help_time:.3f} s, {help_time / bare:.1f} times a bare interpreter")


if __name__ == "__main__":
    main()
