"""The slow reference model's driven actors: one body, one frame, one emitter at a time."""

from __future__ import annotations

import math
from collections import defaultdict
from hashlib import blake2b
from typing import TYPE_CHECKING, Any

from voskar.core.rules import Emitter, Fan, Motion, Target

if TYPE_CHECKING:
    from tests.reference import Reference

Point = tuple[float, float]


def turned(degrees: float) -> float:
    """In (-180, 180]."""
    degrees = math.remainder(degrees, 360)
    return 180.0 if degrees == -180 else degrees


def unit(degrees: float) -> Point:
    """A direction; right angles are exact."""
    x, y = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (round(x), round(y)) if degrees % 90 == 0 else (x, y)


def chance(seed: int, name: str, what: str) -> float:
    """A draw."""
    return int.from_bytes(blake2b(f"{seed}:{name}:{what}".encode(), digest_size=8).digest(), "big") / 2**64


class Driven:
    """Bodies by id: dictionaries with a pose, a velocity and whatever else they remember."""

    def __init__(self, world: Reference) -> None:
        self.world, self.rules, self.recording = world, world.rules, world.recording
        self.bodies: dict[str, dict[str, Any]] = {}
        self.waiting: list[dict[str, Any]] = []
        self.counts: dict[str, int] = defaultdict(int)
        self.fired: dict[tuple[str, str], int] = {}
        self.shown = self.kinds_from(self.recording.first)
        self.run_mark = -1
        self.dt = 1 / float(self.rules.rate)
        self.up = -1 if self.rules.space.up == "-y" else 1
        inputs = self.recording.inputs
        self.down: dict[tuple[str, str], set[int]] = defaultdict(set)
        self.aims: dict[tuple[int, str], list[tuple[str, Point]]] = defaultdict(list)
        for row in range(len(inputs)):
            name, button, frame = inputs.ids[inputs.id[row]], inputs.buttons[inputs.button[row]], int(inputs.frame[row])
            if inputs.down[row]:
                self.down[name, button].add(frame)
            if not math.isnan(inputs.aim[row][0]):
                self.aims[frame, name].append((button, tuple(inputs.aim[row].tolist())))
        self.since: dict[str, int] = {}
        self.last_poses: dict[str, dict[str, Any]] = {}
        self.place_fixtures(self.recording.first)

    def kinds_from(self, first: int) -> set[str]:
        """The kinds that a run of the recording shows."""
        marks = [mark for mark, what in self.recording.resets.items() if what == "run" and mark > first]
        last = min([*marks, self.recording.last + 1])
        frames, actors = self.recording.poses.frame.tolist(), self.recording.poses.actor.tolist()
        shown = {actor for frame, actor in zip(frames, actors, strict=True) if first <= frame < last}
        return {self.recording.actors[actor].kind for actor in shown}

    def place_fixtures(self, frame: int) -> None:
        """Those that are not there."""
        for fixture in self.rules.fixtures:
            if fixture.id not in self.recording.numbers and fixture.id not in self.bodies:
                own = self.rules.kinds[fixture.kind].motion.velocity
                velocity = (own[0] * fixture.facing, own[1]) if fixture.velocity is None else fixture.velocity
                birth = {
                    "id": fixture.id,
                    "kind": fixture.kind,
                    "x": fixture.at[0],
                    "y": fixture.at[1],
                    "angle": fixture.angle,
                    "z": fixture.z,
                }
                self.appear(frame, birth | {"v": velocity, "facing": fixture.facing}, quiet=True)

    def appear(self, frame: int, birth: dict[str, Any], quiet: bool = False) -> None:
        """A birth comes true."""
        self.world.gone.discard(birth["id"])  # a fixture of a run that begins again
        fields = {key: birth[key] for key in ("id", "kind", "x", "y", "angle")}
        fields |= {key: birth[key] for key in ("owner", "emitter") if birth.get(key) is not None}
        expected = not quiet and birth["kind"] in self.shown
        if not quiet:
            table = {"detail": "expected"} if expected else {}
            self.world.events.append({"frame": frame, "event": "spawn", **fields, **table})
        if expected:
            return
        kind = self.rules.kinds[birth["kind"]]
        body = {
            "kind": kind.name,
            "scale": 1.0,
            "facing": birth.get("facing", 1),
            "hidden": False,
            "cut": False,
            "cell": -1,
        }
        body["z"] = birth.get("z", 0.0)
        body |= {"x": birth["x"], "y": birth["y"], "angle": birth["angle"], "clip": kind.motion.clip, "tick": 0}
        body |= {"v": kind.motion.velocity if birth["v"] is None else birth["v"], "born": frame, "motion": kind.motion}
        body["home"] = (body["x"], body["y"], body["v"], body["facing"])
        body |= {"played": frame, "first_angle": body["angle"]}
        body |= {"bounces": kind.motion.bounces, "gun": (birth.get("owner"), birth.get("emitter"))}
        body |= {"expires": kind.motion.life, "new": True}
        self.bodies[birth["id"]] = body
        self.since[birth["id"]] = frame
        self.world.enter(birth["id"], kind, birth.get("owner"), birth.get("side"))

    def frame(self, frame: int, recorded: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        """Steps 1 and 3: who moves, leaves and appears; the poses of all that are there."""
        fights = self.world.fights
        fights.frame = frame
        for name in sorted(self.bodies):
            body = self.bodies[name]
            if body.pop("new", False) and body["born"] == frame:
                continue
            frozen = fights.is_frozen(name, frame)
            life = body["expires"]
            lived = fights.free(name, body.get("reborn", body["born"]), frame) - ("reborn" in body)
            expired = life is not None and lived == life and not frozen
            body["cut"] = body["cut"] and not frozen
            why = "expired" if expired else "" if frozen else self.move(name, body)
            if body.get("returns") and why != "expired":
                continue
            if why in ("expired", "edge"):
                self.world.events.append({"frame": frame, "event": "removed", "id": name, "detail": why})
                self.remove(name)
            elif why:
                body["solid"] = frame
        seen = recorded | {name: self.pose(name, frame) for name in self.bodies}
        self.world.all_poses, self.world.present = seen, set(seen)
        self.world.fights.tick(frame)
        self.world.all_poses, self.world.present = recorded, set(recorded)
        self.world.vitals.returns(frame, recorded)
        fresh, self.waiting, self.came = self.waiting, [], set()
        self.poses = recorded | {name: self.pose(name, frame) for name in self.bodies}
        self.leaving: list[str] = []
        for birth in fresh:
            self.appear(frame, birth)
            if birth.get("at_once"):
                self.move_at_once(frame, birth["id"]) if birth["id"] in self.bodies else None
                if birth["kind"] in self.shown:
                    self.from_muzzle(frame, birth, birth.get("owner"))
        self.poses = recorded | {name: self.pose(name, frame) for name in self.bodies}
        self.world.all_poses, self.world.present = self.poses, set(self.poses)
        for name in recorded:
            if not recorded[name]["hidden"]:
                self.since.setdefault(name, frame)
        owners = [(name, emitter) for name in sorted(self.poses) for emitter in self.world.kind[name].emitters]
        fired: set[str] = set()
        for name, emitter in sorted(owners, key=lambda own: self.is_new(own[0])):
            if not self.is_new(name) or self.world.kind[name].logged_kind not in fired:
                self.pull(frame, name, emitter)
            if self.fired.get((name, emitter.name)) == frame and not self.is_new(name):
                fired.add(emitter.fan.kind)
        for name in sorted(self.leaving):
            self.world.events.append({"frame": frame, "event": "removed", "id": name, "detail": "edge"})
            self.remove(name)
        result = {name: self.pose(name, frame) for name in self.bodies}
        self.last_poses = recorded | result
        return result

    def remove(self, name: str) -> None:
        """Gone for good."""
        del self.bodies[name]
        self.world.contacts = {contact for contact in self.world.contacts if name not in contact}
        self.world.fights.cure(name)
        self.world.fights.forget(name)
        self.world.vitals.due.pop(name, None)

    def pose(self, name: str, frame: int, body: dict[str, Any] | None = None) -> dict[str, Any]:
        """The pose of a body."""
        body = body or self.bodies[name]
        kind = self.world.kind[name]
        pose = {
            key: body[key] for key in ("x", "y", "z", "facing", "angle", "scale", "hidden", "cut", "cell", "clip", "v")
        }
        free = self.world.fights.free
        since, length = body.get("hides", (frame, 0))
        pose["hidden"] = pose["hidden"] or free(name, since, frame) > length
        pose["tick"] = free(name, body["played"], frame) if kind.motion.clip else -1
        pose["shown"] = self.world.shown(name, pose)
        pose["boxes"], pose["tags"] = {}, frozenset()
        return pose

    def move(self, name: str, body: dict[str, Any]) -> str:
        """One step; why it is removed, if it is."""
        self.moving = name
        motion: Motion = body["motion"]
        push = self.world.next_step(name)
        body["cut"], turn = bool(body.pop("homing", False)), body.pop("turn", 0.0)
        if body["cut"]:
            x, y, body["v"], body["facing"] = body["home"]
            body["x"], body["y"] = x + push[0], y + push[1]
            body["angle"] += motion.spin * self.dt
            return ""
        fall = -self.rules.space.gravity * self.up * motion.gravity
        keep = max(0.0, 1 - motion.drag * self.dt)
        vx = (body["v"][0] + motion.acceleration[0] * self.dt) * keep
        vy = (body["v"][1] + (motion.acceleration[1] + fall) * self.dt) * keep
        speed = math.hypot(vx, vy)
        if motion.max_speed is not None and speed > motion.max_speed:
            vx, vy = vx / speed * motion.max_speed, vy / speed * motion.max_speed
        body["v"] = (vx, vy)
        body["angle"] += motion.spin * self.dt + turn
        way = (vx * self.dt + push[0], vy * self.dt + push[1])
        why = self.travel(name, body, way)
        return why or self.edges(body)

    def travel(self, name: str, body: dict[str, Any], way: Point) -> str:
        """Along a way, as far as solids let it."""
        rule = body["motion"].on_solid
        for _ in range(4 if rule != "pass" else 0):
            found = self.obstacle(name, body, way)
            if found is None:
                break
            t, axis, sign = found
            body["x"], body["y"] = body["x"] + way[0] * t, body["y"] + way[1] * t
            v = list(body["v"])
            if rule == "remove" or (rule == "bounce" and body["bounces"] == 0):
                return "solid"
            self.world.bounce(name, axis, sign)
            if rule == "bounce":
                body["bounces"] = body["bounces"] and body["bounces"] - 1
                if v[axis] * sign < 0:
                    v[axis] = -v[axis]
                    body["v"] = (v[0] * body["motion"].bounciness, v[1] * body["motion"].bounciness)
                return ""
            if rule == "turn" and axis == 0:
                body["v"], body["facing"] = (-v[0], v[1]), -body["facing"]
                return ""
            if v[axis] * sign < 0:
                v[axis] = 0.0
            body["v"] = (v[0], v[1])
            rest = [way[0] * (1 - t), way[1] * (1 - t)]
            rest[axis] = 0.0
            way = (rest[0], rest[1])
        else:
            if rule != "pass":
                return ""
        body["x"], body["y"] = body["x"] + way[0], body["y"] + way[1]
        return ""

    def obstacle(self, name: str, body: dict[str, Any], way: Point) -> tuple[float, int, int] | None:
        """The first upright rectangle on the way of an upright rectangle: when, on which axis, facing which way."""
        boxes = [box for box in self.world.kind[name].boxes if box.role == "body"]
        half = [0.0, 0.0]
        centre = [body["x"], body["y"]]
        if boxes:
            corners = boxes[0].outline.parts[0].tolist()
            half = [max(corner[axis] for corner in corners) for axis in (0, 1)]
            centre = [body["x"] + boxes[0].at[0] * body["facing"], body["y"] + boxes[0].at[1]]
        found = []
        for solid in self.rules.space.solids:
            if boxes and solid.layer and not solid.layer & boxes[0].mask:
                continue
            points = solid.outline.parts[0].tolist()
            enter, leave, sides = 0.0, 1.0, []
            for axis in (0, 1):
                low = min(point[axis] for point in points) - half[axis]
                high = max(point[axis] for point in points) + half[axis]
                inside = (low + 1e-6 < centre[axis], centre[axis] < high - 1e-6)
                if way[axis] == 0:
                    if not all(inside):
                        break
                    times = (-math.inf, math.inf)
                    depths = [(low - centre[axis], -1), (centre[axis] - high, 1)]
                else:
                    near, far = (low, high) if way[axis] > 0 else (high, low)
                    times = ((near - centre[axis]) / way[axis], (far - centre[axis]) / way[axis])
                    slack = 1e-6 / abs(way[axis])
                    enter, leave = max(enter, times[0] + slack), min(leave, times[1] - slack)
                    depths = [(low - centre[axis], -1), (centre[axis] - high, 1)]
                sides += [(depth, axis, sign, times[0]) for depth, sign in depths]
            else:
                if enter >= leave:
                    continue
                outside = [side for side in sides if side[0] > 1e-9 and way[side[1]] * side[2] < 0]
                if outside:
                    t = max(entry[3] for entry in outside)
                    met = [entry for entry in outside if entry[3] > t - 1e-9]
                else:
                    t, best = 0.0, max(side[0] for side in sides)
                    met = [side for side in sides if side[0] > best - 1e-6]
                into, level, axis, sign = min(
                    (round(way[entry[1]] * entry[2], 9), -entry[1], *entry[1:3]) for entry in met
                )
                if into < 0:
                    found.append((round(t, 9), into, level, t, axis, sign))
        return min(found)[3:] if found else None

    def edges(self, body: dict[str, Any]) -> str:
        """The bounds, each axis for itself."""
        motion, bounds = body["motion"], self.rules.space.bounds
        if bounds is None or motion.at_edge == "none":
            return ""
        for axis, name in enumerate("xy"):
            low, high, v = bounds[axis], bounds[axis + 2], list(body["v"])
            if low <= body[name] <= high:
                continue
            if motion.at_edge == "remove" or (motion.at_edge == "bounce" and body["bounces"] == 0):
                return "edge"
            if motion.at_edge == "wrap":
                body[name] = low + (body[name] - low) % (high - low)
                body["cut"] = body["cut"] or not self.rules.kinds[body["kind"]].wraps
                continue
            self.world.bounce(self.moving, axis, 1 if body[name] < low else -1)
            if motion.at_edge == "bounce":
                body[name] = 2 * (low if body[name] < low else high) - body[name]
                body["bounces"] = body["bounces"] and body["bounces"] - 1
                v = [item * motion.bounciness for item in v]
                v[axis] = -v[axis]
            else:
                v[axis] = 0.0
            body["v"] = (v[0], v[1])
            body[name] = min(max(body[name], low), high)
        return ""

    def pull(self, frame: int, name: str, emitter: Emitter) -> None:
        """One emitter in one frame."""
        when, pose, before = emitter.when, self.poses[name], self.last_poses.get(name)
        down = self.down[name, when.name]
        anew = frame == self.run_mark
        now, then = frame in down, frame - 1 in down and not anew
        if when.on == "every":
            since = self.since.get(name, 1 << 60)
            while self.world.fights.is_frozen(name, since):
                since += 1  # what would begin in a freeze begins after it
            late = self.world.fights.free(name, since, frame) - when.first
            due = (
                late >= 0 and late % when.every == 0 and since <= frame and not self.world.fights.is_frozen(name, frame)
            )
        elif when.on == "clip":
            due = pose["clip"] == when.name and pose["shown"] >= when.cell
            placed = name in self.bodies and self.bodies[name]["played"] == frame  # its clip starts again
            if due and not placed and not anew and before is not None and before["clip"] == when.name:
                anew = pose["shown"] < before["shown"] or pose["tick"] < before["tick"]
                due = anew or before["shown"] < when.cell
        else:
            due = {"press": now and not then, "release": then and not now, "hold": now}[when.on]
        if due and emitter.when.charge is not None:
            least, most = emitter.when.charge
            at = frame - 1
            while at - 1 in down and at > self.run_mark:
                at -= 1
            due = frame - at >= least and (most is None or frame - at <= most)
        if not due or not self.world.fights.meets(name, emitter.if_):
            return
        gun = (name, emitter.name)
        if pose["hidden"]:
            reason = "hidden"
        elif name in self.world.down:
            reason = "down"
        elif name in self.world.gone:
            reason = "consumed"
        elif self.world.fights.is_frozen(name, frame):
            reason = "frozen"
        elif self.world.fights.holds_on(self.world.stuns, name, frame):
            reason = "stunned"
        elif gun in self.fired and self.world.fights.free(name, self.fired[gun], frame) < emitter.cooldown:
            reason = "cooldown"
        elif emitter.limit is not None and self.alive(frame, name, emitter) + emitter.fan.count > emitter.limit:
            reason = "limit"
        else:
            self.fired[gun] = frame
            self.shoot(frame, name, pose, emitter)
            return
        if when.on in ("press", "release", "clip"):
            row = {"frame": frame, "event": "denied", "id": name, "emitter": emitter.name, "detail": reason}
            self.world.events.append(row)

    def alive(self, frame: int, name: str, emitter: Emitter) -> int:
        """How many of an emitter's own are there, those left out that a recording shows for the first time."""
        group = [emitter]
        if emitter.limit_group is not None:
            group = [gun for gun in self.world.kind[name].emitters if gun.limit_group == emitter.limit_group]
        kinds = {gun.fan.kind for gun in group} & set(self.shown)
        guns = [(name, gun.name) for gun in group if gun.fan.kind not in kinds]
        count = sum(body["gun"] in guns for body in self.bodies.values())
        for pose, shown in self.poses.items():
            recorded = pose not in self.bodies and self.world.kind[pose].name in kinds
            recorded = recorded and self.world.owner[pose] == name and pose in self.last_poses
            count += recorded and not (shown.get("held") or self.last_poses[pose].get("held"))  # which only lingers
        return count

    def is_new(self, name: str) -> bool:
        """Whether a logged actor that something spawns is shown since this frame."""
        logs = name not in self.bodies and self.world.kind[name].logged_kind in self.rules.spawned
        return logs and self.last_poses.get(name, {"hidden": True})["hidden"]

    def is_fired_later(self, name: str, by: str) -> bool:
        """Whether a logged actor is new, and fired after an actor has fired, or by it."""
        kind, owner = self.world.kind[name].logged_kind, self.world.owner[name]
        own = {emitter.fan.kind for emitter in self.world.kind[by].emitters}
        later = kind in own if owner is None else owner >= by
        return later and self.is_new(name)

    def shoot(self, frame: int, name: str, pose: dict[str, Any], emitter: Emitter) -> None:
        """One fan."""
        from tests.reference import place

        heading = turned(pose["angle"] + (180 if pose["facing"] < 0 else 0))
        origin = place(emitter.pivot if emitter.turns else emitter.muzzle, pose)
        aim, goal = heading, None
        if isinstance(emitter.aim, float):
            aim = turned(180 - emitter.aim if unit(heading)[0] < 0 else emitter.aim)
        elif isinstance(emitter.aim, Target):
            others = []
            for other, there in self.poses.items():
                of_kind = other != name and self.world.kind[other].name == emitter.aim.target
                out = there["hidden"] or other in self.world.down or other in self.world.gone
                if of_kind and not out and not self.is_fired_later(other, name):
                    way = self.world.shorter(there["x"] - origin[0], there["y"] - origin[1], other, name)
                    others.append((math.hypot(*way), other, (origin[0] + way[0], origin[1] + way[1])))
            goal = min(others)[2] if others else None
        elif emitter.aim == "input":
            timed = emitter.when.on in ("every", "clip")
            pairs = [point for button, point in self.aims[frame, name] if timed or button == emitter.when.name]
            goal = pairs[-1] if pairs else None
            if goal is not None:
                way = self.world.shorter(goal[0] - origin[0], goal[1] - origin[1], name)
                goal = goal if way == (0, 0) else (origin[0] + way[0], origin[1] + way[1])
        if goal is not None and math.dist(goal, origin) >= 1e-9:
            aim = turned(math.degrees(math.atan2(goal[1] - origin[1], goal[0] - origin[0])))
        x, y = place(emitter.muzzle, pose)
        if emitter.turns:
            cos, sin = unit(aim)
            along = (emitter.muzzle[0] - emitter.pivot[0]) * pose["scale"]
            across = (emitter.muzzle[1] - emitter.pivot[1]) * pose["scale"] * (-1 if cos < 0 else 1)
            x, y = origin[0] + cos * along - sin * across, origin[1] + sin * along + cos * across
        births = self.fan(f"{name}/{emitter.name}", emitter.fan, aim, (x, y), pose["v"])
        for birth in births:
            if emitter.within:
                x0, y0, x1, y1 = emitter.within
                birth["x"] = x0 + (x1 - x0) * chance(self.recording.seed, birth["id"], "x")
                birth["y"] = y0 + (y1 - y0) * chance(self.recording.seed, birth["id"], "y")
            own = {"owner": name, "emitter": emitter.name, "side": self.world.side(name)}
            self.appear(frame, birth | own | {"facing": 1, "z": pose["z"]})
            if emitter.moves_at_once and birth["id"] in self.bodies:
                self.move_at_once(frame, birth["id"])
            if birth["id"] in self.bodies:
                self.poses[birth["id"]] = self.pose(birth["id"], frame)
            elif emitter.moves_at_once:
                self.from_muzzle(frame, birth, name, is_drawn=bool(emitter.within))

    def move_at_once(self, frame: int, name: str) -> None:
        """The first move, from the muzzle."""
        world, body = self.world, self.bodies[name]
        muzzle = self.pose(name, frame)
        muzzle["swings"] = muzzle["open"] = world.opened(frame, name, muzzle)
        world.start_swings(frame, {name: muzzle})
        world.before[name] = muzzle
        why = self.move(name, body)
        if why == "edge":
            self.leaving.append(name)
        elif why:
            body["solid"] = frame

    def from_muzzle(self, frame: int, birth: dict[str, Any], owner: str, *, is_drawn: bool = False) -> None:
        """A logged shot that appears now has come from the muzzle, or from a place that the game has drawn."""
        world, found = self.world, []
        vx, vy = self.rules.kinds[birth["kind"]].motion.velocity if birth["v"] is None else birth["v"]
        rate = float(self.recording.rate)
        goal = birth["x"] + vx / rate, birth["y"] + vy / rate
        back = {event["id"] for event in world.events if (event["event"], event["frame"]) == ("respawn", frame)}
        for other, pose in self.poses.items():
            known = (other in world.before or pose["cut"]) and frame not in self.recording.resets
            known = known or other in self.came or other in back
            logged = other in self.recording.numbers and world.kind[other].name == birth["kind"]
            there = not pose["hidden"] and other not in world.gone and world.down.get(other, frame) >= frame
            if logged and there and not known and world.owner[other] in (None, owner):
                found.append((round(math.dist(goal, (pose["x"], pose["y"])), 6), other))
        if found:
            pose = self.poses[min(found)[1]]
            x, y = (pose["x"] - vx / rate, pose["y"] - vy / rate) if is_drawn else (birth["x"], birth["y"])
            muzzle = pose | {"x": x, "y": y}
            muzzle["swings"] = muzzle["open"] = world.opened(frame, min(found)[1], muzzle)
            world.start_swings(frame, {min(found)[1]: muzzle})
            world.before[min(found)[1]] = muzzle
            self.came.add(min(found)[1])
            pose["cut"] = False
            run = max((mark for mark in self.recording.resets if mark <= frame), default=self.recording.first)
            if self.recording.pose_from(self.recording.numbers[min(found)[1]], run)[1] == frame:
                world.start[min(found)[1]] = x, y

    def fan(self, prefix: str, fan: Fan, centre: float, at: Point, inherited: Point) -> list[dict[str, Any]]:
        """Births side by side."""
        births = []
        for index in range(fan.count):
            self.counts[prefix] += 1
            name = f"{prefix}-{self.counts[prefix]}"
            angle = centre + (0 if fan.count == 1 else fan.spread * (index / (fan.count - 1) - 0.5))
            angle = turned(angle + fan.jitter * (2 * chance(self.recording.seed, name, "jitter") - 1))
            velocity = None
            if fan.speed is not None or fan.inherit is not None:
                parts = zip(unit(angle), inherited, strict=True)
                least, most = fan.speed if isinstance(fan.speed, tuple) else (fan.speed or 0,) * 2
                speed = least + (most - least) * chance(self.recording.seed, name, "speed")
                x, y = (value * speed + other * (fan.inherit or 0) for value, other in parts)
                velocity = (x, y)
            births.append({"id": name, "kind": fan.kind, "x": at[0], "y": at[1], "angle": angle, "v": velocity})
        return births

    def leave_children(self, name: str, pose: dict[str, Any]) -> None:
        """What an actor that goes down leaves for the next frame."""
        v = pose["v"]
        centre = turned(math.degrees(math.atan2(v[1], v[0]))) if v[0] or v[1] else 90.0 * self.up
        for fan in self.world.kind[name].down.spawn:
            for birth in self.fan(f"{name}+{fan.kind}", fan, centre, (pose["x"], pose["y"]), v):
                fields = {"at_once": fan.moves_at_once, "z": pose["z"]} | {
                    "owner": self.world.owner[name],
                    "side": self.world.side(name),
                }
                self.waiting.append(birth | fields)
