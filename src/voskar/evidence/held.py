"""The two sides of a comparison: a recording, and the replay of its rules."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from voskar.core.adopt import Resync, Windows
from voskar.core.boxes import BoxCatalog, FormedBox
from voskar.core.explain.pair import ended_before
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import RespawnEvent, SpawnEvent
from voskar.core.posing import Posed
from voskar.core.recording import Recording
from voskar.core.recording.shown import cells_of_all
from voskar.core.rules import Box, Kind, Rules
from voskar.core.rules.shapes import Ints
from voskar.core.shadow import Shadow
from voskar.core.views.steps import Span, union
from voskar.core.views.timeline import Timeline, timeline
from voskar.core.watching import Question, Watched
from voskar.core.world import Birth, VerbCall

Vector = tuple[float, float]

EXACT = Windows()
"""Not a frame off."""


@dataclass(frozen=True)
class Held:
    """`recording` is as it was logged, `judged` as it was judged, `ledger` what the rules make of it. Evidence may come
    in a window of frames around what the rules have; up to `near` it is the same thing at another frame. `tolerance` is
    for places, in units. `resync` is what was adopted from the game, None where the rules were left alone. `ask` looks
    at the replay again, to say why; without it nothing is explained. `orders` were said to recorded actors."""

    rules: Rules
    recording: Recording
    ledger: Ledger
    judged: Recording
    windows: Windows
    tolerance: float
    resync: Resync | None = None
    ask: Callable[[Mapping[int, Question]], Watched] | None = None
    orders: Sequence[VerbCall] = ()

    @property
    def near(self) -> int:
        """Up to so many frames apart something is the same at another frame."""
        return self.windows.near

    def within(self, evidence: str) -> int:
        """How many frames a kind of evidence may be off, early or late."""
        return self.windows.within(evidence)

    @cached_property
    def catalog(self) -> BoxCatalog:
        """The boxes of the rulebook."""
        return BoxCatalog.of(self.rules)

    @cached_property
    def course(self) -> Timeline:
        """Everyone's state over time."""
        return timeline(self.rules, self.recording, self.ledger, [actor.id for actor in self.recording.actors])

    @cached_property
    def freezes(self) -> list[Span]:
        """When hits freeze everyone, seen or not. A mark ends it."""
        if not self.rules.freezes_all:
            return []
        frames = {event.frame for event in self.ledger.of("hitstop")}
        hits = [(hit.frame, self._freezes_all(hit)) for hit in self.ledger.hits() if hit.frame in frames]
        marks = [*sorted(self.recording.resets), 1 << 60]
        ends = [marks[bisect_right(marks, frame)] - 1 for frame, _ in hits]
        return union(
            Span(frame + 1, min(frame + length, end)) for (frame, length), end in zip(hits, ends, strict=True) if length
        )

    def _freezes_all(self, hit: Event) -> int:
        """For how many frames a hit freezes everyone."""
        attack, target = self.rules.attacks.get(hit.attack or ""), self.kind_of(hit.target or "")
        if attack is None:
            return 0
        names = (hit.case or "").split("+")
        cases = [case for case in (*attack.cases, *(target.cases if target else ())) if case.name in names]
        on = [attack.hitstop_on, *(case.hitstop_on for case in cases if case.hitstop_on is not None)][-1]
        lengths = [attack.hitstop, *(case.hitstop for case in cases if case.hitstop is not None)]
        return lengths[-1] if on == "all" else 0

    def frozen(self, name: str, first: int | None = None) -> list[Span]:
        """When an actor is frozen: an actor that is not shown whenever everyone is, an actor that has its `first` pose
        while everyone is from there on."""
        own = self.course.courses[name].frozen
        more = [span for span in self.freezes if first is None or span.first <= first <= span.last]
        return union([*own, *more]) if more else own

    @cached_property
    def _ends(self) -> dict[int, int]:
        """The last frame of each push, by `id()`: a later freeze of its actor moves it."""
        ends: dict[int, int] = {}
        pushes: dict[str, list[int]] = {}
        frozen: dict[str, int] = {}
        marks = sorted(self.recording.resets, reverse=True)
        for event in self.ledger.events:
            name = event.id or ""
            while marks and marks[-1] <= event.frame:  # a mark ends both
                marks.pop()
                pushes, frozen = {}, {}
            # a return ends the freeze, and the next freeze counts whole
            if event.event == "respawn":
                frozen.pop(name, None)
            if event.event == "knockback":
                ends[id(event)] = event.until or event.frame
                pushes.setdefault(name, []).append(id(event))
            elif event.event == "hitstop" and event.until is not None:
                # of freezes that overlap only what reaches beyond the others counts
                extra = event.until - max(frozen.get(name, event.frame), event.frame)
                frozen[name] = max(event.until, frozen.get(name, 0))
                for push in pushes.get(name, []) if extra > 0 else ():
                    ends[push] += extra if ends[push] > event.frame else 0
        return ends

    def last_of(self, event: Event) -> int:
        """The last frame of a reaction. The ledger says when a push ends by the freezes known as it began."""
        return self._ends.get(id(event), event.until or event.frame)

    @cached_property
    def kinds(self) -> dict[str, str]:
        """The kind of every actor that is ever there."""
        return kinds_of(self.rules, self.recording, self.ledger)

    def kind_of(self, name: str) -> Kind | None:
        """An actor's kind."""
        return self.rules.kinds.get(self.kinds.get(name, ""))

    @cached_property
    def cells(self) -> Ints:
        """(poses,) the cell that each logged pose shows."""
        names = list(self.rules.kinds)
        kinds = np.array([names.index(actor.kind) for actor in self.recording.actors], dtype=np.int64)
        poses = self.recording.poses
        return cells_of_all(poses, kinds[poses.actor], self.rules, self.recording.clips)

    @cached_property
    def shadow(self) -> Shadow:
        """A driven actor to go next to logged ones."""
        return Shadow(self.rules, self.recording)

    @cached_property
    def births(self) -> dict[tuple[int, str], Birth]:
        """By frame and id how each actor was to appear that the recording shows itself."""
        return {(order.frame, order.id): order.arguments[0] for order in self.orders if order.verb == "enter"}

    @cached_property
    def spawns(self) -> dict[int, list[SpawnEvent]]:
        """By frame the spawns that the recording shows itself."""
        found: dict[int, list[SpawnEvent]] = {}
        for event in self.ledger.all(SpawnEvent):
            if event.detail == "expected":
                found.setdefault(event.frame, []).append(event)
        return found

    @cached_property
    def posed(self) -> Posed:
        """Two actors in any logged pose."""
        return Posed(self.catalog, self.recording.clips, 2, self.recording)

    def pose(self, place: int, row: int) -> None:
        """Puts an actor as a logged pose shows it."""
        self.posed.pose(place, self.recording, row, int(self.cells[row]))

    def boxes(self, name: str) -> list[FormedBox]:
        """The boxes of a recorded actor's kind."""
        kind = self.recording.actors[self.recording.numbers[name]].kind
        return self.catalog.by_kind[kind]

    def tolerance_of(self, name: str) -> float:
        """Units by which places of an actor may be off: its kind's, else the command's."""
        kind = self.kind_of(name)
        return self.tolerance if kind is None or kind.tolerance is None else kind.tolerance

    @cached_property
    def adopted(self) -> dict[str, list[Event]]:
        """Events of adoption, by actor."""
        found: dict[str, list[Event]] = {}
        for event in self.ledger.of("adopted"):
            found.setdefault(event.id or "", []).append(event)
        return found

    def of(self, event: str) -> list[Event]:
        """The events of this name that the rules have on their own, not as the game has them."""
        # an adopted event is followed by the event itself, which is then the game's own
        taken = {(event.frame, event.detail, event.id) for event in self.ledger.of("adopted")}
        return [found for found in self.ledger.of(event) if (found.frame, event, found.id) not in taken]

    @cached_property
    def restarts(self) -> frozenset[int]:
        """The frames in which a mark, or an actor's return, begins the room or the run again."""
        rules = (
            (event.frame, self.rules.kinds[self.kinds[event.id]].respawn) for event in self.ledger.all(RespawnEvent)
        )
        returns = (frame for frame, rule in rules if rule is not None and rule.resets in ("room", "run"))
        return frozenset((*self.recording.resets, *returns))

    def marks_after(self, frame: int) -> int:
        """The first mark behind a frame, else the frame behind the recording's last."""
        marks = self._marks
        return marks[min(bisect_right(marks, frame), len(marks) - 1)]

    @cached_property
    def _marks(self) -> list[int]:
        return [*sorted(mark for mark in self.recording.resets if mark <= self.recording.last), self.recording.last + 1]

    def in_time(self, frame: int, evidence: str) -> bool:
        """Whether all that the window of a kind of evidence holds is there before the next mark, or the end."""
        return frame + self.windows.of(evidence).after < self.marks_after(frame)

    def ended_before(self, frame: int) -> Event | None:
        """The event that ended the run before a frame, if no mark has begun it again since."""
        return ended_before(self.ledger, self.recording, frame)

    def outside(self, name: str, box: str, frame: int, t: float, point: Vector) -> float | None:
        """How far a point is from a box of a recorded actor, at a time of a frame; 0 inside, None without a pose."""
        row = self.recording.row(name, frame)
        found = next((entry for entry in self.boxes(name) if entry.name == box), None) if row is not None else None
        if row is None or found is None:
            return None
        self.pose(0, row)
        way = (0.0, 0.0)
        before = self.recording.row(name, frame - 1)
        if t < 1.0 and before is not None and not self.recording.poses.cut[row]:
            x1, y1 = self.posed.anchor(0, found)
            self.pose(1, before)
            x0, y0 = self.posed.anchor(1, found)
            # boxes go straight between two frames: the claimed point is put to them as they were then
            way = (x1 - x0) * (1 - t), (y1 - y0) * (1 - t)
        away = self.posed.distance(0, found, point[0] + way[0], point[1] + way[1])
        return away if away < math.inf else None

    def shorter(self, dx: float, dy: float) -> Vector:
        """A way in a space where what leaves by one edge comes in by the other."""
        bounds = self.rules.space.bounds
        if bounds is None:
            return dx, dy
        return math.remainder(dx, bounds[2] - bounds[0]), math.remainder(dy, bounds[3] - bounds[1])

    def near_solid(self, kind: Kind, place: Vector, reach: float) -> bool:
        """Whether a solid's bounds come within reach of an actor's body, or of its position without one."""
        reach += max((extent(box) for box in kind.boxes if box.role == "body"), default=0.0)
        for solid in self.rules.space.solids:
            for part in solid.outline.parts:
                (x0, y0), (x1, y1) = part.min(axis=0).tolist(), part.max(axis=0).tolist()
                if x0 - reach <= place[0] <= x1 + reach and y0 - reach <= place[1] <= y1 + reach:
                    return True
        return False


def kinds_of(rules: Rules, recording: Recording, ledger: Ledger) -> dict[str, str]:
    """The kind of every actor that is ever there, by id."""
    kinds = {fixture.id: fixture.kind for fixture in rules.fixtures}
    kinds |= {event.id: event.kind for event in ledger.all(SpawnEvent)}
    return kinds | {actor.id: actor.kind for actor in recording.actors}


def runs(frames: np.ndarray, wrong: np.ndarray) -> Iterator[tuple[int, int, int]]:
    """(place of the first, first frame, last frame) of each unbroken run of frames in which something is wrong."""
    places = np.flatnonzero(wrong)
    if not len(places):
        return
    breaks = np.flatnonzero((np.diff(places) > 1) | (np.diff(frames[places]) > 1)) + 1
    for place in np.split(places, breaks):
        yield int(place[0]), int(frames[place[0]]), int(frames[place[-1]])


def span_words(first: int, last: int, end: int) -> str:
    """`in 7`, `from 7 to 9`, or `from 7 to the end`."""
    if last >= end and last > first:
        return f"from {first} to the end"
    return f"in {first}" if first == last else f"from {first} to {last}"


def extent(box: Box) -> float:
    """How far a box reaches from its actor's position."""
    corners = np.concatenate(box.outline.parts) + np.array(box.at)
    return float(np.hypot(*corners.T).max(initial=0.0)) + box.outline.radius + max(box.outline.grow, 0.0)
