"""The parts of a draft: kinds, boxes and attacks, each value with its evidence."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Value:
    """A value as a rulebook writes it, and the evidence for it."""

    text: str
    why: str


@dataclass
class BoxGuess:
    """A box: keys as a rulebook writes them."""

    name: str
    role: str
    keys: dict[str, Value] = field(default_factory=dict)
    size: tuple[float, float] = (8.0, 8.0)
    middle: tuple[float, float] = (0.0, 0.0)
    """The usual place of a box that the game logs."""


@dataclass
class KindGuess:
    """A kind, with keys, boxes, emitters and clips."""

    name: str
    side: str | None = None
    keys: dict[str, Value] = field(default_factory=dict)
    boxes: list[BoxGuess] = field(default_factory=list)
    emitters: dict[str, dict[str, Value]] = field(default_factory=dict)
    clips: dict[str, dict[str, Value]] = field(default_factory=dict)


@dataclass
class AttackGuess:
    """An attack, with keys; those of either side as `attacker.remove`."""

    name: str
    keys: dict[str, Value] = field(default_factory=dict)


@dataclass
class Guess:
    """The whole draft. `unknown` says what could not be logged, and what to log to learn it; `notes` tell of the
    log."""

    up: str
    layers: list[str]
    kinds: list[KindGuess]
    attacks: list[AttackGuess]
    contact: dict[str, Value]
    space: dict[str, Value]
    unknown: list[str]
    notes: list[str]


def shown(value: float) -> str:
    return f"{round(value, 2) + 0.0:g}"  # no minus before nothing


def quoted(name: str) -> str:
    """A name as TOML has it."""
    return json.dumps(name, ensure_ascii=False)


def roundest(low: float, high: float) -> float:
    """The roundest number from `low` on and below `high`."""
    for unit in (100.0, 50.0, 10.0, 5.0, 1.0):
        value = math.ceil(low / unit) * unit
        if value < high:
            return value
    return low
