"""Which rules of a suite's rulebooks its recordings exercised, with the line that each stands in."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.views.coverage import GROUPS, exercised, rules_of

if TYPE_CHECKING:
    from voskar.files.rulebook import Rulebook


@dataclass(frozen=True)
class Covered:
    """One rule, where it is, and how often it was exercised. `file` and `line` are None for gates."""

    group: str
    name: str
    file: str | None
    line: int | None
    count: int


def covered(book: Rulebook, recording: Recording, ledger: Ledger) -> list[Covered]:
    """Every rule of a rulebook, and what one recording made of it."""
    rules = book.rules(recording.rate)
    counts = exercised(rules, recording, ledger)
    found = []
    for rule in rules_of(rules):
        file, line = book.source.place(rule.path) if rule.path else (None, None)
        found.append(Covered(rule.group, rule.name, file, line, counts[rule.group, rule.name]))
    return found


def joined(coveredses: Iterable[Sequence[Covered]]) -> list[Covered]:
    """Several recordings together. Rulebooks share a rule if they share the line that it stands in."""
    found: dict[tuple[str, str, str | None, int | None], Covered] = {}
    for each in coveredses:
        for entry in each:
            key = entry.group, entry.name, entry.file, entry.line
            found[key] = replace(entry, count=entry.count + (found[key].count if key in found else 0))
    return sorted(found.values(), key=lambda item: GROUPS.index(item.group))


def percent(rules: Sequence[Covered]) -> float:
    """The share of rules that were exercised at all, in percent; 100 where there are none."""
    return 100.0 * sum(rule.count > 0 for rule in rules) / len(rules) if rules else 100.0


@dataclass(frozen=True)
class Coverage:
    """The rules of a suite, and how many percent of them have to be exercised at least; None: any."""

    rules: Sequence[Covered]
    least: float | None

    @property
    def ok(self) -> bool:
        """Enough of them were."""
        return self.least is None or percent(self.rules) >= self.least

    @property
    def text(self) -> str:
        """In one line."""
        met = sum(rule.count > 0 for rule in self.rules)
        least = "" if self.least is None else f", at least {self.least:g} % is asked for"
        return f"{met} of {len(self.rules)} rules exercised, {percent(self.rules):.1f} %{least}"

    def plain(self) -> dict[str, object]:
        """The machine form."""
        rules = [vars(rule) for rule in self.rules]
        return {"percent": round(percent(self.rules), 3), "least": self.least, "ok": self.ok, "rules": rules}

    def never(self) -> Iterator[str]:
        """`file:line: never exercised: …`, one for each rule that was not."""
        for rule in self.rules:
            if not rule.count:
                place = "" if rule.file is None else f"{rule.file}:{rule.line}: "
                yield f"{place}never exercised: {rule.group} {rule.name}"
