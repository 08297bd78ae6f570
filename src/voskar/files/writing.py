"""Writes recordings in any of their forms."""

from __future__ import annotations

import gzip
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec

from voskar.errors import InputError, Problem
from voskar.files.blocks import chunks, of_frames
from voskar.files.columns import ColumnBuilder
from voskar.files.frames import FrameLine
from voskar.files.reading import plain_errors, whole_file
from voskar.files.source import FrameSource
from voskar.files.tables import TableWriter


def write_recording(
    source: FrameSource, out: str, tables: str = "parquet", progress: Callable[[], object] = int
) -> int:
    """Writes JSON Lines if `out` ends in .jsonl or .jsonl.gz, else a folder of tables; returns how many frames.

    Every check but that of kinds is made on the way, and nothing is left behind if one fails. `progress` is called
    after every chunk.
    """
    if out.endswith((".jsonl", ".jsonl.gz")):
        return _to_lines(source, Path(out), progress)
    if Path(out).suffix in (".csv", ".parquet", ".json", ".gz"):
        hint = "tables are written to a folder"
        raise InputError(Problem("expected a folder, or an ending .jsonl or .jsonl.gz", file=out, hint=hint))
    return _to_tables(source, Path(out), tables, progress)


def _checked(source: FrameSource, progress: Callable[[], object]) -> Iterator[list[FrameLine]]:
    """The frames in chunks, checked as a recording is."""
    builder = ColumnBuilder(source.name, None, source.place)
    for chunk in chunks(source.frames):
        # The checks need a block; its columns are dropped at once, so that memory stays flat.
        builder.add(of_frames(chunk))
        builder.forget()
        progress()
        yield [frame for _, frame in chunk]
    if builder.first is None:
        raise InputError(Problem("the recording has a header and no frames", file=source.name))


def _to_lines(source: FrameSource, out: Path, progress: Callable[[], object]) -> int:
    count = 0
    encode = msgspec.json.encode
    with whole_file(out) as part, part.open("wb") as file:
        # no name and no time in the gzip header, so that the same recording gives the same bytes
        stream: Any = gzip.GzipFile("", "wb", fileobj=file, mtime=0) if out.suffix == ".gz" else file
        stream.write(encode(source.header) + b"\n")
        for frames in _checked(source, progress):
            stream.write(b"".join(encode(frame) + b"\n" for frame in frames))
            count += len(frames)
        if stream is not file:
            stream.close()
    return count


def _to_tables(source: FrameSource, out: Path, form: str, progress: Callable[[], object]) -> int:
    count = 0
    with _whole_folder(out) as part:
        writer = TableWriter(part, source.header, form)
        for frames in _checked(source, progress):
            writer.add(frames)
            count += len(frames)
        writer.close()
    return count


@contextmanager
def _whole_folder(path: Path) -> Iterator[Path]:
    """A temporary folder next to `path` that takes its place when the block succeeds."""
    with plain_errors(path):
        if path.exists():
            # A folder that exists may hold tables of another recording, which would mix with the new ones.
            raise InputError(Problem("it is there already", file=str(path), hint="name another folder"))
        part = Path(tempfile.mkdtemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent))
        try:
            yield part
            # `mkdtemp` makes a folder that only its owner can read.
            part.chmod(0o755)
            part.rename(path)
        except BaseException:
            shutil.rmtree(part, ignore_errors=True)
            raise
