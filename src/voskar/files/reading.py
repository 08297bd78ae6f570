"""Opening what users name, and writing whole files or nothing."""

from __future__ import annotations

import gzip
import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from io import BufferedReader
from pathlib import Path
from typing import IO, cast

from voskar.errors import InputError, Problem, nearest

GZIP_MAGIC = b"\x1f\x8b"


@contextmanager
def plain_errors(path: str | Path) -> Iterator[None]:
    """Turns what the system says of a file into one clear error."""
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
    with plain_errors(path):
        data = Path(path).read_bytes()
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(Problem("not UTF-8 text", file=str(path), line=line)) from None


@dataclass(frozen=True)
class Lines:
    """A stream of lines, and the file it comes from with its size in bytes, 0 for one that cannot be known."""

    stream: IO[bytes]
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
            source = stack.enter_context(Path(path).open("rb"))
        zipped = source.peek(2)[:2] == GZIP_MAGIC
        size = 0 if str(path) == "-" else Path(path).stat().st_size
        yield Lines(cast(IO[bytes], gzip.GzipFile(fileobj=source)) if zipped else source, source, size)


def made_folder(path: str | Path) -> None:
    """Makes a folder for output, unless it is there. Raises InputError where it cannot be."""
    with plain_errors(path):
        Path(path).mkdir(parents=True, exist_ok=True)


@contextmanager
def whole_file(path: str | Path) -> Iterator[Path]:
    """A temporary path beside `path` that takes its place when the block succeeds, and is removed when not."""
    target = Path(path)
    with plain_errors(path):
        if target.is_dir():
            raise IsADirectoryError
        if target.exists() and not target.is_file():
            yield target  # a pipe or a device is written to, never replaced
            return
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
