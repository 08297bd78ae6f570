"""A recording that grows: judged as far as it has come, run by run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from time import process_time
from typing import Any, Literal, NamedTuple

import msgspec
import numpy as np

from voskar.core.adopt import Windows
from voskar.errors import InputError, Problem
from voskar.evidence.check import Verdict, check
from voskar.evidence.finding import Finding
from voskar.evidence.tolerance import TOLERANCE
from voskar.explaining.tried import Mark, mark
from voskar.files.columns import ColumnBuilder
from voskar.files.header import meaning, read_header
from voskar.files.json_lines import LineReader
from voskar.files.kept import ReadyRulebook
from voskar.files.windows import parse_windows


class News(NamedTuple):
    """What a look at a recording has brought: root findings that were not there before, each with those that follow
    from it, and findings that were told and are none."""

    found: tuple[tuple[Finding, tuple[Finding, ...]], ...] = ()
    withdrawn: tuple[Finding, ...] = ()


@dataclass(frozen=True)
class LiveTally:
    """What has come of a recording so far. `findings` are the roots that have been told and not withdrawn."""

    frames: int = 0
    claims: int = 0
    agreed: int = 0
    findings: int = 0


class Session:
    """Judges frames as they come. It looks at everything since the last `run` mark each time, so that what it tells is
    what `check` tells of the same frames; a finding is told once its window has passed. Frames before a mark are judged
    a last time when the mark comes, and forgotten."""

    def __init__(
        self,
        rulebook: str | Path | ReadyRulebook,
        *,
        within: int | str | Sequence[str] = (),
        tolerance: float = TOLERANCE,
        resync: bool = True,
        name: str = "the game",
    ) -> None:
        """`within` is as for `check`; `name` is what errors call the recording. Raises InputError for a bad rulebook or
        `within`."""
        self.book = rulebook if isinstance(rulebook, ReadyRulebook) else ReadyRulebook(str(rulebook))
        told = [within] if isinstance(within, int | str) else within
        self.windows: Windows = parse_windows(told, "within")
        self.tolerance, self.resync, self.name = tolerance, resync, name
        self.cost = 0.0
        """CPU seconds of the last look."""
        self._begin(None)

    def _begin(self, header: dict[str, Any] | None) -> None:
        self.header = header
        self.line = 0
        self.problem: InputError | None = None
        """What ended the recording; nothing is taken until another one begins."""
        self._before = LiveTally()
        self._reader = LineReader(self.name, lambda told: None)
        self._new_run()
        self._late: list[tuple[Finding, tuple[Finding, ...]]] = []
        self._gone: list[Finding] = []

    def _new_run(self) -> None:
        self._builder = ColumnBuilder(self.name, self.book.kinds, "line")
        self._judged = -1
        self._told: dict[Mark, Finding] = {}
        self._seen = LiveTally()

    @property
    def last(self) -> int:
        """The last frame that has come, -1 before the first."""
        return self._builder.last if self._builder.first is not None else -1

    @property
    def tally(self) -> LiveTally:
        """Of the recording so far, as far as it has been looked at."""
        before, seen = self._before, self._seen
        return LiveTally(
            before.frames + seen.frames,
            before.claims + seen.claims,
            before.agreed + seen.agreed,
            before.findings + len(self._told),
        )

    def feed(self, *frames: Mapping[str, Any] | str | bytes) -> None:
        """Takes frames, each as a dictionary or a line of a recording; a header begins another recording. Raises
        InputError for one that is wrong, and ends the recording there."""
        lines = [one if isinstance(one, bytes) else _line(one) for one in frames]
        found: InputError | None = None
        while lines:
            begins = _begins(lines[0])
            end = next((at for at, line in enumerate(lines[1:], 1) if _begins(line)), len(lines))
            try:
                if begins == "recording":
                    self._begin(None)
                    self.line = 1
                    self.header = read_header(self.name, 1, lines[0])
                    self._take(lines[1:end])
                else:
                    if begins == "run" and self._builder.first is not None and self.problem is None:
                        self._end_run()
                    self._take(lines[:end])
            except InputError as error:
                self.problem = error
                found = found or error
            lines = lines[end:]
        if found is not None:
            raise found

    def _take(self, lines: list[bytes]) -> None:
        if not lines or self.problem is not None:
            return
        before = self.line
        try:
            if self.header is None:
                told = "found a frame, expected the header of a recording first"
                raise InputError(Problem(told, file=self.name, line=before + 1))
            self._add([line.rstrip(b"\n") + b"\n" for line in lines])
        except InputError as error:
            bad = error.problems[0].line
            if bad is not None and self.line < bad - 1 <= before + len(lines):
                self._add(lines[self.line - before : bad - 1 - before])  # those before it are as they should be
            raise

    def _add(self, lines: list[bytes]) -> None:
        """Adds frames, block by block: of one with a mistake nothing."""
        builder, places = self._builder, np.arange(self.line + 1, self.line + len(lines) + 1)
        for block in self._reader.read(lines, places):
            trial = ColumnBuilder(self.name, self.book.kinds, "line")
            trial.first, trial.last = builder.first, builder.last
            trial.add(block)
            builder.add(block)
            self.line = int(block.place[-1])
        self.line = int(places[-1])

    def _end_run(self) -> None:
        """Judges a run that is over as a whole."""
        found = self._look(over=True)
        self._late += found.found
        self._gone += found.withdrawn
        self._before = self.tally
        self._new_run()

    def look(self, *, over: bool = False) -> News:
        """Judges what has come. `over`: nothing more will, so no finding waits for its window to pass."""
        found = self._look(over=over) if self._builder.first is not None else News()
        late, gone = tuple(self._late), tuple(self._gone)
        self._late, self._gone = [], []
        return News((*late, *found.found), (*gone, *found.withdrawn))

    def findings(self) -> list[Finding]:
        """The root findings that have become known since this was last asked. Raises nothing."""
        return [root for root, _ in self.look().found]

    def _look(self, *, over: bool) -> News:
        if self._builder.last == self._judged and not over:
            return News()
        began = process_time()
        assert self.header is not None
        recording = self._builder.finish(**meaning(self.header), fixtures=self.book.fixtures, goes_on=True)
        rules = self.book.rules(recording.rate)
        verdict, _ = check(rules, recording, windows=self.windows, tolerance=self.tolerance, resync=self.resync)
        self._judged = recording.last
        windows = self.windows.at(recording)
        until = recording.last - (0 if over else max(windows.near, windows.widest))
        news = self._news(verdict, until)
        self._seen = LiveTally(recording.last - recording.first + 1, verdict.claims, verdict.agreed)
        self.cost = process_time() - began
        return news

    def _news(self, verdict: Verdict, until: int) -> News:
        roots = {mark(root): (root, follows) for root, follows in verdict.roots if root.frame <= until}
        fresh = tuple(one for key, one in roots.items() if key not in self._told)
        every = {mark(one) for one in verdict.findings}
        gone = tuple(one for key, one in self._told.items() if key not in every)
        self._told = {key: one for key, one in self._told.items() if key in every}
        self._told |= {mark(root): root for root, _ in fresh}
        return News(fresh, gone)


def _line(told: Mapping[str, Any] | str) -> bytes:
    return told.encode() if isinstance(told, str) else msgspec.json.encode(told)


def _begins(line: bytes) -> Literal["recording", "run"] | None:
    """What begins with a line."""
    if b'"voskar"' not in line and b'"reset"' not in line:
        return None
    try:
        told = msgspec.json.decode(line)
    except (msgspec.MsgspecError, UnicodeDecodeError):
        return None
    if not isinstance(told, dict):
        return None
    return "recording" if told.get("voskar") == "recording" else "run" if told.get("reset") == "run" else None
