"""A slow, obvious reference model of the core: frame by frame, pair by pair, in plain Python.

It shares the parsed rules and recording with the core, and none of its geometry or judging. Its geometry
goes another way: the signed distance of the origin from the hull of all corner differences.
"""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

from tests.reference_driven import Driven
from tests.reference_fights import Fights, plus, whole
from tests.reference_vitals import Vitals
from voskar.core.recording import Recording
from voskar.core.rules import Attack, Box, Case, ContactCondition, Fan, Kind, Rules

Point = tuple[float, float]


def place(point: Point, pose: dict[str, Any]) -> Point:
    """position + R(angle) · (facing · scale · x, scale · y)"""
    x, y = point[0] * pose["facing"] * pose["scale"], point[1] * pose["scale"]
    cos, sin = math.cos(math.radians(pose["angle"])), math.sin(math.radians(pose["angle"]))
    return pose["x"] + cos * x - sin * y, pose["y"] + sin * x + cos * y


def keyed(box: Box, pose: dict[str, Any], name: str, own: Any) -> Any:
    """A value of a box in the cell its pose shows: held, or blended towards the next key that names it."""
    named = [(key.cell, getattr(key, name), key.blend == "linear") for key in box.keys.get(pose["clip"], ())]
    named = [name for name in named if name[1] is not None]
    past = [name for name in named if name[0] <= pose["shown"]]
    if not past:
        return own
    start, value, linear = past[-1]
    ahead = [name for name in named if name[0] > pose["shown"]]
    if not linear or not ahead:
        return value
    end, goal, _ = ahead[0]
    share = (pose["shown"] - start) / (end - start)
    if name == "turn":
        return value + (goal - value) * share
    return tuple(a + (b - a) * share for a, b in zip(value, goal, strict=True))


def box_parts(box: Box, pose: dict[str, Any]) -> list[tuple[list[Point], float]]:
    """World corners of a box's convex parts, each with its radius."""
    if box.logged:
        found = logged(box, pose) or [([(0.0, 0.0)], 0.0)]
        return [([(pose["x"] + x, pose["y"] + y) for x, y in part], radius) for part, radius in found]
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
        if box.outline.grow < 0:
            middle = [sum(item[axis] for item in local[0]) / 4 for axis in (0, 1)]
            less = box.outline.grow
            local = [[tuple(c - math.copysign(-less, c - m) for c, m in zip(p, middle, strict=True)) for p in local[0]]]
            radius -= less
    cos, sin = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    parts = [[place((cos * x - sin * y + at[0], sin * x + cos * y + at[1]), pose) for x, y in part] for part in local]
    return [(part, (radius + box.outline.grow) * pose["scale"]) for part in parts]


def logged(box: Box, pose: dict[str, Any]) -> list[tuple[list[Point], float]]:
    """The parts that the game has of a box, as seen from its pose, with what they gain or lose; none if it has none."""
    found = []
    item = box.outline.grow * pose["scale"]
    for part in pose["boxes"].get(box.logged, ()):
        corners = [(x, y) for x, y in part.corners.tolist()]
        if part.is_rect:
            (x0, y0), (x1, y1) = corners[0], corners[2]
            less = min(item, 0.0)
            x0, y0, x1, y1 = (
                x0 - less - box.pad[0],
                y0 - less - box.pad[1],
                x1 + less + box.pad[2],
                y1 + less + box.pad[3],
            )
            if x1 > x0 and y1 > y0:
                found.append(([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], max(item, 0.0)))
        elif part.radius + item > 0 or len(corners) > 2:
            found.append((corners, part.radius + item))
    return found


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
    # rounded, as corners that are one but for their last digits would lead the wrapping astray
    ring = hull([(round(p[0] - q[0], 13), round(p[1] - q[1], 13)) for p in a for q in b])
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
    return min(gap(p, q) - r - s for p, r in box_parts(a, pose_a) for q, s in box_parts(b, pose_b))


def first_moment(
    box_a: Box, pose_a: dict[str, Any], way_a: Point, box_b: Box, pose_b: Any, way_b: Point, slack: float
) -> Any:
    """The first moment of a sweep at which the gap is 0, None if they never overlap enough.

    The gap of two convex parts is a convex function of the offset: its least is found by thirds, the first
    root by halves.
    """
    found = []
    for part_a, radius_a in box_parts(box_a, pose_a):
        for part_b, radius_b in box_parts(box_b, pose_b):
            reach = radius_a + radius_b

            def at(t: float, a: list[Point] = part_a, b: list[Point] = part_b, reach: float = reach) -> float:
                x, y = ((1 - t) * (value - other) for value, other in zip(way_a, way_b, strict=True))
                return gap([(p - x, q - y) for p, q in a], b) - reach

            low, high = 0.0, 1.0
            for _ in range(60):
                third = (high - low) / 3
                low, high = (low, high - third) if at(low + third) <= at(high - third) else (low + third, high)
            best = min((at(t), t) for t in (0.0, 1.0, low))
            if best[0] >= slack:
                continue
            # one that only grazes does so at its nearest: a moment before, it is nearly as near
            goal = max(0.0, best[0] + 1e-13) if best[0] <= 1e-9 else slack
            before, after = 0.0, best[1]
            for _ in range(40 if at(0.0) > goal else 0):
                half = (before + after) / 2
                before, after = (half, after) if at(half) > goal else (before, half)
            found.append(after if at(0.0) > goal else 0.0)
    return min(found) if found else None


class Reference:
    """Judges a recording; `events` are dictionaries as a ledger writes them, without places of contacts.

    `spots` are where hit effects appear, by frame and id: some point of a contact, which is tried on its own.
    """

    def __init__(self, rules: Rules, recording: Recording, spots: dict[tuple[int, str], Point] | None = None) -> None:
        self.rules, self.recording, self.spots = rules, recording, spots or {}
        self.kind = {actor.id: rules.kinds[actor.kind] for actor in recording.actors}
        self.owner = {actor.id: actor.owner for actor in recording.actors}
        self.first_owner = dict(self.owner)
        self.health = {name: kind.health for name, kind in self.kind.items()}
        self.guards: dict[str, Any] = {}
        self.stuns: dict[str, Any] = {}
        self.down: dict[str, int] = {}
        self.credit: dict[str, str] = {}
        self.landed: list[tuple[int, str, str, str]] = []
        self.struck: list[tuple[int, str, str, str]] = []
        self.contacts: set[tuple[int, str, str, str]] = set()
        self.swing_start: dict[tuple[str, str], int] = {}
        self.events: list[dict[str, Any]] = []
        self.seen: dict[str, dict[str, Any]] = {}
        self.gone: set[str] = set()
        self.logged_before: set[str] = set()
        self.counts: dict[Any, int] = {}
        self.offset = dict.fromkeys(self.kind, (0.0, 0.0))
        self.steps: dict[str, list[dict[str, Any]]] = {name: [] for name in self.kind}
        """Pushes under way: the steps that are left, how often each may bounce, and how much is left of it then."""
        self.sent: dict[str, Point] = {}
        self.won = False
        self.hurt_now: set[str] = set()
        self.present: set[str] = set()
        self.all_poses: dict[str, dict[str, Any]] = {}
        self.last_pose: dict[str, dict[str, Any]] = {}
        self.fights = Fights(self)
        self.latched: dict[str, set[str]] = {}
        self.last_logged: dict[str, dict[str, Any]] = {}
        self.judging = False
        """Whether a hit is taking effect, not what comes of itself."""
        self.start = self.starts(recording.first)
        self.entered: set[str] = set()
        self.sides: dict[str, str | None] = {}
        self.ended = False
        self.before: dict[str, dict[str, Any]] = {}
        self.vitals = Vitals(self)
        self.driven = Driven(self)
        self.since: dict[str, int] = {}  # the first of its unbroken frames
        self.held: dict[str, tuple[int, dict[str, Any], Point]] = {}  # last frame seen, pose, velocity a frame
        self.lingered: set[str] = set()
        self.last_shown: dict[str, int] = {}
        for frame in range(recording.first, recording.last + 1):
            self.fights.frame = frame
            if frame in recording.resets:
                self.vitals.mark(frame)
            if recording.resets.get(frame) == "run":
                self.last_shown.clear()
            logged = set(self.poses(frame))
            for name, pose in self.poses(frame).items():
                old = self.last_logged.get(name, pose)
                is_new = name not in self.last_logged and name not in self.lingered
                if is_new or (not pose["hidden"] and (pose["cut"] or old["hidden"])):
                    self.fights.give_back(name)
            self.last_logged = self.poses(frame)
            back = {name for name in self.gone if name in logged and name not in self.logged_before}
            self.gone -= back
            for name in back:
                self.fights.thaw(name)
            shown = self.lingering(frame)
            self.lingered = set(shown) - logged
            self.logged_before = logged
            if self.ended:
                self.driven.last_poses, self.before = shown, {}
                self.fights.tick(frame, ended=True)
                continue
            for name in logged:
                longest = self.kind[name].linger
                if (
                    frame - self.last_shown.get(name, frame) - 1 > longest
                    and self.kind[name].logged_kind in rules.spawned
                ):
                    self.renew(frame, name)
                self.last_shown[name] = frame
            self.present, self.all_poses = set(shown), shown
            shown |= self.driven.frame(frame, shown)
            self.fights.play(frame, shown)
            poses = {name: pose for name, pose in shown.items() if not pose["hidden"]}
            poses = {name: pose for name, pose in poses.items() if self.down.get(name, frame) >= frame}
            poses = {name: pose for name, pose in poses.items() if name not in self.gone}
            self.all_poses, self.present = shown, set(shown)
            self.last_pose |= shown
            self.latched = {}
            for name, pose in poses.items():
                pose["swings"] = self.opened(frame, name, pose)
            self.start_swings(frame, poses)
            for name, pose in poses.items():
                self.latched[name] = self.latch(name, pose)
                pose["open"] = self.opened(frame, name, pose)
            self.frame(frame, poses)
            self.before = {name: pose for name, pose in poses.items() if name not in self.gone}
        self.events.sort(key=lambda event: event["frame"])

    def starts(self, since: int) -> dict[str, Point]:
        """The first pose of each recorded actor from a frame on."""
        found = {}
        for number, actor in enumerate(self.recording.actors):
            there = self.recording.pose_from(number, since)
            if there is not None:
                row = there[0]
                found[actor.id] = self.recording.poses.x[row].item(), self.recording.poses.y[row].item()
        return found

    def enter(self, name: str, kind: Kind, owner: str | None, side: str | None) -> None:
        """A driven actor appears."""
        self.kind[name], self.owner[name], self.health[name] = kind, owner, kind.health
        self.first_owner[name] = owner
        self.fights.give_back(name)
        self.steps[name] = []
        self.fights.frozen.pop(name, None)
        self.fights.thaw(name)
        self.sides[name] = side
        self.before.pop(name, None)
        self.vitals.forget(name)
        self.vitals.held.discard(name)
        self.vitals.out.discard(name)
        self.fights.start(name)
        self.fights.cure(name)
        if hasattr(self, "driven"):
            self.driven.fired = {gun: number for gun, number in self.driven.fired.items() if gun[0] != name}
        self.vitals.lives[name] = kind.lives
        self.vitals.kinds_seen.add(kind.name)
        self.vitals.checkpoint.pop(name, None)
        for memory in (self.down, self.credit, self.stuns, self.guards):
            memory.pop(name, None)  # type: ignore[attr-defined]
        self.entered.add(name)

    def renew(self, frame: int, name: str) -> None:
        """The id of a shot is another one's, unless it comes back by its rule."""
        vitals, fights, kind = self.vitals, self.fights, self.kind[name]
        if name in vitals.due:
            return
        vitals.revive(name)
        vitals.forget(name)
        vitals.outs.pop(name, None)
        vitals.out.discard(name)
        vitals.checkpoint.pop(name, None)
        vitals.lives[name] = kind.lives
        fights.give_back(name)
        fights.cure(name)
        fights.start(name)
        self.gone.discard(name)
        self.offset[name] = (0.0, 0.0)
        for fallen in self.down:
            if self.credit.get(fallen) == name:
                self.credit[fallen] = ""
        pose = self.poses(frame)[name]
        self.start[name] = pose["x"], pose["y"]
        self.driven.since.pop(name, None)
        self.driven.fired = {gun: number for gun, number in self.driven.fired.items() if gun[0] != name}

    def poses(self, frame: int) -> dict[str, dict[str, Any]]:
        """The poses of a frame by actor id."""
        columns, rows = self.recording.poses, self.recording.block(frame, frame + 1)
        names = ("x", "y", "z", "facing", "angle", "scale", "hidden", "cut", "tick", "cell", "vx", "vy")
        found = {}
        for row in range(rows.start, rows.stop):
            pose = {name: getattr(columns, name)[row].item() for name in names}
            clip, name = int(columns.clip[row]), self.recording.actors[columns.actor[row]].id
            pose["clip"] = self.recording.clips[clip] if clip >= 0 else None
            pose["shown"] = self.shown(name, pose)
            slot = int(columns.logged[row])
            pose["boxes"] = self.recording.boxes.parts(slot) if slot >= 0 else {}
            tags = int(columns.tags[row])
            pose["tags"] = self.recording.tag_sets[tags] if tags >= 0 else frozenset()
            pose["cut"] = pose["cut"] or frame in self.recording.resets
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
            way = list(self.shorter(way[0], way[1], name))
            if last != frame - 1 or name not in self.seen:
                self.since[name] = frame
            items = [way[k] if math.isnan(pose[v]) else pose[v] / rate for k, v in enumerate(("vx", "vy"))]
            self.held[name] = (frame, pose, (items[0], items[1]))
        self.seen = dict(poses)
        for name, pose in poses.items():
            pose["v"] = tuple(step * float(self.rules.rate) for step in self.held[name][2])
            if self.fights.is_frozen(name, frame):
                pose["v"] = self.fights.stopped[name]
        for name, (last, pose, (dx, dy)) in self.held.items():
            steps = frame - last
            life = self.kind[name].motion.life
            ended = life is not None and last - self.since[name] + 1 >= life
            ended = ended or any(
                claim.event == "removed" and claim.id == name and claim.frame in (last, last + 1)
                for claim in self.recording.claims
            )
            ended = ended or self.steps_out(name, pose, (dx, dy))
            ended = ended and not any(
                claim.event == "hit"
                and name in (claim.attacker, claim.target)
                and last < claim.frame <= last + self.kind[name].linger
                for claim in self.recording.claims
            )
            if name not in poses and not pose["hidden"] and not ended and steps <= self.kind[name].linger:
                ahead = {"x": pose["x"] + dx * steps, "y": pose["y"] + dy * steps, "cut": False, "held": True}
                poses[name] = pose | ahead | {"v": (dx * float(self.rules.rate), dy * float(self.rules.rate))}
        return self.moved(frame, poses) if self.recording.reactions == "raw" else poses

    def moved(self, frame: int, poses: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        """The poses where hits have brought them: one more step of each push, and home at once."""
        for name, steps in self.steps.items():
            if steps and name in self.offset and not self.fights.is_frozen(name, frame):
                x, y = self.next_step(name)
                self.offset[name] = self.offset[name][0] + x, self.offset[name][1] + y
        result = {}
        for name, logged in poses.items():
            pose = logged
            if name in self.sent and not self.fights.is_frozen(name, frame):
                x, y = self.sent.pop(name)
                self.offset[name] = x - pose["x"], y - pose["y"]
                pose = pose | {"cut": True}
            dx, dy = self.offset[name]
            result[name] = pose | {"x": pose["x"] + dx, "y": pose["y"] + dy}
        return result

    def next_step(self, name: str) -> Point:
        """The step of this frame of all pushes together."""
        x, y = 0.0, 0.0
        for push in self.steps[name]:
            dx, dy = push["steps"].pop(0)
            x, y = x + dx, y + dy
        self.steps[name] = [push for push in self.steps[name] if push["steps"]]
        return x, y

    def bounce(self, name: str, axis: int, sign: int) -> None:
        """What is left of pushes into a surface, which faces `sign` along an axis, goes back."""
        for push in self.steps[name]:
            if push["left"] and any(step[axis] * sign < 0 for step in push["steps"]):
                push["left"] -= 1
                for step in push["steps"]:
                    step[axis] *= -push["share"]

    def steps_out(self, name: str, pose: dict[str, Any], way: Point) -> bool:
        """Whether its next step leaves the space, or comes into a solid that ends it."""
        motion, bounds = self.kind[name].motion, self.rules.space.bounds
        x, y = pose["x"] + way[0], pose["y"] + way[1]
        if motion.at_edge == "remove" and bounds and not (bounds[0] <= x <= bounds[2] and bounds[1] <= y <= bounds[3]):
            return True
        bodies = [box for box in self.kind[name].boxes if box.role == "body"]
        points = [(box.at[0] + p[0], box.at[1] + p[1]) for box in bodies for p in box.outline.parts[0].tolist()]
        points = points or [(0.0, 0.0)]
        for solid in self.rules.space.solids if motion.on_solid == "remove" else ():
            for part in solid.outline.parts:
                low, high = part.min(axis=0).tolist(), part.max(axis=0).tolist()
                inside = [
                    place + max(p[k] for p in points) > low[k] and place + min(p[k] for p in points) < high[k]
                    for k, place in enumerate((x, y))
                ]
                if all(inside):
                    return True
        return False

    @staticmethod
    def told(pose: dict[str, Any]) -> Point:
        """The velocity of a pose that is cut: as logged, else none."""
        x, y = (0.0 if math.isnan(pose[axis]) else pose[axis] for axis in ("vx", "vy"))
        return x, y

    def shorter(self, x: float, y: float, *names: str) -> Point:
        """A way, the shorter one where one of those it concerns wraps."""
        bounds = self.rules.space.bounds
        if bounds is None or not any(self.kind[name].wraps for name in names):
            return x, y
        width, height = bounds[2] - bounds[0], bounds[3] - bounds[1]
        return x - width * math.floor(x / width + 0.5), y - height * math.floor(y / height + 0.5)

    def past(self, name: str, pose: dict[str, Any]) -> dict[str, Any] | None:
        """Its pose of the frame before, if it was in play: of places that are one, the nearest."""
        old = self.before.get(name)
        if old is None:
            return None
        x, y = self.shorter(pose["x"] - old["x"], pose["y"] - old["y"], name)
        return old if not self.kind[name].wraps else old | {"x": pose["x"] - x, "y": pose["y"] - y}

    def opened(self, frame: int, name: str, pose: dict[str, Any]) -> set[str]:
        """The names of the boxes that are open in a pose."""
        found = set()
        kind, bounds = self.kind[name], self.rules.space.bounds
        for box in kind.boxes:
            if not box.opens(pose["clip"], pose["shown"]) or (box.logged and not logged(box, pose)):
                continue
            stunned = self.fights.holds_on(self.stuns, name, frame)
            if box.role == "hitbox" and kind.stun_disarms and stunned:
                continue
            if name in self.latched and box.name not in self.latched[name]:
                continue
            if box.within_bounds and bounds is not None:
                parts = [(point, radius) for part, radius in box_parts(box, pose) for point in part]
                for axis in (0, 1):
                    outside = min(point[axis] - radius for point, radius in parts) < bounds[axis] - 1e-6
                    if outside or max(point[axis] + radius for point, radius in parts) > bounds[axis + 2] + 1e-6:
                        break
                else:
                    found.add(box.name)
                continue
            found.add(box.name)
        return found

    def latch(self, name: str, pose: dict[str, Any]) -> set[str]:
        """The boxes whose conditions hold now."""
        self.all_poses[name] = pose
        self.present.add(name)
        return {box.name for box in self.kind[name].boxes if self.fights.meets(name, box.if_)}

    def start_swings(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Notes where a swing of an attack begins, and of each actor where its being in play does."""
        for name, pose in poses.items():
            old = self.before.get(name)
            if old is None:
                self.swing_start[name, ""] = frame
            same = old is not None and old["clip"] == pose["clip"]
            if not same or old is None or pose["shown"] < old["shown"] or pose["tick"] < old["tick"]:
                self.swing_start[name, "clip"] = frame
            for attack in {box.attack for box in self.kind[name].boxes if box.attack}:
                own = [box for box in self.kind[name].boxes if box.attack == attack]
                opened = any(box.name in pose["swings"] for box in own)
                if not opened:
                    continue
                went_on = old is not None and any(box.name in old["swings"] for box in own)
                if went_on and old is not None:
                    went_on = (
                        old["clip"] == pose["clip"] and old["shown"] <= pose["shown"] and old["tick"] <= pose["tick"]
                    )
                if not went_on:
                    self.swing_start[name, attack] = frame

    def way(self, name: str, box: Box, pose: dict[str, Any]) -> Point:
        """How far the anchor of a box has come since the frame before, if it has a usable past."""
        old = self.past(name, pose)
        if old is None or pose["cut"] or old["clip"] != pose["clip"] or old["facing"] != pose["facing"]:
            return 0.0, 0.0
        if box.name not in old["open"]:
            return 0.0, 0.0
        now, then = (self.anchor(box, fields) for fields in (pose, old))
        return now[0] - then[0], now[1] - then[1]

    @staticmethod
    def anchor(box: Box, pose: dict[str, Any]) -> Point:
        """What of a box is followed on its way."""
        if not box.logged:
            return place(keyed(box, pose, "at", box.at), pose)
        value = pose["boxes"].get(box.logged, ())
        own = logged(box, pose)
        if len(value) == 1 and value[0].is_rect and own:
            (x0, y0), _, (x1, y1), _ = own[0][0]
        else:
            bounds = [part.bounds for part in value] or [(0.0, 0.0, 0.0, 0.0)]
            x0, y0 = (min(bound[axis] for bound in bounds) for axis in (0, 1))
            x1, y1 = (max(bound[axis] for bound in bounds) for axis in (2, 3))
        return pose["x"] + (x0 + x1) / 2, pose["y"] + (y0 + y1) / 2

    def meeting(
        self, frame: int, attacker: str, hit: Box, pose_a: Any, target: str, hurt: Box, pose_b: Any, near: float
    ) -> tuple[float, Point] | None:
        """When two boxes touch, and by how much the attacker then stands elsewhere in a space that wraps."""
        if hit.name not in self.opened(frame, attacker, pose_a) or hurt.name not in self.opened(frame, target, pose_b):
            return None
        if hit.depth and hurt.depth:
            sides = [
                [pose["z"] + end * pose["scale"] for end in box.depth] for pose, box in ((pose_a, hit), (pose_b, hurt))
            ]
            if min(sides[0][1], sides[1][1]) - max(sides[0][0], sides[1][0]) <= 1e-6:
                return None
        bounds, over = self.rules.space.bounds, [(0.0, 0.0)]
        if bounds is not None and (self.kind[attacker].wraps or self.kind[target].wraps):
            width, height = bounds[2] - bounds[0], bounds[3] - bounds[1]
            over = [(i * width, j * height) for i in (-1, 0, 1) for j in (-1, 0, 1)]
        found = []
        for dx, dy in over:
            there = pose_a | {"x": pose_a["x"] + dx, "y": pose_a["y"] + dy}
            way = self.way(attacker, hit, pose_a), self.way(target, hurt, pose_b)
            t = self.time(attacker, hit, there, target, hurt, pose_b, way, near)
            if t is not None:
                found.append((round(t, 6), abs(dx) + abs(dy), dx, dy, t))
        *_, dx, dy, t = min(found) if found else (0.0, 0.0, None)
        return None if t is None else (t, (dx, dy))

    def time(
        self,
        attacker: str,
        hit: Box,
        pose_a: dict[str, Any],
        target: str,
        hurt: Box,
        pose_b: Any,
        ways: Any,
        near: float,
    ) -> float | None:
        """When two boxes that are open touch in this frame, None if they do not."""
        slack = near or (1e-6 if self.rules.contact.edges_touch else -1e-6)
        if not self.swept(attacker, hit) and not self.swept(target, hurt):
            return 1.0 if box_gap(hit, pose_a, hurt, pose_b) < slack else None
        moment: float | None = first_moment(hit, pose_a, ways[0], hurt, pose_b, ways[1], slack)
        return moment

    def swept(self, name: str, box: Box) -> bool:
        """Boxes of kinds that emitters or parents spawn are swept unless they say not."""
        fans = [fan for kind in self.rules.kinds.values() for fan in kind.down.spawn]
        fans += [emitter.fan for kind in self.rules.kinds.values() for emitter in kind.emitters]
        bred = self.kind[name].name in {fan.kind for fan in fans}
        return bred if box.swept is None else box.swept

    def side(self, name: str, seen: tuple[str, ...] = ()) -> str | None:
        """The kind's side, else the owner's; of a logged child without either that of all its parents."""
        if name not in self.kind or name in seen:
            return None
        if name in self.fights.sides and not seen:
            return self.fights.sides[name]
        own = self.first_owner[name]
        if self.sides.get(name):
            return self.kind[name].side or self.sides[name]
        if self.kind[name].side or own or name in self.entered:
            return self.kind[name].side or (self.side(own, (*seen, name)) if own else None)
        kinds = self.rules.kinds.values()
        parents = {kind.side for kind in kinds if self.kind[name].name in [fan.kind for fan in kind.down.spawn]}
        return parents.pop() if len(parents) == 1 else None

    def swing(self, name: str, attack: Attack) -> int:
        """When the swing began that an attack is in."""
        timed = any(box.attack == attack.name and box.during is not None for box in self.kind[name].boxes)
        return self.swing_start[name, "clip" if attack.rehit_group else attack.name if timed else ""]

    def ranks(self, poses: dict[str, Any]) -> dict[str, Any]:
        """What decides among equals."""
        recorded = self.rules.contact.order == "recorded"
        return {name: place if recorded else name for place, name in enumerate(poses)}

    def clash(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Hitboxes that meet, before anything is judged."""
        found: dict[Any, float] = {}
        ranks = self.ranks(poses)
        layers = {name: 1 << place for place, name in enumerate(self.rules.layers)}
        pairs = [
            (number, two) for number, mask in self.rules.contact.clash.items() for two in layers.values() if mask & two
        ]
        for text, pose_a in poses.items():
            for two, pose_b in poses.items():
                owned = self.owner[text] == two or self.owner[two] == text
                owned = owned or (self.owner[text] is not None and self.owner[text] == self.owner[two])
                ally = self.side(text) is not None and self.side(text) == self.side(two)
                if not pairs or ranks[text] >= ranks[two] or ally or owned:
                    continue
                for mine in self.kind[text].boxes:
                    for theirs in self.kind[two].boxes:
                        if mine.role != "hitbox" or theirs.role != "hitbox":
                            continue
                        if self.fights.is_frozen(text, frame) or self.fights.is_frozen(two, frame):
                            continue
                        own, other = self.fights.turned(text, mine), self.fights.turned(two, theirs)
                        either = ((own.layer, other.layer), (other.layer, own.layer))
                        if not any(a & first and b & second for first, second in pairs for a, b in either):
                            continue
                        met = self.meeting(frame, text, mine, pose_a, two, theirs, pose_b, 0.0)
                        if met is not None:
                            key = (text, two, mine.attack, theirs.attack)
                            found[key] = min(round(met[0], 6), found.get(key, 1.0))
        for key in sorted(found, key=lambda key: (found[key], ranks[key[0]], ranks[key[1]], *key[2:])):
            self.meet(frame, *key)

    def meet(self, frame: int, text: str, two: str, mine: str, theirs: str) -> None:
        """One clash."""
        fights, attacks = self.fights, (self.rules.attacks[mine], self.rules.attacks[theirs])
        swings = self.swing(text, attacks[0]), self.swing(two, attacks[1])
        sides = [(text, attacks[0].memory_key), (two, attacks[1].memory_key)]
        keys = (*sides[0], *sides[1]) if text < two else (*sides[1], *sides[0])
        before = fights.clashes.get(keys)
        fights.clashes[keys] = (*(swings if text < two else reversed(swings)), frame)
        if before is not None:
            before = before if text < two else (before[1], before[0], before[2])
            again = before[2] < frame - 1
            timed = [any(b.attack == a.name and b.during is not None for b in self.kind[n].boxes)
                     for n, a in ((text, attacks[0]), (two, attacks[1]))]  # fmt: skip
            fresh = [before[k] != swings[k] if timed[k] else again for k in (0, 1)]
            if not any(fresh):
                return
        if any(fights.cancelled.get(side) == swing for side, swing in zip(sides, swings, strict=True)):
            return
        if {text, two} & self.consumed or {text, two} & set(self.down):
            return
        strong = attacks[0].strength, attacks[1].strength
        lost = (strong[0] <= strong[1], strong[1] <= strong[0])
        row = {"frame": frame, "event": "clash", "id": text, "other": two, "attack": mine, "other_attack": theirs}
        if not all(lost):
            row["winner"] = two if lost[0] else text
        self.events.append(row)
        for k in (0, 1):
            if lost[k]:
                fights.cancelled[sides[k]] = swings[k]
        length = max(attacks[0].clash.hitstop, attacks[1].clash.hitstop)
        for name in (text, two) if length else ():
            fights.freeze(frame, name, length)
        for k, name, other in ((0, text, two), (1, two, text)):
            table = attacks[k].clash.attacker if lost[k] else attacks[k].clash.winner
            if table is not None:
                fights.lose(frame, name, table.damage, other)
                if table.iframes is not None:
                    self.immunise(frame, name, table.iframes, attacks[k].name, table.iframes_mode)
                self.react(frame, name, other, other, attacks[k].name, table, "attacker", 1.0)
                if table.remove:
                    self.consumed.add(name)
                fights.reach(frame, attacks[k].name, {name: other}, None)

    def frame(self, frame: int, poses: dict[str, dict[str, Any]]) -> None:
        """Finds, sorts and judges the contacts of one frame."""
        self.consumed: set[str] = set()
        self.hurt_now = set()
        self.clash(frame, poses)
        found: list[tuple[Any, ...]] = []
        self.met: dict[Any, tuple[float, Point]] = {}
        for attacker, pose_a in poses.items():
            for target, pose_b in poses.items():
                for hit in self.kind[attacker].boxes:
                    for hurt in self.kind[target].boxes:
                        if attacker == target or hit.role != "hitbox" or hurt.role != "hurtbox":
                            continue
                        attack = self.rules.attacks[hit.attack or ""]
                        if self.fights.is_frozen(attacker, frame):
                            continue
                        if not self.may_meet(attack, attacker, target, hit, hurt):
                            continue
                        met = self.meeting(frame, attacker, hit, pose_a, target, hurt, pose_b, 0.0)
                        if met is not None:
                            self.met[attacker, hit.name, target, hurt.name] = met
                            t = round(met[0], 6)
                            order = (
                                (not attack.preempts, -attack.priority),
                                t,
                                attacker,
                                attack.name,
                                target,
                                -hurt.rank,
                                t,
                            )
                            found.append((*order, hit.name, hurt.name, attack, hit, hurt))
        earliest: dict[Any, float] = {}
        for items in found:
            earliest[items[2:5]] = min(items[1], earliest.get(items[2:5], 1.0))
        ranks = self.ranks(poses)
        found.sort(key=lambda o: (o[0], earliest[o[2:5]], ranks[o[2]], o[3], ranks[o[4]], *o[5:9]))
        hurt_now = self.hurt_now
        self.fights.choices.clear()
        preempted: set[tuple[str, str]] = set()
        first_of_frame = set(self.contacts)
        for *order, attack, hit, hurt in found:
            attacker, target = order[2], order[4]
            self.now = (poses, hit, hurt)
            self.now_t, self.now_over = self.met[attacker, hit.name, target, hurt.name]
            self.cases: list[Case] | None = None
            outcome = self.outcome(frame, attacker, target, attack, first_of_frame, preempted)
            if outcome != "unmet":
                self.contacts.add((frame, attacker, attack.memory_key, target))
            held = "held" in poses[attacker] or "held" in poses[target]
            cases = self.cases or []
            lands = all(case.lands for case in cases)
            self.tables = {"attacker": attack.attacker, "target": attack.target}
            for case in cases if lands else ():
                self.tables |= {side: table for side in self.tables if (table := getattr(case, side)) is not None}
            self.now_damage = self.fights.damage(attacker, target, attack, cases if lands else [], hurt)
            self.tell(frame, attacker, target, hit, hurt, attack, outcome, order[1], held)
            if outcome == "landed":
                hurt_now.add(target)
                preempted |= {(target, attacker)} if attack.preempts else set()
                self.land(frame, attacker, target, attack, cases)
            else:
                self.consume(target, attack.name, "target", outcome)
                self.consume(attacker, attack.name, "attacker", outcome)
        self.fights.ache(frame)
        solid = {name for name, body in self.driven.bodies.items() if body.get("solid") == frame}
        for name in sorted(hurt_now):
            if self.health[name] == 0 and name not in self.down:
                self.vitals.fall(frame, name)
        if hurt_now:
            self.vitals.earn(frame)
        for name in sorted(hurt_now):
            if self.down.get(name) == frame:
                self.vitals.lie_down(frame, name)
        self.vitals.take_lives(frame)
        ends = {
            name
            for name, body in self.driven.bodies.items()
            if "ends" in body and self.vitals.is_due(name, body["ends"], frame)
        }
        for name in sorted(self.consumed | solid | ends):
            why = "consumed" if name in self.consumed else "solid" if name in solid else "down"
            self.events.append({"frame": frame, "event": "removed", "id": name, "detail": why})
            if name in self.driven.bodies:
                self.driven.remove(name)
            self.landed = [entry for entry in self.landed if name not in entry]
            self.struck = [entry for entry in self.struck if name != entry[1]]
            self.contacts = {contact for contact in self.contacts if name not in contact}
            self.counts = {key: count for key, count in self.counts.items() if key[0] != name}
            self.fights.forget(name)
        self.gone |= self.consumed
        self.vitals.settle(frame)
        self.fights.change_hands(frame)

    def may_meet(self, attack: Attack, attacker: str, target: str, hit: Box, hurt: Box) -> bool:
        """Layers, masks and owners."""
        hit, hurt = self.fights.turned(attacker, hit), self.fights.turned(target, hurt)
        if not attack.hits_owner:
            own = self.owner[attacker]
            if own == target or (own is not None and own == self.owner[target]):
                return False
        forth, back = hit.mask & hurt.layer != 0, hurt.mask & hit.layer != 0
        ways = {"hitbox": forth, "hurtbox": back, "both": forth and back, "either": forth or back}
        return ways[self.rules.contact.detect]

    def outcome(self, frame: int, attacker: str, target: str, attack: Attack, before: set[Any], early: set[Any]) -> str:
        """The first gate that stops it."""
        side = self.side(attacker)
        if side is not None and side == self.side(target) and not attack.friendly:
            return "ally"
        if frame in (self.down.get(attacker), self.down.get(target)):
            return "down"
        if attacker in self.consumed or target in self.consumed:
            return "consumed"
        _, hit, hurt = self.now
        if self.fights.cancelled.get((attacker, attack.memory_key)) == self.swing(attacker, attack):
            return "clashed"
        if not self.fights.holds(attacker, target, hit, hurt, attack.if_):
            return "unmet"
        self.cases = self.fights.choose(attacker, target, hit, hurt, attack)
        if not all(case.lands for case in self.cases):
            return "unmet"
        if (attacker, target) in early:
            return "preempted"
        hits = [entry[0] for entry in self.landed if entry[1:] == (attacker, attack.memory_key, target)]
        timed = any(box.attack == attack.name and box.during is not None for box in self.kind[attacker].boxes)
        mode = attack.rehit.mode if attack.rehit else "once" if self.owner[attacker] or timed else "always"
        if frame in hits:
            return "repeat"
        if attack.max_targets is not None:
            swings = timed or attack.rehit_group is not None
            others = set()
            for number, *whose, other in self.struck:
                since = number >= self.swing(attacker, attack)
                if not swings:
                    span = [at for at in range(number, frame) if not self.fights.is_frozen(attacker, at)]
                    since = all((at, attacker, attack.memory_key, other) in self.contacts for at in span)
                if whose == [attacker, attack.memory_key] and other != target and since:
                    others.add(other)
            if len(others) >= attack.max_targets:
                return "repeat"
        if mode == "once" and any(
            hit >= self.swing_start[attacker, "clip" if attack.rehit_group else attack.name if timed else ""]
            for hit in hits
        ):
            return "repeat"
        last = frame - 1
        while self.fights.is_frozen(attacker, last):
            last -= 1
        if mode == "entry" and (last, attacker, attack.memory_key, target) in before:
            return "repeat"
        free = [self.fights.free(attacker, hit, frame) for hit in hits]
        if mode == "after" and attack.rehit and any(index < attack.rehit.frames for index in free):
            return "repeat"
        if self.is_immune(target, frame) and not attack.ignores_iframes:
            return "immune"
        return "landed"

    def tell(
        self,
        frame: int,
        attacker: str,
        target: str,
        hit: Box,
        hurt: Box,
        attack: Attack,
        outcome: str,
        t: float,
        held: bool,
    ) -> None:
        """Writes a contact, or lengthens the run it continues with."""
        row: dict[str, Any] = {"attacker": attacker, "hitbox": hit.name, "target": target, "hurtbox": hurt.name}
        row |= {"attack": attack.name, "outcome": outcome}
        name = "+".join(case.name for case in self.cases or ())
        row |= {"case": name} if name else {}
        for event in reversed(self.events if outcome != "landed" else []):
            same = event["event"] == "contact" and row.items() <= event.items()
            if same and event.get("case") == row.get("case"):
                if event["until"] == frame - 1 and frame not in self.recording.resets:
                    event["until"] = frame
                    return
                break
        row |= {"frame": frame, "until": frame, "event": "contact", "t": t}
        if held:
            row["detail"] = "lingering"
        if outcome == "unmet" and name:
            row["detail"] = name
        if outcome == "landed":
            row["damage"] = self.now_damage[0]
        self.events.append(row)

    def comes_from(self, attacker: str, target: str, asked: ContactCondition) -> bool:
        """Where the attacker comes from, and what it meets."""
        poses, hit, hurt = self.now
        up = -1 if self.rules.space.up == "-y" else 1
        if asked.onto is not None and self.slope(attacker, target) > asked.onto + 1e-6:
            return False
        if not asked.from_ and not asked.not_from:
            return True
        mine, theirs = poses[attacker], poses[target]
        if asked.from_by == "edge":
            if all(name in self.before and not poses[name]["cut"] for name in (attacker, target)):
                pasts = self.past(attacker, mine), self.past(target, theirs)
                mine, theirs = (  # a box that it had not, or that was eaten up, has the shape of this frame
                    old | ({} if logged(box, old) else {"boxes": fields["boxes"]})
                    for box, fields, old in zip((hit, hurt), (mine, theirs), pasts, strict=True)
                )
            mine = mine | {"x": mine["x"] + self.now_over[0], "y": mine["y"] + self.now_over[1]}
            heights = []
            for box, pose in ((hit, mine), (hurt, theirs)):
                parts = box_parts(box, pose)
                heights.append(min(y * up - radius for part, radius in parts for _, y in part))
                heights.append(max(y * up + radius for part, radius in parts for _, y in part))
            above = heights[0] >= heights[3] - asked.slack - 1e-6
            below = heights[1] <= heights[2] + asked.slack + 1e-6
        else:
            mine = mine | {"x": mine["x"] + self.now_over[0], "y": mine["y"] + self.now_over[1]}
            higher = (mine["y"] - theirs["y"]) * up
            above, below = higher > asked.slack, -higher > asked.slack
        heading = self.heading(theirs)
        ahead = (mine["x"] - theirs["x"]) * heading[0] + (mine["y"] - theirs["y"]) * heading[1] >= 0
        where = "above" if above else "below" if below else "ahead" if ahead else "behind"
        return (not asked.from_ or where in asked.from_) and where not in asked.not_from

    def slope(self, attacker: str, target: str) -> float:
        """How far off up the surface faces where they first touch: by the difference of the two shapes."""
        poses, hit, hurt = self.now
        late = 1 - self.now_t
        ways = [self.way(name, box, poses[name]) for name, box in ((attacker, hit), (target, hurt))]
        (part_a, _), (part_b, _) = box_parts(hit, poses[attacker])[0], box_parts(hurt, poses[target])[0]
        x, y = (self.now_over[k] - late * (ways[0][k] - ways[1][k]) for k in (0, 1))
        ring = hull([(round(p[0] + x - q[0], 9), round(p[1] + y - q[1], 9)) for p in part_a for q in part_b])
        up = -1 if self.rules.space.up == "-y" else 1
        move = [ways[0][k] - ways[1][k] for k in (0, 1)]
        edges = list(zip(ring, ring[1:] + ring[:1], strict=True))
        inside = len(ring) > 2 and all(cross(start, end, (0.0, 0.0)) >= -1e-6 for start, end in edges)
        if not inside:
            best = min((to_segment(start, end), start, end) for start, end in edges)
            (x0, y0), (x1, y1) = best[1:]
            square = (x1 - x0) ** 2 + (y1 - y0) ** 2
            share = 0.0 if square == 0 else min(1.0, max(0.0, -(x0 * (x1 - x0) + y0 * (y1 - y0)) / square))
            nx, ny = x0 + share * (x1 - x0), y0 + share * (y1 - y0)
            if math.hypot(nx, ny) > 1e-6:
                return math.degrees(math.atan2(abs(nx), ny * up))
        normals = []
        if len(ring) == 1:  # two points in one place: every way is as short, and the axes are asked
            edges = [(ring[0], (ring[0][0] + dx, ring[0][1] + dy)) for dx, dy in ((1, 0), (0, 1), (-1, 0), (0, -1))]
        for (x0, y0), (x1, y1) in edges:
            length = math.hypot(x1 - x0, y1 - y0)
            nx, ny = -(y1 - y0) / length, (x1 - x0) / length  # into the difference: the way A goes to be free
            normals.append((-(x0 * nx + y0 * ny), nx * move[0] + ny * move[1], -abs(ny), nx, ny))
        least = min(normal[0] for normal in normals)
        near = [normal for normal in normals if normal[0] < least + 1e-6]
        against = min(pair[1] for pair in near)
        near = [pair for pair in near if pair[1] < against + 1e-6]
        level = min(pair[2] for pair in near)
        *_, nx, ny = max((pair for pair in near if pair[2] < level + 1e-6), key=lambda pair: pair[4] * up)
        return math.degrees(math.atan2(abs(nx), ny * up))

    @staticmethod
    def heading(pose: dict[str, Any]) -> Point:
        """Local +x in the world."""
        (x, y), (x0, y0) = place((1.0, 0.0), pose), place((0.0, 0.0), pose)
        return (round((x - x0) / pose["scale"], 12), round((y - y0) / pose["scale"], 12))

    def consume(self, name: str, attack: str, side: str, outcome: str) -> None:
        """`remove` with `pierce`."""
        table = self.tables[side]
        if table.remove and outcome in table.consumed_by:
            key = (name, attack, side)
            self.counts[key] = self.counts.get(key, 0) + 1
            if self.counts[key] > table.pierce:
                self.consumed.add(name)

    def at(self, name: str, t: float) -> Point:
        """Where an actor is at a time of the frame."""
        pose = self.now[0][name]
        old = self.past(name, pose)
        if old is None or pose["cut"]:
            return pose["x"], pose["y"]
        return old["x"] + (pose["x"] - old["x"]) * t, old["y"] + (pose["y"] - old["y"]) * t

    def react(
        self, frame: int, name: str, other: str | None, attacker: str, attack: str, table: Any, side: str, t: float
    ) -> None:
        """One side's table; of a counter that has come to a limit, `other` may be no actor."""
        kind, poses = self.kind[name], self.all_poses
        by = other or name

        def tell(event: str, **more: Any) -> None:
            self.events.append({"frame": frame, "event": event, "id": name, **more})

        until = self.fights.give_timer(self.stuns, name, frame, frame + 1, table.stun, table.stun_mode)
        if until is not None:
            tell("stun", until=until, by=by)
        push = table.knockback
        if push:
            hx, hy = self.heading(poses[attacker])
            x, y = hx, hy
            if isinstance(push.direction, float):
                x, y = math.cos(math.radians(push.direction)), math.sin(math.radians(push.direction))
                x = -x if hx < 0 else x
            elif push.direction == "travel":
                x, y = poses[attacker]["v"]
            elif push.direction != "facing":
                (x1, y1), (x0, y0) = self.at(name, t), self.at(other or attacker, t)
                sign = -1 if side == "target" else 1
                over = self.now_over if self.judging else (0.0, 0.0)
                x, y = x1 - x0 + sign * over[0], y1 - y0 + sign * over[1]
                y = 0.0 if push.direction == "flat" else y
            x, y = (x, y) if x or y else (hx, hy)
            size = push.distance / kind.weight / math.hypot(x, y)
            until = self.fights.end(name, frame, push.over)
            tell("knockback", dx=x * size, dy=y * size, until=until, by=by)
            homing = name in self.sent or self.driven.bodies.get(name, {}).get("homing")
            moves = self.recording.reactions == "raw" or name in self.driven.bodies
            if moves and (name not in self.down or kind.down.keeps_push) and not homing:
                weights = [push.over - k if push.ease == "fade" else 1 for k in range(push.over)]
                steps = [[x * size * weight / sum(weights), y * size * weight / sum(weights)] for weight in weights]
                old = self.steps[name] if push.mode == "add" else []
                bounces = push.bounce_times if push.bounces else 0
                self.steps[name] = [*old, {"steps": steps, "left": bounces, "share": push.bounces}]
        if table.launch:
            up = -1 if self.rules.space.up == "-y" else 1
            vx, vy = poses[name]["v"]
            adds = table.launch.mode == "add"
            if table.launch.up is not None:
                speed = table.launch.up * (self.kind[other].bounce if other else 1) * up
                vy = vy + speed if adds else speed
            if table.launch.ahead is not None or table.launch.away is not None:
                ahead = -1 if self.heading(poses[by])[0] < 0 else 1
                apart = poses[name]["x"] - poses[by]["x"]
                if self.judging:
                    apart += self.now_over[0] * (-1 if side == "target" else 1)
                away = ahead if apart == 0 else math.copysign(1, apart)
                speed = (table.launch.ahead or 0) * ahead + (table.launch.away or 0) * away
                vx = vx + speed if adds else speed
            tell("launch", vx=vx, vy=vy, by=by)
            if name in self.driven.bodies and name not in self.down:
                self.driven.bodies[name]["v"] = (vx, vy)
        if self.judging and table is self.tables[side]:
            self.consume(name, attack, side, "landed")
        if table.home:
            body = self.driven.bodies.get(name)
            x, y = self.start[name] if body is None else body["home"][:2]
            tell("home", x=x, y=y)
            self.steps[name] = []
            if body is not None:
                body["homing"] = True
            elif self.recording.reactions == "raw":
                self.sent[name] = (x, y)
        if table.checkpoint:
            self.vitals.checkpoint[name] = (poses[by]["x"], poses[by]["y"])
            tell("checkpoint", x=poses[by]["x"], y=poses[by]["y"])
        for counter, points in sorted(table.gives.items()):
            if isinstance(points, str):
                sign, words = (-1, points[1:]) if points[0] == "-" else (1, points)
                amount = self.now_damage[words == "unscaled"] if self.judging else 0
                points = sign * amount
            self.fights.give(frame, name, counter, points, by)
        lives = self.vitals.lives[name]
        if table.lives and lives is not None:
            item = max(lives + table.lives, 0)
            self.vitals.lives[name] = item if kind.max_lives is None else min(item, max(kind.max_lives, lives))
            before, after = (self.vitals.told(name, count) for count in (lives, self.vitals.lives[name]))
            if before != after:
                tell("life", before=before, after=after, by=by)
        if table.over_time:
            self.fights.poison(frame, name, by, attack, table.over_time)
        self.won = self.won or table.goal
        if table.spawn:
            births = self.driven.fan(f"effect+{table.spawn}", Fan(table.spawn), 0.0, (0, 0), (0, 0))
            for birth in births:
                birth["x"], birth["y"] = self.spots.get((frame + 1, birth["id"]), (0.0, 0.0))
                birth["z"] = self.last_pose[self.struck_now if self.judging else name]["z"]
            self.driven.waiting += births
        if table.reflect and other:
            self.fights.reflect(frame, name, other, table.reflect)

    def land(self, frame: int, attacker: str, target: str, attack: Attack, cases: list[Case]) -> None:
        """Health, then the tables of both sides."""
        self.landed.append((frame, attacker, attack.memory_key, target))
        self.struck.append(self.landed[-1])
        self.judging, self.struck_now = True, target
        fights, mine, theirs = self.fights, self.tables["attacker"], self.tables["target"]
        lost = fights.lose(frame, target, self.now_damage[0], attacker)
        lost = plus(lost, fights.lose(frame, target, theirs.damage, attacker))
        fights.lose(frame, attacker, mine.damage, target)
        thief = self.owner.get(attacker) or attacker
        there = thief in self.recording.numbers or thief in self.driven.bodies
        if mine.lifesteal and lost > 0 and there and thief not in self.down:
            exact = Fraction(repr(float(lost))) * Fraction(repr(float(mine.lifesteal)))
            stolen = whole(exact, self.rules.contact.round_damage)
            fights.lose(frame, thief, -float(stolen), target)
        stops = [(case.hitstop, case.hitstop_on) for case in cases]
        length = next((number for number, _ in reversed(stops) if number is not None), attack.hitstop)
        whom = next((literal for _, literal in reversed(stops) if literal is not None), attack.hitstop_on)
        if length:
            fights.stop(frame, attacker, target, length, whom)
        most = next((case.damage for case in reversed(cases) if case.damage is not None), attack.damage)
        if (most > 0 and all(case.scale > 0 for case in cases)) or theirs.iframes is not None:
            named = theirs.iframes
            length = self.kind[target].iframes if named is None else named
            self.immunise(frame, target, length, attack.name, theirs.iframes_mode)
        self.react(frame, target, attacker, attacker, attack.name, theirs, "target", self.now_t)
        if mine.iframes is not None:
            self.immunise(frame, attacker, mine.iframes, attack.name, mine.iframes_mode)
        self.react(frame, attacker, target, attacker, attack.name, mine, "attacker", self.now_t)
        fights.reach(frame, attack.name, {attacker: target, target: attacker}, (attacker, target))
        self.judging = False

    def immunise(self, frame: int, name: str, length: int, cause: str, mode: str) -> None:
        """Adds the immune frames one by one."""
        first = frame if self.rules.contact.same_frame == "first" else frame + 1
        until = self.fights.give_timer(self.guards, name, frame, first, length, mode)
        if until is None:
            return
        self.events.append({"frame": frame, "event": "iframes", "id": name, "until": until, "cause": cause})

    def is_immune(self, name: str, frame: int) -> bool:
        """By i-frames, or by the clip that it shows."""
        pose = self.all_poses.get(name, {}) if name in self.present else {}
        clip = self.kind[name].clips.get(pose.get("clip") or "")
        shown = pose.get("shown", -1)
        by_clip = clip is not None and any(first <= shown <= last for first, last in clip.iframes)
        return by_clip or self.fights.holds_on(self.guards, name, frame)
