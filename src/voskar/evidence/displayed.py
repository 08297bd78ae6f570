"""A game's own display compared with the heads-up values."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from voskar.core.arrays import distinct
from voskar.core.ledger.event import number
from voskar.core.rules.shapes import Ints
from voskar.core.views.hud import HudFrame, changes, display
from voskar.core.views.timeline import Timeline, timeline
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words

NUMBERS = ("health", "percent", "icons", "lives", "score")
EXACT = ("health", "lives", "score")
"""Displayed numbers that change as in the rules, and may stay off by the same amount."""
CLOCK = re.compile(r"(?:(\d+):)?(\d+)(?:[.,](\d+))?")


class _Wrong(Struct):
    """A value that the display shows from one frame to another, each time by so much (or in these words) off. `row` is
    the first entry that does."""

    row: int
    name: str
    field: str
    first: int
    last: int
    shown: str
    right: str
    off: float | str


def displayed(held: Held) -> Iterator[Finding]:
    """Health, percent (within a half), icons (rounded either way), lives, the score of an actor's side, and the clock,
    which may go up or down. Each disagreement is logged with its first and last frame: a number that continues with the
    rules' and stays as much off as it was is one disagreement."""
    log = held.recording.display
    if not len(log):
        return
    course = held.course
    if not course.courses.keys() >= set(log.ids):  # fixtures and spawned actors may be displayed as well
        course = timeline(held.rules, held.recording, held.ledger)
    found: list[_Wrong] = []
    for code, name in enumerate((*log.ids, "")):
        rows = np.flatnonzero(log.id == (code if name else -1))
        if len(rows):
            found += _numbers(held, course, name, rows)
            clocks = rows[log.clock[rows] >= 0]
            found += _clocks(held, course, name, clocks) if len(clocks) else ()
    for wrong in sorted(found, key=lambda entry: (entry.first, entry.row)):
        if wrong.last - wrong.first + 1 > held.within("display"):
            text = f"shows {wrong.field} {wrong.shown} {span_words(wrong.first, wrong.last, held.recording.last)}"
            yield of_actor("display", wrong.first, wrong.name, text, f"{wrong.field} {wrong.right}")


def _numbers(held: Held, course: Timeline, name: str, rows: Ints) -> Iterator[_Wrong]:
    """Wrong numbers of one actor. Entries are compared where the display or the rules have another value than
    before."""
    log = held.recording.display
    frames, shown = log.frame[rows], np.stack([getattr(log, field)[rows] for field in NUMBERS])
    names = [name] if name in course.courses else []
    changed = [*changes(held.rules, course, names)]
    for span in course.courses[name].down if names else ():
        changed += [span.first, span.last + 1]
    another = (
        np.diff(np.searchsorted(distinct(np.array(changed, dtype=np.int64)), frames, side="right"), prepend=-1) != 0
    )
    before = np.column_stack([np.full(len(NUMBERS), np.inf), shown[:, :-1]])
    another |= ~((shown == before) | (np.isnan(shown) & np.isnan(before))).all(axis=0)
    # between two of these neither side changes, so one look is enough for all frames of a stretch
    starts = np.flatnonzero(another)
    running: dict[str, _Wrong] = {}
    for start, end in zip(starts.tolist(), [*starts[1:].tolist(), len(rows)], strict=True):
        frame, last = int(frames[start]), int(frames[end - 1])
        rules = display(held.rules, course, frame, names)
        side = course.courses[name].kind.side if names else None
        total = dict(rules.score).get(side or name, 0.0)
        values = dict(zip(NUMBERS, shown[:, start].tolist(), strict=True))
        for field, value, right, fits in _values(values, rules, total):
            wrong = running.pop(field, None) if fits else running.get(field)
            if fits:
                continue
            # a difference that stays the same is one mistake; rounded numbers can only be compared as they are shown
            off: float | str = value - float(right) if field in EXACT else f"{value} {right}"
            if wrong is None or wrong.off != off:
                running[field] = wrong = _Wrong(int(rows[start]), name, field, frame, last, number(value), right, off)
                yield wrong
            wrong.last = last


def _values(shown: dict[str, float], rules: HudFrame, total: float) -> Iterator[tuple[str, float, str, bool]]:
    """(field, shown, by the rules, whether they agree) of all numbers that an entry shows."""
    for gauge in rules.gauges:
        exact = gauge.whole + gauge.part
        health, percent, icons, lives = (shown[field] for field in NUMBERS[:4])
        if health == health:
            yield "health", health, number(gauge.health), abs(health - gauge.health) < 1e-6
        if percent == percent:
            yield "percent", percent, f"{gauge.percent:.1f}", abs(percent - gauge.percent) <= 0.5 + 1e-9
        if icons == icons:
            yield "icons", icons, f"{exact:g}", math.floor(exact) <= icons <= math.ceil(exact)
        if lives == lives and gauge.lives is not None:
            yield "lives", lives, number(gauge.lives), lives == gauge.lives
    score = shown["score"]
    if score == score:
        yield "score", score, number(total), abs(score - total) < 1e-6


def _clocks(held: Held, course: Timeline, name: str, rows: Ints) -> Iterator[_Wrong]:
    """Wrong clocks."""
    log, rate, survive = held.recording.display, float(held.rules.rate), held.rules.goal.survive
    frames, codes = log.frame[rows], log.clock[rows]
    seconds, slack = (np.array(column) for column in zip(*map(_seconds, log.clocks), (0.0, 0.0), strict=False))
    up = _run_frames(course, frames)
    agrees = np.isnan(seconds[codes]) | (np.abs(seconds[codes] - up / rate) < slack[codes])
    left = np.maximum((survive or 0) - up, 0)
    if survive is not None:
        agrees |= np.abs(seconds[codes] - left / rate) < slack[codes]
    running: _Wrong | None = None
    at = -2
    for place in np.flatnonzero(~agrees).tolist():
        shown, right = log.clocks[codes[place]], f"{up[place] / rate:.2f} s"
        right += "" if survive is None else f", {left[place] / rate:.2f} s left"
        off, frame = f"{shown} {right}", int(frames[place])
        if running is None or place > at + 1 or running.off != off:
            running = _Wrong(int(rows[place]), name, "clock", frame, frame, shown, right, off)
            yield running
        # a clock that stands still is wrong by another amount in each frame, but shows one text
        running.last, at = frame, place


def _seconds(text: str) -> tuple[float, float]:
    """The seconds that a clock shows, NaN if it is no clock, and by how much it may be off."""
    match = CLOCK.fullmatch(text)
    if match is None:
        return math.nan, 0.0
    # a clock may round up or down; of decimals the last one may also be cut off
    slack = 1.0 if match[3] is None else 1.5 * 10.0 ** -len(match[3])
    return 60 * int(match[1] or 0) + int(match[2]) + float(f"0.{match[3] or 0}"), slack


def _run_frames(course: Timeline, frames: Ints) -> Ints:
    """(n,) the frames of the run that have gone by in some frames, which rise."""
    begins = distinct(np.array([course.first, *course.begins, *(end.frame for end in course.ends)], dtype=np.int64))
    piece = np.searchsorted(begins, frames, side="right")
    starts = np.flatnonzero(np.diff(piece, prepend=-1))
    found = np.zeros(len(frames), dtype=np.int64)
    for start, end in zip(starts.tolist(), [*starts[1:].tolist(), len(frames)], strict=True):
        first = int(frames[start])
        goes_on = course.end_of(first) is None
        found[start:end] = course.clock(first) + (frames[start:end] - first if goes_on else 0)
    return found
