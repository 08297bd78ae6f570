"""The header of a recording: what it may say, and what it means."""

from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction
from typing import Any

from voskar.core.adopt.window import EVIDENCE
from voskar.core.recording import LogScope
from voskar.errors import CONTROL, InputError, Problem, nearest
from voskar.files.frames import EVENTS, json_message, sort_of

VERSION = 2
"""The version of recordings that is written. A recording of version 1 that has none of the old names reads the same."""
"""Version of the recording format. 1: the first."""

HEADER_KEYS = ("voskar", "version", "rate", "up", "reactions", "title", "seed", "poses", "lag", "logged", "unlogged")
SCOPES: dict[str, dict[str, tuple[str, ...] | None]] = {
    "logged": {"events": EVENTS},
    "unlogged": {
        "events": EVENTS,
        "kinds": None,
        "attacks": None,
        "cases": None,
        "reactions": ("knockback", "launch", "reflect", "home", "hitstop"),
    },
}
"""Names that a header may list as logged or not: lists of these names, or of any."""


class _TwiceError(Exception):
    """A key that occurs twice."""


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise _TwiceError(key)
        found[key] = value
    return found


def read_header(name: str, line: int | None, text: bytes, *, tables: bool = False) -> dict[str, Any]:
    """The header, checked, as it was written. That of tables may state the first and last of its `frames`."""

    def wrong(message: str, key: str | None = None, hint: str | None = None) -> InputError:
        return InputError(Problem(message, file=name, line=line, key=key, hint=hint))

    try:
        header = json.loads(text, parse_constant=lambda constant: constant, object_pairs_hook=_once)
    except _TwiceError as error:
        raise wrong(f'the key "{error}" stands twice', str(error)) from None
    except (ValueError, RecursionError) as error:
        raise wrong(f"not JSON: {json_message(error)}", hint="a recording begins with a header line") from None
    if not isinstance(header, dict):
        raise wrong(f'found {sort_of(header)}, expected a header: an object with "voskar": "recording"')
    if "voskar" not in header:
        raise wrong('no header: the first line must say "voskar": "recording"', hint="is this a recording?")
    if header["voskar"] != "recording":
        raise wrong(f'found {json.dumps(header["voskar"])}, expected "recording"', "voskar")
    if header.get("version") not in (1, VERSION) or isinstance(header.get("version"), bool):
        found = json.dumps(header["version"]) if "version" in header else "none"
        raise wrong(f"found {found}, expected {VERSION}: this Voskar reads versions up to {VERSION}", "version")
    for key in header:  # those that begin with _ are the game's own
        if key not in HEADER_KEYS and not key.startswith("_") and not (tables and key == "frames"):
            raise wrong(f'unknown key "{key}"', key, nearest(key, HEADER_KEYS))
    rate = header.get("rate")
    if isinstance(rate, bool) or not isinstance(rate, int | float) or not 1 <= rate <= 1e6:
        found = "none" if rate is None else json.dumps(rate)
        raise wrong(f"found {found}, expected frames per second, 1 to 1,000,000", "rate")
    for key, options in OPTIONS.items():
        if key in header and header[key] not in options:
            raise wrong(f'found {json.dumps(header[key])}, expected "{options[0]}" or "{options[1]}"', key)
    seed, title = header.get("seed", 0), header.get("title", "")
    if isinstance(seed, bool) or not isinstance(seed, int):
        raise wrong(f"found {json.dumps(seed)}, expected a whole number", "seed")
    if not isinstance(title, str):
        raise wrong(f"found {json.dumps(title)}, expected a text", "title")
    if CONTROL.search(title):
        raise wrong(f"found {json.dumps(title)}, expected a text without control characters", "title")
    check_scopes(header, wrong)
    check_lag(header.get("lag", {}), wrong)
    span = header.get("frames")
    if tables and span is not None and not _is_span(span):
        raise wrong(f"found {json.dumps(span)}, expected the first and the last frame", "frames")
    if tables and span is not None and span[1] - span[0] >= MOST_FRAMES:
        raise wrong(f"found {span[1] - span[0] + 1} frames, expected at most {MOST_FRAMES}", "frames")
    return header


OPTIONS = {"up": ("-y", "+y"), "reactions": ("baked", "raw"), "poses": ("before_hits", "after_hits")}
"""Keys that have one of two words."""
MOST_LAG = 1000
"""Frames that a logger may be off."""


def check_lag(found: Any, wrong: Callable[..., InputError]) -> None:
    """Raises what `wrong` makes of a message, a key and a hint where `lag` says what it cannot."""
    if not isinstance(found, dict):
        raise wrong(f'found {json.dumps(found)}, expected an object such as {{"hit": [0, 8]}}', "lag")
    for name, frames in found.items():
        if name.startswith("_"):
            continue
        if name not in EVIDENCE:
            raise wrong(f'unknown evidence "{name}"', f"lag.{name}", nearest(name, EVIDENCE))
        whole = isinstance(frames, list) and len(frames) == 2 and all(type(frame) is int for frame in frames)
        if not whole or not all(0 <= frame <= MOST_LAG for frame in frames):
            message = f"found {json.dumps(frames)}, expected frames before and after, such as [0, 8]"
            raise wrong(message, f"lag.{name}")


MOST_FRAMES = 20_000_000
"""Frames that a recording may have: days of play."""


def check_scopes(header: dict[str, Any], wrong: Callable[..., InputError]) -> None:
    """Raises what `wrong` makes of a message, a key and a hint where `logged` or `unlogged` say what they cannot."""
    for key, lists in SCOPES.items():
        _check_scope(header.get(key, {}), key, lists, wrong)


def _check_scope(found: Any, key: str, lists: dict[str, Any], wrong: Callable[..., InputError]) -> None:
    if not isinstance(found, dict):
        raise wrong(f"found {json.dumps(found)}, expected an object with {', '.join(lists)}", key)
    for name, values in found.items():
        if name.startswith("_"):
            continue
        if name not in lists:
            raise wrong(f'unknown key "{name}"', f"{key}.{name}", nearest(name, lists))
        if not isinstance(values, list) or not all(isinstance(value, str) for value in values):
            raise wrong(f"found {json.dumps(values)}, expected a list of names", f"{key}.{name}")
        for value in values:
            if lists[name] is not None and value not in lists[name]:
                raise wrong(f"found {json.dumps(value)}", f"{key}.{name}", nearest(value, lists[name]))


def _is_span(value: Any) -> bool:
    whole = isinstance(value, list) and len(value) == 2 and all(type(item) is int for item in value)
    return whole and 0 <= value[0] <= value[1] <= 1 << 40


def meaning(header: dict[str, Any]) -> dict[str, Any]:
    """A checked header as keyword arguments of `ColumnBuilder.finish`."""
    return {
        # the shortest text that gives the same float is the decimal text that was written
        "rate": Fraction(repr(header["rate"])),
        "up": header.get("up", "-y"),
        "reactions": header.get("reactions", "baked"),
        "seed": header.get("seed", 0),
        "title": header.get("title", ""),
        "scope": _scope(header),
        "after_hits": header.get("poses") == "after_hits",
        "lag": {name: tuple(frames) for name, frames in header.get("lag", {}).items() if not name.startswith("_")},
    }


def _scope(header: dict[str, Any]) -> LogScope:
    unlogged = {key: frozenset(values) for key, values in header.get("unlogged", {}).items() if not key.startswith("_")}
    return LogScope(always=frozenset(header.get("logged", {}).get("events", ())), **unlogged)
