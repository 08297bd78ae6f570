"""Starts of spawned actors, and by how much a shown actor starts otherwise."""

from __future__ import annotations

import math
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from voskar.core.emitters.aim import angle_of, direction
from voskar.core.emitters.births import draw, speed_of
from voskar.core.ledger.events import SpawnEvent
from voskar.core.ledger.origin import Origin
from voskar.core.recording import Actor
from voskar.core.rules import Emitter, Fan
from voskar.core.world import Birth
from voskar.evidence.held import Held, Vector

DEGREES = 1.0
"""By how much directions may differ."""
EVEN = 0.01
"""By how many degrees a way may be off the aim and go straight on."""


class Appearance(Struct, frozen=True):
    """The pose in which a recorded actor appears: its row, its angle, and the direction it moves in (None while it
    stands still), by its `way`: its logged velocity, or else its first step."""

    actor: Actor
    row: int
    frame: int
    x: float
    y: float
    angle: float
    moves: float | None
    logs_velocity: bool
    way: Vector
    given: bool
    """It needs no cause: there in the first frame or at a mark, or before."""


class Start(NamedTuple):
    """The start of a spawned actor: place, velocity, its first step after that, and its angle. `there`: it has not left
    at once."""

    place: Vector
    velocity: Vector
    step: Vector
    angle: float
    there: bool


class Starts:
    """Starts of spawned actors, moved by the code that moves driven ones."""

    def __init__(self, held: Held) -> None:
        self.held = held
        self.known: dict[tuple[int, str], Start] = {}

    def of(self, event: SpawnEvent) -> Start:
        """That of one. Where the game draws its direction, that of the middle of what it may draw."""
        key = event.frame, event.id
        if key not in self.known:
            # the shadow is moved from how it was spawned, not from its first pose: games differ by one move
            birth = self.held.births[key]
            drawn = self.drawn(event)
            if drawn and birth.velocity is not None:
                # what the game draws is not known, so the middle stands for all of it
                (x, y), speed = self._share(event, birth.velocity, birth.angle)
                cos, sin = direction(birth.angle - drawn)
                birth = replace(birth, angle=birth.angle - drawn, velocity=(x + speed * cos, y + speed * sin))
            start = self._moved(birth, event, at_once=birth.moves_at_once)
            self.known[key] = start._replace(there=start.there and not self._may_leave(birth, event))
        return self.known[key]

    def _may_leave(self, birth: Birth, event: SpawnEvent) -> bool:
        """Whether its first move leads across an edge in some directions that the game may draw."""
        rules, fan = self.held.rules, fan_of(self.held, event)
        if fan is None or not (fan.is_drawn and birth.moves_at_once):
            return False
        vx, vy = rules.kinds[event.kind].motion.velocity if birth.velocity is None else birth.velocity
        step = max(fan.speeds[1], math.hypot(vx, vy)) / float(rules.rate)
        return rules.may_leave(event.kind, birth.x, birth.y, step)

    def _moved(self, birth: Birth, event: SpawnEvent, *, at_once: bool) -> Start:
        held = self.held
        motion, (x, y), dt = held.rules.kinds[event.kind].motion, (birth.x, birth.y), 1.0 / float(held.rules.rate)
        vx, vy = motion.velocity if birth.velocity is None else birth.velocity
        reach, bounds = math.hypot(vx, vy) * dt, held.rules.space.bounds
        inside = bounds is None or (
            bounds[0] + reach < x < bounds[2] - reach and bounds[1] + reach < y < bounds[3] - reach
        )
        # most shots fly straight at first, and need no shadow
        if motion.is_even and not at_once and inside and not held.rules.space.solids:
            return Start((x, y), (vx, vy), (vx * dt, vy * dt), birth.angle, there=True)
        shadow = held.shadow
        shadow.enter(event.frame, birth, moves=at_once)
        place, velocity, angle, there = shadow.place, shadow.velocity, shadow.angle, shadow.gone != "edge"
        # a shadow that is gone has taken its first step already
        x, y = place if shadow.gone else shadow.step()
        return Start(place, velocity, (x - place[0], y - place[1]), angle, there)

    def jitter(self, event: SpawnEvent) -> float:
        """By how many degrees the game may draw its direction off the middle."""
        fan = fan_of(self.held, event)
        return 0.0 if fan is None else fan.jitter

    def drawn(self, event: SpawnEvent) -> float:
        """By how many degrees the rules have drawn its direction off the middle."""
        jitter = self.jitter(event)
        return jitter * (2 * draw(self.held.recording.seed, event.id, "jitter") - 1) if jitter else 0.0

    def is_open(self, event: SpawnEvent) -> bool:
        """Whether its velocity is the game's to know: a share of its owner's, which the game does not log while a hit
        moves the owner."""
        emitter, held = emitter_of(self.held, event), self.held
        owner = event.owner or ""
        if emitter is None or not emitter.fan.inherit or owner not in held.recording.numbers:
            return False
        row = held.recording.row(owner, event.frame)
        is_logged = row is not None and not math.isnan(held.recording.poses.vx[row])
        moved = held.ledger.about(owner, "knockback", "launch", "reflect", "home", "respawn")
        return not is_logged and any(entry.frame <= event.frame <= held.last_of(entry) + 1 for entry in moved)

    def turned(self, event: SpawnEvent, appearance: Appearance) -> float:
        """By how many degrees it heads elsewhere than it may; 0 where nothing says."""
        start, jitter = self.of(event), self.jitter(event)
        if appearance.moves is not None:
            if self.is_open(event):
                return 0.0
            way = start.velocity if appearance.logs_velocity else start.step
            heads = angle_of(*way) if any(way) else appearance.moves
            # a bend in its first step depends on the drawn direction, speed or place, so nothing can be said
            draws = jitter or self._draws_speed(event)
            if (draws and self._is_turned(event)) or self._may_turn(event, appearance):
                return 0.0
            jitter = max(jitter, self._swing(event, heads))
            apart = math.remainder(heads - appearance.moves, 360.0)
        else:
            # an angle of 0 may also mean that none is logged
            apart = math.remainder(start.angle - appearance.angle, 360.0) if appearance.angle else 0.0
        return max(abs(apart) - jitter, 0.0)

    def strays(self, event: SpawnEvent, appearance: Appearance) -> float:
        """By how many units its first step ends elsewhere: what stops it at once may turn ways into one direction."""
        start = self.of(event)
        if appearance.logs_velocity:
            return math.dist(start.velocity, appearance.way) / float(self.held.rules.rate)
        return math.dist(start.step, appearance.way) if any(appearance.way) else 0.0

    def _is_turned(self, event: SpawnEvent) -> bool:
        """Whether anything bends or stops it in its first moves."""
        start = self.of(event)
        ways = [angle_of(*way) for way in (start.velocity, start.step) if any(way)]
        centre = event.angle - self.drawn(event)
        return len(ways) < 2 or any(abs(math.remainder(way - centre, 360.0)) > EVEN for way in ways)

    def _share(self, event: SpawnEvent, velocity: Vector, angle: float) -> tuple[Vector, float]:
        """The share of its owner's velocity that a spawned actor has, and the speed of its own that the rules draw."""
        fan = fan_of(self.held, event)
        speed = 0.0 if fan is None else speed_of(fan, self.held.recording.seed, event.id)
        cos, sin = direction(angle)
        return (velocity[0] - speed * cos, velocity[1] - speed * sin), speed

    def _swing(self, event: SpawnEvent, heads: float) -> float:
        """By how many degrees the drawn speed may turn the way of an actor that inherits a velocity."""
        fan, birth = fan_of(self.held, event), self.held.births[event.frame, event.id]
        if fan is None or not (fan.is_drawn and fan.inherit) or birth.velocity is None:
            return 0.0
        (x, y), _ = self._share(event, birth.velocity, birth.angle)
        cos, sin = direction(birth.angle - self.drawn(event))
        ways = [(x + speed * cos, y + speed * sin) for speed in fan.speeds]
        # at speed 0 it may turn either way
        return max(abs(math.remainder(angle_of(*way) - heads, 360.0)) if any(way) else 180.0 for way in ways)

    def _draws_speed(self, event: SpawnEvent) -> bool:
        """Whether the game draws its speed, and more than a share of its owner's velocity may bend its way."""
        fan, rules = fan_of(self.held, event), self.held.rules
        if fan is None or fan.speeds[0] == fan.speeds[1]:
            return False
        motion = rules.kinds[event.kind].motion
        return not fan.inherit or any(motion.acceleration) or bool(motion.gravity and rules.space.gravity)

    def _may_turn(self, event: SpawnEvent, appearance: Appearance) -> bool:
        """Whether something near may turn an actor in its first moves, if the game draws its place."""
        emitter, rules = emitter_of(self.held, event), self.held.rules
        if emitter is None or emitter.within is None:
            return False
        x, y = appearance.x, appearance.y
        reach = 2.0 * math.hypot(*self.of(event).velocity) / float(rules.rate)
        x0, y0, x1, y1 = rules.space.bounds or (-math.inf, -math.inf, math.inf, math.inf)
        inside = x0 + reach <= x <= x1 - reach and y0 + reach <= y <= y1 - reach
        return not inside or self._is_turned(event) or self.held.near_solid(rules.kinds[event.kind], (x, y), reach)

    def apart(self, event: SpawnEvent, appearance: Appearance) -> float:
        """Distance in units to where it should appear: anywhere in a box in which the game draws its place."""
        held, start, emitter = self.held, self.of(event), emitter_of(self.held, event)
        x, y = appearance.x, appearance.y
        goal_x, goal_y = start.place
        # any place of the box is right, so the nearest one counts
        if emitter is not None and emitter.within is not None:
            x0, y0, x1, y1 = emitter.within
            way_x, way_y = goal_x - event.x, goal_y - event.y
            goal_x, goal_y = min(max(x - way_x, x0), x1) + way_x, min(max(y - way_y, y0), y1) + way_y
        dx, dy = x - goal_x, y - goal_y
        if held.rules.kinds[event.kind].motion.at_edge == "wrap":
            dx, dy = held.shorter(dx, dy)
        away = math.hypot(dx, dy)
        fan, at_once = fan_of(held, event), held.births[event.frame, event.id].moves_at_once
        dt = 1.0 / float(held.rules.rate)
        if fan is not None and at_once and fan.is_drawn:
            away = max(away - (fan.speeds[1] - fan.speeds[0]) * dt, 0.0)
        if fan is not None and at_once and fan.jitter:
            step = fan.speeds[1] * dt
            met = self._is_turned(event) or held.near_solid(held.rules.kinds[event.kind], (x, y), 2.0 * step)
            # a drawn direction turns its first step by as much, and anything met at once by up to a whole step and back
            reach = 2.0 if met else 2.0 * math.sin(math.radians(min(fan.jitter, 180.0) / 2.0))
            away = max(away - reach * step, 0.0)
        if at_once and self.is_open(event):
            # an unknown velocity leaves the first place open by as far as it may have moved
            away = max(away - math.dist(start.place, (event.x, event.y)) - math.hypot(x - event.x, y - event.y), 0.0)
        return away


def fan_of(held: Held, event: SpawnEvent) -> Fan | None:
    """The fan that a spawn is one of: that of its emitter, or that of its parent."""
    emitter = emitter_of(held, event)
    if emitter is not None:
        return emitter.fan
    origin = Origin.parse(event.id)
    parent = None if origin is None else held.kind_of(origin.parent)
    return next((fan for fan in parent.down.spawn if fan.kind == event.kind), None) if parent is not None else None


def emitter_of(held: Held, event: SpawnEvent) -> Emitter | None:
    """The emitter that a spawn comes from: that of its owner's kind."""
    kind = held.kind_of(event.owner or "")
    own = () if kind is None else kind.emitters
    for emitter in own:
        if emitter.name == event.emitter:
            return emitter
    return None
