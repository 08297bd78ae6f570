"""Ways of driven actors: lives, edges, solids, bounces, and what hits do to them, by hand-made numbers."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec import structs

from tests.worlds import frames_of, rulebook, run
from tests.worlds import recording as record
from voskar.core.ledger import Ledger
from voskar.core.step import Stepper
from voskar.core.watching import watched

EMPTY = [{"poses": []}]


def world(motion: dict[str, Any], at: list[float], frames: int = 12, **more: Any) -> tuple[list[Any], Ledger]:
    """The positions of one fixture, frame by frame (None where it is not there), and the ledger."""
    data: dict[str, Any] = {
        "space": {"bounds": [0, 0, 100, 100], **more.pop("space", {})},
        "kinds": {"crumb": {"motion": motion, **more.pop("kind", {})}},
        "fixtures": [{"kind": "crumb", "id": "crumb", "at": at, **more}],
    }
    book = rulebook(data)
    played = record(book, EMPTY * frames)
    shown_recording = watched(book.rules(played.rate), played).recording
    shown: list[Any] = [None] * frames
    poses = shown_recording.poses
    for row in range(len(poses)):
        shown[poses.frame[row]] = (round(float(poses.x[row]), 6), round(float(poses.y[row]), 6))
    return shown, run(data, EMPTY * frames)


def xs(shown: list[Any]) -> list[Any]:
    return [one and one[0] for one in shown]


def removed(ledger: Ledger) -> list[tuple[int, str | None]]:
    return [(event.frame, event.detail) for event in ledger.of("removed")]


@pytest.mark.parametrize(
    ("motion", "start", "expected", "gone"),
    [
        ({"velocity": [60, 0]}, 5, [5, 6, 7, 8], None),
        ({"velocity": [60, 0], "life": "3f"}, 5, [5, 6, 7, None], (3, "expired")),
        ({"velocity": [60, 0], "life": 1}, 5, [5, None], (1, "expired")),
        ({"acceleration": [3600, 0]}, 5, [5, 6, 8, 11], None),
        ({"velocity": [60, 0], "drag": 30}, 5, [5, 5.5, 5.75], None),
        ({"velocity": [60, 0], "drag": 600}, 5, [5, 5, 5], None),
        ({"velocity": [600, 0], "max_speed": 60}, 5, [5, 6, 7], None),
        ({"velocity": [120, 0], "at_edge": "remove"}, 96, [96, 98, 100, None], (3, "edge")),  # on the edge is inside
        ({"velocity": [120, 0], "at_edge": "remove", "life": "3f"}, 96, [96, 98, 100, None], (3, "expired")),
        ({"velocity": [120, 0], "at_edge": "remove"}, 200, [200, None], (1, "edge")),
        ({"velocity": [180, 0], "at_edge": "wrap"}, 95, [95, 98, 1, 4], None),
        ({"velocity": [-180, 0], "at_edge": "wrap"}, 4, [4, 1, 98, 95], None),
        ({"velocity": [180, 0], "at_edge": "bounce"}, 95, [95, 98, 99, 96], None),
        ({"velocity": [240, 0], "at_edge": "bounce", "bounciness": 0.5}, 98, [98, 98, 96, 94], None),
        ({"velocity": [180, 0], "at_edge": "bounce", "bounces": 0}, 95, [95, 98, None], (2, "edge")),
        ({"velocity": [180, 0], "at_edge": "stop"}, 95, [95, 98, 100, 100], None),
    ],
)
def test_ways_and_edges(motion: Any, start: float, expected: list[Any], gone: tuple[int, str] | None) -> None:
    shown, ledger = world(motion, [start, 50])
    assert xs(shown)[: len(expected)] == expected
    assert removed(ledger)[:1] == ([gone] if gone else [])


WALL = {"solids": [{"rect": [20, 0, 30, 100]}]}
SQUARE = {"boxes": {"hull": {"role": "body", "rect": [4, 4], "mask": ["wood"]}}}


@pytest.mark.parametrize(
    ("motion", "kind", "expected", "gone"),
    [
        ({"velocity": [240, 0]}, {}, [12, 16, 20, 24, 28], None),  # passes
        ({"velocity": [240, 0], "on_solid": "remove"}, {}, [12, 16, 20, 20, None], (3, "solid")),
        ({"velocity": [300, 0], "on_solid": "remove"}, {}, [12, 17, 20, None], (2, "solid")),
        ({"velocity": [240, 0], "on_solid": "remove"}, SQUARE, [12, 16, 18, None], (2, "solid")),
        ({"velocity": [360, 0], "on_solid": "bounce"}, {}, [12, 18, 20, 14, 8], None),
        ({"velocity": [360, 0], "on_solid": "bounce", "bounciness": 0.5}, {}, [12, 18, 20, 17, 14], None),
        ({"velocity": [360, 0], "on_solid": "bounce", "bounces": 0}, {}, [12, 18, 20, None], (2, "solid")),
        ({"velocity": [360, 0], "on_solid": "stop"}, {}, [12, 18, 20, 20, 20], None),
        ({"velocity": [360, 0], "on_solid": "turn"}, {}, [12, 18, 20, 14, 8], None),
    ],
)
def test_solids(motion: Any, kind: Any, expected: list[Any], gone: tuple[int, str] | None) -> None:
    layers = {"solids": [WALL["solids"][0]]}
    data_kind = {**kind}
    if kind:  # a body looks for layers, and a solid without any stops everything
        data_kind["boxes"] = {"hull": {**kind["boxes"]["hull"], "mask": []}}
    shown, ledger = world(motion, [12, 50], space=layers, kind=data_kind)
    assert xs(shown)[: len(expected)] == expected
    assert removed(ledger) == ([gone] if gone else [])


def test_a_patrol_walks_the_floor_and_turns_at_walls() -> None:
    solids = [{"rect": [0, 60, 100, 70]}, {"rect": [20, 0, 30, 60]}]
    motion = {"velocity": [180, 0], "gravity": 1, "on_solid": "turn"}
    space = {"solids": solids, "gravity": 3600}
    shown, _ = world(motion, [12, 58], space=space, kind={"boxes": {"hull": {"role": "body", "rect": [4, 4]}}})
    assert shown[:6] == [(12, 58), (15, 58), (18, 58), (18, 58), (15, 58), (12, 58)]


def test_a_body_in_a_solid_may_leave_it_and_go_no_deeper() -> None:
    for velocity, expected in (([-60, 0], [21, 20, 19, 18]), ([60, 0], [21, 21, 21, 21])):
        shown, _ = world({"velocity": velocity, "on_solid": "stop"}, [21, 50], space=WALL)
        assert xs(shown)[:4] == expected


def test_layers_of_solids_stop_only_bodies_that_look_for_them() -> None:
    for mask, last in ((["wood"], 18.0), (["stone"], 28.0)):
        data: dict[str, Any] = {
            "layers": {"names": ["wood", "stone"]},
            "space": {"solids": [{"rect": [20, 0, 30, 100], "layer": ["wood"]}]},
            "kinds": {
                "crumb": {
                    "motion": {"velocity": [240, 0], "on_solid": "stop"},
                    "boxes": {"hull": {"role": "body", "rect": [4, 4], "mask": mask}},
                }
            },
            "fixtures": [{"kind": "crumb", "at": [12, 50]}],
        }
        book = rulebook(data)
        played = record(book, EMPTY * 5)
        poses = watched(book.rules(played.rate), played).recording.poses
        assert poses.x[-1] == last


def field(attack: dict[str, Any], **kind: Any) -> dict[str, Any]:
    """A recorded hammer at (10, 0), and a driven lump that drifts by one unit a frame."""
    return {
        "layers": {"names": ["hive"]},
        "kinds": {
            "hammer": {"boxes": {"head": {"role": "hitbox", "attack": "hit", "circle": 2, "mask": ["hive"]}}},
            "lump": {
                "motion": {"velocity": [60, 0]},
                "boxes": {"comb": {"role": "hurtbox", "circle": 2, "layer": ["hive"]}},
                **kind,
            },
        },
        "attacks": {"hit": {"rehit": "entry", **attack}},
        "fixtures": [{"kind": "lump", "id": "lump", "at": [5, 0]}],
    }


@pytest.mark.parametrize(
    ("target", "expected"),
    [
        ({}, [5, 6, 7, 8, 9, 10, 11, 12]),
        ({"knockback": {"distance": 6, "over": 3, "direction": "away"}}, [5, 6, 7, 6, 5, 4, 5, 6]),
        ({"knockback": {"distance": 6, "over": 3, "direction": 90}}, [5, 6, 7, 8, 9, 10, 11, 12]),
        ({"home": True}, [5, 6, 7, 5, 6, 7, 5, 6]),
        ({"remove": True}, [5, 6, 7, None, None]),
    ],
)
def test_hits_move_what_is_driven(target: dict[str, Any], expected: list[Any]) -> None:
    """The first contact is in frame 2: 7 and 10 are less than 4 apart."""
    data = field({"target": target})
    frames = [{"poses": [{"id": "hammer", "kind": "hammer", "x": 10, "y": 0}]}] * 9
    book = rulebook(data)
    played = record(book, frames)
    judged = watched(book.rules(played.rate), played).recording
    poses, lump = judged.poses, judged.numbers["lump"]
    shown: dict[int, float] = {int(poses.frame[row]): round(float(poses.x[row]), 6) for row in poses.rows_of(lump)}
    assert [shown.get(frame) for frame in range(len(expected))] == expected


def test_a_launch_shows_from_the_next_frame_on() -> None:
    shown = []
    for up in ("-y", "+y"):
        data = field({"target": {"launch": 120}}) | {"space": {"up": up}}
        frames = [{"poses": [{"id": "hammer", "kind": "hammer", "x": 10, "y": 0}]}] * 5
        book = rulebook(data)
        played = record(book, frames, up=up)
        recording = watched(book.rules(played.rate), played).recording
        rows = recording.poses.rows_of(recording.numbers["lump"])
        shown.append([float(y) for y in recording.poses.y[rows]])
    assert shown == [[0, 0, 0, -2, -4], [0, 0, 0, 2, 4]]


@pytest.mark.parametrize(
    ("down", "gone", "children"),
    [
        ({}, [(2, "down")], []),
        ({"lasts": 2}, [(4, "down")], []),
        ({"lasts": 2, "motion": {"life": 1}}, [(4, "down")], []),
        (
            {"spawn": [{"kind": "hammer", "count": 2, "spread": 90, "speed": 60}]},
            [(2, "down")],
            [(3, -45.0), (3, 45.0)],
        ),
        ({"lasts": 3, "spawn": [{"kind": "hammer"}]}, [(5, "down")], [(3, 0.0)]),
    ],
)
def test_going_down(down: dict[str, Any], gone: list[Any], children: list[Any]) -> None:
    data = field({"damage": 1}, health=1, down=down)
    data["kinds"]["maul"] = data["kinds"].pop("hammer") | {}
    data["kinds"]["hammer"] = {}
    ledger = run(data, [{"poses": [{"id": "maul", "kind": "maul", "x": 10, "y": 0}]}] * 9)
    assert frames_of(ledger, "down") == [2]
    assert removed(ledger) == gone
    assert [(event.frame, event.angle) for event in ledger.of("spawn")] == children
    assert frames_of(ledger, "contact") == [2]  # what is down touches nothing


def test_a_long_session_of_shots_does_not_grow() -> None:
    """What a replay keeps after five times the frames is no larger, but for its ledger."""
    sizes = []
    for frames in (300, 1500):
        data = field({"damage": 0})
        data["kinds"]["vent"] = {
            "emitters": {"puffs": {"spawn": "puff", "when": {"every": 3}, "speed": 60, "limit": 8}}
        }
        boxes = {"core": {"role": "hitbox", "attack": "puff", "circle": 2, "mask": ["hive"]}}
        data["kinds"]["puff"] = {"motion": {"life": 20}, "boxes": boxes}
        data["attacks"]["puff"] = {"damage": 1, "target": {"spawn": "spark"}, "rehit": "2f"}
        data["kinds"]["spark"] = {"motion": {"life": 3}}
        data["kinds"]["lump"] |= {"motion": {}, "health": 1e6}
        data["fixtures"].append({"kind": "vent", "at": [0, 0]})
        book = rulebook(data)
        played = record(book, EMPTY * frames)
        stepper = Stepper(book.rules(played.rate), played)
        ledger = stepper.run()
        world, judge = stepper.world, stepper.judge
        held = [vars(one) for one in (world, judge, judge.memory, stepper.emitters)] + [structs.asdict(world.run)]
        maps = [one for own in held for one in own.values() if isinstance(one, dict | set | list)]
        sizes.append(sum(map(len, maps)) - len(world.events) + world.table.capacity)
        assert len(ledger) > frames
    assert sizes[1] == sizes[0]
