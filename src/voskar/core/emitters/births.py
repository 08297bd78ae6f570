"""Spawned actors: fans of births, births ordered for the next frame, and how they enter the world."""

from __future__ import annotations

from functools import lru_cache

from voskar.core.counting import begin
from voskar.core.emitters.aim import direction, wrapped_angle
from voskar.core.immunity import guard
from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Fan
from voskar.core.world import ActorState, Birth, VerbCall, World


def names(world: World, beginning: str, count: int) -> list[str]:
    """The next ids of an emitter, parent or hit effect; each is consumed by asking."""
    made = world.made.get(beginning, 0)
    world.made[beginning] = made + count
    return [f"{beginning}-{made + index + 1}" for index in range(count)]


def fan_of(
    fan: Fan, centre: float, names: list[str], seed: int, inherited: Vector
) -> list[tuple[float, Vector | None]]:
    """The angle and velocity of each of a fan, in (-180, 180] degrees and units a second."""
    # Few fans are drawn, and even ones are kept from frame to frame.
    if not fan.is_drawn:
        return _even_fan(fan, centre, inherited if fan.inherit else (0.0, 0.0))
    found = []
    for name, offset in zip(names, fan.offsets(), strict=True):
        # Each shot has a draw of its own, named by its id: another shot more or less changes no other.
        turn = fan.jitter * (2 * draw(seed, name, "jitter") - 1) if fan.jitter else 0.0
        found.append(_one_of(fan, centre + offset + turn, inherited, speed_of(fan, seed, name)))
    return found


def speed_of(fan: Fan, seed: int, name: str) -> float:
    """An actor's own speed when it is spawned, drawn by its id."""
    least, most = fan.speeds
    return least if least == most else least + (most - least) * draw(seed, name, "speed")


@lru_cache(maxsize=64)
def _even_fan(fan: Fan, centre: float, inherited: Vector) -> list[tuple[float, Vector | None]]:
    """A fan without draws: every actor that stands and fires on a beat fires the same one again and again."""
    return [_one_of(fan, centre + offset, inherited, fan.speeds[0]) for offset in fan.offsets()]


def _one_of(fan: Fan, angle: float, inherited: Vector, speed: float) -> tuple[float, Vector | None]:
    angle = wrapped_angle(angle)
    # None lets the motion of the kind give the velocity.
    if fan.speed is None and fan.inherit is None:
        return angle, None
    cos, sin = direction(angle)
    share = fan.inherit or 0.0
    return angle, (cos * speed + inherited[0] * share, sin * speed + inherited[1] * share)


def order(
    world: World,
    fan: Fan,
    parent: str,
    place: Vector,
    centre: float,
    velocity: Vector,
    *,
    owner_row: int = -1,
    owner: str | None = None,
    side: str | None = None,
    spawned: bool = True,
    z: float = 0.0,
) -> None:
    """Children and hit effects, for the next frame."""
    own = names(world, f"{parent}+{fan.kind}", fan.count)
    for name, (angle, speed) in zip(own, fan_of(fan, centre, own, world.recording.seed, velocity), strict=True):
        # The owner's row is held, as the owner may be gone when its child appears.
        world.hold_row(owner_row)
        born = Birth(name, fan.kind, *place, angle, speed, owner_row, owner, side, None, spawned, fan.moves_at_once, z)
        world.waiting.append(born)
    world.visit(world.frame + 1)


def appear(world: World, birth: Birth) -> ActorState | None:
    """Reports a birth. The actor enters the world, unless the recording shows actors of its kind itself."""
    expected = birth.kind in world.shown_kinds
    detail = "expected" if expected else None
    x, y, angle = birth.x, birth.y, birth.angle
    world.events.append(SpawnEvent(world.frame, birth.id, birth.kind, x, y, angle, birth.owner, birth.emitter, detail))
    # The recording shows the actor itself, so the rules only report when it should appear.
    if not expected:
        state = world.enter(birth)
        if state.kind.counters:
            begin(world, state)
        if state.kind.start_iframes:
            guard(world, state)
        return state
    world.orders.append(VerbCall(world.frame, birth.id, "enter", (birth,)))
    return None


def drop_waiting(world: World) -> None:
    """Drops the births that were ordered."""
    for birth in world.waiting:
        world.drop_row(birth.owner_row)
    world.waiting.clear()


def draw(seed: int, name: str, what: str) -> float:
    """A number in [0, 1) from the recording's seed, the spawned id and the draw's name."""
    from hashlib import blake2b  # with a library of its own, which few runs need

    digest = blake2b(f"{seed}:{name}:{what}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "big") / 2**64
