"""Every function of the kernel that Python calls with an index refuses one that is out of range, compiled or not."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core import kernel
from voskar.core.adopt import Resync
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.kernel.storage import shared_floats
from voskar.core.step import Stepper, replay
from voskar.core.world import World
from voskar.files.blocks import gathering
from voskar.files.frames import WHOLE, FrameLine, PoseLine

FAR = 1 << 40
MATRIX = (1.0, 0.0, 0.0, 1.0)


def world() -> World:
    """A frame with a touch, of actors with a timed attack, a driven actor and a logged box."""
    rules = sting(hornet={"boxes": {"sting": {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"],
                                              "during": {"dive": "0-9"}},
                                    "wing": {"role": "hurtbox", "logged": True}}})  # fmt: skip
    rules["kinds"]["puff"] = {"motion": {"velocity": [60, 0]}}
    rules["fixtures"] = [{"kind": "puff", "id": "puff", "at": [0, 90]}]
    frames = brush({"hornet": "####"})
    for frame in frames:
        frame["poses"][1] |= {"clip": "dive", "tick": 0, "boxes": {"wing": [0, 0, 1, 1]}}
    book = rulebook(rules)
    played = recording(book, frames)
    stepper = Stepper(book.rules(played.rate), played)
    stepper.run()
    found = stepper.world
    found.kernel.load(3)
    found.kernel.touch(3)
    assert found.finder.count == 1
    return found


PLACES = shared_floats(np.zeros(3))
DOORS = [
    # object, function, good arguments; then by the place of each index the values that are out of range
    ("kernel", "enter", (3, 2, 2, 0, 9, False, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0), {1: "rows", 2: "kinds", 3: "clips"}),
    ("kernel", "first_move", (3, 2), {1: "rows"}),
    ("kernel", "discard", (2,), {0: "rows"}),
    ("kernel", "follow", (2, 3, PLACES, PLACES, 0, 1.0, 0.0), {0: "rows"}),
    ("kernel.pushes", "add", (0, 4, 1, False, 1.0, 1.0, 0, 0.0), {0: "rows"}),
    ("kernel", "is_in_play", (0, 3), {0: "rows"}),
    ("kernel", "probe", (3, 0), {1: "rows"}),
    ("kernel", "load", (3,), {0: "frames"}),
    ("kernel", "begin", (3,), {0: "frames"}),
    ("kernel", "advance", (3, 4), {0: "frames"}),
    ("finder", "stand", (0,), {0: "touches"}),
    ("finder", "contact_normal", (0,), {0: "touches"}),
    ("finder", "contact_point", (0,), {0: "touches"}),
    ("placing", "forget", (0,), {0: "swing rows"}),
    ("placing", "turn", (0,), {0: "rows"}),
    ("placing", "bounds", (0, 0.0, 0.0, *MATRIX, 0.0), {0: "forms"}),
    ("placing.logged", "lay", ("spare", "wing", 7, *MATRIX, 1.0), {0: "forms", 1: "boxes", 2: "poses"}),
    ("placing.logged", "lay_point", ("spare",), {0: "forms"}),
    ("placing", "form_of", (1, "wing", False, 0), {0: "rows", 1: "boxes", 3: "spare"}),
    ("placing", "place", (0, 0), {0: "rows"}),
    ("placing", "swing_began", (0, 0), {0: "swing rows", 1: "swings"}),
    ("placing", "corners_a", ("narrow", 0, 0, 0.0, 0.0), {1: "parts", 2: "rows"}),
    ("placing", "corners_b", ("narrow", 0, 0, 0.0, 0.0), {1: "parts", 2: "rows"}),
    ("placing.boxes", "form_of", (0, 0, 0), {0: "boxes", 1: "clips"}),
    ("kernel.clips", "cell_of", (0, 0, 0), {0: "kinds", 1: "clips above"}),
    ("kernel.mover", "step", (2, 0.0, 0.0), {0: "rows"}),
]


def limits(one: World) -> dict[str, tuple[int, ...]]:
    """By what an index counts, the values that are out of range."""
    rows, shapes, boxes, swings = one.table.capacity, one.shapes, one.placing.boxes, one.placing.boxes.swings
    forms, parts, poses = shapes.own + shapes.spare, len(shapes.vertex_start) - 1, len(one.recording.poses)
    return {
        "rows": (-1, -FAR, rows, FAR),
        "swing rows": (-1, -FAR, len(one.placing.opened) // swings, FAR),
        "kinds": (-1, -FAR, boxes.kinds, FAR),
        "clips": (-2, -FAR, boxes.clips - 1, FAR),
        "clips above": (one.kernel.clips.clips, FAR),  # below 0: none
        "frames": (-1, -FAR, one.recording.last + 1, FAR),
        "touches": (-1, -FAR, one.finder.count, FAR),
        "forms": (-1, -FAR, forms, FAR),
        "boxes": (-1, -FAR, boxes.boxes, FAR),
        "poses": (poses, FAR),  # below 0: none
        "spare": (-1 - shapes.own, shapes.spare, FAR),
        "swings": (-1, swings, FAR),
        "parts": (-1, -FAR, parts, FAR),
    }


@pytest.mark.parametrize("door", DOORS, ids=[f"{where}.{name}" for where, name, _, _ in DOORS])
def test_an_index_out_of_range_is_refused(door: tuple[str, str, tuple[Any, ...], dict[int, str]]) -> None:
    where, name, good, indices = door
    for place, counted in indices.items():
        one = world()
        for bad in limits(one)[counted]:
            holder: Any = one
            for step in where.split("."):
                holder = getattr(holder, step)
            wing = next(box.number for box in one.catalog.formed if box.box.name == "wing")
            named = {"spare": one.shapes.own, "wing": wing, "narrow": one.narrow}
            arguments = [named.get(value, value) if isinstance(value, str) else value for value in good]
            arguments[place] = bad
            if name == "advance":
                arguments[1] = bad + 1
            with pytest.raises(IndexError):
                getattr(holder, name)(*arguments)
    one = world()
    for step in where.split("."):
        one = getattr(one, step)
    found = world()
    named = {"spare": found.shapes.own, "wing": wing, "narrow": found.narrow}
    getattr(one, name)(*(named.get(value, value) if isinstance(value, str) else value for value in good))


def test_every_door_is_tried() -> None:
    """Functions that the kernel opens to Python; those without an index are named here."""
    no_index = {
        "stop", "delay", "recorded", "driven", "solid_takes", "take_leavers", "touch", "find", "touches", "copy_across",
        "clear", "separation", "closest", "gap", "time_of_impact", "contact_point", "surface_normal", "take",
        "keys_within", "keys_beside", "beside", "logged_keys", "share", "grow",
    }  # fmt: skip
    opened = {
        name
        for path in Path(next(iter(kernel.__path__))).glob("*.pxd")
        for name in re.findall(r"^ *cpdef \w+ (\w+)\(", path.read_text(), re.M)
    }
    assert opened - no_index == {name for _, name, _, _ in DOORS} - no_index


def test_there_is_no_room_for_more() -> None:
    narrow = NarrowPhase(3)
    for corners in ([], [(0.0, 0.0)] * 4):
        with pytest.raises(IndexError):
            narrow.put(True, corners)
    columns = gathering(1, 1, WHOLE)
    pose = PoseLine("a", "b", 0, 0)
    for frames in ([FrameLine(0, [pose, pose])], [FrameLine(0), FrameLine(1)]):
        with pytest.raises(IndexError):
            gathering(1, 1, WHOLE).take(frames)
    columns.take([FrameLine(0, [pose])])
    assert columns.rows == 1
    one = world()
    one.placing.clear()
    for _ in range(one.placing.hurts.room):
        one.placing.place(0, 0)
    with pytest.raises(IndexError):
        one.placing.place(0, 0)
    for number in range(len(one.kernel.pushes.row)):
        one.kernel.pushes.add(0, number, 1, False, 0.0, 0.0, 0, 0.0)
    with pytest.raises(IndexError):
        one.kernel.pushes.add(0, 9, 1, False, 0.0, 0.0, 0, 0.0)


@pytest.mark.parametrize("place", [None, (40.0, -7.0)])
def test_a_claimed_hit_without_a_touch_spawns(place: tuple[float, float] | None) -> None:
    """The rules deny it, the boxes are 90 apart; what it spawns appears where the game says, else halfway."""
    rules = sting(attack={"target": {"spawn": "spark"}})
    rules["kinds"]["spark"] = {"motion": {"life": 3}}
    frames = brush({"hornet": "......"})
    claim = {"event": "hit", "attacker": "hornet", "target": "keeper"}
    frames[2]["claims"] = [claim | ({} if place is None else {"x": place[0], "y": place[1]})]
    book = rulebook(rules)
    played = recording(book, frames)
    ledger = replay(book.rules(played.rate), played, Resync())
    assert [(one.frame, round(one.x, 6), one.y) for one in ledger.of("spawn")] == [(3, *(place or (51.0, 0.0)))]


def test_the_stand_in_for_cython_is_not_left_behind() -> None:
    """Other libraries that look for Cython must not find ours where there is none."""
    code = """
import sys
from importlib.machinery import PathFinder

class Without:
    @staticmethod
    def find_spec(name, path=None, target=None):
        return None if name.lower() == "cython" else PathFinder.find_spec(name, path, target)

sys.meta_path = [one for one in sys.meta_path if one is not PathFinder] + [Without]
import voskar.core.kernel.advance
try:
    import cython
except ImportError:
    print("none")
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert (done.stdout, done.stderr) == ("none\n", "")
