"""A stand-in for a game: a swarm around the old hive, logged as a game would that keeps no account of smoke and comb.

It logs the keeper, what the keeper pressed, the hornets and the drips they spit, and claims the hits of drips.
Two mistakes are planted in its spitting:

* one drip leaves four frames late (`LATE`): its timer waited for a clip to end;
* one drip more than the timer allows is spat (`EXTRA`): a second event in the clip fired again.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from dataclasses import dataclass

RATE = 60
FRAMES = 1380
AWAY = 1080  # from here on the hornets are gone; the keeper and two drones are left
SEED = 3
FIRST, EVERY = 60, 120  # frames to the first drip, and from one to the next
SPEED, REACH = 150.0, 10.0
LATE = ("hornet-2", 4, 4)  # owner, beat, frames late
EXTRA = ("hornet-3", 700)  # owner, frame
IFRAMES = 45
HIVE = (290.0, 150.0, 350.0, 216.0)
CIRCLES = {  # centre, radii, frames of a round, where in it
    "hornet-1": (160.0, 110.0, 90.0, 46.0, 300, 0.0),
    "hornet-2": (480.0, 100.0, 80.0, 54.0, 260, 2.0),
    "hornet-3": (470.0, 270.0, 96.0, 40.0, 340, 4.0),
}
SMOKES = ((40, 130), (250, 420), (540, 560), (600, 760), (880, 1010))  # frames in which the smoker is held
COMBS = ((270.0, 300.0, -14.0, 9.0), (120.0, 180.0, 8.0, 6.0))  # two lumps of comb, and how they drift


@dataclass
class Drip:
    """A drip in flight."""

    id: str
    owner: str
    x: float
    y: float
    vx: float
    vy: float
    born: int


def hornet(name: str, frame: int) -> tuple[float, float, int]:
    """Where a hornet is, and which way it faces."""
    x, y, wide, high, around, phase = CIRCLES[name]
    angle = 2 * math.pi * frame / around + phase
    return round(x + wide * math.cos(angle), 2), round(y + high * math.sin(angle), 2), 1 if math.sin(angle) < 0 else -1


def keeper(frame: int) -> tuple[float, float, int]:
    """The keeper walks a slow round below and next to the hive."""
    angle = 2 * math.pi * frame / 900 + 1.2
    return round(310 + 150 * math.cos(angle), 2), round(250 + 70 * math.sin(angle), 2), 1 if math.sin(angle) < 0 else -1


def aim(frame: int) -> tuple[float, float]:
    """The keeper's aim: the nearer lump at first, later the nearest hornet."""
    x, y, _ = keeper(frame)
    points = [(cx + vx * frame / RATE, cy + vy * frame / RATE) for cx, cy, vx, vy in COMBS]
    if frame >= SMOKES[2][0]:
        points = [hornet(name, frame)[:2] for name in CIRCLES]
    return min(points, key=lambda point: math.dist(point, (x, y)))


def spits(name: str, frame: int) -> bool:
    """Whether the game lets a hornet spit in a frame."""
    beat, rest = divmod(frame - FIRST, EVERY)
    if (name, beat) == LATE[:2]:
        return rest == LATE[2]
    return (rest == 0 and beat >= 0) or (name, frame) == EXTRA


def lines() -> Iterator[dict[str, object]]:
    """The frames of the recording."""
    drips: list[Drip] = []
    made, hit_in = 0, -1000
    for frame in range(FRAMES):
        x, y, facing = keeper(frame)
        flying = []
        for drip in drips:
            drip.x, drip.y = drip.x + drip.vx / RATE, drip.y + drip.vy / RATE
            inside = HIVE[0] < drip.x < HIVE[2] and HIVE[1] < drip.y < HIVE[3]
            if frame - drip.born < 2 * RATE and 0 <= drip.x <= 640 and 0 <= drip.y <= 360 and not inside:
                flying.append(drip)
        drips = flying
        poses: list[dict[str, object]] = [{"id": "keeper", "kind": "keeper", "x": x, "y": y, "facing": facing}]
        for name in CIRCLES if frame < AWAY else ():
            hx, hy, turned = hornet(name, frame)
            poses.append({"id": name, "kind": "hornet", "x": hx, "y": hy, "facing": turned})
            if spits(name, frame):
                made += 1
                mx, my = hx + 9 * turned, hy + 3
                far = math.hypot(x - mx, y - my)
                speed = (x - mx) / far * SPEED, (y - my) / far * SPEED
                drips.append(Drip(f"drip-{made}", name, mx, my, *speed, frame))
        claims = []
        left = []
        for drip in drips:
            angle = math.degrees(math.atan2(drip.vy, drip.vx))
            poses.append(
                {"id": drip.id, "kind": "drip", "x": round(drip.x, 3), "y": round(drip.y, 3), "angle": round(angle, 3)}
                | {"owner": drip.owner}
            )
            near = math.hypot(drip.x - x, max(abs(drip.y - y) - 5, 0.0)) < REACH
            if near and frame > hit_in + IFRAMES:
                hit_in = frame
                claims.append({"event": "hit", "attacker": drip.id, "target": "keeper", "damage": 1})
            elif not near or frame <= hit_in + IFRAMES:
                left.append(drip)
        drips = left
        line: dict[str, object] = {"frame": frame, "poses": poses}
        if any(first <= frame <= last for first, last in SMOKES):
            point = [round(value, 2) for value in aim(frame)]
            line["inputs"] = [{"id": "keeper", "button": "smoke", "aim": point}]
        if claims:
            line["claims"] = claims
        yield line


def text() -> str:
    """The recording as JSON Lines."""
    header = {"voskar": "recording", "version": 2, "rate": RATE, "up": "-y", "reactions": "raw", "seed": SEED}
    header["title"] = "The swarm"
    return "".join(json.dumps(line) + "\n" for line in (header, *lines()))
