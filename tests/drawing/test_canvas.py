"""What is drawn stroke by stroke: places, round numbers, and labels of which none covers another."""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from voskar.drawing.canvas import Canvas, Panel
from voskar.drawing.labels import Labels

SHOWN = (0.0, 0.0, 100.0, 50.0)


def panel(*, down: bool = True) -> Panel:
    """100 by 50 units at 4 dots a unit in a cell that is too high for them."""
    return Panel(Canvas(5, 5), (50, 50, 450, 450), SHOWN, down=down)


@pytest.mark.parametrize(("down", "y"), [(True, 350), (False, 150)])
def test_a_panel_keeps_the_shape_of_the_world_in_the_middle_of_its_cell(down: bool, y: float) -> None:
    found = panel(down=down)
    assert (found.bounds, found.scale) == ((50, 150, 450, 350), 4)
    assert found.dot(0, 0) == (50, y)
    np.testing.assert_allclose(found.dots([(50, 25), (100, 25)]), [(250, 250), (450, 250)])


spot = st.tuples(st.integers(0, 100), st.integers(0, 50))


@given(st.lists(st.tuples(spot, st.text("abc\n", min_size=1, max_size=12), st.booleans()), max_size=12))
def test_labels_with_room_cover_none(wanted: list[tuple[Any, str, bool]]) -> None:
    labels = Labels(panel())
    for at, text, boxed in wanted:
        labels.put(text, at, (0, -12), 7, "#000000", boxed=boxed, spare=True)
    for entry, other in itertools.combinations(labels.taken, 2):
        assert entry[0] >= other[2] or other[0] >= entry[2] or entry[1] >= other[3] or other[1] >= entry[3]
    _, y0, _, y1 = labels.panel.bounds
    assert all(y0 <= low and high <= y1 for _, low, _, high in labels.taken)


def test_a_label_that_must_be_there_is_drawn_in_any_case() -> None:
    labels = Labels(panel())
    for _ in range(60):
        labels.put("hornet-1", (50, 25), (0, -12), 9, "#000000")
    assert len(labels.taken) == 60
    labels.put("spare", (50, 25), (0, -12), 9, "#000000", spare=True)
    labels.put("of one outside", (500, 25), (0, -12), 9, "#000000")
    assert len(labels.taken) == 60


def test_strokes_are_where_they_are_told(tmp_path: Path) -> None:
    canvas = Canvas(2, 1)
    canvas.area([(20, 10), (60, 10), (60, 40), (20, 40)], fill="#ff0000", line="#ff0000")
    canvas.clip = (0, 0, 100, 100)
    canvas.lines([[(0, 80), (200, 80)]], "#0000ff", 4)
    canvas.clip = None
    canvas.mark((150, 50), "o", 10, "#00ff00", "#00ff00")
    dots = np.asarray(canvas.image()).astype(int)[::-1]  # from the lower left
    red, green, blue = ((dots[..., number] > 200) & (dots.sum(axis=2) < 400) for number in range(3))
    for found, (x0, y0, x1, y1) in ((red, (20, 10, 59, 39)), (blue, (0, 78, 99, 81)), (green, (143, 43, 156, 56))):
        ys, xs = np.nonzero(found)
        assert np.abs(np.array([xs.min(), ys.min(), xs.max(), ys.max()]) - (x0, y0, x1, y1)).max() <= 1
    vector = Canvas(2, 1, vector=tmp_path / "x.svg")
    vector.lines([[(0, 36), (144, 36)]], "#0000ff", 2)
    vector.close()
    assert "M 0 36 \nL 144 36" in (tmp_path / "x.svg").read_text()
