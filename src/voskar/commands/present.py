"""Tables and lines for a terminal: readable at 80 and 120 columns, with and without colour."""

from __future__ import annotations

import sys
from collections.abc import Iterable

from rich.console import Console
from rich.table import Table
from rich.text import Text

WIDE = 100  # columns from which there is room for more than what is needed


def console() -> Console:
    """Where tables go. Without a terminal there is no colour, and lines are 80 wide unless COLUMNS says more."""
    # names and titles from files are data: no markup, no emoji codes
    return Console(file=sys.stdout, highlight=False, markup=False, emoji=False, soft_wrap=False)


def outcome(name: str | None) -> Text:
    """An outcome in its colour."""
    from voskar.core.judging.outcomes import STYLES  # the core is not needed for --help

    return Text(name or "", STYLES.get(name or "", ""))


def table(title: str, columns: Iterable[tuple[str, str]]) -> Table:
    """A plain table without frame. Columns are (heading, "left" or "right")."""
    result = Table(
        title=title,
        title_justify="left",
        title_style="bold",
        box=None,
        pad_edge=False,
        header_style="dim",
        padding=(0, 2, 0, 0),
    )
    for heading, side in columns:
        result.add_column(heading, justify="right" if side == "right" else "left", overflow="fold")
    return result


def number(value: float | None) -> str:
    """A number as short as it can be told, nothing for None."""
    return "" if value is None else f"{round(value, 6):g}"


def span(first: int, last: int | None) -> str:
    """`212`, or `213-272` for more than one frame."""
    return str(first) if last is None or last == first else f"{first}-{last}"


def shortened(text: str, length: int) -> str:
    """A text with its middle left out where it is longer."""
    if len(text) <= length:
        return text
    left = (length - 1) // 2
    return f"{text[:left]}…{text[len(text) - (length - 1 - left) :]}"


def count(amount: int, thing: str, things: str | None = None) -> str:
    """`1 hit`, `2 hits`."""
    return f"{amount:,} {thing if amount == 1 else things or thing + 's'}"
