"""What a recording shows of shots, held against what their emitters should have fired."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import recording, rulebook
from voskar.core.adopt import Window, Windows
from voskar.evidence.check import check

RULES: dict[str, Any] = {
    "kinds": {
        "keeper": {
            "emitters": {
                "smoker": {"spawn": "puff", "when": {"press": "fire"}, "cooldown": 4, "muzzle": [8, 0], "speed": 60}
            }
        },
        "puff": {"motion": {"life": 5}},
    }
}


NOBODY = "no emitter fires: keeper/smoker"
COOLING = NOBODY + " is denied, cooldown: fired last in 3, ready in 7, 1 frames from here"


def findings(
    presses: list[int], shots: dict[str, tuple[int, float, float, float]], *, mark: int = -1, **options: Any
) -> list[Any]:
    """Shots by id: first frame, x, y and step a frame along x. A new run begins in the frame `mark`."""
    frames = []
    for frame in range(20):
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        for name, (first, x, y, step) in shots.items():
            if first <= frame < first + 5:
                x_now = x + step * (frame - first)
                poses.append({"id": name, "kind": "puff", "x": x_now, "y": y, "owner": "keeper"})
        frames.append({"poses": poses, "inputs": [{"id": "keeper", "button": "fire"}] if frame in presses else []})
        frames[-1] |= {"reset": "run"} if frame == mark else {}
    book = rulebook(RULES)
    played = recording(book, frames)
    verdict, _ = check(book.rules(played.rate), played, **options)
    return [(finding.frame, finding.code, finding.rules) for finding in verdict.findings]


@pytest.mark.parametrize(
    ("presses", "shots", "told"),
    [
        ([3], {"p": (3, 8, 0, 1)}, []),
        ([3, 7], {"p": (3, 8, 0, 1), "q": (7, 8, 0, 1)}, []),
        ([3], {"p": (5, 8, 0, 1)}, [(5, "spawn-moved", "keeper/smoker spawns it in 3, 2 frames earlier")]),
        ([3], {}, [(3, "spawn-missing", "keeper/smoker spawns keeper/smoker-1 at (8.0, 0.0)")]),
        ([3], {"p": (3, 8, 3, 1)}, [(3, "spawn-place", "keeper/smoker spawns it at (8.0, 0.0), 3.0 units off")]),
        ([3], {"p": (3, 8, 0, -1)}, [
            (3, "spawn-direction", "keeper/smoker aims 0.0°"),
            (4, "path", "at (9.0, 0.0), from its first pose in 3 on"),
        ]),
        ([3, 6], {"p": (3, 8, 0, 1), "q": (6, 8, 0, 1)}, [(6, "spawn-unexpected", COOLING)]),
        ([3], {"p": (3, 8, 0, 1), "q": (12, 8, 0, 1)}, [
            (12, "spawn-unexpected", NOBODY + ": fire is not pressed; nearest in 3")
        ]),
    ],
)  # fmt: skip
def test_shots(presses: list[int], shots: Any, told: list[Any]) -> None:
    shots = {"first": (0, 500, 0, 0), **shots}  # in flight from the start, so that puffs are shown at all
    assert findings(presses, shots) == told


def test_a_few_frames_may_be_forgiven() -> None:
    shots = {"first": (0, 500, 0, 0), "p": (5, 8, 0, 1)}
    assert findings([3], shots, windows=Windows(Window(2, 2))) == []


@pytest.mark.parametrize(("mark", "first"), [(-1, 0), (9, 9)])
def test_one_that_is_fired_in_the_first_frame_is_the_one_shown_there(mark: int, first: int) -> None:
    shots = {name: (first + wait, 8.0, 0.0, 1.0) for name, wait in (("p", 0), ("q", 4))}
    assert findings([first, first + 4], {"early": (0, 500, 0, 0), **shots}, mark=mark) == []
    late = findings([first, first + 3], {"early": (0, 500, 0, 0), **shots}, mark=mark)
    assert [item[:2] for item in late] == [(first + 4, "spawn-unexpected")]


@pytest.mark.parametrize(("idle", "told"), [("gone", [(27, "spawn-unexpected")]), ("hidden", [])])
def test_a_pool_fires_the_same_shots_again(idle: str, told: list[Any]) -> None:
    fired = {3: "p", 9: "q", 15: "p", 21: "q", 27: "p"}  # the last one by no actor
    frames = []
    for frame in range(40):
        flying = {name: frame - first for first, name in fired.items() if first <= frame < first + 5}
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        for name in ("p", "q"):
            if name in flying or idle == "hidden":
                pose = {"id": name, "kind": "puff", "x": 8 + flying.get(name, 90), "y": 0, "owner": "keeper"}
                poses.append({**pose, "hidden": name not in flying})
        frames.append(
            {"poses": poses, "inputs": [{"id": "keeper", "button": "fire"}] if frame in (3, 9, 15, 21) else []}
        )
    book = rulebook(RULES)
    played = recording(book, frames)
    verdict, ledger = check(book.rules(played.rate), played)
    assert [(finding.frame, finding.code) for finding in verdict.findings] == told
    assert (verdict.spawns, verdict.spawns_agreed, ledger.of("adopted")) == (4, 4, [])


def test_shots_of_another_emitter_count_under_no_limit() -> None:
    tank = {"spawn": "puff", "when": {"press": "burst"}, "limit": 1, "muzzle": [8, 0], "speed": 60}
    keeper = {"emitters": {**RULES["kinds"]["keeper"]["emitters"], "tank": tank}}
    book = rulebook({"kinds": {**RULES["kinds"], "keeper": keeper}})
    frames = []
    for frame in range(20):
        shots = [(name, frame - first) for name, first in (("p", 2), ("q", 4), ("r", 6)) if first <= frame < first + 5]
        poses = [{"id": name, "kind": "puff", "x": 8 + age, "y": 0, "owner": "keeper"} for name, age in shots]
        presses = {2: "fire", 4: "burst", 6: "fire", 7: "burst"}.get(frame)  # the last one is denied
        inputs = [{"id": "keeper", "button": presses}] if presses else []
        frames.append({"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, *poses], "inputs": inputs})
    played = recording(book, frames)
    verdict, ledger = check(book.rules(played.rate), played)
    assert (verdict.findings, ledger.of("adopted")) == ((), [])
    assert [(event.frame, event.emitter, event.detail) for event in ledger.of("denied")] == [(7, "tank", "limit")]
