"""What a game's own display showed, held against the heads-up values."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from msgspec import Struct

from voskar.core.ledger.event import number
from voskar.core.recording import Display
from voskar.core.views.hud import display
from voskar.core.views.timeline import timeline
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words

NUMBERS = ("health", "lives", "score")
CLOCK = re.compile(r"(?:(\d+):)?(\d+)(?:[.,](\d+))?")


class _Wrong(Struct):
    """A value that the display shows from one frame to another, each time by so much (or in these words) off."""

    name: str
    field: str
    first: int
    last: int
    shown: str
    right: str
    off: float | str


def displayed(held: Held) -> Iterator[Finding]:
    """Health, percent (within a half), icons (rounded either way), lives, the score of an actor's side, and the clock,
    which may go up or down. Each disagreement is told with its first and last frame: a number that goes on with the
    rules' and stays as much off as it was is one disagreement."""
    if not held.recording.display:
        return
    course = timeline(held.rules, held.recording, held.ledger)
    found: list[_Wrong] = []
    running: dict[tuple[str, str], _Wrong] = {}
    for entry in held.recording.display:
        names = [entry.id] if entry.id and entry.id in course.courses else []
        rules = display(held.rules, course, entry.frame, names)
        side = course.courses[names[0]].kind.side if names else None
        total = dict(rules.score).get(side or entry.id or "", 0.0)
        for field, shown, right, fits in _values(entry, rules, total, float(held.rules.rate)):
            key = entry.id or "", field
            off: float | str = float(shown) - float(right) if field in NUMBERS else f"{shown} {right}"
            one = running.pop(key, None) if fits else running.get(key)
            if fits:
                continue
            if one is None or one.off != off:
                running[key] = one = _Wrong(*key, entry.frame, entry.frame, shown, right, off)
                found.append(one)
            one.last = entry.frame
    for one in sorted(found, key=lambda one: one.first):
        if one.last - one.first + 1 > held.within("display"):
            told = f"shows {one.field} {one.shown} {span_words(one.first, one.last, held.recording.last)}"
            yield of_actor("display", one.first, one.name, told, f"{one.field} {one.right}")


def _values(entry: Display, rules: object, total: float, rate: float) -> Iterator[tuple[str, str, str, bool]]:
    """(field, shown, by the rules, whether they agree) of all that an entry shows."""
    gauges = getattr(rules, "gauges", ())
    gauge = gauges[0] if gauges else None
    if gauge is not None:
        if entry.health is not None:
            yield "health", number(entry.health), number(gauge.health), abs(entry.health - gauge.health) < 1e-6
        if entry.percent is not None:
            fits = abs(entry.percent - gauge.percent) <= 0.5 + 1e-9
            yield "percent", number(entry.percent), f"{gauge.percent:.1f}", fits
        if entry.icons is not None:
            exact = gauge.whole + gauge.part
            fits = math.floor(exact) <= entry.icons <= math.ceil(exact)
            yield "icons", number(entry.icons), f"{exact:g}", fits
        if entry.lives is not None and gauge.lives is not None:
            yield "lives", number(entry.lives), number(gauge.lives), entry.lives == gauge.lives
    if entry.score is not None:
        yield "score", number(entry.score), number(total), abs(entry.score - total) < 1e-6
    if entry.clock is not None:
        match = CLOCK.fullmatch(entry.clock)
        up, left = getattr(rules, "clock", 0) / rate, getattr(rules, "left", None)
        if match is not None:
            shown = 60 * int(match[1] or 0) + int(match[2]) + float(f"0.{match[3] or 0}")
            both = [up] + ([] if left is None else [left / rate])
            slack = 1.0 if match[3] is None else 1.5 * 10.0 ** -len(match[3])
            right = f"{up:.2f} s" + ("" if left is None else f", {left / rate:.2f} s left")
            yield "clock", entry.clock, right, any(abs(shown - one) < slack for one in both)
