"""One mistake of one class put into the log of a game that plays exactly by the rules: `check` has to find it.

`python -m tests.mutants [WORLDS]` prints the table: class, drawn, found, named (a finding of its own code), first,
and after how many a root stands outside the window: more than half a second before or after what was changed.
"""

from __future__ import annotations

import copy
import json
import random
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import lru_cache
from itertools import pairwise
from typing import Any, NamedTuple

from tests.worlds import recording, rulebook
from voskar.core.recording import Recording
from voskar.core.step import replay
from voskar.core.views.perfect import perfect_log
from voskar.evidence.check import check
from voskar.files.recording import read_recording
from voskar.files.rulebook import Rulebook

Frames = list[dict[str, Any]]
Mistake = Callable[[Frames, random.Random], bool]
"""Changes a log; False where there is nothing of its class in it."""

RULES: dict[str, Any] = {
    "layers": {"names": ["keeper", "hive", "tool"]},
    "space": {"bounds": [0, -200, 900, 200]},
    "kinds": {
        "keeper": {
            "side": "keeper",
            "health": 3,
            "lives": 3,
            "iframes": 12,
            "down": {"lasts": 10, "clip": "fall"},
            "clips": {"fall": {"cells": 4, "rate": 30}},
            "respawn": {"after": 20, "at": [100, 0], "iframes": 15},
            "boxes": {"torso": {"role": "hurtbox", "rect": [10, 30], "layer": ["keeper"]}},
            "emitters": {
                "smoker": {"spawn": "puff", "when": {"press": "smoke"}, "cooldown": 8, "muzzle": [8, 0], "speed": 240}
            },
        },
        "hornet": {
            "side": "hive",
            "health": 6,
            "boxes": {
                "sting": {"role": "hitbox", "attack": "sting", "circle": 6, "mask": ["keeper"]},
                "belly": {"role": "hurtbox", "circle": 6, "layer": ["hive"]},
            },
        },
        "puff": {
            "motion": {"life": 30, "at_edge": "remove"},
            "boxes": {"smoke": {"role": "hitbox", "attack": "fumes", "circle": 4, "mask": ["hive"], "swept": True}},
        },
    },
    "attacks": {
        "sting": {"damage": 1, "target": {"knockback": {"distance": 24, "over": 8, "direction": "flat"}}},
        "fumes": {"damage": 1, "attacker": {"remove": True}},
    },
}
SCORED = copy.deepcopy(RULES)
"""The same with hornets that die, for points."""
SCORED["kinds"]["hornet"] |= {"health": 4, "down": {"worth": 50}}


def varied(draw: random.Random, rules: dict[str, Any] = RULES) -> dict[str, Any]:
    """The same rules, in which some of the keys of a rulebook come and go."""
    rules = copy.deepcopy(rules)
    keeper, hornet = rules["kinds"]["keeper"], rules["kinds"]["hornet"]
    sting, fumes = rules["attacks"]["sting"], rules["attacks"]["fumes"]
    changes: list[Callable[[], Any]] = [
        lambda: keeper.pop("iframes"),
        lambda: keeper.pop("lives"),
        lambda: keeper.pop("respawn", None),
        lambda: fumes["attacker"].pop("remove"),
        lambda: hornet.update(health=draw.randrange(1, 4), down={"worth": 10 * draw.randrange(1, 9)}),
        lambda: hornet.update(health=draw.randrange(1, 4), down={"lasts": draw.randrange(4, 20)}),
        lambda: hornet.update(health=2, respawn={"after": draw.randrange(5, 40), "at": "start"}),
        lambda: sting["target"].pop("knockback"),
        lambda: sting["target"].setdefault("knockback", {"distance": 15, "over": 6}).update(ease="fade"),
        lambda: sting["target"].update(stun=draw.randrange(3, 20)),
        lambda: sting["target"].update(launch=60 * draw.randrange(2, 9)),
        lambda: fumes.update(hitstop=draw.randrange(2, 6)),
        lambda: sting.update(
            hitstop=draw.randrange(2, 6), hitstop_on=draw.choice(["both", "attacker", "target", "all"])
        ),
        lambda: keeper.update(health=draw.randrange(1, 3)),
    ]
    for change in changes:
        if draw.random() < 0.25:
            change()
    return rules


LENGTH = 200


def world(draw: random.Random, rules: dict[str, Any] = RULES) -> tuple[Rulebook, Recording]:
    """A keeper that stands and smokes, and hornets that come and go."""
    book = rulebook(rules)
    visits = [(draw.randrange(10, LENGTH - 60), draw.choice([-1, 1])) for _ in range(4)]
    presses = {frame + late for frame in range(5, LENGTH - 40, draw.randrange(9, 30)) for late in (0, 1)}
    frames: Frames = []
    for frame in range(LENGTH):
        poses: list[dict[str, Any]] = [
            {"id": "keeper", "kind": "keeper", "x": 300, "y": 0, "clip": "idle", "tick": frame}
        ]
        for number, (start, side) in enumerate(visits):
            x = 300 + side * max(abs(frame - start - 20) * 4 - 40, 2)
            poses.append({"id": f"hornet-{number}", "kind": "hornet", "x": x, "y": 0})
        held = [{"id": "keeper", "button": "smoke"}] if frame in presses else []
        frames.append({"poses": poses, "inputs": held})
    return book, recording(book, frames, reactions="raw")


def _claims(frames: Frames, event: str) -> list[tuple[int, int]]:
    return [
        (at, k)
        for at, fields in enumerate(frames)
        for k, claim in enumerate(fields.get("claims", ()))
        if claim["event"] == event
    ]


def _pick(frames: Frames, draw: random.Random, event: str) -> tuple[int, dict[str, Any]] | None:
    """Takes out a claim, not one at the ends."""
    found = [(at, k) for at, k in _claims(frames, event) if 2 < at < len(frames) - 40]
    if not found:
        return None
    at, k = draw.choice(found)
    return at, frames[at]["claims"].pop(k)


def shifted(event: str, by: int) -> Mistake:
    """An event claimed some frames late, or early."""

    def change(frames: Frames, draw: random.Random) -> bool:
        found = _pick(frames, draw, event)
        if found is not None:
            frames[found[0] + by].setdefault("claims", []).append(found[1])
        return found is not None

    return change


def dropped(event: str) -> Mistake:
    """An event that is not claimed."""
    return lambda frames, draw: len(_claims(frames, event)) > 1 and _pick(frames, draw, event) is not None


def doubled(event: str) -> Mistake:
    """An event claimed twice in its frame."""

    def change(frames: Frames, draw: random.Random) -> bool:
        found = _pick(frames, draw, event)
        if found is not None:
            frames[found[0]]["claims"] += [found[1], dict(found[1])]
        return found is not None

    return change


def added(health: float | None = None, apart: bool = False) -> Mistake:
    """A hit on the keeper that never was: its boxes touch some hornet's, or `apart` no actor's; the first one in the
    i-frames of another."""

    def change(frames: Frames, draw: random.Random) -> bool:
        hits = {at for at, k in _claims(frames, "hit") if frames[at]["claims"][k]["target"] == "keeper"}
        for at in draw.sample(range(10, len(frames) - 50), len(frames) - 60):
            poses = {pose["id"]: pose for pose in frames[at]["poses"]}
            keeper, after = poses.get("keeper"), [hit for hit in hits if at - 12 <= hit < at]
            near = [pose for pose in poses.values() if pose["kind"] == "hornet" and keeper is not None]
            near = [item for item in near if (abs(item["x"] - keeper["x"]) < 8) != apart]  # type: ignore[index]
            if near and keeper is not None and keeper.get("clip") != "fall" and (apart or after):
                claim = {"event": "hit", "attacker": near[0]["id"], "target": "keeper", "attack": "sting"}
                frames[at].setdefault("claims", []).append(claim | ({} if health is None else {"damage": health}))
                return True
        return False

    return change


def shown(field: str, by: float) -> Mistake:
    """Another value on the display, for a while."""

    def change(frames: Frames, draw: random.Random) -> bool:
        start = draw.randrange(5, len(frames) - 60)
        for frame in frames[start : start + 12]:
            frame["display"][0][field] += by
        return True

    return change


def valued(event: str, field: str, by: float) -> Mistake:
    """An event claimed with another value."""

    def change(frames: Frames, draw: random.Random) -> bool:
        found = _pick(frames, draw, event)
        if found is None or field not in found[1]:
            return False
        frames[found[0]]["claims"].append(found[1] | {field: found[1][field] + by})
        return True

    return change


def _poses(frames: Frames, kind: str) -> dict[str, list[tuple[int, dict[str, Any]]]]:
    found: dict[str, list[tuple[int, dict[str, Any]]]] = {}
    for at, fields in enumerate(frames):
        for pose in fields["poses"]:
            if pose["kind"] == kind:
                found.setdefault(pose["id"], []).append((at, pose))
    return found


def state(field: str, by: float, length: int = 6) -> Mistake:
    """A state told otherwise for some frames."""

    def change(frames: Frames, draw: random.Random) -> bool:
        own = [(at, pose) for at, pose in _poses(frames, "keeper")["keeper"] if field in pose]
        if len(own) < 40:
            return False
        start = draw.randrange(5, len(own) - length - 5)
        before = [pose[field] for _, pose in own]
        for _, pose in own[start : start + length]:
            pose[field] = not pose[field] if field == "immune" else max(pose[field] + by, 0)
        return before != [pose[field] for _, pose in own]

    return change


def _down(frames: Frames) -> tuple[int, int] | None:
    """The keeper's first death and its return."""
    falls, backs = (
        [at for at, k in _claims(frames, event) if frames[at]["claims"][k]["id"] == "keeper"]
        for event in ("down", "respawn")
    )
    if not falls or not backs:
        return None
    return falls[0], next((at for at in backs if at > falls[0]), len(frames))


def walks(frames: Frames, draw: random.Random) -> bool:
    """A body that moves while it is down."""
    span = _down(frames)
    if span is None:
        return False
    for at, pose in _poses(frames, "keeper")["keeper"]:
        if span[0] + 2 <= at < span[0] + 10:
            pose["x"] += 3 * (at - span[0] - 1)
    return True


def cut_death(frames: Frames, draw: random.Random) -> bool:
    """A death that is over too soon."""
    span = _down(frames)
    if span is None:
        return False
    for at in range(span[0] + 4, span[1]):
        frames[at]["poses"] = [pose for pose in frames[at]["poses"] if pose["id"] != "keeper"]
    return True


def late_return(frames: Frames, draw: random.Random) -> bool:
    """One that comes back later than it should."""
    span = _down(frames)
    if span is None or span[1] + 12 >= len(frames):
        return False
    for at in range(span[1], span[1] + 7):
        frames[at]["poses"] = [pose for pose in frames[at]["poses"] if pose["id"] != "keeper"]
    return True


def frozen(frames: Frames, draw: random.Random) -> bool:
    """A death clip that is not shown."""
    span = _down(frames)
    if span is None:
        return False
    for at, pose in _poses(frames, "keeper")["keeper"]:
        if span[0] < at < span[1]:
            pose |= {"clip": "idle", "tick": 3}
    return True


def stands_still(frames: Frames, draw: random.Random) -> bool:
    """A death clip that never gets on."""
    span = _down(frames)
    if span is None:
        return False
    for at, pose in _poses(frames, "keeper")["keeper"]:
        if span[0] < at < span[1]:
            pose["tick"] = min(pose["tick"], 2)
    return True


def goes_on(frames: Frames, draw: random.Random) -> bool:
    """A push that does not end: the keeper slides on for a while, and stays there."""
    own = _poses(frames, "keeper")["keeper"]
    steps = [(at, pose["x"] - before["x"]) for (_, before), (at, pose) in pairwise(own)]
    alike = [k for k in range(1, len(steps) - 12) if len({round(step, 6) for _, step in steps[k : k + 8]}) == 1]
    whole = [k for k in alike if abs(steps[k][1]) > 2.9 and {step for _, step in steps[k + 8 : k + 12]} == {0}]
    held = [bool(frame.get("inputs")) for frame in frames]
    whole = [k for k in whole if len(set(held[steps[k][0] - 1 : steps[k][0] + 12])) == 1]  # else a button explains it
    if not whole:
        return False
    at, step = steps[whole[0]]
    for later in range(at + 8, len(frames)):
        for pose in frames[later]["poses"]:
            if pose["id"] == "keeper":
                pose["x"] += step * min(later - at - 7, 4)
    return True


def pushed(share: float) -> Mistake:
    """A push of another length, or none."""

    def change(frames: Frames, draw: random.Random) -> bool:
        own = _poses(frames, "keeper")["keeper"]
        steps = [(at, pose["x"] - before["x"]) for (_, before), (at, pose) in pairwise(own)]
        begins = [k for k, (_, step) in enumerate(steps) if abs(step) > 2.9 and (k == 0 or abs(steps[k - 1][1]) < 2.9)]
        begins = [
            k for k in begins if len({round(step, 6) for _, step in steps[k : k + 8]}) == 1 and k < len(steps) - 12
        ]
        held = [bool(frame.get("inputs")) for frame in frames]
        begins = [k for k in begins if len(set(held[max(steps[k][0] - 2, 0) : steps[k][0] + 9])) == 1]  # else undecided
        if not begins:
            return False
        start = begins[0]
        off = 0.0
        for k, (at, step) in enumerate(steps):
            if start <= k < start + 8:
                off += step * (share - 1)
            if k >= start:
                next(pose for pose in frames[at]["poses"] if pose["id"] == "keeper")["x"] += off
        for shot in _poses(frames, "puff").values():
            if shot[0][0] >= steps[start][0] + 8:
                for _, pose in shot:
                    pose["x"] += off
        return True

    return change


def _shots(frames: Frames) -> list[list[tuple[int, dict[str, Any]]]]:
    return [pose for pose in _poses(frames, "puff").values() if len(pose) > 8 and pose[-1][0] < len(frames) - 12]


def shot_lives_on(frames: Frames, draw: random.Random) -> bool:
    """A shot that flies on after its end."""
    shots = _shots(frames)
    if not shots:
        return False
    at, pose = draw.choice(shots)[-1]
    for later in range(1, 8):
        frames[at + later]["poses"].append(pose | {"x": pose["x"] + 4 * later})
    return True


def shot_turns(frames: Frames, draw: random.Random) -> bool:
    """A shot that leaves its path."""
    shots = _shots(frames)
    if not shots:
        return False
    for k, (_, pose) in enumerate(draw.choice(shots)):
        pose["y"] += 2.0 * max(k - 2, 0)
    return True


def shot_late(frames: Frames, draw: random.Random) -> bool:
    """A shot that appears later, and elsewhere."""
    shots = _shots(frames)
    if not shots:
        return False
    for at, pose in draw.choice(shots)[:3]:
        frames[at]["poses"].remove(pose)
    return True


def shot_lost(frames: Frames, draw: random.Random) -> bool:
    """A shot that is fired and never shown."""
    shots = _shots(frames)
    if len(shots) < 2:
        return False
    for at, pose in draw.choice(shots):
        frames[at]["poses"].remove(pose)
        for frame in frames[at : at + 2]:
            frame["claims"] = [claim for claim in frame.get("claims", ()) if claim.get("attacker") != pose["id"]]
    return True


def shot_beside(frames: Frames, draw: random.Random) -> bool:
    """A shot that leaves besides its muzzle."""
    shots = _shots(frames)
    for _, pose in draw.choice(shots) if shots else ():
        pose["y"] += 5
    return bool(shots)


MUTANTS: dict[str, tuple[Mistake, tuple[str, ...]]] = {
    "a hit a frame late": (shifted("hit", 1), ("hit-moved",)),
    "a hit a frame early": (shifted("hit", -1), ("hit-moved",)),
    "a hit not claimed": (dropped("hit"), ("hit-missing",)),
    "a hit claimed twice": (doubled("hit"), ("hit-denied", "hit-moved")),
    "a hit in i-frames": (added(), ("hit-denied",)),
    "a hit from afar": (added(apart=True), ("hit-denied",)),
    "a hit that kills": (added(health=3), ("hit-denied",)),
    "another score": (shown("score", 50), ("display",)),
    "another health bar": (shown("health", -1), ("display",)),
    "another damage": (valued("hit", "damage", 1), ("hit-damage",)),
    "down a frame late": (shifted("down", 1), ("event-moved",)),
    "down not claimed": (dropped("down"), ("event-missing",)),
    "down with other lives": (valued("down", "lives", 1), ("event-values",)),
    "a return elsewhere": (valued("respawn", "x", 30), ("event-values",)),
    "a return a frame late": (shifted("respawn", 1), ("event-moved",)),
    "other health": (state("health", -1), ("health",)),
    "other lives": (state("lives", 1), ("lives",)),
    "other i-frames": (state("immune", 0), ("state-immune",)),
    "walks while down": (walks, ("down-moves",)),
    "a death cut short": (cut_death, ("down-short",)),
    "a late return": (late_return, ("respawn-late", "event-moved")),
    "no death clip": (frozen, ("down-clip",)),
    "a death clip that freezes": (stands_still, ("down-clip",)),
    "a push that goes on": (goes_on, ("unexplained-motion",)),
    "half a push": (pushed(0.5), ("knockback",)),
    "no push": (pushed(0.0), ("knockback",)),
    "a push the other way": (pushed(-1.0), ("knockback",)),
    "a shot lives on": (shot_lives_on, ("life-long", "still-active")),
    "a shot turns": (shot_turns, ("path", "spawn-direction")),
    "a shot appears late": (shot_late, ("spawn-moved",)),
    "a shot is lost": (shot_lost, ("spawn-missing",)),
    "a shot leaves beside its muzzle": (shot_beside, ("spawn-place",)),
}


def logged(book: Rulebook, header: dict[str, Any], frames: Frames) -> Recording:
    """A log as a recording."""
    return read_recording([json.dumps(frame).encode() for frame in (header, *frames)], "log.jsonl", book)


@lru_cache(maxsize=8)
def perfect(seed: int) -> tuple[Rulebook, dict[str, Any], Frames]:
    """The log of a game without a mistake, with the score and the keeper's health on its display."""
    book, played = world(random.Random(seed), SCORED)
    rules = book.rules(played.rate)
    header, frames = perfect_log(rules, played)
    score, health = 0.0, 3.0
    events = replay(rules, played).events
    for frame in frames:
        for event in (event for event in events if event.frame == frame["frame"]):
            score = event.total or 0.0 if event.event == "score" else score
            if event.id == "keeper" and event.event in ("health", "respawn"):
                health = event.after if event.after is not None else 3.0
        frame["display"] = [{"id": "keeper", "score": score, "health": health}]
    return book, header, told(frames, seed % 3)


STATES = ("health", "lives", "immune", "stunned")


def told(frames: Frames, level: int) -> Frames:
    """What different games log: 0 everything, 1 no states, 2 no states and no shots either, which the rules drive."""
    for frame in frames if level else ():
        frame["poses"] = [
            {key: value for key, value in pose.items() if key not in STATES}
            for pose in frame["poses"]
            if level == 1 or pose["kind"] != "puff"
        ]
        for claim in frame.get("claims", ()) if level == 2 else ():
            if "attacker" in claim:
                claim["attacker"] = claim["attacker"].replace("keeper.", "keeper/")
    return frames


class Outcome(NamedTuple):
    """What became of a mistake."""

    found: bool
    named: bool
    first: bool
    """The first finding that is reported names it."""
    outside: tuple[str, ...]
    """Roots that stand outside the window."""


def tried(name: str, seed: int) -> Outcome | None:
    """Puts a mistake into the log of a world; None where the world has no room for it."""
    book, header, right = perfect(seed)
    frames = copy.deepcopy(right)
    mistake, codes = MUTANTS[name]
    if not mistake(frames, random.Random(f"{name} {seed}")):
        return None
    changed = [at for at, (frame, other) in enumerate(zip(frames, right, strict=True)) if frame != other]
    if not changed:
        return None
    log = logged(book, header, frames)
    verdict, _ = check(book.rules(log.rate), log)
    near = round(log.rate / 2)
    roots = [root for root, _ in verdict.roots]
    outside = [root for root in roots if not changed[0] - near <= root.frame <= changed[-1] + near]
    return Outcome(
        bool(roots),
        any(finding.code in codes for finding in verdict.findings),
        bool(roots) and roots[0].code in codes,
        tuple(f"{root.code} {root.frame}" for root in outside),
    )


def of_world(seed: int) -> list[tuple[str, Outcome | None]]:
    """Every mistake in one world."""
    return [(name, tried(name, seed)) for name in MUTANTS]


def main(count: int = 220) -> None:
    """The table."""
    rows: dict[str, list[tuple[int, Outcome]]] = {name: [] for name in MUTANTS}
    with ProcessPoolExecutor() as pool:
        for seed, results in enumerate(pool.map(of_world, range(count))):
            for name, outcome in results:
                if outcome is not None:
                    rows[name].append((seed, outcome))
    print("| mistake | drawn | found | named | named first | root outside |\n|---|--:|--:|--:|--:|--:|")
    sums = [0] * 5
    for name, outcomes in rows.items():
        row = [len(outcomes)]
        row += [sum(bool(outcome[k]) for _, outcome in outcomes) for k in range(4)]
        sums = [a + b for a, b in zip(sums, row, strict=True)]
        print(f"| {name} | {' | '.join(map(str, row))} |")
        if "-v" in sys.argv:
            print([(seed, *outcome) for seed, outcome in outcomes if not outcome.first or outcome.outside][:4])
    print(f"| all | {' | '.join(map(str, sums))} |")


if __name__ == "__main__":
    main(*map(int, [name for name in sys.argv[1:] if name.isdecimal()]))
