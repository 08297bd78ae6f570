"""One mistake, one root: whatever only follows from it is folded into it, and a mistake of its own is not."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.views.perfect import perfect_log
from voskar.core.views.timeline import timeline
from voskar.evidence.check import check

Frames = list[dict[str, Any]]
Mistake = Callable[[Frames], None]
IFRAMES: dict[str, Any] = {"iframes": 20, "health": 9}
LIFE: dict[str, Any] = {"health": 2, "lives": 2, "down": {"worth": 50}, "respawn": {"after": 10}}
WASP = {"side": "hive", "motion": {"life": 40}, "boxes": {"tip": {"role": "hitbox", "attack": "jab", "circle": 3,
                                                                  "mask": ["keeper"], "swept": True}}}  # fmt: skip


def world(keeper: dict[str, Any], *, held: int = 8, **kinds: Any) -> dict[str, Any]:
    """A keeper, hornets that sting it, a nest whose wasps fly at it, and a drum that it smokes."""
    rules = sting(keeper=keeper)
    rules["kinds"] |= {
        "nest": {"side": "hive", "emitters": {"spout": {"spawn": "wasp", "when": {"hold": "swarm"}, "cooldown": held,
                                                        "speed": 300, "aim": 180}}},
        "wasp": WASP,
    } | kinds  # fmt: skip
    rules["attacks"]["jab"] = {"damage": 1, "attacker": {"remove": True}}
    return rules


def played(rules: dict[str, Any], touch: dict[str, str], held: str = "") -> tuple[Any, dict[str, Any], Frames]:
    """The log of a game that plays by the rules, with its score on the display; a nest shoots while "#" is held."""
    book = rulebook(rules)
    frames = brush(touch)
    for frame, mark in zip(frames, held.ljust(len(frames), "."), strict=True):
        frame["poses"].append({"id": "nest", "kind": "nest", "x": 60, "y": 0})
        frame["inputs"] = [{"id": "nest", "button": "swarm", "down": mark == "#"}]
    raw = recording(book, frames, reactions="raw")
    header, log = perfect_log(book.rules(raw.rate), raw)
    score = timeline(book.rules(raw.rate), raw, check(book.rules(raw.rate), raw)[1]).score
    for frame in log:
        total = sum(points.now(frame["frame"]) or 0 for points in score.values())
        frame["display"] = [{"id": "hornet", "score": total}]
    return book, header, log


def roots(book: Any, header: dict[str, Any], frames: Frames) -> list[tuple[str, int]]:
    log = recording(book, frames, **{key: value for key, value in header.items() if key not in ("voskar", "version")})
    return [(root.code, root.frame) for root, _ in check(book.rules(log.rate), log)[0].roots]


def quiet(frames: Frames) -> None:
    """A game that logs no states."""
    for frame in frames:
        for pose in frame["poses"]:
            for key in ("health", "lives", "immune", "stunned"):
                pose.pop(key, None)


def without(frame: int, event: str = "hit") -> Mistake:
    def change(frames: Frames) -> None:
        frames[frame]["claims"] = [claim for claim in frames[frame]["claims"] if claim["event"] != event]

    return change


def claimed(frame: int, **claim: Any) -> Mistake:
    hit = {"event": "hit", "attacker": "hornet", "target": "keeper", **claim}
    return lambda frames: frames[frame].setdefault("claims", []).append(hit)


def moved(frame: int, to: int) -> Mistake:
    def change(frames: Frames) -> None:
        hits = [claim for claim in frames[frame]["claims"] if claim["event"] == "hit"]
        frames[frame]["claims"] = [claim for claim in frames[frame]["claims"] if claim["event"] != "hit"]
        frames[to].setdefault("claims", []).extend(hits)

    return change


def both(*changes: Mistake) -> Mistake:
    return lambda frames: [change(frames) for change in changes] and None


def wasp(change: Callable[[dict[str, Any], int], None], number: int = 1) -> Mistake:
    """Changes every pose of a wasp, by its age."""

    def changed(frames: Frames) -> None:
        own = [pose for frame in frames for pose in frame["poses"] if pose["id"] == f"nest.spout-{number}"]
        for age, pose in enumerate(own):
            change(pose, age)

    return changed


def stays(name: str, first: int, last: int) -> Mistake:
    """An actor is shown on where it was last."""

    def change(frames: Frames) -> None:
        pose = next(pose for frame in reversed(frames[:first]) for pose in frame["poses"] if pose["id"] == name)
        for frame in frames[first : last + 1]:
            frame["poses"].append(dict(pose))

    return change


def aside(pose: dict[str, Any], age: int) -> None:
    pose["y"] += 30


def askew(pose: dict[str, Any], age: int) -> None:
    pose["y"] += 5 * age
    pose.pop("vx", None)
    pose.pop("vy", None)


TWO, THREE = {"hornet": "..#.....#......#..............#.........."}, {"hornet": "..#" + "......#" * 8}
CASES: dict[str, tuple[dict[str, Any], dict[str, str], str, Mistake, list[tuple[str, int]]]] = {
    # rules, contact, button; the mistake; the roots
    "a right game": (world(IFRAMES), TWO, "#" * 30, lambda frames: None, []),
    "a lost claim of a hit that gives i-frames": (world(IFRAMES), TWO, "", without(2), [("hit-missing", 2)]),
    "a claim too many": (world(IFRAMES), {"hornet": "........#......#.............#.........."}, "", claimed(2),
                         [("hit-denied", 2)]),
    "a kill that never was, and the score ever after": (world(LIFE), THREE, "", claimed(6, damage=2),
                                                        [("hit-denied", 6)]),
    "a kill that is not claimed": (world(LIFE), THREE, "", without(9), [("hit-missing", 9)]),
    "a shot that is shown until its hit, which came late": (
        world({"health": 9}), {"hornet": "." * 40}, "#", both(moved(11, 14), stays("nest.spout-1", 12, 14)),
        [("hit-moved", 14)]),
    "a shot that leaves elsewhere": (
        world({"health": 9}), {"hornet": "." * 60}, "#", both(quiet, wasp(aside), without(11)),
        [("spawn-place", 0)]),
    "a shot that flies another way": (
        world({"health": 9}), {"hornet": "." * 60}, "#", both(quiet, wasp(askew), without(11)),
        [("spawn-direction", 0)]),
    "a run that should be over": (
        world({"health": 2, "lives": 1}), {"hornet": "..#...#...#...#...#...#.."}, "",
        both(without(6, "down"), without(6, "out"), without(6, "over"), claimed(10), claimed(14), claimed(18)),
        [("event-missing", 6)]),
    "two mistakes that have nothing to do with each other": (
        world(IFRAMES), {"hornet": "#" + "." * 40 + "#......"}, "", both(without(0), without(41)),
        [("hit-missing", 0), ("hit-missing", 41)]),
    "the second within the i-frames of a hit that the game has": (
        world(IFRAMES), {"hornet": "#......#" + "." * 40}, "", claimed(7), [("hit-denied", 7)]),
}  # fmt: skip


@pytest.mark.parametrize("states", [True, False], ids=["states", "no states"])
@pytest.mark.parametrize("name", CASES)
def test_what_follows_is_folded(name: str, states: bool) -> None:
    rules, touch, held, mistake, expected = CASES[name]
    book, header, frames = played(rules, touch, held)
    if not states:
        quiet(frames)
    assert roots(book, header, frames) == []
    mistake(frames)
    assert roots(book, header, frames) == expected


def test_a_short_cooldown_is_one_mistake() -> None:
    """Each shot is a frame early by the cooldown since the last one that was shown, and follows from the first."""
    _, header, frames = played(world({"health": 9}, held=7), {"hornet": "." * 90}, "#" * 60)
    book = rulebook(world({"health": 9}, held=8))
    assert roots(book, header, frames) == [("spawn-moved", 7)]


def test_a_shot_between_two_that_are_due_is_one_mistake() -> None:
    book, header, frames = played(world({"health": 9}), {"hornet": "." * 90}, "#" * 60)
    for age in range(10):
        frames[11 + age]["poses"].append(
            {"id": "extra", "kind": "wasp", "owner": "nest", "x": 60 - 5 * age, "y": 50, "vx": -300, "vy": 0}
        )
    found = roots(book, header, frames)
    assert found[0] == ("spawn-unexpected", 11)
    assert all(code != "spawn-unexpected" and frame < 40 for code, frame in found[1:])


def test_the_shots_of_one_that_should_be_gone_follow_from_it() -> None:
    """A hornet is consumed by its own sting; the game shows it on, and it continues shooting."""
    gun = {"spawn": "wasp", "when": {"hold": "swarm"}, "cooldown": 8, "speed": 300, "aim": 90}
    rules = sting(keeper={"health": 9}, hornet={"emitters": {"gun": gun}}, attack={"attacker": {"remove": True}})
    rules["kinds"]["wasp"] = WASP
    rules["attacks"]["jab"] = {"damage": 1}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 40})
    for at, frame in enumerate(frames):
        frame["poses"][1] |= {"x": 30 - 3 * at}
        frame["inputs"] = [{"id": "hornet", "button": "swarm", "down": True}]
    raw = recording(book, frames, reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    gone = next(at for at, frame in enumerate(log) if len([p for p in frame["poses"] if p["id"] == "hornet"]) == 0)
    for at in range(gone, 40):
        log[at]["poses"].append({"id": "hornet", "kind": "hornet", "x": 30 - 3 * at, "y": 0})
        for start in range(16, at + 1, 8):
            place = {"x": 30 - 3 * start, "y": 5 * (at - start)}
            log[at]["poses"].append({"id": f"late-{start}", "kind": "wasp", "owner": "hornet", **place})
    played = recording(book, log, reactions="baked")
    for resync in (True, False):
        verdict, _ = check(book.rules(60), played, resync=resync)
        assert [root.code for root, _ in verdict.roots] == ["still-active"]
        assert resync or "spawn-unexpected" in {finding.code for finding in verdict.findings}
