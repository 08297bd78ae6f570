"""Where each key of a TOML text stands: the parsers at hand give values but no lines.

Only ever run on text that a real parser has accepted, so it looks for structure and checks nothing.
"""

from __future__ import annotations

import re
from bisect import bisect_left

Path = tuple[str | int, ...]


def key_lines(text: str) -> dict[Path, int]:
    """Line (from 1) of every table, key and array element, by its path; list places are integers."""
    return _Scanner(text).run()


_STRING = re.compile(
    r'"""(?:\\.|[^\\])*?"{3,5}(?!")'  # quotes may stand right before the end
    r"|'''.*?'{3,5}(?!')"
    r'|"((?:\\.|[^"\\])*)"'
    r"|'([^']*)'",
    re.DOTALL,
)
_INDENT = re.compile(r"(?:[ \t]|#[^\n]*)*")
_BLANK = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_BETWEEN = re.compile(r"(?:[ \t\r\n,]|#[^\n]*)*")
"""What may stand between two values."""
_BARE = re.compile(r"[^.=\] \t]*")
_PLAIN = re.compile(r"[^,\]}#\n]*")
"""A value that is no text, array or table."""


class _Scanner:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.breaks = [found.start() for found in re.finditer("\n", text)]
        self.lines: dict[Path, int] = {}
        self.counts: dict[Path, int] = {}  # arrays of tables: elements seen so far

    def run(self) -> dict[Path, int]:
        table: Path = ()
        while self._skip(_BLANK):
            if self._peek() == "[":
                table = self._header()
            else:
                self._pair(table)
        return self.lines

    def _peek(self, width: int = 1) -> str:
        return self.text[self.at : self.at + width]

    def _take(self, pattern: re.Pattern[str]) -> re.Match[str]:
        """What matches a pattern here, which is passed over."""
        found = pattern.match(self.text, self.at)
        assert found is not None
        self.at = found.end()
        return found

    def _skip(self, blank: re.Pattern[str]) -> bool:
        """Passes over blanks and comments; False at the end of the text."""
        self._take(blank)
        return self.at < len(self.text)

    def _mark(self, path: Path) -> None:
        line = bisect_left(self.breaks, self.at) + 1
        for depth in range(1, len(path) + 1):
            self.lines.setdefault(path[:depth], line)

    def _header(self) -> Path:
        array = self._peek(2) == "[["
        self.at += 2 if array else 1
        keys = self._keys()
        self.at += 2 if array else 1
        path = self._resolve(keys)
        if array:
            index = self.counts.get(path, 0)
            self.counts[path] = index + 1
            path = (*path, index)
        self._mark(path)
        return path

    def _resolve(self, keys: list[str]) -> Path:
        """A header's path: names of arrays of tables stand for their last element."""
        path: Path = ()
        for position, key in enumerate(keys):
            path = (*path, key)
            if path in self.counts and position < len(keys) - 1:
                path = (*path, self.counts[path] - 1)
        return path

    def _keys(self) -> list[str]:
        """A dotted key up to what ends it, which is left standing."""
        keys = []
        while True:
            self._skip(_INDENT)
            found = self._take(_STRING if self._peek() in "\"'" else _BARE)
            keys.append(next((text for text in found.groups() if text is not None), found[0]))
            self._skip(_INDENT)
            if self._peek() != ".":
                return keys
            self.at += 1

    def _pair(self, table: Path) -> None:
        path: Path = (*table, *self._keys())
        self._mark(path)
        self.at += 1
        self._value(path)

    def _value(self, path: Path) -> None:
        self._skip(_INDENT)
        first = self._peek()
        if first in "\"'":
            self._take(_STRING)
        elif first == "[":
            self.at += 1
            index = 0
            while self._skip(_BETWEEN) and self._peek() != "]":
                self._mark((*path, index))
                self._value((*path, index))
                index += 1
            self.at += 1
        elif first == "{":
            self.at += 1
            while self._skip(_BETWEEN) and self._peek() != "}":
                self._pair(path)
            self.at += 1
        else:
            self._take(_PLAIN)
