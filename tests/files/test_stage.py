"""Stage scripts play what they say, and are refused with every mistake named."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec import to_builtins

from voskar.errors import InputError
from voskar.files.frames import or_none
from voskar.files.stage import play_stage

HEAD = 'stage = 2\nframes = 12\n[[parts]]\nid = "moth"\nkind = "moth"\n'


def poses(text: str, name: str = "moth") -> list[Any]:
    """The poses of one actor, None where it is absent."""
    frames = [line for _, line in play_stage(text, "test.stage.toml").frames]
    return [next((pose for pose in line.poses if pose.id == name), None) for line in frames]


def xs(text: str, name: str = "moth") -> list[Any]:
    return [pose and pose.x for pose in poses(text, name)]


WAY = "way = [{ f = 0, at = [10, 5] }, { f = 4, at = [18, 5] }]\n"


@pytest.mark.parametrize(
    ("more", "expected"),
    [
        (WAY, [10, 12, 14, 16, 18, 18]),
        ('way = [{ f = 0, at = [10, 5] }, { f = 4, at = [18, 5], ease = "jump" }]', [10, 10, 10, 10, 18, 18]),
        ('way = [{ f = 0, at = [0, 5] }, { f = "50ms", at = [27, 5], ease = "smooth" }]', [0, 7, 20, 27, 27]),
        ("way = [{ f = 2, at = [10, 5] }]", [None, None, 10, 10]),
        (WAY + 'present = "1-2,4"', [None, 12, 14, None, 18, None]),
        (WAY + "mirror = 20", [30, 28, 26, 24, 22]),
        (WAY + "shift = [100, 0]", [110, 112]),
        (WAY + "delay = 2", [None, None, 10, 12]),
        (WAY + "repeat = { every = 3, times = 2 }", [10, 12, 14, 10, 12, 14, 16, 18, 18]),
    ],
)
def test_ways(more: str, expected: list[Any]) -> None:
    assert xs(HEAD + more)[: len(expected)] == expected


def test_boxes_of_any_shape() -> None:
    open_ = (
        "{ a = [-2, 0, 5, 1], b = { circle = [3, 1, 2] }, c = [[0, 0, 1, 1], { polygon = [[1, 0], [2, 0], [2, 1]] }] }"
    )
    text = HEAD + WAY + f"boxes = [{{ f = 0, open = {open_} }}]\nturns = [{{ f = 0, facing = -1 }}]\n"
    boxes = poses(text)[0].boxes
    assert boxes["a"] == [5, 5, 12, 6]
    assert to_builtins(boxes["b"]) == {"circle": [7, 6, 2]}
    assert to_builtins(boxes["c"]) == [[9, 5, 10, 6], {"polygon": [[9, 5], [8, 5], [8, 6]]}]


def test_clips_turns_inputs_and_cuts() -> None:
    text = (
        HEAD
        + WAY
        + 'clips = [{ f = 0, clip = "idle" }, { f = 2, clip = "dive" }, { f = 4, clip = "dive", cell = 7 }]\n'
        + "turns = [{ f = 1, facing = -1, angle = 30 }]\nrepeat = { every = 6, times = 2 }\n"
        + 'hold = { fire = "1,3-4" }\naims = [{ f = 2, at = [1, 2] }]\nmirror = 0\n'
    )
    shown = poses(text)
    assert [(pose.clip, or_none(pose.tick), or_none(pose.cell)) for pose in shown[1:5]] == [
        ("idle", 1, None),
        ("dive", 0, None),
        ("dive", 1, None),
        ("dive", None, 7),
    ]
    assert [(or_none(pose.facing), or_none(pose.angle)) for pose in shown[:2]] == [(-1, None), (None, -30)]
    assert [or_none(pose.cut) for pose in shown[5:8]] == [None, True, None]  # a repeat leaps back
    lines = [line for _, line in play_stage(text, "t").frames]
    assert [bool(line.inputs) for line in lines[:6]] == [False, True, False, True, True, False]
    assert (or_none(lines[1].inputs[0].aim), lines[3].inputs[0].aim) == (None, [-1, 2])


def test_copies_and_likes() -> None:
    text = HEAD + WAY + 'copies = 2\nshift = [5, 0]\ndelay = 1\n[[parts]]\nid = "other"\nlike = "moth"\nmirror = 20\n'
    assert xs(text, "moth-1")[:3] == [10, 12, 14]
    assert xs(text, "moth-2")[:3] == [None, 15, 17]
    assert xs(text, "other")[:3] == [30, 28, 26]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "no `stage` key"),
        ("stage = 3\nframes = 3", "expected 1 or 2"),
        ("stage = 2", '"frames" is missing'),
        (HEAD + "wya = []", 'did you mean "way"?'),
        (HEAD, "the part has no `way`"),
        (HEAD + WAY + '[[parts]]\nid = "a"\nlike = "mth"', 'did you mean "moth"?'),
        (HEAD + "way = [{ f = 4, at = [0, 0] }, { f = 2, at = [0, 0] }]", "order of their frames"),
        (HEAD + WAY + 'present = "4-2"', "expected frames such as"),
        (HEAD + WAY + '[[parts]]\nid = "moth"\nlike = "moth"', "given twice"),
    ],
)
def test_mistakes_are_named(text: str, told: str) -> None:
    with pytest.raises(InputError) as caught:
        play_stage(text, "test.stage.toml")
    assert told in str(caught.value)
