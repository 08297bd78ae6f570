"""Stage scripts: a recording written by hand, from keyed positions, clips and inputs to frames."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, Generic, Protocol, TypeVar

from msgspec import UNSET
from pydantic import ValidationError

from voskar.core.kernel.gather import NOTHING
from voskar.core.recording.poses import STATES
from voskar.core.rules import Duration
from voskar.errors import InputError, Problem, nearest
from voskar.files.blocks import chunks, of_frames
from voskar.files.frames import ClaimLine, DisplayLine, FrameLine, InputLine, PoseLine
from voskar.files.header import check_lag, check_scopes
from voskar.files.logged_shapes import LoggedValue, ShapeLine
from voskar.files.reading import read_text
from voskar.files.rulebook_checks import schema_problems
from voskar.files.source import FrameSource
from voskar.files.stage_schema import OpenShape, PartTable, StageFile
from voskar.files.toml_sources import Source, parse_source

Ranges = Sequence[tuple[int, int]]
INHERITED = (
    "kind",
    "owner",
    "present",
    "hidden",
    "way",
    "clips",
    "turns",
    "aims",
    "hold",
    "tags",
    "counters",
    "tells",
    "pushes",
    "boxes",
    "scale",
    "repeat",
)
"""Keys that a part takes over from the part it is `like`, unless it has them itself."""
MOST_FRAMES, MOST_POSES = 500_000, 2_000_000
"""Most frames of a script: hours of play. A few characters more would ask for years of it."""


class _Keyed(Protocol):
    f: Duration


K = TypeVar("K", bound=_Keyed)


def read_stage(path: str | Path) -> FrameSource:
    """Reads and checks a script and plays it. Raises InputError with every problem found."""
    return play_stage(read_text(path), str(path))


def play_stage(text: str, name: str) -> FrameSource:
    """Plays the text of a script; `name` is what errors call it."""
    return play_script(parse_source(text, name))


def play_script(source: Source) -> FrameSource:
    """Plays a script that is parsed already. Raises InputError with every problem found."""
    name = source.name
    if "stage" not in source.raw:
        hint = "is this a rulebook?" if "voskar" in source.raw else None
        raise InputError(
            Problem("no `stage` key: a stage script begins with `stage = 2`", file=name, line=1, hint=hint)
        )
    try:
        script = StageFile.model_validate(source.raw)
    except ValidationError as error:
        problems = {source.problem(*problem) for problem in schema_problems(error, StageFile)}
        raise InputError(
            sorted(problems, key=lambda problem: (problem.line or 0, problem.key or "", problem.message))
        ) from None
    players = _players(script, source)
    count = script.frames.frames(Fraction(repr(script.rate)))
    # A few characters in a script can ask for millions of poses.
    if count > MOST_FRAMES or count * len(players) > MOST_POSES:
        message = f"found {count:,} frames of {len(players):,} actors, expected at most {MOST_FRAMES:,} frames"
        raise InputError(source.problem(("frames",), f"{message}, and {MOST_POSES:,} poses"))
    header: dict[str, Any] = {"voskar": "recording", "version": 2, "rate": _plain(script.rate), "up": script.up}
    header |= {"reactions": script.reactions, "seed": script.seed}
    header |= {"title": script.title} if script.title else {}
    header |= {"poses": script.poses} if script.poses != "before_hits" else {}
    header |= {"lag": script.lag} if script.lag else {}
    for key in ("logged", "unlogged"):
        table = getattr(script, key)
        header |= {} if table is None else {key: {name: names for name, names in table.model_dump().items() if names}}

    def wrong(message: str, key: str, hint: str | None = None) -> InputError:
        where = tuple(key.split("."))
        return InputError(source.problem(where, message, hint))

    # The same checks as for a logged header, with the keys of the script.
    check_scopes(header, wrong)
    check_lag(header.get("lag", {}), wrong)
    rate = Fraction(repr(script.rate))
    lines: dict[int, int] = {}
    entries = [("claims", index, claim_table.f) for index, claim_table in enumerate(script.claims)]
    entries += [("display", index, display_table.f) for index, display_table in enumerate(script.display)]
    for key, index, moment in entries:
        # An error in a frame points to the first claim or entry of that frame; poses have no line of their own.
        lines.setdefault(moment.frames(rate), source.place((key, index))[1] or 0)
    frames = ((lines.get(line.frame, 0), line) for line in _frames(script, players))
    return FrameSource(name, "frame", header, frames, map(of_frames, chunks(frames)), lambda: 0.0, [])


def _plain(value: float) -> float | int:
    """A number as a person would write it."""
    rounded = round(value, 6)
    return int(rounded) if rounded == int(rounded) else rounded


def _players(script: StageFile, source: Source) -> list[_Player]:
    """Every actor of a script: parts with what they are like filled in, and their copies."""
    rate = Fraction(repr(script.rate))
    parts: dict[str, PartTable] = {}
    wrong: list[Problem] = []
    players: list[_Player] = []
    for index, part in enumerate(script.parts):
        where = ("parts", index)
        # Only parts further up count, so that no part can be like itself.
        if part.like is not None and part.like not in parts:
            hint = nearest(part.like, parts)
            wrong.append(source.problem((*where, "like"), f'no part "{part.like}" stands before this one', hint))
            continue
        if part.like is not None:
            model = parts[part.like]
            taken = {key: getattr(model, key) for key in INHERITED if getattr(part, key) is None}
            part = part.model_copy(update=taken)
        if part.kind is None or not part.way:
            lacking = "kind" if part.kind is None else "way"
            wrong.append(source.problem(where, f"the part has no `{lacking}`, and is like none that has"))
            continue
        for name in ("way", "clips", "turns", "aims", "tells", "pushes", "boxes"):
            # Two keys in one frame contradict each other.
            keys = [key.f.frames(rate) for key in getattr(part, name) or ()]
            if keys != sorted(set(keys)):
                wrong.append(source.problem((*where, name), "the keys do not stand in the order of their frames"))
        if part.id in parts:
            wrong.append(source.problem((*where, "id"), f'the part "{part.id}" is given twice'))
        parts[part.id] = part
        for copy in range(part.copies):
            players.append(_Player(part, rate, copy))
    if wrong:
        raise InputError(wrong)
    return players


class _Track(Generic[K]):
    """Keys and their frames, which rise."""

    def __init__(self, keys: Sequence[K] | None, rate: Fraction) -> None:
        self.keys: Sequence[K] = keys or ()
        self.frames = [key.f.frames(rate) for key in self.keys]

    def until(self, frame: int) -> int:
        """How many keys are at or before a frame."""
        return bisect_right(self.frames, frame)

    def last(self, frame: int) -> K | None:
        """The last key at or before a frame."""
        count = self.until(frame)
        return self.keys[count - 1] if count else None

    def value_at(self, frame: int, name: str) -> Any:
        """The value of the last key at or before a frame that has it; None without one."""
        # Keys are few, and a key that leaves a value out keeps the older one.
        for at in range(self.until(frame) - 1, -1, -1):
            value = getattr(self.keys[at], name)
            if value is not None:
                return value
        return None

    def at(self, frame: int) -> K | None:
        """The key of a frame."""
        count = self.until(frame)
        return self.keys[count - 1] if count and self.frames[count - 1] == frame else None


class _Player:
    """One actor: where it is and what it does in a frame of the recording."""

    def __init__(self, part: PartTable, rate: Fraction, copy: int) -> None:
        self.part = part
        self.way, self.clips, self.turns = _Track(part.way, rate), _Track(part.clips, rate), _Track(part.turns, rate)
        self.tells, self.pushes = _Track(part.tells, rate), _Track(part.pushes, rate)
        self.boxes, self.aims = _Track(part.boxes, rate), _Track(part.aims, rate)
        self.counters = {name: _Track(keys, rate) for name, keys in (part.counters or {}).items()}
        self.id = part.id if part.copies == 1 else f"{part.id}-{copy + 1}"
        self.x, self.y = part.shift[0] * copy, part.shift[1] * copy
        # a single part is moved by its shift; copies are moved by it once more each
        if part.copies == 1:
            self.x, self.y = part.shift[0], part.shift[1]
        self.late = part.delay.frames(rate) * (copy if part.copies > 1 else 1)
        self.every = 0 if part.repeat is None else max(part.repeat.every.frames(rate), 1)

    def _own(self, frame: int) -> int:
        """The frame of the part that is played in a frame of the recording; below 0 before it begins."""
        own = frame - self.late
        repeat = self.part.repeat
        if repeat is None or own < 0:
            return own
        # the last time is played to its end, however long the part is
        turn = min(own // self.every, repeat.times - 1)
        return own - turn * self.every

    def pose(self, frame: int) -> PoseLine | None:
        """Its pose, None where it is absent."""
        part, own = self.part, self._own(frame)
        # Without `present` an actor is there from its first key on.
        if own < 0 or not _inside(part.present, own) or (part.present is None and own < self.way.frames[0]):
            return None
        x, y = self._place(own)
        key = self.way.at(own)
        # The first key is an appearance, which needs no mark.
        jumped = key is not None and key.ease == "jump" and key is not self.way.keys[0]
        # a repeat begins at the first key, and there is no way from the last one to it
        jumped |= self.every > 0 and own == 0 and frame > self.late
        facing, angle, z = 1, 0.0, 0.0
        if self.turns.keys:
            facing, angle = self.turns.value_at(own, "facing") or 1, self.turns.value_at(own, "angle") or 0.0
            z = self.turns.value_at(own, "z") or 0.0
        if part.mirror is not None:
            x, facing, angle = 2 * part.mirror - x, -facing, -angle
        line = PoseLine(self.id, part.kind or "", _plain(x + self.x), _plain(y + self.y))
        if facing != 1:
            line.facing = facing
        if angle:
            line.angle = _plain(angle)
        if z:
            line.z = _plain(z)
        if part.scale is not None:
            line.scale = _plain(part.scale)
        if part.owner is not None:
            line.owner = part.owner
        if part.hidden is not None and _inside(part.hidden, own):
            line.hidden = True
        if jumped:
            line.cut = True
        if self.tells.until(own):
            for name in STATES:
                value = self.tells.value_at(own, name)
                if value is not None:
                    setattr(line, name, value)
        if part.tags is not None:
            # An empty list is logged as well: it says that the actor has no tag.
            line.tags = [tag for tag, frames in part.tags.items() if _inside(frames, own)]
        if self.counters:
            known = {name: track.last(own) for name, track in self.counters.items()}
            if any(known.values()):
                line.counters = {name: key.is_ for name, key in known.items() if key is not None}
        if part.pushes is not None:
            push = self.pushes.at(own)
            # A frame without a key says that no hit moved the actor, so a push of 0 is logged.
            line.push = [0.0, 0.0] if push is None else push.by
        boxes = self.boxes.last(own)
        if boxes is not None:
            line.boxes = {name: _placed(span, line.x, line.y, facing) for name, span in boxes.open.items()}
        shown = self.clips.last(own)
        if shown is not None:
            line.clip = shown.clip
            if shown.cell is None:
                line.tick = own - self.clips.frames[self.clips.until(own) - 1]
            else:
                line.cell = shown.cell
        return line

    def _place(self, own: int) -> tuple[float, float]:
        """On the way between two keys; before the first and after the last it stands."""
        keys, frames, count = self.way.keys, self.way.frames, self.way.until(own)
        # a jump belongs to the frame of its own key: until then the actor stays at the one before
        if not 0 < count < len(keys) or keys[count].ease == "jump":
            key = keys[max(count - 1, 0)]
            return key.at[0], key.at[1]
        before, after = keys[count - 1], keys[count]
        share = (own - frames[count - 1]) / (frames[count] - frames[count - 1])
        if after.ease == "smooth":
            # without speed at both ends
            share = share * share * (3 - 2 * share)
        (x0, y0), (x1, y1) = before.at, after.at
        return x0 + (x1 - x0) * share, y0 + (y1 - y0) * share

    def inputs(self, frame: int) -> list[InputLine]:
        """The buttons it holds."""
        if not self.part.hold:
            return []
        own = self._own(frame)
        held = [button for button, frames in self.part.hold.items() if own >= 0 and _inside(frames, own)]
        key = self.aims.last(own)
        aim = None if key is None else [_plain(key.at[0] + self.x), _plain(key.at[1] + self.y)]
        # A mirrored part aims at the mirrored place.
        if aim is not None and key is not None and self.part.mirror is not None:
            aim[0] = _plain(2 * self.part.mirror - key.at[0] + self.x)
        return [InputLine(self.id, button, aim=UNSET if aim is None else list(map(float, aim))) for button in held]


def _placed(item: OpenShape | list[Any], x: float, y: float, facing: int) -> LoggedValue:
    """A box in the world that is logged next to an actor, mirrored with it."""
    if isinstance(item, list) and not isinstance(item[0], float):
        return [_placed(value, x, y, facing) for value in item]  # type: ignore[misc]
    if isinstance(item, list):
        # Mirrored corners change sides.
        left, right = sorted((item[0] * facing, item[2] * facing))
        low, high = sorted((item[1], item[3]))
        return [_plain(x + left), _plain(y + low), _plain(x + right), _plain(y + high)]
    if item.circle is not None:
        place = [_plain(x + item.circle[0] * facing), _plain(y + item.circle[1])]
        return ShapeLine(circle=[*place, item.circle[2]])
    return ShapeLine(polygon=[[_plain(x + px * facing), _plain(y + py)] for px, py in item.polygon or ()])


def _inside(ranges: Ranges | None, frame: int) -> bool:
    return ranges is None or any(first <= frame <= last for first, last in ranges)


def _frames(script: StageFile, players: list[_Player]) -> Iterator[FrameLine]:
    rate = Fraction(repr(script.rate))
    claims: dict[int, list[ClaimLine]] = defaultdict(list)
    display: dict[int, list[DisplayLine]] = defaultdict(list)
    for claim in script.claims:
        fields = claim.model_dump(exclude={"f"}, exclude_unset=True)
        fields |= {"ids": tuple(claim.ids)} if claim.ids is not None else {}
        claims[claim.f.frames(rate)].append(ClaimLine(**fields))
    for entry in script.display:
        display[entry.f.frames(rate)].append(DisplayLine(**entry.model_dump(exclude={"f"}, exclude_unset=True)))
    resets = {reset.f.frames(rate): reset.reset for reset in script.resets}
    # A script of less than a frame has one frame, not none.
    for frame in range(max(script.frames.frames(rate), 1)):
        poses = [pose for player in players if (pose := player.pose(frame)) is not None]
        inputs = [input for player in players for input in player.inputs(frame)]
        item = (claims.get(frame, NOTHING), display.get(frame, NOTHING), resets.get(frame, UNSET))
        yield FrameLine(frame, poses or NOTHING, inputs or NOTHING, *item)
