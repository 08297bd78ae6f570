"""Reflected shots in a recording: whose they are, and as whom they continue."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import recording, rulebook
from voskar.errors import InputError
from voskar.evidence.check import check
from voskar.files import json_lines

BARB = {"role": "hitbox", "circle": 2, "mask": ["keeper"], "attack": "barb"}
CASE = {
    "name": "reflected",
    "if": {"target": {"kinds": ["keeper"]}},
    "scale": 0,
    "attacker": {"reflect": {"mask": ["hive"]}},
}
DATA: dict[str, Any] = {
    "layers": {"names": ["keeper", "hive"]},
    "kinds": {
        "keeper": {"health": 9, "boxes": {"torso": {"role": "hurtbox", "circle": 4, "layer": ["keeper"]}}},
        "hornet": {"health": 9, "boxes": {"body": {"role": "hurtbox", "circle": 4, "layer": ["hive"]}}},
        "barb": {"boxes": {"tip": BARB}, "linger": 2},
    },
    "attacks": {"barb": {"damage": 2, "attacker": {"remove": True}, "cases": [CASE]}},
}


def frames(fields: dict[int, dict[str, Any]], count: int = 12) -> list[dict[str, Any]]:
    """A barb flies from a hornet to a keeper and back; `told` says more of its pose, from a frame on."""
    found, table = [], {"id": "barb", "owner": "hornet"}
    for frame in range(count):
        table |= fields.get(frame, {})
        x = 40.0 - 8 * frame if frame <= 5 else 8.0 * (frame - 5)
        poses = [
            {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
            {"id": "hornet", "kind": "hornet", "x": 52, "y": 0},
            {"kind": "barb", "x": x, "y": 0, **table},
        ]
        hits = [{"event": "hit", "attacker": "barb", "target": "keeper", "case": "reflected"}] if frame == 5 else []
        if frame == 11:
            hits = [{"event": "hit", "attacker": table["id"], "target": "hornet", "damage": 2}]
        found.append({"frame": frame, "poses": poses, "claims": hits})
    return found


GAMES = [
    # what the barb's pose logs from some frames on, and the codes of the findings
    ({}, []),
    ({6: {"owner": "keeper"}}, []),
    ({7: {"owner": "keeper"}}, ["owner"]),
    ({3: {"owner": "keeper"}}, ["owner"]),
    ({6: {"owner": "keeper"}, 8: {"owner": "hornet"}}, ["owner"]),
    ({0: {"owner": None}, 6: {"owner": "keeper"}}, []),
    ({0: {"owner": None}, 3: {"owner": "keeper"}}, ["owner"]),
    ({6: {"id": "keeper-barb", "owner": "keeper"}}, []),
]


@pytest.mark.parametrize(("told", "codes"), GAMES)
def test_whose_a_reflected_shot_is(told: dict[int, dict[str, Any]], codes: list[str]) -> None:
    book = rulebook(DATA)
    played = recording(book, frames(told))
    verdict, ledger = check(book.rules(played.rate), played)
    assert [finding.code for finding in verdict.findings] == codes
    goes_on = told.get(6, {}).get("id")
    assert [(event.frame, event.owner, event.detail) for event in ledger.of("reflect")] == [(5, "keeper", goes_on)]


def test_it_keeps_its_owner_where_nothing_reflects() -> None:
    book = rulebook(DATA | {"attacks": {"barb": {"damage": 2}}})
    with pytest.raises(InputError, match='changes its owner from "hornet" to "keeper"'):
        recording(book, frames({6: {"owner": "keeper"}}))


@pytest.mark.parametrize("first", ["hornet", None])
def test_changes_of_owner_are_the_same_however_a_log_is_cut(first: str | None, monkeypatch: pytest.MonkeyPatch) -> None:
    """A third owner that appears in a later part says nothing of the second."""
    fields = {0: {"owner": first}, 3: {"owner": "keeper"}, 6: {"owner": "bee"}}
    for piece in (1, 500, 1000, 1500, json_lines.PIECE):
        monkeypatch.setattr(json_lines, "PIECE", piece)
        played = recording(rulebook(DATA), frames(fields))
        assert [(change.frame, change.owner) for change in played.owner_changes] == [(3, "keeper"), (6, "bee")]
