"""The slow reference model's rules of fights: conditions, cases, counters, damage, told frame by frame."""

from __future__ import annotations

from fractions import Fraction
from math import atan2, ceil, degrees, floor, hypot
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from voskar.core.rules import ActorCondition, Attack, Box, Case, ContactCondition, CounterRule

if TYPE_CHECKING:
    from tests.reference import Reference

SIGNS = {"<": (-1,), "<=": (-1, 0), ">": (1,), ">=": (0, 1), "==": (0,)}


def compares(value: float, number: float, sign: str) -> bool:
    """By the sign of the difference."""
    return (value > number) - (value < number) in SIGNS[sign]


def whole(number: Fraction, how: str) -> Fraction:
    """A magnitude without its part of a point."""
    size = abs(number)
    size = {"none": size, "floor": Fraction(floor(size)), "ceil": Fraction(ceil(size))}.get(how, size)
    if how == "nearest":
        size = Fraction(floor(2 * size + 1) // 2)
    return size if number >= 0 else -size


def plus(value: float, other: float) -> float:
    """As they are written."""
    return float(Fraction(repr(float(value))) + Fraction(repr(float(other))))


class Fights:
    """Counts every tick of every counter, and asks every condition again."""

    def __init__(self, world: Reference) -> None:
        self.world, self.rules = world, world.rules
        self.counters: dict[tuple[str, str], float] = {}
        self.told: dict[tuple[str, str], float] = {}
        """The values of counters in the last row of the ledger."""
        self.since: dict[tuple[str, str], int] = {}
        """The frames that regen counts from."""
        self.choices: dict[tuple[str, str, str], list[Case]] = {}
        self.poisons: list[dict[str, Any]] = []
        self.reached: list[tuple[str, CounterRule, bool]] = []
        self.frame = 0
        self.reflected: dict[str, Any] = {}
        self.layers: dict[str, Any] = {}
        self.sides: dict[str, str | None] = {}
        self.cancelled: dict[Any, int] = {}
        self.clashes: dict[Any, Any] = {}
        self.frozen: dict[str, set[int]] = {}
        self.stopped: dict[str, Any] = {}
        self.all_frozen = -1

    def turned(self, name: str, box: Box) -> Box:
        """A box on the layers that a reflection has put it on."""
        rule = self.layers.get(name)
        names = {"layer": rule.layer, "mask": rule.mask} if rule else {}
        bits = {
            key: sum({1 << self.rules.layers.index(item) for item in ones})
            for key, ones in names.items()
            if ones is not None
        }
        return replace(box, **bits)

    def reflect(self, frame: int, name: str, other: str, rule: Any) -> None:
        """A shot is to belong to another one, and to turn round."""
        world = self.world
        owner = world.owner.get(other) or other
        if name in (other, owner):
            return
        vx, vy = world.all_poses[name]["v"]
        way = {"back": (-vx, -vy), "mirror": (-vx, vy)}.get(rule.way)
        if way is None:
            x, y = world.heading(world.all_poses[other])
            way = x * hypot(vx, vy), y * hypot(vx, vy)
        fields = {"owner": owner, "vx": way[0], "vy": way[1], "by": other}
        world.events.append({"frame": frame, "event": "reflect", "id": name, **fields})
        self.reflected[name] = (owner, world.side(other), rule, way, (vx, vy))

    def change_hands(self, frame: int) -> None:
        """At the end of the frame."""
        world = self.world
        for name, (owner, side, rule, way, was) in self.reflected.items():
            body = world.driven.bodies.get(name)
            if name in world.consumed or name in world.down or (body is None and name not in world.recording.numbers):
                continue
            world.owner[name], self.layers[name], self.sides[name] = owner, rule, side
            if body is not None:
                body["v"], body["gun"], body["reborn"] = way, None, frame
                turn = degrees(atan2(way[1], way[0]) - atan2(was[1], was[0])) if any(was) else 0.0
                body["turn"] = body.get("turn", 0.0) + turn
            world.landed = [entry for entry in world.landed if entry[1] != name]
            world.struck = [entry for entry in world.struck if entry[1] != name]
            world.contacts = {contact for contact in world.contacts if contact[1] != name}
            world.counts = {key: count for key, count in world.counts.items() if key[0] != name}
        self.reflected = {}

    def give_back(self, name: str) -> None:
        """As it was logged first."""
        self.world.owner[name] = self.world.first_owner[name]
        self.layers.pop(name, None)
        self.sides.pop(name, None)

    def forget(self, name: str) -> None:
        """What clashed starts again."""
        self.cancelled = {key: number for key, number in self.cancelled.items() if name != key[0]}
        self.clashes = {key: item for key, item in self.clashes.items() if name not in (key[0], key[2])}

    # time

    def free(self, name: str, first: int, last: int) -> int:
        """How many frames behind one, up to another, count for an actor."""
        return sum(frame not in self.frozen.get(name, ()) for frame in range(first + 1, last + 1))

    def end(self, name: str, first: int, length: int) -> int:
        """The last of so many frames that count, by what is known of freezes."""
        frame = first
        while length > 0:
            frame += 1
            length -= frame not in self.frozen.get(name, ())
        return frame

    def is_frozen(self, name: str, frame: int) -> bool:
        """Whether it is."""
        return frame in self.frozen.get(name, ())

    def freeze(self, frame: int, name: str, length: int, is_logged: bool = True) -> None:
        """From the next frame on."""
        frames = self.frozen.setdefault(name, set())
        last = max([number for number in frames if number >= frame], default=frame)
        if frame + length <= last:
            return
        if frame not in frames:
            pose = self.world.all_poses.get(name)
            self.stopped[name] = pose["v"] if pose else (0.0, 0.0)
        frames |= set(range(last + 1, frame + length + 1))
        if is_logged:
            self.world.events.append({"frame": frame, "event": "hitstop", "id": name, "until": frame + length})

    def stop(self, frame: int, attacker: str, target: str, length: int, whom: str) -> None:
        """As a hit says."""
        if whom == "all":
            self.all_frozen = max(self.all_frozen, frame + length)
            for name in sorted({*self.world.recording.numbers, *self.world.driven.bodies}):
                self.freeze(frame, name, length, is_logged=name in self.world.present)
            return
        for side, name in (("target", target), ("attacker", attacker)):
            if whom in ("both", side):
                self.freeze(frame, name, length)

    def thaw(self, name: str) -> None:
        """A mark, its return, or another actor: what was frozen stays so. While everyone is frozen, it is too."""
        self.frozen[name] = {frame for frame in self.frozen.get(name, ()) if frame < self.frame}
        self.frozen[name] |= set(range(self.frame, self.all_frozen + 1))

    def holds_on(self, timers: dict[str, Any], name: str, frame: int) -> bool:
        """Whether a timer (first frame, the one it counts from, length) is running."""
        if name not in timers:
            return False
        first, since, length = timers[name]
        return bool(first <= frame <= self.end(name, since, length))

    def give_timer(self, timers: dict[str, Any], name: str, frame: int, first: int, length: int, mode: str) -> Any:
        """Begins one, by its mode; the frame of its end, None where nothing changes."""
        running = timers.get(name)
        ends = -1 if running is None else self.end(name, running[1], running[2])
        since, whole = frame, length
        if mode == "add" and running is not None and ends > frame:
            since, whole = running[1], running[2] + length
        until = self.end(name, since, whole)
        if length == 0 or until == ends or (mode == "longest" and until < ends):
            return None
        timers[name] = (running[0] if running is not None and ends >= frame else first, since, whole)
        return until

    # counters

    def rule(self, name: str, counter: str) -> CounterRule | None:
        """What an actor's kind says of a counter."""
        kind = self.world.kind.get(name)
        return None if kind is None else kind.counters.get(counter)

    def whose(self, name: str, counter: str) -> str:
        """Its own if its kind declares it, else its owner's."""
        return name if self.rule(name, counter) else self.world.owner.get(name) or name

    def value(self, name: str, counter: str) -> float:
        """What it has come to."""
        rule = self.rule(name, counter)
        there = name in self.world.recording.numbers or name in self.world.driven.bodies
        return self.counters.get((name, counter), rule.start if rule and there else 0)

    def start(self, name: str, kept: frozenset[str] = frozenset()) -> None:
        """A run begins for an actor."""
        for memory in (self.counters, self.told, self.since):
            for key in [key for key in memory if key[0] == name and key[1] not in kept]:
                del memory[key]  # type: ignore[attr-defined]
        for key in [key for key in self.since if key[0] == name]:
            del self.since[key]

    def tick(self, frame: int, ended: bool = False) -> None:
        """Move: regen, and counters that start again; of a run that is over nothing is reported."""
        world, self.frame = self.world, frame
        for name in sorted(world.kind):
            if name not in world.recording.numbers and name not in world.driven.bodies:
                continue
            for counter, rule in sorted(world.kind[name].counters.items()):
                key = (name, counter)
                if rule.regen is None or key not in self.since or frame <= self.since[key]:
                    continue
                if self.is_frozen(name, frame):
                    continue
                late = self.free(name, self.since[key], frame) - rule.regen.after
                if late < 0 or late % rule.regen.every:
                    continue
                before = self.value(*key)
                self.told.setdefault(key, before)
                self.counters[key] = after = self.clamp(rule, plus(before, rule.regen.amount))
                full = rule.max if rule.regen.amount > 0 else rule.min
                if after == full != before and not ended:
                    self.settle(frame, name, counter)
        for name in sorted(world.kind):
            for counter, rule in sorted(world.kind[name].counters.items()):
                there = name in world.recording.numbers or name in world.driven.bodies
                if ended or rule.reset_if is None or not there or self.value(name, counter) == rule.start:
                    continue
                if not self.is_frozen(name, frame) and self.meets(name, rule.reset_if):
                    self.settle(frame, name, counter)
                    self.put(frame, name, counter, rule.start, None)

    def play(self, frame: int, shown: dict[str, dict[str, Any]]) -> None:
        """Who is there for the first time in this run: its regen counts from here."""
        for name, pose in shown.items():
            for counter, rule in self.world.kind[name].counters.items():
                if rule.regen is not None and not pose["hidden"]:
                    self.since.setdefault((name, counter), frame)

    @staticmethod
    def clamp(rule: CounterRule | None, value: float) -> float:
        """Within the limits."""
        if rule is None:
            return value
        return max(rule.min, value if rule.max is None else min(value, rule.max))

    def settle(self, frame: int, name: str, counter: str) -> None:
        """Tells what regen has brought."""
        key = (name, counter)
        if key in self.told and self.told[key] != self.value(*key):
            row = {"frame": frame, "event": "counter", "id": name, "counter": counter, "before": self.told[key]}
            self.world.events.append(row | {"after": self.value(*key)})
        self.told.pop(key, None)

    def put(self, frame: int, name: str, counter: str, value: float, by: str | None) -> None:
        """A value, and its row."""
        before = self.value(name, counter)
        self.counters[name, counter] = value
        if before != value:
            row = {"frame": frame, "event": "counter", "id": name, "counter": counter, "before": before, "after": value}
            self.world.events.append(row | ({} if by is None else {"by": by}))

    def give(self, frame: int, name: str, counter: str, points: float, by: str) -> None:
        """As a hit does."""
        holder = self.whose(name, counter)
        rule = self.rule(holder, counter)
        self.settle(frame, holder, counter)
        before = self.value(holder, counter)
        after = self.clamp(rule, plus(before, points))
        if rule and rule.regen and (after - before) * rule.regen.amount < 0 and (holder, counter) in self.since:
            self.since[holder, counter] = frame
        self.put(frame, holder, counter, after, by)
        if rule and after != before and after in (rule.min, rule.max):
            self.reached.append((holder, rule, after == rule.min))

    def drop_strangers(self) -> None:
        """A new run: what is gone has counted nothing."""
        there = {*self.world.recording.numbers, *self.world.driven.bodies}
        self.counters = {key: value for key, value in self.counters.items() if key[0] in there}

    def take_over(self, frame: int, name: str, old: str) -> None:
        """One continues with the counters of another."""
        for memory in (self.counters, self.told, self.since):
            for key in [key for key in memory if key[0] == old]:
                memory[name, key[1]] = memory[key]  # type: ignore[index]
        self.come_back(frame, name)

    def come_back(self, frame: int, name: str) -> None:
        """A return."""
        for key in [key for key in self.since if key[0] == name]:
            self.told.setdefault(key, self.value(*key))
            self.since[key] = frame

    # conditions

    def meets(self, name: str, asked: ActorCondition) -> bool:
        """Whether an actor meets a condition now."""
        world, kind = self.world, self.world.kind[name]
        pose = world.all_poses.get(name, {}) if name in world.present else {}
        clip, cell = pose.get("clip"), pose.get("shown", -1)
        tags = pose.get("tags", frozenset())

        def shows(windows: Any) -> bool:
            return any(first <= cell <= last for first, last in windows.get(clip or "", ()))

        answers = [
            not asked.kinds or kind.name in asked.kinds,
            not asked.during or shows(asked.during),
            not shows(asked.not_during),
            asked.tags <= tags,
            not asked.no_tags & tags,
            asked.stunned is None or asked.stunned == self.holds_on(world.stuns, name, self.frame),
            asked.immune is None or asked.immune == world.is_immune(name, self.frame),
        ]
        for counter, those in asked.counters.items():
            value = self.value(self.whose(name, counter), counter)
            answers += [compares(value, comparison.number, comparison.sign) for comparison in those]
        health = world.health[name]
        for entry in asked.health:
            full = kind.health or 0
            number = Fraction(entry.number) * Fraction(full) / 100 if entry.percent else Fraction(entry.number)
            answers.append(health is not None and compares(health, number, entry.sign))  # type: ignore[arg-type]
        return all(answers)

    def holds(self, attacker: str, target: str, hit: Box, hurt: Box, asked: ContactCondition) -> bool:
        """Whether a contact meets a condition now."""
        world = self.world
        side = world.side(attacker)
        ally = side is not None and side == world.side(target)
        up = -1 if self.rules.space.up == "-y" else 1
        falls = world.now[0][attacker]["v"][1] * up < 0
        return (
            (not asked.hitbox or hit.name in asked.hitbox)
            and (not asked.hurtbox or hurt.name in asked.hurtbox)
            and asked.ally in (None, ally)
            and asked.falling in (None, falls)
            and self.meets(attacker, asked.attacker)
            and self.meets(target, asked.target)
            and world.comes_from(attacker, target, asked)
        )

    def choose(self, attacker: str, target: str, hit: Box, hurt: Box, attack: Attack) -> list[Case]:
        """The cases that a contact comes to."""
        group = (attacker, attack.name, target)
        if group in self.choices:
            return self.choices[group]
        found = []
        for case in (*attack.cases, *self.world.kind[target].cases):
            if not case.by_claim and self.holds(attacker, target, hit, hurt, case.if_):
                found.append(case)
                if not case.goes_on:
                    break
        if not any(case.if_.hitbox or case.if_.hurtbox for case in found):
            self.choices[group] = found
        return found

    # damage

    def damage(self, attacker: str, target: str, attack: Attack, cases: list[Case], hurt: Box) -> tuple[float, float]:
        """With its factors, and before them."""
        least, most = attack.least_damage, attack.damage
        for case in cases:
            if case.damage is not None:
                least, most = case.least_damage, case.damage
        factors = [case.scale for case in cases]
        if most > 0:
            factors.append(hurt.damage_scale)
            factors.append(self.world.kind[target].resistance.get(attack.damage_type or "", 1))
            by = attack.by_counter
            if by is not None:
                whose = attacker if by.of == "attacker" else target
                place = floor(self.value(self.whose(whose, by.counter), by.counter))
                factors.append(by.factors[-1] if place >= len(by.factors) else by.factors[max(place, 0)])
        how = self.rules.contact.round_damage
        ends = []
        for number in (most if least is None else least, most):
            exact = Fraction(repr(float(number)))
            for factor in factors:
                exact *= Fraction(repr(float(factor)))
            found = whole(exact, how)
            ends.append(max(found, Fraction(repr(attack.min_damage))) if exact > 0 else found)
        middle = ends[0] if ends[0] == ends[1] else whole(Fraction(float(sum(ends) / 2)), how)
        return float(middle), most if least is None else (most + least) / 2

    def lose(self, frame: int, name: str, damage: float, by: str, cause: str | None = None) -> float:
        """Health, and what absorbs damage before it."""
        world = self.world
        before, full = world.health[name], world.kind[name].health
        if before is None or full is None or not damage:
            return 0.0
        owner = world.owner.get(name)
        names = {
            (name, counter_rule.name) for counter_rule in world.kind[name].counters.values() if counter_rule.absorbs
        }
        if owner in world.recording.numbers or owner in world.driven.bodies:
            own = world.kind[name].counters
            names |= {
                (owner or "", counter_rule.name)
                for counter_rule in world.kind[owner or ""].counters.values()
                if counter_rule.absorbs and counter_rule.name not in own
            }
        for holder, counter in sorted(names, key=lambda pair: pair[1]) if damage > 0 else ():
            rule = self.rule(holder, counter)
            taken = min(damage, plus(self.value(holder, counter), -(rule.min if rule else 0)))
            if taken > 0:
                self.give(frame, holder, counter, -taken, by)
                damage = plus(damage, -taken)
        rest = plus(before, -damage)
        after = max(rest, 0) if damage > 0 else max(before, min(rest, full))
        if after < before:
            world.credit[name] = by
        if after != before:
            row = {"frame": frame, "event": "health", "id": name, "before": before, "after": after, "by": by}
            world.events.append(row | ({"cause": cause} if cause else {}))
        world.health[name] = after
        if after == 0 and after != before:
            world.hurt_now.add(name)
            if self.rules.contact.health_check == "at_once":
                world.vitals.fall(frame, name)
        return plus(before, -after)

    # damage over time

    def poison(self, frame: int, name: str, other: str, attack: str, rule: Any) -> None:
        """Begins."""
        mine = [fields for fields in self.poisons if (fields["id"], fields["attack"]) == (name, attack)]
        if (mine and rule.stacking == "ignore") or name in self.world.down:
            return
        for values in mine if rule.stacking == "renew" else ():
            values["left"] = int(self.falls(values, frame))
        by = self.world.owner.get(other) or other
        entries = {"id": name, "attack": attack, "since": frame, "every": rule.every, "left": rule.times}
        self.poisons.append(entries | {"damage": rule.damage, "by": by})

    def falls(self, fields: dict[str, Any], frame: int) -> bool:
        """Whether damage over time falls in a frame."""
        passed = self.free(fields["id"], fields["since"], frame)
        return (
            passed > 0
            and passed % fields["every"] == 0
            and not self.is_frozen(fields["id"], frame)
            and fields["left"] > 0
        )

    def ache(self, frame: int) -> None:
        """What falls in this frame."""
        world = self.world
        due = [fields for fields in self.poisons if self.falls(fields, frame)]
        for values in sorted(due, key=lambda fields: (fields["id"], fields["attack"])):
            values["left"] -= 1
            gone = values["id"] in world.recording.numbers and values["id"] not in world.present
            gone = gone and world.kind[values["id"]].logged_kind in world.rules.spawned
            if any(values is other for other in self.poisons) and values["id"] not in world.down and not gone:
                self.lose(frame, values["id"], values["damage"], values["by"], values["attack"])
                there = values["by"] in world.recording.numbers or values["by"] in world.driven.bodies
                self.reach(frame, values["attack"], {values["id"]: values["by"]} if there else {}, None)
        self.poisons = [fields for fields in self.poisons if fields["left"] > 0]

    def cure(self, name: str) -> None:
        """Ends."""
        self.poisons = [fields for fields in self.poisons if fields["id"] != name]

    def reach(self, frame: int, cause: str, others: dict[str, str], pair: tuple[str, str] | None) -> None:
        """What counters do that have come to a limit."""
        world, reached = self.world, self.reached
        self.reached = []
        for name, rule, lowest in reached:
            table = rule.on_min if lowest else rule.on_max
            if table is None or (name not in world.recording.numbers and name not in world.driven.bodies):
                continue
            other = others.get(name)
            if other is None and pair is not None:
                other = pair[0] if world.owner.get(pair[1]) == name else pair[1]
            side = "attacker" if pair is not None and other == pair[1] else "target"
            attacker = pair[0] if pair is not None else other or name
            if table.iframes is not None:
                world.immunise(frame, name, table.iframes, cause, table.iframes_mode)
            world.react(frame, name, other, attacker, cause, table, side, world.now_t if pair else 1.0)
        self.reached = []
