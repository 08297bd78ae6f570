"""Opening what users name, and writing whole files or nothing."""

from __future__ import annotations

import gzip
import os
import stat
import sys
import zlib
from collections.abc import Collection, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from io import BufferedReader, BytesIO, FileIO, RawIOBase
from pathlib import Path
from typing import IO, Any, cast

from voskar.errors import InputError, Problem, nearest
from voskar.files.remote import is_remote, sent

try:
    from _blake2 import (
        blake2b as blake2b,  # hashlib brings OpenSSL with it, which takes longer to load than a short run to judge
    )
except ImportError:
    from hashlib import blake2b as blake2b

PIECE = 1 << 20
"""Bytes read at once."""
GZIP_MAGIC = b"\x1f\x8b"
LONGEST = 64 << 20
"""Bytes that one line may have: a small file may unpack to a line without end."""

Digest = bytes
"""The digest of a file's bytes: two files with one digest are the same file."""


class _Reads:
    """The files that were read, and folders of them, each with the digest of the bytes that were read, None where that
    is not known, or where the file was another one each time. Digests are worked out only where they are asked for."""

    def __init__(self, *, digests: bool) -> None:
        self.digests = digests
        self.files: dict[Path, Digest | None] = {}

    def note(self, path: Path, digest: Digest | None) -> None:
        # Two reads of one file with different bytes leave no digest: the file cannot be known.
        self.files[path] = digest if self.files.get(path, digest) == digest else None


_reads = _Reads(digests=False)
"""The files read in this run of the command: output never replaces one of them."""


def begin() -> None:
    """A run begins: nothing has been read."""
    _reads.files.clear()


def what_was_read() -> frozenset[Path]:
    """The files, and folders of them, that this run has read, links followed."""
    return frozenset(file.resolve() for file in _reads.files)


@contextmanager
def noted() -> Iterator[dict[Path, Digest | None]]:
    """The files that are read in the block, as they are named (another may stand behind a link tomorrow), each with
    the digest of the bytes that were read; a folder with that of the names in it. A file that changed while it was
    read has none."""
    # The reads are a global: they are noted deep in readers, and every signature would have to carry them.
    global _reads
    outer, _reads = _reads, _Reads(digests=True)
    inner = _reads
    try:
        yield inner.files
    finally:
        # The outer block has read these files as well.
        _reads = outer
        for path, digest in inner.files.items():
            outer.note(path, digest)


def note(path: str | Path, digest: Digest | None) -> None:
    """Notes a file that was read, or a folder of them."""
    _reads.note(Path(path).absolute(), digest)


def reads_folder(path: str | Path) -> None:
    """Notes that a folder was looked into."""
    note(path, _names_digest(path) if _reads.digests else None)


def _names_digest(path: str | Path) -> Digest:
    names = sorted(os.listdir(path))
    return blake2b("\0".join(names).encode(errors="surrogateescape"), digest_size=20).digest()


def digest_of(path: str | Path) -> Digest | None:
    """The digest that a file, or a folder, would be noted with if it were read now; None if it cannot be read."""
    try:
        if Path(path).is_dir():
            return _names_digest(path)
        with regular(path) as file:
            return _bytes_digest(file)
    except (OSError, InputError, ValueError):
        return None


def _bytes_digest(file: FileIO) -> Digest:
    digest = blake2b(digest_size=20)
    file.seek(0)
    while piece := file.read(PIECE):
        digest.update(piece)
    file.seek(0)
    return digest.digest()


def regular(path: str | Path) -> FileIO:
    """A regular file, opened. Raises InputError for a pipe or a device, without waiting for one."""
    # Without O_NONBLOCK an open named pipe without a writer would block without end.
    file = FileIO(os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)))
    mode = os.fstat(file.fileno()).st_mode
    if stat.S_ISREG(mode):
        return file
    file.close()
    if stat.S_ISDIR(mode):
        raise IsADirectoryError
    found = "a named pipe" if stat.S_ISFIFO(mode) else "a device"
    raise InputError(Problem(f"found {found}, expected a file", file=str(path)))


class _Digested(RawIOBase):
    """A file that is read from its beginning to its end, with the digest of the bytes that were read."""

    def __init__(self, file: FileIO) -> None:
        self._file, self.digest, self._count, self._before = file, blake2b(digest_size=20), 0, _state(file)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        count = self._file.readinto(buffer) or 0
        self.digest.update(memoryview(buffer)[:count])
        self._count += count
        return count

    def tell(self) -> int:
        # `BufferedReader.tell` needs the position; this counts as it reads.
        return self._count

    def finish(self) -> Digest | None:
        """The digest of the whole file, None if it has changed meanwhile."""
        # A JSON error may stop the reading early, and the digest is of the whole file.
        while self.readinto(bytearray(PIECE)):
            pass
        after = _state(self._file)
        return self.digest.digest() if self._before == after and self._count == after[0] else None


def _state(file: FileIO) -> tuple[int, int, int]:
    """The state of a file: its size, and when it was changed last."""
    known = os.fstat(file.fileno())
    return known.st_size, known.st_mtime_ns, known.st_ctime_ns


@contextmanager
def opened(path: str | Path, *, pipes: bool = False) -> Iterator[BufferedReader]:
    """A file to be read from beginning to end, noted with the digest of exactly these bytes. With `pipes` anything that
    can be read will do. Raises InputError."""
    note_as = None
    try:
        with plain_errors(path):
            # Standard devices and pipes have no digest: they cannot be read twice.
            if pipes and not Path(path).is_file() and not Path(path).is_dir():
                with open(path, "rb") as stream:
                    yield stream
                return
            with regular(path) as file:
                if not _reads.digests:
                    yield BufferedReader(file)
                    return
                digested = _Digested(file)
                yield BufferedReader(cast(FileIO, digested))
                note_as = digested.finish()
    finally:
        note(path, note_as)


@contextmanager
def opened_anywhere(path: str | Path) -> Iterator[FileIO]:
    """A file that is read here and there, as Parquet is, noted with its digest if that is the same before and after.
    Raises InputError."""
    note_as = None
    try:
        with plain_errors(path), regular(path) as file:
            before = _bytes_digest(file) if _reads.digests else None
            yield file
            note_as = before if before is not None and before == _bytes_digest(file) else None
    finally:
        note(path, note_as)


def read_bytes(path: str | Path) -> bytes:
    """A whole file. Raises InputError."""
    with opened(path) as file:
        return file.read()


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
    except (gzip.BadGzipFile, EOFError, zlib.error):
        raise InputError(Problem("broken or cut off inside its gzip compression", file=str(path))) from None
    except OSError as error:
        raise InputError(Problem((error.strerror or str(error)).lower(), file=str(path))) from None


def _neighbour(path: str | Path) -> str | None:
    """The nearest name next to a file that is not there."""
    folder = Path(path).parent
    try:
        names = [entry.name for entry in folder.iterdir()]
    except OSError:
        return None if str(folder) in (".", "") else f"there is no folder {folder}"
    hint = nearest(Path(path).name, names)
    # The other hints of `nearest` list all names, which are too many in a folder.
    return hint if hint and hint.startswith("did") else None


def read_text(path: str | Path) -> str:
    """A whole UTF-8 file. Raises InputError."""
    return text_of(read_bytes(path), path)


def text_of(data: bytes, path: str | Path) -> str:
    """The text of a file. Raises InputError if it is not UTF-8."""
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
        # The stream ended inside a line, so the line is read to its end.
        if not data.endswith(b"\n"):
            data += self.readline(len(data) - data.rfind(b"\n") - 1)
        return BytesIO(data).readlines()


class LeftOut(ShortLines):
    """The same stream with some of its lines, by number from 1, left blank."""

    def __init__(self, lines: ShortLines, numbers: Collection[int]) -> None:
        super().__init__(lines._stream, lines._name)
        self._numbers, self._read = numbers, 0

    def __iter__(self) -> Iterator[bytes]:
        return map(self._shown, super().__iter__())

    def readlines(self, size: int) -> list[bytes]:
        """Some lines, of about so many bytes together; none at the end."""
        return list(map(self._shown, super().readlines(size)))

    def _shown(self, line: bytes) -> bytes:
        self._read += 1
        return b"\n" if self._read in self._numbers else line


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
def open_lines(path: str | Path, *, pipes: bool = True) -> Iterator[Lines]:
    """A file, a gzip file (told by its content), or "-" for standard input, as binary lines. Without `pipes` only a
    regular file will do. Raises InputError."""
    with plain_errors(path), ExitStack() as stack:
        standard = str(path) == "-"
        source = _standard_input() if standard else stack.enter_context(opened(path, pipes=pipes))
        # `peek` leaves the bytes in the buffer, so this works for pipes as well.
        zipped = source.peek(2)[:2] == GZIP_MAGIC
        size = 0 if standard else Path(path).stat().st_size
        name = "standard input" if standard else str(path)
        stream = cast(IO[bytes], gzip.GzipFile(fileobj=source)) if zipped else source
        yield Lines(ShortLines(stream, name), source, size)


def _standard_input() -> BufferedReader:
    if sys.stdin is None:
        raise InputError(Problem("standard input is closed"))
    return cast(BufferedReader, sys.stdin.buffer)


def _is_read(path: Path) -> bool:
    return path in _reads.files or any(folder in path.parents for folder in _reads.files if folder.is_dir())


def made_folder(path: str | Path) -> None:
    """Makes a folder for output, unless it is there. Raises InputError where it cannot be."""
    with plain_errors(path):
        Path(path).mkdir(parents=True, exist_ok=True)


@contextmanager
def whole_file(path: str | Path) -> Iterator[Path]:
    """A temporary path next to `path` that takes its place when the block succeeds, and is removed when not.

    A link is written through; a URL gets the file when it is whole. Raises InputError for a file that this run has
    read.
    """
    if is_remote(path):
        with sent(str(path)) as part:
            yield part
        return
    target = Path(path)
    # A rename would replace the link and leave its target as it was.
    if target.is_symlink():
        target = target.resolve()
    if _is_read(target.resolve()):
        hint = "name another file for the output"
        raise InputError(Problem("this file is read by the same command", file=str(path), hint=hint))
    with plain_errors(path):
        if target.is_dir():
            raise IsADirectoryError
        if target.exists() and not target.is_file():
            yield target  # a pipe or a device is written to, never replaced
            return
        import tempfile  # which takes as long to import as a short recording to be read

        # The temporary file is in the same folder: a rename is atomic only within one file system.
        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
        os.close(handle)
        try:
            yield Path(name)
            # `mkstemp` makes the file private; the output gets the rights of a normal new file.
            umask = os.umask(0)
            os.umask(umask)
            os.chmod(name, 0o666 & ~umask)
            os.replace(name, target)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise


def write_text(path: str | Path, text: str) -> None:
    """Writes a whole UTF-8 file, or nothing. A byte of a file name that is no character is written as its escape."""
    with whole_file(path) as part:
        part.write_bytes(text.encode("utf-8", errors="backslashreplace"))
