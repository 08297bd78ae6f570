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


def keyed(box: Box, pose: dict[str, Any], name: str, own: Any) -> Any:
    """A value of a box in the cell its pose shows: held, or blended towards the next key that names it."""
    named = [(key.cell, getattr(key, name), key.linear) for key in box.keys.get(pose["clip"], ())]
    named = [one for one in named if one[1] is not None]
    past = [one for one in named if one[0] <= pose["shown"]]
    if not past:
        return own
    start, value, linear = past[-1]
    ahead = [one for one in named if one[0] > pose["shown"]]
    if not linear or not ahead:
        return value
    end, goal, _ = ahead[0]
    share = (pose["shown"] - start) / (end - start)
    if name == "turn":
        return value + (goal - value) * share
    return tuple(a + (b - a) * share for a, b in zip(value, goal, strict=True))


def box_parts(box: Box, pose: dict[str, Any]) -> tuple[list[list[Point]], float]:
    """World corners of a box's convex parts, and their radius."""
    at, turn = keyed(box, pose, "at", box.at), keyed(box, pose, "turn", box.turn)
    wide, high = keyed(box, pose, "stretch", (1, 1))
    local, radius = [part.tolist() for part in box.outline.parts], box.outline.radius
    if box.outline.round:
        x_extent = (local[0][-1][0] - local[0][0][0] + 2 * radius) * wide
        y_extent = 2 * radius * high
        radius, half = min(x_extent, y_extent) / 2, abs(x_extent - y_extent) / 2
        local = [[(-half, 0), (half, 0)] if x_extent > y_extent else [(0, -half), (0, half)]]
    else:
        local = [[(x * wide, y * high) for x, y in part] for part in local]
    cos, sin = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    parts = [[place((cos * x - sin * y + at[0], sin * x + cos * y + at[1]), pose) for x, y in part] for part in local]
    return parts, (radius + box.outline.grow) * pose["scale"]


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


def first_moment(
    box_a: Box, pose_a: dict[str, Any], way_a: Point, box_b: Box, pose_b: Any, way_b: Point, slack: float
) -> Any:
    """The first moment of a sweep at which the gap is 0, None if they never overlap enough.

    The gap of two convex parts is a convex function of the offset: its least is found by thirds, the first
    root by halves.
    """
    (parts_a, radius_a), (parts_b, radius_b) = box_parts(box_a, pose_a), box_parts(box_b, pose_b)
    found = []
    for part_a in parts_a:
        for part_b in parts_b:

            def at(t: float, a: list[Point] = part_a, b: list[Point] = part_b) -> float:
                x, y = ((1 - t) * (one - other) for one, other in zip(way_a, way_b, strict=True))
                return gap([(p - x, q - y) for p, q in a], b) - radius_a - radius_b

            low, high = 0.0, 1.0
            for _ in range(60):
                third = (high - low) / 3
                low, high = (low, high - third) if at(low + third) <= at(high - third) else (low + third, high)
            best = min((at(t), t) for t in (0.0, 1.0, low))
            if best[0] >= slack:
                continue
            goal = 0.0 if best[0] <= 0 else slack
            before, after = 0.0, best[1]
            for _ in range(40 if at(0.0) > goal else 0):
                half = (before + after) / 2
                before, after = (half, after) if at(half) > goal else (before, half)
            found.append(after if at(0.0) > goal else 0.0)
    return min(found) if found else None


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
        self.swing_start: dict[tuple[str, str], int] = {}
        self.events: list[dict[str, Any]] = []
        self.seen: dict[str, dict[str, Any]] = {}
        self.held: dict[str, tuple[int, dict[str, Any], Point]] = {}  # last frame seen, pose, velocity a frame
        before: dict[str, dict[str, Any]] = {}
        for frame in range(recording.first, recording.last + 1):
            poses = {name: pose for name, pose in self.lingering(frame).items() if not pose["hidden"]}
            poses = {name: pose for name, pose in poses.items() if name not in self.down}
            self.before = before
            self.start_swings(frame, poses)
            self.frame(frame, poses)
            before = poses

    def poses(self, frame: int) -> dict[str, dict[str, Any]]:
        """The poses of a frame by actor id."""
        columns, rows = self.recording.poses, self.recording.block(frame, frame + 1)
        names = ("x", "y", "facing", "angle", "scale", "hidden", "cut", "tick", "cell", "vx", "vy")
        found = {}
        for row in range(rows.start, rows.stop):
            pose = {name: getattr(columns, name)[row].item() for name in names}
            clip, name = int(columns.clip[row]), self.recording.actors[columns.actor[row]].id
            pose["clip"] = self.recording.clips[clip] if clip >= 0 else None
            pose["shown"] = self.shown(name, pose)
            found[name] = pose
        return found

    def shown(self, name: str, pose: dict[str, Any]) -> int:
        """The cell a pose shows."""
        if pose["clip"] is None:
            return -1
        if pose["cell"] >= 0:
            return int(pose["cell"])
        clip = self.kind[name].clips.get(pose["clip"])
        if clip is None:
            return int(pose["tick"])
        cell = math.floor(pose["tick"] * (clip.rate / self.rules.rate if clip.rate else 1))
        return cell % clip.cells if clip.loop else min(cell, clip.cells - 1)

    def lingering(self, frame: int) -> dict[str, dict[str, Any]]:
        """The poses of a frame, with those that have left the recording and are still held."""
        poses = self.poses(frame)
        for name, pose in poses.items():
            last, old, _ = self.held.get(name, (-9, pose, (0.0, 0.0)))
            follows = name in self.seen and last == frame - 1 and not old["hidden"] and not pose["cut"]
            rate = float(self.rules.rate)
            way = [(pose[axis] - self.seen[name][axis]) if follows else 0.0 for axis in "xy"]
            told = [way[k] if math.isnan(pose[v]) else pose[v] / rate for k, v in enumerate(("vx", "vy"))]
            self.held[name] = (frame, pose, (told[0], told[1]))
        self.seen = dict(poses)
        for name, (last, pose, (dx, dy)) in self.held.items():
            steps = frame - last
            if name not in poses and not pose["hidden"] and steps <= self.rules.contact.linger:
                poses[name] = pose | {
                    "x": pose["x"] + dx * steps,
                    "y": pose["y"] + dy * steps,
                    "cut": False,
                    "held": True,
                }
        return poses

    def start_swings(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Notes where a swing of an attack begins, and of each actor where its being in play does."""
        for name, pose in poses.items():
            old = self.before.get(name)
            if old is None:
                self.swing_start[name, ""] = frame
            for attack in {box.attack for box in self.kind[name].boxes if box.attack}:
                own = [box for box in self.kind[name].boxes if box.attack == attack]
                opened = any(box.opens(pose["clip"], pose["shown"]) for box in own)
                if not opened:
                    continue
                went_on = old is not None and any(box.opens(old["clip"], old["shown"]) for box in own)
                if went_on and old is not None:
                    went_on = (
                        old["clip"] == pose["clip"] and old["shown"] <= pose["shown"] and old["tick"] <= pose["tick"]
                    )
                if not went_on:
                    self.swing_start[name, attack] = frame

    def way(self, name: str, box: Box, pose: dict[str, Any]) -> Point:
        """How far the anchor of a box has come since the frame before, if it has a usable past."""
        old = self.before.get(name)
        if old is None or pose["cut"] or old["clip"] != pose["clip"] or old["facing"] != pose["facing"]:
            return 0.0, 0.0
        if not box.opens(old["clip"], old["shown"]):
            return 0.0, 0.0
        now, then = (place(keyed(box, one, "at", box.at), one) for one in (pose, old))
        return now[0] - then[0], now[1] - then[1]

    def time(self, striker: str, hit: Box, pose_a: dict[str, Any], target: str, hurt: Box, pose_b: Any) -> float | None:
        """When two boxes touch in this frame, None if they do not."""
        slack = 1e-6 if self.rules.contact.edges_touch else -1e-6
        if not hit.opens(pose_a["clip"], pose_a["shown"]) or not hurt.opens(pose_b["clip"], pose_b["shown"]):
            return None
        if not hit.swept and not hurt.swept:
            return 1.0 if box_gap(hit, pose_a, hurt, pose_b) < slack else None
        ways = self.way(striker, hit, pose_a), self.way(target, hurt, pose_b)
        found = first_moment(hit, pose_a, ways[0], hurt, pose_b, ways[1], slack)
        return None if found is None else round(found, 6)

    def side(self, name: str, seen: tuple[str, ...] = ()) -> str | None:
        """The kind's side, else the owner's."""
        if name not in self.kind or name in seen:
            return None
        own = self.owner[name]
        return self.kind[name].side or (self.side(own, (*seen, name)) if own else None)

    def frame(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Finds, sorts and judges the contacts of one frame."""
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
                        t = self.time(striker, hit, pose_a, target, hurt, pose_b)
                        if t is not None:
                            order = (-attack.priority, t, striker, attack.name, target, -hurt.rank, t)
                            found.append((*order, hit.name, hurt.name, attack, hit, hurt))
        earliest: dict[Any, float] = {}
        for one in found:
            earliest[one[2:5]] = min(one[1], earliest.get(one[2:5], 1.0))
        found.sort(key=lambda one: (one[0], earliest[one[2:5]], *one[2:9]))
        hurt_now: set[str] = set()
        first_of_frame = set(self.contacts)
        for *order, attack, hit, hurt in found:
            striker, target = order[2], order[4]
            outcome = self.outcome(frame, striker, target, attack, first_of_frame)
            self.contacts.add((frame, striker, attack.name, target))
            held = "held" in poses[striker] or "held" in poses[target]
            self.tell(frame, striker, target, hit, hurt, attack, outcome, order[1], held)
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
        timed = any(box.attack == attack.name and box.during is not None for box in self.kind[striker].boxes)
        mode = attack.rehit.mode if attack.rehit else "once" if self.owner[striker] or timed else "always"
        if frame in landings:
            return "repeat"
        if mode == "once" and any(
            landing >= self.swing_start[striker, attack.name if timed else ""] for landing in landings
        ):
            return "repeat"
        if mode == "entry" and (frame - 1, striker, attack.name, target) in before:
            return "repeat"
        if mode == "after" and attack.rehit and any(frame < landing + attack.rehit.frames for landing in landings):
            return "repeat"
        if frame in self.immune[target] and not attack.ignores_iframes:
            return "immune"
        return "landed"

    def tell(
        self,
        frame: int,
        striker: str,
        target: str,
        hit: Box,
        hurt: Box,
        attack: Attack,
        outcome: str,
        t: float,
        held: bool,
    ) -> None:
        """Writes a contact, or lengthens the run it goes on with."""
        row: dict[str, Any] = {"striker": striker, "hitbox": hit.name, "target": target, "hurtbox": hurt.name}
        row |= {"attack": attack.name, "outcome": outcome}
        for event in reversed(self.events if outcome != "landed" else []):
            if event["event"] == "contact" and row.items() <= event.items():
                if event["until"] == frame - 1:
                    event["until"] = frame
                    return
                break
        row |= {"frame": frame, "until": frame, "event": "contact", "t": t}
        if held:
            row["detail"] = "lingering"
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
