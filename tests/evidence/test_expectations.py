"""Statements that hold and fail, each with what was found instead; comparisons of ledgers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting, toml
from voskar.core.ledger import Ledger
from voskar.core.step import replay
from voskar.core.views.timeline import Timeline, timeline
from voskar.errors import InputError
from voskar.evidence.baseline import compare
from voskar.evidence.expectations import Failure, hold
from voskar.explaining.weighing import weigh
from voskar.files.expect import load_expectations, propose
from voskar.files.ledger import read_ledger, write_ledger

KEEPER = {"health": 3, "iframes": 3, "lives": 2, "respawn": {"after": 2}}
TOUCH = "#######.#..#"


def played(keeper: dict[str, Any] | None = None, touch: str = TOUCH, **more: Any) -> tuple[Ledger, Any]:
    """Hits in 0, 4, 8: down in 8, back in 10, landed again in 11."""
    book = rulebook(sting(keeper=KEEPER | (keeper or {}), **more))
    frames = recording(book, brush({"hornet": touch}))
    rules = book.rules(frames.rate)
    ledger = replay(rules, frames)
    return ledger, timeline(rules, frames, ledger)


def failures(folder: Path, *statements: dict[str, Any], state: bool = False) -> list[Failure]:
    data: dict[str, Any] = {"voskar": 2, "state" if state else "expect": list(statements)}
    (folder / "x.expect.toml").write_text(toml(data))
    return hold(load_expectations(folder / "x.expect.toml"), *played())


HOLD = [
    {"event": "landed", "at": [0, 4, 8, 11]},
    {"event": "landed", "count": 4},
    {"event": "landed", "count": "3-5", "attacker": "hornet"},
    {"event": "landed", "frames": "1-8", "count": 2},
    {"event": "landed", "frames": 4},
    {"event": "landed", "damage": 2, "never": True},
    {"event": "health", "after": "1-2", "at": [0, 4, 11]},
    {"event": "respawn", "x": "-1..1", "at": [10]},
    {"event": "down", "then": [{"event": "respawn"}, {"event": "landed", "target": "keeper"}]},
]


@pytest.mark.parametrize("statement", HOLD, ids=str)
def test_holds(statement: dict[str, Any], tmp_path: Path) -> None:
    assert failures(tmp_path, statement) == []


FAIL = [
    ({"event": "landed", "at": [0, 5, 8, 11]}, "4: in 0, 4, 8, 11; nearest miss: landed in 4"),
    ({"event": "landed", "count": 5}, "4: in 0, 4, 8, 11; nearest miss: immune in 1"),
    ({"event": "landed", "attack": "bite"}, "none; nearest miss: landed with attack sting in 0"),
    ({"event": "landed", "damage": "2-"}, "none; nearest miss: landed with damage 1 in 0"),
    ({"event": "landed", "frames": "5-7"}, "none; nearest miss: landed in 4"),
    ({"event": "landed", "never": True, "frames": "-4"}, "2: in 0, 4"),
    ({"event": "down", "then": [{"event": "out"}]}, "no out behind frame 8"),
    ({"event": "over"}, "none"),
]


@pytest.mark.parametrize(("statement", "found"), FAIL, ids=str)
def test_fails_and_tells_what_was_found(statement: dict[str, Any], found: str, tmp_path: Path) -> None:
    (failure,) = failures(tmp_path, statement)
    assert failure.found.startswith(found)


def test_states(tmp_path: Path) -> None:
    good = [{"id": "keeper", "frame": frame, "health": health} for frame, health in ((0, 2), (7, 1), (8, 0), (10, 3))]
    assert failures(tmp_path, *good, {"id": "keeper", "frame": 8, "lives": 1}, state=True) == []
    wrong, missing, late = failures(
        tmp_path,
        {"id": "keeper", "frame": 4, "health": "2-3"},
        {"id": "moth", "frame": 4, "health": 1},
        {"id": "keeper", "frame": 99, "health": 2},
        state=True,
    )
    assert (wrong.expected, wrong.found) == ("health 2-3 after frame 4", "health 1; nearest miss: health 2 from 0 on")
    assert (missing.found, late.found) == ("no such actor", "the recording has frames 0 to 11")


def test_positions_are_those_that_hits_lead_to(tmp_path: Path) -> None:
    """A raw recording: the keeper logs that it stands, and the sting in 0 pushes it by 4 in each of two frames."""
    book = rulebook(sting(attack={"target": {"knockback": {"distance": 8, "over": 2, "direction": 0}}}))
    frames = recording(book, brush({"hornet": "#..."}), reactions="raw")
    states = [{"id": "keeper", "frame": frame, "x": x} for frame, x in enumerate((0, 4.5, "8-9", "8.4-9"))]
    data: dict[str, Any] = {"voskar": 2, "state": [*states, {"id": "keeper", "frame": 9, "y": 0}]}
    (tmp_path / "x.expect.toml").write_text(toml(data))
    found = weigh(book.rules(frames.rate), frames, load_expectations(tmp_path / "x.expect.toml"))
    assert [(failure.expected, failure.found) for failure in found.failures] == [
        ("x 8.4-9 in frame 3", "x 8"),
        ("frame 9", "the recording has frames 0 to 3"),
    ]


def test_every_mistake_in_the_file_is_told_at_once(tmp_path: Path) -> None:
    wrong = [
        {"event": "landd"},
        {"event": "landed", "strikr": "hornet"},
        {"event": "landed", "count": "many"},
        {"event": "landed", "count": 1, "never": True},
        {"event": "landed", "damage": "much"},
        {"event": "down", "then": [{"evnt": "out"}]},
    ]
    with pytest.raises(InputError) as error:
        failures(tmp_path, *wrong)
    text = str(error.value)
    for words in ("landd", "did you mean", "strikr", "many", "count and never", "damage", "evnt"):
        assert words in text


def test_what_is_proposed_holds(tmp_path: Path) -> None:
    ledger, course = played()
    (tmp_path / "p.toml").write_text(propose(ledger, course))
    statements = load_expectations(tmp_path / "p.toml")
    assert len(statements) == 4
    assert hold(statements, ledger, course) == []
    assert hold(statements, *played({"iframes": 2}))


def test_ids_of_shots_are_not_proposed(tmp_path: Path) -> None:
    """Two puffs of one keeper hit: the same hits by puffs with other ids are as good."""

    def of(names: tuple[str, str]) -> tuple[Ledger, Timeline]:
        data = sting()
        data["kinds"]["hornet"]["health"] = 5
        book = rulebook(data)
        frames: list[dict[str, Any]] = []
        for frame in range(12):
            poses = [
                {"id": "nest", "kind": "hornet", "x": 90, "y": 0},
                {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
            ]
            for at, name in zip((3, 8), names, strict=True):
                near = 0 if frame == at else 50
                poses.append({"id": name, "kind": "hornet", "x": near, "y": 0, "owner": "nest"})
            frames.append({"poses": poses})
        made = recording(book, frames)
        rules = book.rules(made.rate)
        ledger = replay(rules, made)
        return ledger, timeline(rules, made, ledger)

    (tmp_path / "p.toml").write_text(propose(*of(("a", "b"))))
    assert "at = [3, 8]" in (tmp_path / "p.toml").read_text()
    assert hold(load_expectations(tmp_path / "p.toml"), *of(("c", "d"))) == []


COMPARED = [
    # the keeper's change, what differs: change, frame, what it follows from
    ({}, []),
    ({"iframes": 2}, [("moved", 4, None), ("gained", 6, 4)]),
    ({"health": 4}, [("lost", 8, None), ("lost", 10, 8)]),
]


@pytest.mark.parametrize(("change", "expected"), COMPARED)
def test_causes_and_what_follows(change: dict[str, Any], expected: list[tuple[str, int, int | None]]) -> None:
    found = compare(played()[0], played(change)[0], near=2)
    assert [(difference.change, difference.frame, difference.follows) for difference in found.differences][
        : len(expected)
    ] == expected
    assert found.causes == found.differences[: len(found.causes)]
    assert bool(found.differences) == bool(expected)


def test_another_damage_is_a_cause_each_time() -> None:
    found = compare(played({"health": 99})[0], played({"health": 99}, attack={"damage": 2})[0])
    assert [(difference.change, difference.before, difference.follows) for difference in found.differences] == [
        ("changed", "landed, damage 1", None)
    ] * 3


@pytest.mark.parametrize("ending", [".jsonl", ".csv", ".parquet"])
def test_ledgers_are_read_as_they_were_written(ending: str, tmp_path: Path) -> None:
    ledger, _ = played()
    write_ledger(ledger, tmp_path / f"one{ending}")
    back = read_ledger(tmp_path / f"one{ending}")
    assert [dict(event.columns()) for event in back.events] == [dict(event.columns()) for event in ledger.events]
    assert not compare(ledger, back).differences
    assert (back.first, back.last, back.rate) == (0, 11, 60)


def test_what_is_no_ledger_is_refused(tmp_path: Path) -> None:
    (tmp_path / "a.jsonl").write_text('{"voskar": "recording"}\n')
    with pytest.raises(InputError, match="no ledger"):
        read_ledger(tmp_path / "a.jsonl")
    (tmp_path / "a.jsonl").write_text('{"voskar": "ledger", "version": 2}\n{"frame": 1, "evnt": 2}\n')
    with pytest.raises(InputError, match=r"a\.jsonl:2: .*evnt"):
        read_ledger(tmp_path / "a.jsonl")
