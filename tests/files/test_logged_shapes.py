"""Boxes that a game logs as circles, polygons and lists of shapes."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import recording, rulebook
from voskar.core.step import replay
from voskar.errors import InputError

NOTCHED = {"polygon": [[-5, 0], [5, 0], [5, 10], [0, 3], [-5, 10]]}


def book(**sting: Any) -> Any:
    return rulebook(
        {
            "kinds": {
                "keeper": {"boxes": {"torso": {"role": "hurtbox", "logged": True, "layer": ["a"]}}},
                "hornet": {
                    "boxes": {"sting": {"role": "hitbox", "logged": True, "attack": "sting", "mask": ["a"], **sting}}
                },
            },
            "layers": {"names": ["a"]},
            "attacks": {"sting": {}},
        }
    )


def poses(torso: Any, sting: Any, **keys: Any) -> list[dict[str, Any]]:
    return [
        {"id": "keeper", "kind": "keeper", "x": 1, "y": 1, "boxes": {} if torso is None else {"torso": torso}},
        {"id": "hornet", "kind": "hornet", "x": 20, "y": 5, "boxes": {} if sting is None else {"sting": sting}, **keys},
    ]


@pytest.mark.parametrize(
    ("torso", "sting", "keys", "touches"),
    [
        (NOTCHED, {"circle": [14, 5, 9.1]}, {}, True),
        (NOTCHED, {"circle": [14, 5, 9]}, {}, False),  # the edges only touch
        (NOTCHED, {"circle": [0, 9, 2]}, {}, False),  # in the notch
        (NOTCHED, [0, 3, 1, 4], {}, True),
        ({"circle": [0, 0, 3]}, {"circle": [4, 3, 2.1]}, {}, True),
        ({"circle": [0, 0, 3]}, {"circle": [4, 3, 1.9]}, {}, False),
        ([[0, 0, 2, 2], {"circle": [10, 0, 3]}], [12.9, -1, 20, 1], {}, True),  # each part has its own radius
        ([[0, 0, 2, 2], {"circle": [10, 0, 3]}], [2, 0, 7, 2], {}, False),
        ([{"circle": [10, 0, 3]}, [0, 0, 2, 2]], [1.9, 0, 7, 2], {}, True),
        (NOTCHED, {"circle": [14, 5, 9.1]}, {"angle": 77, "scale": 2, "facing": -1}, True),  # it is logged in the world
        (NOTCHED, {"circle": [14, 5, 9]}, {"angle": 77, "scale": 2, "facing": -1}, False),
        ([0, 0, 2, 2], {"circle": [1, 1, 0]}, {}, False),  # nothing of it
        ([0, 0, 2, 2], None, {}, False),
    ],
)
def test_shapes_touch_as_they_are(torso: Any, sting: Any, keys: dict[str, Any], touches: bool) -> None:
    played = recording(book(), [{"poses": poses(torso, sting, **keys)}])
    assert bool(replay(book().rules(played.rate), played).hits()) == touches


@pytest.mark.parametrize(
    ("own", "sting", "touches"),
    [
        ({"grow": -1}, {"circle": [4, 0, 3]}, False),
        ({"grow": -1}, {"circle": [4, 0, 3.1]}, True),
        ({"grow": 1}, {"circle": [4, 0, 1.1]}, True),
        ({"pad": [1, 0, 0, 0]}, [[2.9, 0, 5, 1]], True),  # each rectangle of a list
        ({"pad": [1, 0, 0, 0]}, [3.1, 0, 5, 1], False),
        ({"pad": [1, 0, 0, 0]}, {"circle": [4, 0, 1.9]}, False),  # nothing else has sides
        ({"grow": 1}, {"polygon": [[2.9, 0], [6, -2], [6, 2]]}, True),
        ({"grow": -2}, [[1, 0, 5, 4], [-1, -3, 3.1, 9]], True),
        ({"grow": -2.1}, [[1, 0, 5, 4], [-1, -3, 3.1, 9]], False),
    ],
)
def test_what_a_box_gains_and_loses(own: dict[str, Any], sting: Any, touches: bool) -> None:
    played = recording(book(**own), [{"poses": poses({"circle": [0, 0, 2]}, sting)}])
    assert bool(replay(book(**own).rules(played.rate), played).hits()) == touches


def test_a_circle_is_swept() -> None:
    sting = {"swept": True}
    frames = [{"poses": poses([0, 0, 1, 1], {"circle": [x, 0.5, 2]}, x=x)} for x in (20, -20)]
    for own, touches in (({}, False), (sting, True)):
        played = recording(book(**own), frames)
        assert bool(replay(book(**own).rules(played.rate), played).hits()) == touches


@pytest.mark.parametrize(
    ("told", "own", "message"),
    [
        ({"circle": [0, 0]}, {}, 'found {"circle": [0, 0]}, expected the corners [x0, y0, x1, y1], {"circle"'),
        ({"circle": [0, 0, -1]}, {}, 'found {"circle": [0, 0, -1]}'),
        ({"circle": [0, 0, 1], "polygon": [[0, 0], [1, 0], [0, 1]]}, {}, "expected the corners"),
        ({"polygon": [[0, 0], [1, 0]]}, {}, "a polygon: "),
        ({"polygon": [[0, 0], [4, 4], [4, 0], [0, 4]]}, {}, "a polygon: its sides 1 and 3 meet"),
        ([[0, 0, 1, 1], [0, 0, 1]], {}, "found [0, 0, 1], expected"),
        ([], {}, "found [], expected"),
        ({"circle": [1e9, 0, 1]}, {}, "within ±1e+08"),
        ({"polygon": [[0, 0], [1, 0], [0, 1]]}, {"grow": -1}, "has a grow below 0, which only rectangles and circles"),
    ],
)
def test_a_shape_that_is_none(told: Any, own: dict[str, Any], message: str) -> None:
    with pytest.raises(InputError) as error:
        recording(book(**own), [{"poses": poses(None, told)}])
    assert "poses[1].boxes.sting: " in str(error.value)
    assert message in str(error.value)
