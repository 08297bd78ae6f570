"""What became of the recordings of a suite."""

from __future__ import annotations

from dataclasses import dataclass

from voskar.suite.coverage import Covered


@dataclass(frozen=True)
class Fault:
    """One thing that a recording was found to do wrong, in words. `file` and `line` where a source line is known; `why`
    is the command that tells the gates behind it. Faults of one `cause` are alike."""

    sort: str
    frame: int | None
    text: str
    file: str | None = None
    line: int | None = None
    why: str | None = None
    cause: str = ""

    @property
    def against(self) -> str:
        """What it is held against: "rules", "expectations", "baseline" or "audit"."""
        return {"expectation": "expectations", "baseline": "baseline", "audit": "audit"}.get(
            self.sort.partition("-")[0], "rules"
        )


@dataclass(frozen=True)
class Result:
    """What became of one job. `error` is what kept it from being checked at all; `patterns` tell faults alike once."""

    name: str
    frames: int
    counts: str
    faults: tuple[Fault, ...]
    patterns: tuple[str, ...] = ()
    error: str | None = None
    covered: tuple[Covered, ...] = ()
    page: str | None = None
    """Where a page of it was written."""
    is_audit: bool = False
    """Of a rulebook, not of a recording."""

    @property
    def ok(self) -> bool:
        """Nothing is wrong."""
        return not self.faults and self.error is None
