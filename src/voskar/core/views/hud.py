"""Heads-up values: what a game's own display would show in a frame."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from voskar.core.rules import Rules
from voskar.core.views.course import Course
from voskar.core.views.steps import holds
from voskar.core.views.timeline import Timeline

ICONS = 12
"""Most icons that are shown one by one."""


@dataclass(frozen=True)
class Gauge:
    """One actor's health and lives after a frame. `whole` icons are full, one more is filled by `part` (0 to 1), of
    `icons` in all. `lives` None: lives are not counted."""

    actor: str
    health: float
    full: float
    whole: int
    part: float
    icons: int
    lives: int | None
    state: str
    """ "" while it is in play, else "down", "waiting" (for a safe place to return) or "out"."""

    @property
    def percent(self) -> float:
        """Health in per cent of the full."""
        return 100.0 * self.health / self.full


@dataclass(frozen=True)
class HudFrame:
    """Everything in one frame. `clock` counts frames since the run began, `left` those until it is survived."""

    frame: int
    clock: int
    left: int | None
    score: tuple[tuple[str, float], ...]
    gauges: tuple[Gauge, ...]
    end: str
    """ "" while the run continues, else "over" or "won"."""


def display(rules: Rules, course: Timeline, frame: int, names: Iterable[str], icon: float = 1.0) -> HudFrame:
    """The values after a frame; an `icon` stands for so much health."""
    clock, survive, end = course.clock(frame), rules.goal.survive, course.end_of(frame)
    gauges = (_gauge(course.courses[name], frame, icon) for name in names)
    score = tuple((name, course.score[name].now(frame) or 0.0) for name in sorted(course.score))
    return HudFrame(
        frame,
        clock,
        None if survive is None else max(survive - clock, 0),
        score,
        tuple(gauge for gauge in gauges if gauge is not None),
        "" if end is None else end.event,
    )


def _gauge(course: Course, frame: int, icon: float) -> Gauge | None:
    health, full = course.health.now(frame), course.kind.health
    if health is None or full is None or not (holds(course.present, frame) or course.is_down(frame)):
        return None
    # rounded before the parts: 0.3 / 0.1 is three icons, not two and a bit
    units = round(health / icon, 9)
    whole = int(units)
    lives = course.lives.now(frame)
    state = "down" if course.is_down(frame) or health == 0 else ""
    if holds(course.waiting, frame):
        state = "waiting"
    # only the last time that it was out counts, as it may have come back since
    if state and any(out <= frame for out in course.outs[-1:]):
        state = "out"
    # a part of an icon takes the room of a whole one
    icons = -int(-round(full / icon, 9) // 1)
    return Gauge(
        course.actor.id, health, full, whole, units - whole, icons, None if lives is None else int(lives), state
    )


def displayed(course: Timeline) -> list[str]:
    """Actors with a gauge: those with lives, else all recorded actors with health."""
    # lives are what players watch; other health is scenery where any actor has lives
    own = [
        name
        for name, timeline in course.courses.items()
        if timeline.kind.lives is not None and not timeline.actor.spawned
    ]
    if own:
        return own
    return [
        name
        for name, timeline in course.courses.items()
        if timeline.kind.health is not None and not timeline.actor.driven
    ]


def changes(rules: Rules, course: Timeline, names: Sequence[str]) -> list[int]:
    """The frames in which any value but the clock may be another than before, the first one included."""
    found = {course.first, *course.runs, *course.marks, *(end.frame for end in course.ends)}
    for steps in course.score.values():
        found.update(steps.frames)
    for name in names:
        timeline = course.courses[name]
        found.update(timeline.health.frames, timeline.lives.frames, timeline.outs)
        # a display shows nothing of an actor that is not there
        for span in (*timeline.present, *timeline.waiting):
            found.update((span.first, span.last + 1))
    return sorted(frame for frame in found if course.first <= frame <= course.last)


def icons(gauge: Gauge) -> str:
    """`●●◐○`: whole ones, one in part, and the empty rest; as numbers where there are too many."""
    if gauge.icons > ICONS:
        return f"{gauge.whole + gauge.part:g} of {gauge.icons}"
    return "●" * gauge.whole + ("◐" if gauge.part else "") + "○" * (gauge.icons - gauge.whole - (gauge.part > 0))


def clock(frames: int, rate: float) -> str:
    """`0:07.52`, minutes, seconds and hundredths, cut off as a clock shows them."""
    # a clock cuts off, but must not lose a hundredth to rounding
    hundredths = int(frames * 100 / rate + 1e-9)
    return f"{hundredths // 6000}:{hundredths // 100 % 60:02}.{hundredths % 100:02}"


def eventful(course: Timeline, most: int = 6) -> list[str]:
    """The most interesting actors: those with lives, then those with health and the most events."""
    found = [actor for actor in course.courses.values() if actor.kind.health is not None and not actor.actor.spawned]
    found.sort(key=lambda actor: (actor.kind.lives is None, -len(actor.taken) - len(actor.changes)))
    chosen = {entry.actor.id for entry in found[:most]}
    return [name for name in course.courses if name in chosen] or list(course.courses)[:most]
