"""The data that checks look at, and the findings that they report."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from voskar.core.boxes import BoxCatalog
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Box, Kind, Rules
from voskar.core.rules.shapes import Ints
from voskar.core.step import replay
from voskar.files.own_rules import stated_place
from voskar.files.rulebook import Rulebook

KeyPath = tuple[str | int, ...]

BUDGET = 256
"""How many of one emitter or parent may be alive at once before the audit says so."""


@dataclass(frozen=True)
class AuditFinding:
    """Something that is probably wrong: where, why it is thought so, and what to do about it."""

    name: str
    file: str
    line: int | None
    key: str
    reason: str
    remedy: str


@dataclass(frozen=True)
class AuditedBook:
    """A rulebook at a rate, and perhaps a recording of it. `budget`: how many one emitter may have alive at once."""

    book: Rulebook
    rules: Rules
    recording: Recording | None = None
    budget: int = BUDGET

    def finding(self, name: str, where: KeyPath, reason: str, remedy: str) -> AuditFinding:
        """A finding at a key of the rulebook."""
        # the key may be in a file that is included, or come from a kind that this one is `like`
        source = self.book.source
        problem = source.problem(stated_place(source, where), reason)
        return AuditFinding(name, problem.file or "", problem.line, problem.key or "", reason, remedy)

    def boxes(self, role: str | None = None) -> Iterator[tuple[Kind, Box, KeyPath]]:
        """Every box of a role, or of any, with its kind and key path."""
        for kind in self.rules.kinds.values():
            for box in kind.boxes:
                if role is None or box.role == role:
                    yield kind, box, ("kinds", kind.name, "boxes", box.name)

    def shows(self, kind: str | None) -> bool:
        """Whether the recording has an actor of a kind."""
        return self.recording is not None and any(actor.kind == kind for actor in self.recording.actors)

    @cached_property
    def catalog(self) -> BoxCatalog:
        """The rules' boxes and forms."""
        return BoxCatalog.of(self.rules)

    @cached_property
    def ledger(self) -> Ledger:
        """The recording's ledger."""
        assert self.recording is not None
        return replay(self.rules, self.recording)

    @cached_property
    def kinds(self) -> Ints:
        """(poses,) the place of each pose's kind among the rulebook's."""
        assert self.recording is not None
        number = self.catalog.kind_number
        own = np.array([number[actor.kind] for actor in self.recording.actors], dtype=np.int64)
        kinds: Ints = own[self.recording.poses.actor]
        return kinds


Check = Callable[[AuditedBook], Iterator[AuditFinding]]
