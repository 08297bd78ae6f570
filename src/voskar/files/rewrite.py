"""Writes values into a rulebook, with its comments and order kept."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import tomlkit

from voskar.files.reading import begin, read_text, write_text
from voskar.files.rulebook import Rulebook
from voskar.files.vary import Change, meant


def rewrite(book: Rulebook, changes: Sequence[Change]) -> list[str]:
    """Writes each value where its key stands, in the rulebook or in what it includes; a key that stands nowhere goes
    into the rulebook itself. The files that were written."""
    by_file: dict[str, list[Change]] = {}
    for change in changes:
        file, _ = book.source.place(change.path)
        by_file.setdefault(file or book.path, []).append(change)
    for file, own in by_file.items():
        document: Any = tomlkit.parse(read_text(file))
        for change in own:
            at = document
            for step in change.path[:-1]:
                at = at[step] if isinstance(step, int) or step in at else at.setdefault(step, tomlkit.table())
            at[change.path[-1]] = meant(change.value)
        begin()  # it is meant to replace the file that was read
        write_text(Path(file), tomlkit.dumps(document))
    return sorted(by_file)
