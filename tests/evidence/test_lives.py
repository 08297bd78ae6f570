"""Typical mistakes of games with health, death and lives: each is logged from a correct game, by name."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.worlds import recording, rulebook, sting
from voskar.core.adopt import Window, Windows
from voskar.evidence.check import check

Frames = list[dict[str, Any]]

DIES, BACK, SEEN = 10, 30, 15  # frames of death and return, and for how long the body is to be seen
KEEPER = {
    "health": 2,
    "lives": 2,
    "down": {"lasts": SEEN, "clip": "fall"},
    "clips": {"fall": {"cells": 6, "rate": 30}},
    "respawn": {"after": BACK - DIES, "at": [50, 0], "iframes": 5},
}


def correct() -> Frames:
    """A correct game: stung in 5 and 10, down with its clip once, hidden, back in 30 at (50, 0)."""
    frames: Frames = []
    for frame in range(45):
        down = DIES <= frame < BACK
        pose: dict[str, Any] = {"id": "keeper", "kind": "keeper", "x": 0 if frame < BACK else 50, "y": 0}
        pose |= {"clip": "fall", "tick": frame - DIES} if DIES < frame < BACK else {"clip": "idle", "tick": frame}
        pose |= {"health": 2 if frame < 5 or frame >= BACK else 0 if down else 1, "lives": 2 if frame < DIES else 1}
        pose["hidden"] = DIES + SEEN < frame < BACK
        hornet = {"id": "hornet", "kind": "hornet", "x": 0 if frame in (5, 10) else 300, "y": 0}
        frames.append({"poses": [pose, hornet]})
        if frame in (5, 10):
            frames[-1]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    return frames


def told(
    frames: Frames, keeper: dict[str, Any] | None = None, late: int = 0, **rules: Any
) -> list[tuple[str, int, str]]:
    """The findings: code, frame, and both accounts."""
    book = rulebook(sting(keeper={**KEEPER, **(keeper or {})}) | {"space": {"bounds": [-400, -400, 400, 400]}} | rules)
    played = recording(book, frames)
    verdict, _ = check(book.rules(played.rate), played, windows=Windows(every=Window(0, late)))
    found = verdict.findings
    return [
        (finding.code, finding.frame, f"{finding.game}; {finding.rules}; {finding.why.sentence if finding.why else ''}")
        for finding in found
    ]


def change(*which: int, **fields: Any) -> Callable[[Frames], None]:
    """Changes the keeper's pose in some frames; a callable is given the frame."""

    def changed(frames: Frames) -> None:
        for frame in which:
            own = {key: value(frame) if callable(value) else value for key, value in fields.items()}
            frames[frame]["poses"][0] |= own

    return changed


def claim(frame: int, attacker: str = "hornet") -> Callable[[Frames], None]:
    def claimed(frames: Frames) -> None:
        frames[frame]["poses"][1]["x"] = frames[frame]["poses"][0]["x"]
        frames[frame]["claims"] = [{"event": "hit", "attacker": attacker, "target": "keeper"}]

    return claimed


def walks(frames: Frames) -> None:
    change(*range(12, 25), x=lambda frame: 4 * (frame - 11))(frames)
    for frame in range(12, 25):
        frames[frame]["inputs"] = [{"id": "keeper", "button": "right"}]


def obeys(frames: Frames) -> None:
    change(16, clip="swing", tick=0)(frames)
    frames[16]["inputs"] = [{"id": "keeper", "button": "strike"}]


def fires(frames: Frames) -> None:
    frames[17]["poses"].append({"id": "puff-1", "kind": "hornet", "x": 200, "y": 0, "owner": "keeper"})


LATER = range(DIES, BACK)
MISTAKES = [
    # what the game does, codes and frames of the findings, what their text says
    ("health goes below zero", change(*LATER, health=-1), [("health", 10)], "health -1, below zero from 10 to 29"),
    ("health is restored late", change(30, 31, health=0), [("health", 30)], "back in 30"),
    ("a hit takes nothing", change(5, health=2), [("health", 5)], "hornet took 1 in 5"),
    ("the new life is marked as dead", change(*range(30, 45), health=0), [("health", 30)], "health 0 from 30 to"),
    ("a life too many is lost", change(*range(30, 45), lives=0), [("lives", 30)], "lives 1: down in 10"),
    ("the body walks on", walks, [("down-moves", 12)], "52.0 units off by 24, with right held"),
    ("the body leaves the room", change(20, x=500), [("down-moves", 20)], "out of bounds in 20"),
    ("the body obeys", obeys, [("down-acts", 16), ("down-clip", 16), ("down-clip", 17)], "strike is pressed, and it"),
    ("the body fires", fires, [("down-acts", 17)], "puff-1 of its own appears while it is down"),
    ("the death clip over and over", change(*range(11, 30), tick=0), [("down-clip", 12)], "fall begins 19 times"),
    ("another clip", change(*range(11, 30), clip="idle"), [("down-clip", 11)], "shows idle in 11"),
    ("the clip freezes", change(*range(14, 30), tick=3), [("down-clip", 14)], "fall stands in cell 1 from 12 on"),
    ("the clip skips", change(*range(15, 30), tick=lambda at: at),
     [("down-clip", 15)], "fall is in cell 5 in 15 already"),
    ("the clip is held up by a hitstop", change(*range(11, 30), tick=lambda at: max(at - DIES - 4, 1)), [], ""),
    ("the clip stays", change(*range(30, 45), clip="fall"), [("down-clip", 31)], "still shows fall in 31"),
    ("the body lies too long", change(26, hidden=False), [("down-long", 26)], "seen for 15 frames, to 25, back in 30"),
    ("back early", change(27, 28, 29, x=50, hidden=False), [("down-long", 27), ("down-long", 27)],
     "3 frames early"),
    ("back late", change(30, 31, hidden=True), [("respawn-late", 30)], "seen in 32, 2 frames late"),
    ("back elsewhere", change(*range(30, 45), x=0), [("respawn-place", 30)], "back in 30 at (50, 0)"),
    ("the body is hit", claim(15), [("hit-denied", 15)], "keeper has been down since 10 and comes back in 30"),
    ("hit in the last immune frame", claim(34), [("hit-denied", 34)], "i-frames from respawn, 30 to 34: 1 left"),
]  # fmt: skip


def test_a_correct_game_agrees() -> None:
    assert told(correct()) == []
    frames = correct()
    claim(35)(frames)  # the first frame in which it is vulnerable again
    change(*range(35, 45), health=1)(frames)
    assert told(frames) == []


@pytest.mark.parametrize(("name", "mistake", "expected", "text"), MISTAKES, ids=[mistake[0] for mistake in MISTAKES])
def test_mistake(name: str, mistake: Callable[[Frames], None], expected: list[tuple[str, int]], text: str) -> None:
    frames = correct()
    mistake(frames)
    found = told(frames)
    assert [entry[:2] for entry in found] == expected
    assert any(text in entry[2] for entry in found) or not expected, found


@pytest.mark.parametrize("late", [0, 2, 4])
def test_what_is_pressed_just_before_a_death_may_be_shown_late(late: int) -> None:
    """Its clip begins in the frame of the death and is logged up to `late` frames later, the fall behind it."""
    frames = correct()
    shown = [{key: frame["poses"][0][key] for key in ("clip", "tick")} for frame in frames]
    shown[DIES] = {"clip": "swing", "tick": 0}
    for at in range(late, len(frames)):
        frames[at]["poses"][0] |= shown[at - late]
    for at in (DIES, DIES + late):
        frames[at]["inputs"] = [{"id": "keeper", "button": "strike"}]
    assert told(frames, late=late) == []
    frames[DIES + late + 2]["poses"][0] |= {"clip": "swing", "tick": 0}
    frames[DIES + late + 2]["inputs"] = [{"id": "keeper", "button": "strike"}]
    assert "down-acts" in [code for code, _, _ in told(frames, late=late)]


STOP = 4


@pytest.mark.parametrize(
    ("seen", "back", "expected"),
    [
        (SEEN + STOP, BACK + STOP, []),
        (SEEN + STOP + 1, BACK + STOP, [("down-long", 30, "seen for 15 frames and 4 of hitstop, to 29, back in 34")]),
        (SEEN, BACK + STOP, [("down-short", 26, "is gone in 26, after 15 of 15 frames and 4 of hitstop")]),
        (SEEN + STOP, BACK + STOP + 2, [("respawn-late", 34, "back in 36, 2 frames late")]),
        (SEEN + STOP, BACK, [("event-moved", 30, "")]),
    ],
)
def test_hitstop_holds_up_a_death(seen: int, back: int, expected: list[tuple[str, int, str]]) -> None:
    """The body lies there for as much longer, and returns as much later."""
    frames = [*correct(), *[{"poses": []} for _ in range(5)]]
    change(*range(6, 10), tick=5)(frames)
    for frame in range(DIES + 1, len(frames)):
        alive = frame >= back
        pose = frames[5]["poses"][0] | {
            "health": 2 if alive else 0,
            "lives": 1,
            "x": 50 if alive else 0,
            "hidden": False,
        }
        pose |= {"clip": "idle", "tick": frame} if alive else {"clip": "fall", "tick": max(frame - DIES - STOP, 1)}
        shown = alive or frame <= DIES + seen
        frames[frame]["poses"] = [pose] * shown + [{"id": "hornet", "kind": "hornet", "x": 300, "y": 0}]
        frames[frame]["claims"] = [{"event": "respawn", "id": "keeper"}] * (frame == back)
    frames[DIES].setdefault("claims", []).append({"event": "down", "id": "keeper"})
    rules = {"sting": {"damage": 1, "hitstop": STOP, "hitstop_on": "target"}}
    found = told(frames, attacks=rules)
    change(*range(DIES + 1, DIES + STOP + 1), clip="idle", tick=DIES)(frames)  # the death clip waits for its end
    assert told(frames, attacks=rules) == found
    assert [entry[:2] for entry in found] == [entry[:2] for entry in expected]
    assert all(text in entry[2] for entry, (*_, text) in zip(found, expected, strict=True)), found


def test_a_held_return_that_the_game_does_not_hold() -> None:
    frames = correct()
    for frame in range(25, 36):
        frames[frame]["poses"][1]["x"] = 50  # the hornet waits at the place of return
    held = {"respawn": {**KEEPER["respawn"], "if_unsafe": "wait"}}
    found = told(frames, held)
    assert ("health", 30) in [entry[:2] for entry in found]
    assert any("kept by hornet since 30" in entry[2] for entry in found)


def test_lives_and_health_after_a_mark() -> None:
    frames = correct()
    frames[40]["reset"] = "run"
    change(*range(40, 45), health=2, lives=2)(frames)
    assert told(frames) == []
    change(*range(40, 45), lives=0)(frames)
    found = told(frames)
    assert [entry[:2] for entry in found] == [("lives", 40)]
    assert "lives 2: the run began again in 40" in found[0][2]


def test_a_successor_still_marked_as_dead() -> None:
    frames = correct()
    for frame in range(BACK, 45):
        frames[frame]["poses"][0] |= {"id": "keeper-2", "health": 0}
    for frame in range(BACK):
        frames[frame]["poses"][0]["id"] = "keeper"
    found = told(frames, {"succession": True})
    assert [entry[:2] for entry in found] == [("health", 30)]
    assert "took the place of keeper in 30" in found[0][2]


def test_the_game_ends_before_the_last_death_was_seen() -> None:
    whole = {"lives": 1}
    frames = correct()[:26]
    for frame in range(26):
        frames[frame]["poses"][0]["lives"] = 0 if frame >= DIES else 1
    assert told(frames, whole) == told(frames[:20], whole) == []
    again = frames[:24] + [{"poses": [item | {"health": 1, "lives": 1, "hidden": False}
                                      for item in frame["poses"]]} for frame in frames[:2]]  # fmt: skip
    again[24]["reset"] = "run"
    found = told(again, whole)
    assert ("cut-short", 23) in [entry[:2] for entry in found]
    assert "the run begins again in 24; is down for 15 frames, and out in 25" in found[0][2]
    late = frames + [dict(frames[-1]) for _ in range(3)]
    late[27] = {"poses": late[27]["poses"], "claims": [{"event": "hit", "attacker": "hornet", "target": "keeper"}]}
    assert "the run was over in 25" in told(late, whole)[-1][2]


def test_a_pick_up_taken_twice_after_a_return() -> None:
    wax = {"role": "hitbox", "attack": "pick", "circle": 1, "mask": ["keeper"]}
    frames = correct()
    for frame in (2, 40):
        frames[frame]["claims"] = [{"event": "hit", "attacker": "comb", "target": "keeper"}]
    change(2, x=50, cut=True)(frames)
    change(3, x=5, cut=True)(frames)
    rules = sting(keeper=KEEPER)
    rules["kinds"]["comb"] = {"boxes": {"wax": wax}}
    rules["attacks"]["pick"] = {"target": {"gives": {"honey": 1}}, "attacker": {"remove": True}}
    found = told(
        frames, kinds=rules["kinds"], attacks=rules["attacks"], fixtures=[{"kind": "comb", "id": "comb", "at": [50, 0]}]
    )
    assert [entry[:2] for entry in found] == [("hit-denied", 40)]
    assert "removed (consumed) in 2" in found[0][2]
