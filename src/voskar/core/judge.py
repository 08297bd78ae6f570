"""Judging one frame: its touches, in the order of hits, each get one outcome; a hit takes effect at once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Protocol, cast

from voskar.core.boxes import FormedBox
from voskar.core.clashes import Clashes, clash
from voskar.core.consequences import Bound, consequences_of, consume, land
from voskar.core.judging.cases import remember
from voskar.core.judging.contact import Contact, swing_of
from voskar.core.judging.gates import GATES
from voskar.core.judging.memory import Memory
from voskar.core.judging.order import Order
from voskar.core.judging.outcomes import LANDED
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.ledger import Event
from voskar.core.ledger.events import ContactEvent
from voskar.core.world import ActorState, World

Asked = tuple[tuple[tuple[Callable[[Contact], bool], str], ...], bool]
"""The gates that can stop an attack at all under some rules, by what they ask and their names; and whether it matters
how long its touches continue."""

Judged = Callable[[Contact, str], None]
"""Receives every contact and its outcome before it takes effect: every gate can still be asked."""


class HitFilter(Protocol):
    """The game's account of contacts, where it overrules the judge."""

    def claims(self) -> Callable[[str, str, str], bool] | None:
        """Whether it has a hit of an attacker, an attack and a target in this frame; None if it has none at all."""
        ...

    def agrees(self, contact: Contact) -> bool | None:
        """Whether a contact would now come to what it says of it; None if it says nothing."""
        ...

    def clashes(self) -> Clashes | None:
        """Which clashes it has in this frame; None if the game never logs any."""
        ...

    def look(self, contact: Contact) -> None:
        """Notes on a contact what only the game can know of it, before any gate is asked."""
        ...

    def again(self, contact: Contact, outcome: str) -> bool:
        """Whether a contact only continues with a hit that does not count."""
        ...

    def takes(self, contact: Contact, event: Event) -> bool:
        """Whether a hit, with its contact `event`, is to take effect now."""
        ...


class Judge:
    """Judges the frames of one world, in rising order. `account` may overrule what hits come to."""

    SHARED = frozenset(("_order", "_gates", "_consequences", "_is_hitbox"))

    def __init__(self, world: World, memory: Memory) -> None:
        self.world, self.memory = world, memory
        self.account: HitFilter | None = None
        self._order = Order(world.catalog)
        self._is_hitbox = [box.box.role == "hitbox" for box in world.catalog.formed]
        self._gates: list[Asked | None] = [None] * len(world.catalog.formed)
        """By the number of a hitbox."""
        self._lingers = bool(world.recording.poses.lingering.any())
        self._counts_removals = any(table.remove for table in world.rules.tables)
        self._consequences: dict[int, Bound] = {}
        """By the identity of an attack, as a case has it or as it is; these are kept."""
        self._running: dict[tuple[str, int, str, int], tuple[int, int]] = {}
        """Where in the ledger the last contact of each pair of boxes stands, and the last frame it holds in."""
        self._prune_at = 1024

    def _gates_of(self, hitbox: FormedBox) -> Asked:
        # a gate that cannot stop this attack under these rules is never asked: most attacks keep two or three
        attack = hitbox.attack
        gates = tuple((gate.stops, gate.name) for gate in GATES if gate.possible(self.world.rules, attack))
        is_entry = attack.rehit is not None and attack.rehit.mode == "entry"
        found = self._gates[hitbox.number] = gates, is_entry or attack.max_targets is not None
        return found

    def frame(self, judged: Judged | None = None) -> None:
        """Judges the touches that the kernel has found."""
        world, memory, frame = self.world, self.memory, self.world.frame
        # both are about one frame only
        memory.preempted.clear()
        memory.choices.clear()
        account, all_gates = self.account, self._gates
        touches = world.touches()
        if world.rules.contact.clash:
            is_clash = self._is_hitbox
            clashes = None if account is None else account.clashes()
            # clashes come before hits, since they cancel attacks that would land in this frame
            clash(world, memory, [touch for touch in touches if is_clash[touch[3]]], clashes)
            # a hitbox that meets a hitbox can clash, but it cannot hit it
            touches = [touch for touch in touches if not is_clash[touch[3]]]
        claims = None if account is None or len(touches) < 2 else account.claims()
        ordered: Iterable[TouchRow]
        if account is None or claims is None:
            ordered = self._order.of(world, touches)
        else:
            ordered = self._as_claimed(self._order.ties(world, touches, claims), account)
        for touch in ordered:
            contact = self._contact(touch)
            outcome = LANDED
            if account is not None:
                account.look(contact)
            gates, is_watched = all_gates[touch[1]] or self._gates_of(contact.hitbox)
            for stops, name in gates:
                if stops(contact):
                    outcome = name
                    break
            # remembered whether it lands or not: the other boxes of the attack come to the same
            if contact.choice is not None:
                remember(contact, contact.choice)
            if judged is not None:
                judged(contact, outcome)
            # where its conditions do not hold, a contact does not keep a touch unbroken
            if is_watched and outcome != "unmet":
                memory.touch(contact.key, frame, world.now(contact.attacker))
            # the hit took effect earlier by the game's account, so this contact is no second one
            if account is not None and account.again(contact, outcome):
                continue
            self._report(contact, outcome)
            if outcome != LANDED:
                # a shot is removed by what it touches even where no hit lands, if the rules say so
                if self._counts_removals:
                    consume(contact, outcome)
            elif account is None or account.takes(contact, world.events[-1]):
                self.strike(contact)
        if len(self._running) > self._prune_at:
            self._prune(frame)

    # no method of `Contact` is asked yet: most contacts are stopped by the first gates
    def _contact(self, touch: TouchRow) -> Contact:
        attacker, hit, target, hurt, t, row = touch
        world, formed = self.world, self.world.catalog.formed
        actors = cast(list[ActorState], world.actors)  # every actor that touches is there
        hitbox = formed[hit]
        key = (attacker, hitbox.memory_key, target)
        sides = actors[attacker], hitbox, actors[target], formed[hurt]
        return Contact(world, self.memory, key, world.frame, *sides, hitbox.attack, t, row)

    def _as_claimed(self, ties: list[list[list[TouchRow]]], account: HitFilter) -> Iterator[TouchRow]:
        """Touches in order. `_next` picks the next group of a run of equal ones."""
        for groups in ties:
            while groups:
                yield from groups.pop(self._next(groups, account) if len(groups) > 1 else 0)

    def _next(self, groups: list[list[TouchRow]], account: HitFilter) -> int:
        """The place of the group that is next. A hit that would not have the claimed case or damage gives way to
        another hit of its attacker or target that would: each hit changes the state that decides the next. So does a
        hit that removes its attacker, to claimed hits on that."""
        first = groups[0][0]
        contact = self._contact(first)
        agrees, own = account.agrees(contact), contact.attack.attacker
        removes = bool(agrees) and own is not None and own.remove
        if agrees is not False and not removes:
            return 0
        for at, (touch, *_) in enumerate(groups):
            is_rival = touch[2] == first[0] if removes else touch[0] == first[0] or touch[2] == first[2]
            if is_rival and account.agrees(self._contact(touch)):
                return at
        return 0

    def strike(self, contact: Contact) -> None:
        """A hit takes effect."""
        attack = contact.hitbox.attack
        world, memory, frame = self.world, self.memory, contact.frame
        since = world.now(contact.attacker) if world.freezes else frame
        # with hitstop the attacker's own time stands still, and its rehit duration with it
        memory.land(contact.key, frame, swing_of(world, contact.attacker.row, contact.hitbox), since)
        if attack.max_targets is not None:
            memory.strike(contact.key, contact.swing, contact.target.id)
        if attack.preempts:
            memory.preempted.add((contact.target.row, contact.attacker.row))
        effect = contact.effect
        bound = self._consequences.get(id(effect))
        if bound is None:
            bound = self._consequences[id(effect)] = consequences_of(effect, world.rules)
        land(contact, bound)

    def _report(self, contact: Contact, outcome: str) -> None:
        """Writes a contact event, or lengthens the current one."""
        attacker, target, hitbox, hurtbox = contact.attacker, contact.target, contact.hitbox, contact.hurtbox
        world = self.world
        frame, ledger, choice = world.frame, world.events, contact.choice
        case = None if choice is None else choice.name or None
        if outcome != LANDED:  # a hit has a frame of its own, and a run does not continue across one
            pair = (attacker.id, hitbox.number, target.id, hurtbox.number)
            last = self._running.get(pair)
            if last is not None:
                place, until = last
                running = ledger[place]
                # the same outcome in the next frame is one row of the ledger, however long it lasts
                if until == frame - 1 and running.outcome == outcome and running.case == case:
                    self._running[pair] = (place, frame)
                    return
                self._close(pair)
            self._running[pair] = (len(ledger), frame)
        x, y = contact.point()
        lingering = world.table.lingering
        lingers = self._lingers and (lingering[attacker.row] or lingering[target.row])
        damage = contact.damage if outcome == LANDED else None
        detail = "lingering" if lingers else None
        if outcome == "unmet" and case is not None:
            detail = case
        ledger.append(
            ContactEvent(
                frame,
                frame,
                attacker.id,
                hitbox.box.name,
                target.id,
                hurtbox.box.name,
                hitbox.attack.name,
                outcome,
                contact.t,
                x,
                y,
                damage,
                detail,
                case,
            )
        )

    def _close(self, pair: tuple[str, int, str, int]) -> None:
        """Writes down how long the last contact of a pair has run."""
        place, until = self._running.pop(pair, (-1, 0))
        if place < 0:
            return
        event = self.world.events[place]
        # events are frozen: a longer run replaces the event in its place
        if event.until != until:
            columns = {name: getattr(event, name) for name in event.__struct_fields__}
            self.world.events[place] = ContactEvent(**(columns | {"until": until}))

    def _prune(self, frame: int) -> None:
        """Closes contacts that no longer continue, as often as they have doubled: a long session does not grow."""
        # closing is exact whenever it happens, so it happens seldom
        for pair in [pair for pair, (_, until) in self._running.items() if until < frame - 1]:
            self._close(pair)
        self._prune_at = 2 * len(self._running) + 1024

    def close(self) -> None:
        """Writes down how long every contact has run: at the end, and at a mark."""
        for pair in list(self._running):
            self._close(pair)
