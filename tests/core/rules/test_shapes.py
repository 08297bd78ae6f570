"""Shapes, what becomes of them in a clip's cells, and touches along the way."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.worlds import outcomes, run, sting, told
from voskar.core.rules.outlines import capsule, circle, pixels, polygon, rectangle, stretched
from voskar.core.rules.polygons import cross

CONVEX = [(0, 0), (4, 0), (4, 3), (0, 3)]
BENT = [(0, 0), (4, 0), (4, 1), (1, 1), (1, 4), (0, 4)]


def meet(a: Any, b: Any, c: Any, d: Any) -> bool:
    """Whether two segments share a point, by exact numbers."""
    sides = [cross(a, b, c), cross(a, b, d), cross(c, d, a), cross(c, d, b)]
    level = all(
        max(min(p[k], q[k]) for p, q in ((a, b), (c, d))) <= min(max(a[k], b[k]), max(c[k], d[k])) for k in (0, 1)
    )
    return level and sides[0] * sides[1] <= 0 and sides[2] * sides[3] <= 0


def area(ring: Any) -> float:
    return 0.5 * sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(ring, [*ring[1:], ring[0]], strict=True))


@pytest.mark.parametrize(("points", "parts"), [(CONVEX, 1), (CONVEX[::-1], 1), (BENT, 2), (BENT[::-1], 2)])
def test_polygon_is_cut_into_few_parts(points: Any, parts: int) -> None:
    assert len(polygon(points).parts) == parts


@pytest.mark.parametrize(
    ("points", "message"),
    [
        ([(0, 0), (1, 0)], "2 corners, expected 3 to 10000"),
        ([(x, x * x) for x in range(10_001)], "10001 corners, expected 3 to 10000"),
        ([(0, 0), (2, 2), (2, 0), (0, 2)], "its sides 1 and 3 meet"),
        ([(0, 0), (4, 0), (4, 4), (2, 0), (0, 4)], "its sides 1 and 4 meet"),
        ([(0, 0), (4, 0), (2, 0), (2, 2)], "turns back on itself"),
        ([(0, 0), (1, 1), (2, 2)], "turns back on itself"),
        ([(0, 0), (2, 0), (2, 2), (0, 0), (0, 2)], "two of its corners are in one place"),
    ],
)
def test_bad_polygon(points: Any, message: str) -> None:
    with pytest.raises(ValueError, match=message):
        polygon(points)


corners = st.lists(st.tuples(st.integers(-9, 9), st.integers(-9, 9)), min_size=3, max_size=12, unique=True)


@given(corners, st.booleans())
def test_parts_of_a_polygon_are_convex_and_fill_it(points: Any, about: bool) -> None:
    if about:  # most rings in any order cross themselves; few that run about their middle do
        points = sorted(points, key=lambda point: (math.atan2(point[1], point[0]), point))
    crosses = any(
        meet(*(points[k % len(points)] for k in (i, i + 1, j, j + 1)))
        for j in range(len(points))
        for i in range(j - 1)
        if (j + 1) % len(points) != i
    )
    outline, refused = None, ""
    try:
        outline = polygon([(float(x), float(y)) for x, y in points])
    except ValueError as error:
        refused = str(error)
    assert crosses == ("meet" in refused) or "turns back" in refused
    if outline is None:
        return
    total = 0.0
    for part in outline.parts:
        ring = [tuple(corner) for corner in part.tolist()]
        assert all(cross(ring[i - 2], ring[i - 1], ring[i]) > 0 for i in range(len(ring)))
        total += area(ring)
    assert total == pytest.approx(abs(area(points)))


places = st.floats(-50, 50, allow_subnormal=False)


@given(
    st.lists(st.tuples(places, places), min_size=3, max_size=3),
    st.lists(st.lists(st.floats(0.01, 0.99), max_size=3, unique=True), min_size=3, max_size=3),
)
def test_points_along_the_sides_of_a_triangle_are_no_corners(triangle: Any, ways: Any) -> None:
    assume(abs(area(triangle)) > 1e-3)
    ring = []
    for (x0, y0), (x1, y1), own in zip(triangle, [*triangle[1:], triangle[0]], ways, strict=True):
        ring += [(x0, y0), *((x0 + (x1 - x0) * way, y0 + (y1 - y0) * way) for way in sorted(own))]
    assert len(set(ring)) < len(ring) or sorted(map(tuple, polygon(ring).parts[0].tolist())) == sorted(triangle)


def test_a_polygon_of_very_many_corners_is_cut() -> None:
    comb = [(float(x), 1000.0 * (x % 2)) for x in range(9_998)]
    ring = [*comb, (9_998.0, -9.0), (-1.0, -9.0)]
    assert sum(map(area, polygon(ring).parts)) == pytest.approx(abs(area(ring)))


@given(st.lists(st.lists(st.booleans(), min_size=5, max_size=5), min_size=1, max_size=6))
def test_rectangles_of_pixels_cover_exactly_the_solid_cells(rows: Any) -> None:
    solid = np.array(rows)
    if not solid.any():
        return
    covered = np.zeros_like(solid)
    for part in pixels(solid, (0, 0), 1.0, 1.0).parts:
        (left, top), (right, bottom) = part.min(axis=0).astype(int), part.max(axis=0).astype(int)
        assert solid[top:bottom, left:right].all()
        covered[top:bottom, left:right] = True
    assert (covered == solid).all()


def test_pixels_stand_upright_either_way() -> None:
    solid = np.array([[True, True], [True, False]])  # the empty cell is at the lower right
    for down, expected in ((1.0, [-2, 2]), (-1.0, [-2, 2])):
        corners = np.concatenate(pixels(solid, (1, 1), 2.0, down).parts)
        assert [corners[:, 1].min(), corners[:, 1].max()] == expected
    lower = [part for part in pixels(solid, (0, 0), 1.0, -1.0).parts if part[:, 1].min() == -2]
    assert lower[0][:, 0].max() == 1


@pytest.mark.parametrize(
    ("outline", "stretch", "radius", "corners"),
    [
        (circle(3), (2, 2), 6, [(0, 0)]),
        (circle(3), (2, 1), 3, [(-3, 0), (3, 0)]),
        (circle(3), (1, 2), 3, [(0, -3), (0, 3)]),
        (capsule(2, 6), (1, 1), 2, [(-3, 0), (3, 0)]),
        (capsule(2, 6), (0.4, 1), 2, [(0, 0)]),
        (capsule(2, 6), (0.2, 1), 1, [(0, -1), (0, 1)]),
        (rectangle(-1, -1, 1, 1), (3, 0.5), 0, [(-3, -0.5), (3, -0.5), (3, 0.5), (-3, 0.5)]),
    ],
)
def test_stretch(outline: Any, stretch: Any, radius: float, corners: Any) -> None:
    found = stretched(outline, stretch)
    assert found.radius == pytest.approx(radius)
    np.testing.assert_allclose(found.parts[0], corners, atol=1e-12)


def standing(box: dict[str, Any], ticks: list[int], **clip: Any) -> str:
    """Outcomes of a sting box on a keeper, its hornet standing still in clip `dive` at these ticks."""
    data = sting()
    data["kinds"]["hornet"]["boxes"]["sting"] |= box
    data["kinds"]["hornet"]["clips"] = {"dive": clip} if clip else {}
    frames = [
        {
            "poses": [
                {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
                {"id": "hornet", "kind": "hornet", "x": 0, "y": 0, "clip": "dive", "tick": tick},
            ]
        }
        for tick in ticks
    ]
    return outcomes(run(data, frames), "hornet", len(ticks))


CELLS = [
    # name, box, ticks, clip, outcome
    ("first and last active cell", {"during": {"dive": "2-4"}}, range(7), {}, "..Lrr.."),
    ("two windows, once in each", {"during": {"dive": "1-2,4"}}, range(6), {}, ".Lr.L."),
    ("another clip opens nothing", {"during": {"walk": "0-9"}}, range(3), {}, "..."),
    ("closed in some cells", {"except_during": {"dive": "1"}}, range(4), {}, "L.LL"),
    ("three frames a cell", {"during": {"dive": "1"}}, range(7), {"cells": 3, "rate": 20}, "...Lrr."),
    ("held at the last cell", {"during": {"dive": "2"}}, range(5), {"cells": 3}, "..Lrr"),
    ("a loop begins a new swing", {"during": {"dive": "0-1"}}, range(6), {"cells": 2, "loop": True}, "LrLrLr"),
    ("so does a clip that begins again", {"during": {"dive": "0-3"}}, [0, 1, 2, 0, 1], {}, "LrrLr"),
    (
        "keys take the box away",
        {"keys": {"dive": [{"cell": 1, "at": [50, 0]}, {"cell": 3, "at": [0, 0]}]}},
        range(5),
        {},
        "L..LL",
    ),
    (
        "blended they lead back",
        {"blend": "linear", "keys": {"dive": [{"cell": 1, "at": [28, 0]}, {"cell": 5, "at": [0, 0]}]}},
        range(7),
        {},
        "L...LLL",
    ),
    ("a stretch reaches", {"at": [14, 0], "keys": {"dive": [{"cell": 2, "stretch": [4, 1]}]}}, range(4), {}, "..LL"),
    ("10 cells a second at 60", {"during": {"dive": "1"}}, range(13), {"cells": 9, "rate": 10}, "......Lrrrrr."),
]


@pytest.mark.parametrize(("name", "box", "ticks", "clip", "expected"), CELLS, ids=[cell[0] for cell in CELLS])
def test_cells(name: str, box: dict[str, Any], ticks: Any, clip: dict[str, Any], expected: str) -> None:
    assert standing(box, list(ticks), **clip) == expected


def flight(xs: list[float], *, swept: bool = True, **pose: Any) -> list[tuple[int, float | None]]:
    """(frame, t) of the hits of a hornet of radius 3 that flies along x past a keeper 10 wide at 0."""
    data = sting(attack={"rehit": "entry"})
    data["kinds"]["hornet"]["boxes"]["sting"]["swept"] = swept
    frames = []
    for frame, x in enumerate(xs):
        hornet = {"id": "hornet", "kind": "hornet", "x": x, "y": 0}
        hornet |= {key: values[frame] for key, values in pose.items()}
        frames.append({"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, hornet]})
    return [(event.frame, event.t and round(event.t, 6)) for event in run(data, frames).hits()]


def test_sweeps() -> None:
    assert flight([-48, 52]) == [(1, 0.4)]
    assert flight([-48, 52], swept=False) == []
    assert flight([-48, -8]) == []  # its edge only reaches the other
    assert flight([-48, -7]) == [(1, round(40 / 41, 6))]
    assert flight([0, 80]) == [(0, 0)]  # without a past it stands, and overlaps from the start
    assert flight([-48, 52], cut=[False, True]) == []
    assert flight([-48, 52], facing=[1, -1]) == []
    assert flight([-48, 52], clip=["a", "b"], tick=[0, 0]) == []
    assert flight([-48, 52], hidden=[True, False]) == []
    assert flight([-48, -28, -7]) == [(2, round(20 / 21, 6))]


def test_lingering_moves_on_and_says_so() -> None:
    for linger, expected in (("0f", []), ("2f", []), ("3f", [(4, "lingering")])):
        data = sting(contact={"linger": linger}, attack={"rehit": "once"})
        frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]} for _ in range(7)]
        for frame, x in ((0, -32), (1, -25)):
            frames[frame]["poses"].append({"id": "hornet", "kind": "hornet", "x": x, "y": 0})
        found = [(event.frame, event.detail) for event in run(data, frames).hits()]
        assert found == expected  # 7 units a frame: -18, -11, -4


def test_a_swept_touch_lies_where_they_met() -> None:
    data = sting()
    data["kinds"]["hornet"]["boxes"]["sting"]["swept"] = True
    frames = [
        {"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "h", "kind": "hornet", "x": x, "y": 2}]}
        for x in (-48, 52)
    ]
    (event,) = run(data, frames).hits()
    assert (event.t, event.x, event.y) == pytest.approx((0.4, -5, 2))
    assert told([event])[0]["t"] == 0.4


@pytest.mark.parametrize(
    ("step", "swept", "lands"),
    [
        ((5, 5), False, False),
        ((5, 5), True, False),
        ((4, 4.5), False, False),
        ((6, 0), True, True),  # on its way to there
        ((4.2, 4.2), False, True),
        ((6, 0), False, False),
    ],
)
def test_a_capsule_of_no_length_is_a_circle(step: tuple[float, float], swept: bool, lands: bool) -> None:
    groups = []
    for shape in ({"capsule": [3, 0]}, {"circle": 3}):
        data = sting()
        data["kinds"]["keeper"]["boxes"]["torso"] = {"role": "hurtbox", "layer": ["keeper"], **shape}
        data["kinds"]["hornet"]["boxes"]["sting"] = {
            "role": "hitbox", "attack": "sting", "mask": ["keeper"], "swept": swept, **shape
        }  # fmt: skip
        frames = [
            {"poses": [{"id": "k", "kind": "keeper", "x": 0, "y": 0}, {"id": "h", "kind": "hornet", "x": x, "y": y}]}
            for x, y in ((-20, 40), step, (step[0], step[1] + 30))
        ]
        groups.append([(event.frame, event.t, event.x, event.y) for event in run(data, frames).of("contact")])
    assert groups[0] == groups[1]
    assert bool(groups[0]) == lands
