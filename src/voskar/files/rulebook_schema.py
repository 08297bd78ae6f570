"""The keys of a rulebook file, as models that refuse everything else. Meaning is given in `rulebook.py`."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, ConfigDict, Field

from voskar.core.rules import Duration
from voskar.core.rules import Lasting as LastingDuration
from voskar.core.rules.decimals import Rounding
from voskar.core.rules.shapes import LIMIT
from voskar.files.attack_schema import (
    ActorConditionTable,
    AttackTable,
    CaseTable,
    CounterConsequenceTable,
    StateConditionTable,
)
from voskar.files.shapes import SHAPES, ShapeTable
from voskar.files.values import (
    Angle,
    Cell,
    Cells,
    Charge,
    Corners,
    Facing,
    Frames,
    Lasting,
    Names,
    Number,
    Pair,
    Points,
    Positive,
    Size,
    Table,
    Version,
    Whole,
    WindowTable,
    ZeroUp,
    exactly_one,
)


class SolidTable(Table):
    """`[[space.solids]]`"""

    model_config = ConfigDict(json_schema_extra=exactly_one("rect", "polygon"))

    rect: Corners | None = None
    polygon: Points | None = None
    layer: Names = []


class SpaceTable(Table):
    """`[space]`"""

    up: Literal["-y", "+y"] = "-y"
    bounds: Corners | None = None
    gravity: Number = 0.0
    solids: list[SolidTable] = []


class LayersTable(Table):
    """`[layers]`"""

    names: Annotated[Names, Field(max_length=64, json_schema_extra={"uniqueItems": True})] = []
    meets: dict[str, Names] | None = None


class ContactTable(Table):
    """`[contact]`"""

    detect: Literal["either", "both", "hitbox", "hurtbox"] = "either"
    same_frame: Literal["first", "all"] = "first"
    health_check: Literal["frame_end", "at_once"] = "frame_end"
    edges_touch: bool = False
    round_damage: Rounding = "none"
    clash: dict[str, Names] = {}
    order: Literal["id", "recorded"] = "id"
    linger: Frames = Duration.parse(0)


class ClipTable(Table):
    """`[kinds.X.clips.NAME]`"""

    cells: Annotated[int, Field(gt=0, le=1 << 16)]
    rate: Annotated[float, Field(ge=0.001, le=1e6, allow_inf_nan=False)] | None = None
    loop: bool = False
    iframes: Cells = ()


Blend = Literal["hold", "linear"]


def _depth(value: Any) -> Any:
    # `type` and not `isinstance`: `true` is a number to Python.
    plain = isinstance(value, list) and len(value) == 2
    if (
        not plain
        or not all(type(item) in (int, float) and abs(item) <= LIMIT for item in value)
        or value[0] >= value[1]
    ):
        raise ValueError("[z0, z1] with z0 below z1")
    return [float(item) for item in value]


Depth = Annotated[list[float], BeforeValidator(_depth, json_schema_input_type=Pair)]


class KeyTable(Table):
    """`[[kinds.X.boxes.NAME.keys.CLIP]]`"""

    cell: Cell
    at: Pair | None = None
    turn: Angle | None = None
    stretch: Size | None = None
    blend: Blend | None = None


HITBOX: dict[str, Any] = {"if": {"properties": {"role": {"const": "hitbox"}}}, "then": {"required": ["attack"]}}


class BoxTable(ShapeTable):
    """`[kinds.X.boxes.NAME]`"""

    model_config = ConfigDict(json_schema_extra={**exactly_one(*SHAPES), **HITBOX})

    role: Literal["hitbox", "hurtbox", "body"]
    grow: Number = 0.0
    at: Pair = [0.0, 0.0]
    turn: Angle = 0.0
    layer: Names | None = None
    mask: Names | None = None
    attack: str | None = None
    rank: int = 0
    during: WindowTable | None = None
    except_during: WindowTable = {}
    keys: dict[str, list[KeyTable]] = {}
    blend: Blend = "hold"
    swept: bool | None = None
    within_bounds: bool = False
    damage_scale: Annotated[float, Field(ge=0, le=LIMIT, allow_inf_nan=False)] = 1.0
    depth: Depth | None = None
    if_: Annotated[StateConditionTable, Field(alias="if")] = StateConditionTable()


class MotionTable(Table):
    """`[kinds.X.motion]`"""

    velocity: Pair = [0.0, 0.0]
    acceleration: Pair = [0.0, 0.0]
    gravity: Number = 0.0
    drag: ZeroUp = 0.0
    spin: Number = 0.0
    max_speed: ZeroUp | None = None
    life: Lasting | None = None
    at_edge: Literal["none", "remove", "wrap", "bounce", "stop"] = "none"
    on_solid: Literal["pass", "remove", "bounce", "stop", "turn"] = "pass"
    bounces: Whole | None = None
    bounciness: ZeroUp = 1.0
    clip: str | None = None


def _speed(value: Any) -> Any:
    numbers = value if isinstance(value, list) else [value]
    plain = all(type(number) in (int, float) and abs(number) <= LIMIT for number in numbers)
    if not plain or len(numbers) != (2 if isinstance(value, list) else 1):
        raise ValueError("units a second, or the least and the most that the game draws, such as [40, 60]")
    return sorted(map(float, value)) if isinstance(value, list) else float(value)


Speed = Annotated[float | list[float], BeforeValidator(_speed, json_schema_input_type=Number | Pair)]


class FanTable(Table):
    """The keys of every table that spawns."""

    count: Annotated[int, Field(ge=1, le=4096)] = 1
    spread: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0
    jitter: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0
    speed: Speed | None = None
    inherit: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] | None = None


class ChildTable(FanTable):
    """One of `[kinds.X.down] spawn`"""

    kind: str
    moves_at_once: bool = False


class DownTable(Table):
    """`[kinds.X.down]`"""

    lasts: Frames = Duration.parse(0)
    hide: bool = False
    clip: str | None = None
    worth: Number = 0.0
    motion: MotionTable | None = None
    spawn: list[ChildTable] = []
    life_after: Frames = Duration.parse(0)
    out_after: Frames | None = None
    keeps_push: bool = False


RESPAWN_PLACES = ("start", "here", "checkpoint")


def _respawn_place(value: Any) -> Any:
    if value in RESPAWN_PLACES:
        return value
    numbers = isinstance(value, list) and [type(item) in (int, float) and abs(item) <= LIMIT for item in value]
    if numbers != [True, True]:
        raise ValueError('"start", "here", "checkpoint", or a place [x, y]')
    return [float(item) for item in value]


class RespawnTable(Table):
    """`[kinds.X.respawn]`"""

    after: Frames = Duration.parse(0)
    needs: str | None = None
    at: Annotated[
        str | list[float], BeforeValidator(_respawn_place, json_schema_input_type=Literal[RESPAWN_PLACES] | Pair)
    ] = "start"
    if_unsafe: Literal["appear", "wait"] = "appear"
    clearance: ZeroUp = 0.0
    iframes: Frames = Duration.parse(0)
    resets: Literal["self", "pair", "room", "run"] = "self"
    keeps: Names = []


class ExtraLifeTable(Table):
    """`extra_life` of a kind"""

    score: Positive
    repeats: bool = False


class GoalTable(Table):
    """`[goal]`"""

    survive: Lasting | None = None
    clear: Names = []


TRIGGERS = ("press", "release", "hold", "every", "clip")


class WhenTable(Table):
    """`when` of an emitter"""

    model_config = ConfigDict(json_schema_extra=exactly_one(*TRIGGERS))

    press: str | None = None
    release: str | None = None
    hold: str | None = None
    every: Lasting | None = None
    first: Frames | None = None
    clip: str | None = None
    cell: Cell | None = None


class TargetTable(Table):
    """`aim` of an emitter at a kind"""

    target: str


def _aim(value: Any) -> Any:
    if value in ("facing", "input"):
        return value
    if isinstance(value, dict) and list(value) == ["target"] and isinstance(value["target"], str):
        return TargetTable(**value)
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= 1e6:
        raise ValueError('"facing", "input", degrees, or { target = "a kind" }')
    return float(value)


class EmitterTable(FanTable):
    """`[kinds.X.emitters.NAME]`"""

    spawn: str
    when: WhenTable
    cooldown: Frames = Duration.parse(0)
    charge: Charge | None = None
    limit: Annotated[int, Field(ge=1, le=1 << 31)] | None = None
    limit_group: str | None = None
    muzzle: Pair = [0.0, 0.0]
    pivot: Pair = [0.0, 0.0]
    turns: bool = False
    aim: Annotated[
        str | float | TargetTable,
        BeforeValidator(_aim, json_schema_input_type=Literal["facing", "input"] | Angle | TargetTable),
    ] = "facing"
    within: Annotated[list[Number], Field(min_length=4, max_length=4)] | None = None
    moves_at_once: bool = False
    if_: Annotated[ActorConditionTable, Field(alias="if")] = ActorConditionTable()


class FixtureTable(Table):
    """`[[fixtures]]`"""

    kind: str
    at: Pair
    id: str | None = None
    facing: Facing = 1
    angle: Angle = 0.0
    z: Number = 0.0
    velocity: Pair | None = None


class RegenTable(Table):
    """`regen` of a counter"""

    amount: Number
    every: Lasting = LastingDuration.parse(1)
    after: Frames = Duration.parse(0)


class CounterTable(Table):
    """`[kinds.X.counters.NAME]`"""

    start: Number = 0.0
    min: Number = 0.0
    max: Number | None = None
    regen: RegenTable | None = None
    absorbs: bool = False
    on_min: CounterConsequenceTable | None = None
    on_max: CounterConsequenceTable | None = None
    reset_if: ActorConditionTable | None = None


class KindTable(Table):
    """`[kinds.X]`"""

    like: str | None = None
    boxes_from: str | None = None
    side: str | None = None
    health: Positive | None = None
    iframes: Frames = Duration.parse(0)
    start_iframes: Frames = Duration.parse(0)
    weight: Positive = 1.0
    bounce: Annotated[float, Field(ge=0, le=LIMIT, allow_inf_nan=False)] = 1.0
    layer: Names = []
    mask: Names | None = None
    clips: dict[str, ClipTable] = {}
    boxes: dict[str, BoxTable] = {}
    motion: MotionTable = MotionTable()
    emitters: dict[str, EmitterTable] = {}
    down: DownTable = DownTable()
    lives: Annotated[int, Field(ge=1, le=1 << 31)] | None = None
    spare_lives: Annotated[int, Field(ge=0, lt=1 << 31)] | None = None
    extra_life: ExtraLifeTable | None = None
    tolerance: ZeroUp | None = None
    respawn: RespawnTable | None = None
    succession: bool = False
    linger: Frames | None = None
    wraps: bool = False
    stun_disarms: bool = False
    tags: Names = []
    cases: list[CaseTable] = []
    counters: dict[str, CounterTable] = {}
    resistance: dict[str, ZeroUp] = {}
    max_lives: Annotated[int, Field(ge=1, le=1 << 31)] | None = None


class ChangedBoxTable(BoxTable):
    """`[actors.ID.boxes.NAME]`"""

    # An actor's own table changes some keys, so no key of it is needed. mypy objects to the weaker type of a subclass.
    role: Literal["hitbox", "hurtbox", "body"] | None = None  # type: ignore[assignment]


class ChangedClipTable(ClipTable):
    """`[actors.ID.clips.NAME]`"""

    cells: Annotated[int, Field(gt=0, le=1 << 16)] | None = None  # type: ignore[assignment]


class ChangedEmitterTable(EmitterTable):
    """`[actors.ID.emitters.NAME]`"""

    spawn: str | None = None  # type: ignore[assignment]
    when: WhenTable | None = None  # type: ignore[assignment]


class OwnRulesTable(KindTable):
    """`[actors.ID]`: keys that it lacks are those of its kind."""

    clips: dict[str, ChangedClipTable] = {}  # type: ignore[assignment]
    emitters: dict[str, ChangedEmitterTable] = {}  # type: ignore[assignment]
    boxes: dict[str, ChangedBoxTable] = {}  # type: ignore[assignment]


class StartTable(Table):
    """`[starts.X]`"""

    at: Pair | None = None
    count: Annotated[int, Field(ge=0, le=1 << 31)] | None = None


class RulebookFile(Table):
    """A whole rulebook."""

    voskar: Version
    include: Names = []
    space: SpaceTable = SpaceTable()
    layers: LayersTable = LayersTable()
    contact: ContactTable = ContactTable()
    kinds: dict[str, KindTable] = {}
    attacks: dict[str, AttackTable] = {}
    actors: dict[str, OwnRulesTable] = {}
    fixtures: list[FixtureTable] = []
    starts: dict[str, StartTable] = {}
    goal: GoalTable = GoalTable()
