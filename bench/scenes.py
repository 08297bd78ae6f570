"""Recordings that the benchmark makes for itself: a rulebook and lines of JSON, seeded."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

RULES = """
voskar = 2
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


def fights() -> str:
    """The same with hitstop, counters that regenerate, and boxes and an attack that ask for them."""
    rules = RULES.replace(
        "[attacks.sting]\n", '[attacks.sting]\nhitstop = "3f"\nif = { target = { counters = { guard = ">= 0" } } }\n'
    )
    guard = '{ start = 20, max = 20, regen = { amount = 1, every = "9f", after = "30f" } }'
    rage = '{ max = 9, regen = { amount = 1, every = "20f" } }'
    for kind, counter, rule, boxes in (
        ("keeper", "guard", guard, ("torso", "tool")),
        ("hornet", "rage", rage, ("belly", "sting")),
    ):
        rules = rules.replace(f"[kinds.{kind}]\n", f"[kinds.{kind}]\ncounters = {{ {counter} = {rule} }}\n")
        for box in boxes:
            head = f"[kinds.{kind}.boxes.{box}]\n"
            rules = rules.replace(head, f'{head}if = {{ counters = {{ {counter} = ">= 0" }} }}\n')
    return rules


SWARM = """
voskar = 2
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
attacker.remove = true
"""
"""A field of 50 targets and vents whose puffs appear anywhere, fly for up to 4 seconds and are consumed in a hit."""


def swarm(alive: int) -> str:
    """The rulebook of a swarm with about so many puffs alive, whatever is consumed in hits."""
    vents, every = (max(round(alive / 16), 1), 10) if alive > 60 else (1, max(round(220 / alive), 1))
    return SWARM.format(every=f"{every}f") + "".join(
        f'[[fixtures]]\nkind = "vent"\nid = "vent-{n}"\nat = [0, 0]\n' for n in range(vents)
    )


BUSY = (
    SWARM.replace('every = "{every}", first = "1f"', 'every = "1f", first = "1f"')
    .replace("within = [0, 0, 1600, 1600]\njitter = 180\nspeed = 120", "count = 30\nspread = 348\nspeed = 900")
    .replace('life = "4s"', 'life = "68f"')
    .replace("attacker.remove = true", 'rehit = "always"')
    .replace("rect = [14, 10]", "rect = [14, 14]")
    .replace("{{", "{")
    .replace("}}", "}")
    + '[[fixtures]]\nkind = "vent"\nid = "vent"\nat = [800, 800]\n'
)
"""30 births and 30 ends in every frame, 2,000 in the air, and some 25 contacts."""

ROOM = """
voskar = 2
[space]
up = "-y"
bounds = [0, 0, 640, 360]
gravity = 900
[[space.solids]]
rect = [0, 330, 640, 360]
[[space.solids]]
rect = [0, 0, 10, 360]
[[space.solids]]
rect = [630, 0, 640, 360]
[[space.solids]]
rect = [200, 240, 440, 250]
[layers]
names = ["walker", "spring", "bramble"]
[contact]
detect = "hitbox"
[kinds.walker]
health = 3
iframes = "30f"
weight = 2
motion = { velocity = [60, 0], gravity = 1, on_solid = "turn", bounciness = 0.9 }
respawn = { after = "60f", iframes = "30f" }
[kinds.walker.boxes.hull]
role = "body"
rect = [16, 24]
at = [0, -12]
[kinds.walker.boxes.torso]
role = "hurtbox"
rect = [14, 20]
at = [0, -12]
layer = ["walker"]
[kinds.walker.boxes.feet]
role = "hitbox"
attack = "hop"
rect = [12, 4]
at = [0, -1]
mask = ["spring"]
[kinds.spring]
bounce = 1.2
[kinds.spring.boxes.cap]
role = "hurtbox"
rect = [20, 6]
at = [0, -3]
layer = ["spring"]
[kinds.bramble.boxes.thorns]
role = "hitbox"
attack = "prick"
rect = [14, 12]
at = [0, -6]
mask = ["walker"]
[attacks.hop]
attacker.launch = 420
rehit = "20f"
[attacks.prick]
damage = 1
target.knockback = { distance = 20, over = "6f", direction = "flat" }
"""
"""20 bodies that walk and fall among solids, springs and brambles, and come back when they are down."""


def room() -> str:
    """The rulebook of the room."""
    walkers = [(f"walker-{n}", "walker", 30 + 30 * n, 200 if n % 2 else 300, 1 if n % 3 else -1) for n in range(20)]
    others = [(f"spring-{n}", "spring", 100 + 150 * n, 330, 1) for n in range(3)]
    others += [(f"bramble-{n}", "bramble", 180 + 220 * n, 296, 1) for n in range(2)]
    return ROOM + "".join(
        f'[[fixtures]]\nkind = "{kind}"\nid = "{name}"\nat = [{x}, {y}]\nfacing = {facing}\n'
        for name, kind, x, y, facing in [*walkers, *others]
    )


PUSH = """
[attacks.sting]
damage = 1
rehit = "10f"
target.knockback = { distance = 6, over = "4f" }
"""

RAW = (
    RULES.replace('iframes = "60f"', "")
    .replace('iframes = "20f"', "")
    .replace(
        "[attacks.sting]\ndamage = 1",
        '[attacks.sting]\ndamage = 1\nrehit = "10f"\n[attacks.sting.target]\nknockback = { distance = 6, over = "4f" }',
    )
    .replace("circle = 5", "circle = 100_000")
)
"""A hornet within reach of its keeper forever: a push every tenth frame."""


SCENES = {  # keepers, hornets, side of the field, frames at full size
    "duel": (1, 1, 60.0, 216_000),
    "skirmish": (4, 8, 400.0, 36_000),
    "crowd": (100, 400, 2400.0, 3_600),
    "swarm": (0, 50, 1600.0, 3_600),
    "match": (2, 4, 240.0, 3_600),
    "twenty": (8, 12, 400.0, 7_200),
    "empty": (0, 0, 1.0, 36_000),
}


def lines(scene: str, frames: int, seed: int = 1, **header: Any) -> Iterator[str]:
    """The recording, header first: everyone circles somewhere, at a pace of their own."""
    keepers, hornets, side, _ = SCENES[scene]
    draw = random.Random(seed)
    yield json.dumps({"voskar": "recording", "version": 2, "rate": 60, "up": "-y", **header}) + "\n"
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
        'voskar = 2\n[[runs]]\nrulebook = "rules.toml"\nrecordings = ["match-*.jsonl"]\n'
    )
    book = load_rulebook(folder / "rules.toml")
    for seed in range(different):
        texts = list(lines("match", frames, seed))
        played = read_recording((line.encode() for line in texts), "match", book)
        hits: dict[int, list[dict[str, float | str | None]]] = {}
        for event in replay(book.rules(played.rate), played).hits():
            claim: dict[str, float | str | None] = {
                "event": "hit",
                "attacker": event.attacker,
                "target": event.target,
                "damage": event.damage,
            }
            hits.setdefault(event.frame, []).append(claim)
        for frame, text in hits.items():
            texts[frame + 1] = f'{texts[frame + 1].rstrip()[:-1]},"claims":{json.dumps(text)}}}\n'
        for copy in range(seed, count, different):
            (folder / f"match-{copy:03}.jsonl").write_text("".join(texts))


def write_belly(path: Path) -> None:
    """An oval of 14 by 10 pixels."""
    y, x = np.mgrid[:10, :14]
    solid = ((x - 6.5) / 7) ** 2 + ((y - 4.5) / 5) ** 2 <= 1
    Image.fromarray(np.where(solid[..., None], 255, 0).astype(np.uint8).repeat(4, axis=2), "RGBA").save(path)


def write(folder: Path, scene: str, frames: int, rules: str = RULES, **header: Any) -> tuple[Path, Path]:
    """Writes rulebook and recording to a folder."""
    rulebook, recording = folder / "rules.toml", folder / f"{scene}-{frames}.jsonl"
    folder.mkdir(exist_ok=True)
    rulebook.write_text(rules)
    write_belly(folder / "belly.png")
    with recording.open("w") as file:
        file.writelines(lines(scene, frames, **header))
    return rulebook, recording


SHOTS = """
voskar = 2
[space]
up = "-y"
[layers]
names = ["hive"]
[kinds.keeper.emitters.smoker]
spawn = "puff"
when = { press = "smoke" }
speed = 300
[kinds.puff]
motion = { life = "12f" }
[kinds.puff.boxes.core]
role = "hitbox"
attack = "puff"
circle = 3
mask = ["hive"]
[kinds.hornet]
health = 1e6
[kinds.hornet.boxes.belly]
role = "hurtbox"
rect = [14, 10]
layer = ["hive"]
[attacks.puff]
damage = 1
"""
"""A keeper whose puffs the game logs itself, each of which hits a hornet, as it claims."""


def write_shots(folder: Path, shots: int) -> tuple[Path, Path]:
    """One shot every fourth frame, from the keeper at (0, 0) to the hornet at (40, 0): 5 units a frame."""
    rulebook, recording = folder / "shots.toml", folder / f"shots-{shots}.jsonl"
    rulebook.write_text(SHOTS)
    with recording.open("w") as file:
        file.write(json.dumps({"voskar": "recording", "version": 2, "rate": 60}) + "\n")
        for frame in range(4 * shots + 12):
            poses: list[dict[str, object]] = [
                {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
                {"id": "hornet", "kind": "hornet", "x": 40, "y": 0},
            ]
            claims = []
            for shot in range(max((frame - 11 + 3) // 4, 0), min(frame // 4 + 1, shots)):
                age = frame - 4 * shot
                poses.append(
                    {"id": f"p{shot}", "kind": "puff", "owner": "keeper", "x": 5 * age, "y": 0, "vx": 300, "vy": 0}
                )
                if age == 7:  # 35 + 3 reaches over 33, and not the frame before
                    claims.append({"event": "hit", "attacker": f"p{shot}", "target": "hornet", "damage": 1})
            inputs = [{"id": "keeper", "button": "smoke", "down": frame % 4 == 0 and frame < 4 * shots}]
            file.write(json.dumps({"frame": frame, "poses": poses, "inputs": inputs, "claims": claims}) + "\n")
    return rulebook, recording


def claim(rulebook: Path, recording: Path, denied: int) -> None:
    """Writes the claims of a game that plays by the rules into a recording, and so many that the rules deny."""
    from voskar.core.step import replay
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook

    book = load_rulebook(rulebook)
    played = load_recording(recording, book)
    hits: dict[int, list[dict[str, object]]] = {}
    for hit in replay(book.rules(played.rate), played).hits():
        hits.setdefault(hit.frame, []).append({"event": "hit", "attacker": hit.attacker, "target": hit.target})
    names = sorted({claim["target"] for claims in hits.values() for claim in claims}, key=str)
    for number in range(denied):
        frame = played.first + (2 * number + 1) * played.frames // (2 * denied)
        hits.setdefault(frame, []).append({"event": "hit", "attacker": names[0], "target": names[-1], "damage": 0})
    header, *lines = recording.read_text().splitlines()
    with recording.open("w") as file:
        file.write(header + "\n")
        for line in lines:
            frame = json.loads(line)
            frame.pop("claims", None)
            file.write(json.dumps(frame | ({"claims": hits[frame["frame"]]} if frame["frame"] in hits else {})) + "\n")
