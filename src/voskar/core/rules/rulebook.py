"""A compiled rulebook: kinds, and everything else by name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from fractions import Fraction

from msgspec import Struct, field
from msgspec.structs import replace

from voskar.core.rules.attacks import Attack, Case, Consequences, Reflect
from voskar.core.rules.boxes import Box, Clip
from voskar.core.rules.conditions import NO_CONDITION, ActorCondition
from voskar.core.rules.counters import CounterRule
from voskar.core.rules.emitters import Emitter, Fixture
from voskar.core.rules.life import Down, ExtraLife, Goal, Respawn, StartRule
from voskar.core.rules.motion import Motion
from voskar.core.rules.space import ContactRules, Space

DEFAULT_RATE = Fraction(60)
"""Frames a second where a rulebook is looked at without a recording."""


class KindNames(Struct, frozen=True):
    """The names of a kind that recordings may use."""

    boxes: frozenset[str] = frozenset()
    tags: frozenset[str] = frozenset()
    changes_owner: bool = False
    """Whether anything reflects shots."""
    base: str = ""
    """For an actor with rules of its own its kind; empty for a kind."""
    own: Mapping[str, str] = {}
    """For each kind, the ids of actors with rules of their own, and the kinds made for them."""
    shrunk: frozenset[str] = frozenset()
    """Boxes that shrink on every side."""


class Kind(Struct, frozen=True):
    """A type of actor. `health` None: it cannot go down. `lives` None: lives are not counted. `respawn` None: it does
    not come back; with `succession` a new actor of its kind takes its place. One that has left a recording `linger`s
    for so many frames; for one that `wraps` opposite edges of the space are one; `stun_disarms` closes its hitboxes. It
    is immune for `start_iframes` from its first frame in a run on. A pose may have its `tags`; `cases` are of whatever
    hits it. Damage of a type counts `resistance` times. Places of one may be off by `tolerance`, else by the command's.
    Of one actor's own rules `base` is the kind."""

    name: str
    base: str = ""
    side: str | None = None
    health: float | None = None
    iframes: int = 0
    start_iframes: int = 0
    boxes: tuple[Box, ...] = ()
    clips: Mapping[str, Clip] = {}
    weight: float = 1.0
    bounce: float = 1.0
    motion: Motion = field(default_factory=Motion)
    emitters: tuple[Emitter, ...] = ()
    down: Down = field(default_factory=Down)
    lives: int | None = None
    respawn: Respawn | None = None
    succession: bool = False
    linger: int = 0
    wraps: bool = False
    stun_disarms: bool = False
    tags: frozenset[str] = frozenset()
    cases: tuple[Case, ...] = ()
    counters: Mapping[str, CounterRule] = {}
    resistance: Mapping[str, float] = {}
    max_lives: int | None = None
    tolerance: float | None = None
    extra_life: ExtraLife | None = None
    spare: bool = False

    @property
    def logged_kind(self) -> str:
        """Its name in recordings and conditions."""
        return self.base or self.name

    def logged_lives(self, lives: float) -> float:
        """Lives as logs, ledgers and displays have them: of `spare` ones those in reserve."""
        return max(lives - 1, 0) if self.spare else lives

    def real_lives(self, value: float, lives: int | None) -> int:
        """The lives behind a logged value, of an actor with so many lives."""
        # a log that has no spare life left may mean the last life, or none: what the actor had before decides
        return int(value) if not self.spare else int(value) + 1 if value or lives else 0

    @property
    def any_clip_iframes(self) -> bool:
        """Whether any clip makes it immune."""
        return any(clip.iframes for clip in self.clips.values())

    @property
    def box_conditions(self) -> tuple[ActorCondition, ...]:
        """The conditions of its boxes, each once."""
        # conditions are compared by their text, since mappings cannot be hashed
        return tuple({repr(box.if_): box.if_ for box in self.boxes if box.if_ != NO_CONDITION}.values())

    @property
    def box_counters(self) -> frozenset[str]:
        """The counters that its boxes ask for."""
        return frozenset(name for condition in self.box_conditions for name in condition.counters)

    def timed(self, attack: str) -> bool:
        """Whether any of the kind's hitboxes of an attack has a `during`."""
        return attack in self.timed_attacks()

    def timed_attacks(self) -> list[str]:
        """The attacks of which any of the kind's hitboxes has a `during`, by name."""
        return sorted({box.attack for box in self.boxes if box.attack is not None and box.during is not None})


class Rules(Struct, frozen=True):
    """A compiled rulebook at one frame rate. Kinds and attacks are sorted by name. `meets` is the table of who meets
    whom, a bit of a hitbox's layer to those of the hurtboxes' it meets; None without one."""

    rate: Fraction
    layers: tuple[str, ...]
    kinds: Mapping[str, Kind]
    attacks: Mapping[str, Attack]
    space: Space = field(default_factory=Space)
    contact: ContactRules = field(default_factory=ContactRules)
    fixtures: tuple[Fixture, ...] = ()
    goal: Goal = field(default_factory=Goal)
    starts: Mapping[str, StartRule] = {}
    meets: Mapping[int, int] | None = None
    digest: str = ""

    @property
    def drives(self) -> bool:
        """Whether anything can appear that a recording does not show."""
        return bool(
            self.fixtures or self.effects or any(kind.emitters or kind.down.spawn for kind in self.kinds.values())
        )

    @property
    def tables(self) -> Iterator[Consequences]:
        """All consequences that anything can have."""
        for attack in self.attacks.values():
            yield from attack.tables
        for kind in self.kinds.values():
            for case in kind.cases:
                yield from (table for table in (case.attacker, case.target) if table is not None)
            for rule in kind.counters.values():
                yield from (table for table in (rule.on_min, rule.on_max) if table is not None)

    @property
    def any_hitstop(self) -> bool:
        """Whether anything freezes an actor."""
        return any(attack.hitstop or attack.clash.hitstop for attack in self.attacks.values()) or any(
            case.hitstop for case in self.cases
        )

    @property
    def freezes_all(self) -> bool:
        """Whether any hit freezes everyone, seen or not."""
        # a clash freezes only its two sides
        attacks = any(attack.hitstop_on == "all" for attack in self.attacks.values())
        return attacks or any(case.hitstop_on == "all" for case in self.cases)

    @property
    def cases(self) -> list[Case]:
        """All cases of attacks and kinds."""
        attacks, kinds = self.attacks.values(), self.kinds.values()
        return [
            *(case for attack in attacks for case in attack.cases),
            *(case for kind in kinds for case in kind.cases),
        ]

    @property
    def effects(self) -> frozenset[str]:
        """The kinds that hits spawn."""
        return frozenset(table.spawn for table in self.tables if table.spawn is not None)

    @property
    def bred(self) -> frozenset[str]:
        """The kinds that emitters or parents spawn: their boxes are swept unless they say otherwise."""
        emitted = {emitter.fan.kind for kind in self.kinds.values() for emitter in kind.emitters}
        return frozenset(emitted | {fan.kind for kind in self.kinds.values() for fan in kind.down.spawn})

    @property
    def spawned(self) -> frozenset[str]:
        """The kinds that emitters, parents or hits spawn: an id of theirs may be used again, for another one."""
        return self.bred | self.effects

    @property
    def sides_of_children(self) -> dict[str, str]:
        """The side of the parents of a kind, where all that leave it behind have one and the same."""
        found: dict[str, set[str | None]] = {}
        for kind in self.kinds.values():
            for fan in kind.down.spawn:
                found.setdefault(fan.kind, set()).add(kind.side)
        # of several parents on other sides nothing can be said
        return {name: side for name, own in found.items() if len(own) == 1 and (side := next(iter(own))) is not None}

    @property
    def returns(self) -> bool:
        """Whether anyone can come back."""
        return any(kind.respawn is not None for kind in self.kinds.values())

    def may_leave(self, kind: str, x: float, y: float, step: float) -> bool:
        """Whether an edge may remove an actor of a kind that starts at a place and moves by up to `step` units."""
        bounds, motion = self.space.bounds, self.kinds[kind].motion
        # in a corner one move may use up two bounces, so more than two are needed to be sure
        lasts = motion.at_edge == "bounce" and (motion.bounces or 0) > 1
        if bounds is None or lasts or not motion.edge_ends:
            return False
        x0, y0, x1, y1 = bounds
        return not (x0 + step <= x <= x1 - step and y0 + step <= y <= y1 - step)

    def promises(self, hit_layer: str, hurt_layer: str) -> bool | None:
        """Whether the table has hitboxes on one layer meet hurtboxes on another; None without a table."""
        if self.meets is None:
            return None
        # a layer that the table does not name meets nothing
        bits = {name: 1 << index for index, name in enumerate(self.layers)}
        return bool(self.meets.get(bits.get(hit_layer, 0), 0) & bits.get(hurt_layer, 0))

    @property
    def reflections(self) -> tuple[Reflect, ...]:
        """The reflections that give a shot other layers or masks, each once."""
        found = (table.reflect for table in self.tables if table.reflect is not None)
        return tuple(dict.fromkeys(item for item in found if item.layer is not None or item.mask is not None))

    def reflected(self, box: Box, by: Reflect | None) -> Box:
        """A box of a shot that was reflected."""
        if by is None:
            return box
        layer, mask = (
            own if names is None else sum(1 << self.layers.index(name) for name in set(names))
            # a set, since a rulebook may name a layer twice
            for names, own in ((by.layer, box.layer), (by.mask, box.mask))
        )
        return replace(box, layer=layer, mask=mask)

    def layer_names(self, bits: int) -> list[str]:
        """The names of the layers in a bit set, in the order of the rulebook."""
        return [name for index, name in enumerate(self.layers) if bits >> index & 1]
