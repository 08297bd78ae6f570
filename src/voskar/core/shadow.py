"""A shadow: one driven actor that goes next to a logged one, moved by what moves every driven actor of a replay."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from msgspec import structs

from voskar.core.kernel.storage import FOREVER, shared_floats
from voskar.core.recording import DisplayLog, Recording
from voskar.core.recording.inputs import Inputs, Vector
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Floats
from voskar.core.world import ActorState, Birth, VerbCall, World


class Shadow:
    """Goes next to one logged actor after the other. It touches nothing, and its life never ends.

    `frame` is the one that it stands in. `gone` says what has ended it: "edge" (it is not there in that frame any
    more), "solid" (that frame is its last), or nothing.
    """

    def __init__(self, rules: Rules, recording: Recording) -> None:
        bare = replace(
            recording,
            actors=(),
            poses=recording.poses.rows(slice(0, 0)),
            starts=np.zeros_like(recording.starts),
            claims=(),
            inputs=Inputs(),
            resets={},
            display=DisplayLog(),
        )
        self.world = World(rules, bare)
        self.frame = recording.first
        self.gone = ""
        self._row = -1
        self._state: ActorState | None = None

    def enter(self, frame: int, birth: Birth, *, facing: float = 1.0, scale: float = 1.0, moves: bool = False) -> None:
        """Stands where one is born in a frame, in place of who was there before; one that `moves` at once has made its
        first move."""
        world = self.world
        if self._state is not None:
            world.discard(self._state)
        self.frame = world.frame = frame
        self.gone = ""
        self._state = state = world.enter(structs.replace(birth, id="", owner_row=-1), facing)
        self._row = row = state.row
        world.table.expires[row] = FOREVER
        if scale != 1.0:
            world.table.scale[row] = scale
            world.placing.turn(row)
        if moves:
            world.move_at_once(state)
            self._look()

    @property
    def place(self) -> Vector:
        """Where it is; where it would be, if it is gone."""
        return self.world.table.x[self._row], self.world.table.y[self._row]

    @property
    def velocity(self) -> Vector:
        """Units a second."""
        return self.world.table.vx[self._row], self.world.table.vy[self._row]

    @property
    def angle(self) -> float:
        """Degrees."""
        return self.world.table.angle[self._row]

    @property
    def turned(self) -> int:
        """The last frame of those last followed in which it bounced or turned; a negative number for none."""
        return self.world.kernel.turned

    def put(self, x: float, y: float) -> None:
        """Goes on from another place."""
        self.world.table.x[self._row], self.world.table.y[self._row] = x, y

    def obey(self, order: VerbCall) -> None:
        """Carries out the verbs of the logged actor in the frame that it stands in."""
        getattr(self.world, order.verb)(self._state, *order.arguments)

    def follow(self, x: Floats, y: Floats, at: int, slack: float, value: float) -> int:
        """Goes on from frame to frame, next to places (n,) from `at` on, as long as it is there and no further than
        `slack`, and `more` for each frame so far, from them.

        Returns the first place that it is not at, or at which a solid takes it; n if there is none.
        """
        found = self.world.kernel.follow(
            self._row, self.frame + 1, shared_floats(x), shared_floats(y), at, slack, value
        )
        self.frame = self.world.frame = self.frame + found - at + (found < len(x))
        self._look()
        return found

    def step(self, frames: int = 1) -> Vector:
        """Goes on for some frames, and is there, or gone."""
        nowhere = np.zeros(frames)
        self.follow(nowhere, nowhere, 0, math.inf, 0.0)
        return self.place

    def _look(self) -> None:
        kernel = self.world.kernel
        if kernel.take_leavers():
            self.gone = "edge"
        elif kernel.solid_takes():
            self.gone = "solid"
