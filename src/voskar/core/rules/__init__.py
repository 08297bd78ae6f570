"""The compiled rulebook: frozen values, durations already in frames."""

from __future__ import annotations

from voskar.core.rules.attacks import (
    Attack,
    ByCounter,
    Case,
    ClashRule,
    Consequences,
    Direction,
    Knockback,
    Launch,
    OverTime,
    Reflect,
    Rehit,
)
from voskar.core.rules.boxes import Box, Clip, Key, Role
from voskar.core.rules.conditions import NO_CONDITION, ActorCondition, Comparison, ContactCondition, Place, Windows
from voskar.core.rules.counters import CounterRule, Regen
from voskar.core.rules.durations import Duration, Lasting
from voskar.core.rules.emitters import Aim, Emitter, Fan, Fixture, Target, Trigger
from voskar.core.rules.life import Down, ExtraLife, Goal, Respawn, Spot, StartRule
from voskar.core.rules.motion import Motion
from voskar.core.rules.rulebook import DEFAULT_RATE, Kind, KindNames, Rules
from voskar.core.rules.space import ContactRules, Detect, Solid, Space, clash, eligible, sees

__all__ = [
    "DEFAULT_RATE",
    "NO_CONDITION",
    "ActorCondition",
    "Aim",
    "Attack",
    "Box",
    "ByCounter",
    "Case",
    "ClashRule",
    "Clip",
    "Comparison",
    "Consequences",
    "ContactCondition",
    "ContactRules",
    "CounterRule",
    "Detect",
    "Direction",
    "Down",
    "Duration",
    "Emitter",
    "ExtraLife",
    "Fan",
    "Fixture",
    "Goal",
    "Key",
    "Kind",
    "KindNames",
    "Knockback",
    "Lasting",
    "Launch",
    "Motion",
    "OverTime",
    "Place",
    "Reflect",
    "Regen",
    "Rehit",
    "Respawn",
    "Role",
    "Rules",
    "Solid",
    "Space",
    "Spot",
    "StartRule",
    "Target",
    "Trigger",
    "Windows",
    "clash",
    "eligible",
    "sees",
]
