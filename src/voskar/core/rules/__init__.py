"""What a rulebook means: frozen values, durations already in frames."""

from __future__ import annotations

from voskar.core.rules.attacks import Attack, Consequences, Direction, Knockback, Launch, Rehit
from voskar.core.rules.boxes import Box, Clip, Key, Role, Windows
from voskar.core.rules.conditions import ActorCondition, Comparison, ContactCondition, Place
from voskar.core.rules.durations import Duration, Lasting
from voskar.core.rules.emitters import Aim, Emitter, Fan, Fixture, Target, Trigger
from voskar.core.rules.life import Down, Goal, Respawn, Spot
from voskar.core.rules.motion import Motion
from voskar.core.rules.rulebook import DEFAULT_RATE, Kind, Rules
from voskar.core.rules.space import ContactRules, Detect, Solid, Space, eligible, sees

__all__ = [
    "DEFAULT_RATE",
    "ActorCondition",
    "Aim",
    "Attack",
    "Box",
    "Clip",
    "Comparison",
    "Consequences",
    "ContactCondition",
    "ContactRules",
    "Detect",
    "Direction",
    "Down",
    "Duration",
    "Emitter",
    "Fan",
    "Fixture",
    "Goal",
    "Key",
    "Kind",
    "Knockback",
    "Lasting",
    "Launch",
    "Motion",
    "Place",
    "Rehit",
    "Respawn",
    "Role",
    "Rules",
    "Solid",
    "Space",
    "Spot",
    "Target",
    "Trigger",
    "Windows",
    "eligible",
    "sees",
]
