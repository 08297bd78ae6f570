"""Clashes that the game logs of: adopted as hits are."""

from __future__ import annotations

from typing import Any

import pytest

from tests.core.test_fights import blades
from tests.worlds import recording, rulebook
from voskar.evidence.check import check

GAMES: list[tuple[list[int], list[str], list[int]]] = [
    # the frames in which the game claims a clash, the codes of the findings, the frames of the clashes that count
    ([0], [], [0]),
    ([1], ["event-moved"], [1]),
    ([], [], [0]),
    ([0, 2], ["event-denied"], [0, 2]),
]


@pytest.mark.parametrize(("claimed", "codes", "counts"), GAMES)
def test_claims_of_clashes(claimed: list[int], codes: list[str], counts: list[int]) -> None:
    data = blades(clash={"attacker": {"stun": 3}})
    frames: list[dict[str, Any]] = []
    for frame in range(6):
        poses = [{"id": name, "kind": kind, "x": x, "y": 0} for name, kind, x in SIDES]
        claims = [{"event": "clash", "ids": ["k", "h"]}] if frame in claimed else []
        frames.append({"frame": frame, "poses": poses, "claims": claims})
    book = rulebook(data)
    played = recording(book, frames)
    verdict, ledger = check(book.rules(played.rate), played)
    assert [finding.code for finding in verdict.findings] == codes
    adopted = [event.frame for event in ledger.of("adopted") if event.detail == "no clash"]
    assert [event.frame for event in ledger.of("clash") if event.frame not in adopted] == counts


SIDES = (("h", "hornet", 0), ("k", "keeper", 6))
