"""What a rulebook means: frozen values, durations already in frames."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Literal

from voskar.core.rules_driven import Emitter, Fixture, Motion, Solid
from voskar.core.rules_life import Goal, Going, Respawn
from voskar.core.shapes import Outline

Role = Literal["hitbox", "hurtbox", "body"]
Detect = Literal["either", "both", "hitbox", "hurtbox"]

_DURATION = re.compile(r"(\d+(?:\.\d+)?)(f|ms|s)", re.ASCII)


@dataclass(frozen=True)
class Duration:
    """A length of time as a rulebook writes it: `12f`, `0.2s`, `200ms`, or a bare integer of frames."""

    amount: Fraction
    seconds: bool

    @classmethod
    def parse(cls, text: str | int) -> Duration:
        """Raises ValueError for anything but the four forms; a part of a frame (`1.5f`) is none of them."""
        if isinstance(text, int):
            if text < 0:
                raise ValueError(text)
            return cls(Fraction(text), False)
        match = _DURATION.fullmatch(text)
        if match is None or (match[2] == "f" and "." in match[1]):
            raise ValueError(text)
        amount = Fraction(match[1])
        return cls(amount / 1000 if match[2] == "ms" else amount, match[2] != "f")

    def exact(self, rate: Fraction) -> Fraction:
        """Frames at `rate` frames a second, unrounded."""
        return self.amount * rate if self.seconds else self.amount

    def frames(self, rate: Fraction) -> int:
        """Whole frames: floor(seconds * rate + 1/2), on exact fractions, so that 145 ms at 100 a second is 15."""
        exact = self.exact(rate)
        return (2 * exact.numerator + exact.denominator) // (2 * exact.denominator)


@dataclass(frozen=True)
class Rehit:
    """How often one attack of one striker may land on one target. `frames` is used by `after` only."""

    mode: Literal["once", "entry", "always", "after"]
    frames: int = 0

    def __str__(self) -> str:
        return f"{self.frames}f" if self.mode == "after" else self.mode


Direction = Literal["away", "flat", "facing", "travel"]


@dataclass(frozen=True)
class Knockback:
    """A push of `distance` units over `over` frames; `direction` is a word, or degrees."""

    distance: float
    over: int = 1
    fade: bool = False
    direction: Direction | float = "away"
    add: bool = False

    def steps(self) -> tuple[float, ...]:
        """The share of the distance in each frame, first to last: equal, or falling linearly (over, over-1, … 1)."""
        if not self.fade:
            return (1.0 / self.over,) * self.over
        total = self.over * (self.over + 1) / 2
        return tuple((self.over - index) / total for index in range(self.over))


@dataclass(frozen=True)
class Rebound:
    """A send-off along `up`, in units a second; `add` adds it to the vertical velocity instead of replacing it."""

    speed: float
    add: bool = False


@dataclass(frozen=True)
class Consequences:
    """What a landing does to one side. None: the rulebook does not name it.

    `remove` uses it up by the (`pierce` + 1)th outcome among `consumed_by`.
    """

    iframes: int | None = None
    stun: int = 0
    knockback: Knockback | None = None
    rebound: Rebound | None = None
    remove: bool = False
    pierce: int = 0
    consumed_by: frozenset[str] = frozenset({"landed"})
    home: bool = False
    checkpoint: bool = False
    gives: Mapping[str, float] = field(default_factory=dict)
    goal: bool = False
    effect: str | None = None


Place = Literal["above", "below", "ahead", "behind"]


@dataclass(frozen=True)
class Attack:
    """What a hitbox does when it lands. `rehit` None stands for the default, which depends on the striker."""

    name: str
    damage: float = 0.0
    rehit: Rehit | None = None
    priority: int = 0
    friendly: bool = False
    ignores_iframes: bool = False
    hits_owner: bool = False
    only_from: frozenset[Place] = frozenset()
    never_from: frozenset[Place] = frozenset()
    from_by: Literal["edge", "centre"] = "edge"
    slack: float = 1.0
    falling: bool = False
    preempts: bool = False
    striker: Consequences = field(default_factory=Consequences)
    target: Consequences = field(default_factory=Consequences)

    @property
    def looks_where(self) -> bool:
        """Whether it matters where the striker is, seen from the target."""
        return bool(self.only_from or self.never_from)

    @property
    def harms(self) -> bool:
        """Whether its target is worse off by it: hurt, held, pushed, sent home or used up."""
        its = self.target
        return bool(self.damage > 0 or its.stun or its.knockback or its.rebound or its.remove or its.home)

    @property
    def gives_iframes(self) -> bool:
        """Only an attack that hurts, or that names the i-frames of its target, makes a target immune."""
        return self.damage > 0 or self.target.iframes is not None


@dataclass(frozen=True)
class Clip:
    """An animation of a kind. `rate` is cells a second, None for one cell a frame."""

    cells: int
    rate: Fraction | None = None
    loop: bool = False

    def step(self, recording_rate: Fraction) -> Fraction:
        """Cells a frame, exactly."""
        return Fraction(1) if self.rate is None else self.rate / recording_rate


@dataclass(frozen=True)
class Key:
    """What a box is moved to from a cell on. None: this key does not name the value."""

    cell: int
    at: tuple[float, float] | None = None
    turn: float | None = None
    stretch: tuple[float, float] | None = None
    linear: bool = False


Windows = Mapping[str, tuple[tuple[int, int], ...]]
"""Ranges of cells (first, last), by clip."""


@dataclass(frozen=True)
class Box:
    """A shape fixed to a kind. `layer` and `mask` are bit sets over `Rules.layers`.

    `during` None: open in every cell. `swept` None: where the kind is spawned. `keys` by clip, sorted by cell.
    """

    name: str
    role: Role
    outline: Outline
    at: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    layer: int = 0
    mask: int = 0
    attack: str | None = None
    rank: int = 0
    damage_scale: float = 1.0
    during: Windows | None = None
    except_during: Windows = field(default_factory=dict)
    keys: Mapping[str, tuple[Key, ...]] = field(default_factory=dict)
    swept: bool | None = None

    def opens(self, clip: str | None, cell: int) -> bool:
        """Whether the box is open in a cell of a clip; without a clip only where it names no cells."""
        inside = self.during is None or _within(self.during, clip, cell)
        return inside and not _within(self.except_during, clip, cell)


def _within(windows: Windows, clip: str | None, cell: int) -> bool:
    return any(first <= cell <= last for first, last in windows.get(clip or "", ()))


@dataclass(frozen=True)
class Kind:
    """A type of actor. `health` None: it cannot go down. `lives` None: nobody counts them. `respawn` None: it does not
    come back; with `succession` a new actor of its kind takes its place."""

    name: str
    side: str | None = None
    health: float | None = None
    iframes: int = 0
    boxes: tuple[Box, ...] = ()
    clips: Mapping[str, Clip] = field(default_factory=dict)
    weight: float = 1.0
    bounce: float = 1.0
    motion: Motion = field(default_factory=Motion)
    emitters: tuple[Emitter, ...] = ()
    down: Going = field(default_factory=Going)
    lives: int | None = None
    respawn: Respawn | None = None
    succession: bool = False

    def timed(self, attack: str) -> bool:
        """Whether any of the kind's hitboxes of an attack has a `during`."""
        return any(box.attack == attack and box.during is not None for box in self.boxes)


@dataclass(frozen=True)
class Space:
    """`up` is "-y" or "+y"; `bounds` are x0, y0, x1, y1 in units, `gravity` units a second squared."""

    up: Literal["-y", "+y"] = "-y"
    bounds: tuple[float, float, float, float] | None = None
    gravity: float = 0.0
    solids: tuple[Solid, ...] = ()

    @property
    def upwards(self) -> float:
        """The sign of y along `up`."""
        return -1.0 if self.up == "-y" else 1.0


@dataclass(frozen=True)
class ContactRules:
    """The rules that hold for every contact."""

    detect: Detect = "either"
    same_frame: Literal["first", "all"] = "first"
    health_check: Literal["frame_end", "at_once"] = "frame_end"
    edges_touch: bool = False
    linger: int = 0


@dataclass(frozen=True)
class Rules:
    """A compiled rulebook at one frame rate. Kinds and attacks are sorted by name."""

    rate: Fraction
    layers: tuple[str, ...]
    kinds: Mapping[str, Kind]
    attacks: Mapping[str, Attack]
    space: Space = field(default_factory=Space)
    contact: ContactRules = field(default_factory=ContactRules)
    fixtures: tuple[Fixture, ...] = ()
    goal: Goal = field(default_factory=Goal)
    digest: str = ""

    @property
    def drives(self) -> bool:
        """Whether anything can appear that a recording does not show."""
        effects = any(side.effect for attack in self.attacks.values() for side in (attack.striker, attack.target))
        return bool(self.fixtures or effects or any(kind.emitters or kind.down.spawn for kind in self.kinds.values()))

    @property
    def returns(self) -> bool:
        """Whether anyone can come back."""
        return any(kind.respawn is not None for kind in self.kinds.values())

    def layer_names(self, bits: int) -> list[str]:
        """The names of the layers in a bit set, in the order of the rulebook."""
        return [name for index, name in enumerate(self.layers) if bits >> index & 1]


def sees(mask: int, layer: int) -> bool:
    """A mask sees a layer set if they share a layer. The mask belongs to the one who looks, the layer to the other."""
    return bool(mask & layer)


def eligible(detect: Detect, hitbox: Box, hurtbox: Box) -> bool:
    """Whether layers and masks let a hitbox meet a hurtbox at all, under `[contact] detect`."""
    hit_sees, hurt_sees = sees(hitbox.mask, hurtbox.layer), sees(hurtbox.mask, hitbox.layer)
    match detect:
        case "hitbox":
            return hit_sees
        case "hurtbox":
            return hurt_sees
        case "both":
            return hit_sees and hurt_sees
        case "either":
            return hit_sees or hurt_sees
