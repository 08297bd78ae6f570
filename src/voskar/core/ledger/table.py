"""A ledger: events in the order in which they happened, found by their name; and the wide rows that files hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from html import escape
from typing import Any, TypeVar

from voskar.core.ledger.event import COLUMNS, Event, written
from voskar.core.ledger.events import ContactEvent

FORMAT = 2
"""Version of the ledger's file format. 1: the first."""

SHOWN = 200
"""Most events that a notebook shows."""

E = TypeVar("E", bound=Event)


@dataclass
class Ledger:
    """Events of one replay, and what they came from: digests and the options that change the outcome.

    Events are not added once any have been looked up by name.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> ledger = voskar.replay(rulebook, voskar.load_recording("meadow.jsonl", rulebook))
    >>> [(event.frame, event.id) for event in ledger.of("respawn")][:1]
    [(1532, 'keeper')]
    """

    events: list[Event] = field(default_factory=list)
    rulebook: str = ""
    recording: str = ""
    rate: float = 60.0
    first: int = 0
    last: int = -1
    options: Mapping[str, Any] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.events)

    def _repr_html_(self) -> str:
        """Its first events as a table, for notebooks."""
        # a notebook shows every column, so columns without a value are left out
        rows = [dict(event.columns()) for event in self.events[:SHOWN]]
        names = [name for name in COLUMNS if any(row.get(name) is not None for row in rows)]
        head = "".join(f"<th>{escape(name)}</th>" for name in names)
        lines = []
        for row in rows:
            cells = ("" if row.get(name) is None else escape(str(row[name])) for name in names)
            lines.append("<tr>" + "".join(f"<td>{cell}</td>" for cell in cells) + "</tr>")
        text = f"<p>… and {len(self) - SHOWN} more</p>" if len(self) > SHOWN else ""
        return f"<table><thead><tr>{head}</tr></thead><tbody>{''.join(lines)}</tbody></table>{text}"

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

    @cached_property
    def _by_name(self) -> Mapping[str, list[Event]]:
        found: dict[str, list[Event]] = {}
        for event in self.events:
            found.setdefault(event.event, []).append(event)
        return found

    def all(self, event_type: type[E]) -> Sequence[E]:
        """The events of one type, by its class."""
        return self._by_name.get(event_type.event, [])  # type: ignore[return-value]

    def of(self, event: str) -> Sequence[Event]:
        """The events of one type, by its name."""
        return self._by_name.get(event, [])

    @cached_property
    def _by_id(self) -> Mapping[str | None, list[Event]]:
        found: dict[str | None, list[Event]] = {}
        for event in self.events:
            found.setdefault(event.id, []).append(event)
        return found

    def about(self, name: str, *names: str) -> list[Event]:
        """The events of these types that name an actor as theirs, in order."""
        return [event for event in self._by_id.get(name, []) if event.event in names]

    @cached_property
    def ends(self) -> Sequence[Event]:
        """Events that ended a run, over or won, except those that the game continues after."""
        # an adopted end is followed by the event itself, which the game then goes on after
        on = {(event.frame, event.detail) for event in self.of("adopted")}
        ends = [event for name in ("over", "won") for event in self.of(name)]
        return [event for event in ends if (event.frame, f"no {event.event}") not in on]

    @cached_property
    def _hits(self) -> list[ContactEvent]:
        return [event for event in self.all(ContactEvent) if event.outcome == "landed"]

    def hits(self) -> Sequence[ContactEvent]:
        """The contacts that landed."""
        return self._hits

    def columns(self) -> dict[str, list[Any]]:
        """Every column as a list, values as they are written."""
        return {name: [written(getattr(event, name)) for event in self.events] for name in COLUMNS}
