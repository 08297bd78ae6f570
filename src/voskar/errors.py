"""The one root of Voskar's own errors. Where it went wrong is data, not text."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")
"""Characters that no id or name has: terminals obey them, they end lines or turn the order of what follows round, or
they cannot be written at all."""
OBEYED = re.compile(r"##(?=\w*\[)")
"""Text that some build servers take for a command, wherever in a line it stands."""
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
        place = path_text(self.file or "")
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
        return printable(f"{text} ({self.hint})" if self.hint else text)


def first_line(error: Exception) -> str:
    """The first line of what a library says, its type where it says nothing."""
    return str(error).split("\n")[0] or type(error).__name__


LONG = 80
"""Characters of a value that are echoed."""


def printable(text: str) -> str:
    """Text from outside as terminals and reports may have it: in one line, each control character as its escape. A byte
    of a file name that is no character stands as it was."""

    def escape(match: re.Match[str]) -> str:
        code = ord(match[0])
        code = code - 0xDC00 if 0xDC80 <= code <= 0xDCFF else code
        short = {9: "\\t", 10: "\\n", 13: "\\r"}
        return short.get(code) or (f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}")

    return CONTROL.sub(escape, OBEYED.sub("# #", text))


def path_text(path: str) -> str:
    """The name of a file as a line may begin with it: no build server takes it for a command."""
    return printable(path if path[:1] not in ("#", ":") else f"./{path}")


def cut(text: str) -> str:
    """A message in which values from files are no longer than they need to be."""
    text = re.sub(r'"([^"]{81,})"', lambda match: f'"{match[1][:LONG]}…"', text)
    return re.sub(r"[^\s\"]{161,}", lambda match: f"{match[0][:LONG]}…", text)


class VoskarError(Exception):
    """Root of all errors that are the input's or the user's, not Voskar's own."""


class InputError(VoskarError):
    """One or more problems in a file or an option: `problems` has each with its place and a hint.

    >>> import voskar
    >>> try:
    ...     voskar.load_rulebook("meadow.toml")
    ... except voskar.InputError as error:
    ...     print(error.problems[0].message)
    no such file
    """

    def __init__(self, problems: Problem | Sequence[Problem]) -> None:
        self.problems: tuple[Problem, ...] = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__(str(self))

    def __reduce__(self) -> tuple[type[InputError], tuple[tuple[Problem, ...]]]:
        """Keeps the problems, not the text: errors come out of other processes too."""
        return type(self), (self.problems,)

    def __str__(self) -> str:
        lines = [str(problem) for problem in self.problems[:SHOWN]]
        if len(self.problems) > SHOWN:
            lines.append(f"and {len(self.problems) - SHOWN} more problems")
        return "\n".join(lines)


RENAMED: Mapping[str, str] = {
    "striker": "attacker",
    "spent": "consumed",
    "effect": "spawn",
    "rebound": "launch",
    "rebound_mode": 'launch = { up = …, mode = "add" }',
    "only_from": "if.from",
    "never_from": "if.not_from",
    "only_onto": "if.onto",
    "from_by": "if.from_by",
    "slack": "if.slack",
    "falling": "if.falling",
    "requires": 'if.counters, in attacks if.attacker.counters, as in { wax = ">= 1" }',
    "lacks": 'if.counters, in attacks if.attacker.counters, as in { wax = "< 1" }',
    "sort": "code",
    "moved": "hit-moved",
    "denied": "hit-denied",
    "unclaimed": "hit-missing",
    "damage": "hit-damage",
    "attack": "hit-attack",
    "told-moved": "event-moved",
    "told-denied": "event-denied",
    "told-unlogged": "event-missing",
    "told-other": "event-values",
    "spawn-unfired": "spawn-unexpected",
    "walks": "down-moves",
    "acts": "down-acts",
    "clip": "down-clip",
    "seen": "down-long",
    "gone-early": "down-short",
    "still-there": "still-active",
    "past-edge": "outside",
    "jump": "teleport",
    "unordered": "unexplained-motion",
    "immune": "state-immune",
    "stunned": "state-stunned",
    "box": "box-moved",
}
"""Names of version 1 of the formats, each with the name that it has now."""


def renamed(name: str, known: Iterable[str]) -> str | None:
    """The new spelling of a name of version 1, if it is one of the known words, or a key of one."""
    new = RENAMED.get(name)
    return new if new is not None and re.split(r"[. ]", new)[0] in known else None


def nearest(name: str, known: Iterable[str]) -> str | None:
    """A hint: the new spelling of an old name, or the known word closest to `name`, or the words when they are few."""
    words = sorted(known)
    new = renamed(name, words)
    if new is not None:
        return f"it is now {new}" if " " in new else f'it is now "{new}"'
    close = difflib.get_close_matches(name, words, n=1, cutoff=0.5)
    if close:
        return f'did you mean "{close[0]}"?'
    if 0 < len(words) <= 12:
        return "known: " + ", ".join(words)
    return None
