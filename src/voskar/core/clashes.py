"""Clashes: hitboxes of different actors that meet. The stronger attack continues, the weaker is cancelled."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple, cast

from voskar.core.boxes import FormedBox
from voskar.core.consequences import Effect, Side, carry_out, reach
from voskar.core.hitstop import freeze
from voskar.core.judging.contact import swing_of
from voskar.core.judging.memory import Memory
from voskar.core.judging.order import ranks
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.ledger.events import AdoptedEvent, ClashEvent
from voskar.core.recording.inputs import Vector
from voskar.core.world import ActorState, World


class ClashSide(NamedTuple):
    """One side of a clash: an actor, and the hitbox that it met with."""

    state: ActorState
    box: FormedBox
    swing: int

    @property
    def key(self) -> tuple[int, str]:
        """The key under which its cancelled attack is remembered."""
        return self.state.row, self.box.memory_key


class Clashes(NamedTuple):
    """The logged clashes about a frame: the pairs that clash near it, those that clash in it, by ids in order, the
    actors for whom the game logs clashes at all, and what uses up the log of a clash."""

    near: set[tuple[str, str]]
    now: set[tuple[str, str]]
    logs: Callable[[str, str], bool]
    use: Callable[[str, str], None]


def clash(world: World, memory: Memory, touches: list[TouchRow], clashes: Clashes | None = None) -> None:
    """Resolves the clashes of a frame, by time, ids and attacks; before any hit is judged. If the game logs clashes,
    its log decides: a clash that it does not log does not count, a clash that only it logs does, and of several at one
    time those that it logs come first."""
    formed = world.catalog.formed
    actors = cast(list[ActorState], world.actors)  # every actor that touches is there
    found: dict[tuple[Any, Any, str, str], tuple[float, ClashSide, ClashSide, int]] = {}
    known: set[tuple[str, str]] = set()
    rank = ranks(world)
    for attacker, hit, target, other, t, touch in touches:
        first = ClashSide(actors[attacker], formed[hit], swing_of(world, attacker, formed[hit]))
        second = ClashSide(actors[target], formed[other], swing_of(world, target, formed[other]))
        if _are_together(first.state, second.state):
            continue
        if rank(first.state) > rank(second.state):
            first, second = second, first
        # the same pair may meet with several boxes: the first touch is the clash
        key = rank(first.state), rank(second.state), first.box.attack.name, second.box.attack.name
        if key not in found or t < found[key][0]:
            found[key] = t, first, second, touch
    near = set() if clashes is None else clashes.near
    in_order = sorted(found.items(), key=lambda pair: (round(pair[1][0], 6), _ids(*pair[1][1:3]) not in near, pair[0]))
    for _, (_, first, second, touch) in in_order:
        if _is_new(memory, world.frame, first, second) and not _is_over(world, memory, first, second):
            world.finder.contact_point(touch)
            place = world.narrow.point_x, world.narrow.point_y
            ids = _ids(first, second)
            if clashes is None or ids in clashes.near or not clashes.logs(*ids):
                _resolve(world, memory, first, second, place)
                if clashes is not None and ids not in known:
                    clashes.use(*ids)
                known.add(ids)
            # it is still reported, but cancels no attack
            else:
                world.events.append(_event(world, first, second, place))
                world.events.append(AdoptedEvent(frame=world.frame, detail="no clash", id=ids[0]))
    if clashes is None:
        return
    for ids in sorted(clashes.now - known):
        sides = [_open_side(world, name) for name in ids]
        if sides[0] is not None and sides[1] is not None:
            world.events.append(AdoptedEvent(frame=world.frame, detail="clash", id=ids[0]))
            _resolve(world, memory, sides[0], sides[1], world.position(sides[0].state.row))
            clashes.use(*ids)


def _ids(first: ClashSide, second: ClashSide) -> tuple[str, str]:
    return min(first.state.id, second.state.id), max(first.state.id, second.state.id)


def _open_side(world: World, name: str) -> ClashSide | None:
    """The first open hitbox of an actor that may clash, by its name."""
    state, hits = world.find(name), world.placing.hits
    if state is None:
        return None
    clashes = world.placing.boxes.clashes
    own = [hits.box[at] for at in range(hits.count) if hits.actor[at] == state.row and clashes[hits.box[at]]]
    boxes = sorted((world.catalog.formed[number] for number in own), key=lambda box: box.name)
    return ClashSide(state, boxes[0], swing_of(world, state.row, boxes[0])) if boxes else None


def _are_together(first: ActorState, second: ActorState) -> bool:
    """Allies, an owner and what it owns, or two with one owner."""
    ally = first.side is not None and first.side == second.side
    owned = first.owner == second.id or second.owner == first.id
    return ally or owned or (first.owner is not None and first.owner == second.owner)


def _is_new(memory: Memory, frame: int, first: ClashSide, second: ClashSide) -> bool:
    """One clash a swing and pair; of an attack that is not timed, until the boxes have been apart for a frame."""
    if first.state.id > second.state.id:
        first, second = second, first
    key = (*first.key, *second.key)
    before = memory.clashes.get(key)
    memory.note_clash(key, (first.swing, second.swing, frame))
    if before is None:
        return True
    again = before[2] < frame - 1
    new_one = before[0] != first.swing if first.box.swing >= 0 else again
    new_two = before[1] != second.swing if second.box.swing >= 0 else again
    return new_one or new_two


def _is_over(world: World, memory: Memory, *sides: ClashSide) -> bool:
    """Whether either has been cancelled in this swing, or consumed in this frame."""
    return any(
        memory.cancelled.get(side.key) == side.swing
        or side.state.consumed == world.frame
        or side.state.down is not None
        for side in sides
    )


def _lost(first: ClashSide, second: ClashSide) -> tuple[bool, bool]:
    """Whether the attack of either side is cancelled: the weaker one, or both."""
    strengths = first.box.attack.strength, second.box.attack.strength
    return strengths[0] <= strengths[1], strengths[1] <= strengths[0]


def _event(world: World, first: ClashSide, second: ClashSide, place: Vector) -> ClashEvent:
    lost = _lost(first, second)
    winner = None if all(lost) else second.state.id if lost[0] else first.state.id
    names = first.box.attack.name, second.box.attack.name
    return ClashEvent(world.frame, first.state.id, second.state.id, *names, *place, winner)


def _resolve(world: World, memory: Memory, first: ClashSide, second: ClashSide, place: Vector) -> None:
    world.events.append(_event(world, first, second, place))
    lost = _lost(first, second)
    for own, is_lost in ((first, lost[0]), (second, lost[1])):
        if is_lost:
            memory.cancel(own.key, own.swing)
    length = max(first.box.attack.clash.hitstop, second.box.attack.clash.hitstop)
    for own in (first, second) if length else ():
        freeze(world, memory, own.state, length)
    side: Side = "attacker"
    for own, other, is_lost in ((first, second, lost[0]), (second, first, lost[1])):
        rule = own.box.attack.clash
        table = rule.attacker if is_lost else rule.winner
        if table is not None:
            cause = own.box.attack.name
            carry_out(Effect(world, own.state, other.state, table, cause, side, None, place))
            if world.run.reached:
                reach(world, cause, {own.state.id: other.state})
