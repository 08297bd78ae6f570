"""What suites came to before: a recording is judged again only if something that its verdict hangs on has changed."""

from __future__ import annotations

from collections.abc import Iterable
from hashlib import blake2b
from pathlib import Path

import msgspec

from voskar.errors import VoskarError
from voskar.files.kept import prune, put, stamp
from voskar.files.reading import noted, reads
from voskar.files.rulebook import load_rulebook
from voskar.files.suite import Job
from voskar.suite.results import Result

KEPT = 20_000
"""Verdicts that are kept at most; of more the oldest half goes."""


class Verdicts:
    """Kept results, by the digest of everything they hang on. What cannot be read or written is not there."""

    def __init__(self, folder: Path, *, fresh: bool = False) -> None:
        self.folder, self.fresh = folder, fresh
        self._digests: dict[Path, bytes | None] = {}
        self._rulebooks: dict[str, bytes | None] = {}

    def key(self, job: Job, *, coverage: bool) -> str | None:
        """Of one job: the program, what it is told, and the bytes of every file that it reads. None where one cannot be
        read: that is told by judging it."""
        return self._key(job.rulebook, [job.recording, *job.expect, *filter(None, [job.baseline])], job, coverage)

    def audit_key(self, rulebook: str, recordings: Iterable[str], allow: Iterable[str]) -> str | None:
        """Of the audit of a rulebook with all recordings that are held against it."""
        recordings = list(recordings)
        return self._key(rulebook, recordings, "audit", rulebook, recordings, sorted(allow))

    def _key(self, rulebook: str, files: Iterable[str], *told: object) -> str | None:
        digests = [self._of_rulebook(rulebook), *(self._of_file(Path(name)) for name in files)]
        if None in digests:
            return None
        whole = blake2b(stamp(), digest_size=20)
        for part in (repr(told).encode(), *(one for one in digests if one is not None)):
            whole.update(len(part).to_bytes(8, "big") + part)
        return whole.hexdigest()

    def get(self, key: str | None) -> Result | None:
        """What is kept, None if nothing is."""
        if key is None or self.fresh:
            return None
        try:
            return msgspec.json.decode((self.folder / f"{key}.json").read_bytes(), type=Result)
        except (OSError, msgspec.MsgspecError):
            return None

    def put(self, key: str | None, result: Result) -> None:
        """Keeps a result. One that says that a file could not be read is not kept."""
        if key is None or result.error is not None or result.page is not None:
            return
        put(self.folder / f"{key}.json", msgspec.json.encode(result))

    def prune(self) -> None:
        """Leaves no more than some."""
        prune(self.folder, KEPT)

    def _of_file(self, path: Path) -> bytes | None:
        """The digest of a file, or of all files of a folder of tables."""
        if path not in self._digests:
            digest = blake2b()
            reads(path)
            try:
                for one in sorted(path.iterdir()) if path.is_dir() else [path]:
                    digest.update(one.name.encode() + b"\0" + blake2b(one.read_bytes()).digest())
                self._digests[path] = digest.digest()
            except OSError:
                self._digests[path] = None
        return self._digests[path]

    def _of_rulebook(self, path: str) -> bytes | None:
        """The digest of a rulebook, what it includes, and its images."""
        if path not in self._rulebooks:
            try:
                with noted() as files:
                    load_rulebook(path)
                parts = [self._of_file(one) for one in sorted(files)]
            except VoskarError:
                parts = [None]
            whole = None if None in parts else b"".join(part for part in parts if part is not None)
            self._rulebooks[path] = whole
        return self._rulebooks[path]
