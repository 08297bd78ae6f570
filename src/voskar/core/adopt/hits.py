"""Resync of hits: which hits of the rules take effect, and which claims do although the rules deny them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from itertools import product

from msgspec import Struct

from voskar.core.adopt.cases import comes_to, take_case
from voskar.core.adopt.clashes import LoggedClashes
from voskar.core.adopt.logged import Logged
from voskar.core.adopt.plan import Claimable, ClaimIndex, Resync, Taken
from voskar.core.clashes import Clashes
from voskar.core.judge import Judge
from voskar.core.judging.cases import cases_of
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import GATES
from voskar.core.judging.outcomes import LANDED
from voskar.core.ledger import Event
from voskar.core.ledger.events import AdoptedEvent, HealthEvent
from voskar.core.recording import Claim
from voskar.core.world import ActorState

FAR = {gate.name: place for place, gate in enumerate(GATES)} | {LANDED: len(GATES)}
"""How far a contact came, by its outcome."""

Pair = tuple[str | None, str | None]
"""Attacker and target; None where a claim names one of them only."""


class Tentative(Struct):
    """An earlier hit that stands for a claim unless a better one comes. `shows` says whether logged health shows it,
    `until` up to which frame its boxes have touched without a break."""

    contact: Contact
    event: Event
    shows: bool
    until: int


class HitAdoption:
    """A hit with a claim takes effect, at the claim's frame if that is another and the pair still touches there; one
    without has no effect, and its unbroken run of contact is reported once. A claim without a hit takes effect all the
    same."""

    SHARED = frozenset(("resync", "decisions", "logged", "_claimable", "_marks", "_opens"))

    def __init__(self, resync: Resync, judge: Judge, logged: Logged) -> None:
        self.resync, self.judge, self.world, self.logged = resync, judge, judge.world, logged
        self.decisions = resync.decisions
        recording = self.world.recording
        self.asked = recording.asks_for("hit")
        self.index = ClaimIndex(recording, self._is_hit, lambda hit: (hit.attacker, hit.target), resync.windows)
        self.plan: dict[int, Taken] = {}
        """The fate of claims that no hit of their frame stands for."""
        self._claimable = Claimable(self.world.rules, recording)
        self._marks = [*sorted(mark for mark in recording.resets if mark <= recording.last), recording.last + 1]
        self._opens: dict[int, list[int]] = {}
        """Claims by the first frame in which a hit may stand for them."""
        self._open: set[int] = set()
        self._furthest: dict[int, tuple[int, int]] = {}
        """For open claims: the furthest gate that a contact of the pair reached, and its frame."""
        self._tentative: dict[int, Tentative] = {}
        self._doubtful: dict[int, Event] = {}
        """Claims that a hit of another attack stands for, unless one of theirs comes."""
        self._held_back: set[int] = set()
        self._silent: dict[tuple[int, str, int], int] = {}
        self._now: dict[Pair, list[tuple[Contact, str]]] = {}
        self._landed: set[tuple[int, str, int]] = set()
        self._clashes = LoggedClashes(self.world, resync.windows.of("clash"), self._claimable)
        window = resync.windows.of("hit")
        for number, claim in self.index.claims.items():
            opens = max(claim.frame - window.after, recording.first)
            self._opens.setdefault(opens, []).append(number)
            self.world.visit(opens)
            self.world.visit(claim.frame)

    def _is_hit(self, claim: Claim) -> bool:
        recording = self.world.recording
        logged = recording.logs("hit", claim.attacker, claim.target)
        return claim.event == "hit" and logged and claim.attack not in recording.scope.attacks

    # asked by the judge

    def claims(self) -> Callable[[str, str, str], bool] | None:
        """Whether the game claims a hit in this frame, give or take the window, that nothing stands for yet."""
        frame, claims = self.world.frame, self.index.claims
        numbers = [*self._opens.get(frame, ()), *self._open] if self._open else self._opens.get(frame, ())
        open_ = [claims[at] for at in numbers if at not in self.index.settled and self.index.fits(at, frame)]
        if not open_:
            return None
        known = {(claim.attacker, claim.attack, claim.target) for claim in open_}
        return lambda *hit: any(names in known for names in product(*((name, None) for name in hit)))

    def agrees(self, contact: Contact) -> bool | None:
        """Whether a contact would now have the case, damage and health of its claim; None if that has none."""
        number = self._fitting((contact.attacker.id, contact.target.id), self.world.frame, contact.attack.name)
        return None if number is None else comes_to(contact, self.index.claims[number])

    def clashes(self) -> Clashes | None:
        """Which clashes the game claims about this frame; None if it claims none at all."""
        return self._clashes.now()

    def look(self, contact: Contact) -> None:
        """Notes what the game claims of a contact that only the game can know: its case, and its damage if it is
        drawn."""
        attack = contact.attack
        cases = cases_of(attack, contact.target.kind)
        drawn = attack.least_damage is not None or any(case.least_damage is not None for case in cases)
        # where the rules can decide by themselves, a claim must not decide: the check is about it
        if not drawn and not any(case.by_claim for case in cases):
            return
        number = self._fitting((contact.attacker.id, contact.target.id), self.world.frame, attack.name)
        if number is not None:
            claim = self.index.claims[number]
            contact.claimed_case, contact.claimed_damage = claim.case, claim.damage

    def again(self, contact: Contact, outcome: str) -> bool:
        """Whether a contact only continues with a hit that the game knows nothing of."""
        pair = contact.attacker.id, contact.target.id
        self._now.setdefault(pair, []).append((contact, outcome))
        if outcome == "unmet" and contact.case is not None:
            self._agree_on_none(contact)
        key, frame = contact.key, self.world.frame
        # an unbroken run of contact is one disagreement, not one a frame
        if self._silent.get(key) != frame - 1:
            return False
        if outcome != LANDED:
            self._silent[key] = frame
            return False
        if self._fitting(pair, frame, contact.attack.name) is not None:
            return False
        self._silent[key] = frame
        return True

    def _agree_on_none(self, contact: Contact) -> None:
        """A claim of the case that the contact came to, which does not land, is no hit."""
        number = self._fitting((contact.attacker.id, contact.target.id), self.world.frame, contact.attack.name)
        if number is not None and self.index.claims[number].case == contact.case:
            self._settle(number)

    def takes(self, contact: Contact, event: Event) -> bool:
        """Whether a hit takes effect; `event` is its contact."""
        pair, frame = (contact.attacker.id, contact.target.id), self.world.frame
        if not self._is_compared(contact):
            return True
        # a hit that the game had no way to log is not held against it
        asked = self._is_asked(pair)  # else a claim of one side may still mean it
        attack = contact.attack.name
        passed = (frame, *pair, attack) in self.decisions.passed
        number = self._fitting(pair, frame, attack, exactly=passed)
        if number is not None:
            self._settle(number)
            take_case(contact, self.index.claims[number])
            if self.index.claims[number].attack not in (None, attack):
                self._doubtful[number] = event
            return self._lands(contact)
        for other, before in self._doubtful.items():  # a claim that a hit of another attack stands for
            claim = self.index.claims[other]
            if (claim.attacker, claim.target, claim.attack) == (*pair, attack) and self.index.fits(other, frame):
                self._let_pass(before)
                return False
        if passed:
            return self._lands(contact) if not asked or self.logged.shows(contact) else self._passes(contact)
        for other, tentative in self._tentative.items():
            claim = self.index.claims[other]
            if (claim.attacker, claim.target) == pair and self.index.fits(other, frame):
                self._let_pass(tentative.event)  # the claim is this one's
                return False
        number = self.index.nearest(self._keys(pair), frame, lambda at: self.index.is_near(at, frame))
        # nothing near: unless logged health shows it, the game knows nothing of this hit
        if number is None:
            return self._lands(contact) if not asked or self.logged.shows(contact) else self._passes(contact)
        claim, taken = self.index.claims[number], self.decisions.taken.get(number)
        if taken is None:
            here = self.logged.shows(contact)  # the logged health decides the frame, not the claim
            if claim.frame > frame:
                # the claim's own frame may still bring a better hit: this one then goes back
                self._tentative[number] = Tentative(contact, event, here, frame)
            elif self._furthest.get(number, (-1, 0))[0] >= 0 and not here:
                self.decisions.take(number, Taken(claim.frame, event))  # the pair touched there
                return False
            self.plan[number] = Taken(frame, event)
            self._settle(number)
            return self._lands(contact)
        # it was decided on an earlier pass that the claim counts in its own frame
        self.plan[number] = Taken(taken.frame, event)
        if taken.frame == frame:
            self._settle(number)
            return self._lands(contact)
        self._held_back.add(number)
        return self._passes(contact)

    def _is_compared(self, contact: Contact) -> bool:
        attacker, target = contact.attacker.id, contact.target.id
        recording = self.world.recording
        logged = recording.logs("hit", attacker, target) and contact.attack.name not in recording.scope.attacks
        return self.asked and logged and contact.case not in recording.scope.cases

    def _is_asked(self, pair: Pair) -> bool:
        """Whether the game could have claimed a hit of this frame, and had time to."""
        frame = self.world.frame
        in_time = frame + self.index.windows.of("hit").after < self._marks[bisect_right(self._marks, frame)]
        return in_time and pair[0] in self._claimable and pair[1] in self._claimable

    @staticmethod
    def _keys(pair: Pair) -> tuple[Pair, ...]:
        return pair, (None, pair[1]), (pair[0], None)

    def _fitting(self, pair: Pair, frame: int, attack: str, *, exactly: bool = False) -> int | None:
        """The claim that a hit agrees with: a claim of its attack, else of any, unless it has to be `exactly` its
        attack. A hit that was held back for its claim is no hit of its own."""

        def fits(number: int) -> bool:
            return number not in self._held_back and self.index.fits(number, frame)

        keys, window = self._keys(pair), self.index.windows.of("hit")
        own = self.index.nearest(
            keys, frame, lambda number: fits(number) and self.index.claims[number].attack in (None, attack), window
        )
        return own if own is not None or exactly else self.index.nearest(keys, frame, fits, window)

    def _settle(self, number: int) -> None:
        self.index.settled.add(number)
        self._open.discard(number)

    def _lands(self, contact: Contact) -> bool:
        self._landed.add(contact.key)
        return True

    def _passes(self, contact: Contact) -> bool:
        """A hit that the game knows nothing of."""
        self._silent[contact.key] = self.world.frame
        self._report("no hit", contact.attacker.id, contact.target.id, contact.attack.name)
        return False

    def _report(self, detail: str, attacker: str | None, target: str | None, attack: str | None) -> None:
        self.world.events.append(
            AdoptedEvent(frame=self.world.frame, detail=detail, attacker=attacker, target=target, attack=attack)
        )

    # each frame

    def after(self) -> None:
        """All contacts of a frame are judged: claims that are due take effect, others may be given up."""
        frame = self.world.frame
        decisions, settled = self.decisions, self.index.settled
        for number in self._opens.get(frame, ()):
            if number not in settled and number not in decisions.taken:
                self._open.add(number)
        for number in decisions.due.get(frame, ()):
            if number in self.index.claims and number not in settled:
                self.plan.setdefault(number, decisions.taken[number])
                self._settle(number)
                self._force(self.index.claims[number])
        if self._open and self.world.run.poisons:
            self._agree_on_ticks()
        for number in list(self._tentative) if self._tentative else ():
            self._look_again(number)
        for number in sorted(self._open) if self._open else ():
            self._look(number)
        self._now.clear()
        self._landed.clear()
        if self._doubtful:
            self._doubtful = {at: event for at, event in self._doubtful.items() if self.index.fits(at, frame + 1)}

    def _agree_on_ticks(self) -> None:
        """Damage over time that falls in this frame is what a claim of its attack may mean."""
        frame = self.world.frame
        for (row, attack), poisons in self.world.run.poisons.items():
            if any(poison.next == frame for poison in poisons):
                for number in sorted(self._open):
                    claim = self.index.claims[number]
                    if (claim.frame, claim.attack, claim.target) == (frame, attack, self.world.state(row).id):
                        self._settle(number)

    def _look_again(self, number: int) -> None:
        """Follows the touch of an earlier hit to its claim. One touch has one hit, in the claim's frame; where the
        boxes have parted and touch again, the earlier hit has no claim, and the rules may have the later one."""
        tentative, frame = self._tentative[number], self.world.frame
        contact = tentative.contact
        own = self._now.get((contact.attacker.id, contact.target.id), ())
        touches = any(entry.key == contact.key for entry, _ in own)
        unbroken = tentative.until >= frame - 1
        if touches and unbroken:
            tentative.until = frame
        if self.index.claims[number].frame == frame:
            del self._tentative[number]
            if touches and not tentative.shows and unbroken:
                self.decisions.take(number, Taken(frame, tentative.event))
            elif touches and not tentative.shows:
                self._let_pass(tentative.event)

    def _let_pass(self, event: Event) -> None:
        self.decisions.let_pass((event.frame, event.attacker or "", event.target or "", event.attack or ""))

    def _look(self, number: int) -> None:
        """Notes how far a claimed pair came, and gives the claim up when no hit can be the same any more."""
        claim, frame, index = self.index.claims[number], self.world.frame, self.index
        if index.fits(number, frame):
            far = max((FAR[outcome] for _, outcome in self._candidates(claim)), default=-1)
            if number not in self._furthest or far > self._furthest[number][0]:
                self._furthest[number] = far, frame
            self.world.visit(frame + 1)
        # no hit so late can be the same one in another frame
        elif frame >= claim.frame + index.windows.near:
            self.give_up(number)
        else:
            self.world.visit(claim.frame + index.windows.near)

    def give_up(self, number: int) -> None:
        """The rules have nothing for a claim: it is adopted where its pair came furthest."""
        far, frame = self._furthest.get(number, (-1, 0))
        taken = Taken(frame if far >= 0 else self.index.claims[number].frame)
        self.plan[number] = self.decisions.take(number, taken)
        self._settle(number)

    def begin_again(self) -> None:
        """A mark, or the end: the remaining claims have no hit."""
        for number in sorted(self._open):
            if self.index.claims[number].frame < self.world.frame:
                self.give_up(number)
        self._silent.clear()

    def _candidates(self, claim: Claim) -> list[tuple[Contact, str]]:
        """The contacts of this frame that a claim may mean."""
        if claim.attacker and claim.target:
            return self._now.get((claim.attacker, claim.target), [])
        return [
            entry
            for pair in sorted(self._now, key=str)
            if claim.attacker in (None, pair[0]) and claim.target in (None, pair[1])
            for entry in self._now[pair]
        ]

    def _force(self, claim: Claim) -> None:
        """A claim takes effect in this frame: with the attack claimed, else that of the boxes that came furthest."""
        contact = self._contact(claim)
        if contact is None:
            self._only_damage(claim)
            return
        if contact.key in self._landed:
            return  # not a second time in a frame
        take_case(contact, claim)
        contact.known_damage = self._damage(claim, contact.target)
        if claim.x is not None and claim.y is not None:
            contact.adopted_point = claim.x, claim.y
        self._silent.pop(contact.key, None)
        self._report("hit", contact.attacker.id, contact.target.id, contact.attack.name)
        self._landed.add(contact.key)
        self.judge.strike(contact)

    def _contact(self, claim: Claim) -> Contact | None:
        world = self.world
        found = sorted(self._candidates(claim), key=lambda candidate: -FAR[candidate[1]])
        own = [contact for contact, _ in found if claim.attack in (None, contact.attack.name)]
        if own:
            return own[0]
        attacker, target = world.find(claim.attacker), world.find(claim.target)
        if attacker is None or target is None or not (world.is_present(attacker.row) and world.is_present(target.row)):
            return None
        catalog = world.catalog
        hits = [box for box in catalog.by_kind[attacker.kind.name] if box.box.role == "hitbox"]
        if claim.attack is not None:
            # the boxes do not touch, so any hitbox of the attack will do
            hits = [hit for hit in hits if hit.attack.name == claim.attack]  # without a box it only takes health
        elif found:
            return found[0][0]
        hurts = [box for box in catalog.by_kind[target.kind.name] if box.box.role == "hurtbox"]
        pairs = sorted(product(hits, hurts), key=lambda pair: not catalog.meets(*pair))
        if not pairs:
            return None
        hit, hurt = pairs[0]
        return Contact.asked(world, self.judge.memory, attacker.row, hit, target.row, hurt)

    def _damage(self, claim: Claim, target: ActorState) -> float | None:
        """The damage that a claim takes from its target: logged health goes before the claim's own value."""
        value = self.logged.value(target.row, "health", self.world.frame) if not target.driven else None
        return claim.damage if value is None or target.health is None else target.health - value

    def _only_damage(self, claim: Claim) -> None:
        """No actor that could have struck is there: only health changes."""
        world = self.world
        target = world.find(claim.target)
        attack = world.rules.attacks.get(claim.attack or "")
        self._report("hit", claim.attacker, claim.target, claim.attack)
        if target is None or target.health is None or target.down is not None:
            return
        value = self._damage(claim, target)
        damage = value if value is not None else 0.0 if attack is None else attack.damage
        before, full = target.health, target.kind.health or 0.0
        # a negative damage heals, and a target may have begun above its full health
        target.health = after = min(max(before - damage, 0.0), max(full, before))
        if after != before:
            target.credit = claim.attacker
            world.events.append(HealthEvent(world.frame, target.id, before, after, claim.attacker or ""))
            if after == 0:
                world.settling.add(target.row)
