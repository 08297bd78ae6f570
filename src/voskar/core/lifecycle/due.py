"""When an actor that is down may come back, and where."""

from __future__ import annotations

from voskar.core.kernel.storage import FOREVER
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Respawn
from voskar.core.world import ActorState, World


def rule_of(state: ActorState) -> Respawn:
    """The rule that an actor comes back by."""
    respawn = state.kind.respawn
    assert respawn is not None
    return respawn


def try_from(world: World, state: ActorState, frame: int, *, safe: bool = False) -> None:
    """Notes the first frame, from one on, in which an actor may come back: with a pose, and with the button pressed
    that it needs. An actor that waits for a safe place tries in each frame until it has been `safe`."""
    recording, respawn = world.recording, rule_of(state)
    state.awaits = frame
    if respawn.needs is not None:
        at = _pressed(world, state, frame)
    elif state.driven:
        at = frame
    else:
        row = recording.poses.logged_from(state.row, frame)
        # the game may show it only once the place is safe
        waits = respawn.if_unsafe == "wait" and not safe
        at = FOREVER if row is None else frame if waits else int(recording.poses.frame[row])
    if at == FOREVER:
        world.run.due.pop(state.row, None)
    else:
        world.run.due[state.row] = at
        world.visit(at)


def _pressed(world: World, state: ActorState, frame: int) -> int:
    """The first frame from one on with a pose in which it, or its owner, presses the button that it needs."""
    recording, poses = world.recording, world.recording.poses
    who = [state.id] if state.owner is None else [state.id, state.owner]
    marks = [mark for mark, what in recording.resets.items() if what == "run"]
    button = rule_of(state).needs or ""
    presses = {mark for name in who for mark in recording.inputs.pressed(name, button, marks).tolist()}
    if not state.driven:
        rows = poses.rows_of(state.row)
        # a game shows the returning actor in the frame of the press: a press without a pose had another purpose
        presses &= set(poses.frame[rows[~poses.lingering[rows]]].tolist())
    return min((press for press in presses if press >= frame), default=FOREVER)


def place(world: World, state: ActorState) -> Vector:
    """The place at which an actor that is down comes back."""
    at = "start" if state.kind.respawn is None else state.kind.respawn.at
    if isinstance(at, tuple):
        return at
    if at == "here" and state.fell_at is not None:
        return state.fell_at
    if at == "checkpoint" and state.checkpoint is not None:
        return state.checkpoint
    return world.start(state.row)
