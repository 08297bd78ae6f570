"""A recording as a stage script: positions that lie on a line become its two ends."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from itertools import pairwise
from typing import Any

from voskar.core.recording.poses import STATES
from voskar.errors import printable

Script = dict[str, Any]
"""A stage script, as plain values."""

BARE = re.compile(r"[A-Za-z0-9_-]+")
EXACT = 1e-6
"""Units by which a position may lie next to a line and be on it."""
JUMP = {"ease": "jump"}


CARRIED = ("rate", "up", "poses", "seed", "title", "lag", "logged", "unlogged")
"""Keys of a header that a script has too."""


def script_of(header: Mapping[str, Any], frames: Sequence[Mapping[str, Any]]) -> Script:
    """Some frames, numbered from 0, as a script. What is not carried over (velocities, a scale that changes) is left
    out."""
    poses: dict[str, dict[int, Mapping[str, Any]]] = {}
    for number, frame in enumerate(frames):
        for pose in frame.get("poses", ()):
            poses.setdefault(pose["id"], {})[number] = pose
    # a clip that is under way as the scene begins has to begin before it
    delay = max((_begun(own) for own in poses.values()), default=0)
    script: Script = {"stage": 2, "frames": len(frames) + delay, "reactions": header.get("reactions", "baked")}
    script |= {key: header[key] for key in CARRIED if header.get(key)}
    script["parts"] = [_part(name, own, len(frames), delay) for name, own in poses.items()]
    _hold(script["parts"], frames, delay)
    for table in ("claims", "display"):
        entries = [
            {"f": number + delay, **item} for number, frame in enumerate(frames) for item in frame.get(table, ())
        ]
        script |= {table: entries} if entries else {}
    resets = [{"f": n + delay, "reset": frame["reset"]} for n, frame in enumerate(frames) if frame.get("reset")]
    return script | ({"resets": resets} if resets else {})


def _begun(own: Mapping[int, Mapping[str, Any]]) -> int:
    """How long before the scene the first clip of an actor began."""
    first = min(own)
    return max(int(own[first].get("tick") or 0) - first, 0)


def _part(name: str, own: Mapping[int, Mapping[str, Any]], length: int, delay: int) -> Script:
    frames = sorted(own)
    fields = own[frames[0]]
    part: Script = {"id": name, "kind": fields["kind"]}
    owner = next((pose["owner"] for pose in own.values() if pose.get("owner")), None)
    part |= {"owner": owner} if owner else {}
    if len(frames) < length or delay:
        part["present"] = ranges(frame + delay for frame in frames)
    part["way"] = way([(frame + delay, own[frame]["x"], own[frame]["y"]) for frame in frames], _leaps(own, delay))
    hidden = [frame + delay for frame in frames if own[frame].get("hidden")]
    part |= {"hidden": ranges(hidden)} if hidden else {}
    part |= {"scale": fields["scale"]} if fields.get("scale", 1) != 1 else {}
    clips = _clips(own, delay)
    part |= {"clips": clips} if clips else {}
    turns = _changes(own, ("facing", "angle", "z"), {"facing": 1, "angle": 0, "z": 0}, delay)
    part |= {"turns": turns} if turns else {}
    tells = _changes(own, STATES, {}, delay)
    part |= {"tells": tells} if tells else {}
    pushes = [{"f": frame + delay, "by": pose["push"]} for frame, pose in sorted(own.items()) if pose.get("push")]
    part |= {"pushes": pushes} if pushes else {}
    tags = sorted({tag for pose in own.values() for tag in pose.get("tags") or ()})
    # an empty list of tags says that there are none, which no list does not
    shown = {
        tag: ranges(frame + delay for frame, pose in own.items() if tag in (pose.get("tags") or ())) for tag in tags
    }
    if any(pose.get("tags") is not None for pose in own.values()):
        part["tags"] = shown
    counters = _counters(own, delay)
    part |= {"counters": counters} if counters else {}
    boxes = _boxes(own, delay)
    return part | ({"boxes": boxes} if boxes else {})


def _counters(own: Mapping[int, Mapping[str, Any]], delay: int) -> dict[str, list[Script]]:
    keys: dict[str, list[Script]] = {}
    for frame, pose in sorted(own.items()):
        for name, value in (pose.get("counters") or {}).items():
            known = keys.setdefault(name, [])
            if not known or known[-1]["is"] != value:
                known.append({"f": frame + delay, "is": value})
    return keys


def _boxes(own: Mapping[int, Mapping[str, Any]], delay: int) -> list[Script]:
    """Where a game has boxes itself, as they stand about a position that faces +x. From a pose without any the last
    ones continue: a script cannot say that nothing is logged."""
    keys: list[Script] = []
    for frame, pose in sorted(own.items()):
        if pose.get("boxes") is None:
            continue
        about = {name: _about(shape, pose) for name, shape in pose["boxes"].items()}
        if not keys or keys[-1]["open"] != about:
            keys.append({"f": frame + delay, "open": about})
    return keys


def _about(shape: Any, pose: Mapping[str, Any]) -> Any:
    """A shape of the world as it stands about a position that faces +x."""
    x, y, facing = pose["x"], pose["y"], pose.get("facing", 1)

    def point(place: Sequence[float]) -> list[float]:
        return [round(facing * (place[0] - x), 6), round(place[1] - y, 6)]

    if isinstance(shape, Mapping):
        if shape.get("circle") is not None:
            return {"circle": [*point(shape["circle"][:2]), shape["circle"][2]]}
        return {"polygon": [point(place) for place in shape["polygon"]]}
    if isinstance(shape[0], int | float):
        return [*point(shape[:2]), *point(shape[2:])]
    return [_about(part, pose) for part in shape]


def _leaps(own: Mapping[int, Mapping[str, Any]], delay: int) -> set[int]:
    return {frame + delay for frame, pose in own.items() if pose.get("cut")}


def way(points: Sequence[tuple[int, float, float]], leaps: set[int], slack: float = EXACT) -> list[Script]:
    """Keys such that every point lies within `slack` of the straight lines between them."""
    kept = {0, len(points) - 1}
    # a leap begins a new stretch, or its two sides would be joined by a line
    starts = [0, *(k for k, point in enumerate(points) if k and point[0] in leaps), len(points)]
    for start, end in pairwise(starts):
        kept |= {start, end - 1} | _bends(points, start, end - 1, slack)
    return [
        {
            "f": points[k][0],
            "at": [points[k][1], points[k][2]],
            **({"ease": "jump"} if points[k][0] in leaps and k else {}),
        }
        for k in sorted(kept)
    ]


def _bends(points: Sequence[tuple[int, float, float]], first: int, last: int, slack: float) -> set[int]:
    found: set[int] = set()
    todo = [(first, last)]
    while todo:
        a, b = todo.pop()
        if b - a < 2:
            continue
        (f0, x0, y0), (f1, x1, y1) = points[a], points[b]
        worst, away = a, slack
        for k in range(a + 1, b):
            share = (points[k][0] - f0) / (f1 - f0)
            off = max(abs(x0 + (x1 - x0) * share - points[k][1]), abs(y0 + (y1 - y0) * share - points[k][2]))
            if off > away:
                worst, away = k, off
        if worst != a:
            found.add(worst)
            todo += [(a, worst), (worst, b)]
    return found


def _clips(own: Mapping[int, Mapping[str, Any]], delay: int) -> list[Script]:
    keys: list[Script] = []
    running: tuple[str, int] | None = None
    for frame, pose in sorted(own.items()):
        clip = pose.get("clip")
        if clip is None:
            continue
        if pose.get("cell") is not None:
            key = {"f": frame + delay, "clip": clip, "cell": pose["cell"]}
            if not keys or {**keys[-1], "f": 0} != {**key, "f": 0}:
                keys.append(key)
            running = None
            continue
        begun = frame - int(pose.get("tick") or 0)
        if running != (clip, begun):
            since = max(begun + delay, 0)
            if keys and since <= keys[-1]["f"]:
                since = frame + delay  # it goes back in itself: a script lets it begin here
            # the tick says that the clip began before the scene, and two keys must not share a frame
            keys.append({"f": since, "clip": clip})
            running = clip, begun
    return keys


def _changes(
    own: Mapping[int, Mapping[str, Any]], names: Sequence[str], plain: Mapping[str, Any], delay: int
) -> list[Script]:
    keys: list[Script] = []
    last = dict(plain)
    for frame, pose in sorted(own.items()):
        fields = {name: pose[name] if pose.get(name) is not None else plain.get(name) for name in names}
        new = {name: value for name, value in fields.items() if value is not None and last.get(name) != value}
        if new:
            keys.append({"f": frame + delay, **new})
            last |= new
    return keys


def _hold(parts: Sequence[Script], frames: Sequence[Mapping[str, Any]], delay: int) -> None:
    by_id = {part["id"]: part for part in parts}
    held: dict[tuple[str, str], list[int]] = {}
    for number, frame in enumerate(frames):
        for item in frame.get("inputs", ()):
            part = by_id.get(item["id"])
            if part is None:
                continue
            # an input may only aim
            if item.get("down", True):
                held.setdefault((item["id"], item["button"]), []).append(number + delay)
            aims = part.get("aims", [])
            if item.get("aim") and (not aims or aims[-1]["at"] != item["aim"]):
                part.setdefault("aims", []).append({"f": number + delay, "at": item["aim"]})
    for (name, button), frames_held in held.items():
        by_id[name].setdefault("hold", {})[button] = ranges(frames_held)


def ranges(frames: Iterable[int]) -> str:
    """`0-4,9` for 0, 1, 2, 3, 4, 9."""
    found: list[list[int]] = []
    for frame in sorted(set(frames)):
        if found and frame == found[-1][1] + 1:
            found[-1][1] = frame
        else:
            found.append([frame, frame])
    return ",".join(f"{a}" if a == b else f"{a}-{b}" for a, b in found)


def script_text(script: Script, about: str) -> str:
    """The TOML of a script, a line a key."""
    lines = [f"# {printable(line)}" for line in about.split("\n")]
    lines += [f"{key} = {_value(value)}" for key, value in script.items() if not isinstance(value, list | dict)]
    for key in ("lag", "logged", "unlogged"):
        if script.get(key):
            lines += ["", f"[{key}]", *(f"{name} = {_value(value)}" for name, value in script[key].items())]
    for table in ("parts", "claims", "display", "resets"):
        for item in script.get(table, ()):
            lines += ["", f"[[{table}]]", *(f"{_key(name)} = {_value(value)}" for name, value in item.items())]
    return "\n".join(lines) + "\n"


def _key(name: str) -> str:
    return name if BARE.fullmatch(name) else json.dumps(name, ensure_ascii=False)


def _value(value: Any) -> str:
    if isinstance(value, Mapping):
        return "{ " + ", ".join(f"{_key(name)} = {_value(text)}" for name, text in value.items()) + " }"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(_value, value)) + "]"
    # coordinates of a game are mostly whole, and shorter so
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return json.dumps(value, ensure_ascii=False)
