"""When one that is down may come back, and where."""

from __future__ import annotations

import numpy as np

from voskar.core.kernel.storage import FOREVER
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Respawn
from voskar.core.world import ActorState, World


def rule_of(state: ActorState) -> Respawn:
    """The rule that an actor comes back by."""
    respawn = state.kind.respawn
    assert respawn is not None
    return respawn


def try_from(world: World, state: ActorState, frame: int) -> None:
    """Notes the first frame from one on in which an actor may come back: with a pose, and with the button pressed
    that it needs."""
    recording, respawn = world.recording, rule_of(state)
    wanted = None
    if not state.driven:
        rows = recording.poses.rows_of(state.row)
        wanted = recording.poses.frame[rows[~recording.poses.lingering[rows]]]
    if respawn.needs is not None:
        who = [state.id] if state.owner is None else [state.id, state.owner]
        marks = [mark for mark, what in recording.resets.items() if what == "run"]
        presses = {one for name in who for one in recording.inputs.pressed(name, respawn.needs, marks).tolist()}
        both = presses if wanted is None else presses.intersection(wanted.tolist())
        wanted = np.array(sorted(both), dtype=np.int64)
    at = frame
    if wanted is not None:
        low = int(np.searchsorted(wanted, frame))
        at = int(wanted[low]) if low < len(wanted) else FOREVER
    if at == FOREVER:
        world.run.due.pop(state.row, None)
    else:
        world.run.due[state.row] = at
        world.visit(at)


def place(world: World, state: ActorState) -> Vector:
    """Where one that is down comes back."""
    at = "start" if state.kind.respawn is None else state.kind.respawn.at
    if isinstance(at, tuple):
        return at
    if at == "here" and state.fell_at is not None:
        return state.fell_at
    if at == "checkpoint" and state.checkpoint is not None:
        return state.checkpoint
    return world.start(state.row)
