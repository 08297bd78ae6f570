"""Baked poses against what hits should do to them, and frame data."""

from __future__ import annotations

from typing import Any

import pytest

from tests.core.judging.test_hits import ways, world
from tests.worlds import recording, rulebook
from voskar.core.views.framedata import moves
from voskar.evidence.check import check


def findings(
    attack: dict[str, Any], xs: list[float], ys: list[float] | None = None, mark: int | None = None
) -> list[tuple[str, int, str]]:
    """What check says of a waxling that the keeper hits in frame 1 and that then stands at these places; in the frame
    `mark` the run begins again."""
    data = world({"damage": 1, "rehit": "once", **attack}, touch=False)
    frames = ways([(90, 0), *[(0, 0)] * (len(xs) - 1)])
    for frame, x, y in zip(frames, xs, ys or [0] * len(xs), strict=True):
        frame["poses"][1] |= {"x": x, "y": y}
    frames[1]["claims"] = [{"event": "hit", "attacker": "keeper", "target": "waxling"}]
    if mark is not None:
        frames[mark]["reset"] = "run"
    book = rulebook(data)
    played = recording(book, frames)
    return [
        (finding.code, finding.frame, finding.game) for finding in check(book.rules(played.rate), played)[0].findings
    ]


PUSH = {"target": {"knockback": {"distance": 12, "over": "3f"}}}

SHOWN = [
    ("as it should be", PUSH, [4, 4, 8, 12, 16, 16], []),
    ("within a unit", PUSH, [4, 4, 8, 12, 15.2, 16], []),
    ("not at all", PUSH, [4, 4, 4, 4, 4, 4], [("knockback", 1, "moves 0.0 units to frame 4")]),
    ("the wrong way", PUSH, [4, 4, 0, -4, -8, -8], [("knockback", 1, "moves 12.0 units at 180° to frame 4")]),
    (
        "a frame too long",
        PUSH,
        [4, 4, 7, 10, 13, 16],
        [("knockback", 1, "moves 9.0 units at 0° to frame 4, and is there in 5, 1 frames later")],
    ),
    ("gone before it ends", PUSH, [4, 4, 8], []),
    ("home", {"target": {"home": True}}, [4, 4, 4], []),
    ("not home", {"target": {"home": True}}, [40, 4, 4], [("home", 1, "is at (4, 0) in 2")]),
]


@pytest.mark.parametrize(("name", "attack", "xs", "expected"), SHOWN, ids=[entry[0] for entry in SHOWN])
def test_knockback_and_home(name: str, attack: Any, xs: list[float], expected: Any) -> None:
    assert findings(attack, xs) == expected


@pytest.mark.parametrize(("mark", "codes"), [(2, []), (3, []), (4, []), (5, ["home"])])
def test_a_mark_leaves_nothing_of_a_way_home(mark: int, codes: list[str]) -> None:
    """It is frozen in 2 and 3, so it would be at home in 4; a mark ends the freeze. Behind it there are new hits."""
    found = findings({"hitstop": "2f", "target": {"home": True}}, [40, 4, 4, 4, 30, 30], mark=mark)
    assert [code for code, _, _ in found if code != "hit-missing"] == codes


def test_launch() -> None:
    attack = {"target": {"launch": 300}}
    assert findings(attack, [4] * 3, [0, 0, -5]) == []
    assert findings(attack, [4] * 3, [0, 0, -4.8]) == []  # 5 % slower
    entries = [("launch", 1, "vertical speed -246.0 in 2, 67 % of the height")]
    assert findings(attack, [4] * 3, [0, 0, -4.1]) == entries
    assert findings(attack, [4] * 3, [0, 0, 2]) == [("launch", 1, "vertical speed 120.0 in 2")]
    assert findings(attack, [4, 4, 4.8], [0, 0, -5]) == []  # a unit a frame
    assert findings(attack, [4, 4, 8], [0, 0, -5]) == [("launch", 1, "horizontal speed 240.0 in 2")]
    assert findings(attack, [0, 4, 8], [0, 0, -5]) == []  # it walked so before


@pytest.mark.parametrize(("damage", "codes"), [(3, ["launch"]), (10, [])])
def test_no_launch_of_the_dead(damage: int, codes: list[str]) -> None:
    """A body lies where it fell, if the hit that throws it has killed it."""
    found = findings({"damage": damage, "target": {"launch": 300}}, [4] * 3)
    assert [code for code, _, _ in found if code == "launch"] == codes


MOVES = [
    # during, clip, attack, rate: startup, active, recovery, total, damage of all
    ("2-4", {"cells": 8}, {}, 60, (2, 3, 3, 8, 2)),
    ("3-5", {"cells": 9, "rate": 20}, {}, 60, (9, 9, 9, 27, 2)),
    ("3-5", {"cells": 9, "rate": 20}, {}, 50, (8, 7, 8, 23, 2)),
    ("1-2,4", {"cells": 6}, {}, 60, (1, 3, 1, 6, 4)),
    ("1-2,4", {"cells": 6}, {"target": {"iframes": 3}}, 60, (1, 3, 1, 6, 2)),
    ("1-2,4", {"cells": 6}, {"target": {"iframes": 2}}, 60, (1, 3, 1, 6, 4)),
    ("0-5", {"cells": 6}, {"rehit": "always"}, 60, (0, 6, 0, 6, 12)),
    ("0-5", {"cells": 6}, {"rehit": "3f"}, 60, (0, 6, 0, 6, 4)),
    ("0-5", {"cells": 6}, {"rehit": "entry"}, 60, (0, 6, 0, 6, 2)),
    ("2-3", None, {}, 60, (2, 2, None, None, 2)),
]


@pytest.mark.parametrize(("during", "clip", "attack", "rate", "expected"), MOVES)
def test_moves(during: str, clip: Any, attack: Any, rate: int, expected: Any) -> None:
    from fractions import Fraction

    data = world({"damage": 2, **attack})
    data["kinds"]["keeper"]["boxes"]["feet"]["during"] = {"swing": during}
    if clip:
        data["kinds"]["keeper"]["clips"] = {"swing": clip}
    (move,) = moves(rulebook(data).rules(Fraction(rate)))
    assert (move.startup, move.active, move.recovery, move.total, move.damage_all) == expected
