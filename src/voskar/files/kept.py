"""Rulebooks that are ready to judge by, kept from one run to the next.

Reading and checking a rulebook takes longer than replaying most recordings. The result is kept with the digest of the
bytes of every file that was read and of the program. A kept file that cannot be read or written counts as missing.
"""

from __future__ import annotations

import copyreg
import os
import pickle
import re
from collections.abc import Mapping
from fractions import Fraction
from functools import cached_property
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from msgspec import Struct

from voskar.core.rules import KindNames, Rules
from voskar.errors import InputError, Problem
from voskar.files.keeping import get, kept_folder, program, prune, put
from voskar.files.reading import Digest, blake2b, digest_of, note, noted

if TYPE_CHECKING:
    from voskar.files.rulebook import Rulebook

KEPT = 500
"""Rulebooks that are kept at most; of more the oldest half goes."""


class _KeptRules(NamedTuple):
    files: dict[str, Digest]  # of every file that was read
    kinds: dict[str, KindNames]
    fixtures: frozenset[str]
    rules: Rules


def _array(kind: str, shape: tuple[int, ...], data: bytes) -> np.ndarray:
    """An array as it was kept. Raises ValueError for any other."""
    # An array of objects would be made by calling anything.
    if kind not in ("<f8", "<i8", "|b1", "|u1"):
        raise ValueError(kind)
    found: np.ndarray = np.frombuffer(data, kind).reshape(shape).copy()
    return found


def _fraction(text: str) -> Fraction:
    """A fraction as it was kept. Raises ValueError for a number without end."""
    # `Fraction` of an endless text would take minutes.
    if re.fullmatch(r"-?\d{1,4000}/\d{1,4000}", text) is None:
        raise ValueError("no fraction")
    return Fraction(text)


class _Writer(pickle.Pickler):
    """Writes rules so that only `_RulesReader` need read them."""

    dispatch_table = copyreg.dispatch_table | {
        Fraction: lambda name: (_fraction, (f"{name.numerator}/{name.denominator}",)),
        np.ndarray: lambda item: (_array, (item.dtype.str, item.shape, item.tobytes())),
    }


PARTS = {(__name__, KeptRule.__name__): KeptRule for KeptRule in (_array, _fraction, _KeptRules)}
"""The classes of kept rules, besides the classes of rules."""


class _RulesReader(pickle.Unpickler):
    """Makes rules and what they are made of, and calls nothing else: a folder that is carried from machine to machine
    may hold anything."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in PARTS:
            return PARTS[module, name]
        # A dot would reach into attributes of a module, and so to any function.
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
        folder = kept_folder("rulebooks")
        name = blake2b(program() + os.path.realpath(path).encode(errors="surrogateescape"), digest_size=16).hexdigest()
        self._place = None if folder is None else folder / name
        self._kept = None if self._place is None else _read(self._place)
        self._files: Mapping[Path, Digest | None] = {}
        self._made: dict[Fraction, Rules] = {}
        """The rules by their rate: sessions ask for them again and again."""
        known: _KeptRules | Rulebook = self.whole if self._kept is None else self._kept
        self.kinds, self.fixtures = known.kinds, known.fixtures

    @cached_property
    def whole(self) -> Rulebook:
        """With its keys, and where they are. Raises InputError if a file has changed since."""
        from voskar.files.rulebook import load_rulebook  # with what validates it

        with noted() as files:
            book = load_rulebook(self.path)
        self._files = files
        # Rules of one version and keys of another would give findings that point to wrong lines.
        if self._kept is not None and self._kept.files != {str(path): digest for path, digest in files.items()}:
            raise InputError(Problem("it changed while it was read", file=self.path, hint="run the command again"))
        return book

    def rules(self, rate: Fraction) -> Rules:
        """The rules at `rate` frames a second."""
        if self._kept is not None and self._kept.rules.rate == rate:
            return self._kept.rules
        if rate not in self._made:
            self._made[rate] = self._make(rate)
        return self._made[rate]

    def _make(self, rate: Fraction) -> Rules:
        """Makes the rules, and keeps them for the next run."""
        rules = self.whole.rules(rate)
        files = {str(path): digest for path, digest in self._files.items() if digest is not None}
        # A file without a digest changed while it was read: no later run could check it.
        if self._place is not None and len(files) == len(self._files):
            stream = BytesIO()
            _Writer(stream, 4).dump(_KeptRules(files, self.kinds, self.fixtures, rules))
            put(self._place, stream.getvalue())
            prune(self._place.parent, KEPT)
        return rules


def _read(place: Path) -> _KeptRules | None:
    """The kept rules, if no file has changed since."""
    data = get(place)
    if data is None:
        return None
    try:
        kept = _RulesReader(BytesIO(data)).load()
        # The digests are compared before anything is used, so an edited rulebook is read again.
        if not isinstance(kept, _KeptRules) or any(digest_of(name) != digest for name, digest in kept.files.items()):
            return None
    except Exception:  # after any mistake it can be made again
        return None
    # The files count as read, so that output never replaces one of them.
    for name, digest in kept.files.items():
        note(name, digest)
    return kept
