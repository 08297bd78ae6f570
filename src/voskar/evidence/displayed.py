"""What a game's own display showed, held against the heads-up values."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from voskar.core.ledger.event import number
from voskar.core.recording import Display
from voskar.core.views.hud import display
from voskar.core.views.timeline import timeline
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words

CLOCK = re.compile(r"(?:(\d+):)?(\d+)(?:[.,](\d+))?")


def displayed(held: Held) -> Iterator[Finding]:
    """Health, percent (within a half), icons (rounded either way), lives, the score of an actor's side, and the clock,
    which may go up or down. Each disagreement is told with its first and last frame."""
    if not held.recording.display:
        return
    course = timeline(held.rules, held.recording, held.ledger)
    wrong: dict[tuple[str, str], list[tuple[int, str, str]]] = {}
    for entry in held.recording.display:
        names = [entry.id] if entry.id and entry.id in course.courses else []
        rules = display(held.rules, course, entry.frame, names)
        side = course.courses[names[0]].kind.side if names else None
        total = dict(rules.score).get(side or entry.id or "", 0.0)
        for field, shown, right, fits in _values(entry, rules, total, float(held.rules.rate)):
            if not fits:
                wrong.setdefault((entry.id or "", field), []).append((entry.frame, shown, right))
    for (name, field), frames in sorted(wrong.items(), key=lambda item: item[1][0][0]):
        start = 0
        for at in range(1, len(frames) + 1):
            ends = at == len(frames) or frames[at][0] > frames[at - 1][0] + 1 or frames[at][1:] != frames[start][1:]
            if not ends:
                continue
            first, last = frames[start][0], frames[at - 1][0]
            if last - first + 1 > held.within("display"):
                when = span_words(first, last, held.recording.last)
                yield of_actor(
                    "display", first, name, f"shows {field} {frames[start][1]} {when}", f"{field} {frames[start][2]}"
                )
            start = at


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
