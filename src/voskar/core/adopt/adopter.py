"""All that resync adopts from the game, and when in a frame: presence and returns before any actor comes back, spawns
once emitters have fired, hits as they are judged, states when the frame is settled."""

from __future__ import annotations

from voskar.core.adopt.births import Births
from voskar.core.adopt.hits import HitAdoption
from voskar.core.adopt.lifecycle import Ends
from voskar.core.adopt.logged import Logged
from voskar.core.adopt.plan import Resync
from voskar.core.adopt.presence import Presence
from voskar.core.adopt.runs import RunsOn
from voskar.core.adopt.shots import Shots
from voskar.core.adopt.states import States
from voskar.core.emitters.firing import Emitters
from voskar.core.judge import Judge
from voskar.core.lifecycle.respawn import Returns
from voskar.core.lifecycle.settle import Settling


class Adopter:
    """Takes over from the game in one replay."""

    SHARED = frozenset(("resync",))

    def __init__(self, resync: Resync, judge: Judge, emitters: Emitters, returns: Returns, settling: Settling) -> None:
        self.resync, world = resync, judge.world
        logged = Logged(world.recording, resync.windows)
        self.hits = judge.account = HitAdoption(resync, judge, logged)
        self.ends = Ends(resync, world, settling, returns)
        self.presence = Presence(resync, world)
        self.shots = Shots(resync, emitters)
        self.births = Births(resync, emitters, settling)
        self.runs = RunsOn(resync, world, self.presence)
        self.states = States(world, logged, resync.windows, settling)
        settling.keeps = self.presence.keeps
        resync.decisions.back = None

    @property
    def may_go_back(self) -> bool:
        """Whether there are claims, which can turn out to be of another frame."""
        return bool(self.hits.index.claims or self.ends.index.claims or self.births.index.claims)

    def begin_again(self) -> None:
        """A mark of the recording."""
        self.hits.begin_again()
        self.ends.begin_again()
        self.births.begin_again()
        self.states.begin_again()

    def returned(self) -> None:
        """Called when the respawns of the rules are done."""
        self.presence.before()
        self.ends.returned()

    def fired(self) -> None:
        """Emitters have fired."""
        self.shots.after()
        self.births.after()

    def judged(self) -> None:
        """All contacts have been judged."""
        self.hits.after()

    def settled(self) -> None:
        """The frame is over."""
        self.ends.after()
        self.presence.after()
        self.states.after()
        self.runs.after()

    def close(self) -> None:
        """The recording is over: open claims match nothing of the rules."""
        self.begin_again()

    @property
    def found(self) -> Resync:
        """The decisions that were made."""
        plan = {**self.hits.plan, **self.ends.plan, **self.births.plan}
        return Resync(self.resync.windows, self.resync.decisions, plan, self.states.ends)
