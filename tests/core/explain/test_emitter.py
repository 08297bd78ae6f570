"""What `why` says of an emitter, at the frames where it is easily told wrong."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import frames_of, recording, rulebook
from voskar.core.explain.emitter import EmitterExplainer
from voskar.core.watching import Question, watched


def world(when: dict[str, Any], **keeper: Any) -> dict[str, Any]:
    """A keeper with a smoker, and a hornet to end it."""
    smoker = {"spawn": "puff", "when": when, "cooldown": keeper.pop("cooldown", 0)}
    torso = {"role": "hurtbox", "rect": [4, 4], "layer": ["keeper"]}
    return {
        "layers": {"names": ["keeper"]},
        "kinds": {
            "keeper": {"boxes": {"torso": torso}, "emitters": {"smoker": smoker}, **keeper},
            "hornet": {"boxes": {"jaw": {"role": "hitbox", "attack": "bite", "circle": 4, "mask": ["keeper"]}}},
            "puff": {"motion": {"life": 5}},
        },
        "attacks": {"bite": {"damage": 1}},
    }


def told(data: dict[str, Any], *, length: int, bitten: int, fire: tuple[int, ...] = (), mark: int = -1) -> list[str]:
    """For each frame the gate that kept the smoker silent, or "fired"; the ledger agrees."""
    frames: list[dict[str, Any]] = []
    for frame in range(length):
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        poses.append({"id": "hornet", "kind": "hornet", "x": 0 if frame == bitten else 90, "y": 0})
        frames.append({"poses": poses, "inputs": [{"id": "keeper", "button": "fire"}] if frame in fire else []})
        if frame == mark:
            frames[-1]["reset"] = "run"
    book = rulebook(data)
    played = recording(book, frames)
    rules = book.rules(played.rate)
    found = watched(rules, played, {frame: Question(emitters=True) for frame in range(length)})
    explainer = EmitterExplainer(found)
    (emitter,) = rules.kinds["keeper"].emitters
    said = []
    for frame in range(length):
        stopped = next((step.gate for step in explainer.steps(frame, "keeper", emitter) if not step.passed), "fired")
        said.append(stopped)
        assert bool(explainer.fired(frame, "keeper", emitter)) == (stopped == "fired")
    assert [frame for frame, name in enumerate(said) if name == "fired"] == frames_of(found.ledger, "spawn")
    return said


def test_an_owner_that_is_used_up_fires_nothing() -> None:
    data = world({"press": "fire"})
    data["attacks"]["bite"]["target"] = {"remove": True}
    said = told(data, length=9, bitten=3, fire=(1, 6))
    assert said == ["trigger", "fired", "trigger", "trigger", "trigger", "trigger", "consumed", "trigger", "trigger"]


@pytest.mark.parametrize("bitten", [9, 10, 13])
def test_beats_are_counted_from_a_return(bitten: int) -> None:
    said = told(world({"every": 10}, health=1, respawn={"after": 14}), length=48, bitten=bitten)
    back = bitten + 14
    assert [frame for frame, name in enumerate(said) if name == "fired"] == [
        *range(10, bitten + 1, 10),
        *range(back + 10, 48, 10),
    ]


def test_a_cooldown_ends_at_a_run_mark() -> None:
    said = told(world({"press": "fire"}, cooldown=6), length=14, bitten=-1, fire=(5, 8, 12), mark=10)
    assert (said[5], said[8], said[12]) == ("fired", "cooldown", "fired")
