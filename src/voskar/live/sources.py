"""Where lines come from while a game is running: a file that grows, standard input, or a connection.

A thread reads, so that a look at what has come never keeps the game waiting.
"""

from __future__ import annotations

import os
import queue
import socket
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO, NamedTuple

from voskar.errors import InputError, Problem
from voskar.files.reading import plain_errors

PAUSE = 0.05
"""Seconds between two looks at a file."""
PIECE = 1 << 16
LONGEST = 1 << 28
"""Bytes of a line at most."""


class Began(NamedTuple):
    """Another recording begins: a file was cut short or replaced, or a connection was made."""

    saved: Path | None
    """Where it is kept, if it is not a file anyway."""


class Ended(NamedTuple):
    """Nothing more comes. `error` says why, if it is no ordinary end."""

    error: str | None = None


Arrived = list[bytes] | Began | Ended


class WholeLines:
    """Whole lines out of pieces; a line that is cut off waits for the rest."""

    def __init__(self) -> None:
        self._rest: list[bytes] = []

    def take(self, piece: bytes) -> list[bytes]:
        """The lines that are whole with this piece."""
        head, end, tail = piece.rpartition(b"\n")
        if not end:
            self._rest.append(tail)
            if sum(map(len, self._rest)) > LONGEST:
                self._rest.clear()
            return []
        whole = b"".join([*self._rest, head])
        self._rest = [tail] if tail else []
        return [line for line in whole.split(b"\n") if line.strip()]


class LiveSource:
    """Lines, as they come, out of a thread of its own."""

    def __init__(self) -> None:
        self._arrived: queue.SimpleQueue[Arrived] = queue.SimpleQueue()
        self.over = threading.Event()

    def start(self) -> None:
        """Begins to read."""
        threading.Thread(target=self._guarded, daemon=True).start()

    def arrived(self, wait: float) -> Iterator[Arrived]:
        """The data that has come, after at most so many seconds without anything."""
        with suppress(queue.Empty):
            yield self._arrived.get(timeout=wait)
            while True:
                yield self._arrived.get_nowait()

    def _guarded(self) -> None:
        try:
            self._read()
            self._arrived.put(Ended())
        except OSError as error:
            self._arrived.put(Ended(str(error)))

    def _read(self) -> None:
        raise NotImplementedError


class GrowingFile(LiveSource):
    """A file that a game appends to, from its beginning. A missing file is waited for; a file that gets shorter, or is
    replaced, is another recording."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.path = path

    def _read(self) -> None:
        while not self.over.is_set():
            if not self.path.exists():
                time.sleep(PAUSE)
                continue
            self._arrived.put(Began(None))
            with self.path.open("rb") as file:
                self._follow(file)

    def _follow(self, file: BinaryIO) -> None:
        """Reads a file until it is another one."""
        lines, own = WholeLines(), os.fstat(file.fileno())
        while not self.over.is_set():
            if piece := file.read(PIECE):
                if found := lines.take(piece):
                    self._arrived.put(found)
                continue
            time.sleep(PAUSE)
            try:
                now = self.path.stat()
            except FileNotFoundError:
                continue
            if now.st_ino != own.st_ino or now.st_size < file.tell():
                return


class Saved(LiveSource):
    """A stream that is kept in a file as it comes."""

    def __init__(self, save: Path | None) -> None:
        super().__init__()
        self._save, self._made = save, 0
        self._folder = tempfile.TemporaryDirectory(prefix="voskar-live-") if save is None else None

    def _next_path(self) -> Path:
        """The file of the next recording: the one that was asked for, then others next to it."""
        self._made += 1
        path = self._save or Path(self._folder.name if self._folder else ".") / "live.jsonl"
        return path if self._made == 1 else path.with_name(f"{path.stem}-{self._made}{path.suffix}")

    @contextmanager
    def _kept(self) -> Iterator[BinaryIO]:
        path = self._next_path()
        with path.open("wb") as file:
            self._arrived.put(Began(path))
            yield file

    def _keep(self, file: BinaryIO, lines: WholeLines, piece: bytes) -> None:
        file.write(piece)
        file.flush()
        if found := lines.take(piece):
            self._arrived.put(found)


class Pipe(Saved):
    """Standard input."""

    def _read(self) -> None:
        lines = WholeLines()
        with self._kept() as file:
            while piece := os.read(sys.stdin.fileno(), PIECE):
                self._keep(file, lines, piece)


class Listener(Saved):
    """A door on this machine that a game connects to; one game at a time, and each connection is a recording."""

    def __init__(self, host: str, port: int, save: Path | None) -> None:
        """Raises InputError where listening is not allowed."""
        super().__init__(save)
        try:
            self._door = socket.create_server((host, port), backlog=1)
        except (OSError, OverflowError) as error:
            raise InputError(Problem(f"cannot listen: {error}", key="--listen")) from None
        self._door.settimeout(0.2)
        self.address = self._door.getsockname()[:2]

    def _read(self) -> None:
        while not self.over.is_set():
            try:
                connection, _ = self._door.accept()
            except TimeoutError:
                continue
            with connection, self._kept() as file, suppress(ConnectionError):
                lines = WholeLines()
                connection.settimeout(0.2)
                while not self.over.is_set():
                    try:
                        piece = connection.recv(PIECE)
                    except TimeoutError:
                        continue
                    if not piece:
                        break
                    self._keep(file, lines, piece)


def source_of(path: str | None, listen: tuple[str, int] | None, save: Path | None) -> LiveSource:
    """The source that the arguments ask for: a file, "-" for standard input, or an address to listen at. Raises
    InputError."""
    if save is not None:
        with plain_errors(save):
            save.open("ab").close()
    if listen is not None:
        return Listener(*listen, save)
    if path == "-":
        return Pipe(save)
    return GrowingFile(Path(path or ""))
