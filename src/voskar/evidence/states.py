"""A game's log of an actor's state besides its health, compared with the rules: i-frames, stun, hitstop."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from voskar.core.rules.shapes import Ints
from voskar.core.views.steps import Span
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, runs, span_words


def states(held: Held) -> Iterator[Finding]:
    """`immune`, `stunned` and `frozen` of poses: the state before the frame's hits. In the frame in which it is given
    either is right; nothing is asked while hidden, down or out. Then those that move while they are frozen."""
    poses = held.recording.poses
    for column in COLUMNS:
        value = getattr(poses, column)
        if not len(value) or (value < 0).all():
            continue
        for name, number in held.recording.numbers.items():
            rows = poses.rows_of(number)
            rows = rows[(value[rows] >= 0) & ~poses.hidden[rows]]
            if len(rows):
                yield from _of_one(held, column, name, rows)
    if held.recording.reactions == "baked" and "hitstop" not in held.recording.scope.reactions:
        for name in held.recording.numbers:
            yield from _moves(held, name)


COLUMNS = {"immune": "iframes", "stunned": "stun", "frozen": "hitstop"}
"""Logged columns, each with the event that causes it."""


def _moves(held: Held, name: str) -> Iterator[Finding]:
    """A pose that is frozen is that of the frame before, in place and cell. Another clip, or the same from its start,
    may begin in the frame after a hit, as `recoil` does, and a death clip at a death."""
    # everything is compared with the frame before, so the first frame of the freeze needs the one before it
    course = held.course.courses[name]
    spans = course.frozen
    if not spans:
        return
    poses, clips, dies = held.recording.poses, held.recording.clips, course.kind.down.clip
    falls = clips.index(dies) if dies in clips else -2
    fell = [span.first for span in course.down]
    struck = [event.frame + 1 for event in held.ledger.about(name, "hitstop")]
    for span in spans:
        rows = poses.between(held.recording.numbers[name], span.first - 1, span.last)
        rows = rows[~poses.hidden[rows]]
        step = np.hypot(np.diff(poses.x[rows]), np.diff(poses.y[rows]))
        follows = np.diff(poses.frame[rows]) == 1
        moves = follows & (step > held.tolerance_of(name)) & ~poses.cut[rows][1:]
        goes_over, cells = np.diff(poses.clip[rows]) != 0, np.diff(held.cells[rows])
        plays = follows & (goes_over | (cells != 0))
        plays &= ~((goes_over | (cells < 0)) & np.isin(poses.frame[rows][1:], struck))
        # a death ends the freeze of a clip, since its own clip begins
        plays &= ~((poses.clip[rows][1:] == falls) & np.isin(poses.frame[rows][1:], fell))
        odd = np.flatnonzero(moves | plays)
        if len(odd):
            frame = int(poses.frame[rows[odd[0] + 1]])
            text = f"moves {step[odd[0]]:.1f} units in {frame}" if moves[odd[0]] else f"goes on in its clip in {frame}"
            yield of_actor("frozen", frame, name, text, f"frozen {span.first} to {span.last}")


def clip_immune(held: Held, name: str, rows: np.ndarray) -> np.ndarray:
    """(n,) whether the cells that some poses show make their actor immune."""
    poses, kind = held.recording.poses, held.course.courses[name].kind
    found = np.zeros(len(rows), dtype=np.bool_)
    for clip, entry in kind.clips.items():
        if entry.iframes and clip in held.recording.clips:
            shows = poses.clip[rows] == held.recording.clips.index(clip)
            for first, last in entry.iframes:
                found |= shows & (held.cells[rows] >= first) & (held.cells[rows] <= last)
    return found


def _within(frames: Ints, spans: Iterable[tuple[int, int]]) -> np.ndarray:
    """(n,) whether frames, which rise, lie in any of some spans, both ends included."""
    found = np.zeros(len(frames), dtype=np.bool_)
    for first, last in spans:
        found[np.searchsorted(frames, first) : np.searchsorted(frames, last, side="right")] = True
    return found


def _of_one(held: Held, column: str, name: str, rows: np.ndarray) -> Iterator[Finding]:
    poses, course = held.recording.poses, held.course.courses[name]
    frames, value = poses.frame[rows], getattr(poses, column)[rows] == 1
    spans: list[Span] = getattr(course, column)
    state = _within(frames, ((span.first, span.last) for span in spans))
    if column == "immune":
        state |= clip_immune(held, name, rows)
    # the state may be logged before or after the hit of that frame
    given = [event.frame for event in held.ledger.about(name, COLUMNS[column])]
    # games clear states at a death or keep them: neither is wrong
    downs = ((span.first - 1, span.last) for span in course.down)
    either = np.isin(frames, given) | _within(frames, downs)
    runs_begin = [mark for mark, what in held.recording.resets.items() if what == "run"]
    for out in course.outs:  # until the run begins again
        either |= (frames >= out) & (frames < min([mark for mark in runs_begin if mark > out], default=1 << 60))
    for _, first, last in runs(frames, (state != value) & ~either):
        if last - first + 1 <= held.within(column):
            continue
        at = int(np.searchsorted(frames, first))
        word = column if value[at] else f"not {column}"
        rule = f"not {column}"
        # the nearest span says most: the actor had the state a little earlier or later
        if spans:
            nearest = min(reversed(spans), key=lambda span: max(span.first - first, first - span.last, 0))
            if nearest.first - held.near <= first <= nearest.last + held.near:
                cause = f", from {nearest.cause}" if nearest.cause else ""
                rule = f"{column} {nearest.first} to {nearest.last}{cause}"
        ended = held.ended_before(first)
        if ended is not None:
            continue
        code = "frozen" if column == "frozen" else f"state-{column}"
        stated_words = f"is {word} {span_words(first, last, held.recording.last)}"
        yield of_actor(code, first, name, stated_words, rule)
