"""Going down, and the fate of the actor."""

from __future__ import annotations

from voskar.core.emitters.aim import angle_of
from voskar.core.emitters.births import order
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger.events import DownEvent, LifeEvent
from voskar.core.lifecycle.due import try_from
from voskar.core.lifecycle.goals import award
from voskar.core.world import ActorState, World


def go_down(world: World, state: ActorState) -> None:
    """Takes an actor down that has no health left: a life less, points for its killer, children."""
    kind, down = state.kind, state.kind.down
    state.down, state.fell_at = world.frame, world.position(state.row)
    world.take_out(state)
    world.run.cure(state.row)
    if state.lives is not None and down.life_after:
        state.owes = due = world.now(state) + down.life_after
        world.run.lives.setdefault(due, []).append((state.id, state.row))
        world.visit(due)
    elif state.lives is not None:
        state.lives = max(state.lives - 1, 0)
    lives = None if state.lives_left is None else float(kind.logged_lives(state.lives_left))
    world.events.append(DownEvent(frame=world.frame, id=state.id, by=state.credit, lives=lives))
    world.run.recheck = True
    # points before children: what they are worth is their own
    if down.worth:
        award(world, state.credit or "", down.worth)
    if kind.down.spawn:
        _leave_children(world, state)
    if not down.keeps_push:
        world.stop_pushes(state)


def take_life(world: World, state: ActorState) -> None:
    """The life that an actor owes is taken now."""
    if state.owes is None or state.lives is None:
        return
    before, after = (float(state.kind.logged_lives(count)) for count in (state.lives, state.lives_left or 0))
    state.lives, state.owes = state.lives_left, None
    if after != before:
        world.events.append(LifeEvent(frame=world.frame, id=state.id, before=before, after=after))


def give_lives(world: World, state: ActorState, extra: int, by: str | None = None) -> None:
    """It gains lives, where any actor counts them, up to the most that its kind may have; or loses some."""
    if state.lives is None:
        return
    before, most = state.lives, state.kind.max_lives
    after = max(before + extra, 0)
    state.lives = after if most is None else min(after, max(most, before))
    values = [float(state.kind.logged_lives(count)) for count in (before, state.lives)]
    if values[0] != values[1]:
        world.events.append(LifeEvent(frame=world.frame, id=state.id, before=values[0], after=values[1], by=by))


def earn(world: World) -> None:
    """Gives lives for the points of a side to all its actors that have appeared and are not out. An actor that waits to
    be out returns after all."""
    run = world.run
    if not run.score or not any(kind.extra_life for kind in world.rules.kinds.values()):
        return
    fresh: dict[tuple[str, str], int] = {}
    for state in sorted(world.everyone(), key=lambda actor: actor.id):
        rule, lives, key = state.kind.extra_life, state.lives, (state.side or state.id, state.kind.name)
        if rule is None or lives is None:
            continue
        if key not in fresh:
            earned = min(int(run.score.get(key[0], 0.0) / rule.score), 1 << 31 if rule.repeats else 1)
            fresh[key] = max(earned - run.earned.get(key, 0), 0)
            run.earned[key] = run.earned.get(key, 0) + fresh[key]
        first = world.first_in_play(state)
        if not fresh[key] or state.out or state.succeeded or first is None or first > world.frame:
            continue
        give_lives(world, state, fresh[key])
        if state.down is not None and state.down < world.frame and not state.returns:
            _come_after_all(world, state)


def _come_after_all(world: World, state: ActorState) -> None:
    """Gives a life again to an actor that waits to be out."""
    assert state.down is not None
    state.returns = may_return(state, state.down)
    if not state.returns:
        return
    world.run.stays_in(state)
    if state.driven or not state.kind.succession:
        after = state.kind.respawn.after if state.kind.respawn is not None else 0
        try_from(world, state, world.now(state) + max(state.down + after - world.frame, 1))
    if state.driven:
        world.table.ends[state.row] = FOREVER
        world.table.returns[state.row] = 1


def _leave_children(world: World, state: ActorState) -> None:
    """They appear where it is, around the way it travels."""
    velocity = world.velocity(state.row)
    centre = angle_of(*velocity) if any(velocity) else 90.0 * world.up
    owner_row = world.table.owner[state.row]
    for fan in state.kind.down.spawn:
        order(
            world,
            fan,
            state.id,
            world.position(state.row),
            centre,
            velocity,
            owner_row=owner_row,
            owner=state.owner,
            side=state.side,
            z=world.table.z[state.row],
        )


def may_return(state: ActorState, frame: int) -> bool:
    """Whether an actor that has just gone down can come back, itself or in a successor."""
    if state.lives_left == 0 or state.consumed == frame:
        return False
    return state.kind.respawn is not None or (state.kind.succession and not state.driven)


def lie_down(world: World, state: ActorState, going: dict[int, str]) -> list[tuple[str, int]]:
    """Decides the fate of actors that went down in this frame. Returns those that are out at its end. `going` are rows
    that are removed at its end, with the reason."""
    frame, kind, row, now = world.frame, state.kind, state.row, world.now(state)
    state.returns = may_return(state, frame)
    if state.returns and (state.driven or not kind.succession):
        assert kind.respawn is not None
        try_from(world, state, now + max(kind.respawn.after, 1))
    leaves = kind.down.until_out
    if state.driven and row not in going:
        if not leaves and not state.returns:
            going[row] = "down"
        else:
            world.lay_down(state, now + kind.down.lasts, now + leaves)
    if state.returns or state.lives is None:
        return []
    if leaves and going.get(row) != "consumed":
        until = now + leaves
        world.run.outs.setdefault(until, []).append((state.id, row))
        world.visit(until)
        return []
    return [(state.id, row)]
