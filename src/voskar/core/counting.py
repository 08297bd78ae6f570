"""Counters: their holders, their values, and how they change.

Regen costs nothing while nothing reads it. A counter holds the value that was reported last, and next to it what regen
counts from (`Regenerating`): its value in a frame follows from these.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import ceil

from voskar.core.asking import holds
from voskar.core.ledger.events import CounterEvent
from voskar.core.rules import CounterRule
from voskar.core.rules.decimals import added
from voskar.core.world import ActorState, Regenerating, World


def change(world: World, state: ActorState, name: str, by: float, cause: str | None) -> None:
    """Adds to a counter of an actor, or of its owner, as a hit does; `cause` is the actor that did it."""
    holder = world.holder(state, name)
    if holder is None:
        # the owner has left: its counter goes on without it, so that a later shot of its counts from there
        counters = world.run.ghosts.setdefault(state.owner or "", {})
        before = counters.get(name, 0.0)
        kind = world.run.ghost_kinds.get(state.owner or "")
        rule = None if kind is None else kind.counters.get(name)
        counters[name] = after = added(before, by) if rule is None else rule.within(added(before, by))
        _report(world, state.owner or "", name, before, after, cause)
        return
    settle(world, holder, name)
    rule = holder.kind.counters.get(name)
    before = world.counter_of(holder, name)
    after = added(before, by)
    if rule is not None:
        after = rule.within(after)
    base = holder.regens.get(name)
    # a change against regen delays it: stamina returns a while after the last hit
    if base is not None and rule is not None and rule.regen is not None and (after - before) * rule.regen.amount < 0:
        _regrow(holder, name, Regenerating(after, world.now(holder), 0))
    put(world, holder, name, after)
    _report(world, holder.id, name, before, after, cause)
    if rule is not None and after != before and after in (rule.min, rule.max):
        world.run.reached.append((holder.row, rule, after == rule.min))


def put(world: World, holder: ActorState, name: str, value: float) -> None:
    """A counter has this value from now on; regen continues from there, in the frames that it had."""
    holder.counters = {**holder.counters, name: value}
    rule = holder.kind.counters.get(name)
    if rule is None:
        return
    base = holder.regens.get(name)
    if base is not None and rule.regen is not None:
        # the frames that have passed towards the next tick are not lost
        done = rule.regen.ticks(world.elapsed(holder, base.since))
        _regrow(holder, name, Regenerating(value, base.since, done))
        _expect(world, holder, rule)
    if rule.reset_if is not None and (value != rule.start or base is not None):
        _watch(world, holder, name)


def _regrow(state: ActorState, name: str, base: Regenerating) -> None:
    state.regens = {**state.regens, name: base}


def settle(world: World, holder: ActorState, name: str) -> None:
    """Reports the regen so far."""
    before, after = holder.counters.get(name), world.counter_of(holder, name)
    if name in holder.regens and before is not None and after != before:
        _report(world, holder.id, name, before, after, None)
        put(world, holder, name, after)


def _expect(world: World, holder: ActorState, rule: CounterRule) -> None:
    """Notes when regen will have filled a counter, and, while a box asks for it, each frame in which it changes."""
    regen, goal, base = rule.regen, rule.goal, holder.regens[rule.name]
    if regen is None or regen.amount == 0 or base.value == goal:
        return
    asked = rule.name in holder.kind.box_counters
    fills = world.run.fills
    if goal is None:
        if asked:
            frame = base.since + regen.elapsed(regen.ticks(max(world.elapsed(holder, base.since), 0)) + 1)
            world.look_at(frame, holder.row)
            fills.setdefault(frame, []).append((holder.row, holder.id, rule.name))
        return
    # a game may log a value beyond the limit: the next tick brings it back there
    ticks = max(ceil((goal - base.value) / regen.amount), 1)
    while (base.value + regen.amount * ticks - goal) * regen.amount < 0:
        ticks += 1  # a quotient of floats may be too small
    for tick in range(1 if asked else ticks, ticks + 1):
        frame = base.since + regen.elapsed(base.done + tick)
        world.look_at(frame, holder.row)
    fills.setdefault(frame, []).append((holder.row, holder.id, rule.name))


def move(world: World) -> None:
    """The end of Move: counters that regen has filled are reported, and those that are to start again do."""
    run = world.run
    for row, name, counter in sorted(run.fills.pop(world.frame, ()), key=lambda fill: fill[1:]):
        holder = world.find(name)
        if holder is None or holder.row != row or counter not in holder.regens:
            continue
        rule = holder.kind.counters[counter]
        if rule.goal is None:
            _expect(world, holder, rule)
        elif world.counter_of(holder, counter) == rule.goal:
            settle(world, holder, counter)
    if run.away:
        _reset_counters(world)


def _reset_counters(world: World) -> None:
    run = world.run
    away: list[tuple[str, str, ActorState]] = []
    for row, counter in run.away:
        state = world.actors[row]
        if state is not None and counter in state.kind.counters:
            away.append((state.id, counter, state))
    run.away.clear()
    for _, counter, state in sorted(away, key=lambda entry: entry[:2]):
        rule = state.kind.counters[counter]
        value = world.counter_of(state, counter)
        if rule.reset_if is None or (value == rule.start and counter not in state.regens):
            continue
        if value == rule.start:
            _watch(world, state, counter)
        elif not world.is_frozen(state) and holds(world, state, rule.reset_if):
            settle(world, state, counter)
            put(world, state, counter, rule.start)
            _report(world, state.id, counter, value, rule.start, None)
        else:
            _watch(world, state, counter)


def _watch(world: World, state: ActorState, counter: str) -> None:
    """Whether a counter is to start again is asked in the next frame."""
    world.run.away.add((state.row, counter))
    world.visit(world.frame + 1)


def stop(world: World, state: ActorState) -> None:
    """A mark comes before everything else in its frame, so the value of the frame before is kept."""
    ago = 0 if world.is_frozen(state) else 1
    state.regens = {
        name: Regenerating(world.counter_of(state, name, ago), world.now(state), 0) for name in state.regens
    }


def begin(world: World, state: ActorState, since: int | None = None) -> None:
    """A run begins for an actor: its counters are at their start, but for those that it has kept. Regen counts from its
    first frame in play, or from another one."""
    kept = {name: world.counter_of(state, name) for name in state.counters}
    state.regens = {}
    for name, rule in state.kind.counters.items():
        number = state.counters.get(name, rule.start)
        value = kept.get(name, number)
        if rule.regen is not None:
            first = world.first_in_play(state) if since is None else since
            if first is not None:
                _regrow(state, name, Regenerating(value, first, 0))
        put(world, state, name, value)
        # the ledger reports the value of the start, and regen counts on from there
        if name in state.regens:
            state.counters = {**state.counters, name: number}


def come_back(world: World, state: ActorState) -> None:
    """An actor returns: regen counts from this frame."""
    for name in state.regens:
        value = world.counter_of(state, name)
        _regrow(state, name, Regenerating(value, world.frame, 0))
        _expect(world, state, state.kind.counters[name])


def delay(world: World, state: ActorState, extra: int) -> None:
    """An actor is frozen: its counters continue so many frames later."""
    for name, base in state.regens.items():
        _regrow(state, name, Regenerating(base.value, base.since + extra, base.done))
        _expect(world, state, state.kind.counters[name])


def take_over(world: World, state: ActorState, former: ActorState) -> None:
    """An actor has the counters of another one from now on, and returns with them."""
    state.counters, state.regens = former.counters, former.regens
    come_back(world, state)


def absorbing(world: World, state: ActorState) -> Iterator[str]:
    """The counters that take damage before an actor's health does, by name: its own, and those of its owner that it
    has not itself."""
    own = state.kind.counters
    names = {name for name, rule in own.items() if rule.absorbs}
    owner = world.find(state.owner)
    if owner is not None:
        names |= {name for name, rule in owner.kind.counters.items() if rule.absorbs and name not in own}
    return iter(sorted(names))


def _report(world: World, who: str, name: str, before: float, after: float, by: str | None) -> None:
    if after != before:
        world.events.append(CounterEvent(world.frame, who, name, before, after, by))
