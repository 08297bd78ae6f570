"""Driven actors that the game claims to have spawned in other frames than the rules have them, or not at all."""

from __future__ import annotations

from voskar.core.adopt.plan import PlannedClaims, Resync, Taken
from voskar.core.emitters.births import appear
from voskar.core.emitters.firing import Emitters
from voskar.core.ledger.events import AdoptedEvent, SpawnEvent
from voskar.core.ledger.origin import Origin, brood
from voskar.core.lifecycle.settle import Settling
from voskar.core.recording import Claim
from voskar.core.rules import Emitter
from voskar.core.world import ActorState, Birth


class Births(PlannedClaims):
    """Adopts claimed spawns. A claimed spawn that the rules deny appears where its emitter, else the claim, puts it; in
    another frame than by the rules, it appears there. A spawn without a claim, of an emitter or parent whose others are
    claimed does not appear: its number is consumed."""

    SHARED = PlannedClaims.SHARED | {"_asked"}

    def __init__(self, resync: Resync, emitters: Emitters, settling: Settling) -> None:
        recording = emitters.world.recording
        super().__init__(
            resync,
            emitters.world,
            lambda event: (
                event.event == "spawn" and event.id not in recording.numbers and recording.logs("spawn", event.id)
            ),
        )
        self.emitters, self.settling = emitters, settling
        self._asked = {brood(claim.id or "") for claim in self.index.claims.values()}
        self._seen = 0
        self._fired: dict[tuple[int, str], int] = {}
        self._due: set[int] = set()
        """Claims that an earlier emission of the rules stands for, which appears in the claim's frame."""

    def after(self) -> None:
        """Adopts the spawns of the frame, once the rules have spawned theirs."""
        if not self.index.claims:
            return
        world = self.world
        fresh = [
            event
            for event in world.events[self._seen :]
            if isinstance(event, SpawnEvent) and brood(event.id) in self._asked
        ]
        for event in fresh:
            # a recorded actor shows by itself when it appears
            if event.detail is not None:
                continue
            if brood(event.id) in self.decisions.early.get(world.frame, ()):
                self._withdraw(event)
                world.events.remove(event)
            else:
                self._match(event)
        for number in self.of.get(world.frame, ()):
            taken = self.plan.get(number) or self.decisions.taken.get(number)
            if taken is not None and number not in self.index.settled:
                self.plan[number] = taken
                self.settle(number)
                self._take(self.index.claims[number])
        self._seen, self._fired = len(world.events), dict(self.emitters.fired)
        self.watch()

    def _match(self, event: SpawnEvent) -> None:
        key, frame = ("spawn", event.id), event.frame
        index = self.index
        number = index.nearest([key], frame, lambda claim: index.fits(claim, frame), index.windows.of("spawn"))
        if number is not None:
            self.settle(number)
            return
        number = index.nearest([key], frame, lambda claim: index.is_near(claim, frame) and claim not in self._due)
        if number is not None:
            taken = Taken(index.claims[number].frame, event)
            if taken.frame > frame:
                self.plan[number] = taken
                self._due.add(number)
                self._withdraw(event)
            else:
                self.plan[number] = self.decisions.take(number, taken)
                self.settle(number)
        elif frame + self.resync.windows.of("spawn").after <= self.world.recording.last:
            self._withdraw(event)
            self.world.events.append(AdoptedEvent(frame=frame, detail="no spawn", id=event.id))

    def _withdraw(self, event: SpawnEvent) -> None:
        """It does not appear, and counts for no cooldown and no limit."""
        state = self.world.find(event.id)
        if state is None:
            return
        self.settling.leave(self.world.frame, state, "no spawn")
        owner, emitter = self._gun(Origin(event.owner or "", event.emitter, event.kind, 0))
        if owner is not None and emitter is not None:
            self.emitters.unfire(owner.row, emitter, self._fired.get((owner.row, emitter.name)))

    def _gun(self, origin: Origin) -> tuple[ActorState | None, Emitter | None]:
        owner = self.world.find(origin.parent)
        emitters = () if owner is None else owner.kind.emitters
        return owner, next((emitter for emitter in emitters if emitter.name == origin.emitter), None)

    def _take(self, claim: Claim) -> None:
        world, name = self.world, claim.id or ""
        origin = Origin.parse(name)
        if origin is None or world.find(name) is not None:
            return
        owner, emitter = self._gun(origin)
        if owner is not None and emitter is not None and world.is_present(owner.row):
            if emitter.fan.kind not in world.shown_kinds:
                self.emitters.fire(owner, emitter, origin.number)
        elif origin.kind in world.rules.kinds and origin.kind not in world.shown_kinds and claim.x is not None:
            side = None if owner is None else owner.side
            born = appear(
                world, Birth(name, origin.kind, claim.x, claim.y or 0.0, 0.0, None, owner=claim.owner, side=side)
            )
            if born is not None:
                self.emitters.arm(born)
        if world.find(name) is not None:
            world.events.append(AdoptedEvent(frame=world.frame, detail="spawn", id=name))
