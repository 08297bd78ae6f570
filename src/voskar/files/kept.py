"""What can be made again is kept in the user's folder for it: here rulebooks that are ready to judge by.

To read and check a rulebook takes longer than to replay most recordings by it. What comes of it is kept with the digest
of every file that was read, and of the program; whatever cannot be read or written is not there.
"""

from __future__ import annotations

import os
import pickle
import sys
import time
from collections.abc import Iterable, Iterator
from fractions import Fraction
from functools import cache, cached_property
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from msgspec import Struct
from xxhash import xxh3_128

import voskar
from voskar.core.rules import Rules
from voskar.files.reading import noted, reads

if TYPE_CHECKING:
    from voskar.files.rulebook import Rulebook

SETTLED = 100_000_000
"""Nanoseconds for which a file must have been left alone before it was read, for what came of it to be kept: its digest
is taken afterwards, and must be that of the same bytes."""

KEPT = 500
"""Rulebooks that are kept at most; of more the oldest half goes."""

PARTS = {
    ("fractions", "Fraction"), ("numpy", "dtype"), ("numpy", "ndarray"), ("numpy._core.multiarray", "_reconstruct"),
    ("numpy.core.multiarray", "_reconstruct"), ("voskar.files.kept", "_Kept"),
}  # fmt: skip
"""What kept rules are made of beside the classes of rules."""


def kept_folder(name: str) -> Path:
    """Where one sort of thing is kept."""
    try:
        home = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    except RuntimeError:  # a build server may have no home
        import tempfile

        home = Path(tempfile.gettempdir())
    return home / "voskar" / name


def put(path: Path, data: bytes) -> None:
    """Keeps a whole file, or none."""
    part = path.parent / f".{path.name}.{os.getpid()}.part"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part.write_bytes(data)
        part.replace(path)
    except OSError:
        return


def prune(folder: Path, most: int) -> None:
    """Leaves no more than some."""
    try:
        kept = sorted(
            (one for one in folder.iterdir() if one.suffix != ".part"), key=lambda one: one.stat().st_mtime_ns
        )
        for one in kept[: len(kept) // 2] if len(kept) > most else ():
            one.unlink(missing_ok=True)
    except OSError:
        return


@cache
def stamp() -> bytes:
    """The program: every file of it, and what computes beneath it."""
    digest = xxh3_128(f"{sys.version} {np.__version__}".encode())
    for told in sorted(_sources(Path(voskar.__file__).parent)):
        digest.update(told.encode())
    return digest.digest()


def _sources(folder: str | Path) -> Iterator[str]:
    for entry in os.scandir(folder):
        if entry.is_dir():
            yield from _sources(entry.path)
        elif entry.name.endswith((".py", ".so", ".pyd", ".pxd")):
            known = entry.stat()
            yield f"{entry.path} {known.st_size} {known.st_mtime_ns}"


class _Kept(NamedTuple):
    files: dict[str, bytes]  # the digest of every file that was read
    kinds: dict[str, frozenset[str]]
    fixtures: frozenset[str]
    rules: Rules


class _Reader(pickle.Unpickler):
    """Makes rules and what they are made of, and calls nothing else: a folder that is carried from machine to machine
    may hold anything."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in PARTS:
            return super().find_class(module, name)
        if module.startswith("voskar.core.rules.") and "." not in name:
            found = super().find_class(module, name)
            if isinstance(found, type) and issubclass(found, Struct):
                return found
        raise pickle.UnpicklingError(f"{module}.{name}")


class ReadyRulebook:
    """A checked rulebook as far as judging needs it; the `whole` of it is read when something asks for more."""

    def __init__(self, path: str) -> None:
        """Raises InputError with every problem found."""
        self.path = path
        name = xxh3_128(stamp() + os.path.realpath(path).encode(errors="surrogateescape")).hexdigest()
        self._place = kept_folder("rulebooks") / name
        self._kept = _read(self._place)
        self._files: dict[str, bytes] = {}
        known: _Kept | Rulebook | None = self._kept
        if known is None:
            began = time.time_ns()
            with noted() as files:
                known = self.whole
            self._files = _settled(files, began)
        self.kinds, self.fixtures = known.kinds, known.fixtures

    @cached_property
    def whole(self) -> Rulebook:
        """With its keys, and where they stand."""
        from voskar.files.rulebook import load_rulebook  # with what validates it

        return load_rulebook(self.path)

    def rules(self, rate: Fraction) -> Rules:
        """The rules at `rate` frames a second."""
        if self._kept is not None and self._kept.rules.rate == rate:
            return self._kept.rules
        rules = self.whole.rules(rate)
        if self._files:
            put(self._place, pickle.dumps(_Kept(self._files, self.kinds, self.fixtures, rules), 4))
            prune(self._place.parent, KEPT)
        return rules


def _read(place: Path) -> _Kept | None:
    """What is kept, if every file is still what it was."""
    try:
        kept = _Reader(BytesIO(place.read_bytes())).load()
        if any(_digest(name) != digest for name, digest in kept.files.items()):
            return None
    except Exception:  # whatever is wrong with it, it can be made again
        return None
    for name in kept.files:
        reads(name)
    return kept if isinstance(kept, _Kept) else None


def _settled(files: Iterable[Path], began: int) -> dict[str, bytes]:
    """The digest of each file, none if one may have changed while it was read."""
    try:
        if any(one.stat().st_mtime_ns > began - SETTLED for one in files):
            return {}
        return {str(one): _digest(one) for one in sorted(files)}
    except OSError:
        return {}


def _digest(path: str | Path) -> bytes:
    return xxh3_128(Path(path).read_bytes()).digest()
