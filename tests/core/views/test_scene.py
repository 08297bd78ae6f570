"""One frame as plain shapes, and the outline of shapes that are drawn in parts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from tests.worlds import recording, rulebook, sting
from voskar.core.adopt.window import Window
from voskar.core.rules import DEFAULT_RATE
from voskar.core.views.scene import Scene, scene
from voskar.core.watching import watched
from voskar.drawing.boxes import outline
from voskar.drawing.frame import View, view_bounds


def seen(box: dict[str, Any], xs: list[float], frame: int, trail: int = 0, **pose: Any) -> Scene:
    """A hornet with a swept sting of a shape that goes along x, and a keeper at 0."""
    data = sting()
    sting_box = data["kinds"]["hornet"]["boxes"]["sting"]
    sting_box.pop("circle")
    sting_box |= {"swept": True, "layer": ["hive"], **box}
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    frames = [{"poses": [keeper, {"id": "h", "kind": "hornet", "x": x, "y": 2, **pose}]} for x in xs]
    book = rulebook(data)
    played = recording(book, frames)
    seen = watched(book.rules(played.rate), played)
    return scene(book.rules(played.rate), seen.recording, seen.ledger, frame, trail)


def test_boxes_ways_and_contacts() -> None:
    found = seen({"rect": [4, 2]}, [-60, -40, 40], 2)
    hurt, hit = found.boxes
    assert (hurt.role, hurt.layers, hurt.way) == ("hurtbox", ("keeper",), None)
    assert (hit.name, hit.layers, hit.bounds, hit.way) == ("sting", ("hive",), (38, 1, 42, 3), (80, 0))
    assert [(event.outcome, event.t) for event in found.contacts] == [("landed", pytest.approx(33 / 80))]
    assert seen({"rect": [4, 2]}, [-60, -40], 1).contacts == ()


@pytest.mark.parametrize(
    ("box", "bounds"),
    [
        ({"circle": 3}, (-43, -1, -37, 5)),
        ({"capsule": [2, 6]}, (-45, 0, -35, 4)),
        ({"rect": [4, 2], "grow": 1}, (-43, 0, -37, 4)),
        ({"polygon": [[0, 0], [6, 0], [0, 3]]}, (-40, 2, -34, 5)),
    ],
)
def test_roundings_are_drawn_out(box: dict[str, Any], bounds: tuple[float, ...]) -> None:
    assert seen(box, [-40], 0).boxes[1].bounds == pytest.approx(bounds)


def test_actors_headings_and_trails() -> None:
    found = seen({"circle": 1}, [-60, -50, -40, -30], 3, trail=2, facing=-1)
    keeper, hornet = found.actors
    assert (keeper.heading, abs(hornet.heading), hornet.kind) == (0, 180, "hornet")
    np.testing.assert_array_equal(hornet.trail, [[-50, 2], [-40, 2], [-30, 2]])
    assert [actor.id for actor in seen({"circle": 1}, [-9], 0, hidden=True).actors] == ["keeper"]


def test_views_show_all_that_is_asked_for() -> None:
    found = seen({"circle": 1}, [-60], 0)
    rules = rulebook(sting()).rules(DEFAULT_RATE)
    assert view_bounds(View(region=(0, 0, 5, 5)), rules, [found]) == (0, 0, 5, 5)
    for view, left, right in ((View(), -61, 5), (View(actors=("keeper",)), -5, 5)):
        x0, y0, x1, y1 = view_bounds(view, rules, [found])
        assert x0 < left
        assert x1 > right
        assert (x1 - x0) / (y1 - y0) >= 1.64  # never taller than a picture is


def length(lines: Sequence[Any]) -> float:
    return sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in lines)


def test_outline_of_parts_leaves_out_what_others_cover() -> None:
    left = np.array([[0, 0], [2, 0], [2, 2], [0, 2]], dtype=float)
    whole, overlapping = (outline([left, left + np.array(by)]) for by in ((2, 0), (1, 1)))
    assert length(whole) == pytest.approx(12)  # around 4 by 2: the side they share is inside
    assert length(overlapping) == pytest.approx(12, abs=0.3)
    assert (len(whole), len(overlapping)) == (6, 8)  # whole sides, so that dashes show


def test_what_sticks_out_comes_in_again_where_edges_are_one() -> None:
    data: dict[str, Any] = {
        "space": {"bounds": [0, 0, 100, 50]},
        "kinds": {"moth": {"wraps": True, "boxes": {"wing": {"role": "hurtbox", "rect": [10, 4]}}}},
    }
    book = rulebook(data)
    played = recording(book, [{"poses": [{"id": "m", "kind": "moth", "x": 98, "y": 1}]}])
    found = scene(book.rules(played.rate), played, watched(book.rules(played.rate), played).ledger, 0)
    assert sorted(box.bounds for box in found.boxes) == [
        (-7.0, -1.0, 3.0, 3.0), (-7.0, 49.0, 3.0, 53.0), (93.0, -1.0, 103.0, 3.0), (93.0, 49.0, 103.0, 53.0),
    ]  # fmt: skip


def driven(
    kind: dict[str, Any], frames: int, frame: int, shown: list[dict[str, Any]] | None = None, **more: Any
) -> Scene:
    """A keeper at 0 with a smoker, in a space with a wall at 20; `shown` are poses in frame 2."""
    data: dict[str, Any] = {
        "layers": {"names": ["all"]},
        "space": {"bounds": [-50, -50, 50, 50], "solids": [{"rect": [20, -50, 30, 50]}]},
        "kinds": {"keeper": {"boxes": {}}, "ball": kind},
        **more,
    }
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    poses = [[keeper, *(shown or ())] if number == 2 else [keeper] for number in range(frames)]
    book = rulebook(data)
    played = recording(book, [{"poses": pose} for pose in poses])
    seen = watched(book.rules(played.rate), played)
    return scene(book.rules(played.rate), seen.recording, seen.ledger, frame, 60)


BALL = {"motion": {"velocity": [240, 0], "on_solid": "bounce"}, "boxes": {}}


@pytest.mark.parametrize(
    ("motion", "start", "expected"),
    [
        ({"on_solid": "bounce"}, [1, 0], [(20, 0)]),
        ({"on_solid": "bounce", "gravity": 1}, [1, 0], [(20, 0)]),  # which falls, too, and that is no bounce
        ({"velocity": [-240, 0], "on_solid": "pass", "at_edge": "bounce"}, [1, 0], [(-50, 0)]),
        ({"on_solid": "stop"}, [1, 0], []),
        ({"velocity": [-240, 0], "at_edge": "wrap", "on_solid": "bounce"}, [-30, 0], [(30, 0)]),
    ],
)
def test_bounces_are_told_once(motion: dict[str, Any], start: list[float], expected: list[tuple[float, float]]) -> None:
    kind = BALL | {"motion": BALL["motion"] | motion}
    found = driven(kind, 16, 15, fixtures=[{"kind": "ball", "at": start}])
    assert len(found.bounces) == len(expected)
    for (x, y), (wall, level) in zip(found.bounces, expected, strict=True):
        assert (x, y) == (pytest.approx(wall, abs=4.1), pytest.approx(level, abs=1))


@pytest.mark.parametrize(("x", "apart"), [(None, None), (9, 3.0), (30, 24.0)])
def test_an_expected_shot_says_what_is_shown(x: float | None, apart: float | None) -> None:
    gun = {
        "spawn": "ball",
        "when": {"every": 9, "first": 2},
        "muzzle": [6, 0],
        "pivot": [0, 4],
        "turns": True,
        "aim": 0,
    }
    kinds = {"keeper": {"emitters": {"gun": gun}, "boxes": {}}, "ball": BALL}
    pose = {"id": "spark", "kind": "ball", "x": x, "y": 0, "owner": "keeper"}
    found = driven(BALL, 5, 2, [] if x is None else [pose], kinds=kinds)
    (shot,) = (shot for shot in found.shots if shot.emitter == "gun")
    assert (shot.pivot, shot.expected) == ((0, 4), x is not None)
    assert shot.shown == (None if x is None else ("spark", pytest.approx(apart)))


def test_claims_within_the_window_of_what_lands() -> None:
    claims: list[dict[str, Any]] = [
        {"event": "hit", "attacker": "h", "target": "keeper"},
        {"event": "hit", "attacker": "h"},
    ]
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    frames: list[dict[str, Any]] = [
        {"poses": [keeper, {"id": "h", "kind": "hornet", "x": x, "y": 2}]} for x in (-60, 0, 60, 60, 60)
    ]
    frames[3]["claims"], frames[4]["claims"] = claims[:1], claims[1:]
    book = rulebook(sting())
    played = recording(book, frames)
    rules = book.rules(played.rate)
    seen = watched(rules, played)

    def claimed(frame: int, after: int) -> list[int]:
        shown = scene(rules, seen.recording, seen.ledger, frame, 0, (), None, Window(0, after))
        return [claim.frame for claim in shown.claims]

    assert [claimed(1, after) for after in (0, 1, 2, 3)] == [[], [], [3], [3, 4]]
    assert [claimed(frame, 3) for frame in (0, 2, 3)] == [[], [], [3]]  # nothing lands there
