"""Compiles what a rulebook says of emitters and fixtures."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from fractions import Fraction
from typing import Literal

from voskar.core.rules import Emitter, Fan, Fixture, Trigger
from voskar.files.compiling import compiled
from voskar.files.own_rules import AT
from voskar.files.rulebook_schema import EmitterTable, FixtureTable

ANY_RATE = Fraction(1)
"""For tables without a duration."""


def emitter(name: str, table: EmitterTable, rate: Fraction) -> Emitter:
    """An emitter at a rate."""
    return compiled(
        Emitter,
        table,
        rate,
        name=name,
        when=_trigger(table, rate),
        fan=compiled(Fan, table, rate, kind=table.spawn),
    )


def _trigger(emitter: EmitterTable, rate: Fraction) -> Trigger:
    table = emitter.when
    if table.every is not None:
        every = table.every.frames(rate)
        return Trigger("every", every=every, first=every if table.first is None else table.first.frames(rate))
    if table.clip is not None:
        return Trigger("clip", table.clip, table.cell or 0)
    on: Literal["press", "release", "hold"]
    on = "press" if table.press is not None else "release" if table.release is not None else "hold"
    if emitter.charge is None:
        return Trigger(on, getattr(table, on))
    least, most = emitter.charge
    return Trigger(on, getattr(table, on), charge=(least.frames(rate), None if most is None else most.frames(rate)))


def fixtures(tables: Sequence[FixtureTable], own: Collection[str]) -> tuple[Fixture, ...]:
    """Fixtures as written, those without an id called `KIND#1`, `KIND#2`, …; `own` have rules of their own."""
    unnamed: Counter[str] = Counter()
    found = []
    for table in tables:
        name = table.id
        if name is None:
            unnamed[table.kind] += 1
            name = f"{table.kind}#{unnamed[table.kind]}"
        kind = f"{table.kind}{AT}{name}" if name in own else table.kind
        found.append(compiled(Fixture, table, ANY_RATE, id=name, kind=kind))
    return tuple(found)
