"""A recording as a page inside a notebook."""

from __future__ import annotations

from html import escape
from pathlib import Path

from voskar.core.recording import Recording
from voskar.errors import InputError, Problem
from voskar.explaining.weighing import weigh
from voskar.files.recording import load_recording
from voskar.files.rulebook import Rulebook, load_rulebook
from voskar.pages.data import page_data
from voskar.pages.render import render_page


class RecordingView:
    """A page as an object: notebooks show it inline, and `page` is its text."""

    def __init__(self, page: str, height: int) -> None:
        self.page, self.height = page, height

    def _repr_html_(self) -> str:
        """The page in a frame of its own, `height` pixels high."""
        style = f"width: 100%; height: {self.height}px; border: 0"
        return f'<iframe srcdoc="{escape(self.page)}" style="{style}" title="recording"></iframe>'


def show(
    rulebook: Rulebook | str | Path,
    recording: Recording | str | Path,
    frames: tuple[int, int] | None = None,
    *,
    height: int = 720,
) -> RecordingView:
    """The page of `voskar page`, inline in a notebook: the recording with all that `check` finds of it.

    Both may be loaded already or be paths. `frames` are the first and the last frame to show. Raises InputError for bad
    files, or if no frame is left.

    >>> import voskar
    >>> view = voskar.show("apiary.toml", "meadow.jsonl", frames=(200, 300))
    >>> view.page.startswith("<!doctype html>")
    True
    """
    names = [
        str(name) if isinstance(name, str | Path) else own for name, own in ((rulebook, "rulebook"), (recording, ""))
    ]
    book = rulebook if isinstance(rulebook, Rulebook) else load_rulebook(rulebook)
    played = recording if isinstance(recording, Recording) else load_recording(recording, book)
    rules = book.rules(played.rate)
    first, last = (played.first, played.last) if frames is None else frames
    first, last = max(first, played.first), min(last, played.last)
    if first > last:
        raise InputError(Problem(f"expected frames of the recording, {played.first} to {played.last}", key="frames"))
    found = weigh(rules, played, watched_whole=True)
    data = page_data(rules, played, found, (names[0], names[1] or played.title or "recording"), (first, last))
    return RecordingView(render_page(data), height)
