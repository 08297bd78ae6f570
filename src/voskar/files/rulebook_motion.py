"""Compiles what a rulebook says of motion, emitters, children, fixtures, and of the end and return of actors."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from fractions import Fraction
from typing import Literal, cast

from voskar.core.rules import Aim, Emitter, Fan, Fixture, Goal, Going, Motion, Respawn, Spot, Target, Trigger
from voskar.files.rulebook_schema import (
    DownTable,
    EmitterTable,
    FanTable,
    FixtureTable,
    GoalTable,
    MotionTable,
    RespawnTable,
    TargetTable,
    WhenTable,
)


def motion(table: MotionTable, rate: Fraction) -> Motion:
    """A motion at a rate; a life of less than half a frame is one frame."""
    return Motion(
        velocity=_pair(table.velocity),
        acceleration=_pair(table.acceleration),
        gravity=table.gravity,
        drag=table.drag,
        spin=table.spin,
        max_speed=table.max_speed,
        life=None if table.life is None else max(table.life.frames(rate), 1),
        at_edge=table.at_edge,
        on_solid=table.on_solid,
        bounces=table.bounces,
        bounciness=table.bounciness,
        clip=table.clip,
    )


def _pair(value: list[float]) -> tuple[float, float]:
    return value[0], value[1]


def _fan(kind: str, table: FanTable) -> Fan:
    return Fan(kind, table.count, table.spread, table.jitter, table.speed, table.inherit)


def emitter(name: str, table: EmitterTable, rate: Fraction) -> Emitter:
    """An emitter at a rate."""
    within = table.within
    return Emitter(
        name=name,
        when=_trigger(table.when, rate),
        fan=_fan(table.spawn, table),
        cooldown=table.cooldown.frames(rate),
        limit=table.limit,
        muzzle=_pair(table.muzzle),
        pivot=_pair(table.pivot),
        turns=table.turns,
        aim=Target(table.aim.target) if isinstance(table.aim, TargetTable) else cast(Aim, table.aim),
        within=None if within is None else (within[0], within[1], within[2], within[3]),
        moves_at_once=table.moves_at_once,
        requires=dict(table.requires),
        lacks=dict(table.lacks),
    )


def _trigger(table: WhenTable, rate: Fraction) -> Trigger:
    if table.every is not None:
        every = max(table.every.frames(rate), 1)
        return Trigger("every", every=every, first=every if table.first is None else table.first.frames(rate))
    if table.clip is not None:
        return Trigger("clip", table.clip, table.cell or 0)
    on: Literal["press", "release", "hold"]
    on = "press" if table.press is not None else "release" if table.release is not None else "hold"
    return Trigger(on, getattr(table, on))


def going(table: DownTable, rate: Fraction) -> Going:
    """What becomes of a kind that goes down."""
    return Going(
        table.lasts.frames(rate),
        table.hide,
        table.clip,
        table.worth,
        None if table.motion is None else motion(table.motion, rate),
        tuple(_fan(one.kind, one) for one in table.spawn),
        table.life_after.frames(rate),
        None if table.out_after is None else table.out_after.frames(rate),
    )


def respawn(table: RespawnTable, rate: Fraction) -> Respawn:
    """How a kind comes back."""
    at = table.at
    return Respawn(
        after=table.after.frames(rate),
        needs=table.needs,
        at=_pair(at) if isinstance(at, list) else cast(Spot, at),
        waits=table.if_unsafe == "wait",
        clearance=table.clearance,
        iframes=table.iframes.frames(rate),
        resets=table.resets,
        keeps=frozenset(table.keeps),
    )


def goal(table: GoalTable, rate: Fraction) -> Goal:
    """When a run is won; to survive less than half a frame is to survive one."""
    survive = None if table.survive is None else max(table.survive.frames(rate), 1)
    return Goal(survive, tuple(sorted(set(table.clear))))


def fixtures(tables: Sequence[FixtureTable]) -> tuple[Fixture, ...]:
    """Fixtures as written, those without an id called `KIND#1`, `KIND#2`, …"""
    unnamed: Counter[str] = Counter()
    found = []
    for table in tables:
        name = table.id
        if name is None:
            unnamed[table.kind] += 1
            name = f"{table.kind}#{unnamed[table.kind]}"
        velocity = None if table.velocity is None else _pair(table.velocity)
        found.append(Fixture(name, table.kind, _pair(table.at), table.facing, table.angle, velocity))
    return tuple(found)
