"""Deaths, returns and ends that the game claims otherwise than the rules have them."""

from __future__ import annotations

from voskar.core.adopt.plan import PlannedClaims, Resync, Taken
from voskar.core.ledger import Event
from voskar.core.ledger.events import AdoptedEvent, OutEvent, OverEvent
from voskar.core.lifecycle.respawn import Returns
from voskar.core.lifecycle.settle import Settling
from voskar.core.recording import Claim
from voskar.core.world import World

EVENTS = ("down", "respawn", "out", "over")


class Ends(PlannedClaims):
    """A claim that the rules have nothing for is adopted in its frame. What the rules have of their own stands."""

    def __init__(self, resync: Resync, world: World, settling: Settling, returns: Returns) -> None:
        logs = world.recording.logs
        super().__init__(resync, world, lambda event: event.event in EVENTS and logs(event.event, event.id))
        self.settling, self.returns = settling, returns
        self._seen = 0

    def returned(self) -> None:
        """Actors that respawn by the rules are back: now the respawns that only the game claims are adopted."""
        self._force("respawn")

    def after(self) -> None:
        """The frame has been settled."""
        world = self.world
        events, self._seen = world.events[self._seen :], len(world.events)
        for event in events:
            if event.event in EVENTS:
                self._match(event)
        if world.frame in self.of:
            for name in ("down", "out", "over"):
                self._force(name)
            self._seen = len(world.events)
        self.watch()

    def _match(self, event: Event) -> None:
        key = event.event, event.id
        window = self.index.windows.of(event.event)
        number = self.index.nearest([key], event.frame, lambda claim: self.index.fits(claim, event.frame), window)
        if number is not None:
            self.settle(number)
            return
        number = self.index.nearest([key], event.frame, lambda claim: self.index.is_near(claim, event.frame))
        if number is not None:
            claim = self.index.claims[number]
            self.settle(number)
            # a claim that comes later than the rules have it changes nothing between the two
            if claim.frame < event.frame:
                self.plan[number] = self.decisions.take(number, Taken(claim.frame, event))

    def _force(self, event: str) -> None:
        """Planned claims of this frame that the rules still have nothing for."""
        for number in self.of.get(self.world.frame, ()):
            claim, taken = self.index.claims[number], self.decisions.taken.get(number)
            if event == "respawn" and self._is_back(claim):
                continue
            if taken is not None and claim.event == event and number not in self.index.settled:
                self.plan[number] = taken
                self.settle(number)
                if taken.rules is None or event in ("down", "respawn"):  # the end itself is soon there by the rules
                    self._take(claim)

    def _is_back(self, claim: Claim) -> bool:
        """Whether the rules have brought it back in this very frame, in this replay."""
        return any(
            event.event == "respawn" and event.id == claim.id and event.frame == self.world.frame
            for event in self.world.events[self._seen :]
        )

    def _take(self, claim: Claim) -> None:
        world, frame = self.world, self.world.frame
        state = world.find(claim.id)
        adopted_event = AdoptedEvent(frame=frame, detail=claim.event, id=claim.id)
        if claim.event == "over":
            world.events += [adopted_event, OverEvent(frame)]
            world.run.ended = frame
        elif state is None:
            return
        elif claim.event == "down" and state.down is None:
            world.events.append(adopted_event)
            state.health = 0.0 if state.health is not None else None
            state.credit = claim.attacker
            self.settling.fall(state)
        elif claim.event == "respawn" and state.down is not None:
            world.events.append(adopted_event)
            self.returns.take_back(state)
        elif claim.event == "out" and not state.out:
            world.run.stays_in(state)
            world.events += [adopted_event, OutEvent(frame=frame, id=state.id)]
            state.out = world.run.anyone_out = world.run.recheck = True
