"""The one root of Voskar's own errors. Where it went wrong is data, not text."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\ud800-\udfff]")
"""Characters that no id or name has: they would reach terminals and reports, or cannot be written at all."""
SHOWN = 20  # problems printed before the rest is only counted


@dataclass(frozen=True)
class Problem:
    """One thing wrong with an input.

    `line` and `row` count from 1. `key` is a dotted path in a rulebook or a field of a recording;
    `frame` the frame it was found in. `hint` is what to try: the nearest known name, or a remedy.
    """

    message: str
    file: str | None = None
    line: int | None = None
    row: int | None = None
    frame: int | None = None
    key: str | None = None
    hint: str | None = None

    def __str__(self) -> str:
        place = self.file or ""
        if self.line is not None:
            place += f":{self.line}"
        elif self.row is not None:
            place += f": row {self.row}"
        where = [place] if place else []
        if self.frame is not None:
            where.append(f"frame {self.frame}")
        if self.key:
            where.append(cut(self.key))
        text = ": ".join([*where, cut(self.message)])
        return f"{text} ({self.hint})" if self.hint else text


LONG = 80
"""Characters of a value that are echoed."""


def cut(text: str) -> str:
    """A message in which values from files are no longer than they need to be."""
    text = re.sub(r'"([^"]{81,})"', lambda match: f'"{match[1][:LONG]}…"', text)
    return re.sub(r"[^\s\"]{161,}", lambda match: f"{match[0][:LONG]}…", text)


class VoskarError(Exception):
    """Root of all errors that are the input's or the user's, not Voskar's own."""


class InputError(VoskarError):
    """One or more problems in what was given; every one of them is told."""

    def __init__(self, problems: Problem | Sequence[Problem]) -> None:
        self.problems: tuple[Problem, ...] = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__(str(self))

    def __reduce__(self) -> tuple[type[InputError], tuple[tuple[Problem, ...]]]:
        """What was given, not its text: errors come out of other processes too."""
        return type(self), (self.problems,)

    def __str__(self) -> str:
        lines = [str(problem) for problem in self.problems[:SHOWN]]
        if len(self.problems) > SHOWN:
            lines.append(f"and {len(self.problems) - SHOWN} more problems")
        return "\n".join(lines)


def nearest(name: str, known: Iterable[str]) -> str | None:
    """A hint that names the known word closest to `name`, or lists the words when they are few."""
    words = sorted(known)
    close = difflib.get_close_matches(name, words, n=1, cutoff=0.5)
    if close:
        return f'did you mean "{close[0]}"?'
    if 0 < len(words) <= 12:
        return "known: " + ", ".join(words)
    return None
