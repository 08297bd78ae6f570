"""The slow reference model's lives: who is down, who comes back and when, what starts again, and when a run ends."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from voskar.core.rules import Attack, Motion, Respawn

if TYPE_CHECKING:
    from tests.reference import Reference

Pose = dict[str, Any]


class Vitals:
    """Looks at everyone in every frame."""

    def __init__(self, world: Reference) -> None:
        self.world, self.rules, self.recording = world, world.rules, world.recording
        self.first = {actor.id: self.recording.pose_from(n, 0) for n, actor in enumerate(self.recording.actors)}
        self.lives: dict[str, int | None] = {name: kind.lives for name, kind in world.kind.items()}
        self.score: dict[str, float] = {}
        self.earned: dict[tuple[str, str], int] = {}
        self.checkpoint: dict[str, Any] = {}
        self.fell_at: dict[str, Any] = {}
        self.due: dict[str, tuple[int, int]] = {}
        self.owed: dict[str, tuple[int, int]] = {}
        self.held: set[str] = set()
        self.safe: set[str] = set()
        """Who could have come back, and waits for a pose."""
        self.out: set[str] = set()
        self.lost: set[str] = set()
        """Who went down as it was consumed."""
        self.outs: dict[str, tuple[int, int]] = {}
        self.succeeded: set[str] = set()
        self.seen: dict[str, int] = {}
        self.kinds_seen: set[str] = set()
        self.run_start = self.recording.first
        self.any_out = False

    def mark(self, frame: int) -> None:
        """The game began again."""
        world, whole = self.world, self.recording.resets[frame] == "run"
        world.ended = world.won = False
        world.start = world.starts(frame)
        for name in [actor.id for actor in self.recording.actors]:
            if whole or name not in self.out:
                world.fights.give_back(name)
                if not whole:
                    self.take_life(frame, name)
                self.revive(name)
            world.offset[name] = (0.0, 0.0)
            world.steps[name] = []
            world.sent.pop(name, None)
            world.driven.since.pop(name, None)
        if whole:
            self.out.clear()
            self.first = {actor.id: self.recording.pose_from(n, frame) for n, actor in enumerate(self.recording.actors)}
            world.driven.shown, world.driven.run_mark = world.driven.kinds_from(frame), frame
            world.driven.last_poses = {}
        self.outs.clear()
        self.due.clear()
        world.gone.clear()
        world.held.clear()
        world.landed, world.struck, world.contacts, world.counts = [], [], set(), {}
        world.fights.poisons.clear()
        world.fights.cancelled.clear()
        world.fights.clashes.clear()
        world.fights.all_frozen = -1
        world.driven.fired.clear()
        if whole:
            self.checkpoint.clear()
        self.start_over(frame, None, whole)

    def revive(self, name: str) -> None:
        """As at the start."""
        world = self.world
        world.health[name] = world.kind[name].health
        world.steps[name] = []
        world.fights.thaw(name)
        for memory in (world.down, world.stuns, world.guards, world.credit, self.owed):
            memory.pop(name, None)  # type: ignore[attr-defined]
        self.held.discard(name)
        self.safe.discard(name)

    def start_over(self, frame: int, returning: str | None, whole: bool) -> None:
        """Fixtures as at the start, what was spawned gone."""
        world, driven = self.world, self.world.driven
        self.kinds_seen.clear()
        fixtures = {fixture.id: fixture for fixture in self.rules.fixtures}
        for name in sorted(driven.bodies):
            if name == returning:
                continue
            driven.remove(name)
            if name not in fixtures:
                world.events.append({"frame": frame - 1, "event": "removed", "id": name, "detail": "reset"})
        driven.waiting = []
        self.outs = {
            name: due for name, due in self.outs.items() if name in self.recording.numbers or name == returning
        }
        if whole:
            driven.counts.clear()
            if returning in driven.bodies and returning not in fixtures:
                driven.counts[returning.rpartition("-")[0]] = int(returning.rpartition("-")[2])
            self.run_start = frame
            self.score.clear()
            self.earned.clear()
            self.seen.clear()
            if returning is None:
                self.succeeded.clear()
            self.any_out = False
            world.fights.drop_strangers()
            for name, kind in world.kind.items():
                kept = kind.respawn.keeps if kind.respawn else frozenset()
                world.fights.start(name, kept)
                self.lives[name] = kind.lives
                self.owed.pop(name, None)
                self.out.discard(name)
                waits = name in self.due or (kind.succession and name in self.recording.numbers)
                if name in world.down and name not in self.due and returning is not None:
                    self.outs.pop(name, None)
                if name in world.down and not waits and returning is not None:
                    self.revive(name)
                    self.forget(name)
                    driven.since.pop(name, None)
                    self.readmitted.append(name)
        driven.place_fixtures(frame)

    def fall(self, frame: int, name: str) -> None:
        """Goes down."""
        world, kind = self.world, self.world.kind[name]
        pose = world.last_pose[name]
        world.down[name], self.fell_at[name] = frame, (pose["x"], pose["y"])
        if not kind.down.keeps_push:
            world.steps[name] = []
        world.fights.cure(name)
        row = {"frame": frame, "event": "down", "id": name, "by": world.credit[name]}
        left = self.lives[name]
        if left is not None:
            row["lives"] = self.told(name, max(left - 1, 0))
            self.owed[name] = frame, kind.down.life_after
            if kind.down.life_after == 0:
                self.lives[name] = max(left - 1, 0)
                del self.owed[name]
        world.events.append(row)
        if kind.down.worth:
            who: str = world.credit[name]
            seen = {who}
            known = {*self.recording.numbers, *world.driven.bodies}
            while who in known and world.side(who) is None and world.owner.get(who) not in (None, *seen):
                who = world.owner[who] or ""
                seen.add(who)
            there = who in self.recording.numbers or who in world.driven.bodies
            side = (world.side(who) if there else None) or who
            self.score[side] = self.score.get(side, 0) + kind.down.worth
            fields = {"id": side, "points": kind.down.worth, "total": self.score[side]}
            world.events.append({"frame": frame, "event": "score", **fields})
        world.driven.leave_children(name, pose)

    def told(self, name: str, lives: int) -> int:
        """Those in reserve, of a kind that counts them so."""
        return lives if not self.world.kind[name].spare else 0 if lives == 0 else lives - 1

    def earn(self, frame: int) -> None:
        """Lives for points."""
        world = self.world
        alive = [name for name in world.kind if name in self.seen or name in world.driven.bodies]
        steps: dict[tuple[str, str], int] = {}
        for name in sorted(world.kind):
            kind, rule = world.kind[name], world.kind[name].extra_life
            if rule is None or (name not in self.recording.numbers and name not in world.driven.bodies):
                continue
            who = world.side(name) or name
            key = (who, kind.name)
            passed = [
                rule.score * n for n in range(1, 99 if rule.repeats else 2) if rule.score * n <= self.score.get(who, 0)
            ]
            steps.setdefault(key, max(len(passed) - self.earned.get(key, 0), 0))
            self.earned[key] = max(len(passed), self.earned.get(key, 0))
            if name not in alive or self.lives[name] is None or name in self.out or name in self.succeeded:
                continue
            before = self.lives[name] or 0
            room = steps[key] if kind.max_lives is None else max(min(steps[key], kind.max_lives - before), 0)
            self.lives[name] = before + room
            if self.told(name, before + room) != self.told(name, before):
                table = {"before": self.told(name, before), "after": self.told(name, before + room)}
                world.events.append({"frame": frame, "event": "life", "id": name, **table})
            if room and name in self.outs and world.down[name] < frame:
                self.come_after_all(frame, name)

    def come_after_all(self, frame: int, name: str) -> None:
        """One that waits to be out."""
        kind, body = self.world.kind[name], self.world.driven.bodies.get(name)
        if self.left(name) == 0 or name in self.lost or (kind.respawn is None and not (kind.succession and not body)):
            return
        self.outs.pop(name)
        if body is not None or not kind.succession:
            after = kind.respawn.after if kind.respawn else 0
            self.due[name] = frame, max(self.world.down[name] + after - frame, 1)
        if body is not None:
            body["returns"] = True
            body.pop("ends", None)

    def is_due(self, name: str, due: tuple[int, int], frame: int) -> bool:
        """So many frames after another one, of those that count for an actor."""
        fights = self.world.fights
        if due[1] == 0:
            return frame == due[0]
        return fights.free(name, due[0], frame) == due[1] and not fights.is_frozen(name, frame)

    def left(self, name: str) -> int | None:
        """The lives once the one is taken that is owed."""
        lives = self.lives[name]
        return lives if lives is None or name not in self.owed else max(lives - 1, 0)

    def take_life(self, frame: int, name: str) -> None:
        """The life that is owed."""
        if name not in self.recording.numbers and name not in self.world.driven.bodies:
            self.owed.pop(name, None)  # gone before its life was taken
            return
        before, after = self.lives.get(name), self.left(name) if name in self.owed else None
        if self.owed.pop(name, None) is not None and after != before:
            self.lives[name] = after
            table = {"before": self.told(name, before or 0), "after": self.told(name, after or 0)}
            if table["before"] != table["after"]:
                self.world.events.append({"frame": frame, "event": "life", "id": name, **table})

    def take_lives(self, frame: int) -> None:
        """Those that fall due in a frame."""
        outs = {name for name, due in self.outs.items() if self.is_due(name, due, frame)}
        for name in sorted(name for name, due in self.owed.items() if self.is_due(name, due, frame) or name in outs):
            self.take_life(frame, name)

    def lie_down(self, frame: int, name: str) -> None:
        """At the end of the frame in which it went down: comes back, stays to be seen, or is out."""
        world, kind = self.world, self.world.kind[name]
        body = world.driven.bodies.get(name)
        (self.lost.add if name in world.consumed else self.lost.discard)(name)
        returns = self.left(name) != 0 and name not in world.consumed
        returns = returns and (kind.respawn is not None or (kind.succession and body is None))
        if returns and (body is not None or not kind.succession):
            assert kind.respawn is not None
            self.due[name] = frame, max(kind.respawn.after, 1)
        leaves = kind.down.lasts if kind.down.out_after is None else kind.down.out_after
        if not returns and self.lives[name] is not None:
            self.outs[name] = frame, (0 if name in world.consumed else leaves)
        if body is not None:
            body |= {"motion": kind.down.motion or Motion(), "hidden": kind.down.hide, "returns": returns}
            body["v"] = body["v"] if kind.down.motion else (0.0, 0.0)
            body["hides"] = frame, kind.down.lasts
            body |= {} if returns else {"ends": (frame, leaves)}

    def settle(self, frame: int) -> None:
        """Who is out, and whether the run has ended."""
        world, goal = self.world, self.rules.goal
        for name in sorted(name for name, due in self.outs.items() if self.is_due(name, due, frame)):
            del self.outs[name]
            self.out.add(name)
            self.any_out = True
            world.events.append({"frame": frame, "event": "out", "id": name})
        alive = [name for name in world.kind if name in self.seen or name in world.driven.bodies]
        playing = [name for name in alive if self.lives[name] is not None and name not in self.succeeded]
        won = "goal" if world.won else None
        if goal.survive is not None and frame == self.run_start + goal.survive:
            won = won or "survive"
        there = [name for name, pose in world.all_poses.items() if not pose["hidden"]]
        there = [name for name in there if name in self.recording.numbers or name in world.driven.bodies]
        left = {world.kind[name].name for name in there if name not in world.down and name not in world.gone}
        left |= {world.kind[name].name for name in world.down if self.to_return(name)}
        if goal.clear and all(kind in self.kinds_seen and kind not in left for kind in goal.clear):
            won = won or "clear"
        if self.any_out and all(name in self.out for name in playing):
            world.ended = True
            world.events.append({"frame": frame, "event": "over"})
        elif won:
            world.ended = True
            world.events.append({"frame": frame, "event": "won", "detail": won})

    def to_return(self, name: str) -> bool:
        """Down, and not for good."""
        world, kind = self.world, self.world.kind[name]
        if name in self.recording.numbers:
            successor = (
                kind.succession and name not in self.lost and self.left(name) != 0 and name not in self.succeeded
            )
            return successor or (name in self.due and not kind.succession)
        return name in world.driven.bodies and name in self.due

    def returns(self, frame: int, recorded: dict[str, Pose]) -> None:
        """Step 2. Changes the poses of those who come back."""
        world = self.world
        for name in sorted(self.due):
            respawn = world.kind[name].respawn
            assert respawn is not None
            since, length = self.due.get(name, (0, 0))
            ready = world.fights.free(name, since, frame) >= length and not world.fights.is_frozen(name, frame)
            if name in self.due and ready and self.may(frame, name, respawn, recorded):
                self.come_back(frame, name, respawn, recorded)
        for name in sorted(recorded):
            if world.kind[name].succession and self.first[name] and (self.first[name] or (0, 0))[1] == frame:
                self.succeed(frame, name, recorded)
        for name, pose in recorded.items():
            if not pose["hidden"]:
                self.seen[name] = frame
                self.kinds_seen.add(world.kind[name].name)

    def may(self, frame: int, name: str, respawn: Respawn, recorded: dict[str, Pose]) -> bool:
        """With a pose, with its button pressed, and safe."""
        world, driven = self.world, self.world.driven
        shown = name not in self.recording.numbers or name in world.poses(frame)
        waits = respawn.if_unsafe == "wait" and respawn.needs is None and name not in self.safe
        later = (
            [number for number in range(frame, self.recording.last + 1) if name in world.poses(number)]
            if not shown
            else []
        )
        if not shown and not (waits and later):
            return False
        if respawn.needs is not None:
            who = [name] + ([world.owner[name] or ""] if world.owner[name] else [])
            held = [driven.down[text, respawn.needs] for text in who]
            if not any(frame in numbers and frame - 1 not in numbers for numbers in held):
                return False
        if respawn.if_unsafe == "appear":
            return True
        poses = recorded | {body: driven.pose(body, frame) for body in driven.bodies}
        x, y = self.place(name, respawn)
        if later:
            there = world.poses(later[0])[name]
        else:
            there = recorded[name] if name in recorded else self.reborn(name, frame)
        there = there | {"x": x, "y": y, "cut": True}
        seen = world.all_poses, world.present
        world.all_poses = poses | {name: there}
        world.present = set(world.all_poses)
        world.latched = {
            text: {box.name for box in world.kind[text].boxes if world.fights.meets(text, box.if_)}
            for text in world.present
        }
        found = []
        for attacker, pose in poses.items():
            if attacker == name or pose["hidden"] or attacker in world.down or attacker in world.gone:
                continue
            if world.fights.is_frozen(attacker, frame):
                continue
            kind = world.kind[attacker]
            if attacker in recorded and attacker not in driven.last_poses and kind.logged_kind in self.rules.spawned:
                continue  # it is spawned after the returns
            for hit in kind.boxes:
                for hurt in world.kind[name].boxes:
                    if hit.role != "hitbox" or hurt.role != "hurtbox":
                        continue
                    attack = self.rules.attacks[hit.attack or ""]
                    ally = world.side(attacker) is not None and world.side(attacker) == world.side(name)
                    if not harmful(attack) or (ally and not attack.friendly):
                        continue
                    if world.may_meet(attack, attacker, name, hit, hurt):
                        met = world.meeting(frame, attacker, hit, pose, name, hurt, there, respawn.clearance)
                        found += [attacker] * (met is not None)
        (world.all_poses, world.present), world.latched = seen, {}
        if found and name not in self.held:
            self.held.add(name)
            row = {"frame": frame, "event": "respawn_held", "id": name, "detail": min(found)}
            world.events.append(row)
        (self.safe.discard if found else self.safe.add)(name)
        return shown and not found

    def reborn(self, name: str, frame: int) -> Pose:
        """How a body looks when it comes back."""
        body = self.world.driven.bodies[name]
        body = body | {"facing": body["home"][3], "angle": body["first_angle"], "played": frame, "hidden": False}
        return self.world.driven.pose(name, frame, body)

    def place(self, name: str, respawn: Respawn) -> tuple[float, float]:
        """Where it comes back."""
        body = self.world.driven.bodies.get(name)
        start = self.world.start[name] if body is None else body["home"][:2]
        if isinstance(respawn.at, tuple):
            return respawn.at
        if respawn.at == "checkpoint":
            return self.checkpoint.get(name, start)  # type: ignore[no-any-return]
        return self.fell_at[name] if respawn.at == "here" else start  # type: ignore[no-any-return]

    def come_back(self, frame: int, name: str, respawn: Respawn, recorded: dict[str, Pose]) -> None:
        """In play again."""
        world, driven = self.world, self.world.driven
        x, y = self.place(name, respawn)
        killer = world.credit[name]
        del self.due[name]
        self.take_life(frame, name)
        self.revive(name)
        self.forget(name)
        world.gone.discard(name)  # poison may take who has been consumed, and has lives
        world.fights.come_back(frame, name)
        world.events.append({"frame": frame, "event": "respawn", "id": name, "x": x, "y": y})
        self.protect(frame, name, respawn)
        known = killer in driven.bodies or killer in self.recording.numbers
        if respawn.resets == "pair" and known and killer not in world.down and killer not in world.gone:
            self.send_home(frame, killer, recorded)
        if respawn.resets in ("room", "run"):
            self.readmitted: list[str] = []
            self.start_over(frame, name, respawn.resets == "run")
            for text in set(self.readmitted) & set(recorded):
                recorded[text] = recorded[text] | {"cut": True, "v": world.told(recorded[text])}
        body = driven.bodies.get(name)
        driven.since.pop(name, None)
        if body is None:
            self.put(frame, name, (x, y), recorded)
            return
        motion = world.kind[name].motion
        body |= {"x": x, "y": y, "v": body["home"][2], "facing": body["home"][3], "angle": body["first_angle"]}
        body |= {"played": frame, "hidden": False, "cut": True, "motion": motion, "bounces": motion.bounces}
        body |= {"returns": False, "homing": False}
        body.pop("hides", None)
        driven.since[name] = frame

    def forget(self, name: str) -> None:
        """Rehit, touches and pierce counts start again."""
        world = self.world
        world.landed = [entry for entry in world.landed if name not in entry]
        world.struck = [entry for entry in world.struck if name != entry[1]]
        world.contacts = {contact for contact in world.contacts if name not in contact}
        world.counts = {key: count for key, count in world.counts.items() if key[0] != name}
        world.fights.forget(name)

    def protect(self, frame: int, name: str, respawn: Respawn | None) -> None:
        """I-frames of a return."""
        if respawn is not None and respawn.iframes:
            self.world.guards[name] = (frame, frame - 1, respawn.iframes)
            until = frame + respawn.iframes - 1
            row = {"frame": frame, "event": "iframes", "id": name, "until": until, "cause": "respawn"}
            self.world.events.append(row)

    def put(self, frame: int, name: str, place: tuple[float, float], recorded: dict[str, Pose]) -> None:
        """A recorded actor's next pose is a jump, in a raw recording to a place."""
        world = self.world
        pose = recorded[name]
        recorded[name] = pose | {"cut": True, "v": world.told(pose)}
        if self.recording.reactions == "raw":
            dx, dy = world.offset[name]
            world.offset[name] = place[0] - (pose["x"] - dx), place[1] - (pose["y"] - dy)
            recorded[name] |= {"x": place[0], "y": place[1]}

    def send_home(self, frame: int, name: str, recorded: dict[str, Pose]) -> None:
        """At once."""
        world = self.world
        body = world.driven.bodies.get(name)
        x, y = world.start[name] if body is None else body["home"][:2]
        world.events.append({"frame": frame, "event": "home", "id": name, "x": x, "y": y})
        world.steps[name] = []
        if body is not None:
            body |= {"x": x, "y": y, "v": body["home"][2], "facing": body["home"][3], "cut": True}
        elif self.recording.reactions == "raw":
            if name in recorded:
                own = recorded[name]["v"]
                self.put(frame, name, (x, y), recorded)
                recorded[name]["v"] = own
            else:
                world.sent[name] = (x, y)

    def succeed(self, frame: int, name: str, recorded: dict[str, Pose]) -> None:
        """A new one takes the place of the last."""
        world = self.world
        mine = (world.kind[name].name, world.side(name))
        others = [number for number in self.recording.numbers if number != name]
        others = [other for other in others if (world.kind[other].name, world.side(other)) == mine]
        for other in others:
            coming = (self.first[other] or (0, 0))[1] == frame and other > name
            playing = other in recorded and not recorded[other]["hidden"]
            if playing and not coming and other not in world.down and other not in world.gone:
                return
        past = [(world.down.get(other, self.seen[other]), other) for other in others if other in self.seen]
        past = [pair for pair in past if pair[1] not in self.succeeded]
        if not past:
            return
        old = max(past)[1]
        self.succeeded.add(old)
        self.take_life(frame, old)
        self.lives[name] = self.lives[old]
        world.fights.take_over(frame, name, old)
        if old in self.checkpoint:
            self.checkpoint[name] = self.checkpoint[old]
        if old in self.score:
            self.score[name] = self.score.pop(old)
            kind = world.kind[name].name
            self.earned[name, kind] = self.earned.pop((old, kind), 0)
        pose = recorded[name]
        row = {"frame": frame, "event": "respawn", "id": name, "x": pose["x"], "y": pose["y"], "detail": old}
        world.events.append(row)
        self.protect(frame, name, world.kind[name].respawn)


def harmful(attack: Attack) -> bool:
    """Whether an attack can hurt, poison, stun, push, launch, send home or consume whom it hits."""
    harm = attack.damage > 0
    for case in attack.cases:
        harm = harm or (case.damage is not None and case.damage > 0)
    for its in [attack.target] + [case.target for case in attack.cases if case.target]:
        harm = harm or its.damage > 0 or its.stun > 0 or its.remove or its.home
        harm = harm or its.knockback is not None or its.launch is not None
        harm = harm or (its.over_time is not None and its.over_time.damage > 0)
    return harm
