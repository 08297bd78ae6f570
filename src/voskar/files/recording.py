"""Reads a recording in any of its forms, straight into columns."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any, Protocol, TypeVar

import msgspec

from voskar.core.recording import Recording
from voskar.core.rules import KindNames
from voskar.errors import InputError, Problem, nearest
from voskar.files.columns import ColumnBuilder, LoggedAgainError
from voskar.files.frames import Count, Numbered, json_frames
from voskar.files.header import meaning, read_header
from voskar.files.json_lines import json_blocks
from voskar.files.reading import PIECE, LeftOut, ShortLines, open_lines, reads_folder
from voskar.files.remote import fetched, is_remote
from voskar.files.source import FrameSource
from voskar.files.tables import HEADER, header_text, is_tables, table_frames
from voskar.files.whole_tables import table_blocks


class Kinds(Protocol):
    """The part of a rulebook that a recording is read by: its kinds, each with its names, and the ids that it
    places."""

    @property
    def kinds(self) -> dict[str, KindNames]: ...
    @property
    def fixtures(self) -> frozenset[str]: ...


def load_recording(
    path: str | Path, rulebook: Kinds | None, *, pipes: bool = True, until_error: bool = False
) -> Recording:
    """Reads and checks a recording: JSON Lines, plain or gzip, a folder of tables, "-" for standard input, or the
    stage script (`.toml`) of one.

    `rulebook` says which kinds there are, None takes any; without `pipes` only a regular file will do. With
    `until_error` a recording ends before the first line that is wrong, and has a warning that says so. Raises
    InputError with file, line or row, and field.

    >>> import voskar
    >>> recording = voskar.load_recording("meadow.jsonl", voskar.load_rulebook("apiary.toml"))
    >>> recording.frames, float(recording.rate), len(recording.claims)
    (2040, 60.0, 20)
    """
    try:
        return read_whole(path, lambda source: _gather(source, rulebook), pipes=pipes)
    except InputError as error:
        line = first_wrong_line(path, error)
        if until_error and line is not None:
            with suppress(InputError):
                return _read_before(path, rulebook, line, error)
        raise InputError(_and_others(path, rulebook, error)) from None


def first_wrong_line(path: str | Path, error: InputError) -> int | None:
    """The first line of a file of JSON lines that an error is about, if there are frames before it."""
    line = error.problems[0].line
    is_plain = str(path) != "-" and Path(path).is_file() and Path(path).suffix.lower() != ".toml"
    return line if line is not None and line > 2 and is_plain else None


def _read_before(path: str | Path, rulebook: Kinds | None, line: int, error: InputError) -> Recording:
    """The frames before a line. Raises InputError if these are wrong, too."""
    with open_frames(path, without=range(line, 1 << 62)) as source:
        found = _gather(source, rulebook)
    warning = f"only frames {found.first} to {found.last} are read: {error.problems[0]}"
    return replace(found, warnings=(*found.warnings, warning))


T = TypeVar("T")


def read_whole(path: str | Path, read: Callable[[FrameSource], T], *, pipes: bool = True) -> T:
    """The result of `read` for a recording. Where its game went back and logged frames again, it is read a second time
    without the lines that others have replaced. Raises InputError."""
    try:
        with open_frames(path, pipes=pipes) as source:
            return read(source)
    except LoggedAgainError as error:
        if str(path) == "-" or not Path(path).is_file():
            hint = "save such a recording to a file first"
            raise InputError([replace(problem, hint=hint) for problem in error.problems]) from None
        with open_frames(path, pipes=pipes, without=replaced_lines(path)) as source:
            return read(source)


class _Number(msgspec.Struct):
    frame: Count = -1


def replaced_lines(path: str | Path) -> frozenset[int]:
    """The numbers of lines with frames that are logged again further down."""
    decode = msgspec.json.Decoder(_Number).decode
    kept: list[tuple[int, int]] = []
    replaced: set[int] = set()
    with open_lines(path) as lines:
        for number, line in enumerate(lines.stream, 1):
            with suppress(msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
                frame = decode(line).frame if number > 1 and not line.isspace() else -1
                # A frame replaces every kept frame from its number on, not only the equal one.
                while frame >= 0 and kept and kept[-1][0] >= frame:
                    replaced.add(kept.pop()[1])
                kept += [(frame, number)] if frame >= 0 else []
    return frozenset(replaced)


MOST, TRIED = 10, 400
"""Problems of a recording that are logged at most, and frames behind the first that are looked at for them."""


def _and_others(path: str | Path, rulebook: Kinds | None, first: InputError) -> list[Problem]:
    """The first problem, and other ones of frames behind it, each frame looked at by itself. What is wrong in the same
    way is logged once."""
    found = list(first.problems)
    line = found[0].line
    if line is None or line < 2 or str(path) == "-" or not Path(path).is_file() or Path(path).suffix == ".toml":
        return found
    with open_lines(path) as lines:
        header = lines.stream.readline()
        looked_at = 0
        for number, name in enumerate(islice(lines.stream, line - 1 + TRIED), 2):
            # Blank lines are no frames, and lines up to the first error have been checked.
            if number <= line or name.isspace():
                continue
            try:
                # Each frame is a recording by itself here, so that one mistake does not hide the next.
                read_recording([header, name, b""], str(path), rulebook)
            except InputError as error:
                known = {_alike(problem) for problem in found}
                found += [replace(problem, line=number) for problem in error.problems if _alike(problem) not in known]
            looked_at += len(name)
            # A limit on bytes: with long lines, 400 frames would take seconds.
            if len(found) >= MOST or looked_at > PIECE:
                break
    return found[:MOST]


def _alike(problem: Problem) -> tuple[str, str]:
    # Numbers are left out, so that one mistake in a thousand frames is one problem.
    return re.sub(r"\d+", "#", problem.message), re.sub(r"\d+", "#", problem.key or "")


def read_recording(lines: Iterable[bytes], name: str, rulebook: Kinds | None) -> Recording:
    """Checks the lines of a recording; `name` is what errors call it."""
    stream = io.BytesIO(b"\n".join(line.rstrip(b"\n") for line in lines))
    return _gather(_json_source(ShortLines(stream, name), name, lambda: 0.0), rulebook)


def read_script(script: Mapping[str, Any], name: str, rulebook: Kinds) -> Recording:
    """Plays a stage script that is parsed already; `name` is what errors call it."""
    from voskar.files.stage import play_script  # with what validates it
    from voskar.files.toml_sources import Source

    return _gather(play_script(Source(name, dict(script))), rulebook)


@contextmanager
def open_frames(path: str | Path, *, pipes: bool = True, without: Collection[int] = ()) -> Iterator[FrameSource]:
    """Opens a recording in any of its forms, here or at a URL; with `pipes` from a pipe, too; `without` some lines."""
    if is_remote(path):
        with fetched(str(path)) as local, open_frames(local, without=without) as source:
            yield source
        return
    if Path(path).suffix.lower() == ".toml":
        from voskar.files.stage import read_stage  # scripts are few, and their schema takes time to build

        yield read_stage(path)
        return
    if str(path) != "-" and is_tables(path):
        folder = Path(path)
        reads_folder(folder)
        header = read_header(str(folder / HEADER), None, header_text(folder), tables=True)
        value = header.pop("frames", None)
        frames, blocks = table_frames(folder, value), table_blocks(folder, value)
        yield FrameSource(str(folder / "poses"), "row", header, frames, blocks, lambda: 0.0, [])
        reads_folder(folder)  # it is another one if a table has come since
        return
    if str(path) != "-" and Path(path).is_dir():
        hint = f"a folder of tables has a {HEADER}"
        raise InputError(Problem("found a directory, expected a recording", file=str(path), hint=hint))
    with open_lines(path, pipes=pipes) as lines:
        stream = lines.stream if not without else LeftOut(lines.stream, without)
        yield _json_source(stream, "standard input" if str(path) == "-" else str(path), lines.share)


def _json_source(stream: ShortLines, name: str, share: Callable[[], float]) -> FrameSource:
    numbered = ((number, line) for number, line in enumerate(stream, 1) if not line.isspace())
    head = next(numbered, None)
    if head is None:
        raise InputError(Problem("the file is empty, expected a recording", file=name, line=1))
    header = read_header(name, *head)
    warnings: list[str] = []
    frames = _rising(name, json_frames(name, numbered, warnings.append))
    blocks = json_blocks(name, stream, head[0], warnings.append)
    return FrameSource(name, "line", header, frames, blocks, share, warnings)


def _rising(name: str, frames: Iterator[Numbered]) -> Iterator[Numbered]:
    """The same frames. Raises LoggedAgainError where the game went back."""
    last = -1
    for number, frame in frames:
        if frame.frame <= last:
            message = f"frame {frame.frame} comes after {last}, expected {last + 1}"
            raise LoggedAgainError(Problem(message, file=name, line=number, key="frame"))
        last = frame.frame
        yield number, frame


def _gather(source: FrameSource, rulebook: Kinds | None) -> Recording:
    builder = ColumnBuilder(source.name, None if rulebook is None else rulebook.kinds, source.place)
    for block in source.blocks:
        builder.add(block)
    fields = meaning(source.header)
    unknown = () if rulebook is None else sorted(fields["scope"].kinds - set(rulebook.kinds))
    for kind in unknown:
        hint = nearest(kind, rulebook.kinds) if rulebook is not None else None
        message = f'unknown kind "{kind}"'
        raise InputError(Problem(message, file=source.name, key="unlogged.kinds", hint=hint))
    fixtures = frozenset[str]() if rulebook is None else rulebook.fixtures
    return builder.finish(**fields, fixtures=fixtures, warnings=source.warnings)
