"""Findings that a suite accepts for now: they are counted and do not fail."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date

from voskar.files.suite import Known
from voskar.suite.results import Fault, Result


class KnownFindings:
    """The known findings of a suite on a day, and which of them have been met."""

    def __init__(self, known: Sequence[Known], today: date) -> None:
        self.today = today
        self._met = dict.fromkeys(known, 0)

    def accept(self, result: Result) -> Result:
        """The result, with the faults that are known counted apart."""
        known: list[Fault] = []
        left: list[Fault] = []
        for fault in result.faults:
            matches = [entry for entry in self._met if _fits(entry, fault)]
            for match in matches:
                self._met[match] += 1
            if any(match.until is None or self.today <= match.until for match in matches):
                known.append(fault)
            else:
                # it fails again, with the reason that was once good enough
                past = "".join(f" (was known until {match.until}: {match.reason})" for match in matches)
                left.append(replace(fault, text=f"{fault.text}{past}"))
        if not known:
            return replace(result, faults=tuple(left))
        causes = {fault.cause for fault in left}
        # an explanation of known findings alone would seem to be news
        explained = tuple(explanation for explanation in result.explanations if explanation.cause in causes)
        counts = f"{result.counts}, {len(known)} known"
        return replace(result, faults=tuple(left), known=tuple(known), explanations=explained, counts=counts)

    def gone(self) -> list[Known]:
        """The known findings that no result had."""
        return [entry for entry, count in self._met.items() if not count]


def _fits(known: Known, fault: Fault) -> bool:
    return (
        known.code == fault.code
        and (known.attacker is None or known.attacker in fault.attacker)
        and (known.target is None or known.target in fault.target)
        and (known.key is None or fault.key == known.key or fault.key.startswith(f"{known.key}."))
    )
