"""The first frame of each run: its actors and their places."""

from __future__ import annotations

import math
from collections.abc import Iterator

from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held


def beginnings(held: Held) -> Iterator[Finding]:
    """Compares number and places of actors at the start of a run, for kinds with a start. Hidden ones do not count."""
    recording, starts = held.recording, held.rules.starts
    runs = [recording.first, *(mark for mark, what in recording.resets.items() if what == "run")]
    poses = recording.poses
    for frame in runs if starts else ():
        block = recording.block(frame, frame + 1)
        shown = [row for row in range(block.start, block.stop) if not poses.hidden[row]]
        for kind, rule in starts.items():
            own = [row for row in shown if recording.actors[poses.actor[row]].kind == kind]
            if rule.count is not None and len(own) != rule.count:
                text = f"{len(own)} {kind} in the first frame of the run, {frame}"
                yield of_actor("start", frame, "", text, f"{rule.count} of them")
            for row in own if rule.at is not None else ():
                name, place = recording.actors[poses.actor[row]].id, (float(poses.x[row]), float(poses.y[row]))
                if rule.at is not None and math.dist(place, rule.at) > held.tolerance_of(name):
                    text = f"begins the run in {frame} at ({place[0]:g}, {place[1]:g})"
                    yield of_actor("start", frame, name, text, f"begins at ({rule.at[0]:g}, {rule.at[1]:g})")
