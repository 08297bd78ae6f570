"""Pushes under way: knockback, a step a frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voskar.core.kernel.storage import floats, grown, ints

if TYPE_CHECKING:
    from voskar.core.kernel.columns import ActorColumns
    from voskar.core.kernel.storage import Floats, Ints


COLUMNS = ("row", "start", "over", "fade", "x", "y", "bounces", "bounciness")


class Pushes:
    """The pushes of all actors, `count` of them, in the order in which they were ordered."""

    def __init__(self, actors: ActorColumns) -> None:
        self.actors = actors
        self.count = 0
        self.row: Ints = ints(0)
        self.start: Ints = ints(0)
        self.over: Ints = ints(0)
        self.fade: Ints = ints(0)
        self.bounces: Ints = ints(0)
        """How often each may still turn round at a surface, and how much is left of it then."""
        self.bounciness: Floats = floats(0)
        self.x: Floats = floats(0)
        self.y: Floats = floats(0)

    def reserve(self, count: int) -> None:
        """Room for so many pushes under way."""
        if count > len(self.row):
            for name in COLUMNS:
                # Twice the need, so that a long fight does not copy at each push.
                setattr(self, name, grown(getattr(self, name), 2 * count))

    def copy_from(self, other: Pushes) -> None:
        """Takes over the pushes of another list."""
        self.count = other.count
        for name in COLUMNS:
            setattr(self, name, grown(getattr(other, name), len(other.row)))

    def add(
        self, row: int, start: int, over: int, fade: bool, x: float, y: float, bounces: int, bounciness: float
    ) -> None:
        """From frame `start` on: a way (x, y) in `over` steps, equal or falling linearly; it may turn round.

        Raises IndexError where no room was reserved.
        """
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        k = self.count
        if k >= len(self.row):
            raise IndexError("no room for another push")
        self.row[k], self.start[k], self.over[k] = row, start, over
        # The compiled columns hold numbers only.
        self.fade[k] = 1 if fade else 0
        self.x[k], self.y[k] = x, y
        self.bounces[k], self.bounciness[k] = bounces, bounciness
        self.count = k + 1

    def bounce(self, row: int, nx: float, ny: float) -> None:
        """An actor has met a surface, with the normal (nx, ny): what is left of a push into it goes back."""
        for k in range(self.count):
            into = self.x[k] * nx + self.y[k] * ny
            # A push along or away from the surface is not changed by it.
            if self.row[k] == row and self.bounces[k] > 0 and into < 0.0:
                self.bounces[k] -= 1
                back = (1.0 + self.bounciness[k]) * into
                self.x[k] -= back * nx
                self.y[k] -= back * ny

    def stop(self, row: int) -> None:
        """Ends all pushes of an actor."""
        kept = 0
        for k in range(self.count):
            if self.row[k] != row:
                self.keep(k, kept)
                kept += 1
        self.count = kept

    def delay(self, row: int, extra: int) -> None:
        """All pushes of an actor continue so many frames later."""
        for k in range(self.count):
            if self.row[k] == row:
                self.start[k] += extra

    def keep(self, k: int, place: int) -> None:
        """Moves a push down in the list."""
        self.row[place], self.start[place] = self.row[k], self.start[k]
        self.over[place], self.fade[place] = self.over[k], self.fade[k]
        self.x[place], self.y[place] = self.x[k], self.y[k]
        self.bounces[place], self.bounciness[place] = self.bounces[k], self.bounciness[k]

    def step(self, frame: int) -> None:
        """This frame's steps: of recorded actors onto their offset, of driven ones for their motion to take."""
        kept = 0
        for k in range(self.count):
            row, index, over = self.row[k], frame - self.start[k], self.over[k]
            assert 0 <= row < self.actors.count
            actor = self.actors.rows[row]
            if actor.frozen_since <= frame <= actor.frozen_until:
                # A frozen actor's pushes wait: `delay` has moved their start.
                self.keep(k, kept)
                kept += 1
                continue
            if index >= 0:
                # The shares of a fading push are over, over - 1, …, 1, and sum to 1.
                share = (over - index) / (over * (over + 1.0) / 2.0) if self.fade[k] else 1.0 / over
                x, y = self.x[k] * share, self.y[k] * share
                if not actor.driven:
                    actor.offset_x += x
                    actor.offset_y += y
                elif actor.step_at == frame:
                    # Several pushes of one frame add up.
                    actor.step_x += x
                    actor.step_y += y
                else:
                    actor.step_at = frame
                    actor.step_x, actor.step_y = x, y
            if index + 1 < over:
                self.keep(k, kept)
                kept += 1
        self.count = kept
