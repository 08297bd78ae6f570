"""Random worlds with shots, solids, marks and returns, and the logs that a right game may write of them.

`python -m tests.laws [WORLDS]` prints two tables: a way to log, how many logs, how many of them with a finding; and a
value that is changed, how often, how often `check` finds it, and how often a root stands outside the window.
"""

from __future__ import annotations

import copy
import random
import sys
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import lru_cache
from typing import Any, NamedTuple

import pytest

from tests.mutants import Frames, logged
from tests.worlds import recording, rulebook
from voskar.core.adopt import Window, Windows
from voskar.core.judging.order import Order
from voskar.core.kernel.broad_phase import TouchRow
from voskar.core.ledger import Ledger
from voskar.core.step import replay
from voskar.core.views.perfect import perfect_log
from voskar.core.world import World
from voskar.evidence.check import check
from voskar.evidence.held import EXACT
from voskar.files.rulebook import Rulebook

LENGTH = 160
DYING = 30
"""Frames from going down until a death is over."""
Header = dict[str, Any]
Log = tuple[Header, Frames]
Way = Callable[[Log, random.Random], Log]
"""Writes a log otherwise, as a right game may."""


def _motion(draw: random.Random) -> dict[str, Any]:
    """How shots and patrols go."""
    motion: dict[str, Any] = {"at_edge": draw.choice(["remove", "wrap", "bounce", "stop"])}
    for key, values, often in (
        ("acceleration", [[300, 0], [0, -200]], 0.2),
        ("gravity", [1, 0.5], 0.3),
        ("drag", [1, 6], 0.2),
        ("spin", [90, 400], 0.2),
        ("max_speed", [200], 0.1),
        ("life", [3, 20, 60], 0.5),
        ("on_solid", ["remove", "bounce", "stop", "turn"], 0.6),
        ("bounces", [0, 2], 0.3),
        ("bounciness", [0.5], 0.2),
    ):
        if draw.random() < often:
            motion[key] = draw.choice(values)
    return motion


def _fan(draw: random.Random, kind: str) -> dict[str, Any]:
    fan: dict[str, Any] = {"spawn": kind, "muzzle": draw.choice([[8, 0], [0, -6]])}
    for key, values, often in (
        ("count", [2, 3], 0.3),
        ("spread", [40, 180], 0.3),
        ("jitter", [12], 0.2),
        ("speed", [90, 240, 600], 0.9),
        ("inherit", [1, 0.5], 0.3),
        ("cooldown", [4, 9], 0.5),
        ("limit", [3, 8], 0.3),
        ("moves_at_once", [True], 0.3),
        ("aim", ["input", 30, {"target": "hornet"}], 0.4),
    ):
        if draw.random() < often:
            fan[key] = draw.choice(values)
    return fan


def _rules(draw: random.Random) -> dict[str, Any]:
    """A meadow of its own."""
    solids = []
    for _ in range(draw.randrange(4)):
        x, y = draw.randrange(20, 560, 20), draw.randrange(20, 340, 20)
        solids.append({"rect": [x, y, x + draw.choice([20, 80]), y + draw.choice([20, 120])]})
    body = {"hull": {"role": "body", "rect": [8, 8]}} if draw.random() < 0.5 else {}
    smoke = {"role": "hitbox", "attack": "fumes", "circle": 4, "mask": ["hive"], "swept": draw.random() < 0.5}
    keeper: dict[str, Any] = {
        "side": "keeper",
        "health": 3,
        "boxes": {"torso": {"role": "hurtbox", "rect": [10, 30], "layer": ["keeper"]}},
        "emitters": {"smoker": _fan(draw, "puff") | {"when": {draw.choice(["press", "hold", "release"]): "smoke"}}},
    }
    keeper |= {"iframes": draw.choice([6, 30])} if draw.random() < 0.7 else {}
    if draw.random() < 0.7:
        keeper |= {"lives": 3, "down": {"lasts": draw.choice([0, 10]), "hide": draw.random() < 0.5}}
        keeper["respawn"] = {"after": 20, "iframes": 15, "resets": draw.choice(["self", "room", "run", "pair"])}
        keeper["respawn"] |= {"at": [100, 100]} if draw.random() < 0.5 else {}
    hornet: dict[str, Any] = {
        "side": "hive",
        "health": draw.choice([2, 6]),
        "boxes": {
            "sting": {"role": "hitbox", "attack": "sting", "circle": 6, "mask": ["keeper"]},
            "belly": {"role": "hurtbox", "circle": 6, "layer": ["hive"]},
        },
    }
    if draw.random() < 0.5:
        hornet["emitters"] = {"spit": _fan(draw, "dart") | {"when": {"every": draw.choice([9, 25])}}}
    if draw.random() < 0.3:
        hornet["down"] = {"spawn": [{"kind": "crumb", "count": 2, "spread": 90, "speed": 60}], "worth": 50}
    sting: dict[str, Any] = {"damage": 1, "target": {}}
    if draw.random() < 0.5:
        sting["target"]["knockback"] = {"distance": 24, "over": draw.choice([1, 8])}
    if draw.random() < 0.3:
        sting["target"]["stun"] = 10
    if draw.random() < 0.2:
        sting["target"]["home"] = True
    fumes: dict[str, Any] = {"damage": 1, "attacker": {"remove": True}}
    if draw.random() < 0.3:
        fumes["target"] = {"spawn": "spark"}
    dart = {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"]}
    return {
        "layers": {"names": ["keeper", "hive", "tool"]},
        "space": {"bounds": [0, 0, 600, 400], "gravity": 400, "solids": solids, "up": "-y"},
        "kinds": {
            "keeper": keeper,
            "hornet": hornet,
            "puff": {"motion": _motion(draw), "boxes": {"smoke": smoke, **body}},
            "dart": {"motion": _motion(draw), "boxes": {"point": dart, **body}},
            "crumb": {"motion": _motion(draw)},
            "spark": {"motion": {"life": 5}},
            "wax": {"motion": {**_motion(draw), "velocity": [60, 0]}, "boxes": {"edge": dart, **body}},
        },
        "attacks": {"sting": sting, "fumes": fumes},
        "fixtures": [{"kind": "wax", "at": [draw.randrange(600), 200]} for _ in range(draw.randrange(3))],
    }


def _fight(draw: random.Random, rules: dict[str, Any]) -> dict[str, Any]:
    """The same with some rules of fights."""
    keeper, hornet = rules["kinds"]["keeper"], rules["kinds"]["hornet"]
    sting, fumes = rules["attacks"]["sting"], rules["attacks"]["fumes"]
    poison = {"damage": 0.5, "every": 7, "times": draw.randrange(1, 4)}
    guard = {"max": 4, "start": 4, "regen": {"amount": 1, "every": draw.randrange(5, 30), "after": 9}}
    swat = {
        "role": "hitbox",
        "attack": "swat",
        "rect": [24, 40],
        "at": [10, 0],
        "mask": ["tool"],
        "if": {"stunned": False},
    }
    changes: list[Callable[[], Any]] = [
        lambda: sting.update(
            hitstop=draw.randrange(2, 6), hitstop_on=draw.choice(["both", "attacker", "target", "all"])
        ),
        lambda: fumes.update(
            hitstop=draw.randrange(2, 6), hitstop_on=draw.choice(["both", "attacker", "target", "all"])
        ),
        lambda: fumes["attacker"].pop("remove"),
        lambda: keeper.update(clips={"fall": {"cells": 4, "rate": 30}}, down=keeper.get("down", {}) | {"clip": "fall"}),
        lambda: sting["target"].update(over_time=poison),
        lambda: keeper.update(counters={"guard": guard | {"absorbs": True}}),
        lambda: hornet.update(counters={"guard": guard | {"on_min": {"stun": 12}}}),
        lambda: fumes.setdefault("target", {}).update(gives={"guard": -1}),
        lambda: fumes.update(
            cases=[{"name": "blocked", "if": {"target": {"counters": {"guard": ">= 1"}}}, "scale": 0.5}]
        ),
        lambda: sting["target"].update(launch=180, stun_mode="add", stun=5),
        lambda: rules["kinds"]["dart"]["boxes"].update(tip={"role": "hurtbox", "circle": 3, "layer": ["tool"]}),
        lambda: keeper["boxes"].update(swat=swat),
        lambda: rules["contact"].update(clash={"keeper": ["hive"]}),
        lambda: hornet.update(respawn={"after": draw.randrange(5, 40), "at": draw.choice(["start", "here"])}),
        lambda: hornet.update(down=hornet.get("down", {}) | {"lasts": draw.randrange(4, 20)}),
    ]
    rules |= {"contact": {}}
    rules["attacks"]["swat"] = {"damage": 0.5, "rehit": 9, "target": {"reflect": {"way": "back"}}}
    for name, layer in (("keeper", "keeper"), ("hornet", "hive"), ("dart", "hive"), ("puff", "keeper")):
        for box in rules["kinds"][name]["boxes"].values():
            if box["role"] == "hitbox":
                box["layer"] = [layer]
    for change in changes:
        if draw.random() < 0.3:
            change()
    return rules


def _frames(draw: random.Random) -> Frames:
    """A keeper that walks to and fro, and hornets that come and go."""
    marks = {draw.randrange(40, LENGTH): draw.choice(["run", "room"]) for _ in range(draw.choice([0, 0, 1, 2]))}
    visits = [(draw.randrange(10, LENGTH - 40), draw.choice([-1, 1]), draw.choice([100, 140])) for _ in range(3)]
    frames: Frames = []
    x, way, held = 300.0, 0.0, False
    for frame in range(LENGTH):
        if not draw.randrange(30):
            way = draw.choice([-2.0, 0.0, 2.0])
        if not draw.randrange(8):
            held = not held
        x = min(max(x + way, 40.0), 560.0)
        poses: Frames = [{"id": "keeper", "kind": "keeper", "x": x, "y": 100, "clip": "idle", "tick": frame}]
        for number, (start, side, y) in enumerate(visits):
            near = max(abs(frame - start - 20) * 4 - 40, 0)
            poses.append({"id": f"hornet-{number}", "kind": "hornet", "x": 300 + side * near, "y": y})
        fields: dict[str, Any] = {"poses": poses}
        fields |= {"inputs": [{"id": "keeper", "button": "smoke", "aim": [400, 150]}]} if held else {}
        frames.append(fields | ({"reset": marks[frame]} if frame in marks else {}))
    return frames


def _frozen(ledger: Ledger) -> dict[str, set[int]]:
    """By id, the frames in which it is frozen."""
    found: dict[str, set[int]] = defaultdict(set)
    for event in ledger.of("hitstop"):
        found[event.id or ""] |= set(range(event.frame + 1, (event.until or 0) + 1))
    return found


def _held_still(frames: Frames, frozen: dict[str, set[int]]) -> Frames:
    """The same with everybody in its place while it is frozen, and behind its time from then on."""
    found, behind = [], defaultdict[str, int](int)
    for at, frame in enumerate(frames):
        for name, own in frozen.items():
            behind[name] += at in own
        poses = [
            next(own for own in frames[at - behind[pose["id"]]]["poses"] if own["id"] == pose["id"])
            for pose in frame["poses"]
        ]
        found.append(frame | {"poses": poses})
    return found


def world(seed: int) -> tuple[Rulebook, Frames]:
    """A rulebook, every other one with rules of fights, and frames without marks that cut a death short."""
    draw = random.Random(seed)
    rules = _rules(draw)
    book, moving = rulebook(_fight(random.Random(seed), rules) if seed % 2 else rules), _frames(draw)
    frames = moving
    frozen: dict[str, set[int]] = {}
    while True:
        played = recording(book, frames, reactions="raw", seed=seed)
        ledger = replay(book.rules(played.rate), played)
        found = _frozen(ledger)
        down = [event.frame for event in ledger.of("down")]
        if any(0 <= mark - frame <= DYING for mark in played.resets for frame in down):
            moving = [{key: value for key, value in frame.items() if key != "reset"} for frame in moving]
            frames, frozen = moving, {}
        elif found == frozen:
            return book, frames
        else:
            frozen, frames = found, _held_still(moving, found)


def played_by(book: Rulebook, frames: Frames, seed: int) -> Log:
    """The log of a game that plays these frames exactly by a rulebook."""
    played = recording(book, frames, reactions="raw", seed=seed)
    return perfect_log(book.rules(played.rate), played)


@lru_cache(maxsize=4)
def perfect(seed: int, otherwise: bool = False) -> tuple[Rulebook, Log]:
    """The log of a game that plays exactly by the rules, or that breaks ties of hits `otherwise`."""

    def turned(order: Order, world: World, found: list[TouchRow]) -> list[TouchRow]:
        return [touch for run in order.ties(world, found, None) for group in reversed(run) for touch in group]

    with pytest.MonkeyPatch.context() as patch:
        if otherwise:
            patch.setattr(Order, "of", turned)
        book, frames = world(seed)
        return book, played_by(book, frames, seed)


WAYS: dict[str, tuple[Way, Windows]] = {}


def way(name: str, windows: Windows = EXACT) -> Callable[[Way], Way]:
    """Registers one."""

    def known(callback: Way) -> Way:
        WAYS[name] = callback, windows
        return callback

    return known


@way("as it is")
def _as_it_is(log: Log, draw: random.Random) -> Log:
    return log


@way("no shots, and no hits of theirs")
def _no_shots(log: Log, draw: random.Random) -> Log:
    """Some kinds are left out, and named."""
    header, frames = log
    kinds = draw.sample(["puff", "dart", "crumb", "spark"], 2)
    ids = {pose["id"] for frame in frames for pose in frame["poses"] if pose["kind"] in kinds}
    for frame in frames:
        frame["poses"] = [pose for pose in frame["poses"] if pose["kind"] not in kinds]
        frame["claims"] = [
            item
            for item in frame.get("claims", ())
            if not ids & {item.get("attacker"), item.get("target"), item.get("id"), *item.get("ids", ())}
        ]
    return header | {"unlogged": header.get("unlogged", {}) | {"kinds": kinds}}, frames


@way("shots that the rules drive")
def _driven(log: Log, draw: random.Random) -> Log:
    """What is spawned is left out altogether; its hits are claimed under the names that the rules give."""
    header, frames = log
    kinds = ["puff", "dart", "crumb", "spark"]
    ids = {pose["id"] for frame in frames for pose in frame["poses"] if pose["kind"] in kinds}
    for frame in frames:
        frame["poses"] = [pose for pose in frame["poses"] if pose["kind"] not in kinds]
        for claim in frame.get("claims", ()):
            for side in {"attacker", "target", "id"} & claim.keys():
                claim[side] = claim[side].replace(".", "/", 1) if claim[side] in ids else claim[side]
            if "ids" in claim:
                claim["ids"] = [name.replace(".", "/", 1) if name in ids else name for name in claim["ids"]]
    return header, frames


@way("fewer claims and states")
def _less(log: Log, draw: random.Random) -> Log:
    """Some events and states are not logged by any actor."""
    header, frames = log
    events = draw.sample(["hit", "down", "respawn", "out"], 2)
    states = draw.sample(["health", "lives", "immune", "vx", "vy"], 2)
    states = [*states, *({"vx", "vy"} - set(states))] if {"vx", "vy"} & set(states) else states
    for frame in frames:
        frame["claims"] = [item for item in frame.get("claims", ()) if item["event"] not in events]
        frame["poses"] = [{key: item for key, item in pose.items() if key not in states} for pose in frame["poses"]]
    known = [event for event in header["logged"]["events"] if event not in events]
    unlogged = header.get("unlogged", {}) | {"events": events}
    return header | {"logged": {"events": known}, "unlogged": unlogged}, frames


def _renamed(frames: Frames, names: dict[str, str]) -> None:
    for frame in frames:
        for entry in [*frame["poses"], *frame.get("claims", ()), *frame.get("inputs", ())]:
            for key in {"id", "attacker", "target", "owner"} & entry.keys():
                entry[key] = names.get(entry[key], entry[key])
            if "ids" in entry:
                entry["ids"] = [names.get(name, name) for name in entry["ids"]]


@way("other ids for shots, in another order")
def _other_ids(log: Log, draw: random.Random) -> Log:
    header, frames = log
    names = sorted({pose["id"] for frame in frames for pose in frame["poses"] if "." in pose["id"]})
    others = [f"s{number}" for number in range(len(names))]
    draw.shuffle(others)
    _renamed(frames, dict(zip(names, others, strict=True)))
    for frame in frames:
        draw.shuffle(frame["poses"])
    return header, frames


@way("ids of a pool")
def _pool(log: Log, draw: random.Random) -> Log:
    """Ids of shots are used again, two frames or more after the last one was gone."""
    header, frames = log
    last: dict[str, int] = {}
    poses = [pose for frame in reversed(frames) for pose in frame["poses"]]  # a reflection changes the owner later
    kind = {pose["id"]: f"{pose.get('owner', '')}{pose['kind']}" for pose in poses}
    for at, frame in enumerate(frames):
        last |= {pose["id"]: at for pose in frame["poses"] if "." in pose["id"]}
    free: dict[str, list[tuple[int, str]]] = {}
    names: dict[str, str] = {}
    for at, frame in enumerate(frames):
        for pose in frame["poses"]:
            name = pose["id"]
            if name in last and name not in names:
                pool = free.setdefault(kind[name], [])
                again = next((pair for pair in pool if pair[0] + 2 <= at), None)
                if again is not None:
                    pool.remove(again)
                names[name] = again[1] if again is not None else f"{kind[name]}-{len(names)}"
                pool.append((last[name], names[name]))
    _renamed(frames, names)
    return header, frames


@way("claims in another order")
def _shuffled(log: Log, draw: random.Random) -> Log:
    header, frames = log
    for frame in frames:
        draw.shuffle(frame.get("claims", []))
    return header, frames


@way("claims two frames late", Windows(every=Window(0, 2)))
def _late(log: Log, draw: random.Random) -> Log:
    header, frames = log
    claims = [frame.pop("claims", []) for frame in frames]
    for at, frame in enumerate(frames):
        frame["claims"] = claims[at - 2] if at >= 2 else []
    return header, frames


@way("clips and hiding two frames late", Windows(every=Window(0, 2)))
def _late_looks(log: Log, draw: random.Random) -> Log:
    header, frames = log
    shown = [{pose["id"]: pose for pose in frame["poses"]} for frame in copy.deepcopy(frames)]
    for at, frame in enumerate(frames[2:]):
        for pose in frame["poses"]:
            was = shown[at].get(pose["id"])
            if was is not None and "." not in pose["id"]:
                looks = {key: was[key] for key in ("hidden", "clip", "tick", "cell") if key in was}
                if "hidden" not in pose:  # it is back, and what is hidden fires nothing
                    looks.pop("hidden", None)
                for key in ("hidden", "clip", "tick", "cell"):
                    pose.pop(key, None)
                pose |= looks
    return header, frames


@way("a log in two parts")
def _cut_in_two(log: Log, draw: random.Random) -> Log:
    """Joined at a mark: the same game twice."""
    header, frames = log
    again = copy.deepcopy(frames)
    for frame in again:
        frame["frame"] += len(frames)
    again[0]["reset"] = "run"
    return header, [*frames, *again]


@way("ties of hits broken otherwise")
def _otherwise(log: Log, draw: random.Random) -> Log:
    """As it is: the game has another order (`perfect`)."""
    return log


@way("all of that", Windows(every=Window(0, 2)))
def _all(log: Log, draw: random.Random) -> Log:
    for name in draw.sample(
        [name for name in WAYS if name != "all of that" and name != "shots that the rules drive"], 3
    ):
        log = WAYS[name][0](log, draw)
    return log


def findings(seed: int, name: str) -> list[tuple[str, int, str, str, str]]:
    """What `check` says of a right log."""
    book, log = perfect(seed, otherwise=name == "ties of hits broken otherwise")
    way, windows = WAYS[name]
    header, frames = way(copy.deepcopy(log), random.Random(f"{name} {seed}"))
    played = logged(book, header, frames)
    verdict, _ = check(book.rules(played.rate), played, windows=windows)
    return [(finding.code, finding.frame, finding.target, finding.game, finding.rules) for finding in verdict.findings]


BY = {"x": 20, "y": 20, "health": 1, "lives": 1, "vx": 300, "vy": 300, "angle": 40, "damage": 1}
"""By how much numbers are changed: beyond what is forgiven."""
MOVING = ("puff", "dart", "crumb", "spark")
CHANGES = 10
"""Logs of a world with one value changed."""


class ChangedValue(NamedTuple):
    """A value that was changed: the kind or the event and the field, the frame, whether it was found, and roots far
    from it."""

    name: str
    frame: int
    found: bool
    outside: list[tuple[str, int]]


def _change(frames: Frames, draw: random.Random) -> tuple[str, int] | None:
    """Changes one value of a log that the rules have a say in; None where it meets none."""
    claimed = [frame for frame in frames if frame.get("claims")]
    if claimed and not draw.randrange(3):
        frame = draw.choice(claimed)
        claim = draw.choice(frame["claims"])
        key = draw.choice(sorted(claim))
        fits = (
            ("keeper", "crumb") if key == "attacker" else ("keeper", "hornet")
        )  # not one that hits as well as another
        ids = sorted({pose["id"] for pose in frame["poses"] if pose["kind"] in fits} - {claim[key]})
        name = f"{claim['event']}.{key}"
        if key == "event":
            frame["claims"].remove(claim)
        elif key == "attack":
            claim[key] = "fumes" if claim[key] == "sting" else "sting"
        elif key in BY:
            claim[key] += BY[key]
        elif not ids:
            return None
        else:
            claim[key] = draw.choice(ids)
        return name, frame["frame"]
    frame = draw.choice(frames[5:-5])
    pose = draw.choice(frame["poses"])
    moves = pose["kind"] in MOVING
    key = draw.choice(sorted({"x", "y", "gone"} if moves else {"health", "lives", "immune"} & pose.keys()) or ["id"])
    if key == "gone":
        frame["poses"].remove(pose)
    elif key == "immune":
        pose[key] = not pose[key]
    elif key in BY:
        pose[key] += BY[key]
    else:
        return None
    return f"{pose['kind']}.{key}", frame["frame"]


def changes(seed: int) -> list[ChangedValue]:
    """What `check` says of logs with one value changed."""
    book, log = perfect(seed)
    found = []
    for number in range(CHANGES):
        header, frames = copy.deepcopy(log)
        what = _change(frames, random.Random(f"{seed} {number}"))
        if what is not None:
            played = logged(book, header, frames)
            roots = [root for root, _ in check(book.rules(played.rate), played)[0].roots]
            far = [(root.code, root.frame) for root in roots if abs(root.frame - what[1]) > played.rate / 2]
            found.append(ChangedValue(*what, bool(roots), far))
    return found


def of_world(seed: int) -> tuple[dict[str, list[tuple[str, int, str, str, str]]], list[ChangedValue]]:
    """Every way to log one world, and some logs with one value changed."""
    return {name: findings(seed, name) for name in WAYS}, changes(seed)


def main(count: int = 1000) -> None:
    """The tables."""
    right: dict[str, list[int]] = {name: [] for name in WAYS}
    wrong: dict[str, list[ChangedValue]] = defaultdict(list)
    with ProcessPoolExecutor() as pool:
        for seed, (results, changed) in enumerate(pool.map(of_world, range(count), chunksize=4)):
            for name, found in results.items():
                right[name].append(len(found))
                if found and "-v" in sys.argv:
                    print(seed, name, found[0])
            for change in changed:
                wrong[change.name].append(change)
                if "-v" in sys.argv and (change.outside or not change.found):
                    print(seed, change)
    print("| a right log | logs | with a finding |\n|---|--:|--:|")
    for name, counts in right.items():
        print(f"| {name} | {len(counts)} | {sum(map(bool, counts))} |")
    print("\n| a changed value | changed | found | root outside |\n|---|--:|--:|--:|")
    for name in sorted(wrong):
        item = (
            sum(changed_value.found for changed_value in wrong[name]),
            sum(bool(changed_value.outside) for changed_value in wrong[name]),
        )
        print(f"| {name} | {len(wrong[name])} | {item[0]} | {item[1]} |")


if __name__ == "__main__":
    main(*map(int, [name for name in sys.argv[1:] if name.isdecimal()]))
