"""Emitters: when they fire and when not, where from and which way, and what they are called."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import frames_of, run, sting
from voskar.core.emitters.births import draw
from voskar.core.ledger import Ledger


def fire(line: str, emitter: dict[str, Any], *, life: int = 50, poses: Any = None, **pose: Any) -> Ledger:
    """A keeper whose button is down where the line says "#"; "h" hides it, "A" both, "-" takes it away."""
    data: dict[str, Any] = {
        "kinds": {
            "keeper": {
                "clips": {"throw": {"cells": 4, "loop": True}},
                "emitters": {"smoker": {"spawn": "puff", "when": {"press": "fire"}, **emitter}},
            },
            "moth": {},
            "puff": {"motion": {"life": life}},
        }
    }
    frames = []
    for frame, mark in enumerate(line):
        keeper = {"id": "keeper", "kind": "keeper", "x": 100, "y": 50, "clip": "throw", "tick": frame}
        keeper |= {"hidden": mark in "hA", **pose}
        held = [{"id": "keeper", "button": "fire", "aim": [100, 10]}] if mark in "#A" else []
        frames.append({"poses": [] if mark == "-" else [keeper, *(poses or [])], "inputs": held})
    return run(data, frames, seed=7)


@pytest.mark.parametrize(
    ("line", "emitter", "fired", "denied"),
    [
        (".#.#..", {}, [1, 3], []),
        ("#.....", {}, [0], []),  # down in the first frame is pressed
        (".##.#.", {"when": {"release": "fire"}}, [3, 5], []),
        (".####.", {"when": {"hold": "fire"}}, [1, 2, 3, 4], []),
        (".#####", {"when": {"hold": "fire"}, "cooldown": 2}, [1, 3, 5], []),
        (".#..#.#", {"cooldown": 3}, [1, 4], [(6, "cooldown")]),  # fired in 1: not before 4
        (".#.#.#", {"limit": 2}, [1, 3], [(5, "limit")]),
        (".#.#.#", {"limit": 2, "count": 2}, [1, 1], [(3, "limit"), (5, "limit")]),
        (".#.#.#", {"limit": 2, "life": 4}, [1, 3, 5], []),  # the first has expired in 5
        (".#.#.#", {"limit": 1, "life": 3}, [1, 5], [(3, "limit")]),  # it is there in 1, 2 and 3
        (".A.#..", {}, [3], [(1, "hidden")]),
        (".-.#..", {}, [3], []),
        ("......", {"when": {"every": 2}}, [2, 4], []),
        ("......", {"when": {"every": 2, "first": 1}}, [1, 3, 5], []),
        ("hh....", {"when": {"every": 2, "first": 1}}, [3, 5], []),  # counted from the first frame in play
        ("..h...", {"when": {"every": 2}}, [4], []),  # a beat that cannot fire is lost
        ("......", {"when": {"every": 2}, "cooldown": 3}, [2], []),
        ("........", {"when": {"clip": "throw", "cell": 2}}, [2, 6], []),  # a loop begins the clip again
        ("........", {"when": {"clip": "throw", "cell": 0}}, [0, 4], []),
        ("..h...", {"when": {"clip": "throw", "cell": 2}}, [], [(2, "hidden")]),
    ],
)
def test_triggers(line: str, emitter: dict[str, Any], fired: list[int], denied: list[Any]) -> None:
    life = emitter.pop("life", 50)
    ledger = fire(line, emitter, life=life)
    assert frames_of(ledger, "spawn") == fired
    assert [(event.frame, event.detail) for event in ledger.of("denied")] == denied
    assert [event.id for event in ledger.of("spawn")] == [f"keeper/smoker-{k + 1}" for k in range(len(fired))]


MOTH = [{"id": "moth-2", "kind": "moth", "x": 100, "y": 90}, {"id": "moth-1", "kind": "moth", "x": 140, "y": 50}]


@pytest.mark.parametrize(
    ("emitter", "pose", "place", "angle"),
    [
        ({}, {}, (100, 50), 0),
        ({}, {"facing": -1}, (100, 50), 180),
        ({}, {"angle": 30}, (100, 50), 30),
        ({}, {"angle": 30, "facing": -1}, (100, 50), -150),
        ({"muzzle": [8, -12]}, {}, (108, 38), 0),
        ({"muzzle": [8, -12]}, {"facing": -1}, (92, 38), 180),
        ({"muzzle": [8, -12]}, {"angle": 90, "scale": 2}, (124, 66), 90),
        ({"aim": 30}, {}, (100, 50), 30),
        ({"aim": 30}, {"facing": -1}, (100, 50), 150),
        ({"aim": "input"}, {}, (100, 50), -90),
        ({"aim": "input", "pivot": [0, -40], "turns": True}, {}, (100, 50), 0),  # the very point: facing
        ({"aim": 180, "turns": True, "muzzle": [10, 4]}, {}, (90, 54), 180),  # flipped: 4 below, as before
        ({"aim": 0, "turns": True, "muzzle": [10, 4]}, {}, (110, 54), 0),
        ({"aim": 90, "turns": True, "muzzle": [10, 4]}, {}, (96, 60), 90),  # straight up or down is not backwards
        ({"aim": {"target": "moth"}}, {}, (100, 50), 0),  # both 40 away: the first by id
        ({"aim": {"target": "moth"}, "muzzle": [0, 2]}, {}, (100, 52), 90),
        # this pivot turns into the place of moth-2, but for rounding
        ({"aim": {"target": "moth"}, "pivot": [20, 34.64101615137754], "turns": True}, {"angle": 30}, (100, 50), 30),
        ({"aim": {"target": "keeper"}}, {"facing": -1}, (100, 50), 180),  # no other one: facing
        ({"within": [3, 4, 3, 4]}, {}, (3, 4), 0),
    ],
)
def test_muzzles_and_aims(emitter: Any, pose: Any, place: Any, angle: float) -> None:
    (event,) = fire("#", emitter, poses=MOTH, **pose).of("spawn")
    assert (event.x, event.y) == pytest.approx(place)
    assert event.angle == pytest.approx(angle)


def test_fans_lie_about_the_aim_and_jitter_is_drawn_by_name() -> None:
    plain = fire("#", {"count": 3, "spread": 90, "aim": 170}).of("spawn")
    assert [event.angle for event in plain] == [125, 170, -145]
    shaken = fire("#", {"count": 3, "spread": 90, "aim": 170, "jitter": 10}).of("spawn")
    for entry, other in zip(plain, shaken, strict=True):
        off = ((other.angle or 0) - (entry.angle or 0) + 180) % 360 - 180
        assert off == pytest.approx(10 * (2 * draw(7, other.id or "", "jitter") - 1))


def test_a_draw_is_the_same_everywhere() -> None:
    """Worked out apart from this program, so that a game can check its own against it."""
    assert draw(7, "keeper/smoker-1", "jitter") == pytest.approx(0.6196320, abs=1e-7)
    assert draw(0, "nest/brood-3", "x") != draw(0, "nest/brood-3", "y")


def test_stunned_and_down_owners_are_denied() -> None:
    for table, reasons in (({"target": {"stun": 2}}, ["stunned"]), ({"damage": 1}, ["down", "down", "down"])):
        data: dict[str, Any] = {
            "layers": {"names": ["keeper"]},
            "kinds": {
                "keeper": {
                    "health": 1,
                    "boxes": {"torso": {"role": "hurtbox", "circle": 3, "layer": ["keeper"]}},
                    "emitters": {"smoker": {"spawn": "puff", "when": {"press": "fire"}}},
                },
                "hornet": {"boxes": {"sting": {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"]}}},
                "puff": {},
            },
            "attacks": {"sting": {"rehit": "once", **table}},
        }
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "hornet", "kind": "hornet", "x": 4, "y": 0}]
        fired = [{"id": "keeper", "button": "fire"}]
        ledger = run(data, [{"poses": poses, "inputs": fired if frame % 2 else []} for frame in range(-1, 6)])
        # the hit lands in frame 0, after the shot of that frame
        assert frames_of(ledger, "spawn")[0] == 0
        assert [event.detail for event in ledger.of("denied")] == reasons


def test_a_kind_that_the_recording_shows_is_foretold_only() -> None:
    shots = [{"id": "shot", "kind": "puff", "x": 0, "y": 0, "owner": "keeper"}]
    ledger = fire(".#.#.", {"limit": 1}, poses=shots)
    assert [event.detail for event in ledger.of("spawn")] == []
    assert [event.detail for event in ledger.of("denied")] == ["limit", "limit"]
    ledger = fire(".#.#.", {}, poses=shots)
    assert [(event.id, event.detail) for event in ledger.of("spawn")] == [
        ("keeper/smoker-1", "expected"),
        ("keeper/smoker-2", "expected"),
    ]
    assert not ledger.of("removed")


def test_a_swept_shot_does_not_tunnel_and_its_owner_is_spared() -> None:
    data: dict[str, Any] = {
        "layers": {"names": ["any"]},
        "kinds": {
            "keeper": {
                "boxes": {"torso": {"role": "hurtbox", "circle": 6, "layer": ["any"]}},
                "emitters": {"smoker": {"spawn": "puff", "when": {"press": "fire"}, "speed": 3000}},
            },
            "post": {"boxes": {"pole": {"role": "hurtbox", "rect": [1, 20], "layer": ["any"]}}},
            "puff": {"boxes": {"core": {"role": "hitbox", "attack": "puff", "circle": 1, "mask": ["any"]}}},
        },
        "attacks": {"puff": {}},
    }
    poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "post", "kind": "post", "x": 75, "y": 0}]
    frames = [
        {"poses": poses, "inputs": [{"id": "keeper", "button": "fire"}] if frame == 0 else []} for frame in range(4)
    ]
    (contact,) = run(data, frames).of("contact")
    assert (contact.frame, contact.target, contact.t) == (2, "post", pytest.approx((75 - 1.5 - 50) / 50))
    data["kinds"]["puff"]["boxes"]["core"]["swept"] = False
    assert not run(data, frames).of("contact")


@pytest.mark.parametrize("first", range(4))
@pytest.mark.parametrize("mark", [None, "room"])
def test_a_limit_on_shown_shots_leaves_out_the_one_being_fired(first: int, mark: str | None) -> None:
    smoker = {"spawn": "puff", "when": {"press": "fire"}, "limit": 1}
    data = {"kinds": {"keeper": {"emitters": {"smoker": smoker}}, "puff": {"motion": {"life": 9}}}}
    frames: list[dict[str, Any]] = []
    for frame in range(7):
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        poses += [{"id": "p", "kind": "puff", "owner": "keeper", "x": 0, "y": 0}] if frame >= first else []
        held = [{"id": "keeper", "button": "fire"}] if frame in (first, first + 2) else []
        frames.append({"poses": poses, "inputs": held} | ({"reset": mark} if mark and frame == first + 2 else {}))
    ledger = run(data, frames)
    assert frames_of(ledger, "spawn") == [first]
    assert frames_of(ledger, "denied", detail="limit") == [first + 2]


def test_a_shot_that_moves_at_once() -> None:
    data = sting()
    data["kinds"]["puff"] = {
        "motion": {"life": 3},
        "boxes": {"core": {"role": "hitbox", "attack": "sting", "circle": 1, "mask": ["keeper"]}},
    }
    data["kinds"]["hornet"]["emitters"] = {"spit": {"spawn": "puff", "when": {"press": "fire"}, "speed": 1200}}
    frames: list[dict[str, Any]] = [
        {"poses": [{"id": "k", "kind": "keeper", "x": 15, "y": 0}, {"id": "h", "kind": "hornet", "x": 0, "y": 0}]}
        for _ in range(6)
    ]
    frames[1]["inputs"] = [{"id": "h", "button": "fire"}]

    def outcomes() -> list[tuple[str, int]]:
        ledger = run(data, frames)
        found = [("landed", hit.frame) for hit in ledger.hits()]
        return found + [("removed", event.frame) for event in ledger.of("removed")]

    assert outcomes() == [("landed", 2), ("removed", 4)]
    data["kinds"]["hornet"]["emitters"]["spit"]["moves_at_once"] = True
    assert outcomes() == [("landed", 1), ("removed", 4)]  # swept from its muzzle in the frame it is fired
    data["kinds"]["hornet"]["emitters"]["spit"]["if"] = {"counters": {"wax": ">= 1"}}
    assert outcomes() == []
    assert not run(data, frames).of("denied")


def test_who_returns_is_not_the_shot_that_is_fired() -> None:
    """A puff that comes back in the frame in which another one leaves its muzzle has not come from there."""
    data = {
        "layers": {"names": ["post", "puff"]},
        "attacks": {"smoke": {"damage": 1}, "swat": {"damage": 9, "rehit": "once"}},
        "kinds": {
            "keeper": {
                "emitters": {"smoker": {"spawn": "puff", "when": {"every": 1, "first": 2}, "moves_at_once": True}},
            },
            "puff": {
                "health": 1,
                "down": {"lasts": 1},
                "respawn": {"after": 1},
                "boxes": {
                    "tip": {"role": "hitbox", "attack": "smoke", "mask": ["post"], "circle": 2},
                    "body": {"role": "hurtbox", "layer": ["puff"], "circle": 2},
                },
            },
            "post": {"boxes": {"wood": {"role": "hurtbox", "layer": ["post"], "circle": 4}}},
            "swatter": {"boxes": {"hand": {"role": "hitbox", "attack": "swat", "mask": ["puff"], "circle": 2}}},
        },
    }
    places = {"k": ("keeper", -50), "p": ("puff", 0), "post": ("post", -25), "s": ("swatter", 0)}
    frames = [
        {
            "poses": [
                {"id": name, "kind": kind, "x": x, "y": 0}
                for name, (kind, x) in places.items()
                if name != "s" or frame == 1
            ]
        }
        for frame in range(9)
    ]
    ledger = run(data, frames)
    back = [event.frame for event in ledger.of("respawn")]
    fired = {event.frame for event in ledger.of("spawn")}
    assert len(back) == 1
    assert back[0] in fired
    assert not [event for event in ledger.of("contact") if event.target == "post"]
