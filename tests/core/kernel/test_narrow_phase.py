"""Gaps of convex parts: every pair of shapes, just inside and just outside the tolerance."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.reference import gap as reference_gap
from tests.worlds import rulebook, run, sting
from voskar.core.boxes import BoxCatalog
from voskar.core.kernel.meeting import surface_normal
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.posing import Posed

POINT = [(0.0, 0.0)]
SEGMENT = [(-2.0, 0.0), (2.0, 0.0)]
SQUARE = [(-2.0, -2.0), (2.0, -2.0), (2.0, 2.0), (-2.0, 2.0)]
DIAMOND = [(0.0, -2.0), (2.0, 0.0), (0.0, 2.0), (-2.0, 0.0)]

GAPS = [
    # a, b, offset of b, gap
    (POINT, POINT, (3, 4), 5),
    (POINT, SEGMENT, (0, 3), 3),
    (POINT, SEGMENT, (5, 4), 5),
    (POINT, SQUARE, (0, 5), 3),
    (POINT, SQUARE, (5, 6), 5),
    (POINT, SQUARE, (1, 0), -1),
    (SEGMENT, SEGMENT, (0, 2), 2),
    (SEGMENT, SEGMENT, (7, 0), 3),
    (SEGMENT, SQUARE, (0, 1), -1),
    (SEGMENT, SQUARE, (4, 0), 0),
    (SQUARE, SQUARE, (4, 0), 0),
    (SQUARE, SQUARE, (4, 4), 0),
    (SQUARE, SQUARE, (3, 1), -1),
    (SQUARE, SQUARE, (7, 8), 5),
    (SQUARE, DIAMOND, (4, 0), 0),
    (SQUARE, DIAMOND, (4, 4), math.sqrt(2)),
    (DIAMOND, DIAMOND, (2, 2), 0),
    (DIAMOND, DIAMOND, (0, 0), -2 * math.sqrt(2)),
]


def between(a: Any, b: Any) -> NarrowPhase:
    """Two parts, ready to be asked."""
    narrow = NarrowPhase(max(len(a), len(b)))
    narrow.put(True, np.asarray(a, dtype=float).tolist())
    narrow.put(False, np.asarray(b, dtype=float).tolist())
    return narrow


@pytest.mark.parametrize(("a", "b", "offset", "expected"), GAPS)
def test_gap(a: Any, b: Any, offset: tuple[float, float], expected: float) -> None:
    first, second = np.array(a), np.array(b) + np.array(offset)
    for one, other in ((first, second), (second, first)):
        assert between(one, other).gap(0.0) == pytest.approx(expected, abs=1e-12)
        assert between(one, other).gap(1.5) == pytest.approx(expected - 1.5, abs=1e-12)
    for slack in (1e-6, -1e-6):
        for radius in (expected + slack - 1e-9, expected + slack + 1e-9):
            assert between(first, second).touches(radius, slack) == (radius > expected + slack)


corners = st.lists(st.tuples(st.integers(-5, 5), st.integers(-5, 5)), min_size=3, max_size=5, unique=True)


@given(corners, corners)
def test_gap_agrees_with_the_reference(first: Any, second: Any) -> None:
    from voskar.core.rules.shapes import hull

    a, b = hull(np.array(first, dtype=float)), hull(np.array(second, dtype=float))
    found = between(a, b).gap(0.0)
    assert found == pytest.approx(
        reference_gap([tuple(p) for p in a.tolist()], [tuple(p) for p in b.tolist()]), abs=1e-9
    )


@pytest.mark.parametrize("past", [0.0, 1e-15, -1e-15, 1e-10])
def test_edges_that_only_touch_at_the_end_of_the_way_touch_there_whatever_rounding_says(past: float) -> None:
    narrow = between([(x - 4 - past, y) for x, y in SQUARE], SQUARE)
    assert narrow.time_of_impact(0.0, 2.0, 0.0, -1e-6) == pytest.approx(1.0, abs=1e-9)


@pytest.mark.parametrize("upwards", [-1.0, 1.0])
def test_of_surfaces_at_one_depth_the_one_that_faces_up_counts(upwards: float) -> None:
    for turn in np.linspace(0, 90, 19):
        way = np.radians(turn)
        turned = np.array(SQUARE) @ np.array([[np.cos(way), np.sin(way)], [-np.sin(way), np.cos(way)]])
        narrow = between(POINT, turned)
        narrow.upwards = upwards
        surface_normal(narrow, 0.0, 0.0, 1e-6)
        level = max(abs(np.cos(way)), abs(np.sin(way)))
        assert narrow.normal_y * upwards == pytest.approx(level, abs=1e-6)


@pytest.mark.parametrize(
    ("distance", "edges_touch", "expected"),
    [
        (8.0, False, 0),
        (8.0 - 0.9e-6, False, 0),
        (8.0 - 1.1e-6, False, 1),
        (8.0, True, 1),
        (8.0 + 0.9e-6, True, 1),
        (8.0 + 1.1e-6, True, 0),
    ],
)
def test_tolerance_of_touches(distance: float, edges_touch: bool, expected: int) -> None:
    for shape in ({"rect": [6, 6]}, {"circle": 3}):
        data = sting(contact={"edges_touch": edges_touch})
        data["kinds"]["hornet"]["boxes"]["sting"].pop("circle")
        data["kinds"]["hornet"]["boxes"]["sting"] |= shape
        poses = [
            {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
            {"id": "h", "kind": "hornet", "x": distance, "y": 0},
        ]
        assert len(run(data, [{"poses": poses}]).hits()) == expected


boxes_of_a_frame = st.lists(
    st.tuples(*[st.integers(-30, 30)] * 2, st.integers(1, 40), st.integers(1, 6), st.booleans()),
    min_size=1,
    max_size=60,
)


@given(boxes_of_a_frame, boxes_of_a_frame, st.booleans())
def test_broad_phase_finds_what_all_pairs_find(hits: Any, hurts: Any, edges_touch: bool) -> None:
    """Rectangles of any size, so many that they are sorted: each pair once, and no other."""
    data = sting(contact={"edges_touch": edges_touch})
    kinds: dict[str, Any] = {}
    rows = []
    for role, boxes in (("hit", hits), ("hurt", hurts)):
        for number, (x, y, wide, high, swept) in enumerate(boxes):
            box = {"rect": [wide, high], "swept": swept, "layer": ["hive"], "mask": ["hive"]}
            more = {"role": "hitbox", "attack": "sting"} if role == "hit" else {"role": "hurtbox"}
            kinds[f"{role}{number}"] = {"boxes": {"box": box | more}}
            rows.append((f"{role}{number}", x, y, wide / 2, high / 2))
    posed = Posed(BoxCatalog(rulebook(data | {"kinds": kinds}).rules(Fraction(60))), (), len(rows))
    for row, (kind, x, y, _, _) in enumerate(rows):
        posed.put(row, kind, x, y)
    found = [(touch.attacker, touch.target) for touch in posed.touches()]
    slack = -1e-6 if edges_touch else 1e-6
    expected = [
        (i, j)
        for i, (kind, x, y, wide, high) in enumerate(rows)
        for j, (other, u, v, broad, tall) in enumerate(rows)
        if kind.startswith("hit")
        and other.startswith("hurt")
        and wide + broad - abs(x - u) > slack
        and high + tall - abs(y - v) > slack
    ]
    assert sorted(found) == expected
