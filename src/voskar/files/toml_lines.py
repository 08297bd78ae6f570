"""Where each key of a TOML text stands: the parsers at hand give values but no lines.

Only ever run on text that a real parser has accepted, so it looks for structure and checks nothing.
"""

from __future__ import annotations

Path = tuple[str | int, ...]


def key_lines(text: str) -> dict[Path, int]:
    """Line (from 1) of every table, key and array element, by its path; list places are integers."""
    return _Scanner(text).run()


class _Scanner:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.line = 1
        self.lines: dict[Path, int] = {}
        self.counts: dict[Path, int] = {}  # arrays of tables: elements seen so far

    def run(self) -> dict[Path, int]:
        table: Path = ()
        while self._skip(" \t\r\n"):
            if self._peek() == "[":
                table = self._header()
            else:
                self._pair(table)
        return self.lines

    def _peek(self, width: int = 1) -> str:
        return self.text[self.at : self.at + width]

    def _take(self, width: int = 1) -> str:
        taken = self.text[self.at : self.at + width]
        self.line += taken.count("\n")
        self.at += width
        return taken

    def _skip(self, blank: str) -> bool:
        """Passes over blanks and comments; False at the end of the text."""
        while self.at < len(self.text):
            if self._peek() == "#":
                end = self.text.find("\n", self.at)
                self.at = len(self.text) if end < 0 else end
            elif self._peek() in blank:
                self._take()
            else:
                return True
        return False

    def _mark(self, path: Path) -> None:
        for depth in range(1, len(path) + 1):
            self.lines.setdefault(path[:depth], self.line)

    def _header(self) -> Path:
        array = self._peek(2) == "[["
        self._take(2 if array else 1)
        keys = self._keys("]")
        self._take(2 if array else 1)
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

    def _keys(self, end: str) -> list[str]:
        """A dotted key up to `end`, which is left standing."""
        keys = []
        while True:
            self._skip(" \t")
            if self._peek() in "\"'":
                keys.append(self._string())
            else:
                start = self.at
                while self._peek() not in (".", end, " ", "\t"):
                    self._take()
                keys.append(self.text[start : self.at])
            self._skip(" \t")
            if self._peek() != ".":
                return keys
            self._take()

    def _pair(self, table: Path) -> None:
        path: Path = (*table, *self._keys("="))
        self._mark(path)
        self._take()
        self._value(path)

    def _value(self, path: Path) -> None:
        self._skip(" \t")
        first = self._peek()
        if first in "\"'":
            self._string()
        elif first == "[":
            self._take()
            index = 0
            while self._skip(" \t\r\n,") and self._peek() != "]":
                self._mark((*path, index))
                self._value((*path, index))
                index += 1
            self._take()
        elif first == "{":
            self._take()
            while self._skip(" \t\r\n,") and self._peek() != "}":
                self._pair(path)
            self._take()
        else:
            while self.at < len(self.text) and self._peek() not in ",]}#\n":
                self._take()

    def _string(self) -> str:
        quote = self._peek()
        mark = quote * 3 if self._peek(3) == quote * 3 else quote
        self._take(len(mark))
        start = self.at
        while self.at < len(self.text):
            if self._peek() == "\\" and quote == '"':
                self._take(2)
            elif self._peek(len(mark)) == mark:
                while len(mark) == 3 and self._peek(4) == quote * 4:  # quotes may stand right before the end
                    self._take()
                break
            else:
                self._take()
        content = self.text[start : self.at]
        self._take(len(mark))
        return content
