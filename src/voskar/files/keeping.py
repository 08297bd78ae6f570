"""The folder of the user in which Voskar keeps results that can be made again. Anyone who can write there can change
a result, so it must belong to the user alone; otherwise nothing is kept."""

from __future__ import annotations

import os
import stat
import sys
import time
from functools import cache
from pathlib import Path

import numpy as np

from voskar.core.kernel.build import built_from
from voskar.errors import InputError
from voskar.files.reading import Digest, blake2b, regular

LARGEST = 1 << 28
"""Bytes of a kept file that are read at most."""
ABANDONED = 3600
"""Seconds after which a part that was never finished is cleared away."""

_notes: list[str] = []
"""Why nothing was kept in this run."""


class _UnsafeError(Exception):
    """Why a folder is not used."""


def kept_folder(name: str) -> Path | None:
    """The folder for things of one kind, made if it is not there; None where nothing is, `why_not_kept` says why."""
    try:
        return _safe(name)
    except _UnsafeError as error:
        if str(error) not in _notes:
            _notes.append(str(error))
        return None


def begin() -> None:
    """A run begins: nothing has been kept from it."""
    _notes.clear()


def why_not_kept() -> str | None:
    """Why nothing was kept in this run; None where it was, or where nothing was to be kept."""
    return _notes[0] if _notes else None


def _safe(name: str) -> Path:
    text = os.environ.get("XDG_CACHE_HOME")
    try:
        home = Path(text or Path.home() / ".cache")
    except RuntimeError:  # on a build server, for example
        raise _UnsafeError("there is no home folder; set XDG_CACHE_HOME") from None
    if not home.is_absolute():
        raise _UnsafeError(f"XDG_CACHE_HOME is {home}, expected an absolute path")
    folder = home / "voskar"
    try:
        home.mkdir(parents=True, exist_ok=True)
        _check(home, shared=True)
        for path in (folder, folder / name):
            path.mkdir(mode=0o700, exist_ok=True)
            _check(path)
    except OSError as error:
        raise _UnsafeError(f"{folder}: {(error.strerror or str(error)).lower()}") from None
    return folder / name


def _check(folder: Path, *, shared: bool = False) -> None:
    """Raises _UnsafeError for a folder that others may change; a `shared` one may be read by them."""
    known = folder.lstat()
    # A link may point to a folder that somebody else can change.
    if stat.S_ISLNK(known.st_mode):
        raise _UnsafeError(f"{folder} is a link, expected a folder")
    # On Windows the profile of a user is private by its access list, and modes say nothing.
    if os.name != "posix":
        return
    if known.st_uid not in ((os.getuid(), 0) if shared else (os.getuid(),)):
        raise _UnsafeError(f"{folder} belongs to another user")
    mode = stat.S_IMODE(known.st_mode)
    # A sticky folder such as /tmp can be written to by all, but only the owner replaces an entry.
    if shared and mode & 0o022 and not mode & stat.S_ISVTX:
        raise _UnsafeError(f"{folder} can be written to by others (mode {mode:04o})")
    if not shared and mode & 0o022:  # its files may come from somebody else
        raise _UnsafeError(f"{folder} can be written to by others (mode {mode:04o}); remove it, it can be made again")
    # The mode may come from an older umask; the folder is ours, so it can be mended.
    if not shared and mode != 0o700:
        folder.chmod(0o700)


def put(path: Path, data: bytes) -> None:
    """Keeps a whole file, or none."""
    # A name of its own: two runs at once would otherwise write into one file.
    part = path.with_name(f".{path.name}.{os.urandom(6).hex()}.part")
    try:
        part.write_bytes(data)
        part.replace(path)
    except OSError:
        try:
            part.unlink(missing_ok=True)
        except OSError:
            # Nothing depends on a kept file, so a full disk is no error.
            return


def get(path: Path) -> bytes | None:
    """A kept file, None where there is none that can be read."""
    try:
        with regular(path) as file:
            # One byte over the limit shows that the file is too large.
            data = file.read(LARGEST + 1)
    except (InputError, OSError):
        return None
    return data if len(data) <= LARGEST else None


def prune(folder: Path, most: int) -> None:
    """Leaves no more files than `most`; of more the oldest half goes, and so do parts that were never finished."""
    try:
        kept: list[tuple[int, str]] = []
        for entry in os.scandir(folder):
            known = entry.stat(follow_symlinks=False)
            if not entry.name.endswith(".part"):
                kept.append((known.st_mtime_ns, entry.path))
            elif time.time() - known.st_mtime > ABANDONED:
                os.unlink(entry.path)
        kept.sort()
        # Half at once, so that the folder is not scanned for each new file.
        for _, path in kept[: len(kept) // 2] if len(kept) > most else ():
            os.unlink(path)
    except OSError:
        return


@cache
def program() -> Digest:
    """The digest of the program: every source of it, and what computes beneath it."""
    # A result of another version may be wrong, and NumPy and Python take part in it.
    return blake2b(f"{sys.version} {np.__version__} {built_from()}".encode() + sources(), digest_size=20).digest()


@cache
def sources() -> Digest:
    """The digest of every source of the program, the same wherever it is installed."""
    root = Path(__file__).parents[1]
    digest = blake2b(digest_size=20)
    for path in sorted(_sources(root)):
        with open(path, "rb") as file:
            text = file.read()
        digest.update(f"{os.path.relpath(path, root)} {len(text)} ".encode() + text)
    return digest.digest()


def _sources(folder: str | Path) -> list[str]:
    found: list[str] = []
    for entry in os.scandir(folder):
        if entry.is_dir():
            found += _sources(entry.path)
        elif entry.name.endswith((".py", ".pxd")):
            found.append(entry.path)
    return found
