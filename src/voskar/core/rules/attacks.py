"""Hits in the rules: attacks, and their tables of consequences."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Literal

from msgspec import Struct, field

from voskar.core.rules.conditions import ContactCondition

Direction = Literal["away", "flat", "facing", "travel"]


class Rehit(Struct, frozen=True):
    """How often one attack of one attacker may land on one target. `frames` is used by `after` only."""

    mode: Literal["once", "entry", "always", "after"]
    frames: int = 0

    def __str__(self) -> str:
        return f"{self.frames}f" if self.mode == "after" else self.mode


class Knockback(Struct, frozen=True):
    """A push of `distance` units over `over` frames; `direction` is a word, or degrees. At a surface what is left of it
    goes back, `bounces` times as far, so many times."""

    distance: float
    over: int = 1
    ease: Literal["even", "fade"] = "even"
    direction: Direction | float = "away"
    mode: Literal["set", "add"] = "set"
    bounces: float = 0.0
    bounce_times: int = 1

    def steps(self) -> tuple[float, ...]:
        """The share of the distance in each frame, first to last: equal, or falling linearly (over, over-1, … 1)."""
        if self.ease == "even":
            # an even push is the usual one, and must come out as the same number in every frame
            return (1.0 / self.over,) * self.over
        # the sum of over, over-1, … 1
        total = self.over * (self.over + 1) / 2
        return tuple((self.over - index) / total for index in range(self.over))


class Launch(Struct, frozen=True):
    """A velocity in units a second: `up` along the space's up, `ahead` the way that the other actor faces, `away`
    from it. Parts that are None are kept.

    It replaces the velocity on that axis (`set`), or adds to it (`add`).
    """

    up: float | None = None
    ahead: float | None = None
    away: float | None = None
    mode: Literal["set", "add"] = "set"


class OverTime(Struct, frozen=True):
    """Damage in every `every`th frame after a hit, so often. A hit while it runs begins it again (`renew`), adds
    another (`add`), or changes nothing (`ignore`)."""

    damage: float
    every: int
    times: int = 1
    stacking: Literal["renew", "add", "ignore"] = "renew"


class Reflect(Struct, frozen=True):
    """A shot goes `back`, is turned round along x (`mirror`), or goes the way that the other one faces (`heading`). It
    has these layers and masks from then on; None: its own."""

    way: Literal["back", "mirror", "heading"] = "back"
    layer: tuple[str, ...] | None = None
    mask: tuple[str, ...] | None = None


Given = float | Literal["damage", "-damage", "unscaled", "-unscaled"]
"""The amount that a hit adds to a counter: a number, or its damage, with its factors or without."""

Longer = Literal["longest", "set", "add"]
"""The treatment of stun or i-frames that are running."""


class Consequences(Struct, frozen=True):
    """The consequences of a hit for one side. None: not in the rulebook.

    `damage` is taken from its health, `lifesteal` is the share of the health lost to the hit that it gains, `lives` are
    lives that it gains. `remove` uses it up by the (`pierce` + 1)th outcome among `consumed_by`. A shot that is
    `reflect`ed belongs to the other one.
    """

    damage: float = 0.0
    lifesteal: float = 0.0
    iframes: int | None = None
    iframes_mode: Longer = "longest"
    stun: int = 0
    stun_mode: Longer = "longest"
    knockback: Knockback | None = None
    launch: Launch | None = None
    remove: bool = False
    pierce: int = 0
    consumed_by: frozenset[str] = frozenset({"landed"})
    home: bool = False
    checkpoint: bool = False
    gives: Mapping[str, Given] = {}
    lives: int = 0
    over_time: OverTime | None = None
    goal: bool = False
    spawn: str | None = None
    reflect: Reflect | None = None

    @property
    def takes_health(self) -> bool:
        """Whether its side loses health, at once or over time."""
        return self.damage > 0 or (self.over_time is not None and self.over_time.damage > 0)

    @property
    def harms(self) -> bool:
        """Whether its side is worse off by it."""
        return bool(self.takes_health or self.stun or self.remove or self.home or self.knockback or self.launch)


Frozen = Literal["both", "attacker", "target", "all"]
"""The actors that a hit freezes."""


class ByCounter(Struct, frozen=True):
    """Damage counts as many times as a counter of one side says: the factor at the counter's whole part, the last one
    from there on."""

    of: Literal["attacker", "target"]
    counter: str
    factors: tuple[float, ...]

    def factor(self, value: float) -> float:
        """The factor for a value of the counter."""
        return self.factors[min(max(int(value), 0), len(self.factors) - 1)]


class Case(Struct, frozen=True):
    """The result of a contact if its condition `if_` holds. None: as the attack has it; `damage` counts `scale` times.

    One that `goes_on` leaves the choice to the cases behind it as well; one that does not `lands` is no hit. Only the
    game's claim can say that one `by_claim` holds.
    """

    name: str
    if_: ContactCondition = ContactCondition()
    damage: float | None = None
    least_damage: float | None = None
    scale: float = 1.0
    hitstop: int | None = None
    hitstop_on: Frozen | None = None
    attacker: Consequences | None = None
    target: Consequences | None = None
    goes_on: bool = False
    lands: bool = True
    by_claim: bool = False


class ClashRule(Struct, frozen=True):
    """Consequences of a clash for the actor of an attack: `attacker` if it is cancelled, `winner` if it continues."""

    hitstop: int = 0
    attacker: Consequences | None = None
    winner: Consequences | None = None


class Attack(Struct, frozen=True):
    """The effect of a hitbox when it lands. `rehit` None stands for the default, which depends on the attacker.

    `if_` is what must hold for a contact to land, `cases` what it is then: the first that holds. Damage that the game
    draws is from `least_damage` to `damage`. Its factors are those of the hurtbox, the case,
    the target's `resistance` to `damage_type`, and `by_counter`; then no hit takes less than `min_damage`. Of two that
    clash, the one of greater `strength` continues. It lands on `max_targets` targets a swing.
    """

    name: str
    damage: float = 0.0
    least_damage: float | None = None
    damage_type: str | None = None
    by_counter: ByCounter | None = None
    min_damage: float = 0.0
    hitstop: int = 0
    hitstop_on: Frozen = "both"
    strength: float = 0.0
    clash: ClashRule = field(default_factory=ClashRule)
    rehit: Rehit | None = None
    priority: int = 0
    friendly: bool = False
    ignores_iframes: bool = False
    hits_owner: bool = False
    if_: ContactCondition = ContactCondition()
    rehit_group: str | None = None
    max_targets: int | None = None
    preempts: bool = False
    attacker: Consequences = field(default_factory=Consequences)
    target: Consequences = field(default_factory=Consequences)
    cases: tuple[Case, ...] = ()
    scales: tuple[float, ...] = ()
    """Factors of the damage by the cases that hold."""

    @property
    def tables(self) -> Iterator[Consequences]:
        """All tables of consequences, for either side."""
        yield from (self.attacker, self.target)
        yield from (table for table in (self.clash.attacker, self.clash.winner) if table is not None)
        for case in self.cases:
            yield from (table for table in (case.attacker, case.target) if table is not None)

    @property
    def is_plain(self) -> bool:
        """Whether no factor of its own, no rounding and no draw changes its damage."""
        # plain damage needs no exact fractions, and nearly all damage is plain
        return (
            self.by_counter is None
            and self.damage_type is None
            and self.least_damage is None
            and not self.scales
            and self.damage >= self.min_damage
            and self.damage.is_integer()
        )

    @property
    def memory_key(self) -> str:
        """The key under which its hits are remembered: its own name, or that of its rehit group."""
        return self.name if self.rehit_group is None else f"group {self.rehit_group}"

    @property
    def harms(self) -> bool:
        """Whether its target may be worse off by it, by the attack itself or by one of its cases: hurt, poisoned, held,
        pushed, sent home or consumed."""
        damages = (self.damage, *(case.damage or 0.0 for case in self.cases))
        tables = (self.target, *(case.target for case in self.cases if case.target is not None))
        return any(damage > 0 for damage in damages) or any(table.harms for table in tables)

    @property
    def gives_iframes(self) -> bool:
        """Only an attack that hurts, or that names the i-frames of its target, makes a target immune."""
        # a heal, or a case without damage, is no hit that needs a pause after it
        return (self.damage > 0 and all(scale > 0 for scale in self.scales)) or self.target.iframes is not None
