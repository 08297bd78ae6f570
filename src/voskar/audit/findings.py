"""What checks look at and what they tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

from voskar.core.ledger import Ledger
from voskar.core.placing import Cast, Wardrobe
from voskar.core.recording import Recording
from voskar.core.replay import cast_of, replay
from voskar.core.rules import Box, Kind, Rules
from voskar.files.rulebook import Rulebook

KeyPath = tuple[str | int, ...]

BUDGET = 256
"""How many of one emitter or parent may be alive at once before the audit says so."""


@dataclass(frozen=True)
class Finding:
    """Something that is probably wrong: where, why it is thought so, and what to do about it."""

    name: str
    file: str
    line: int | None
    key: str
    reason: str
    remedy: str


@dataclass(frozen=True)
class Case:
    """A rulebook at a rate, and perhaps a recording of it. `budget`: how many one emitter may have alive at once."""

    book: Rulebook
    rules: Rules
    recording: Recording | None = None
    budget: int = BUDGET

    def finding(self, name: str, where: KeyPath, reason: str, remedy: str) -> Finding:
        """A finding at a key of the rulebook."""
        problem = self.book.source.problem(where, reason)
        return Finding(name, problem.file or "", problem.line, problem.key or "", reason, remedy)

    def boxes(self, role: str | None = None) -> Iterator[tuple[Kind, Box, KeyPath]]:
        """Every box of a role, or of any, with its kind and key path."""
        for kind in self.rules.kinds.values():
            for box in kind.boxes:
                if role is None or box.role == role:
                    yield kind, box, ("kinds", kind.name, "boxes", box.name)

    @cached_property
    def wardrobe(self) -> Wardrobe:
        """The rules' boxes and forms."""
        return Wardrobe(self.rules)

    @cached_property
    def ledger(self) -> Ledger:
        """The recording's ledger."""
        assert self.recording is not None
        return replay(self.rules, self.recording)

    @cached_property
    def cast(self) -> Cast:
        """Who is in the recording."""
        assert self.recording is not None
        return cast_of(self.recording, self.wardrobe)


Check = Callable[[Case], Iterator[Finding]]
