"""Where a game claims that a hit landed: right within the tolerance of what the two boxes share."""

from __future__ import annotations

import pytest

from tests.worlds import recording, rulebook, sting
from voskar.evidence.check import check


@pytest.mark.parametrize(
    ("place", "codes"),
    [
        ((4, 0), []),  # in both
        ((6, 0), []),  # a unit outside the torso, which ends at 5
        ((6.01, 0), ["hit-place"]),
        ((2, 0), []),  # a unit outside the sting, which reaches from 3 to 9
        ((1.99, 0), ["hit-place"]),
        ((5, 3.87), []),  # hypot(1, 3.87) is 3.997 from the centre of the sting
        ((5, 3.9), ["hit-place"]),  # 4.03, and its radius is 3
        ((0, 0), ["hit-place"]),  # in the torso alone
    ],
)
def test_a_claimed_place(place: tuple[float, float], codes: list[str]) -> None:
    x, y = place
    claim = {"event": "hit", "attacker": "hornet", "target": "keeper", "x": x, "y": y}
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    frames = [
        {"poses": [keeper, {"id": "hornet", "kind": "hornet", "x": 100, "y": 0}]},
        {
            "poses": [keeper, {"id": "hornet", "kind": "hornet", "x": 6, "y": 0, "cut": True}],
            "claims": [claim],
        },
    ]
    book = rulebook(sting())
    played = recording(book, frames)
    verdict, _ = check(book.rules(played.rate), played)
    assert [finding.code for finding in verdict.findings] == codes
