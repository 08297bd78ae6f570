"""Recordings, ledgers and reports that are named by a URL: copied here to be read, or from here once written."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

from voskar.errors import InputError, Problem, first_line


def is_remote(path: str | Path) -> bool:
    """Whether a name is a URL. A `Path` made of one has lost a slash, and is none."""
    return isinstance(path, str) and "://" in path


@contextmanager
def fetched(url: str) -> Iterator[Path]:
    """A copy of the file, or of the folder of tables, that a URL names; errors in the block name the URL. Raises
    InputError for what cannot be had."""
    import tempfile

    with tempfile.TemporaryDirectory(prefix="voskar-") as folder:
        # The copy keeps the last name, as the ending says which form the file has.
        local = Path(folder) / _name(url)
        system, path = _system(url)
        with _plain(url):
            # a web server has no folders: its library would take a file that holds a link for one, and fetch that too
            system.get(path, str(local), recursive=not url.startswith(WEB) and system.isdir(path))
        try:
            yield local
        except InputError as error:
            # An error names the temporary copy, which the user does not know.
            named = [
                problem.file.replace(str(local), url) if problem.file else problem.file for problem in error.problems
            ]
            raise InputError(
                [replace(problem, file=name) for problem, name in zip(error.problems, named, strict=True)]
            ) from None


@contextmanager
def sent(url: str) -> Iterator[Path]:
    """A file to be written, which is put where a URL says when the block succeeds. Raises InputError."""
    import tempfile

    with tempfile.TemporaryDirectory(prefix="voskar-") as folder:
        local = Path(folder) / _name(url)
        system, path = _system(url)
        yield local
        # Only a whole file is sent: the block may fail before.
        with _plain(url):
            system.put(str(local), path)


WEB = ("http://", "https://")


def _name(url: str) -> str:
    """The last name of a URL, without its query."""
    name = url.partition("://")[2]
    if url.startswith(WEB):
        # A query is no part of the name, and may hold a secret.
        name = name.partition("?")[0].partition("#")[0]
    name = name.rstrip("/").rpartition("/")[2]
    return name if name not in ("", ".", "..") else "file"


PATIENCE = 30
"""Seconds that a service may say nothing."""


def _system(url: str) -> tuple[Any, str]:
    try:
        import fsspec
    except ImportError:
        hint = 'pip install "voskar[remote]"'
        raise InputError(Problem("found a URL, which needs the extra `remote`", file=url, hint=hint)) from None
    with _plain(url):
        found: tuple[Any, str] = fsspec.core.url_to_fs(url, **_options(url.partition("://")[0]))
        return found


def _options(service: str) -> dict[str, Any]:
    """How long to wait for a service, as its library expects it."""
    if f"{service}://" in WEB:
        from aiohttp import ClientTimeout

        patient = ClientTimeout(total=None, sock_connect=PATIENCE, sock_read=PATIENCE)
        # The library keeps file systems by their options, and a kept one may wait without end.
        return {"client_kwargs": {"timeout": patient}, "skip_instance_cache": True}
    if service in ("s3", "s3a"):
        waits = {"connect_timeout": PATIENCE, "read_timeout": PATIENCE, "retries": {"max_attempts": 2}}
        return {"config_kwargs": waits, "skip_instance_cache": True}
    return {}


@contextmanager
def _plain(url: str) -> Iterator[None]:
    """Turns any error of a service, its library or the network into one clear error."""
    try:
        yield
    except FileNotFoundError:
        raise InputError(Problem("no such file", file=url)) from None
    except PermissionError:
        raise InputError(Problem("no permission to open it", file=url)) from None
    except ImportError as error:  # the library of a service is not there
        raise InputError(Problem(f"cannot be read without its library: {error}", file=url)) from None
    except Exception as error:  # each service has its own errors
        raise InputError(Problem(f"cannot be reached: {first_line(error)}", file=url)) from None
