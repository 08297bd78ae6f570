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
    """A mistake, a short match in which it shows (its seed and length), and the code of the finding that states it."""

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
    """Frames for which it keeps doing what it does between moves."""
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
    """The actors that this swing has hit."""
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
        """Its reach in this frame."""
        if self.clip not in MOVES or self.frozen or self.down >= 0:
            return None
        return next((self.box(rect) for cells, rect in MOVES[self.clip].reach.items() if self.cell in cells), None)

    def body(self) -> Rect:
        """Where it can be hit."""
        return self.box((-18, -60, 18, 0))

    def pose(self) -> dict[str, object]:
        """As the game logs it."""
        item: dict[str, object] = {"id": self.id, "kind": "keeper", "x": self.x, "y": self.y, "facing": self.facing}
        item |= {"clip": self.clip, "cell": self.cell, "vx": self.own * RATE, "vy": 0.0}
        item |= {"tags": ["airborne"]} if self.clip == "jump" else {}
        item |= {"cut": True} if self.back else {}
        item |= {"health": self.health, "counters": {"guard": self.guard, "combo": self.combo}}
        return item if self.down >= 0 or self.health == 0 else item | {"frozen": self.frozen, "stunned": self.stunned}


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
    """The fighter that swatted it in this frame."""
    spent: bool = False
    hit: set[str] = field(default_factory=set)

    def body(self) -> Rect:
        """Its body."""
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

    def other(self, fighter: Fighter) -> Fighter:
        """The opponent."""
        return self.fighters["umber" if fighter.id == "amber" else "amber"]

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

    def move(self, fighter: Fighter) -> None:
        """Moves it by a frame."""
        fighter.frozen, fighter.own, fighter.back = fighter.freeze > 0, 0.0, False
        if fighter.frozen:
            fighter.freeze -= 1
            fighter.stunned = fighter.stun > 0
            return
        fighter.rested += 1
        wait = 50 if "guard-quick-regen" in self.bugs else 60
        if fighter.rested >= wait and (fighter.rested - wait) % 6 == 0:
            fighter.guard = min(fighter.guard + 1, GUARD)
        fighter.shield -= fighter.shield > 0
        if fighter.down >= 0:
            self.lie(fighter)
            return
        fighter.stunned = fighter.stun > 0
        if fighter.push:
            fighter.x = round(min(max(fighter.x + fighter.push.pop(0), LEFT), RIGHT), 3)
        if fighter.stunned:
            fighter.stun -= 1
            fighter.show(fighter.reel)
            return
        if "scaling-no-reset" not in self.bugs:
            fighter.combo = 0
        self.act(fighter)

    def lie(self, fighter: Fighter) -> None:
        """Down for 90 frames, then back at its place."""
        fighter.down += 1
        fighter.combo = fighter.combo if fighter.stun > 0 or "scaling-no-reset" in self.bugs else 0
        fighter.stun -= fighter.stun > 0
        if fighter.down < 90:
            fighter.show("fall")
            return
        fighter.down, fighter.health, fighter.stun, fighter.shield, fighter.rested = -1, HEALTH, 0, 60, 0
        fighter.x, fighter.y, fighter.back, fighter.stunned = fighter.home, 0.0, True, False
        self.claims.append({"event": "respawn", "id": fighter.id})
        fighter.facing = 1 if self.other(fighter).x >= fighter.x else -1
        fighter.clip, fighter.cell, fighter.planned, fighter.hit = "idle", 0, 20, set()

    def act(self, fighter: Fighter) -> None:
        """Goes on with its move, or thinks of another."""
        move = MOVES.get(fighter.clip)
        if move is not None and fighter.cell + 1 < move.length:
            fighter.show(fighter.clip)
            if fighter.clip == "roll":
                self.walk(fighter, 5.0 * fighter.facing, passing=True)
            if fighter.clip == "jump":
                t = fighter.cell
                fighter.y = round(-0.35 * t * (31 - t), 3)
            return
        fighter.y = 0.0
        if fighter.planned > 0 and move is None and fighter.clip in ("idle", "walk", "retreat", "guard"):
            fighter.planned -= 1
            fighter.show(fighter.clip)
        else:
            clip, fighter.planned = self.plan(fighter)
            fighter.clip = "" if clip in MOVES else fighter.clip
            fighter.show(clip)
            fighter.facing = 1 if self.other(fighter).x >= fighter.x else -1
        if fighter.clip == "walk":
            self.walk(fighter, 3.0 * fighter.facing)
        elif fighter.clip == "retreat":
            self.walk(fighter, -1.5 * fighter.facing)

    def plan(self, fighter: Fighter) -> tuple[str, int]:
        """Its next move, and for how long if that is no attack."""
        apart, draw = abs(self.other(fighter).x - fighter.x), self.draw.random()
        if fighter.hit and apart < 66 and draw < 0.8:
            return ("jab", 0) if draw < 0.6 else ("throw", 0)
        puff = any(puff.owner != fighter.id and abs(puff.x - fighter.x) < 70 for puff in self.puffs)
        if puff and draw < 0.6:
            return ("swat", 0) if draw < 0.4 else ("guard", 20)
        if apart > 66:
            near = apart < 130
            return ("walk", 6) if draw < (0.85 if near else 0.4) else ("roll", 0) if near else ("pump", 0)
        choices = ("jab", "hook", "sweep", "throw", "guard", "parry", "retreat", "roll", "jump", "walk", "idle", "pump")
        weights = (26, 14, 14, 12, 20, 14, 3, 3, 3, 4, 2, 2)
        choice = self.draw.choices(choices, weights)[0]
        return choice, 0 if choice in MOVES else self.draw.randint(16, 40) if choice == "guard" else 6

    def walk(self, fighter: Fighter, way: float, *, passing: bool = False) -> None:
        """Its own motion, to the ropes; it does not walk through the other one."""
        there, apart = min(max(fighter.x + way, LEFT), RIGHT), self.other(fighter).x - fighter.x
        if not passing and way * apart > 0 and abs(self.other(fighter).x - there) < 36:
            return
        fighter.own = there - fighter.x
        fighter.x = round(there, 3)

    def pump(self) -> None:
        """A puff leaves in the eighth cell, one at a time."""
        for fighter in self.fighters.values():
            fires = fighter.clip == "pump" and fighter.cell == 8 and not fighter.frozen and fighter.down < 0
            if fires and not any(puff.owner == fighter.id and not puff.reflected for puff in self.puffs):
                self.pumped += 1
                place = fighter.x + 24 * fighter.facing
                self.puffs.append(Puff(f"puff-{self.pumped}", fighter.id, place, fighter.y - 36, 4.0 * fighter.facing))

    # attacks

    def clash(self) -> None:
        """Attacks that meet: the stronger continues."""
        entry, two = self.fighters["amber"], self.fighters["umber"]
        blades = entry.blade(), two.blade()
        if blades[0] is None or blades[1] is None or entry.clip == "throw" or two.clip == "throw":
            return
        if entry.cancelled or two.cancelled or not overlap(blades[0], blades[1]):
            return
        self.claims.append({"event": "clash", "ids": [entry.id, two.id]})
        mine, theirs = STRENGTH[entry.clip], STRENGTH[two.clip]
        if "clash-no-strength" in self.bugs:
            mine = theirs
        for fighter, lost in ((entry, mine <= theirs), (two, theirs <= mine)):
            fighter.freeze = max(fighter.freeze, 6)
            if lost:
                fighter.cancelled, fighter.reel = True, "reel"
                fighter.stun = max(fighter.stun, 10)

    def swing(self, fighter: Fighter) -> None:
        """Finds what its move hits."""
        other, blade = self.other(fighter), fighter.blade()
        if (
            blade is None
            or fighter.cancelled
            or other.id in fighter.hit
            or other.down >= 0
            or not overlap(blade, other.body())
        ):
            return
        if fighter.clip == "throw" and other.clip == "jump":
            return
        if fighter.clip == "throw" and other.stunned and "throw-stunned" not in self.bugs:
            return
        if self.strike(fighter.id, fighter, other, MOVES[fighter.clip].attack):
            fighter.hit.add(other.id)

    def drift(self, puff: Puff) -> None:
        """Moves a puff and finds its hits: it is consumed, or swatted back."""
        target = self.fighters["amber" if puff.owner == "umber" else "umber"]
        if target.id in puff.hit or target.down >= 0 or not overlap(puff.body(), target.body()):
            return
        if target.clip != "swat" or not 3 <= target.cell <= 6:
            puff.spent = self.strike(puff.id, puff, target, "smoke")
        elif not self.immune(target):
            self.claims.append(self.claim(puff.id, target, "smoke", 0, "reflected"))
            puff.age, puff.reflected, puff.hit = -1, True, {target.id}
            puff.turned = target.id

    def immune(self, fighter: Fighter) -> bool:
        """After its return, and in the middle of a roll."""
        return fighter.shield > 0 or (fighter.clip == "roll" and 3 <= fighter.cell <= 12)

    def case(self, source: Fighter | Puff, target: Fighter, attack: str) -> str:
        """The case of a hit."""
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
    def stagger(fighter: Fighter, stun: int, way: float, over: int, away: int, reel: str = "reel") -> None:
        """Stun, and a push in even steps."""
        fighter.stun, fighter.reel = max(fighter.stun, stun), reel
        fighter.push = [away * way / over] * over
        fighter.y = 0.0 if fighter.clip == "jump" else fighter.y

    @staticmethod
    def facing(source: Fighter | Puff) -> int:
        """The way that it faces."""
        return source.facing if isinstance(source, Fighter) else 1 if source.step > 0 else -1

    @staticmethod
    def claim(attacker: str, target: Fighter, attack: str, damage: int, case: str) -> dict[str, object]:
        """A hit, as the game logs it."""
        fields = {"event": "hit", "attacker": attacker, "target": target.id, "attack": attack, "damage": damage}
        return {**fields, "case": case}

    def logged(self) -> dict[str, object]:
        """This frame, as the game logs it."""
        everyone: list[Fighter | Puff] = [*self.fighters.values(), *self.puffs]
        fields: dict[str, object] = {"poses": [fighter.pose() for fighter in everyone]}
        return fields | ({"claims": self.claims} if self.claims else {})


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
