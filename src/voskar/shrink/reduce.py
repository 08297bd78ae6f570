"""Takes away the parts of a scene that a finding does not need."""

from __future__ import annotations

import copy
from collections.abc import Callable, Collection, Iterator
from typing import Any

from voskar.shrink.keys import key_paths, taken_out
from voskar.shrink.script import Script, way

Shows = Callable[[Script], bool]
"""Whether a scene still shows the finding."""

HEAD = ("stage", "frames", "rate", "up", "reactions")
"""Keys that every script keeps."""
OPTIONAL = ("present", "hidden", "clips", "turns", "tells", "pushes", "boxes", "hold", "aims", "tags", "counters",
            "owner", "scale")  # fmt: skip
"""Keys that a part may do without."""
DEPTH = 6
"""So many levels of tables at most."""
MANY = 80
"""Keys of a way up to which each is tried without."""
SLACKS = (64.0, 32.0, 16.0, 8.0, 4.0, 2.0, 1.0, 0.5)
"""Units by which a way may be straightened, the boldest first."""


def reduced(
    script: Script,
    shows: Shows,
    tell: Callable[[Script], None] = lambda script: None,
    about: Collection[str] = (),
) -> Script:
    """The script without what it does not need, by steps that are tried in a fixed order until none helps. `tell` is
    given each smaller one. The finding is `about` some actors: usually it needs no others."""
    best = script
    failed: set[str] = set()  # what did not show it never does: a later round tries most scenes again

    def attempt(candidate: Script) -> bool:
        nonlocal best
        text = repr(candidate)
        if candidate == best or text in failed:
            return False
        if not shows(candidate):
            failed.add(text)
            return False
        best = candidate
        tell(best)
        return True

    # most findings need only these two actors
    attempt(_only(best, about))
    while True:
        before = best
        for table in ("display", "resets", "claims", "parts"):
            _thin(table, lambda: best, attempt)
        for number in range(len(best["parts"])):
            _simpler(number, lambda: best, attempt)
        _sooner(lambda: best, attempt)
        attempt(_within(best))
        # last, because it tries the most scenes, and few keys are left by now
        _needless(lambda: best, attempt)
        if best == before:
            return best


def _only(script: Script, about: Collection[str]) -> Script:
    """Only some actors, and what they claim of each other."""
    left = {key: value for key, value in script.items() if key not in ("display", "resets", "claims")}
    claims = [
        claim
        for claim in script.get("claims", ())
        if {*claim.get("ids", ()), *(claim[key] for key in ("attacker", "target", "id") if key in claim)} <= {*about}
    ]
    parts = [part for part in script["parts"] if part["id"] in about]
    return left | ({"claims": claims} if claims else {}) | {"parts": parts}


def _sooner(now: Callable[[], Script], attempt: Callable[[Script], bool]) -> None:
    """The scene begins with its first key, and ends as early as it can."""
    own = now()
    first = min(_frames_in(own["parts"]), default=0)
    attempt({**_moved(own, -first), "frames": own["frames"] - first})
    # claims that the finding needs lie at its end, so these lengths are the likely ones
    last = max((item["f"] for item in now().get("claims", ())), default=0)
    for frames in (last + 1, last + 2, last + 10, (last + now()["frames"]) // 2):
        if 0 < frames < now()["frames"] and attempt({**now(), "frames": frames}):
            break
    step = now()["frames"] // 2
    while step:
        if step >= now()["frames"] or not attempt({**now(), "frames": now()["frames"] - step}):
            step //= 2


def _needless(now: Callable[[], Script], attempt: Callable[[Script], bool]) -> None:
    """Without any key or entry that it can do without: in the end nothing is left to take."""
    for depth in range(1, DEPTH):
        # a list, because the paths must be those of the unchanged script
        for path in list(key_paths(now(), depth)):
            candidate = copy.deepcopy(now())
            if path[0] not in HEAD and taken_out(candidate, path):
                attempt(candidate)


def _within(script: Script) -> Script:
    """Without what parts do behind the last frame."""
    last = script["frames"] - 1
    parts = []
    for part in script["parts"]:
        own = dict(part)
        for name in ("clips", "turns", "tells", "pushes", "boxes", "aims"):
            kept = [item for item in part.get(name, ()) if item["f"] <= last]
            own = {key: value for key, value in own.items() if key != name} | ({name: kept} if kept else {})
        for name in ("present", "hidden"):
            if name in part:
                own[name] = _cut(part[name], last)
        own = {key: value for key, value in own.items() if value != ""}
        for name in ("hold", "tags"):
            if name in part:
                own[name] = {key: frames for key, text in part[name].items() if (frames := _cut(text, last))}
        if not own.get("hold", True):
            del own["hold"]  # but no tags are said to be none
        # a counter without keys goes, but a table of counters says which there are
        if "counters" in part:
            counters = {name: [key for key in keys if key["f"] <= last] for name, keys in part["counters"].items()}
            own["counters"] = {name: keys for name, keys in counters.items() if keys}
        parts.append(own)
    return {**script, "parts": parts}


def _cut(text: str, last: int) -> str:
    """Ranges of frames up to one."""
    found = []
    for piece in text.split(","):
        first, _, end = piece.partition("-")
        if int(first) <= last:
            found.append(f"{first}-{min(int(end), last)}" if end and int(first) < min(int(end), last) else first)
    return ",".join(found)


def _frames_in(value: Any) -> Iterator[int]:
    """Every frame that keys of parts name."""
    for item in value.values() if isinstance(value, dict) else value if isinstance(value, list) else ():
        yield from _frames_in(item)
    if isinstance(value, dict) and "f" in value:
        yield value["f"]


def _moved(value: Any, by: int) -> Any:
    """The same with every frame moved; ranges are texts of frames."""
    if isinstance(value, list):
        return [_moved(item, by) for item in value]
    if not isinstance(value, dict):
        return value
    found = {}
    for name, entry in value.items():
        if name == "f":
            # a frame before the first key becomes 0: parts are there from the first frame on
            found[name] = max(entry + by, 0)
        elif name in ("present", "hidden"):
            found[name] = _moved_ranges(entry, by)
        elif name in ("hold", "tags"):
            found[name] = {button: _moved_ranges(frames, by) for button, frames in entry.items()}
        else:
            found[name] = _moved(entry, by)
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

    own = [key for key in OPTIONAL if key in now()["parts"][number]]
    # all at once first: most parts need none
    if not change(**dict.fromkeys(own)) and len(own) > 1:
        for key in own:
            change(**{key: None})
    for key in ("clips", "turns", "tells", "pushes", "boxes"):
        place = 0
        while place < len(now()["parts"][number].get(key, ())):
            own = now()["parts"][number][key]
            if not change(**{key: own[:place] + own[place + 1 :]}):
                place += 1
    for button in list(now()["parts"][number].get("hold", {})):
        held = now()["parts"][number]["hold"]
        if change(hold={name: frames for name, frames in held.items() if name != button} or None):
            continue
        place = 0
        while place < len(pieces := now()["parts"][number]["hold"][button].split(",")):
            held, left = now()["parts"][number]["hold"], pieces[:place] + pieces[place + 1 :]
            if left and change(hold={**held, button: ",".join(left)}):
                continue
            # a press is often enough where a button was held
            first = pieces[place].partition("-")[0]
            change(hold={**held, button: ",".join([*pieces[:place], first, *pieces[place + 1 :]])})
            place += 1
    own = now()["parts"][number]["way"]
    points = [(key["f"], key["at"][0], key["at"][1]) for key in own]
    leaps = {key["f"] for key in own if key.get("ease") == "jump"}
    # most actors may stand still
    if len(points) > 1 and not change(way=[own[0]]) and not change(way=[own[-1] | {"f": own[0]["f"]}]):
        for slack in SLACKS:
            if change(way=way(points, leaps, slack)):
                break
    size = max(len(now()["parts"][number]["way"]) // 4, 1)
    # a scene for each key of a long way would take minutes
    while size and len(now()["parts"][number]["way"]) < MANY:
        place = 1
        while place < len(own := now()["parts"][number]["way"]) - 1:
            end = min(place + size, len(own) - 1)
            if not change(way=own[:place] + own[end:]):
                place += size
        size //= 2
    for digits in (0, 1, 2):
        own = now()["parts"][number]["way"]
        if change(way=[key | {"at": [round(value, digits) for value in key["at"]]} for key in own]):
            break
