"""`voskar convert`: a recording in another of its forms."""

from __future__ import annotations

import gzip
import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click
import msgspec

from voskar.commands import present
from voskar.errors import InputError, Problem
from voskar.files.columns import ColumnBuilder
from voskar.files.frames import FrameLine
from voskar.files.reading import plain_errors, whole_file
from voskar.files.recording import FrameSource, chunks, open_frames
from voskar.files.tables import TableWriter


@click.command(
    epilog="""
\b
Example:
  voskar convert meadow.jsonl meadow-tables
  voskar convert meadow.jsonl meadow-csv --tables csv
  voskar convert meadow.jsonl meadow.jsonl.gz
"""
)
@click.argument("recording", metavar="RECORDING")
@click.argument("out", metavar="OUT")
@click.option(
    "--tables",
    default="parquet",
    show_default=True,
    type=click.Choice(["parquet", "csv"]),
    help="What tables are written as.",
)
def command(recording: str, out: str, tables: str) -> None:
    """Write RECORDING in another form: JSON Lines if OUT ends in .jsonl or .jsonl.gz, else a folder of tables.

    Every check but that of kinds is made on the way, and nothing is left behind if one fails. The ledgers of
    both forms are the same.
    """
    with open_frames(recording) as source:
        if out.endswith((".jsonl", ".jsonl.gz")):
            frames = _to_lines(source, Path(out))
        elif Path(out).suffix in (".csv", ".parquet", ".json", ".gz"):
            hint = "tables are written to a folder"
            raise InputError(Problem("expected a folder, or an ending .jsonl or .jsonl.gz", file=out, hint=hint))
        else:
            frames = _to_tables(source, Path(out), tables)
    click.echo(f"wrote {present.count(frames, 'frame')} to {out}")


def _checked(source: FrameSource) -> Iterator[list[FrameLine]]:
    """The frames in chunks, checked as a recording is, with a progress bar on a terminal."""
    from rich.console import Console
    from rich.progress import Progress

    builder = ColumnBuilder(source.name, None, source.place)
    out = Console(file=sys.stderr)
    with Progress(console=out, transient=True, disable=not out.is_terminal) as progress:
        task = progress.add_task("converting", total=1.0)
        for chunk in chunks(source.frames):
            builder.add(chunk)
            builder.forget()
            progress.update(task, completed=source.share())
            yield [frame for _, frame in chunk]
    if builder.first is None:
        raise InputError(Problem("the recording has a header and no frames", file=source.name))


def _to_lines(source: FrameSource, out: Path) -> int:
    count = 0
    encode = msgspec.json.encode
    with whole_file(out) as part, part.open("wb") as file:
        # no name and no time in the gzip header, so that the same recording gives the same bytes
        stream: Any = gzip.GzipFile("", "wb", fileobj=file, mtime=0) if out.suffix == ".gz" else file
        stream.write(encode(source.header) + b"\n")
        for frames in _checked(source):
            stream.write(b"".join(encode(frame) + b"\n" for frame in frames))
            count += len(frames)
        if stream is not file:
            stream.close()
    return count


def _to_tables(source: FrameSource, out: Path, form: str) -> int:
    count = 0
    with _whole_folder(out) as part:
        writer = TableWriter(part, source.header, form)
        for frames in _checked(source):
            writer.add(frames)
            count += len(frames)
        writer.close()
    return count


@contextmanager
def _whole_folder(path: Path) -> Iterator[Path]:
    """A temporary folder beside `path` that takes its place when the block succeeds."""
    with plain_errors(path):
        if path.exists():
            raise InputError(Problem("it is there already", file=str(path), hint="name another folder"))
        part = Path(tempfile.mkdtemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent))
        try:
            yield part
            part.chmod(0o755)
            part.rename(path)
        except BaseException:
            shutil.rmtree(part, ignore_errors=True)
            raise
