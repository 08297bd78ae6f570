"""Gaps of convex parts: every pair of sorts, just inside and just outside the tolerance."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import strategies
from tests.reference import gap as reference_gap
from tests.worlds import run, sting
from voskar.core import geometry
from voskar.core.candidates import overlapping
from voskar.core.placing import Placed

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


@pytest.mark.parametrize(("a", "b", "offset", "expected"), GAPS)
def test_gap(a: Any, b: Any, offset: tuple[float, float], expected: float) -> None:
    first, second = np.array([a]), np.array([b]) + np.array(offset)
    for one, other in ((first, second), (second, first)):
        assert geometry.gap(one, other, np.zeros(1))[0] == pytest.approx(expected, abs=1e-12)
        assert geometry.gap(one, other, np.full(1, 1.5))[0] == pytest.approx(expected - 1.5, abs=1e-12)
    for slack in (1e-6, -1e-6):
        for radius in (expected + slack - 1e-9, expected + slack + 1e-9):
            touching = geometry.touches(first, second, np.full(1, radius), slack)[0]
            assert touching == (radius > expected + slack)


corners = st.lists(st.tuples(st.integers(-5, 5), st.integers(-5, 5)), min_size=3, max_size=5, unique=True)


@given(corners, corners)
def test_gap_agrees_with_the_reference(first: Any, second: Any) -> None:
    from voskar.core.shapes import hull

    a, b = hull(np.array(first, dtype=float)), hull(np.array(second, dtype=float))
    found = geometry.gap(a[None], b[None], np.zeros(1))[0]
    assert found == pytest.approx(
        reference_gap([tuple(p) for p in a.tolist()], [tuple(p) for p in b.tolist()]), abs=1e-9
    )


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
        assert len(run(data, [{"poses": poses}]).landings()) == expected


def placed(draw: Any) -> Placed:
    rows = draw(
        st.lists(st.tuples(st.integers(0, 3), *[strategies.steps] * 2, st.integers(1, 40)), min_size=1, max_size=60)
    )
    rows.sort(key=lambda row: row[0])
    frame, x, y, size = (np.array(column) for column in zip(*rows, strict=True))
    number = np.arange(len(rows))
    bounds = np.stack([x, y, x + size / 4, y + 1.0]).astype(float)
    return Placed(
        frame, number, number, number, number, bounds, np.zeros((2, len(rows))), np.zeros(len(rows), dtype=np.bool_)
    )


@given(st.data(), st.sampled_from([1e-6, -1e-6]))
def test_broad_phase_finds_what_all_pairs_find(data: Any, slack: float) -> None:
    from voskar.core import candidates

    hits, hurts = data.draw(st.composite(placed)()), data.draw(st.composite(placed)())
    shifted = Placed(
        hurts.frame, hurts.actor + 1000, hurts.pose, hurts.box, hurts.form, hurts.bounds, hurts.shift, hurts.swept
    )
    i, j = overlapping(hits, shifted, slack)
    grid = candidates._by_grid(hits, shifted, slack)
    expected = {
        (a, b)
        for a in range(len(hits))
        for b in range(len(hurts))
        if hits.frame[a] == hurts.frame[b]
        and candidates.bounds_meet(hits.bounds[:, [a]], hurts.bounds[:, [b]], slack)[0]
    }
    assert set(zip(i.tolist(), j.tolist(), strict=True)) == expected
    assert sorted(zip(*(side.tolist() for side in grid), strict=True)) == sorted(expected)
