"""Rules of an actor's end and return, and of the end of a run."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from voskar.core.rules.emitters import Fan
from voskar.core.rules.motion import Motion


class Down(Struct, frozen=True):
    """The rules of an actor that goes down: how many frames it stays to be seen, what it shows and leaves.

    With `keeps_push` a push continues. `clip` is what a recording should show; `worth` are points for the side that did
    it. The life is taken `life_after` frames later; one that cannot return is out and gone `out_after` frames later
    (None: after `lasts`).
    """

    lasts: int = 0
    hide: bool = False
    clip: str | None = None
    worth: float = 0.0
    motion: Motion | None = None
    spawn: tuple[Fan, ...] = ()
    life_after: int = 0
    out_after: int | None = None
    keeps_push: bool = False

    @property
    def until_out(self) -> int:
        """Frames until an actor that cannot return is out."""
        return self.lasts if self.out_after is None else self.out_after


class ExtraLife(Struct, frozen=True):
    """A life for each `score` points of its side, or once if it does not repeat."""

    score: float
    repeats: bool = False


Spot = Literal["start", "here", "checkpoint"]
Reset = Literal["self", "pair", "room", "run"]


class Respawn(Struct, frozen=True):
    """The return of an actor that went down in frame d: in frame max(d + `after`, d + 1) at the earliest.

    `needs` names a button to press. With `if_unsafe` "wait" it does not return where an
    active hitbox would overlap it, or come nearer than `clearance` units. It is immune in `iframes` frames, the first
    one that of its return. `keeps` are counters that no reset touches.
    """

    after: int = 0
    needs: str | None = None
    at: Spot | tuple[float, float] = "start"
    if_unsafe: Literal["appear", "wait"] = "appear"
    clearance: float = 0.0
    iframes: int = 0
    resets: Reset = "self"
    keeps: frozenset[str] = frozenset()


class StartRule(Struct, frozen=True):
    """The first frame of each run, for a kind: the places of its actors, and their number. None: not checked."""

    at: tuple[float, float] | None = None
    count: int | None = None


class Goal(Struct, frozen=True):
    """When a run is won: after `survive` frames, or when of each kind in `clear` none is left. None, empty: never."""

    survive: int | None = None
    clear: tuple[str, ...] = ()
