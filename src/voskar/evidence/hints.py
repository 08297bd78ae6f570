"""Causes of many findings of one kind that are no mistake of the game: its logger."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from voskar.core.recording.shown import openness
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held


def hints(held: Held, findings: Sequence[Finding]) -> Iterator[str]:
    """Sentences for the reader, each about several findings."""
    early = [finding for finding in findings if finding.code == "hit-denied" and _was_open(held, finding)]
    if early:
        frames = ", ".join(str(finding.frame) for finding in early[:3]) + (", …" if len(early) > 3 else "")
        yield (
            f"of the hits that are denied as open, {len(early)} had their attack open (or next to open) in the frame "
            f"before, with another clip: {frames}. Does the game log its clips after the hits of a frame? A pose "
            "shows what the frame is judged with"
        )


def _was_open(held: Held, finding: Finding) -> bool:
    """Whether the clip has changed in the frame of a hit that is denied as `open`, and a hitbox of the attacker was
    open in the frame before, or would have been open had that clip gone on."""
    if finding.why is None or finding.why.gate != "open" or finding.attacker not in held.recording.numbers:
        return False
    recording, poses = held.recording, held.recording.poses
    now = recording.row(finding.attacker, finding.frame)
    before = None if now is None else int(poses.previous[now])
    if now is None or before is None or before < 0 or poses.clip[now] == poses.clip[before]:
        return False
    clip = np.full(2, poses.clip[before])
    cells = np.array([held.cells[before], held.cells[before] + 1])
    attack = finding.claim.attack if finding.claim is not None else None
    boxes = [box for box in held.boxes(finding.attacker) if box.box.role == "hitbox"]
    boxes = [box for box in boxes if box.attack.name == attack] or boxes
    return any(bool(openness(box.box, clip, cells, recording.clips).any()) for box in boxes)
