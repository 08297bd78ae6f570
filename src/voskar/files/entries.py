"""The claims of a recording and the entries of its display, checked one by one."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterator
from itertools import starmap

from voskar.core.recording import Claim, Display, Stranger
from voskar.core.rules.shapes import LIMIT
from voskar.errors import CONTROL, InputError, nearest
from voskar.files.frames import ClaimLine, DisplayLine, told

RESERVED = "/+#"
"""Characters of the ids of driven actors."""
CLAIMED: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "hit": (("attacker", "target"), ("attacker", "target", "attack", "damage", "health", "x", "y")),
    "down": (("id",), ("id", "attacker", "lives", "x", "y")),
    "respawn": (("id",), ("id", "health", "lives", "x", "y")),
    "spawn": (("id",), ("id", "owner", "x", "y")),
    "removed": (("id",), ("id", "x", "y")),
    "out": (("id",), ("id",)),
    "over": ((), ()),
    "won": ((), ()),
}
"""What each claim needs one of, and what it may tell."""


class Entries:
    """Gathers claims and display. `wrong` makes an error from line or row, frame, field, message and hint."""

    def __init__(self, wrong: Callable[..., InputError]) -> None:
        self._wrong = wrong
        self.claims: list[Claim] = []
        self.display: list[Display] = []
        self.named: dict[str, tuple[int, int, str]] = {}
        """Where an input, a claim or the display first names an id: line or row, frame, field."""

    def __len__(self) -> int:
        return len(self.claims) + len(self.display)

    def take(
        self, claims: Iterator[tuple[int, int, ClaimLine]], display: Iterator[tuple[int, int, DisplayLine]]
    ) -> None:
        """Takes some of each, with their line or row and frame. Raises InputError."""
        self.claims += starmap(self._claim, claims)
        self.display += starmap(self._shown, display)

    def clear(self) -> None:
        """Drops what was gathered."""
        self.claims.clear()
        self.display.clear()

    def meet(self, name: str | None, number: int, frame: int, field: str) -> None:
        """An id that has to be somebody's."""
        if name is not None and name not in self.named:
            refuse_control(name, lambda message: self._wrong(number, frame, field, message))
            self.named[name] = (number, frame, field)

    def meet_button(self, name: str, number: int, frame: int, field: str) -> None:
        refuse_control(name, lambda message: self._wrong(number, frame, field, message))

    def _claim(self, number: int, frame: int, claim: ClaimLine) -> Claim:
        values = {name: told(getattr(claim, name)) for name in ClaimLine.__struct_fields__}
        event = claim.event
        needed, allowed = CLAIMED[event]
        for field, value in values.items():
            if value is not None and field != "event" and field not in allowed:
                fitting = ", ".join(allowed) or "nothing beside"
                hint = f"it takes {fitting}"
                raise self._wrong(number, frame, f"claims.{field}", f'a "{event}" claim has no "{field}"', hint)
            if isinstance(value, float | int) and not abs(value) <= LIMIT:
                message = f"found {value}, expected a number within ±{LIMIT:g}"
                raise self._wrong(number, frame, f"claims.{field}", message)
        if needed and all(values[field] is None for field in needed):
            missing = " or ".join(f'"{field}"' for field in needed)
            raise self._wrong(number, frame, "claims", f'a "{event}" claim needs {missing}')
        for field in ("attacker", "target", "id", "owner"):
            self.meet(values[field], number, frame, f"claims.{field}")
        if values["attack"] is not None:
            refuse_control(values["attack"], lambda text: self._wrong(number, frame, "claims.attack", text))
        return Claim(frame, line=number, **values)

    def _shown(self, number: int, frame: int, entry: DisplayLine) -> Display:
        values = {name: told(getattr(entry, name)) for name in DisplayLine.__struct_fields__}
        if values["id"] is None and any(values[name] is not None for name in values if name not in ("id", "clock")):
            raise self._wrong(number, frame, "display", 'an entry of the display needs an "id"')
        self.meet(values["id"], number, frame, "display.id")
        return Display(frame, number, **values)

    def strangers(self, known: Collection[str], fixtures: Collection[str]) -> Iterator[Stranger]:
        """Ids that are nowhere else: nobody is called so, or nobody who was ever there at the end of a frame."""
        for name, (number, frame, field) in self.named.items():
            if name not in known and name not in fixtures and not any(mark in name for mark in RESERVED):
                yield Stranger(name, frame, field, number, nearest(name, [*known, *fixtures]))


def refuse_control(text: str, wrong: Callable[[str], InputError]) -> None:
    """Raises an error for a text with control characters."""
    if CONTROL.search(text):
        raise wrong(f"found {json.dumps(text)}, expected no control characters")
