"""Words that are worded alike everywhere."""

from __future__ import annotations

import shlex
from collections.abc import Iterable

from voskar.errors import printable


def counted(amount: int, thing: str, things: str | None = None) -> str:
    """`1 hit`, `2 hits`, `12,000 frames`."""
    return f"{amount:,} {thing if amount == 1 else things or thing + 's'}"


def command_line(words: Iterable[str]) -> str:
    """A command as a shell takes it, in one line: words that are no plain text as bash and its like write them."""
    return " ".join(_word(word) for word in words)


def _word(word: str) -> str:
    if printable(word) == word:
        return shlex.quote(word)
    return "$'" + printable(word.replace("\\", "\\\\").replace("'", "\\'")) + "'"
