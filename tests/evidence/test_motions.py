"""Logged actors of kinds with a motion, next to what the rules would make of them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.worlds import recording, rulebook
from voskar.evidence.check import check

BOUNDS = [0, 0, 200, 100]
WALL = {"rect": [100, 0, 110, 100]}
Place = tuple[float, float]
Found = list[tuple[int, str]]


def findings(
    motion: dict[str, Any],
    places: list[Place | None],
    *,
    emitter: dict[str, Any] | None = None,
    owner: Callable[[int], float] = lambda frame: 20.0,
    solids: bool = True,
    mark: int = -1,
    frames: int = 0,
) -> Found:
    """A clod thrown in frame 3 from (20, 50), shown at these places from then on; None: not shown."""
    sling = {"spawn": "clod", "when": {"press": "throw"}, "speed": 300} | (emitter or {})
    data = {"space": {"bounds": BOUNDS, "gravity": 600, "solids": [WALL] if solids else []}}
    data |= {"kinds": {"keeper": {"emitters": {"sling": sling}}, "clod": {"motion": motion}}}
    book = rulebook(data)
    log = []
    for frame in range(frames or len(places) + 8):
        poses = [{"id": "keeper", "kind": "keeper", "x": owner(frame), "y": 50.0}]
        place = places[frame - 3] if 3 <= frame < 3 + len(places) else None
        if place is not None:
            poses.append({"id": "clod", "kind": "clod", "x": place[0], "y": place[1], "owner": "keeper"})
            last = places[frame - 4]
            poses[-1] |= {"cut": last is not None and abs(last[0] - place[0]) > 100}
        log.append({"poses": poses, "inputs": [{"id": "keeper", "button": "throw"}] if frame == 3 else []})
        log[-1] |= {"reset": "run"} if frame == mark else {}
    played = recording(book, log)
    verdict, _ = check(book.rules(played.rate), played)
    return [(finding.frame, finding.code) for finding in verdict.findings]


def straight(count: int, start: float = 20.0, step: float = 5.0) -> list[Place | None]:
    """Places of one that flies on along x."""
    return [(start + step * at, 50.0) for at in range(count)]


GONE = {"on_solid": "remove", "at_edge": "remove"}
BACK = {"on_solid": "bounce", "at_edge": "remove"}
AGAIN = {"on_solid": "pass", "at_edge": "wrap"}
MIRRORED = [*straight(17), *[(100.0 - 5.0 * at, 50.0) for at in range(21)]]
MIRRORED_AT_ONCE = [*straight(17), *[(95.0 - 5.0 * at, 50.0) for at in range(20)]]


@pytest.mark.parametrize(
    ("motion", "places", "told"),
    [
        (GONE, straight(17), []),  # its last frame is that in which it meets the wall
        (GONE, straight(16), [(19, "vanished")]),
        (GONE, straight(18), []),  # or is seen in the wall
        (GONE, straight(19), [(21, "path")]),
        (GONE, straight(30), [(21, "path")]),
        (BACK, [*MIRRORED, None], []),
        (BACK, [*MIRRORED_AT_ONCE, None], []),
        (BACK, straight(30), [(21, "path"), (33, "vanished")]),
        (BACK, straight(17), [(20, "vanished")]),
        (GONE | {"life": 10}, straight(10), []),
        (GONE | {"life": 10}, straight(9), [(12, "life-short")]),
        (GONE | {"life": 10}, straight(11), [(13, "life-long")]),
        (GONE, [*straight(6), (48.0, 53.0), *straight(10, 55.0)], [(9, "path")]),  # besides its path in one frame only
    ],
)  # fmt: skip
def test_what_meets_a_wall(motion: dict[str, Any], places: list[Place | None], told: Found) -> None:
    assert findings(motion, places) == told


def wrapped(count: int) -> list[Place | None]:
    """Places of one that leaves by the right edge, and comes in by the left one."""
    return [((20.0 + 5.0 * at) % 200.0, 50.0) for at in range(count)]


@pytest.mark.parametrize(
    ("motion", "places", "told"),
    [
        (AGAIN | {"life": 50}, wrapped(50), []),
        (AGAIN | {"life": 50}, wrapped(56), [(53, "life-long")]),
        (AGAIN, wrapped(50), [(53, "vanished")]),
        (GONE, straight(37), []),  # the edge is passed in the frame after the last
        (GONE, straight(36), [(39, "vanished")]),
        (GONE, straight(40), [(40, "outside")]),
        (GONE | {"gravity": 1}, [(20 + 5.0 * n, 50 + 600 / 3600 * n * (n + 1) / 2) for n in range(25)], []),
        (GONE | {"gravity": 1}, straight(24), [(3, "spawn-direction"), (8, "path")]),
        ({"at_edge": "bounce"}, [*straight(37), *[(195.0 - 5.0 * n, 50.0) for n in range(35)]], [(75, "vanished")]),
    ],
)
def test_what_meets_an_edge(motion: dict[str, Any], places: list[Place | None], told: Found) -> None:
    assert findings(motion, places, solids=False) == told


@pytest.mark.parametrize(
    ("step", "told"), [(6.0, []), (9.0, [(4, "path")]), (5.0, [(5, "path")])]  # its owner walks a unit a frame
)  # fmt: skip
def test_a_shot_takes_its_share_of_its_owners_speed(step: float, told: Found) -> None:
    places = straight(12, 23.0, step)
    found = findings(GONE, places, emitter={"inherit": 1.0}, owner=lambda frame: 20.0 + frame, frames=15)
    assert found == told if told else not found


@pytest.mark.parametrize(("first", "told"), [(25.0, []), (20.0, [(3, "spawn-place")]), (199.0, [])])
def test_a_shot_that_moves_at_once(first: float, told: Found) -> None:
    gun = {"moves_at_once": True, "muzzle": [first - 25.0, 0]} if first > 100 else {"moves_at_once": True}
    places = straight(10, first) if first < 100 else []
    found = findings(GONE, places, emitter=gun if first < 100 else gun | {"muzzle": [178, 0]}, solids=False, frames=13)
    assert found == told  # from 198 it leaves in its first move, and is never seen


def test_a_patrol_turns_at_walls_whoever_logs_it() -> None:
    data: dict[str, Any] = {"space": {"bounds": BOUNDS, "solids": [WALL]}}
    data["kinds"] = {"wax": {"motion": {"velocity": [120, 0], "on_solid": "turn"}}}
    book = rulebook(data)
    for turns, pairs in ((10, []), (14, [(12, "path")])):
        xs = [80.0 + 2.0 * at for at in range(turns + 1)]
        xs += [xs[-1] - 2.0 * at for at in range(30 - turns)]
        played = recording(book, [{"poses": [{"id": "wax", "kind": "wax", "x": x, "y": 50}]} for x in xs])
        verdict, _ = check(book.rules(played.rate), played)
        assert [(finding.frame, finding.code) for finding in verdict.findings] == pairs


def test_what_steers_itself_is_not_compared() -> None:
    data: dict[str, Any] = {"kinds": {"keeper": {"motion": {"at_edge": "stop"}}}, "space": {"bounds": BOUNDS}}
    book = rulebook(data)
    played = recording(book, [{"poses": [{"id": "k", "kind": "keeper", "x": at % 7, "y": 50}]} for at in range(30)])
    verdict, _ = check(book.rules(played.rate), played)
    assert (verdict.findings, verdict.not_compared) == ((), ("motion of keeper",))


def test_one_that_is_always_hidden_has_no_flight() -> None:
    book = rulebook({"kinds": {"puff": {"motion": {"velocity": [60, 0]}}}})
    shown = [{"poses": [{"id": "p", "kind": "puff", "x": 1, "y": 0, "hidden": True}]} for _ in range(5)]
    played = recording(book, shown)
    assert not check(book.rules(played.rate), played)[0].findings
