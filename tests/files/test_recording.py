"""Reading recordings: what is accepted, and one clear error for everything else."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.worlds import recording, rulebook, sting
from voskar.errors import InputError
from voskar.files.recording import load_recording, read_recording

HEAD = '{"voskar": "recording", "version": 2, "rate": 60}'


def pose(**fields: Any) -> dict[str, Any]:
    return {"id": "k", "kind": "keeper", "x": 1, "y": 2, **fields}


def frame(*poses: dict[str, Any], number: int = 0, **more: Any) -> str:
    return json.dumps({"frame": number, "poses": poses, **more})


BAD = [
    # lines, what the error must say
    ([], "the file is empty"),
    (["hello"], "r:1: not JSON: expecting value at column 1"),
    (["[1]"], "r:1: found a list, expected a header"),
    ([frame()], 'r:1: no header: the first line must say "voskar": "recording"'),
    (['{"voskar": "ledger"}'], 'r:1: voskar: found "ledger", expected "recording"'),
    (['{"voskar": "recording", "version": 3, "rate": 60}'], "r:1: version: found 3, expected 2"),
    (['{"voskar": "recording", "version": 2}'], "r:1: rate: found none"),
    (['{"voskar": "recording", "version": 2, "rate": NaN}'], 'r:1: rate: found "NaN"'),
    (['{"voskar": "recording", "version": 2, "rate": true}'], "r:1: rate: found true"),
    ([HEAD[:-1] + ', "reaction": "raw"}'], 'unknown key "reaction" (did you mean "reactions"?)'),
    ([HEAD], "has a header and no frames"),
    ([HEAD, HEAD], "r:2: a second header"),
    ([HEAD, frame(), frame(number=2)], "r:3: frame: frame 2 follows 0, expected 1"),
    ([HEAD, frame(), frame()], "r:3: frame: frame 0 stands twice, expected 1"),
    ([HEAD, frame(number=3), frame(number=1)], "r:3: frame: frame 1 comes after 3"),
    ([HEAD, frame(number=-1)], "r:2: frame -1: frame: found -1, expected 0 or more"),
    ([HEAD, frame(pose(), pose())], 'r:2: frame 0: poses[1].id: "k" has two poses in this frame'),
    ([HEAD, frame(pose()), frame(pose(kind="hornet"), number=1)], '"k" changes its kind from "keeper" to "hornet"'),
    ([HEAD, frame(pose(owner="a")), frame(pose(owner="b"), number=1)], '"k" changes its owner from "a" to "b"'),
    ([HEAD, frame(pose(x=float("nan")))], "r:2: frame 0: poses[0].x: found NaN, expected a finite number"),
    ([HEAD, frame(pose(x=float("inf")))], "poses[0].x: found a number beyond all range"),
    ([HEAD, frame(pose(y=1e300))], "poses[0].y: found 1e+300, expected a number within ±1e+08"),
    ([HEAD, frame(pose(x="3"))], 'poses[0].x: found "3", expected a number'),
    ([HEAD, frame(pose(x=True))], "poses[0].x: found true, expected a number"),
    ([HEAD, frame(pose(facing=0))], "poses[0].facing: found 0, expected 1 or -1"),
    ([HEAD, frame(pose(scale=0))], "poses[0].scale: found 0.0, expected 1e-06 to 1e+06"),
    ([HEAD, frame(pose(clip="walk", tick=-1))], "poses[0].tick: found -1, expected 0 or more"),
    ([HEAD, frame(pose(clip="walk"))], "poses[0].clip: found walk, expected a `tick` or a `cell` with it"),
    ([HEAD, frame(pose(kind="keper"))], 'unknown kind "keper" (did you mean "keeper"?)'),
    ([HEAD, frame(pose(id="k/1"))], 'found "k/1": / + # are kept for driven actors'),
    ([HEAD, frame(pose(facin=1))], 'poses[0].facin: unknown field "facin" (did you mean "facing"?)'),
    ([HEAD, '{"frame": 0, "poses": [{"id": "k", "kind": "keeper", "y": 2}]}'], 'poses[0]: the field "x" is missing'),
    ([HEAD, frame(claims=[{"event": "hit"}])], 'claims: a "hit" claim needs "attacker" or "target"'),
    ([HEAD, frame(claims=[{"event": "down", "attacker": "a"}])], 'claims: a "down" claim needs "id"'),
    ([HEAD, frame(claims=[{"event": "out", "id": "k", "x": 3}])], 'claims.x: a "out" claim has no "x" (it takes id)'),
    ([HEAD, frame(pose(), display=[{"health": 1}])], 'an entry of the display needs an "id"'),
    ([HEAD, frame(pose(), display=[{"healt": 1}])], 'display[0].healt: unknown field "healt" (did you mean "health"?)'),
    (
        [HEAD, frame(pose(), inputs=[{"id": "k", "button": "a"}, {"id": "k", "button": "a", "down": False}])],
        'the button "a" of "k" is down and up in one frame',
    ),
    (
        [HEAD, frame(pose(clip="walk", tick=1, cell=1))],
        "poses[0].cell: found 1, expected a `tick` or a `cell`, not both",
    ),
    ([HEAD, frame(pose(lives=1.5))], "poses[0].lives: found 1.5, expected a whole number of 0 or more"),
    ([HEAD, frame(pose(lives=-1))], "poses[0].lives: found -1.0, expected a whole number"),
    ([HEAD, frame(pose(owner="k"))], "poses[0].owner: the owners go in a ring: k → k"),
    ([HEAD, frame(pose(owner="j"), pose(id="j", owner="k"))], "poses[1].owner: the owners go in a ring: j → k → j"),
    ([HEAD, frame(pose(id="a\nb"))], 'poses[0].id: found "a\\nb", expected no control characters'),
    ([HEAD, frame(pose(clip="a\x1b", tick=0))], "expected no control characters"),
    (
        [HEAD, frame(pose(boxes={"torsi": [0, 0, 1, 1]}))],
        'boxes.torsi: keeper has no box "torsi" (did you mean "torso"?)',
    ),
    (
        [HEAD, frame(pose(boxes={"torso": [0, 0, 1]}))],
        "poses[0].boxes.torso: found [0, 0, 1], expected the corners",
    ),
    ([HEAD, frame(pose(boxes={"torso": 3}))], "poses[0].boxes.torso: found 3, expected the corners [x0, y0, x1, y1]"),
    ([HEAD, frame(pose(push=[1]))], "poses[0].push: found [1], expected 2 numbers"),
    ([HEAD, '{"frame": 0, "frame": 0}'], 'r:2: frame 0: frame: the key "frame" stands twice'),
    ([HEAD, frame(pose()).replace('"x"', '"y": 1, "x"')], 'poses[0].y: the key "y" stands twice'),
    ([HEAD[:-1] + ', "rate": 60}'], 'r:1: rate: the key "rate" stands twice'),
    ([HEAD[:-1] + ', "unlogged": {"event": []}}'], 'unknown key "event" (did you mean "events"?)'),
    ([HEAD[:-1] + ', "unlogged": {"events": ["downs"]}}'], 'unlogged.events: found "downs" (did you mean "down"?)'),
    ([HEAD[:-1] + ', "unlogged": {"kinds": ["keper"]}}', frame()], 'unknown kind "keper" (did you mean "keeper"?)'),
    ([HEAD, frame(claims=[{"event": "hot"}])], 'claims[0].event: found "hot"'),
    ([HEAD, frame(reset="rooms")], 'reset: found "rooms" (did you mean "room"?)'),
    ([HEAD, '{"frame": 0, "poses": [{"id"'], "the file ends inside this line"),
    ([HEAD, "3"], "r:2: found 3, expected a frame"),
]


@pytest.mark.parametrize(("lines", "message"), BAD, ids=[pair[1][:40] for pair in BAD])
def test_bad_recording(lines: list[str], message: str) -> None:
    with pytest.raises(InputError) as error:
        read_recording("\n".join(lines).encode().splitlines(), "r", rulebook(sting()))
    assert message in str(error.value)
    assert len(error.value.problems) == 1


def test_what_is_the_games_own_is_left_alone() -> None:
    lines = [HEAD[:-1] + ', "_build": 7}', frame(pose(_mood={"x": 1}, boxes={"torso": [3, 4, 1, 2], "_": 1}), _rng=3)]
    lines.append(frame(pose(), number=1, inputs=[{"id": "k", "button": "a", "_raw": 1}]))
    played = read_recording([line.encode() for line in lines], "r", rulebook(sting()))
    assert (played.frames, played.inputs.buttons) == (2, ("a",))
    assert played.boxes.of(int(played.poses.logged[0])) == {"torso": (0, 0, 2, 2)}  # as seen from the pose


def test_all_that_a_game_may_tell() -> None:
    items = [
        {"event": "hit", "target": "k", "health": 2, "x": 1},
        {"event": "spawn", "id": "k", "owner": "h/gun-1"},
        {"event": "over"},
    ]
    shown = [{"id": "k", "percent": 66, "icons": 2, "score": 200}, {"clock": "1:15"}]
    head = HEAD[:-1] + ', "logged": {"events": ["hit"]}, "unlogged": {"attacks": ["jab"], "reactions": ["home"]}}'
    line = frame(pose(immune=True, stunned=False, push=[1, -2]), claims=items, display=shown)
    played = read_recording([head.encode(), line.encode()], "r", rulebook(sting()))
    assert [(claim.event, claim.target, claim.health, claim.owner) for claim in played.claims] == [
        ("hit", "k", 2, None),
        ("spawn", None, None, "h/gun-1"),
        ("over", None, None, None),
    ]
    assert [(entry.id, entry.percent, entry.clock) for entry in played.display.within(0, 9)] == [
        ("k", 66, None),
        (None, None, "1:15"),
    ]
    poses = played.poses
    assert (poses.immune[0], poses.stunned[0], poses.push_x[0], poses.push_y[0]) == (1, 0, 1, -2)
    scope = played.scope
    assert (scope.always, scope.attacks, scope.reactions) == ({"hit"}, {"jab"}, {"home"})


def test_a_last_line_that_is_cut_off_is_left_out() -> None:
    text = "\n".join([HEAD, frame(pose()), frame(pose(), number=1)[:-9]]).encode()
    played = read_recording(text.splitlines(), "r", rulebook(sting()))
    assert (played.frames, played.warnings) == (
        1,
        ("r:3: the file ends inside this line, which is left out; did the game stop there?",),
    )


def test_the_line_is_right_far_into_the_file() -> None:
    lines = [HEAD, *(frame(pose(), number=number) for number in range(5000))]
    lines[4321] = frame(pose(), pose(id="h", kind="hornet", scale=-1), number=4320)
    with pytest.raises(InputError, match=r"r:4322: frame 4320: poses\[1\].scale: found -1"):
        read_recording([line.encode() for line in lines], "r", rulebook(sting()))


def test_columns() -> None:
    book = rulebook(sting())
    poses = [pose(facing=-1, clip="walk", tick=4), pose(id="h", kind="hornet", cell=2, owner="k", health=3, cut=True)]
    played = recording(book, [{"poses": []}, {"poses": poses}, {"poses": poses[:1]}], rate=59.94, up="+y")
    columns = played.poses
    assert (played.frames, played.last, str(played.rate), played.up) == (3, 2, "2997/50", "+y")
    assert [(actor.id, actor.kind, actor.owner) for actor in played.actors] == [
        ("k", "keeper", None),
        ("h", "hornet", "k"),
    ]
    assert columns.frame.tolist() == [1, 1, 2]
    assert columns.facing.tolist() == [-1, 1, -1]
    assert (columns.clip.tolist(), columns.tick.tolist(), columns.cell.tolist()) == (
        [0, -1, 0],
        [4, -1, 4],
        [-1, 2, -1],
    )
    assert columns.cut.tolist() == [False, True, False]
    assert columns.previous.tolist() == [-1, -1, 0]
    np.testing.assert_array_equal(columns.health, [np.nan, 3, np.nan])


def test_a_late_owner_is_known_from_the_start() -> None:
    played = recording(rulebook(sting()), [{"poses": [pose()]}, {"poses": [pose(owner="h")]}, {"poses": [pose()]}])
    assert played.actors[0].owner == "h"


def test_gzip_and_own_keys(tmp_path: Path) -> None:
    book = rulebook(sting())
    text = "\n".join([HEAD[:-1] + ', "_build": 7}', frame(pose()), "", frame(pose(), number=1)])
    (tmp_path / "a.jsonl").write_text(text)
    (tmp_path / "b.gz").write_bytes(gzip.compress(text.encode()))
    plain, packed = (load_recording(tmp_path / name, book) for name in ("a.jsonl", "b.gz"))
    assert plain.frames == 2
    assert plain.digest == packed.digest
    (tmp_path / "c.gz").write_bytes(gzip.compress(text.encode())[:40])
    with pytest.raises(InputError, match="gzip"):
        load_recording(tmp_path / "c.gz", book)


def test_several_problems_are_told_at_once(tmp_path: Path) -> None:
    """Of frames behind the first one too, in the words that each would have alone; what is alike is logged once."""
    poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
    frames: list[Any] = [{"frame": frame, "poses": poses} for frame in range(9)]
    frames[2] = {"frame": 2, "poses": [poses[0] | {"x": "a"}]}
    frames[3] = {"frame": 3, "clams": []}
    frames[4] = {"frame": 4, "clams": []}
    frames[6] = {"frame": 6, "poses": [poses[0] | {"kind": "keepr"}]}
    lines = [HEAD, *map(json.dumps, frames)]
    lines[8] = "{not"
    path = tmp_path / "r.jsonl"
    path.write_text("\n".join(lines) + "\n")
    with pytest.raises(InputError) as caught:
        load_recording(path, rulebook(sting()))
    pairs = [(problem.line, problem.message) for problem in caught.value.problems]
    assert [line for line, _ in pairs] == [4, 5, 8, 9]
    assert [
        words in message for (_, message), words in zip(pairs, ("number", "clams", "keepr", "JSON"), strict=True)
    ] == [True] * 4
