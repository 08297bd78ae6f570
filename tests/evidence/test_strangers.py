"""Ids that no actor has are findings, and nothing else is refused for them."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.evidence.check import check

HIT = {"event": "hit", "attacker": "hornet", "target": "keeper"}
NAMED: list[tuple[str, dict[str, Any], list[tuple[str, str]]]] = [
    ("an attacker", {"claims": [HIT | {"attacker": "hornett"}]}, [("unknown-actor", "hornett")]),
    ("a target", {"claims": [HIT | {"target": "kepeer"}]}, [("unknown-actor", "kepeer")]),
    ("a death", {"claims": [{"event": "down", "id": "moth"}]}, [("unknown-actor", "moth")]),
    ("its whole life in a frame", {"claims": [{"event": "spawn", "id": "spark"}, {"event": "removed", "id": "spark"}]},
     [("unknown-actor", "spark")]),
    ("an input", {"inputs": [{"id": "kepeer", "button": "smoke"}]}, [("unknown-actor", "kepeer")]),
    ("two", {"claims": [{"event": "down", "id": "moth"}], "inputs": [{"id": "kepeer", "button": "smoke"}]},
     [("unknown-actor", "kepeer"), ("unknown-actor", "moth")]),
]  # fmt: skip


@pytest.mark.parametrize(("entries", "expected"), [row[1:] for row in NAMED], ids=[row[0] for row in NAMED])
@pytest.mark.parametrize("resync", [True, False])
def test_each_is_a_root_of_its_own(entries: dict[str, Any], expected: list[tuple[str, str]], resync: bool) -> None:
    frames = brush({"hornet": "#.....#....."})
    frames[0]["claims"] = [HIT]
    frames[6]["claims"] = [HIT]
    for key, item in entries.items():
        frames[3][key] = item
    book = rulebook(sting())
    played = recording(book, frames)
    verdict, _ = check(book.rules(played.rate), played, resync=resync)
    assert sorted((root.code, root.target) for root, _ in verdict.roots) == expected
    assert {root.frame for root, _ in verdict.roots} == {3}
    assert verdict.agreed == 2


def test_the_nearest_name_is_told() -> None:
    frames = brush({"hornet": "...."})
    frames[1]["inputs"] = [{"id": "kepeer", "button": "smoke"}]
    book = rulebook(sting())
    (finding,) = check(book.rules(60), recording(book, frames))[0].findings
    assert (finding.game, finding.rules) == (
        "is named in inputs.id",
        'has no pose in any frame (did you mean "keeper"?)',
    )
