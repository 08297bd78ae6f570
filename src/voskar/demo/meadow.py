"""A stand-in for a game: plays the meadow and logs it the way a game would, typical bugs included.

It shares nothing with Voskar's judge: it has its own crude box tests and its own idea of i-frames, with two
mistakes planted, and claims what it believes.

* `vulnerable` compares with `>=` where it needs `>`: i-frames end one frame early.
* `hits` counts every hurtbox that a hit reaches, so one sting on head and torso hurts twice.
"""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise

RATE = 60
FRAMES = 2040
GROUND = 330.0
SEED = 11

Keys = list[tuple[int, float]]

KEEPER_X: Keys = [
    (0, 90), (60, 90), (180, 230), (320, 230), (440, 360), (560, 360), (660, 540), (860, 540), (1040, 190), (1200, 190),
    (1240, 212), (2040, 212),
]  # fmt: skip
JUMPS = (64, 358, 564, 900, 1170)  # frames in which the keeper leaves the ground

DIVES: dict[str, list[tuple[int, int, float, float]]] = {  # first frame, last frame, where it goes from the keeper
    "hornet-1": [(178, 330, -15, -14), (1110, 1190, 14, -34)],
    "hornet-2": [(480, 560, 15, -14), (740, 800, -17, -36)],
    "hornet-3": [(484, 552, -15, -14), (880, 940, 16, -18)],
}
HIVES = {"hornet-1": (140.0, 150.0), "hornet-2": (330.0, 130.0), "hornet-3": (520.0, 160.0)}
WAXLINGS = {"waxling-1": (300.0, 60.0, 0), "waxling-2": (456.0, 50.0, 23)}
COMB = (205.0, GROUND)
DROPPED = 1205  # when a hornet drops the comb
DRONE: list[tuple[int, float, float]] = [  # it flies straight from one place to the next
    (0, 420, 90), (1300, 420, 90), (1350, 224, 312), (1420, 224, 312), (1470, 96, 312), (1530, 96, 312),
    (1580, 420, 90), (1640, 420, 90), (1680, 80, 312), (1750, 80, 312), (1800, 420, 90), (1850, 420, 90),
    (1890, 102, 312), (1980, 102, 312), (2040, 420, 90),
]  # fmt: skip
BRAMBLE = (588.0, GROUND)
DRUMCAP = (128.0, GROUND)
SWINGS = (300, 496, 690, 1122)  # frames in which the keeper swings the hive tool: 27 frames each
GRAVITY, JUMP, STOMP = 1020.0, 306.0, 300.0
PUSH, PUSH_FRAMES = 24.0, 8


def between(keys: Keys, frame: int) -> float:
    """A smooth way through keyed values."""
    for (start, a), (end, b) in pairwise(keys):
        if start <= frame < end:
            share = (frame - start) / (end - start)
            return a + (b - a) * share * share * (3 - 2 * share)
    return keys[-1][1]


def straight(ways: list[tuple[int, float, float]], frame: int) -> tuple[float, float]:
    """Straight from place to place."""
    for (start, x0, y0), (end, x1, y1) in pairwise(ways):
        if start <= frame < end:
            share = (frame - start) / (end - start)
            return x0 + (x1 - x0) * share, y0 + (y1 - y0) * share
    return ways[-1][1:]


def pull(first: int, last: int, frame: int) -> float:
    """0 away from the keeper, 1 at it; 40 frames to get there, 40 to leave."""
    if not first <= frame <= last:
        return 0.0
    return min((frame - first) / 40, (last - frame) / 40, 1.0)


@dataclass
class Body:
    """A pose, and the game's knowledge of its actor."""

    id: str
    kind: str
    x: float = 0.0
    y: float = 0.0
    facing: int = 1
    clip: str = "idle"
    tick: int = 0
    hit_in: int = -1000
    shield: int = 0
    push: list[float] = field(default_factory=list)  # steps along x still to come
    astray: tuple[float, float] = (0.0, 0.0)  # how far a push has brought it off its way

    def go(self, x: float, y: float, clip: str) -> None:
        """Moves there, turning the way it goes."""
        x, y = round(x, 2), round(y, 2)
        if x != self.x:
            self.facing = 1 if x > self.x else -1
        self.x, self.y = x, y
        self.show(clip)

    def show(self, clip: str) -> None:
        """Goes on with its clip, or begins another."""
        self.tick = self.tick + 1 if clip == self.clip else 0
        self.clip = clip

    def fly(self, x: float, y: float) -> None:
        """A hornet's way: thrown back it does nothing else, and then finds back to its way."""
        if self.push:
            self.x = round(self.x + self.push.pop(0), 2)
            self.astray = (self.x - x, self.y - y)
            self.show("hover")
            return
        self.astray = (self.astray[0] * 0.9, self.astray[1] * 0.9)
        self.go(x + self.astray[0], y + self.astray[1], "hover")

    def vulnerable(self, frame: int) -> bool:
        """Bug: the hit in frame n with 60 i-frames should leave n + 60 immune."""
        return frame - self.hit_in >= self.shield

    def guard(self, frame: int, shield: int) -> None:
        """I-frames, unless those it has last longer."""
        if frame + shield > self.hit_in + self.shield:
            self.hit_in, self.shield = frame, shield

    def pose(self) -> dict[str, object]:
        """As the game logs it."""
        names = ("id", "kind", "x", "y", "facing", "clip", "tick")
        return {name: getattr(self, name) for name in names}


@dataclass
class Keeper(Body):
    """The player's own state in the game."""

    health: int = 9
    lives: int = 3
    down_in: int = -1  # the frame it went down in, -1 while it lives
    out: bool = False
    vy: float = 0.0
    struck: set[str] = field(default_factory=set)  # by the swing under way
    claims: list[dict[str, object]] = field(default_factory=list)

    def fall(self, frame: int) -> float:
        """Where gravity and jumps bring it in this frame."""
        if frame in JUMPS and self.y >= GROUND:
            self.vy = -JUMP
        self.vy += GRAVITY / RATE
        y = self.y + self.vy / RATE
        if y >= GROUND:
            self.vy, y = 0.0, GROUND
        return y

    def fallen(self, frame: int, drone: Body) -> None:
        """A frame on the ground: 40 to be seen, back at the start after 60, but not into the drone."""
        self.show("fall")
        if (
            self.out
            or frame < self.down_in + 60
            or circle_meets_rect(drone.x, drone.y, 9.0, 90, GROUND - 15, 8.0, 15.0)
        ):
            return
        self.down_in, self.health, self.vy = -1, 9, 0.0
        self.x, self.y, self.clip, self.facing = 90.0, GROUND, "idle", 1
        self.hit_in, self.shield = frame - 1, 91  # 90 frames, this one counted

    def hurt(self, frame: int, attacker: Body, damage: int) -> None:
        """Takes a hit, and goes down when it is one too many."""
        self.health = max(self.health - damage, 0)
        self.claim(attacker.id, "keeper", damage)
        if self.health == 0:
            self.down_in = frame
            self.lives -= 1
            self.out = self.lives == 0

    def logged_pose(self, frame: int, guarded: bool) -> dict[str, object]:
        """Its pose, health and lives; now and then also whether it could be hit as the frame began, and its boxes."""
        item: dict[str, object] = {"hidden": True} if 0 <= self.down_in < frame - 40 else {}
        if self.down_in < 0 and frame % 10 == 0:
            item["immune"] = guarded
        if self.down_in < 0 and frame % 30 == 0:
            head = self.x + self.facing
            item["boxes"] = {
                "torso": [self.x - 8, self.y - 30, self.x + 8, self.y],
                "head": [head - 8, self.y - 45, head + 8, self.y - 29],
            }
        return {**self.pose(), **item, "health": self.health, "lives": self.lives}

    def display(self, frame: int) -> list[dict[str, object]]:
        """The display above the meadow on the screen."""
        seconds = frame // RATE
        return [
            {"id": "keeper", "health": self.health, "lives": self.lives},
            {"clock": f"{seconds // 60}:{seconds % 60:02d}"},
        ]

    def claim(self, attacker: str, target: str, damage: int) -> None:
        """Notes a hit that the game counts."""
        self.claims.append({"event": "hit", "attacker": attacker, "target": target, "damage": damage})


def circle_meets_rect(cx: float, cy: float, r: float, x: float, y: float, hw: float, hh: float) -> bool:
    """The game's own test of a circle against an upright rectangle."""
    return math.hypot(max(abs(cx - x) - hw, 0.0), max(abs(cy - y) - hh, 0.0)) < r - 1e-6


Line = tuple[float, float, float, float]


def line(body: Body, x: float, y: float, turn: float, half: float) -> Line:
    """The inner line of a capsule on a body."""
    dx, dy = half * math.cos(math.radians(turn)), half * math.sin(math.radians(turn))
    f = body.facing
    return body.x + f * (x - dx), body.y + y - dy, body.x + f * (x + dx), body.y + y + dy


def lines_apart(a: Line, b: Line) -> float:
    """The distance of two lines, 0 if they cross."""

    def side(p: tuple[float, float], q: Line) -> float:
        return (q[2] - q[0]) * (p[1] - q[1]) - (q[3] - q[1]) * (p[0] - q[0])

    def away(p: tuple[float, float], q: Line) -> float:
        dx, dy = q[2] - q[0], q[3] - q[1]
        share = min(max(((p[0] - q[0]) * dx + (p[1] - q[1]) * dy) / (dx * dx + dy * dy), 0.0), 1.0)
        return math.hypot(p[0] - q[0] - share * dx, p[1] - q[1] - share * dy)

    if side(a[:2], b) * side(a[2:], b) < 0 and side(b[:2], a) * side(b[2:], a) < 0:
        return 0.0
    return min(away(a[:2], b), away(a[2:], b), away(b[:2], a), away(b[2:], a))


def hits(attacker: Body, keeper: Keeper) -> int:
    """How many of the keeper's boxes an attacker reaches. Bug: the caller hurts once for each."""
    head = (keeper.x + keeper.facing, keeper.y - 37, 8.0)
    torso = (keeper.x, keeper.y - 15, 8.0, 15.0)
    if attacker.kind == "drone":
        on_head = math.hypot(attacker.x - head[0], attacker.y - head[1]) < 9 + head[2] - 1e-6
        return int(on_head or circle_meets_rect(attacker.x, attacker.y, 9.0, *torso))
    if attacker.kind == "hornet":
        x, y = attacker.x + 9 * attacker.facing, attacker.y + 3
        on_head = math.hypot(x - head[0], y - head[1]) < 5 + head[2] - 1e-6
        return int(on_head) + int(circle_meets_rect(x, y, 5.0, *torso))
    skin = (attacker.x, attacker.y - 7, 9.0, 7.0)
    reach = abs(skin[0] - torso[0]) < 17 - 1e-6 and abs(skin[1] - torso[1]) < 22 - 1e-6
    return int(reach) + int(circle_meets_rect(*head, *skin))


TOOL = {3: (12, -38, -60), 4: (16, -26, -15), 5: (20, -14, 30)}  # by cell: place and turn


def swing(keeper: Keeper, hornets: list[Body], frame: int) -> None:
    """The hive tool: once a swing it hits what it reaches, and throws it back."""
    if keeper.clip != "swing" or keeper.tick == 0:
        keeper.struck = set()
    cell = keeper.tick // 3
    if keeper.clip != "swing" or cell not in TOOL:
        return
    tool = line(keeper, *TOOL[cell], 9)
    for hornet in hornets:
        belly = line(hornet, -1, 0, 12, 6)
        if hornet.id in keeper.struck or not hornet.vulnerable(frame) or lines_apart(tool, belly) >= 9 - 1e-6:
            continue
        keeper.struck.add(hornet.id)
        hornet.guard(frame, 20)
        away = 1 if hornet.x > keeper.x else -1
        total = PUSH_FRAMES * (PUSH_FRAMES + 1) / 2
        hornet.push = [away * PUSH * (PUSH_FRAMES - k) / total for k in range(PUSH_FRAMES)]
        keeper.claim(keeper.id, hornet.id, 1)


SHELL = (-10.0, -7.0, 0.0, 7.0, 10.0), (0.0, -12.0, -16.0, -12.0, 0.0)
HOP = {0: (1.15, 0.75), 1: (0.9, 1.2), 2: (0.9, 1.2)}  # stretch of the shell by cell; 3 and 4 are as drawn


def shell_top(waxling: Body, left: float, right: float) -> float:
    """The highest point of a waxling's shell between two places along x; far below if there is none."""
    wide, high = HOP.get(waxling.tick // 8 % 5, (1.0, 1.0))
    xs = [waxling.x + waxling.facing * x * wide for x in SHELL[0]][:: waxling.facing]
    ys = [waxling.y + y * high for y in SHELL[1]][:: waxling.facing]
    best = 1e9
    for (x0, y0), (x1, y1) in pairwise(zip(xs, ys, strict=True)):
        for x in (max(left, x0), min(right, x1)):
            if left <= x <= right and x0 <= x <= x1:
                best = min(best, y0 + (y1 - y0) * (x - x0) / (x1 - x0))
    return best


def stomp(keeper: Keeper, others: list[Body], frame: int, was: dict[str, tuple[float, float]]) -> set[str]:
    """The keeper comes down on something: it is hit, and the keeper goes up again. Returns the actor below it."""
    landed = set()
    falling = keeper.y > was[keeper.id][0]
    for other in others:
        if other.kind == "drumcap":
            reach, top = abs(keeper.x - other.x) < 18 - 1e-6, other.y - 10
        else:
            top = shell_top(other, keeper.x - 6, keeper.x + 6)
            reach = top < 1e8
        over = was[keeper.id][0] <= was[other.id][1] + 1
        if reach and falling and over and keeper.y > top + 1e-6 and other.vulnerable(frame):
            landed.add(other.id)
            keeper.vy = -STOMP * (1.6 if other.kind == "drumcap" else 1.0) - GRAVITY / RATE
            keeper.guard(frame, 6)
            other.guard(frame, 20)
            keeper.claim(keeper.id, other.id, 1)
    return landed


def frames(seed: int = SEED) -> Iterator[dict[str, object]]:
    """The recording, header first, one dictionary a line."""
    yield {
        "voskar": "recording",
        "version": 2,
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
    drumcap = Body("drumcap", "drumcap", *DRUMCAP)
    drone, comb = Body("drone", "drone", *DRONE[0][1:]), Body("comb", "comb", *COMB)
    others = [*hornets, *waxlings, moth, bramble, drumcap, drone]
    for frame in range(FRAMES):
        was = {body.id: (body.y, tops(body)) for body in (keeper, *waxlings, drumcap)}
        x = between(KEEPER_X, frame)
        walking = abs(between(KEEPER_X, frame + 1) - x) > 0.01
        swinging = any(start <= frame < start + 27 for start in SWINGS)
        if frame == DROPPED:
            others.append(comb)
        drone.go(*straight(DRONE, frame), "hum")
        if keeper.down_in >= 0:
            keeper.fallen(frame, drone)
        elif frame < 1400:
            y = keeper.fall(frame)
            keeper.go(x, y, "swing" if swinging else "jump" if y < GROUND else "walk" if walking else "idle")
        else:
            keeper.go(keeper.x, keeper.y, "idle")
        for hornet in hornets:
            home_x, home_y = HIVES[hornet.id]
            angle = frame / 47 + phases[hornet.id]
            fly = [home_x + 46 * math.cos(angle), home_y + 22 * math.sin(2 * angle)]
            for first, last, dx, dy in DIVES[hornet.id]:
                share = pull(first, last, frame)
                fly[0] += (keeper.x + dx - fly[0]) * share
                fly[1] += (keeper.y + dy - fly[1]) * min(2 * share, 1.0)  # level first, then in
            hornet.fly(fly[0], fly[1] + 1.5 * math.sin(frame / 3))
        for waxling in waxlings:
            middle, reach, shift = WAXLINGS[waxling.id]
            step = (frame + shift) % 40
            along = math.sin((frame + shift) / 130) * reach
            waxling.go(middle + along, GROUND - (18 * math.sin(math.pi * step / 24) if step < 24 else 0), "hop")
        moth.go(430 + 60 * math.cos(frame / 61), 235 + 14 * math.sin(frame / 17), "flutter")
        keeper.claims, guarded = [], not keeper.vulnerable(frame)
        landed = stomp(keeper, [*waxlings, drumcap], frame, was) if frame else set()
        if comb in others and abs(keeper.x - comb.x) < 14 - 1e-6 and keeper.y > comb.y - 8 and keeper.down_in < 0:
            keeper.health = 9
            keeper.claim("comb", "keeper", -9)
        for attacker in [*hornets, *waxlings, drone]:
            count = hits(attacker, keeper) if keeper.down_in < 0 else 0
            if count and keeper.vulnerable(frame) and attacker.id not in landed:
                keeper.guard(frame, {"hornet": 60, "drone": 61}.get(attacker.kind, 45))
                for _ in range(count):
                    keeper.hurt(frame, attacker, 5 if attacker is drone else 1)
        swing(keeper, hornets, frame)
        logged: dict[str, object] = {
            "frame": frame,
            "poses": [keeper.logged_pose(frame, guarded), *(body.pose() for body in others)],
        }
        if frame % 60 == 30:
            logged["display"] = keeper.display(frame)
        if keeper.claims:
            logged["claims"] = keeper.claims
        if any(claim["attacker"] == "comb" for claim in keeper.claims):
            others.remove(comb)
        yield logged


def tops(body: Body) -> float:
    """The highest point of what can be stomped on."""
    if body.kind != "waxling":
        return body.y - 10
    return body.y - 16 * HOP.get(body.tick // 8 % 5, (1.0, 1.0))[1]


def text(seed: int = SEED) -> str:
    """The recording as JSON Lines."""
    return "".join(json.dumps(line) + "\n" for line in frames(seed))
