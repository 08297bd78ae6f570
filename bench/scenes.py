"""Recordings that the benchmark makes for itself: a rulebook and lines of JSON, seeded."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from PIL import Image

RULES = """
voskar = 1
[space]
up = "-y"
[layers]
names = ["keeper", "hive"]
[contact]
detect = "hitbox"
[kinds.keeper]
side = "keeper"
health = 1e6
iframes = "60f"
[kinds.keeper.boxes.torso]
role = "hurtbox"
rect = [16, 30]
at = [0, -15]
layer = ["keeper"]
[kinds.keeper.boxes.tool]
role = "hitbox"
attack = "poke"
rect = [14, 6]
at = [14, -18]
mask = ["hive"]
[kinds.hornet]
side = "hive"
health = 1e6
iframes = "20f"
[kinds.hornet.boxes.belly]
role = "hurtbox"
rect = [14, 10]
layer = ["hive"]
[kinds.hornet.boxes.sting]
role = "hitbox"
attack = "sting"
circle = 5
at = [9, 3]
mask = ["keeper"]
[attacks.sting]
damage = 1
[attacks.poke]
damage = 1
"""

RECTANGLES = RULES.replace("circle = 5", "rect = [10, 10]")
"""The same with rectangles only."""

MIXED = (
    RULES.replace("rect = [16, 30]", "polygon = [[-8, -15], [8, -15], [8, 15], [0, 4], [-8, 15]]")
    .replace("rect = [14, 6]", "capsule = [3, 8]\nturn = 20")
    .replace("rect = [14, 10]", 'pixels = "belly.png"\norigin = [7, 5]')
    .replace("circle = 5", "circle = 5\nswept = true")
)
"""The same with a bent polygon, a turned capsule, a shape of pixels and a swept circle."""

SWARM = """
voskar = 1
[space]
up = "-y"
bounds = [0, 0, 1600, 1600]
[layers]
names = ["hive"]
[kinds.hornet]
side = "hive"
health = 1e6
[kinds.hornet.boxes.belly]
role = "hurtbox"
rect = [14, 10]
layer = ["hive"]
[kinds.vent]
side = "keeper"
[kinds.vent.emitters.puffs]
spawn = "puff"
when = {{ every = "{every}", first = "1f" }}
within = [0, 0, 1600, 1600]
jitter = 180
speed = 120
[kinds.puff.motion]
life = "4s"
at_edge = "remove"
[kinds.puff.boxes.core]
role = "hitbox"
attack = "puff"
circle = 3
mask = ["hive"]
[attacks.puff]
damage = 1
striker.remove = true
"""
"""A field of 50 targets and vents whose puffs appear anywhere, fly for up to 4 seconds and are used up in a hit."""


def swarm(alive: int) -> str:
    """The rulebook of a swarm with about so many puffs alive: each vent keeps some 32 in the air."""
    vents = max(round(alive / 32), 1)
    return SWARM.format(every="6f") + "".join(
        f'[[fixtures]]\nkind = "vent"\nid = "vent-{n}"\nat = [0, 0]\n' for n in range(vents)
    )


SCENES = {  # keepers, hornets, side of the field, frames at full size
    "duel": (1, 1, 60.0, 216_000),
    "skirmish": (4, 8, 400.0, 36_000),
    "crowd": (100, 400, 2400.0, 3_600),
    "swarm": (0, 50, 1600.0, 3_600),
    "match": (2, 4, 240.0, 3_600),
}


def lines(scene: str, frames: int, seed: int = 1) -> Iterator[str]:
    """The recording, header first: everyone circles somewhere, at a pace of their own."""
    keepers, hornets, side, _ = SCENES[scene]
    draw = random.Random(seed)
    yield json.dumps({"voskar": "recording", "version": 1, "rate": 60, "up": "-y"}) + "\n"
    actors = [(f"keeper-{n}", "keeper") for n in range(keepers)] + [(f"hornet-{n}", "hornet") for n in range(hornets)]
    ways = [
        (
            name,
            kind,
            draw.uniform(0, side),
            draw.uniform(0, side),
            draw.uniform(20, 60),
            draw.uniform(30, 90),
            draw.random() * 6,
        )
        for name, kind in actors
    ]
    for frame in range(frames):
        poses = []
        for name, kind, x, y, reach, pace, phase in ways:
            angle = frame / pace + phase
            poses.append(
                f'{{"id":"{name}","kind":"{kind}","x":{x + reach * math.cos(angle):.2f},'
                f'"y":{y + reach * math.sin(angle):.2f},"facing":{1 if math.sin(angle) < 0 else -1}}}'
            )
        yield f'{{"frame":{frame},"poses":[{",".join(poses)}]}}\n'


def write_suite(folder: Path, count: int, frames: int, different: int = 20) -> None:
    """A suite of so many recordings of matches, of which some are different, with the claims of a game that does as
    its rules say."""
    from voskar.core.step import replay
    from voskar.files.recording import read_recording
    from voskar.files.rulebook import load_rulebook

    (folder / "rules.toml").write_text(RULES)
    (folder / "voskar.toml").write_text(
        'voskar = 1\n[[runs]]\nrulebook = "rules.toml"\nrecordings = ["match-*.jsonl"]\n'
    )
    book = load_rulebook(folder / "rules.toml")
    for seed in range(different):
        told = list(lines("match", frames, seed))
        played = read_recording((line.encode() for line in told), "match", book)
        hits: dict[int, list[dict[str, float | str | None]]] = {}
        for event in replay(book.rules(played.rate), played).landings():
            claim: dict[str, float | str | None] = {
                "event": "hit",
                "striker": event.striker,
                "target": event.target,
                "damage": event.damage,
            }
            hits.setdefault(event.frame, []).append(claim)
        for frame, some in hits.items():
            told[frame + 1] = f'{told[frame + 1].rstrip()[:-1]},"claims":{json.dumps(some)}}}\n'
        for copy in range(seed, count, different):
            (folder / f"match-{copy:03}.jsonl").write_text("".join(told))


def write_belly(path: Path) -> None:
    """An oval of 14 by 10 pixels."""
    y, x = np.mgrid[:10, :14]
    solid = ((x - 6.5) / 7) ** 2 + ((y - 4.5) / 5) ** 2 <= 1
    Image.fromarray(np.where(solid[..., None], 255, 0).astype(np.uint8).repeat(4, axis=2), "RGBA").save(path)


def write(folder: Path, scene: str, frames: int, rules: str = RULES) -> tuple[Path, Path]:
    """Writes rulebook and recording to a folder."""
    rulebook, recording = folder / "rules.toml", folder / f"{scene}-{frames}.jsonl"
    rulebook.write_text(rules)
    write_belly(folder / "belly.png")
    with recording.open("w") as file:
        file.writelines(lines(scene, frames))
    return rulebook, recording
