"""Opening what users name, and writing whole files or nothing."""

from __future__ import annotations

import gzip
import os
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from io import BufferedReader, BytesIO
from pathlib import Path
from typing import IO, cast

from voskar.errors import InputError, Problem, nearest
from voskar.files.remote import is_remote, sent

GZIP_MAGIC = b"\x1f\x8b"
LONGEST = 64 << 20
"""Bytes that one line may have: a small file may unpack to a line without end."""

_read: set[Path] = set()
"""What this run of the command has read: output never takes its place."""


def begin() -> None:
    """A run begins: nothing has been read."""
    _read.clear()


def what_was_read() -> frozenset[Path]:
    """The files, and folders of them, that this run has read, links followed."""
    return frozenset(one.resolve() for one in _read)


@contextmanager
def noted() -> Iterator[set[Path]]:
    """The files that are read in the block, as they are named: another may stand behind a link tomorrow."""
    global _read
    outer, _read = _read, set()
    try:
        yield _read
    finally:
        _read = outer | _read


def reads(path: str | Path) -> None:
    """Notes a file that is read, or a folder of them."""
    _read.add(Path(path).absolute())


@contextmanager
def plain_errors(path: str | Path) -> Iterator[None]:
    """Turns what the system says of a file into one clear error."""
    if not str(path):
        raise InputError(Problem("found an empty name, expected that of a file"))
    try:
        yield
    except IsADirectoryError:
        raise InputError(Problem("found a directory, expected a file", file=str(path))) from None
    except FileNotFoundError:
        raise InputError(Problem("no such file", file=str(path), hint=_neighbour(path))) from None
    except PermissionError:
        raise InputError(Problem("no permission to open it", file=str(path))) from None
    except (gzip.BadGzipFile, EOFError):
        raise InputError(Problem("broken or cut off inside its gzip compression", file=str(path))) from None
    except OSError as error:
        raise InputError(Problem((error.strerror or str(error)).lower(), file=str(path))) from None


def _neighbour(path: str | Path) -> str | None:
    """The nearest name beside a file that is not there."""
    folder = Path(path).parent
    try:
        names = [entry.name for entry in folder.iterdir()]
    except OSError:
        return None if str(folder) in (".", "") else f"there is no folder {folder}"
    hint = nearest(Path(path).name, names)
    return hint if hint and hint.startswith("did") else None


def read_text(path: str | Path) -> str:
    """A whole UTF-8 file."""
    reads(path)
    with plain_errors(path):
        if Path(path).exists() and not Path(path).is_file() and not Path(path).is_dir():
            raise InputError(Problem("found a device, expected a file", file=str(path)))
        data = Path(path).read_bytes()
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(Problem("not UTF-8 text", file=str(path), line=line)) from None


class ShortLines:
    """A stream of binary lines that refuses one without end."""

    def __init__(self, stream: IO[bytes], name: str) -> None:
        self._stream, self._name = stream, name

    def readline(self, begun: int = 0) -> bytes:
        """The next line, or what is left of one of which so many bytes have been read; empty at the end. Raises
        InputError for one that is too long."""
        line = self._stream.readline(LONGEST + 1 - begun)
        if begun + len(line) > LONGEST:
            raise InputError(Problem(f"found a line longer than {LONGEST >> 20} MiB", file=self._name))
        return line

    def __iter__(self) -> Iterator[bytes]:
        return iter(self.readline, b"")

    def readlines(self, size: int) -> list[bytes]:
        """Some lines, of about so many bytes together; none at the end."""
        data = self._stream.read(size)
        if not data.endswith(b"\n"):
            data += self.readline(len(data) - data.rfind(b"\n") - 1)
        return BytesIO(data).readlines()


@dataclass(frozen=True)
class Lines:
    """A stream of lines, and the file it comes from with its size in bytes, 0 for one that cannot be known."""

    stream: ShortLines
    source: BufferedReader
    size: int

    def share(self) -> float:
        """How much of the file has been read, from 0 to 1."""
        return self.source.tell() / self.size if self.size else 0.0


@contextmanager
def open_lines(path: str | Path) -> Iterator[Lines]:
    """A file, a gzip file (told by its content), or "-" for standard input, as binary lines."""
    with plain_errors(path), ExitStack() as stack:
        if str(path) == "-":
            source = cast(BufferedReader, sys.stdin.buffer)
        elif Path(path).is_dir():
            raise IsADirectoryError
        else:
            reads(path)
            source = stack.enter_context(Path(path).open("rb"))
        zipped = source.peek(2)[:2] == GZIP_MAGIC
        size = 0 if str(path) == "-" else Path(path).stat().st_size
        name = "standard input" if str(path) == "-" else str(path)
        stream = cast(IO[bytes], gzip.GzipFile(fileobj=source)) if zipped else source
        yield Lines(ShortLines(stream, name), source, size)


def made_folder(path: str | Path) -> None:
    """Makes a folder for output, unless it is there. Raises InputError where it cannot be."""
    with plain_errors(path):
        Path(path).mkdir(parents=True, exist_ok=True)


@contextmanager
def whole_file(path: str | Path) -> Iterator[Path]:
    """A temporary path beside `path` that takes its place when the block succeeds, and is removed when not.

    A link is written through; a URL gets the file when it is whole. Raises InputError for a file that this run has
    read.
    """
    if is_remote(path):
        with sent(str(path)) as part:
            yield part
        return
    target = Path(path)
    if target.is_symlink():
        target = target.resolve()
    if target.resolve() in _read or any(folder in target.resolve().parents for folder in _read if folder.is_dir()):
        hint = "name another file for the output"
        raise InputError(Problem("this file is read by the same command", file=str(path), hint=hint))
    with plain_errors(path):
        if target.is_dir():
            raise IsADirectoryError
        if target.exists() and not target.is_file():
            yield target  # a pipe or a device is written to, never replaced
            return
        import tempfile  # which takes as long to import as a short recording to be read

        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
        os.close(handle)
        try:
            yield Path(name)
            umask = os.umask(0)
            os.umask(umask)
            os.chmod(name, 0o666 & ~umask)
            os.replace(name, target)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
