"""What a game says of an actor's state beside its health: i-frames and stun, held against the rules."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from voskar.core.views.timeline import Span
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, runs, span_words


def states(held: Held) -> Iterator[Finding]:
    """`immune` and `stunned` of poses: the state before the frame's hits. In the frame in which it is given either is
    right; nothing is asked while hidden, down or out."""
    poses = held.recording.poses
    for column in ("immune", "stunned"):
        told = getattr(poses, column)
        if not len(told) or (told < 0).all():
            continue
        for name, number in held.recording.numbers.items():
            rows = poses.rows_of(number)
            rows = rows[(told[rows] >= 0) & ~poses.hidden[rows]]
            if len(rows):
                yield from _of_one(held, column, name, rows)


def _of_one(held: Held, column: str, name: str, rows: np.ndarray) -> Iterator[Finding]:
    poses, course = held.recording.poses, held.course.courses[name]
    frames, told = poses.frame[rows], getattr(poses, column)[rows] == 1
    spans: list[Span] = getattr(course, column)
    state = np.zeros(len(frames), dtype=np.bool_)
    either = np.zeros(len(frames), dtype=np.bool_)
    for span in spans:
        state |= (frames >= span.first) & (frames <= span.last)
    given = {event.frame for event in held.ledger.about(name, "iframes" if column == "immune" else "stun")}
    for frame in given:
        either |= frames == frame
    for span in course.down:
        either |= (frames >= span.first - 1) & (frames <= span.last)
    runs_begin = [mark for mark, what in held.recording.resets.items() if what == "run"]
    for out in course.outs:  # until the run begins again
        either |= (frames >= out) & (frames < min([mark for mark in runs_begin if mark > out], default=1 << 60))
    for _, first, last in runs(frames, (state != told) & ~either):
        if last - first + 1 <= held.within(column):
            continue
        at = int(np.searchsorted(frames, first))
        word = column if told[at] else f"not {column}"
        rule = f"not {column}"
        if spans:
            nearest = min(reversed(spans), key=lambda span: max(span.first - first, first - span.last, 0))
            if nearest.first - held.near <= first <= nearest.last + held.near:
                rule = f"{column} {nearest.first} to {nearest.last}, from {nearest.cause}"
        ended = held.ended_before(first)
        if ended is not None:
            continue
        yield of_actor(
            f"state-{column}", first, name, f"is {word} {span_words(first, last, held.recording.last)}", rule
        )
