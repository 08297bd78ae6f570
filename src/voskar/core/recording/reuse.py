"""Ids that a game uses again, as for the shots of a pool."""

from __future__ import annotations

import numpy as np

from voskar.core.recording.recording import Recording
from voskar.core.rules import Rules


def used_again(rules: Rules, recording: Recording) -> dict[int, list[int]]:
    """By frame, the numbers of the actors that are shown again after frames without a pose, and are others than before:
    those of kinds that are fired or spawned, unless their kind lingers for as long."""
    poses, kinds = recording.poses, rules.spawned
    longest = [rules.kinds[actor.kind].linger if actor.logged_kind in kinds else -1 for actor in recording.actors]
    found: dict[int, list[int]] = {}
    if max(longest, default=-1) < 0:
        return found
    rows = poses.by_actor[~poses.lingering[poses.by_actor]]
    who, frames, most = poses.actor[rows], poses.frame[rows], np.array(longest, dtype=np.int64)
    missing = np.diff(frames) - 1
    # a gap that lingering covers is the same actor
    again = (np.diff(who) == 0) & (most[who[1:]] >= 0) & (missing > most[who[1:]])
    for frame, number in zip(frames[1:][again].tolist(), who[1:][again].tolist(), strict=True):
        found.setdefault(frame, []).append(number)
    return found
