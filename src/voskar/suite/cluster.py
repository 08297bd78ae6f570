"""A suite, or a grid, on a distributed engine that runs already: other machines do what worker processes would.

Every file that a piece of work names is shipped with it, but for URLs, which are read where the work is done. What
comes back is the same, byte for byte, wherever that is.
"""

from __future__ import annotations

import logging
import os
import shutil
import tempfile
import threading
import warnings
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import fields, is_dataclass, replace
from functools import cache
from hashlib import blake2b
from importlib.metadata import version
from pathlib import Path
from typing import Any, TypeVar

from voskar.errors import InputError, Problem, VoskarError, first_line
from voskar.files.keeping import sources
from voskar.files.reading import noted, read_bytes
from voskar.files.remote import is_remote
from voskar.files.rulebook import load_rulebook

T = TypeVar("T")
R = TypeVar("R")

PATIENCE = 10
"""Seconds until there has to be a scheduler, and a worker."""
AHEAD = 2
"""Pieces of work a worker's thread that are on their way at once: more would only wait there with their files."""
DEEP = "a/b/c/d/e/f/g/h"
"""Below a room, so that paths such as `../x.jsonl` stay in it."""
NAMES = ("recording", "expect", "baseline")
"""Fields of a piece of work that name files besides its `rulebook`."""

Room = tuple[str, frozenset[str], dict[str, bytes]]
"""The shared part of several pieces of work: the name of its room, which names are in it, and the files."""


@contextmanager
def cluster(address: str) -> Iterator[Cluster]:
    """An engine by its address, tcp://scheduler:8786. Raises InputError where it, or a worker with this very Voskar, is
    not there."""
    try:
        from distributed import Client
    except ImportError:
        hint = 'pip install "voskar[cluster]"'
        raise InputError(Problem("a cluster needs the extra `cluster`", key="--cluster", hint=hint)) from None
    logging.disable()  # one error is enough for every way in which the libraries fail
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # other versions of libraries, and how much is shipped
        try:
            client = Client(address, timeout=f"{PATIENCE}s")
        except (OSError, ValueError) as error:
            raise InputError(
                Problem(f"found no scheduler at {address}: {first_line(error)}", key="--cluster")
            ) from None
        try:
            engine = Cluster(client, address)
            yield engine
            with suppress(Exception):
                client.run(forget, engine.room)
        finally:
            with suppress(Exception):
                client.close(timeout=1)


class Cluster:
    """Workers of another scheduler, as an engine of suites and grids."""

    def __init__(self, client: Any, address: str) -> None:
        self.client, self.address = client, address
        try:
            client.wait_for_workers(1, timeout=PATIENCE)
        except TimeoutError:
            raise self._lost("has no workers") from None
        # a worker of another version may give other verdicts without a visible reason
        found = client.run(program, on_error="return")
        for worker, other in sorted(found.items()):
            if isinstance(other, OSError):
                continue  # it is gone, and another may come in its place
            if isinstance(other, Exception):
                raise self._lost(f"has a worker without a Voskar like this one: {other}")
            if other != program():
                message = f"the worker {worker} has Voskar {other[0]}, this is {program()[0]}"
                same = " of other sources" if other[0] == program()[0] else ""
                raise InputError(Problem(message + same, key="--cluster", hint="install the same one everywhere"))
        self.room = blake2b(os.urandom(16), digest_size=8).hexdigest()

    def __call__(
        self,
        function: Callable[[T], R],
        items: Sequence[T],
        lost: Callable[[T], R] | None = None,
        weight: Callable[[T], float] | None = None,
    ) -> Iterator[R]:
        """The results of a function for each item, in their order, begun with those of the most `weight`. An item whose
        workers die again and again is `lost`. Raises InputError where the scheduler goes."""
        from distributed import CancelledError, KilledWorker, wait
        from distributed.comm.core import CommClosedError

        # a task of its own, which is done again when the last worker that has it dies: data alone would be lost
        room = self.client.submit(_itself, _room(self.room, items), pure=False)
        shared = _shared(items)
        waiting = sorted(range(len(items)), key=lambda at: -weight(items[at])) if weight else list(range(len(items)))
        waiting.reverse()
        threads = sum(self.client.nthreads().values())
        going: dict[Any, int] = {}
        done: dict[int, R] = {}
        number = 0
        try:
            while number < len(items):
                # enough for every thread to have the next piece there when it ends one
                while waiting and len(going) < max(AHEAD * threads, 1):
                    at = waiting.pop()
                    own = [name for name in _names(items[at]) if name not in shared]
                    files = {key: content for name in own for key, content in _of_file(name).items()}
                    going[self.client.submit(remotely, function, items[at], room, files, program(), pure=False)] = at
                for future in wait(list(going), return_when="FIRST_COMPLETED").done:
                    at = going.pop(future)
                    try:
                        done[at] = _unpacked(future.result())
                    except KilledWorker:
                        if lost is None:
                            raise VoskarError("its workers died, however often it was tried") from None
                        done[at] = lost(items[at])
                while number in done:
                    yield done.pop(number)
                    number += 1
        except (CancelledError, CommClosedError, OSError) as error:
            raise self._lost(f"was lost: {type(error).__name__}") from None

    def _lost(self, what: str) -> InputError:
        return InputError(Problem(f"the scheduler at {self.address} {what}", key="--cluster"))


def _shared(items: Sequence[Any]) -> frozenset[str]:
    """Rulebooks, and what else several pieces of work name."""
    counts = Counter(name for item in items for name in {item.rulebook, *_names(item)})
    return frozenset(name for name, count in counts.items() if count > 1) | {item.rulebook for item in items}


def _room(name: str, items: Sequence[Any]) -> Room:
    rulebooks = {item.rulebook for item in items}
    kept: dict[str, bytes] = {}
    for text in sorted(_shared(items)):
        kept |= shipped_with(text) if text in rulebooks else _of_file(text)
    return name, _shared(items), kept


def _names(item: Any) -> list[str]:
    """Local files that a piece of work names besides its rulebook."""
    items = [getattr(item, name, None) for name in NAMES]
    flat = [value for entries in items for value in (entries if isinstance(entries, tuple) else [entries])]
    return [value for value in flat if value is not None and not is_remote(value)]


def _of_file(name: str) -> dict[str, bytes]:
    """A file, or those of a folder of tables, under the name that it is asked for by; nothing where it cannot be read:
    that is reported where it is asked for."""
    path = Path(name)
    with suppress(OSError, InputError):
        if path.is_dir():
            return {os.path.join(name, file.name): read_bytes(file) for file in sorted(path.iterdir())}
        return {name: read_bytes(path)}
    return {}


def shipped_with(path: str) -> dict[str, bytes]:
    """A rulebook, what it includes, and its images."""
    folder = Path(path).absolute().parent
    found: dict[str, bytes] = {}
    with suppress(OSError, VoskarError):
        found[path] = read_bytes(path)
        with noted() as files:
            load_rulebook(path)
        for file in sorted(files):
            found[os.path.join(os.path.dirname(path), os.path.relpath(file, folder))] = read_bytes(file)
    return found


def program() -> tuple[str, str]:
    """The version, and a digest of all sources."""
    return version("voskar"), sources().hex()


# on a worker


def _itself(room: Room) -> Room:
    return room


def remotely(function: Callable[[T], R], item: T, room: Room, files: Mapping[str, bytes], asked: object) -> Any:
    """Does a piece of work in a room of its own, besides that of what it shares with others. ("other", version) where
    it was asked for by another Voskar, ("failed", why) where this machine could not, else ("done", result)."""
    if asked != program():
        return "other", program()[0]
    name, shared, kept = room
    common = Path(_rooms()) / name / DEEP
    _put(common, kept)
    own = Path(tempfile.mkdtemp(dir=_rooms())) / DEEP
    try:
        _put(own, files)

        def moved(value: Any) -> Any:
            if isinstance(value, tuple):
                return tuple(map(moved, value))
            return value if value is None or is_remote(value) else _in(common if value in shared else own, value)

        there = {text: moved(getattr(item, text)) for text in ("rulebook", *NAMES) if hasattr(item, text)}
        found = function(replace(item, **there))  # type: ignore[type-var]
        for folder, number in ((common, item.rulebook), (own, item.recording)):  # type: ignore[attr-defined]
            found = _named(found, str(folder) if os.path.isabs(number) else f"{folder}/")
        return "done", found
    except OSError as error:  # of the disk here, say: on its way it would be taken for a connection that is lost
        return "failed", f"{type(error).__name__}: {error}"
    finally:
        shutil.rmtree(str(own).removesuffix(f"/{DEEP}"), ignore_errors=True)


def forget(room: str) -> None:
    """Drops the shared part, which is not needed any more."""
    shutil.rmtree(Path(_rooms()) / room, ignore_errors=True)


def _unpacked(value: Any) -> Any:
    word, found = value
    if word == "failed":
        raise VoskarError(f"a worker of the cluster failed: {found}")
    if word == "other":
        message = f"a worker that came later has Voskar {found}, this is {program()[0]}"
        raise InputError(Problem(message, key="--cluster", hint="install the same one everywhere"))
    return found


@cache
def _rooms() -> str:
    """The folder for the files of this worker; removed when it ends."""
    import atexit

    folder = tempfile.mkdtemp(prefix="voskar-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def _in(room: Path, path: str) -> str:
    return path if is_remote(path) else f"{room}{path}" if os.path.isabs(path) else f"{room}/{path}"


def _put(room: Path, files: Mapping[str, bytes]) -> None:
    """Files in a room; one that is there already is the same."""
    room.mkdir(parents=True, exist_ok=True)
    for name, content in files.items():
        path = Path(os.path.normpath(_in(room, name)))
        # a file from another machine may only write into its own folder
        if not path.is_relative_to(str(room).removesuffix(f"/{DEEP}")):
            raise OSError(f"{name} leads out of the folder of the work")
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            # others may be writing the same file on this machine
            part = path.with_name(f".{path.name}.{os.getpid()}.{threading.get_ident()}.part")
            part.write_bytes(content)
            part.replace(path)


def _named(value: Any, room: str) -> Any:
    """A result in which files have the names that they were asked for by."""
    if isinstance(value, str):
        return value.replace(room, "")
    if isinstance(value, tuple) and not hasattr(value, "_fields"):
        return tuple(_named(item, room) for item in value)
    if is_dataclass(value) and not isinstance(value, type):
        changed = {field.name: _named(getattr(value, field.name), room) for field in fields(value)}
        return replace(value, **changed)
    return value
