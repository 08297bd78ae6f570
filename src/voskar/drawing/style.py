"""Looks: line, hatch and mark tell things apart first, colour second. Colours keep apart in grey."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from voskar.core.judging.outcomes import MARKS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

PAPER, INK, FAINT, GRID, MUZZLE, CLAIM = "#fbfaf7", "#22252b", "#8b8f98", "#e4e2dc", "#5b3f8c", "#1d6b3a"


Dashes = Literal["solid"] | tuple[float, tuple[float, ...]]


@dataclass(frozen=True)
class Look:
    """Line colour, fill, hatch, dashes and width of a role."""

    line: str
    fill: str
    hatch: str
    dashes: Dashes
    width: float


ROLES = {
    "hitbox": Look("#a3360b", "#f3c9a5", "////", "solid", 1.9),
    "hurtbox": Look("#175a8c", "#d3e6f2", "", (0, (5, 2)), 1.6),
    "body": Look("#6b6f78", "none", "", (0, (1, 2)), 1.1),
}


SOLID = Look(FAINT, GRID, "..", "solid", 1.0)

BOUNCED, PIVOT = "2", "x"
"""Signs of where an actor bounced, and of what a muzzle turned about."""

MARKED = 1.5
"""Width of a mark's line."""

TOUCHING: Dashes = (0, (1, 1))
"""The line of a swept box at the time of its touch."""

VECTOR: dict[str, Any] = {"Date": None}
PICTURE = {"compress_level": 2}
"""Options of SVG and PNG: without a date the same picture gives the same bytes; compression gains little."""


def mark(outcome: str | None) -> str:
    """The mark of an outcome; only that of `landed` is filled."""
    return MARKS.get(outcome or "", "D")


def name_alike() -> None:
    """Gives the names inside an SVG the same values each time, or the same picture would have other bytes."""
    import matplotlib

    matplotlib.rcParams["svg.hashsalt"] = "voskar"


def save(figure: Figure, path: Path, ending: str) -> None:
    """Writes a picture: "png" or "svg"."""
    name_alike()
    fields = {"metadata": VECTOR} if ending == "svg" else {"pil_kwargs": PICTURE}
    figure.savefig(path, format=ending, **fields)
