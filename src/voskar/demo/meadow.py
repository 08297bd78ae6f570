"""A stand-in for a game: plays the meadow and logs it the way a game would, typical bugs included.

It shares nothing with Voskar's judge: it has its own crude box tests and its own idea of i-frames, with two
mistakes planted, and claims what it believes.

* `vulnerable` compares with `>=` where it needs `>`: i-frames end one frame early.
* `hits` counts every hurtbox that a blow reaches, so one sting on head and torso hurts twice.
"""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise

RATE = 60
FRAMES = 1320
GROUND = 330.0
SEED = 11

Keys = list[tuple[int, float]]

KEEPER_X: Keys = [
    (0, 90), (60, 90), (180, 230), (320, 230), (440, 360), (560, 360), (660, 540), (860, 540), (1040, 190), (1320, 190)
]  # fmt: skip
JUMPS = (120, 400, 610, 900, 1150)

DIVES: dict[str, list[tuple[int, int, float, float]]] = {  # first frame, last frame, where it goes from the keeper
    "hornet-1": [(178, 320, -15, -14), (1110, 1190, 14, -34)],
    "hornet-2": [(480, 560, 15, -14), (740, 800, -17, -36)],
    "hornet-3": [(484, 552, -15, -14), (880, 940, 16, -18)],
}
HIVES = {"hornet-1": (140.0, 150.0), "hornet-2": (330.0, 130.0), "hornet-3": (520.0, 160.0)}
WAXLINGS = {"waxling-1": (300.0, 60.0, 0), "waxling-2": (430.0, 50.0, 23)}
BRAMBLE = (588.0, GROUND)
SWINGS = (300, 690, 1210)  # frames in which the keeper swings the hive tool: 27 frames each


def between(keys: Keys, frame: int) -> float:
    """A smooth way through keyed values."""
    for (start, a), (end, b) in pairwise(keys):
        if start <= frame < end:
            share = (frame - start) / (end - start)
            return a + (b - a) * share * share * (3 - 2 * share)
    return keys[-1][1]


def jump_height(frame: int) -> float:
    """How far the keeper is off the ground: 36 frames in the air, 46 units high."""
    for start in JUMPS:
        if start <= frame < start + 36:
            share = (frame - start) / 36
            return 4 * 46 * share * (1 - share)
    return 0.0


def pull(first: int, last: int, frame: int) -> float:
    """0 away from the keeper, 1 at it; 40 frames to get there, 30 to leave."""
    if not first <= frame <= last:
        return 0.0
    return min((frame - first) / 40, (last - frame) / 30, 1.0)


@dataclass
class Body:
    """A pose, with the boxes the game tests: (name, x, y, half width, half height) relative to it."""

    id: str
    kind: str
    x: float = 0.0
    y: float = 0.0
    facing: int = 1
    clip: str = "idle"
    tick: int = 0

    def go(self, x: float, y: float, clip: str) -> None:
        """Moves there, turning the way it goes."""
        x, y = round(x, 2), round(y, 2)
        if x != self.x:
            self.facing = 1 if x > self.x else -1
        self.x, self.y = x, y
        self.tick = self.tick + 1 if clip == self.clip else 0
        self.clip = clip

    def pose(self) -> dict[str, object]:
        """As the game logs it."""
        return {
            "id": self.id,
            "kind": self.kind,
            "x": self.x,
            "y": self.y,
            "facing": self.facing,
            "clip": self.clip,
            "tick": self.tick,
        }


@dataclass
class Keeper(Body):
    """The player's own state in the game."""

    health: int = 9
    hit_in: int = -1000
    shield: int = 60
    claims: list[dict[str, object]] = field(default_factory=list)

    def vulnerable(self, frame: int) -> bool:
        """Bug: the hit in frame n with 60 i-frames should leave n + 60 immune."""
        return frame - self.hit_in >= self.shield


def circle_meets_rect(cx: float, cy: float, r: float, x: float, y: float, hw: float, hh: float) -> bool:
    """The game's own test of a circle against an upright rectangle."""
    return math.hypot(max(abs(cx - x) - hw, 0.0), max(abs(cy - y) - hh, 0.0)) < r - 1e-6


def hits(striker: Body, keeper: Keeper) -> int:
    """How many of the keeper's boxes a striker reaches. Bug: the caller hurts once for each."""
    head = (keeper.x + keeper.facing, keeper.y - 37, 8.0)
    torso = (keeper.x, keeper.y - 15, 8.0, 15.0)
    if striker.kind == "hornet":
        x, y = striker.x + 9 * striker.facing, striker.y + 3
        on_head = math.hypot(x - head[0], y - head[1]) < 5 + head[2] - 1e-6
        return int(on_head) + int(circle_meets_rect(x, y, 5.0, *torso))
    skin = (striker.x, striker.y - 7, 9.0, 7.0)
    reach = abs(skin[0] - torso[0]) < 17 - 1e-6 and abs(skin[1] - torso[1]) < 22 - 1e-6
    return int(reach) + int(circle_meets_rect(*head, *skin))


def frames(seed: int = SEED) -> Iterator[dict[str, object]]:
    """The recording, header first, one dictionary a line."""
    yield {
        "voskar": "recording",
        "version": 1,
        "rate": RATE,
        "up": "-y",
        "reactions": "baked",
        "title": "meadow",
        "seed": seed,
    }
    draw = random.Random(seed)
    phases = {name: draw.uniform(0, math.tau) for name in HIVES}
    keeper = Keeper("keeper", "keeper", x=90, y=GROUND)
    hornets = [Body(name, "hornet") for name in HIVES]
    waxlings = [Body(name, "waxling") for name in WAXLINGS]
    bramble, moth = Body("bramble", "bramble", *BRAMBLE), Body("moth", "moth")
    others = [*hornets, *waxlings, moth, bramble]
    for frame in range(FRAMES):
        height = jump_height(frame)
        x = between(KEEPER_X, frame)
        walking = abs(between(KEEPER_X, frame + 1) - x) > 0.01
        swinging = any(start <= frame < start + 27 for start in SWINGS)
        keeper.go(x, GROUND - height, "swing" if swinging else "jump" if height > 0 else "walk" if walking else "idle")
        for hornet in hornets:
            home_x, home_y = HIVES[hornet.id]
            angle = frame / 47 + phases[hornet.id]
            fly = [home_x + 46 * math.cos(angle), home_y + 22 * math.sin(2 * angle)]
            for first, last, dx, dy in DIVES[hornet.id]:
                share = pull(first, last, frame)
                fly[0] += (keeper.x + dx - fly[0]) * share
                fly[1] += (keeper.y + dy - fly[1]) * min(2 * share, 1.0)  # level first, then in
            hornet.go(fly[0], fly[1] + 1.5 * math.sin(frame / 3), "hover")
        for waxling in waxlings:
            middle, reach, shift = WAXLINGS[waxling.id]
            step = (frame + shift) % 40
            along = math.sin((frame + shift) / 130) * reach
            waxling.go(middle + along, GROUND - (18 * math.sin(math.pi * step / 24) if step < 24 else 0), "hop")
        moth.go(430 + 60 * math.cos(frame / 61), 235 + 14 * math.sin(frame / 17), "flutter")
        keeper.claims = []
        for striker in [*hornets, *waxlings]:
            count = hits(striker, keeper)
            if count and keeper.vulnerable(frame):
                keeper.hit_in, keeper.shield = frame, 60 if striker.kind == "hornet" else 45
                for _ in range(count):
                    keeper.health = max(keeper.health - 1, 0)
                    claim = {"event": "hit", "striker": striker.id, "target": "keeper", "damage": 1}
                    keeper.claims.append(claim | {"health": keeper.health})
        line: dict[str, object] = {"frame": frame, "poses": [body.pose() for body in [keeper, *others]]}
        if keeper.claims:
            line["claims"] = keeper.claims
        yield line


def text(seed: int = SEED) -> str:
    """The recording as JSON Lines."""
    return "".join(json.dumps(line) + "\n" for line in frames(seed))
