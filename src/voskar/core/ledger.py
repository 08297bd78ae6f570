"""The ledger: what the rules say happened, as events in the order in which they came about."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields
from typing import Any

FORMAT = 1
"""Version of the ledger's file format. 1: the first."""

OUTCOMES = ("landed", "immune", "repeat", "preempted", "unmet", "spent", "down", "ally")
"""Every outcome a contact can have, the most wanted first."""


@dataclass(slots=True)
class Event:
    """One row; None where a column does not apply. See docs/ledger.md for what each event fills."""

    frame: int
    event: str
    until: int | None = None
    id: str | None = None
    striker: str | None = None
    hitbox: str | None = None
    target: str | None = None
    hurtbox: str | None = None
    attack: str | None = None
    outcome: str | None = None
    detail: str | None = None
    damage: float | None = None
    t: float | None = None
    x: float | None = None
    y: float | None = None
    before: float | None = None
    after: float | None = None
    by: str | None = None
    lives: float | None = None
    cause: str | None = None
    dx: float | None = None
    dy: float | None = None
    vx: float | None = None
    vy: float | None = None
    kind: str | None = None
    owner: str | None = None
    emitter: str | None = None
    angle: float | None = None
    points: float | None = None
    total: float | None = None

    def told(self) -> Iterator[tuple[str, Any]]:
        """(column, value) of the columns that apply, numbers as they are written."""
        for name in COLUMNS:
            value = getattr(self, name)
            if value is not None:
                yield name, written(value)


COLUMNS = tuple(each.name for each in fields(Event))


def written(value: Any) -> Any:
    """A value as ledgers write it: numbers rounded to 6 decimals, whole ones as integers."""
    if isinstance(value, float):
        rounded = round(value, 6)
        return int(rounded) if rounded.is_integer() else rounded
    return value


@dataclass
class Ledger:
    """Events of one replay, and what they came from: digests and the options that change the outcome."""

    events: list[Event] = field(default_factory=list)
    rulebook: str = ""
    recording: str = ""
    rate: float = 60.0
    first: int = 0
    last: int = -1
    options: Mapping[str, Any] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.events)

    def header(self) -> dict[str, Any]:
        """The first line of a written ledger. It holds no time and no path, so equal replays write equal bytes."""
        return {
            "voskar": "ledger",
            "version": FORMAT,
            "rulebook": self.rulebook,
            "recording": self.recording,
            "rate": written(self.rate),
            "frames": [self.first, self.last],
            "options": dict(self.options),
        }

    def of(self, event: str) -> list[Event]:
        """The events of one sort."""
        return [one for one in self.events if one.event == event]

    def landings(self) -> list[Event]:
        """The contacts that landed."""
        return [one for one in self.events if one.event == "contact" and one.outcome == "landed"]

    def columns(self) -> dict[str, list[Any]]:
        """Every column as a list, values as they are written."""
        return {name: [written(getattr(one, name)) for one in self.events] for name in COLUMNS}
