"""A slow, obvious twin of the core: frame by frame, pair by pair, in plain Python.

It shares the parsed rules and recording with the core, and none of its geometry or judging. Its geometry
goes another way: the signed distance of the origin from the hull of all corner differences.
"""

from __future__ import annotations

import math
from typing import Any

from voskar.core.recording import Recording
from voskar.core.rules import Attack, Box, Rules

Point = tuple[float, float]


def place(point: Point, pose: dict[str, Any]) -> Point:
    """position + R(angle) · (facing · scale · x, scale · y)"""
    x, y = point[0] * pose["facing"] * pose["scale"], point[1] * pose["scale"]
    cos, sin = math.cos(math.radians(pose["angle"])), math.sin(math.radians(pose["angle"]))
    return pose["x"] + cos * x - sin * y, pose["y"] + sin * x + cos * y


def box_parts(box: Box, pose: dict[str, Any]) -> tuple[list[list[Point]], float]:
    """World corners of a box's convex parts, and their radius."""
    cos, sin = math.cos(math.radians(box.turn)), math.sin(math.radians(box.turn))
    parts = [
        [place((cos * x - sin * y + box.at[0], sin * x + cos * y + box.at[1]), pose) for x, y in part.tolist()]
        for part in box.outline.parts
    ]
    return parts, box.outline.radius * pose["scale"]


def hull(points: list[Point]) -> list[Point]:
    """Gift wrapping, counter-clockwise."""
    points = sorted(set(points))
    if len(points) < 3:
        return points
    result = [points[0]]
    while True:
        best = next(point for point in points if point != result[-1])
        for point in points:
            side = cross(result[-1], best, point)
            if side < -1e-12 or (abs(side) <= 1e-12 and math.dist(result[-1], point) > math.dist(result[-1], best)):
                best = point
        if best == result[0] or len(result) > len(points):
            return result
        result.append(best)


def cross(a: Point, b: Point, c: Point) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def gap(a: list[Point], b: list[Point]) -> float:
    """Signed distance of the origin from the hull of all differences: below 0 inside."""
    ring = hull([(p[0] - q[0], p[1] - q[1]) for p in a for q in b])
    edges = list(zip(ring, ring[1:] + ring[:1], strict=True))
    nearest = min(to_segment(start, end) for start, end in edges)
    inside = len(ring) > 2 and all(cross(start, end, (0.0, 0.0)) >= 0 for start, end in edges)
    return -nearest if inside else nearest


def to_segment(start: Point, end: Point) -> float:
    """Distance of the origin from a segment."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    square = dx * dx + dy * dy
    share = 0.0 if square == 0 else min(1.0, max(0.0, -(start[0] * dx + start[1] * dy) / square))
    return math.hypot(start[0] + share * dx, start[1] + share * dy)


def box_gap(a: Box, pose_a: dict[str, Any], b: Box, pose_b: dict[str, Any]) -> float:
    """The least gap of two boxes' parts, radii taken off."""
    (parts_a, radius_a), (parts_b, radius_b) = box_parts(a, pose_a), box_parts(b, pose_b)
    return min(gap(p, q) for p in parts_a for q in parts_b) - radius_a - radius_b


class Reference:
    """Judges a recording; `events` are dictionaries as a ledger writes them, without places of contacts."""

    def __init__(self, rules: Rules, recording: Recording) -> None:
        self.rules, self.recording = rules, recording
        self.kind = {actor.id: rules.kinds[actor.kind] for actor in recording.actors}
        self.owner = {actor.id: actor.owner for actor in recording.actors}
        self.health = {name: kind.health for name, kind in self.kind.items()}
        self.immune: dict[str, set[int]] = {name: set() for name in self.kind}
        self.shield = dict.fromkeys(self.kind, -1)
        self.down: dict[str, int] = {}
        self.credit: dict[str, str] = {}
        self.landed: list[tuple[int, str, str, str]] = []
        self.contacts: set[tuple[int, str, str, str]] = set()
        self.swing_start: dict[str, int] = {}
        self.events: list[dict[str, Any]] = []
        before: set[str] = set()
        for frame in range(recording.first, recording.last + 1):
            poses = {name: pose for name, pose in self.poses(frame).items() if not pose["hidden"]}
            poses = {name: pose for name, pose in poses.items() if name not in self.down}
            for name in poses:
                if name not in before:
                    self.swing_start[name] = frame
            before = set(poses)
            self.frame(frame, poses)

    def poses(self, frame: int) -> dict[str, dict[str, Any]]:
        """The poses of a frame by actor id."""
        columns, rows = self.recording.poses, self.recording.block(frame, frame + 1)
        names = ("x", "y", "facing", "angle", "scale", "hidden")
        return {
            self.recording.actors[columns.actor[row]].id: {name: getattr(columns, name)[row].item() for name in names}
            for row in range(rows.start, rows.stop)
        }

    def side(self, name: str, seen: tuple[str, ...] = ()) -> str | None:
        """The kind's side, else the owner's."""
        if name not in self.kind or name in seen:
            return None
        own = self.owner[name]
        return self.kind[name].side or (self.side(own, (*seen, name)) if own else None)

    def frame(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Finds, sorts and judges the contacts of one frame."""
        slack = 1e-6 if self.rules.contact.edges_touch else -1e-6
        found: list[tuple[Any, ...]] = []
        for striker, pose_a in poses.items():
            for target, pose_b in poses.items():
                for hit in self.kind[striker].boxes:
                    for hurt in self.kind[target].boxes:
                        if striker == target or hit.role != "hitbox" or hurt.role != "hurtbox":
                            continue
                        attack = self.rules.attacks[hit.attack or ""]
                        if not self.may_meet(attack, striker, target, hit, hurt):
                            continue
                        if box_gap(hit, pose_a, hurt, pose_b) < slack:
                            order = (-attack.priority, 1.0, striker, attack.name, target, -hurt.rank, 1.0)
                            found.append((*order, hit.name, hurt.name, attack, hit, hurt))
        found.sort(key=lambda one: one[:9])
        hurt_now: set[str] = set()
        first_of_frame = set(self.contacts)
        for *order, attack, hit, hurt in found:
            striker, target = order[2], order[4]
            outcome = self.outcome(frame, striker, target, attack, first_of_frame)
            self.contacts.add((frame, striker, attack.name, target))
            self.tell(frame, striker, target, hit, hurt, attack, outcome)
            if outcome == "landed":
                hurt_now.add(target)
                self.land(frame, striker, target, attack, hurt)
        for name in sorted(hurt_now):
            if self.health[name] == 0:
                self.down[name] = frame
                self.events.append({"frame": frame, "event": "down", "id": name, "by": self.credit[name]})

    def may_meet(self, attack: Attack, striker: str, target: str, hit: Box, hurt: Box) -> bool:
        """Layers, masks and owners."""
        if not attack.hits_owner:
            own = self.owner[striker]
            if own == target or (own is not None and own == self.owner[target]):
                return False
        forth, back = hit.mask & hurt.layer != 0, hurt.mask & hit.layer != 0
        ways = {"hitbox": forth, "hurtbox": back, "both": forth and back, "either": forth or back}
        return ways[self.rules.contact.detect]

    def outcome(self, frame: int, striker: str, target: str, attack: Attack, before: set[Any]) -> str:
        """The first gate that stops it."""
        side = self.side(striker)
        if side is not None and side == self.side(target) and not attack.friendly:
            return "ally"
        landings = [one[0] for one in self.landed if one[1:] == (striker, attack.name, target)]
        mode = attack.rehit.mode if attack.rehit else "once" if self.owner[striker] else "always"
        if frame in landings:
            return "repeat"
        if mode == "once" and any(landing >= self.swing_start[striker] for landing in landings):
            return "repeat"
        if mode == "entry" and (frame - 1, striker, attack.name, target) in before:
            return "repeat"
        if mode == "after" and attack.rehit and any(frame < landing + attack.rehit.frames for landing in landings):
            return "repeat"
        if frame in self.immune[target] and not attack.ignores_iframes:
            return "immune"
        return "landed"

    def tell(self, frame: int, striker: str, target: str, hit: Box, hurt: Box, attack: Attack, outcome: str) -> None:
        """Writes a contact, or lengthens the run it goes on with."""
        row: dict[str, Any] = {"striker": striker, "hitbox": hit.name, "target": target, "hurtbox": hurt.name}
        row |= {"attack": attack.name, "outcome": outcome}
        for event in reversed(self.events if outcome != "landed" else []):
            if event["event"] == "contact" and row.items() <= event.items():
                if event["until"] == frame - 1:
                    event["until"] = frame
                    return
                break
        row |= {"frame": frame, "until": frame, "event": "contact", "t": 1}
        if outcome == "landed":
            row["damage"] = attack.damage * hurt.damage_scale
        self.events.append(row)

    def land(self, frame: int, striker: str, target: str, attack: Attack, hurt: Box) -> None:
        """Health, then i-frames of both sides."""
        self.landed.append((frame, striker, attack.name, target))
        health, full = self.health[target], self.kind[target].health
        if health is not None and full is not None:
            after = min(max(health - attack.damage * hurt.damage_scale, 0), full)
            if after < health:
                self.credit[target] = striker
            if after != health:
                row = {"frame": frame, "event": "health", "id": target, "before": health, "after": after, "by": striker}
                self.events.append(row)
            self.health[target] = after
        if attack.damage > 0 or attack.target.iframes is not None:
            named = attack.target.iframes
            self.immunise(frame, target, self.kind[target].iframes if named is None else named, attack.name)
        if attack.striker.iframes is not None:
            self.immunise(frame, striker, attack.striker.iframes, attack.name)

    def immunise(self, frame: int, name: str, length: int, cause: str) -> None:
        """Adds the immune frames one by one."""
        until = frame + length
        if length == 0 or until <= self.shield[name]:
            return
        self.shield[name] = until
        first = frame if self.rules.contact.same_frame == "first" else frame + 1
        self.immune[name] |= set(range(first, until + 1))
        self.events.append({"frame": frame, "event": "iframes", "id": name, "until": until, "cause": cause})
