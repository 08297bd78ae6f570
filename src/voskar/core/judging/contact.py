"""A touching pair of boxes in one frame, and what may be asked about it."""

from __future__ import annotations

import math
from typing import NamedTuple

import msgspec

from voskar.core.boxes import FormedBox
from voskar.core.judging.memory import Key, Memory
from voskar.core.kernel.meeting import contact_point, surface_normal
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Attack, ContactCondition, Place, Rehit
from voskar.core.rules.decimals import rounded, scaled
from voskar.core.rules.shapes import TOLERANCE
from voskar.core.world import ActorState, World


def swing_of(world: World, row: int, hitbox: FormedBox) -> int:
    """The frame in which the swing began that a hitbox of an actor is part of."""
    # attacks of a rehit group share one swing: the clip, not the windows of each
    if hitbox.attack.rehit_group is not None:
        return world.table.clip_since[row]
    # without windows the attack is open as long as its actor is there
    if hitbox.swing < 0:
        return world.table.entered[row]
    return world.placing.swing_began(row, hitbox.swing)


def factors_of(contact: Contact) -> list[tuple[str, float]]:
    """The factors of its damage, each with what it comes from. A heal has only those of its case."""
    effect, target = contact.effect, contact.target
    scales = [("case", scale) for scale in effect.scales]
    # resistance and scales of hurtboxes are about harm
    if effect.damage <= 0:
        return scales
    found = [("hurtbox", contact.hurtbox.box.damage_scale), *scales]
    if effect.damage_type is not None and effect.damage_type in target.kind.resistance:
        found.append((f"resistance to {effect.damage_type}", target.kind.resistance[effect.damage_type]))
    rule = effect.by_counter
    if rule is not None:
        whose = contact.attacker if rule.of == "attacker" else target
        value = contact.world.counter(whose, rule.counter)
        found.append((f"{rule.counter} {value:g}", rule.factor(value)))
    return found


def damage_between(contact: Contact) -> tuple[float, float]:
    """The least and the most that it takes: apart only where the game draws."""
    effect, rounding = contact.effect, contact.world.rules.contact.round_damage
    factors = tuple(factor for _, factor in factors_of(contact))
    most = scaled(effect.damage, factors, rounding, effect.min_damage)
    if effect.least_damage is None:
        return most, most
    least = scaled(effect.least_damage, factors, rounding, effect.min_damage)
    return min(least, most), max(least, most)


def damage_of(contact: Contact) -> float:
    """The damage by the rules. Where the game draws it: the claimed damage if that is in range, else the middle."""
    effect = contact.effect
    own = contact.hitbox
    # almost all attacks: neither case nor draw nor factor
    is_plain = own.is_plain if effect is own.attack else effect.is_plain
    if is_plain and contact.hurtbox.box.damage_scale == 1.0:
        return effect.damage
    least, most = damage_between(contact)
    if least == most:
        return most
    claimed = contact.claimed_damage
    # what the game has drawn only its log can say
    if claimed is not None and least <= claimed <= most:
        return claimed
    return rounded((least + most) / 2, contact.world.rules.contact.round_damage)


class Bearing(NamedTuple):
    """Where an attacker is, seen from its target, and the numbers that decided.

    `frame` is the one looked at. `gap` is how far the attacker (its lowest point, or its centre) is above the
    target (its highest point, or its centre), in units along up; `along` the part of the way to the attacker
    along the target's heading.
    """

    place: Place
    frame: int
    gap: float
    along: float


class Choice(msgspec.Struct, frozen=True):
    """The result of a contact: its case's name, "" for none, and what it does then.

    One that does not land is `unmet`. One that `names_boxes` holds for the contacts of those alone.
    """

    name: str
    effect: Attack
    lands: bool = True
    names_boxes: bool = False


class Contact(msgspec.Struct, gc=False, weakref=False, eq=False):
    """`key` is what its hits and touches are remembered by, `frame` the one it is in. `t` is the time of the touch
    in the frame, `touch` its row in the kernel's table: -1 for a pair that does not touch, of which is asked what would
    be.
    """

    world: World
    memory: Memory
    key: Key
    frame: int
    attacker: ActorState
    hitbox: FormedBox
    target: ActorState
    hurtbox: FormedBox
    effect: Attack
    """The attack, as its case has it."""
    t: float = 1.0
    touch: int = -1
    choice: Choice | None = None
    """The case that it comes to, once that is decided."""
    claimed_case: str | None = None
    """The case that the game claims of it, if it is known."""
    claimed_damage: float | None = None
    """The damage that the game claims, where the game draws it."""
    known_damage: float | None = None
    """The damage that the game claims, if its account is adopted."""
    adopted_point: Vector | None = None
    """The place that the game claims, likewise."""

    @property
    def attack(self) -> Attack:
        """The attack of the hitbox."""
        return self.hitbox.attack

    def choose(self, choice: Choice) -> None:
        """Sets the result."""
        self.choice, self.effect = choice, choice.effect

    @property
    def plain(self) -> Choice:
        """That no case holds."""
        name = self.hitbox.attack.name
        found = self.memory.plain.get(name)
        if found is None:
            found = self.memory.plain[name] = Choice("", self.hitbox.attack)
        return found

    @property
    def case(self) -> str | None:
        """The name of its case, None for none."""
        return None if self.choice is None else self.choice.name or None

    @property
    def damage(self) -> float:
        """The damage with all factors, unless the game claims another."""
        # kept, since a hit of the same frame may change counters that a factor depends on
        if self.known_damage is None:
            self.known_damage = damage_of(self)
        return self.known_damage

    @property
    def unscaled(self) -> float:
        """The damage before its factors."""
        effect = self.effect
        return effect.damage if effect.least_damage is None else (effect.damage + effect.least_damage) / 2

    @property
    def rehit(self) -> Rehit:
        """How often the attack may land on its target."""
        # shots of one owner may have another rehit rule than the owner itself
        return self.hitbox.rehit if self.attacker.owner is None else self.hitbox.rehit_owned

    @property
    def swing(self) -> int:
        """Which swing of the attack it is made with: the frame in which that began."""
        return swing_of(self.world, self.attacker.row, self.hitbox)

    @property
    def has_swings(self) -> bool:
        """Whether the attack has swings that begin and end."""
        return self.hitbox.swing >= 0 or self.hitbox.attack.rehit_group is not None

    @property
    def is_full(self) -> bool:
        """Whether the attack has landed on as many other targets as it may: in this swing, or, if it has no swings, in
        contacts that continue."""
        most = self.hitbox.attack.max_targets
        if most is None:
            return False
        # without swings an attack counts as used while a contact goes on, as for `rehit` by entry
        if not self.has_swings:
            return self.memory.held(self.key, self.frame) >= most
        struck = self.memory.struck_in(self.key, self.swing)
        return len(struck - {self.target.id}) >= most

    @property
    def over(self) -> Vector:
        """By how much the attacker stands elsewhere, as seen from the target, in a space with edges that are one."""
        world, placing = self.world, self.world.placing
        if not placing.boxes.any_wraps:
            return 0.0, 0.0
        # only pairs that touch have copies across an edge; of others the nearest way is meant
        if self.touch < 0:
            table, attacker, target = world.table, self.attacker.row, self.target.row
            way = table.x[attacker] - table.x[target], table.y[attacker] - table.y[target]
            return world.over(*way, attacker, target)
        i, j = world.finder.hit[self.touch], world.finder.hurt[self.touch]
        hits, hurts = placing.hits, placing.hurts
        return hits.over_x[i] - hurts.over_x[j], hits.over_y[i] - hurts.over_y[j]

    @classmethod
    def asked(
        cls, world: World, memory: Memory, attacker: int, hitbox: FormedBox, target: int, hurtbox: FormedBox
    ) -> Contact:
        """A pair of boxes that does not touch, to ask what would be; `attacker` and `target` are rows."""
        key = (attacker, hitbox.memory_key, target)
        item, other = world.state(attacker), world.state(target)
        return cls(world, memory, key, world.frame, item, hitbox, other, hurtbox, hitbox.attack)

    def slope(self) -> float:
        """How many degrees off up the hurtbox's surface faces where the two first touch: 0 is a floor, 90 a wall."""
        world = self.world
        if self.touch >= 0:
            world.finder.contact_normal(self.touch)
        else:
            world.stand_nearest(self.attacker.row, self.hitbox, self.target.row, self.hurtbox, self.over)
            surface_normal(world.narrow, 0.0, 0.0, world.placing.tolerance)
        return math.degrees(math.atan2(abs(world.narrow.normal_x), world.narrow.normal_y * world.up))

    def fall(self) -> float:
        """How fast the attacker falls, in units a second."""
        return -self.world.velocity(self.attacker.row)[1] * self.world.up

    def point(self) -> Vector:
        """Where the game claims it; else a point inside the overlap of the two boxes, at the time of the touch; of a
        pair that does not touch, the point halfway between them."""
        if self.adopted_point is not None:
            return self.adopted_point
        world = self.world
        if self.touch >= 0:
            world.finder.contact_point(self.touch)
        else:
            radii = world.stand_nearest(self.attacker.row, self.hitbox, self.target.row, self.hurtbox, self.over)
            contact_point(world.narrow, *radii)
        return world.narrow.point_x, world.narrow.point_y

    def bearing(self, condition: ContactCondition) -> Bearing:
        """Where the attacker is, seen from the target.

        By edge: above if the hitbox's lowest point was no more than the slack below the hurtbox's highest; else
        below the other way round; else ahead if the way to the attacker has a part of 0 or more along the
        target's heading; else behind; all in the frame before, or in this one if either was not in play then
        or its pose is cut. By centre: above or below if positions differ by more than the slack, in this frame.
        """
        world, table = self.world, self.world.table
        attacker, target = self.attacker.row, self.target.row
        before = False
        over_x, over_y = self.over
        if condition.from_by == "edge":
            before = bool(table.past[attacker] and table.past[target])
            hit_low, hit_high = world.heights(attacker, self.hitbox, before=before)
            hurt_low, hurt_high = world.heights(target, self.hurtbox, before=before)
            # up is a sign on y, so heights of both spaces compare alike
            higher = over_y * world.up
            gap, under = hit_low + higher - hurt_high, hurt_low - hit_high - higher
            # edges that only touch count, so rounding must not decide
            slack = condition.slack + TOLERANCE
            above, below = gap >= -slack, under >= -slack
        else:
            gap = (table.y[attacker] + over_y - table.y[target]) * world.up
            above, below = gap > condition.slack, -gap > condition.slack
        if before:
            x, y = table.before_x[attacker] - table.before_x[target], table.before_y[attacker] - table.before_y[target]
            hx, hy = table.before_m00[target], table.before_m10[target]
        else:
            x, y = table.x[attacker] - table.x[target], table.y[attacker] - table.y[target]
            hx, hy = table.m00[target], table.m10[target]
        # across an edge the attacker stands where it is nearest, not where its pose says
        x, y = x + over_x, y + over_y
        # a column of the matrix is as long as the actor's scale
        length = (hx * hx + hy * hy) ** 0.5
        along = x * (hx / length) + y * (hy / length)
        place: Place = "above" if above else "below" if below else "ahead" if along >= 0 else "behind"
        return Bearing(place, self.frame - 1 if before else self.frame, gap, along)
