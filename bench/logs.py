"""`make bench`: what it costs to read, replay and check the logs that games write, by what is in them.

CPU time, the least of three runs, each table in a process of its own; ratios within a run hold on any machine.
"""

from __future__ import annotations

import gc
import gzip
import json
import math
import os
import random
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

import scenes

HERE = Path(__file__).parent
ACTORS, FRAMES, RATE = 20, 1500, 60

PLACES = """
voskar = 2
[layers]
names = ["hive"]
[kinds.waxling]
health = 1e6
lives = 3
[kinds.waxling.boxes.belly]
role = "hurtbox"
rect = [14, 10]
layer = ["hive"]
[kinds.waxling.boxes.sting]
role = "hitbox"
attack = "sting"
rect = [8, 8]
at = [9, 0]
mask = ["hive"]
[attacks.sting]
damage = 1
rehit = "1f"
"""
"""Twenty waxlings, each of which could sting any other."""

Pose = dict[str, Any]
Frame = dict[str, Any]


def places(frames: int = FRAMES, apart: float = 60.0) -> Iterator[Frame]:
    """Everyone circles in a place of its own, out of everybody's reach, or in pairs within it."""
    draw = random.Random(1)
    ways = [(draw.uniform(5, 15), draw.uniform(30, 90), draw.random() * 6) for _ in range(ACTORS)]
    if apart < 60.0:
        ways = [ways[n // 2] for n in range(ACTORS)]
    for frame in range(frames):
        poses = []
        for n, (reach, pace, phase) in enumerate(ways):
            angle = frame / pace + phase
            x, y = 60.0 * (n // 2) + reach * math.cos(angle), apart * (n % 2) + reach * math.sin(angle)
            poses.append({"id": f"waxling-{n}", "kind": "waxling", "x": round(x, 2), "y": round(y, 2)})
        yield {"frame": frame, "poses": poses}


def each_pose(**fields: Any) -> Callable[[Frame], None]:
    """Adds the same to each pose; a value that is called is given frame and pose."""

    def add(frame: Frame) -> None:
        for pose in frame["poses"]:
            pose |= {key: value(frame, pose) if callable(value) else value for key, value in fields.items()}

    return add


def corners(pose: Pose, size: tuple[float, float], at: tuple[float, float]) -> list[float]:
    """A box as a game logs it."""
    x, y = pose["x"] + at[0], pose["y"] + at[1]
    return [round(item, 2) for item in (x - size[0] / 2, y - size[1] / 2, x + size[0] / 2, y + size[1] / 2)]


def boxes(*names: str) -> Callable[[Frame], None]:
    """Where the game has its boxes."""
    known = {"belly": ((14.0, 10.0), (0.0, 0.0)), "sting": ((8.0, 8.0), (9.0, 0.0))}
    return each_pose(boxes=lambda frame, pose: {name: corners(pose, *known[name]) for name in names})


def own_key(frame: Frame) -> None:
    """A key of the game's own that no frame had before, in each of its poses."""
    for pose in frame["poses"]:
        pose[f"_{frame['frame']}"] = 1


def inputs(frame: Frame) -> None:
    """Everybody holds a button and aims."""
    frame["inputs"] = [
        {"id": pose["id"], "button": "fire", "down": True, "aim": [pose["x"], 10]} for pose in frame["poses"]
    ]


def display(count: int) -> Callable[[Frame], None]:
    """What the display shows of some."""

    def add(frame: Frame) -> None:
        frame["display"] = [{"id": f"waxling-{n}", "health": 1000000, "lives": 3} for n in range(count)]

    return add


def spawns(frame: Frame) -> None:
    """One is born in each frame."""
    frame["claims"] = [{"event": "spawn", "id": "waxling-0", "x": 1.5, "y": 2.5}]


def hits(frame: Frame) -> None:
    """Everyone stings its neighbour, which stings back."""
    frame["claims"] = [
        {"event": "hit", "attacker": f"waxling-{n}", "target": f"waxling-{n ^ 1}", "attack": "sting", "damage": 1}
        for n in range(ACTORS)
    ]


def still(frame: Frame) -> None:
    """Nothing more."""


FIELDS: dict[str, tuple[Callable[[Frame], None], float]] = {
    "places only": (still, 60.0),
    "health, lives, immune": (each_pose(health=1000000, lives=3, immune=False), 60.0),
    "`push` on all": (each_pose(push=[0.0, 0.0]), 60.0),
    "a logged box": (boxes("belly"), 60.0),
    "two logged boxes": (boxes("belly", "sting"), 60.0),
    "an own key that is new in each frame": (own_key, 60.0),
    "inputs with aim by all": (inputs, 60.0),
    "display of one": (display(1), 60.0),
    "display of all": (display(ACTORS), 60.0),
    "claims: a spawn": (spawns, 60.0),
    "claims: hits by all": (hits, 6.0),
}
"""What is reported next to places, and how far neighbours are apart."""


SESSION = """
voskar = 2
[layers]
names = ["hive", "keeper"]
[kinds.keeper]
side = "keeper"
health = 5
iframes = "30f"
respawn = { after = "40f", at = "start", iframes = "20f" }
down = { lasts = "30f" }
[kinds.keeper.boxes.torso]
role = "hurtbox"
rect = [16, 30]
layer = ["keeper"]
[kinds.keeper.emitters.smoker]
spawn = "puff"
when = { every = "15f", first = "5f" }
aim = "facing"
speed = 240
muzzle = [8, 0]
[kinds.hornet]
side = "hive"
health = 3
respawn = { after = "50f", at = "start" }
down = { lasts = "20f" }
[kinds.hornet.boxes.belly]
role = "hurtbox"
rect = [14, 10]
layer = ["hive"]
[kinds.hornet.boxes.sting]
role = "hitbox"
attack = "sting"
rect = [10, 10]
mask = ["keeper"]
[kinds.puff.motion]
life = "45f"
[kinds.puff.boxes.core]
role = "hitbox"
attack = "puff"
circle = 3
mask = ["hive"]
[attacks.sting]
damage = 1
[attacks.puff]
damage = 1
attacker.remove = true
"""
"""Sixteen who come back after each death, and four smokers whose puffs use their ids again."""


def session(frames: int) -> tuple[dict[str, Any], list[Frame]]:
    """What a right game logs of it: poses with health, states and velocities, all events, eight ids a smoker."""
    from voskar.core.views.perfect import perfect_log
    from voskar.files.recording import read_recording
    from voskar.files.rulebook import parse_rulebook

    book, draw = parse_rulebook(SESSION, "session.toml"), random.Random(3)
    names = [(f"{kind}-{n}", kind) for kind, count in (("keeper", 4), ("hornet", 12)) for n in range(count)]
    ways = [[draw.uniform(*span) for span in ((0, 600), (0, 300), (20, 90), (30, 90), (0, 6))] for _ in names]
    lines = [json.dumps({"voskar": "recording", "version": 2, "rate": RATE, "reactions": "raw"}).encode()]
    for frame in range(frames):
        poses = []
        for (name, kind), (x, y, reach, pace, phase) in zip(names, ways, strict=True):
            angle = frame / pace + phase
            place = round(x + reach * math.cos(angle), 2), round(y + reach * math.sin(angle), 2)
            poses.append(
                {"id": name, "kind": kind, "x": place[0], "y": place[1], "facing": 1 if math.sin(angle) < 0 else -1}
            )
        lines.append(json.dumps({"frame": frame, "poses": poses}).encode())
    played = read_recording(lines, "session", book)
    header, entries = perfect_log(book.rules(played.rate), played)
    use_again(entries)
    return header, entries


def use_again(frames: list[Frame]) -> None:
    """Gives shots ids of a pool, of which each is free two frames after its last one was gone."""
    last = {pose["id"]: at for at, frame in enumerate(frames) for pose in frame["poses"]}
    free: dict[str, list[tuple[int, str]]] = {}
    names: dict[str, str] = {}
    for at, frame in enumerate(frames):
        for pose in frame["poses"]:
            name = pose["id"]
            if "." in name and name not in names:
                pool = free.setdefault(pose["owner"], [])
                again = pool.pop(0)[1] if pool and pool[0][0] + 2 <= at else f"{pose['owner']}.puff-{len(names)}"
                names[name] = again
                pool.append((last[name], again))
                pool.sort()
        for entry in (*frame["poses"], *frame.get("claims", ())):
            for key in {"id", "attacker"} & entry.keys():
                entry[key] = names.get(entry[key], entry[key])


def sessions(folder: Path, most: int = 18_000) -> None:
    """The table of sessions, each twice as long as the one before."""
    print("\n| a session with ids used again, frames | load s | replay s | check s | findings |\n|---|--:|--:|--:|--:|")
    (folder / "session.toml").write_text(SESSION)
    rows = []
    for frames in (most // 4, most // 2, most):
        header, entries = session(frames)
        path = write(folder / "session.jsonl", iter(entries), header=header)
        row = fresh("costs", folder / "session.toml", path)
        rows.append(row)
        print(
            f"| {frames:,} | {row['load']:.2f} | {row['replay']:.2f} | {row['check']:.2f} | {row['findings']:.0f} |",
            flush=True,
        )
    _exponents(rows, "frames")


LENGTHS = (5, 20, 120)
"""Minutes."""
RUN = 6000
"""Frames of a run of a long session, of which the next one is the same."""


def long_session(minutes: float) -> tuple[dict[str, Any], Iterator[Frame]]:
    """Runs one after the other, each begun by a mark, with what the display shows of the keepers."""
    header, entries = session(RUN)
    for frame in entries:
        frame["display"] = [
            {"id": pose["id"], "health": pose["health"]} for pose in frame["poses"] if pose["kind"] == "keeper"
        ]

    def frames() -> Iterator[Frame]:
        for number in range(round(minutes * 60 * RATE)):
            mark = {"reset": "run"} if number and number % RUN == 0 else {}
            yield entries[number % RUN] | {"frame": number} | mark

    return header, frames()


def command(*arguments: object) -> float:
    """CPU seconds of a run of the command line."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([Path(sys.executable).with_name("voskar"), *map(str, arguments)], stdout=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def lengths(folder: Path) -> None:
    """Twenty minutes and two hours of twenty actors, with all that a game may state of them."""
    print("\n| length | MB | decode s | load, times decoding | replay | check | page | draft | tune | peak MB |")
    print("|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|")
    rulebook = folder / "session.toml"
    rulebook.write_text(SESSION)
    rows = []
    for minutes in LENGTHS:
        header, frames = long_session(minutes)
        path = write(folder / "long.jsonl", frames, header=header)
        row = fresh("costs", rulebook, path)
        rows.append(row)
        once = row["decode"]
        cells = [f"{row[key] / once:.1f}" for key in ("load", "replay", "check")]
        page, made = folder / "page.html", folder / "draft.toml"
        commands = (
            ("page", rulebook, path, "--out", page),
            ("draft", path, "--out", made, "--overwrite"),
            ("tune", rulebook, path, "--vary", "kinds.keeper.iframes=25f..34f/1"),
        )
        cells += [f"{command(*entry) / once:.1f}" if minutes <= 20 else "" for entry in commands]
        size = path.stat().st_size / 1e6
        print(f"| {minutes} min | {size:.0f} | {once:.2f} | {' | '.join(cells)} | {row['peak_mb']:.0f} |", flush=True)
    _exponents(rows, "frames")


def of_others(folder: Path) -> None:
    """Recordings of real games, by path: each `NAME.jsonl` or `NAME.jsonl.gz` of the folder `VOSKAR_RECORDINGS` with
    the rulebooks whose names begin with NAME."""
    place = os.environ.get("VOSKAR_RECORDINGS")
    if place is None:
        return
    print("\n| a recorded game | frames | poses | decode s | load, times | replay s | check s | findings |")
    print("|---|--:|--:|--:|--:|--:|--:|--:|")
    for path in sorted([*Path(place).glob("*.jsonl"), *Path(place).glob("*.jsonl.gz")]):
        plain = folder / "plain.jsonl"
        plain.write_bytes(gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes())
        for rulebook in sorted(Path(place).glob(f"{path.name.split('.')[0]}*.toml")):
            row = fresh("costs", rulebook, plain)
            print(
                f"| {rulebook.stem} | {row['frames']:,.0f} | {row['poses']:,.0f} | {row['decode']:.2f} "
                f"| {row['load'] / row['decode']:.1f} | {row['replay']:.2f} | {row['check']:.2f} "
                f"| {row['findings']:.0f} |",
                flush=True,
            )


def _exponents(rows: Sequence[dict[str, float]], size: str) -> None:
    """How loading, replay and check grow with a size."""
    exponents([row[size] for row in rows], **{key: [row[key] for row in rows] for key in ("load", "replay", "check")})


def write(
    path: Path, frames: Iterator[Frame], add: Callable[[Frame], None] = still, header: dict[str, Any] | None = None
) -> Path:
    """A recording of some frames."""
    with path.open("w") as file:
        file.write(json.dumps(header or {"voskar": "recording", "version": 2, "rate": RATE}) + "\n")
        for frame in frames:
            add(frame)
            file.write(json.dumps(frame, separators=(",", ":")) + "\n")
    return path


def least(task: Callable[[], object], runs: int = 3) -> float:
    """CPU seconds."""
    found = math.inf
    for _ in range(runs):
        gc.collect()
        start = time.process_time()
        task()
        found = min(found, time.process_time() - start)
    return found


def decoding(path: Path) -> None:
    """Typed decoding of the lines, one by one, and nothing else."""
    import msgspec

    from voskar.files.frames import FrameLine

    line_of = FrameLine
    if b'"_' in path.read_bytes()[:20000]:  # keys of its own are passed over
        fields = [
            (field.name, field.type, field.default) for field in msgspec.structs.fields(FrameLine) if not field.required
        ]
        pose_type = msgspec.defstruct("Pose", [("id", str), ("kind", str), ("x", float), ("y", float)], gc=False)
        fields = [(n, list[pose_type] if n == "poses" else t, d) for n, t, d in fields]  # type: ignore[valid-type]
        line_of = msgspec.defstruct("Frame", [("frame", int), *fields], gc=False)  # type: ignore[assignment]
    decoder = msgspec.json.Decoder(line_of)
    with path.open("rb") as file:
        next(file)
        for line in file:
            decoder.decode(line)


def costs(rulebook: str, recording: str) -> dict[str, float]:
    """Seconds for decoding, reading, replaying and checking a recording, and how much is in it."""
    from voskar.core.step import replay
    from voskar.explaining.weighing import weigh
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    path = Path(recording)
    book = load_rulebook(rulebook)
    found: dict[str, float] = {"decode": least(lambda: decoding(path)) if path.is_file() else math.nan}
    found["load"] = least(lambda: load_recording(recording, book))
    found["load_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    played = load_recording(recording, book)
    rules = book.rules(played.rate)
    found["replay"] = least(lambda: replay(rules, played))
    found["check"] = least(lambda: weigh(rules, played), 2)
    found["findings"] = len(weigh(rules, played).verdict.findings)
    found["peak_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return found | {"poses": len(played.poses), "frames": played.frames, "claims": len(played.claims)}


def exponents(sizes: Sequence[float], **series: Sequence[float]) -> None:
    """By which power of its size each series of times grows, from the ends of the series: 1 is linear."""
    spread = math.log(sizes[-1] / sizes[0])
    text = ", ".join(f"{name} {math.log(values[-1] / values[0]) / spread:.2f}" for name, values in series.items())
    print(f"\nExponents: {text}.", flush=True)


def fresh(task: str, *arguments: object) -> dict[str, float]:
    """What a task measures, in a process of its own."""
    command = [sys.executable, __file__, task, *map(str, arguments)]
    done = subprocess.run(command, stdout=subprocess.PIPE, check=True, text=True)
    found: dict[str, float] = json.loads(done.stdout)
    return found


def by_field(folder: Path) -> None:
    """The table by what a log holds."""
    rulebook = folder / "places.toml"
    rulebook.write_text(PLACES)
    heads = ("decode", "load", "times", "Parquet, times as fast", "replay", "check", "times", "findings")
    print(f"\n| what a log holds, ns a pose | {' | '.join(heads)} |")
    print("|---|--:|--:|--:|--:|--:|--:|--:|--:|")
    for name, (add, apart) in FIELDS.items():
        path = write(folder / "fields.jsonl", places(apart=apart), add)
        row = fresh("costs", rulebook, path)
        decode, load, alone, check = (row[key] / row["poses"] * 1e9 for key in ("decode", "load", "replay", "check"))
        tables = folder / "tables"
        command("convert", path, tables)
        faster = row["load"] / fresh("costs", rulebook, tables)["load"]
        shutil.rmtree(tables)
        text = f"{decode:,.0f} | {load:,.0f} | {load / decode:.1f} | {faster:.1f} | {alone:,.0f} | {check:,.0f}"
        print(f"| {name} | {text} | {check / alone:.1f} | {row['findings']:.0f} |", flush=True)


def hit_counts(folder: Path) -> None:
    """Agreed hits, four times as many each time."""
    rulebook = folder / "places.toml"
    rulebook.write_text(PLACES)
    print("\n| agreed hits | replay s | check s | times |\n|---|--:|--:|--:|")
    rows = []
    for frames in (FRAMES // 16, FRAMES // 4, FRAMES):
        path = write(folder / "hits.jsonl", places(frames, apart=6.0), hits)
        row = fresh("costs", rulebook, path)
        rows.append(row)
        text = f"{row['replay']:.2f} | {row['check']:.2f} | {row['check'] / row['replay']:.1f}"
        print(f"| {row['claims']:,.0f} | {text} |", flush=True)
    _exponents(rows, "claims")


def kind_of(boxes: int) -> str:
    """A kind with so many hitboxes, each with an attack and a clip of its own."""
    lines = ["voskar = 2", '[layers]\nnames = ["hive"]', "[kinds.waxling]\nhealth = 10"]
    for n in range(boxes):
        lines.append(f'[kinds.waxling.boxes.b{n}]\nrole = "hitbox"\nattack = "a{n}"\nrect = [8, 8]\nat = [{n}, 0]')
        lines.append(f'mask = ["hive"]\nduring = {{ c{n} = "2-4" }}\n[attacks.a{n}]\ndamage = 1')
    return "\n".join([*lines, "[kinds.waxling.clips]", *(f"c{n} = {{ cells = 9 }}" for n in range(boxes))])


def setting_up(rulebook: str) -> dict[str, float]:
    """Seconds to compile rules, and to make a world of them."""
    from voskar.core.step import Stepper
    from voskar.files.recording import read_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    lines = [b'{"voskar": "recording", "version": 2, "rate": 60}', b'{"frame": 0, "poses": []}']
    played = read_recording(lines, "one", book)
    rules = book.rules(played.rate)
    return {
        "rules": least(lambda: load_rulebook(rulebook).rules(Fraction(60))),
        "world": least(lambda: Stepper(rules, played)),
    }


def many_boxes(folder: Path) -> None:
    """Kinds with more and more boxes."""
    print("\n| boxes of a kind | reading and compiling s | a world of them s |\n|---|--:|--:|")
    rows, counts = [], (40, 80, 160, 320, 1000)
    for count in counts:
        path = folder / "boxes.toml"
        path.write_text(kind_of(count))
        row = fresh("setting_up", path)
        rows.append(row)
        print(f"| {count:,} | {row['rules']:.2f} | {row['world']:.3f} |", flush=True)
    exponents(counts, **{key: [row[key] for row in rows] for key in ("rules", "world")})


def plain_loop(folder: Path) -> None:
    """Two minutes of twenty actors: a loop of fifty lines, and a replay, all in all."""
    rulebook, recording = scenes.write(folder, "twenty", 120 * RATE)

    def cpu(*command: object) -> float:
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run([*map(str, command)], stdout=subprocess.DEVNULL, check=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    voskar = Path(sys.executable).with_name("voskar")
    loop = min(cpu(sys.executable, HERE / "loop.py", recording) for _ in range(5))
    whole = min(cpu(voskar, "replay", rulebook, recording) for _ in range(5))
    row = fresh("costs", rulebook, recording)
    print("\n| two minutes of twenty actors | CPU s | times the loop |\n|---|--:|--:|")
    for name, seconds in (
        ("a plain loop of fifty lines", loop),
        ("reading and replaying", row["load"] + row["replay"]),
        ("voskar replay, all in all", whole),
    ):
        print(f"| {name} | {seconds:.2f} | {seconds / loop:.2f} |", flush=True)


TASKS: dict[str, Callable[..., dict[str, float]]] = {"costs": costs, "setting_up": setting_up}


def main() -> None:
    """All tables, or those that are named."""
    tables = {
        "fields": by_field, "hits": hit_counts, "boxes": many_boxes, "loop": plain_loop, "sessions": sessions,
        "lengths": lengths, "others": of_others,
    }  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        for name in sys.argv[1:] or tables:
            tables[name](Path(folder))


if __name__ == "__main__":
    if sys.argv[1:2] and sys.argv[1] in TASKS:
        json.dump(TASKS[sys.argv[1]](*sys.argv[2:]), sys.stdout)
    else:
        main()
