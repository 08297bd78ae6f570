"""Reads windows of frames: `4`, `0,8`, `hit=0,8 health=0,2`."""

from __future__ import annotations

import re
from collections.abc import Sequence

from voskar.core.adopt import EVIDENCE, Window, Windows
from voskar.errors import InputError, Problem, nearest

MOST = 100_000
"""Frames that a window may be wide."""

_WINDOW = re.compile(r"(?:([A-Za-z_]+)=)?(\d{1,6})(?:,(\d{1,6}))?", re.ASCII)


def parse_windows(texts: Sequence[str | int], key: str = "--within") -> Windows:
    """A window of all evidence, and of kinds of it; each text may hold several, with blanks between them. One number is
    for both sides, two are frames before and after. Raises InputError."""
    every, own = Window(), {}
    for text in texts:
        for piece in str(text).split() or [""]:
            match = _WINDOW.fullmatch(piece)
            if match is None or max(int(match[2]), int(match[3] or 0)) > MOST:
                expected = "expected frames such as 4, 0,8 (before, after) or hit=0,8"
                raise InputError(Problem(f'found "{piece[:80]}", {expected}', key=key))
            window = Window(int(match[2]), int(match[3] if match[3] is not None else match[2]))
            if match[1] is None:
                every = window
            elif match[1] not in EVIDENCE:
                hint = nearest(match[1], EVIDENCE) or f"one of {', '.join(EVIDENCE)}"
                raise InputError(Problem(f'found "{match[1]}", expected a kind of evidence', key=key, hint=hint))
            else:
                own[match[1]] = window
    return Windows(every, own)


def window_words(windows: Windows) -> str:
    """` within 4 frames`, or what the windows are."""

    def words(window: Window) -> str:
        return str(window.before) if window.before == window.after else f"{window.before},{window.after}"

    every = windows.every
    if not windows.own and every.before == every.after:
        return f" within {every.before} frame{'s' * (every.before != 1)}" if every.before else ""
    texts = [words(every)] if any(every) else []
    return f" within {' '.join([*texts, *(f'{evidence}={words(name)}' for evidence, name in windows.own.items())])}"
