"""One actor through a recording: its health, lives, i-frames, stun and counters, and when it was down or away."""

from __future__ import annotations

from msgspec import Struct, field

from voskar.core.ledger import Event
from voskar.core.recording import Actor
from voskar.core.rules import Kind
from voskar.core.views.meters import Meter, frame_after
from voskar.core.views.steps import Span, Steps, holds


class ResetMark(Struct, frozen=True):
    """The room, or the whole run, began again, by a mark of the recording; or `another` actor has this one's id."""

    frame: int
    what: str


Change = Event | ResetMark


class Course(Struct):
    """One actor through a recording. `health` and `lives` are empty where its kind has none."""

    actor: Actor
    kind: Kind
    side: str | None
    present: list[Span] = []
    health: Steps = field(default_factory=Steps)
    lives: Steps = field(default_factory=Steps)
    immune: list[Span] = []
    stunned: list[Span] = []
    frozen: list[Span] = []
    down: list[Span] = []
    waiting: list[Span] = []
    """Held back from its return, as its place was not safe."""
    dealt: list[Event] = []
    taken: list[Event] = []
    ignored: list[Event] = []
    """Contacts on it that did not land."""
    returns: list[Event] = []
    outs: list[int] = []
    counters: dict[str, Steps] = {}
    meters: dict[str, Meter] = {}
    """The base of each counter."""
    changes: list[Change] = []
    """Events that changed its health or lives, in order."""

    def meter(self, counter: str, first: int) -> Meter:
        """The base of a counter; a counter without an event has been at its start since frame `first`."""
        found = self.meters.get(counter)
        if found is None:
            found = self.meters[counter] = Meter(self.kind.counters.get(counter))
            found.begin(first, None)
        return found

    def is_out(self, frame: int) -> bool:
        """Whether it is out of lives before a frame, and has not come back."""
        return bool(self.outs) and bool(self.down) and self.down[-1].first <= self.outs[-1] + 1 and self.is_down(frame)

    @property
    def renewals(self) -> list[int]:
        """The frames in which its id becomes another actor's."""
        return [change.frame for change in self.changes if isinstance(change, ResetMark) and change.what == "another"]

    def after(self, since: int, count: int) -> int:
        """The frame in which so many frames of its own have passed since another: those in which it is frozen do not
        count."""
        return frame_after(self.frozen, since, count)

    def is_down(self, frame: int) -> bool:
        """Whether it is down in a frame, that of its fall left out."""
        return holds(self.down, frame)
