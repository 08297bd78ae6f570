"""Clashes: hitboxes of different actors that meet. The stronger attack goes on, the weaker is cancelled."""

from __future__ import annotations

from typing import NamedTuple, cast

from voskar.core.boxes import FormedBox
from voskar.core.consequences import Effect, Side, carry_out, reach
from voskar.core.hitstop import freeze
from voskar.core.judging.contact import swing_of
from voskar.core.judging.memory import Memory
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.ledger.events import ClashEvent
from voskar.core.recording.inputs import Vector
from voskar.core.world import ActorState, World


class ClashSide(NamedTuple):
    """One side of a clash: an actor, and the hitbox that it met with."""

    state: ActorState
    box: FormedBox
    swing: int

    @property
    def key(self) -> tuple[int, str]:
        """What its cancelled attack is remembered by."""
        return self.state.row, self.box.memory_key


def clash(world: World, memory: Memory, touches: list[TouchRow]) -> None:
    """Resolves the clashes of a frame, by time, ids and attacks; before any hit is judged."""
    formed = world.catalog.formed
    actors = cast(list[ActorState], world.actors)  # whoever touches is there
    found: dict[tuple[str, str, str, str], tuple[float, ClashSide, ClashSide, int]] = {}
    for attacker, hit, target, other, t, touch in touches:
        one = ClashSide(actors[attacker], formed[hit], swing_of(world, attacker, formed[hit]))
        two = ClashSide(actors[target], formed[other], swing_of(world, target, formed[other]))
        if _are_together(one.state, two.state):
            continue
        if one.state.id > two.state.id:
            one, two = two, one
        key = one.state.id, two.state.id, one.box.attack.name, two.box.attack.name
        if key not in found or t < found[key][0]:
            found[key] = t, one, two, touch
    for key, _ in sorted(found.items(), key=lambda pair: (round(pair[1][0], 6), pair[0])):
        _, one, two, touch = found[key]
        if _is_new(memory, world.frame, one, two) and not _is_over(world, memory, one, two):
            world.finder.contact_point(touch)
            _resolve(world, memory, one, two, (world.narrow.point_x, world.narrow.point_y))


def _are_together(one: ActorState, two: ActorState) -> bool:
    """Allies, an owner and what it owns, or two of one owner."""
    ally = one.side is not None and one.side == two.side
    owned = one.owner == two.id or two.owner == one.id
    return ally or owned or (one.owner is not None and one.owner == two.owner)


def _is_new(memory: Memory, frame: int, one: ClashSide, two: ClashSide) -> bool:
    """One clash a swing and pair; of an attack that is not timed, until the boxes have been apart for a frame."""
    key = (*one.key, *two.key)
    before = memory.clashes.get(key)
    memory.note_clash(key, (one.swing, two.swing, frame))
    if before is None:
        return True
    again = before[2] < frame - 1
    new_one = before[0] != one.swing if one.box.swing >= 0 else again
    new_two = before[1] != two.swing if two.box.swing >= 0 else again
    return new_one or new_two


def _is_over(world: World, memory: Memory, *sides: ClashSide) -> bool:
    """Whether either has been cancelled in this swing, or consumed in this frame."""
    return any(
        memory.cancelled.get(one.key) == one.swing or one.state.consumed == world.frame or one.state.down is not None
        for one in sides
    )


def _resolve(world: World, memory: Memory, one: ClashSide, two: ClashSide, place: Vector) -> None:
    strengths = one.box.attack.strength, two.box.attack.strength
    lost = strengths[0] <= strengths[1], strengths[1] <= strengths[0]
    winner = None if all(lost) else two.state.id if lost[0] else one.state.id
    names = one.box.attack.name, two.box.attack.name
    world.events.append(
        ClashEvent(world.frame, one.state.id, two.state.id, names[0], names[1], place[0], place[1], winner)
    )
    for own, is_lost in ((one, lost[0]), (two, lost[1])):
        if is_lost:
            memory.cancel(own.key, own.swing)
    length = max(one.box.attack.clash.hitstop, two.box.attack.clash.hitstop)
    for own in (one, two) if length else ():
        freeze(world, memory, own.state, length)
    side: Side = "attacker"
    for own, other, is_lost in ((one, two, lost[0]), (two, one, lost[1])):
        rule = own.box.attack.clash
        table = rule.attacker if is_lost else rule.winner
        if table is not None:
            cause = own.box.attack.name
            carry_out(Effect(world, own.state, other.state, table, cause, side, None, place))
            if world.run.reached:
                reach(world, cause, {own.state.id: other.state})
