"""A stand-in for a fighting game: two keepers spar, and the match is logged as such a game would.

It shares nothing with Voskar's judge. A keeper is a small state machine that counts down what holds it: the freeze of a
hit first, then stun. Moves are tables of frames, boxes plain rectangles. It plays by its rules, unless it is told to
make one of the mistakes in `BUGS`.
"""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

RATE, FRAMES, SEED = 60, 1800, 5
LEFT, RIGHT = 18.0, 622.0
HEALTH, GUARD = 60, 20

Rect = tuple[float, float, float, float]


class Bug(NamedTuple):
    """A mistake, a short match in which it shows (its seed and length), and the code of the finding that tells it."""

    text: str
    seed: int
    frames: int
    code: str


BUGS = {
    "block-full-damage": Bug("a blocked hit takes all its damage", 0, 81, "hit-damage"),
    "block-from-behind": Bug("guard helps against hits from behind too", 118, 105, "hit-case"),
    "parry-late": Bug("the parry window is one cell too long", 19, 227, "hit-case"),
    "parry-no-stun": Bug("a parry does not stun the attacker", 13, 176, "state-stunned"),
    "armor-late": Bug("the armor of a hook lasts one cell too long", 274, 316, "hit-case"),
    "armor-staggers": Bug("a hit on armor staggers all the same", 4, 90, "state-stunned"),
    "clash-both-hit": Bug("two attacks that meet do not clash", 28, 239, "hit-denied"),
    "clash-no-strength": Bug("the stronger attack of a clash is cancelled too", 28, 239, "hit-missing"),
    "hitstop-short": Bug("the attacker is frozen one frame too short", 4, 93, "frozen"),
    "hitstop-target-moves": Bug("the target is not frozen", 0, 82, "frozen"),
    "throw-stunned": Bug("a throw catches a keeper that is stunned", 16, 250, "hit-denied"),
    "throw-blocked": Bug("guard helps against a throw", 21, 251, "hit-missing"),
    "scaling-no-reset": Bug("the count of hits in a row goes on after the stun", 0, 101, "counter"),
    "scaling-flat": Bug("the third hit in a row takes as much as the second", 19, 200, "hit-damage"),
    "guard-quick-regen": Bug("the guard meter comes back ten frames too early", 0, 135, "counter"),
    "guard-no-break": Bug("a guard that is used up does not stagger", 267, 204, "state-stunned"),
    "reflect-straight": Bug("a reflected puff flies on the way it came", 3, 105, "path"),
    "reflect-own": Bug("a reflected puff still belongs to its first owner", 3, 133, "hit-missing"),
}
"""The mistakes that it can make."""


@dataclass(frozen=True)
class Swing:
    """A move: how long it takes, the cells in which it reaches which rectangle, and what it does."""

    length: int
    reach: dict[range, Rect] = field(default_factory=dict)
    attack: str = ""


MOVES = {
    "jab": Swing(14, {range(4, 6): (18, -44, 50, -32)}, "jab"),
    "hook": Swing(30, {range(10, 12): (12, -54, 48, -34), range(12, 14): (22, -46, 58, -26)}, "hook"),
    "sweep": Swing(22, {range(7, 10): (16, -12, 60, 0)}, "sweep"),
    "throw": Swing(20, {range(4, 6): (16, -45, 36, -15)}, "throw"),
    "pump": Swing(30),
    "swat": Swing(16),
    "parry": Swing(16),
    "roll": Swing(24),
    "jump": Swing(32),
}
DAMAGE = {"jab": 3, "hook": 8, "sweep": 5, "throw": 6, "smoke": 4}
STOP = {"jab": 4, "hook": 8, "sweep": 5, "throw": 3, "smoke": 4}
STUN = {"jab": 18, "hook": 18, "sweep": 14, "throw": 30, "smoke": 10}
PUSH = {"jab": (6, 6), "hook": (12, 6), "sweep": (12, 6), "throw": (48, 12), "smoke": (12, 6)}
"""How far a hit throws its target, and in how many frames."""
STRENGTH = {"jab": 1, "hook": 2, "sweep": 1}
SCALING = (100, 80, 60, 50)


def overlap(a: Rect, b: Rect) -> bool:
    """Whether two rectangles share some area."""
    wide, high = min(a[2], b[2]) - max(a[0], b[0]), min(a[3], b[3]) - max(a[1], b[1])
    return wide > 1e-6 and high > 1e-6


@dataclass
class Fighter:
    """A keeper in the ring."""

    id: str
    x: float
    facing: int
    home: float
    y: float = 0.0
    own: float = 0.0
    """Its own motion in this frame."""
    clip: str = "idle"
    cell: int = 0
    planned: int = 0
    """Frames for which it goes on with what it does between moves."""
    health: int = HEALTH
    guard: int = GUARD
    rested: int = 0
    """Frames since its guard last took a hit."""
    combo: int = 0
    freeze: int = 0
    stun: int = 0
    reel: str = "reel"
    shield: int = 0
    down: int = -1
    """Frames that it has lain there; -1: it stands."""
    push: list[float] = field(default_factory=list)
    hit: set[str] = field(default_factory=set)
    """Whom this swing has hit."""
    cancelled: bool = False
    back: bool = False
    """It returns in this frame."""
    frozen: bool = False
    stunned: bool = False

    def show(self, clip: str) -> None:
        """Goes on with its clip, or begins another."""
        self.cell = self.cell + 1 if clip == self.clip else 0
        if self.cell == 0:
            self.hit, self.cancelled = set(), False
        self.clip = clip

    def box(self, rect: Rect) -> Rect:
        """A rectangle of its own in the ring."""
        xs = sorted((self.x + self.facing * rect[0], self.x + self.facing * rect[2]))
        return xs[0], self.y + rect[1], xs[1], self.y + rect[3]

    def blade(self) -> Rect | None:
        """What it reaches in this frame."""
        if self.clip not in MOVES or self.frozen or self.down >= 0:
            return None
        return next((self.box(rect) for cells, rect in MOVES[self.clip].reach.items() if self.cell in cells), None)

    def body(self) -> Rect:
        """Where it can be hit."""
        return self.box((-18, -60, 18, 0))

    def pose(self) -> dict[str, object]:
        """As the game logs it."""
        told: dict[str, object] = {"id": self.id, "kind": "keeper", "x": self.x, "y": self.y, "facing": self.facing}
        told |= {"clip": self.clip, "cell": self.cell, "vx": self.own * RATE, "vy": 0.0}
        told |= {"tags": ["airborne"]} if self.clip == "jump" else {}
        told |= {"cut": True} if self.back else {}
        told |= {"health": self.health, "counters": {"guard": self.guard, "combo": self.combo}}
        return told if self.down >= 0 or self.health == 0 else told | {"frozen": self.frozen, "stunned": self.stunned}


@dataclass
class Puff:
    """A puff of smoke on its way."""

    id: str
    owner: str
    x: float
    y: float
    step: float
    age: int = 0
    reflected: bool = False
    turned: str = ""
    """Who has swatted it in this frame."""
    spent: bool = False
    hit: set[str] = field(default_factory=set)

    def body(self) -> Rect:
        """What it touches."""
        return self.x - 7, self.y - 7, self.x + 7, self.y + 7

    def pose(self) -> dict[str, object]:
        """As the game logs it."""
        return {"id": self.id, "kind": "puff", "x": self.x, "y": self.y, "owner": self.owner,
                "angle": 0 if self.step > 0 else 180}  # fmt: skip


class Match:
    """A match, frame by frame, with some of the mistakes in `BUGS`."""

    def __init__(self, seed: int, bugs: frozenset[str] = frozenset()) -> None:
        self.draw, self.bugs = random.Random(seed), bugs
        self.fighters = {"amber": Fighter("amber", 220, 1, 220), "umber": Fighter("umber", 420, -1, 420)}
        self.puffs: list[Puff] = []
        self.pumped, self.begun = 0, False
        self.claims: list[dict[str, object]] = []

    def other(self, one: Fighter) -> Fighter:
        """The opponent."""
        return self.fighters["umber" if one.id == "amber" else "amber"]

    def frame(self) -> None:
        """One frame: everyone moves, attacks that meet clash, then hits count in the order of names."""
        self.claims = []
        self.puffs = [puff for puff in self.puffs if not puff.spent and puff.age < 79]
        for puff in self.puffs:
            if puff.turned:
                puff.step *= 1 if "reflect-straight" in self.bugs else -1
                puff.owner = puff.owner if "reflect-own" in self.bugs else puff.turned
                puff.turned = ""
            puff.age += 1
            puff.x = round(puff.x + puff.step, 3)
        for fighter in self.fighters.values():
            self.move(fighter)
        self.pump()
        if "clash-both-hit" not in self.bugs:
            self.clash()
        for name in sorted([*self.fighters, *(puff.id for puff in self.puffs)]):
            if name in self.fighters:
                self.swing(self.fighters[name])
            else:
                self.drift(next(puff for puff in self.puffs if puff.id == name))
        for fighter in self.fighters.values():
            if fighter.health == 0 and fighter.down < 0:
                fighter.down, fighter.push = 0, []
                self.claims.append({"event": "down", "id": fighter.id})
            if not self.begun:
                fighter.home = fighter.x
        self.begun = True

    # motion

    def move(self, one: Fighter) -> None:
        """What it does in this frame."""
        one.frozen, one.own, one.back = one.freeze > 0, 0.0, False
        if one.frozen:
            one.freeze -= 1
            one.stunned = one.stun > 0
            return
        one.rested += 1
        wait = 50 if "guard-quick-regen" in self.bugs else 60
        if one.rested >= wait and (one.rested - wait) % 6 == 0:
            one.guard = min(one.guard + 1, GUARD)
        one.shield -= one.shield > 0
        if one.down >= 0:
            self.lie(one)
            return
        one.stunned = one.stun > 0
        if one.push:
            one.x = round(min(max(one.x + one.push.pop(0), LEFT), RIGHT), 3)
        if one.stunned:
            one.stun -= 1
            one.show(one.reel)
            return
        if "scaling-no-reset" not in self.bugs:
            one.combo = 0
        self.act(one)

    def lie(self, one: Fighter) -> None:
        """Down for 90 frames, then back at its place."""
        one.down += 1
        one.combo = one.combo if one.stun > 0 or "scaling-no-reset" in self.bugs else 0
        one.stun -= one.stun > 0
        if one.down < 90:
            one.show("fall")
            return
        one.down, one.health, one.stun, one.shield, one.rested = -1, HEALTH, 0, 60, 0
        one.x, one.y, one.back, one.stunned = one.home, 0.0, True, False
        self.claims.append({"event": "respawn", "id": one.id})
        one.facing = 1 if self.other(one).x >= one.x else -1
        one.clip, one.cell, one.planned, one.hit = "idle", 0, 20, set()

    def act(self, one: Fighter) -> None:
        """Goes on with its move, or thinks of another."""
        move = MOVES.get(one.clip)
        if move is not None and one.cell + 1 < move.length:
            one.show(one.clip)
            if one.clip == "roll":
                self.walk(one, 5.0 * one.facing, passing=True)
            if one.clip == "jump":
                t = one.cell
                one.y = round(-0.35 * t * (31 - t), 3)
            return
        one.y = 0.0
        if one.planned > 0 and move is None and one.clip in ("idle", "walk", "retreat", "guard"):
            one.planned -= 1
            one.show(one.clip)
        else:
            clip, one.planned = self.plan(one)
            one.clip = "" if clip in MOVES else one.clip
            one.show(clip)
            one.facing = 1 if self.other(one).x >= one.x else -1
        if one.clip == "walk":
            self.walk(one, 3.0 * one.facing)
        elif one.clip == "retreat":
            self.walk(one, -1.5 * one.facing)

    def plan(self, one: Fighter) -> tuple[str, int]:
        """What it does next, and for how long if that is no move."""
        apart, draw = abs(self.other(one).x - one.x), self.draw.random()
        if one.hit and apart < 66 and draw < 0.8:
            return ("jab", 0) if draw < 0.6 else ("throw", 0)
        puff = any(puff.owner != one.id and abs(puff.x - one.x) < 70 for puff in self.puffs)
        if puff and draw < 0.6:
            return ("swat", 0) if draw < 0.4 else ("guard", 20)
        if apart > 66:
            near = apart < 130
            return ("walk", 6) if draw < (0.85 if near else 0.4) else ("roll", 0) if near else ("pump", 0)
        choices = ("jab", "hook", "sweep", "throw", "guard", "parry", "retreat", "roll", "jump", "walk", "idle", "pump")
        weights = (26, 14, 14, 12, 20, 14, 3, 3, 3, 4, 2, 2)
        choice = self.draw.choices(choices, weights)[0]
        return choice, 0 if choice in MOVES else self.draw.randint(16, 40) if choice == "guard" else 6

    def walk(self, one: Fighter, way: float, *, passing: bool = False) -> None:
        """Its own motion, to the ropes; it does not walk through the other one."""
        there, apart = min(max(one.x + way, LEFT), RIGHT), self.other(one).x - one.x
        if not passing and way * apart > 0 and abs(self.other(one).x - there) < 36:
            return
        one.own = there - one.x
        one.x = round(there, 3)

    def pump(self) -> None:
        """A puff leaves in the eighth cell, one at a time."""
        for one in self.fighters.values():
            fires = one.clip == "pump" and one.cell == 8 and not one.frozen and one.down < 0
            if fires and not any(puff.owner == one.id and not puff.reflected for puff in self.puffs):
                self.pumped += 1
                place = one.x + 24 * one.facing
                self.puffs.append(Puff(f"puff-{self.pumped}", one.id, place, one.y - 36, 4.0 * one.facing))

    # attacks

    def clash(self) -> None:
        """Attacks that meet: the stronger goes on."""
        one, two = self.fighters["amber"], self.fighters["umber"]
        blades = one.blade(), two.blade()
        if blades[0] is None or blades[1] is None or one.clip == "throw" or two.clip == "throw":
            return
        if one.cancelled or two.cancelled or not overlap(blades[0], blades[1]):
            return
        self.claims.append({"event": "clash", "ids": [one.id, two.id]})
        mine, theirs = STRENGTH[one.clip], STRENGTH[two.clip]
        if "clash-no-strength" in self.bugs:
            mine = theirs
        for fighter, lost in ((one, mine <= theirs), (two, theirs <= mine)):
            fighter.freeze = max(fighter.freeze, 6)
            if lost:
                fighter.cancelled, fighter.reel = True, "reel"
                fighter.stun = max(fighter.stun, 10)

    def swing(self, one: Fighter) -> None:
        """What its move reaches."""
        other, blade = self.other(one), one.blade()
        if blade is None or one.cancelled or other.id in one.hit or other.down >= 0 or not overlap(blade, other.body()):
            return
        if one.clip == "throw" and other.clip == "jump":
            return
        if one.clip == "throw" and other.stunned and "throw-stunned" not in self.bugs:
            return
        if self.strike(one.id, one, other, MOVES[one.clip].attack):
            one.hit.add(other.id)

    def drift(self, puff: Puff) -> None:
        """What a puff reaches: it is used up, or swatted back."""
        target = self.fighters["amber" if puff.owner == "umber" else "umber"]
        if target.id in puff.hit or target.down >= 0 or not overlap(puff.body(), target.body()):
            return
        if target.clip != "swat" or not 3 <= target.cell <= 6:
            puff.spent = self.strike(puff.id, puff, target, "smoke")
        elif not self.immune(target):
            self.claims.append(self.claim(puff.id, target, "smoke", 0, "reflected"))
            puff.age, puff.reflected, puff.hit = -1, True, {target.id}
            puff.turned = target.id

    def immune(self, one: Fighter) -> bool:
        """After its return, and in the middle of a roll."""
        return one.shield > 0 or (one.clip == "roll" and 3 <= one.cell <= 12)

    def case(self, source: Fighter | Puff, target: Fighter, attack: str) -> str:
        """What becomes of a hit."""
        ahead = (source.x - target.x) * target.facing >= 0
        if attack == "throw":
            if "throw-blocked" in self.bugs and target.clip == "guard" and ahead:
                return "blocked"
            return "escaped" if self.draw.random() < 0.3 else ""
        if target.clip == "guard" and (ahead or "block-from-behind" in self.bugs):
            return "blocked"
        last = 6 if "parry-late" in self.bugs else 5
        if attack != "smoke" and target.clip == "parry" and 2 <= target.cell <= last and ahead:
            return "parried"
        last = 10 if "armor-late" in self.bugs else 9
        return "armored" if target.clip == "hook" and 3 <= target.cell <= last else ""

    def strike(self, name: str, source: Fighter | Puff, target: Fighter, attack: str) -> bool:
        """A hit, if nothing guards its target."""
        if self.immune(target):
            return False
        case = self.case(source, target, attack)
        if attack == "throw" and case == "blocked":
            return False
        scale = {"blocked": 25, "parried": 0, "armored": 50, "escaped": 0}.get(case, 100)
        if case == "blocked" and "block-full-damage" in self.bugs:
            scale = 100
        row = min(target.combo, 3) if attack != "throw" else 0
        factor = SCALING[1 if row == 2 and "scaling-flat" in self.bugs else row]
        damage = DAMAGE[attack] * scale * factor // 10000
        if scale and attack != "throw":
            damage = max(damage, 1)
        target.health = max(target.health - damage, 0)
        self.claims.append(self.claim(name, target, attack, damage, case))
        self.stop(source, target, 10 if case == "parried" else STOP[attack])
        away = 1 if target.x > source.x else -1 if target.x < source.x else self.facing(source)
        if case == "parried":
            assert isinstance(source, Fighter)
            if "parry-no-stun" not in self.bugs:
                source.stun, source.reel = max(source.stun, 20), "reel"
        elif case == "escaped":
            assert isinstance(source, Fighter)
            self.stagger(target, 8, 16, 8, away)
            self.stagger(source, 8, 16, 8, -away)
        elif case == "blocked":
            self.stagger(target, 7, 6, 4, away, reel="guard")
            target.guard, target.rested = max(target.guard - DAMAGE[attack], 0), 0
            if target.guard == 0:
                target.guard = GUARD
                if "guard-no-break" not in self.bugs:
                    target.stun, target.reel = max(target.stun, 40), "reel"
        elif case != "armored" or "armor-staggers" in self.bugs:
            self.stagger(target, STUN[attack], *PUSH[attack], away)
            if case == "" and attack != "throw":
                target.combo += 1
        return True

    def stop(self, source: Fighter | Puff, target: Fighter, length: int) -> None:
        """Both stand still for a moment; a puff does not."""
        if "hitstop-target-moves" not in self.bugs:
            target.freeze = max(target.freeze, length)
        if isinstance(source, Fighter):
            source.freeze = max(source.freeze, length - ("hitstop-short" in self.bugs))

    @staticmethod
    def stagger(one: Fighter, stun: int, way: float, over: int, away: int, reel: str = "reel") -> None:
        """Stun, and a push in even steps."""
        one.stun, one.reel = max(one.stun, stun), reel
        one.push = [away * way / over] * over
        one.y = 0.0 if one.clip == "jump" else one.y

    @staticmethod
    def facing(source: Fighter | Puff) -> int:
        """The way that it faces."""
        return source.facing if isinstance(source, Fighter) else 1 if source.step > 0 else -1

    @staticmethod
    def claim(attacker: str, target: Fighter, attack: str, damage: int, case: str) -> dict[str, object]:
        """A hit, as the game logs it."""
        told = {"event": "hit", "attacker": attacker, "target": target.id, "attack": attack, "damage": damage}
        return {**told, "case": case}

    def logged(self) -> dict[str, object]:
        """This frame, as the game logs it."""
        everyone: list[Fighter | Puff] = [*self.fighters.values(), *self.puffs]
        told: dict[str, object] = {"poses": [one.pose() for one in everyone]}
        return told | ({"claims": self.claims} if self.claims else {})


def frames(seed: int = SEED, count: int = FRAMES, bugs: frozenset[str] = frozenset()) -> Iterator[dict[str, object]]:
    """The recording, header first, one dictionary a line."""
    yield {"voskar": "recording", "version": 2, "rate": RATE, "up": "-y", "reactions": "baked", "title": "sparring"}
    match = Match(seed, bugs)
    for frame in range(count):
        match.frame()
        yield {"frame": frame, **match.logged()}


def text(seed: int = SEED, count: int = FRAMES, bugs: frozenset[str] = frozenset()) -> str:
    """The recording as JSON Lines."""
    return "".join(json.dumps(line) + "\n" for line in frames(seed, count, bugs))
