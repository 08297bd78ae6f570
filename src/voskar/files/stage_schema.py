"""The keys of a stage script, as models that refuse everything else."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, create_model, model_validator

from voskar.core.recording.poses import FIELDS, STATES
from voskar.core.rules import Duration
from voskar.files.values import Angle, Cell, Frames, Number, Pair, Points, Positive, Table, Version, ranges


def _ranges(value: Any) -> Any:
    if isinstance(value, int) and not isinstance(value, bool) and value >= 0:
        return ((value, value),)
    return ranges(value, 'frames such as "12", "3-5" or "2-4,8-9"')


Moment = Frames
Corners = Annotated[list[Number], Field(min_length=4, max_length=4)]
Ranges = Annotated[tuple[tuple[int, int], ...], BeforeValidator(_ranges, json_schema_input_type=str | int)]


class PlaceKey(Table):
    """A key of `way`"""

    f: Moment
    at: Pair
    ease: Literal["straight", "smooth", "jump"] = "straight"


class ClipKey(Table):
    """A key of `clips`"""

    f: Moment
    clip: str
    cell: Cell | None = None


class TurnKey(Table):
    """A key of `turns`"""

    f: Moment
    facing: Literal[1, -1] | None = None
    angle: Angle | None = None
    z: Number | None = None


class _Timed(Table):
    f: Moment


_STATE_TYPES: dict[str, Any] = {"number": Number, "answer": bool}

if TYPE_CHECKING:
    ToldKey = _Timed
else:
    ToldKey = create_model(
        "ToldKey",
        __base__=_Timed,
        __doc__="A key of `tells`",
        **{name: (_STATE_TYPES[FIELDS[name].type] | None, None) for name in STATES},
    )


class PushKey(Table):
    """A key of `pushes`"""

    f: Moment
    by: Pair


class OpenShape(Table):
    """A circle or a polygon of a key of `boxes`"""

    circle: Annotated[list[Number], Field(min_length=3, max_length=3)] | None = None
    polygon: Points | None = None

    @model_validator(mode="after")
    def _is_one(self) -> Self:
        if (self.circle is None) == (self.polygon is None):
            raise ValueError("a circle or a polygon")
        return self


class BoxesKey(Table):
    """A key of `boxes`"""

    f: Moment
    open: dict[str, Corners | OpenShape | list[Corners | OpenShape]]


class CounterKey(_Timed):
    """A key of a counter in `counters`: its logged value from there on"""

    is_: Annotated[Number, Field(alias="is")]


class AimKey(Table):
    """A key of `aims`"""

    f: Moment
    at: Pair


class RepeatTable(Table):
    """`repeat` of a part"""

    every: Moment
    times: Annotated[int, Field(ge=1, le=1 << 20)]


class PartTable(Table):
    """`[[parts]]`: one actor, or several alike"""

    id: str
    kind: str | None = None
    like: str | None = None
    owner: str | None = None
    present: Ranges | None = None
    hidden: Ranges | None = None
    way: list[PlaceKey] | None = None
    clips: list[ClipKey] | None = None
    turns: list[TurnKey] | None = None
    aims: list[AimKey] | None = None
    hold: dict[str, Ranges] | None = None
    tags: dict[str, Ranges] | None = None
    counters: dict[str, list[CounterKey]] | None = None
    tells: list[ToldKey] | None = None
    pushes: list[PushKey] | None = None
    boxes: list[BoxesKey] | None = None
    scale: Positive | None = None
    repeat: RepeatTable | None = None
    mirror: Number | None = None
    shift: Pair = Field(default=[0.0, 0.0])
    delay: Moment = Duration.parse(0)
    copies: Annotated[int, Field(ge=1, le=4096)] = 1


class ClaimTable(Table):
    """`[[claims]]`: what the game is to claim"""

    f: Moment
    event: Literal["hit", "clash", "down", "respawn", "out", "spawn", "removed", "over", "won"]
    ids: Annotated[list[str], Field(min_length=2, max_length=2)] | None = None
    attacker: str | None = None
    target: str | None = None
    id: str | None = None
    attack: str | None = None
    case: str | None = None
    damage: Number | None = None
    health: Number | None = None
    lives: Number | None = None
    owner: str | None = None
    x: Number | None = None
    y: Number | None = None


class DisplayTable(Table):
    """`[[display]]`: what the game's own display is to show"""

    f: Moment
    id: str | None = None
    health: Number | None = None
    percent: Number | None = None
    icons: Number | None = None
    lives: Number | None = None
    score: Number | None = None
    clock: str | None = None


class UnloggedTable(Table):
    """`[unlogged]`: what the recording is not to log"""

    events: list[str] = Field(default=[])
    kinds: list[str] = Field(default=[])
    attacks: list[str] = Field(default=[])
    cases: list[str] = Field(default=[])
    reactions: list[str] = Field(default=[])


class LoggedTable(Table):
    """`[logged]`: events that are claimed whenever they happen"""

    events: list[str] = Field(default=[])


class ResetTable(Table):
    """`[[resets]]`: the room, or the whole run, begins again"""

    f: Moment
    reset: Literal["room", "run"]


class StageFile(Table):
    """A whole script."""

    stage: Version
    frames: Moment
    rate: Positive = 60.0
    up: Literal["-y", "+y"] = "-y"
    reactions: Literal["raw", "baked"] = "raw"
    poses: Literal["before_hits", "after_hits"] = "before_hits"
    lag: dict[str, list[int]] = Field(default={})
    title: str = ""
    seed: int = 0
    parts: list[PartTable] = Field(default=[])
    logged: LoggedTable | None = None
    unlogged: UnloggedTable | None = None
    claims: list[ClaimTable] = Field(default=[])
    display: list[DisplayTable] = Field(default=[])
    resets: list[ResetTable] = Field(default=[])
