"""Earlier results of suites: a recording is judged again only if something has changed that its verdict depends on.

A verdict is kept under the digest of exactly the bytes that were judged, as they were when they were read. To look one
up, the files that were read last time are digested as they are now; which these were is kept as well, and it hangs on
nothing but their content.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec

from voskar.files.keeping import get, program, prune, put
from voskar.files.reading import Digest, blake2b, digest_of
from voskar.suite.results import Result

KEPT = 20_000
"""Verdicts, and lists of files, that are kept at most; of more the oldest half goes."""

Files = Mapping[Path, Digest | None]
"""The files that were read for a verdict, each with the digest of the bytes that were read."""


class _KeptVerdict(msgspec.Struct):
    """A verdict, and where it is kept: a verdict in another place answers another question."""

    name: str
    result: Result


class Verdicts:
    """Kept results of questions. What cannot be read or written is not there."""

    def __init__(self, folder: Path | None, *, fresh: bool = False) -> None:
        """Without a `folder` nothing is kept; a `fresh` one only takes, and gives nothing."""
        self.folder, self.fresh = folder, fresh
        self._digests: dict[str, Digest | None] = {}

    def get(self, question: object) -> Result | None:
        """The result of a question with the files as they are now; None if it is not known. `question` says what is
        asked, options included, in its `repr`."""
        if self.folder is None or self.fresh:
            return None
        try:
            # this list only says which files to read
            names = msgspec.json.decode(get(self.folder / _name(question, "files")) or b"", type=list[str])
            digests = [(name, self._digest(name)) for name in names]
            if any(digest is None for _, digest in digests):
                return None
            name = _name(question, digests)
            kept = msgspec.json.decode(get(self.folder / name) or b"", type=_KeptVerdict)
            # a file that was renamed by hand would answer for another recording
            return kept.result if kept.name == name else None
        except (ValueError, RecursionError, msgspec.MsgspecError):  # rubbish
            return None

    def put(self, question: object, result: Result, files: Files) -> None:
        """Keeps what a question came to, and what was read for it. A result that says that a file could not be read is
        not kept, nor one of files that changed meanwhile."""
        # a page is a file that may be gone by the next time
        if self.folder is None or result.error is not None or result.page is not None or None in files.values():
            return
        digests = sorted((os.path.relpath(path), digest) for path, digest in files.items())
        try:
            place = _name(question, digests)
            verdict = msgspec.json.encode(_KeptVerdict(place, result))
            names = msgspec.json.encode([name for name, _ in digests])
        except UnicodeEncodeError:  # the name of a file is no text
            return
        put(self.folder / place, verdict)
        put(self.folder / _name(question, "files"), names)

    # two files a verdict
    def prune(self) -> None:
        """Leaves no more than some."""
        if self.folder is not None:
            prune(self.folder, 2 * KEPT)

    def _digest(self, name: str) -> Digest | None:
        if name not in self._digests:
            self._digests[name] = digest_of(name)
        return self._digests[name]


def _name(question: object, files: Iterable[object]) -> str:
    """Where an answer is kept: for the program, the question, and what the files hold."""
    digest = blake2b(program(), digest_size=20)
    # the length before each part, or two questions could run into the same bytes
    for part in (repr(question), repr(files)):
        data = part.encode(errors="surrogateescape")
        digest.update(len(data).to_bytes(8, "big") + data)
    return f"{digest.hexdigest()}.json"
