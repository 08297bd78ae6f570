"""Tables and lines for a terminal: readable at 80 and 120 columns, with and without colour."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

from voskar.errors import printable

if TYPE_CHECKING:  # a picture needs none of it, and it takes time to import
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

SHORTEST = 7  # characters that are left of an id
WIDE = 100  # columns from which there is room for extra detail


def say(*lines: str, err: bool = False) -> None:
    """Prints each text as one line."""
    import click

    for line in lines:
        click.echo(printable(line), err=err)


def shown(value: Any) -> Any:
    """The value to print, with text from outside made printable. A text in several styles that had to be changed has
    one style."""
    from rich.padding import Padding
    from rich.text import Text

    if isinstance(value, str):
        # Each line is cleaned by itself: a line break is the only control character that belongs here.
        return "\n".join(map(printable, value.split("\n")))
    # Its styles refer to places in the text, which cleaning moves.
    if isinstance(value, Text) and shown(value.plain) != value.plain:
        return Text(shown(value.plain), value.style, justify=value.justify, overflow=value.overflow)
    if isinstance(value, Padding):
        value.renderable = shown(value.renderable)
    return value


def console() -> Console:
    """Where tables go. Without a terminal there is no colour, and lines are 80 wide unless COLUMNS says more."""
    from rich.console import Console

    class SafeConsole(Console):
        """Prints text from files as data."""

        def print(self, *objects: Any, **fields: Any) -> None:
            super().print(*map(shown, objects), **fields)

    # without this, an id such as [red] or :bee: would be printed as a style or a picture
    return SafeConsole(file=sys.stdout, highlight=False, markup=False, emoji=False, soft_wrap=False)


def outcome(name: str | None) -> Text:
    """An outcome in its colour."""
    from rich.text import Text

    from voskar.core.judging.outcomes import STYLES  # the core is not needed for --help

    return Text(name or "", STYLES.get(name or "", ""))


def table(title: str, columns: Iterable[tuple[str, str]]) -> Table:
    """A plain table without frame. Columns are (heading, "left" or "right")."""
    from rich.table import Table

    class SafeTable(Table):
        """Has text from files as data."""

        def add_row(self, *cells: Any, **fields: Any) -> None:
            super().add_row(*map(shown, cells), **fields)

    result = SafeTable(
        title=printable(title),
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
    """A number as short as it can be reported, nothing for None."""
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


def fitted(
    title: str,
    columns: Sequence[tuple[str, str]],
    rows: Sequence[Sequence[str | Text]],
    spare: str,
    ids: Sequence[str],
    width: int,
) -> tuple[Table, int]:
    """A table so wide that no cell is broken: if its rows do not fit, the `spare` column is left out; if they still do
    not, those of `ids` are shortened in the middle. With it the width at which all ids are whole, 0 if they are."""
    # A cell in two styles is as wide as its plain text.
    most = [max(map(len, (head, *(str(row[at]) for row in rows)))) for at, (head, _) in enumerate(columns)]
    if sum(most) + 2 * len(most) - 2 > width:
        at = next(place for place, (head, _) in enumerate(columns) if head == spare)
        columns, most = [*columns[:at], *columns[at + 1 :]], [*most[:at], *most[at + 1 :]]
        rows = [[*row[:at], *row[at + 1 :]] for row in rows]
    whole = over = sum(most) + 2 * len(most) - 2
    over -= width
    limits = {place: most[place] for place, (head, _) in enumerate(columns) if head in ids}
    # The longest id loses a character first, so that short ids stay whole.
    while over > 0 and max(limits.values()) > SHORTEST:
        limits[max(limits, key=lambda at: limits[at])] -= 1
        over -= 1
    result = table(title, columns)
    for row in rows:
        result.add_row(
            *(
                shortened(name, limits[at]) if at in limits and isinstance(name, str) else name
                for at, name in enumerate(row)
            )
        )
    return result, whole if any(limits[at] < most[at] for at in limits) else 0
