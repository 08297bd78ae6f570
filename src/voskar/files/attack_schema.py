"""Attacks in a rulebook file: conditions, cases and consequences."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import BeforeValidator, Field

from voskar.core.asking import ANY_CELL
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.rules import Comparison, Duration
from voskar.core.rules import Lasting as LastingDuration
from voskar.core.rules import attacks as rules
from voskar.core.rules.shapes import LIMIT
from voskar.errors import renamed
from voskar.files.values import (
    CELLS_INPUT,
    Angle,
    Frames,
    Lasting,
    Names,
    Number,
    Pair,
    RehitRule,
    Table,
    Whole,
    ZeroUp,
    comparison_input,
    windows,
)

DAMAGES: tuple[str, ...] = get_args(get_args(rules.Given)[1])
"""Words that stand for the damage of a hit."""


def _comparisons(value: Any, *, percent: bool = False) -> Any:
    texts = value if isinstance(value, list) else [value]
    example = 'a comparison such as "< 50%" or "<= 2"' if percent else 'a comparison such as ">= 1"'
    try:
        found = tuple(Comparison.parse(text) for text in texts)
    except (TypeError, ValueError):
        raise ValueError(f"{example}, or a list of them") from None
    # Percent needs a maximum, which health has and a counter may not have.
    if not percent and any(comparison.percent for comparison in found):
        raise ValueError(f"{example}, or a list of them")
    return found


def _health(value: Any) -> Any:
    return _comparisons(value, percent=True)


Comparisons = Annotated[
    tuple[Comparison, ...],
    BeforeValidator(_comparisons, json_schema_input_type=comparison_input(percent=False)),
]
HealthComparisons = Annotated[
    tuple[Comparison, ...], BeforeValidator(_health, json_schema_input_type=comparison_input(percent=True))
]


def _cells(value: Any) -> Any:
    # An empty text stands for all cells of a clip.
    return ((0, ANY_CELL),) if value == "" else windows(value)


Cells = dict[
    str,
    Annotated[tuple[tuple[int, int], ...], BeforeValidator(_cells, json_schema_input_type=Literal[""] | CELLS_INPUT)],
]


class StateConditionTable(Table):
    """A condition of a box on its actor."""

    tags: Names = []
    no_tags: Names = []
    counters: dict[str, Comparisons] = {}
    health: HealthComparisons = ()
    stunned: bool | None = None


class ActorConditionTable(StateConditionTable):
    """A condition on one actor."""

    during: Cells = {}
    not_during: Cells = {}
    immune: bool | None = None
    kinds: Names = []


Places = list[Literal["above", "below", "ahead", "behind"]]


class ContactConditionTable(Table):
    """`if` of an attack and of a case"""

    attacker: ActorConditionTable = ActorConditionTable()
    target: ActorConditionTable = ActorConditionTable()
    hitbox: Names = []
    hurtbox: Names = []
    from_: Annotated[Places, Field(alias="from")] = []
    not_from: Places = []
    from_by: Literal["edge", "centre"] = "edge"
    slack: Annotated[float, Field(ge=0, le=LIMIT, allow_inf_nan=False)] | None = None
    onto: Annotated[float, Field(ge=0, le=180, allow_inf_nan=False)] | None = None
    falling: bool | None = None
    ally: bool | None = None


DIRECTIONS = ("away", "flat", "facing", "travel")
DIRECTION_INPUT: Any = Literal[DIRECTIONS] | Angle


def _direction(value: Any) -> Any:
    expected = '"away", "flat", "facing", "travel", or degrees'
    if isinstance(value, str) and value in DIRECTIONS:
        return value
    # `bool` is a subclass of `int`, and `true` is no angle.
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= 1e6:
        raise ValueError(expected)
    return float(value)


class KnockbackTable(Table):
    """`knockback` of a consequence table"""

    distance: Annotated[float, Field(ge=0, le=LIMIT, allow_inf_nan=False)]
    over: Lasting = LastingDuration.parse(1)
    ease: Literal["even", "fade"] = "even"
    direction: Annotated[str | float, BeforeValidator(_direction, json_schema_input_type=DIRECTION_INPUT)] = "away"
    mode: Literal["set", "add"] = "set"
    bounces: ZeroUp = 0.0
    bounce_times: Annotated[int, Field(ge=1, le=1 << 31)] = 1


def _outcome(value: Any) -> Any:
    if value not in OUTCOMES:
        # The nearest name is no help here: the old words differ from the new ones.
        new = renamed(str(value), OUTCOMES)
        hint = f' (it is now "{new}")' if new else ""
        raise ValueError(", ".join(f'"{name}"' for name in OUTCOMES) + hint)
    return value


OutcomeName = Annotated[str, BeforeValidator(_outcome, json_schema_input_type=Literal[OUTCOMES])]


class LaunchTable(Table):
    """`launch` of a consequence table; a number alone is its `up`."""

    up: Number | None = None
    ahead: Number | None = None
    away: Number | None = None
    mode: Literal["set", "add"] = "set"


def _launch(value: Any) -> Any:
    if isinstance(value, dict):
        return value
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError("units a second, or { up = units a second }")
    return {"up": value}


class OverTimeTable(Table):
    """`over_time` of a consequence table"""

    damage: Number
    every: Lasting
    times: Annotated[int, Field(ge=1, le=1 << 31)] = 1
    stacking: Literal["renew", "add", "ignore"] = "renew"


def _given(value: Any) -> Any:
    if value in DAMAGES:
        return value
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= LIMIT:
        raise ValueError("a number, " + ", ".join(f'"{word}"' for word in DAMAGES))
    return float(value)


Given = Annotated[float | str, BeforeValidator(_given, json_schema_input_type=Number | Literal[DAMAGES])]
Longer = Literal["longest", "set", "add"]
Launched = Annotated[LaunchTable, BeforeValidator(_launch, json_schema_input_type=Number | LaunchTable)]


class CounterConsequenceTable(Table):
    """`on_min` and `on_max` of a counter"""

    iframes: Frames | None = None
    iframes_mode: Longer = "longest"
    stun: Frames = Duration.parse(0)
    stun_mode: Longer = "longest"
    knockback: KnockbackTable | None = None
    launch: Launched | None = None
    gives: dict[str, Given] = {}
    spawn: str | None = None


class ClashConsequenceTable(CounterConsequenceTable):
    """`attacker` and `winner` of a clash"""

    damage: Number = 0.0
    remove: bool = False
    home: bool = False
    checkpoint: bool = False
    lives: Annotated[int, Field(ge=-1000, le=1000)] = 0
    over_time: OverTimeTable | None = None
    goal: bool = False


class ReflectTable(Table):
    """`reflect` of a consequence table"""

    way: Literal["back", "mirror", "heading"] = "back"
    layer: Names | None = None
    mask: Names | None = None


class ConsequenceTable(ClashConsequenceTable):
    """`[attacks.NAME.attacker]` and `[attacks.NAME.target]`, and those of cases"""

    lifesteal: ZeroUp = 0.0
    reflect: ReflectTable | None = None
    pierce: Whole = 0
    consumed_by: list[OutcomeName] = ["landed"]


def _damage(value: Any) -> Any:
    numbers = value if isinstance(value, list) else [value]
    plain = all(type(number) in (int, float) and abs(number) <= LIMIT for number in numbers)
    if not plain or len(numbers) != (2 if isinstance(value, list) else 1):
        raise ValueError("a number, or the least and the most that the game draws, such as [2, 4]")
    if isinstance(value, list):
        # Both orders of the limits mean the same.
        return sorted(map(float, value))
    return float(value)


Damage = Annotated[float | list[float], BeforeValidator(_damage, json_schema_input_type=Number | Pair)]


FrozenSide = Literal["both", "attacker", "target", "all"]


class CaseTable(Table):
    """`[[attacks.NAME.cases]]` and `[[kinds.X.cases]]`"""

    name: str
    if_: Annotated[ContactConditionTable, Field(alias="if")]
    damage: Damage | None = None
    scale: ZeroUp = 1.0
    hitstop: Frames | None = None
    hitstop_on: FrozenSide | None = None
    attacker: ConsequenceTable | None = None
    target: ConsequenceTable | None = None
    goes_on: bool = False
    lands: bool = True
    by_claim: bool = False


class ByCounterTable(Table):
    """`by_counter` of an attack"""

    of: Literal["attacker", "target"] = "target"
    counter: str
    factors: Annotated[list[ZeroUp], Field(min_length=1, max_length=1000)]


class ClashTable(Table):
    """`clash` of an attack"""

    hitstop: Frames = Duration.parse(0)
    attacker: ClashConsequenceTable | None = None
    winner: ClashConsequenceTable | None = None


class AttackTable(Table):
    """`[attacks.NAME]`"""

    like: str | None = None
    damage: Damage = 0.0
    damage_type: str | None = None
    by_counter: ByCounterTable | None = None
    min_damage: ZeroUp = 0.0
    hitstop: Frames = Duration.parse(0)
    hitstop_on: FrozenSide = "both"
    strength: Number = 0.0
    clash: ClashTable = ClashTable()
    rehit: RehitRule | None = None
    priority: int = 0
    friendly: bool = False
    ignores_iframes: bool | None = None
    hits_owner: bool = False
    if_: Annotated[ContactConditionTable, Field(alias="if")] = ContactConditionTable()
    rehit_group: str | None = None
    max_targets: Annotated[int, Field(ge=1, le=1 << 31)] | None = None
    preempts: bool = False
    attacker: ConsequenceTable = ConsequenceTable()
    target: ConsequenceTable = ConsequenceTable()
    cases: list[CaseTable] = []
