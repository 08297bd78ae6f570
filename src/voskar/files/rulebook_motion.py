"""Compiles what a rulebook says of emitters and fixtures."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from fractions import Fraction
from typing import Literal

from voskar.core.rules import Emitter, Fan, Fixture, Trigger
from voskar.files.compiling import compiled
from voskar.files.rulebook_schema import EmitterTable, FixtureTable, WhenTable


def _pair(value: list[float]) -> tuple[float, float]:
    return value[0], value[1]


def emitter(name: str, table: EmitterTable, rate: Fraction) -> Emitter:
    """An emitter at a rate."""
    return compiled(
        Emitter,
        table,
        rate,
        name=name,
        when=_trigger(table.when, rate),
        fan=compiled(Fan, table, rate, kind=table.spawn),
    )


def _trigger(table: WhenTable, rate: Fraction) -> Trigger:
    if table.every is not None:
        every = table.every.frames(rate)
        return Trigger("every", every=every, first=every if table.first is None else table.first.frames(rate))
    if table.clip is not None:
        return Trigger("clip", table.clip, table.cell or 0)
    on: Literal["press", "release", "hold"]
    on = "press" if table.press is not None else "release" if table.release is not None else "hold"
    return Trigger(on, getattr(table, on))


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
