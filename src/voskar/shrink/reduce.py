"""Taking away from a scene whatever a finding does not need."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator
from typing import Any

from voskar.shrink.script import Script, way

Shows = Callable[[Script], bool]
"""Whether a scene still shows the finding."""

MANY = 80
"""Keys of a way up to which each is tried without."""
SLACKS = (64.0, 32.0, 16.0, 8.0, 4.0, 2.0, 1.0, 0.5)
"""Units by which a way may be straightened, the boldest first."""


def reduced(script: Script, shows: Shows, tell: Callable[[Script], None] = lambda script: None) -> Script:
    """The script without what it does not need, by steps that are tried in a fixed order until none helps. `tell` is
    given each smaller one."""
    best = script

    def attempt(candidate: Script) -> bool:
        nonlocal best
        if candidate != best and shows(candidate):
            best = candidate
            tell(best)
            return True
        return False

    while True:
        before = best
        for table in ("display", "resets", "claims", "parts"):
            _thin(table, lambda: best, attempt)
        for number in range(len(best["parts"])):
            _simpler(number, lambda: best, attempt)
        _sooner(lambda: best, attempt)
        for key in ("title", "seed", "unlogged", "logged"):
            attempt({name: value for name, value in best.items() if name != key})
        if best == before:
            return best


def _sooner(now: Callable[[], Script], attempt: Callable[[Script], bool]) -> None:
    """The scene begins with its first key, and ends as early as it can."""
    own = now()
    first = min(_frames_in(own["parts"]), default=0)
    attempt({**_moved(own, -first), "frames": own["frames"] - first})
    last = max((one["f"] for one in now().get("claims", ())), default=0)
    for frames in (last + 1, last + 2, last + 10, (last + now()["frames"]) // 2):
        if 0 < frames < now()["frames"] and attempt({**now(), "frames": frames}):
            return


def _frames_in(value: Any) -> Iterator[int]:
    """Every frame that keys of parts name."""
    for one in value.values() if isinstance(value, dict) else value if isinstance(value, list) else ():
        yield from _frames_in(one)
    if isinstance(value, dict) and "f" in value:
        yield value["f"]


def _moved(value: Any, by: int) -> Any:
    """The same with every frame moved; ranges are texts of frames."""
    if isinstance(value, list):
        return [_moved(one, by) for one in value]
    if not isinstance(value, dict):
        return value
    found = {}
    for name, one in value.items():
        if name == "f":
            found[name] = max(one + by, 0)
        elif name in ("present", "hidden"):
            found[name] = _moved_ranges(one, by)
        elif name == "hold":
            found[name] = {button: _moved_ranges(frames, by) for button, frames in one.items()}
        else:
            found[name] = _moved(one, by)
    return found


def _moved_ranges(text: str, by: int) -> str:
    pieces = [piece.split("-") for piece in text.split(",")]
    return ",".join("-".join(str(max(int(edge) + by, 0)) for edge in piece) for piece in pieces)


def _thin(table: str, now: Callable[[], Script], attempt: Callable[[Script], bool]) -> None:
    """Takes entries away, in halves, then in ever smaller pieces."""
    size = len(now().get(table, ()))
    while size:
        place = 0
        while place < len(now().get(table, ())):
            own = now()
            left = own[table][:place] + own[table][place + size :]
            candidate = {key: value for key, value in own.items() if key != table}
            candidate |= {table: left} if left or table == "parts" else {}
            if not attempt(candidate):
                place += size
        size //= 2


def _simpler(number: int, now: Callable[[], Script], attempt: Callable[[Script], bool]) -> None:
    """One part: keys that it can do without, straight ways, whole numbers."""

    def change(**keys: Any) -> bool:
        candidate = copy.deepcopy(now())
        part = candidate["parts"][number]
        for key, value in keys.items():
            if value is None:
                part.pop(key, None)
            else:
                part[key] = value
        return attempt(candidate)

    for key in ("present", "hidden", "clips", "turns", "tells", "pushes", "boxes", "hold", "aims", "owner", "scale"):
        if key in now()["parts"][number]:
            change(**{key: None})
    for key in ("clips", "turns", "tells", "pushes", "boxes"):
        place = 0
        while place < len(now()["parts"][number].get(key, ())):
            own = now()["parts"][number][key]
            if not change(**{key: own[:place] + own[place + 1 :]}):
                place += 1
    own = now()["parts"][number]["way"]
    points = [(key["f"], key["at"][0], key["at"][1]) for key in own]
    leaps = {key["f"] for key in own if key.get("ease") == "jump"}
    if len(points) > 1 and not change(way=[own[0]]) and not change(way=[own[-1] | {"f": own[0]["f"]}]):
        for slack in SLACKS:
            if change(way=way(points, leaps, slack)):
                break
    place = 1
    while place < len(now()["parts"][number]["way"]) - 1 and len(now()["parts"][number]["way"]) < MANY:
        own = now()["parts"][number]["way"]
        if not change(way=own[:place] + own[place + 1 :]):
            place += 1
    for digits in (0, 1, 2):
        own = now()["parts"][number]["way"]
        if change(way=[key | {"at": [round(value, digits) for value in key["at"]]} for key in own]):
            break
