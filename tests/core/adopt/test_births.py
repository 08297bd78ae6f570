"""Driven shots whose spawns a game claims: in other frames than the rules have them, too many, or too few."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import frames_of, recording, rulebook
from voskar.evidence.check import check

DATA: dict[str, Any] = {
    "layers": {"names": ["body"]},
    "kinds": {
        "keeper": {
            "emitters": {
                "smoker": {"spawn": "puff", "when": {"press": "fire"}, "speed": 120, "cooldown": 5, "limit": 2}
            }
        },
        "puff": {
            "motion": {"life": 10},
            "boxes": {"cloud": {"role": "hitbox", "circle": 1, "mask": ["body"], "attack": "smoke"}},
        },
        "hornet": {"health": 9, "boxes": {"torso": {"role": "hurtbox", "circle": 1, "layer": ["body"]}}},
    },
    "attacks": {"smoke": {"damage": 1, "rehit": "once", "attacker": {"remove": True}}},
}
"""A puff flies two units a frame and meets the hornet, eleven units off, in its fifth."""


def checked(presses: list[int], spawns: dict[int, int], hits: list[int], at: dict[int, Any] | None = None) -> Any:
    """Presses of the button; claimed spawns, their number by frame; claimed hits."""
    frames = []
    for frame in range(60):
        poses = [
            {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
            {"id": "hornet", "kind": "hornet", "x": 11, "y": 0},
        ]
        claims: list[dict[str, Any]] = []
        if frame in spawns:
            claims.append({"event": "spawn", "id": f"keeper/smoker-{spawns[frame]}"} | (at or {}).get(frame, {}))
        if frame in hits:
            claims.append({"event": "hit", "target": "hornet"})
        inputs = [{"id": "keeper", "button": "fire", "down": frame in presses}]
        frames.append({"frame": frame, "poses": poses, "inputs": inputs, "claims": claims})
    book = rulebook(DATA)
    played = recording(book, frames)
    verdict, ledger = check(book.rules(played.rate), played)
    adopted = [(event.frame, event.detail, event.id) for event in ledger.of("adopted")]
    return ledger, adopted, [(root.code, root.frame) for root, _ in verdict.roots]


PUFF = "keeper/smoker-"
WORLDS = [
    # presses, spawns, hits; landed, adopted, roots
    ("as the rules have it", [0, 20], {0: 1, 20: 2}, [5, 25], [5, 25], [], []),
    ("only hits are claimed, of half a pair", [0, 20], {}, [5, 25], [5, 25], [], []),
    ("fired within its cooldown", [0, 3], {0: 1, 3: 2}, [5, 8], [5, 8],
     [(3, "spawn", PUFF + "2")], [("event-denied", 3)]),
    ("out of nothing", [], {10: 1}, [15], [15], [(10, "spawn", PUFF + "1")], [("event-denied", 10)]),
    ("a shot that never was", [0, 20], {0: 1}, [5], [5], [(20, "no spawn", PUFF + "2")], [("event-missing", 20)]),
    ("one that never was takes no cooldown", [0, 20, 23], {0: 1, 23: 3}, [5, 28], [5, 28],
     [(20, "no spawn", PUFF + "2")], [("event-missing", 20)]),
    ("three frames late", [0, 20], {0: 1, 23: 2}, [5, 28], [5, 28], [(23, "spawn", PUFF + "2")], [("event-moved", 23)]),
    ("late, it counts there", [0, 20, 26], {0: 1, 23: 2}, [5, 28], [5, 28],
     [(23, "spawn", PUFF + "2")], [("event-moved", 23)]),
    ("three frames early", [0, 20], {0: 1, 17: 2}, [5, 22], [5, 22],
     [(17, "spawn", PUFF + "2")], [("event-moved", 17)]),
]  # fmt: skip


@pytest.mark.parametrize(
    ("presses", "spawns", "hits", "landed", "adopted", "roots"),
    [world[1:] for world in WORLDS],
    ids=[world[0] for world in WORLDS],
)
def test_claimed_spawns(presses: Any, spawns: Any, hits: Any, landed: Any, adopted: Any, roots: Any) -> None:
    ledger, taken, found = checked(presses, spawns, hits)
    assert [event.frame for event in ledger.hits()] == landed
    assert (taken, found) == (adopted, roots)


def test_one_of_nobody_known_appears_where_it_is_claimed() -> None:
    frames = {30: {"id": "keeper+puff-1", "x": 10, "y": 0}}
    ledger, taken, found = checked([], {30: 0}, [30], frames)
    assert (taken, found) == ([(30, "spawn", "keeper+puff-1")], [("event-denied", 30)])
    assert list(frames_of(ledger, "removed")) == [30]
