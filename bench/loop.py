"""Fifty lines of plain Python that do the bare minimum: what a programmer writes instead. `python loop.py LOG`."""

import json
import sys

HURT, HIT, FRAMES = (-8.0, -30.0, 8.0, 0.0), (7.0, -21.0, 21.0, -15.0), 60


def box(x: float, y: float, facing: int, rect: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """The corners of a box in the world."""
    x0, y0, x1, y1 = rect
    return (x + x0, y + y0, x + x1, y + y1) if facing > 0 else (x - x1, y + y0, x - x0, y + y1)


def main(path: str) -> None:
    """Counts the hits of everybody on everybody of the other side, with i-frames."""
    health: dict[str, float] = {}
    immune: dict[str, int] = {}
    hits = []
    with open(path) as file:
        next(file)
        for line in file:
            frame = json.loads(line)
            now = frame["frame"]
            hurts, strikes = [], []
            for pose in frame["poses"]:
                name, side = pose["id"], pose["kind"]
                x, y, facing = pose["x"], pose["y"], pose.get("facing", 1)
                health.setdefault(name, 1e6)
                hurts.append((name, side, box(x, y, facing, HURT)))
                strikes.append((name, side, box(x, y, facing, HIT)))
            for attacker, side, (ax0, ay0, ax1, ay1) in strikes:
                for target, other, (bx0, by0, bx1, by1) in hurts:
                    if side == other or immune.get(target, -1) >= now:
                        continue
                    if ax0 < bx1 and bx0 < ax1 and ay0 < by1 and by0 < ay1:
                        health[target] -= 1
                        immune[target] = now + FRAMES
                        hits.append((now, attacker, target))
    print(len(hits), "hits")


if __name__ == "__main__":
    main(sys.argv[1])
