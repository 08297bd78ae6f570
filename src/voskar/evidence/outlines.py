"""Where a game itself has its boxes, held against the rulebook's."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby

from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words

Bounds = tuple[float, ...]


def outlines(held: Held) -> Iterator[Finding]:
    """Boxes that poses log, by their bounds: off in place or size, open against closed. A name that a kind never logs
    is not compared, nor is one that the rulebook takes from the game."""
    recording, poses = held.recording, held.recording.poses
    if not recording.boxes.names:
        return
    told = [row for row in range(len(poses)) if poses.logged[row] >= 0 and not poses.hidden[row]]
    named: dict[str, set[str]] = {}
    for row in told:
        kind = recording.actors[poses.actor[row]].kind
        named.setdefault(kind, set()).update(recording.boxes.of(int(poses.logged[row])))
    seen: dict[tuple[str, str], list[tuple[int, str, str, str]]] = {}
    for row in told:
        name = recording.actors[poses.actor[row]].id
        game = recording.boxes.of(int(poses.logged[row]))
        held.pose(0, row)
        for box in held.boxes(name):
            if not box.box.logged and box.name in named[box.kind.name]:
                x, y = float(poses.x[row]), float(poses.y[row])
                shown = (
                    tuple(a + b for a, b in zip(game[box.name], (x, y, x, y), strict=True))
                    if box.name in game
                    else None
                )
                own = held.posed.bounds(0, box) if held.posed.is_open(0, box) else None
                seen.setdefault((name, box.name), []).append(
                    (int(poses.frame[row]), *_apart(held, box.name, shown, own))
                )
    for (name, _), frames in seen.items():
        for code, some in groupby(frames, key=lambda frame: frame[1]):
            run = list(some)
            first, last = run[0][0], run[-1][0]
            if code and (code == "box-moved" or last - first + 1 > held.within("boxes")):
                game_words = f"{run[0][2]} {span_words(first, last, recording.last)}"
                yield of_actor(code, first, name, game_words, run[0][3])


def _apart(held: Held, box: str, shown: Bounds | None, own: Bounds | None) -> tuple[str, str, str]:
    """The code of a difference, "" for none, and both sides in words."""
    if shown is None or own is None:
        if (shown is None) == (own is None):
            return "", "", ""
        if own is None:
            return "box-open", f"has {box} open", f"{box} is closed"
        return "box-closed", f"has no {box}", f"{box} is open"
    if max(abs(a - b) for a, b in zip(own, shown, strict=True)) <= held.tolerance:
        return "", "", ""
    dx, dy = (shown[0] + shown[2] - own[0] - own[2]) / 2, (shown[1] + shown[3] - own[1] - own[3]) / 2
    off = f"is ({dx:+.1f}, {dy:+.1f}) off" if max(abs(dx), abs(dy)) > 0.05 else "is in place"
    sizes = [f"{one[2] - one[0]:.1f} by {one[3] - one[1]:.1f}" for one in (shown, own)]
    return "box-moved", f"{box} {off} and {sizes[0]}", f"{box} is {sizes[1]}"
