"""What hits do, at their boundary frames: stomps, conditions, preempting, removal, pushes, raw recordings."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, frames_of, judged, outcomes, run, sting, told
from voskar.core.ledger import Ledger

BOX = {"rect": [10, 10]}


def world(attack: dict[str, Any], *, touch: bool = True, **contact: Any) -> dict[str, Any]:
    """A keeper 10 x 10 with feet all over it, and a waxling 10 x 10 with a shell and a skin; up is -y."""
    data: dict[str, Any] = {
        "layers": {"names": ["keeper", "hive"]},
        "contact": {"detect": "hitbox", **contact},
        "kinds": {
            "keeper": {
                "health": 9,
                "boxes": {
                    "torso": {"role": "hurtbox", "layer": ["keeper"], **BOX},
                    "feet": {"role": "hitbox", "attack": "stomp", "mask": ["hive"], **BOX},
                },
            },
            "waxling": {"health": 9, "boxes": {"shell": {"role": "hurtbox", "layer": ["hive"], **BOX}}},
        },
        "attacks": {"stomp": {"damage": 1, **attack}, "scald": {"damage": 1}},
    }
    if touch:
        skin = {"role": "hitbox", "attack": "scald", "mask": ["keeper"], **BOX}
        data["kinds"]["waxling"]["boxes"]["skin"] = skin
    return data


def ways(keeper: list[tuple[float, float]], **fields: Any) -> list[dict[str, Any]]:
    """The keeper's way past a waxling at (0, 0)."""
    return [
        {
            "poses": [
                {"id": "keeper", "kind": "keeper", "x": x, "y": y, **fields},
                {"id": "waxling", "kind": "waxling", "x": 0, "y": 0},
            ]
        }
        for x, y in keeper
    ]


ABOVE = {"from": ["above"], "falling": True}
STOMP = {"if": ABOVE, "preempts": True}
WAYS = [
    # name, attack, the keeper's way, outcomes of the stomp and of the waxling's touch
    ("from above and falling", STOMP, [(0, -16), (0, -12), (0, -8)], "..L", "..p"),
    ("from the side", STOMP, [(-14, 0), (-9, 0)], ".u", ".L"),
    ("past its flank: falling, but beside it before", STOMP, [(-9, -8), (-9.5, -2), (-9, 2)], "uuu", "LLL"),
    ("1 unit inside in the frame before is still above", STOMP, [(0, -9), (0, -8)], "uL", "Lp"),
    ("more than that is not", STOMP, [(0, -8.9), (0, -8)], "uu", "LL"),
    ("rising through it", STOMP, [(0, -11), (0, -9), (0, -9.5)], ".Lu", ".pL"),
    ("standing on it", STOMP, [(0, -9), (0, -9)], "uu", "LL"),
    ("without preempts ids decide, and both land", STOMP | {"preempts": False}, [(0, -12), (0, -8)], ".L", ".L"),
    ("slack 0", STOMP | {"if": ABOVE | {"slack": 0}}, [(0, -10), (0, -9)], ".L", ".p"),
    ("slack 0, a hair inside", STOMP | {"if": ABOVE | {"slack": 0}}, [(0, -9.99), (0, -9)], "uu", "LL"),
    ("never from above", {"if": {"not_from": ["above"]}}, [(0, -12), (0, -8), (0, -6)], ".uL", ".LL"),
    ("from below", {"if": {"from": ["below"]}}, [(0, 12), (0, 8)], ".L", ".L"),
    ("ahead of it: 0 counts", {"if": {"from": ["ahead"]}}, [(0, 0), (-1, 0), (1, 0), (1, 0)], "LLLu", "LLLL"),
    ("behind it", {"if": {"from": ["behind"]}}, [(0, 0), (-1, 0), (1, 0), (1, 0)], "uuuL", "LLLL"),
    ("by centre", {"if": {"from": ["above"], "from_by": "centre"}}, [(0, -1), (0, 0), (0, 1)], "Luu", "LLL"),
    (
        "by centre with slack",
        {"if": {"from": ["above"], "from_by": "centre", "slack": 2}},
        [(0, -2), (0, -2.01)],
        "uL",
        "LL",
    ),
]  # fmt: skip


@pytest.mark.parametrize(("name", "attack", "way", "stomps", "touches"), WAYS, ids=[way[0] for way in WAYS])
def test_where_it_comes_from(name: str, attack: Any, way: Any, stomps: str, touches: str) -> None:
    data = world(attack, same_frame="all")
    frames = ways(way)
    if "ahead" in name or "behind" in name:
        for frame in frames:  # seen from a waxling that looks left, what is at -1 is ahead
            frame["poses"][1]["facing"] = -1
    ledger = run(data, frames)
    assert (outcomes(ledger, "keeper", len(way)), outcomes(ledger, "waxling", len(way))) == (stomps, touches)


def events(ledger: Ledger, *names: str) -> list[tuple[Any, ...]]:
    rows = told(event for event in ledger.events if event.event in names)
    return [tuple(value for key, value in row.items() if key not in ("event", "by")) for row in rows]


def test_launch_and_iframes_of_a_stomp() -> None:
    attack = STOMP | {"attacker": {"launch": 300, "iframes": "6f"}}
    data = world(attack)
    data["kinds"]["waxling"]["bounce"] = 1.6
    ledger = run(data, ways([(-2, -16), (-1, -12), (0, -8)]))
    assert events(ledger, "launch", "iframes") == [(2, 8, "keeper", "stomp"), (2, "keeper", 60, -480)]
    adds = world(attack | {"attacker": {"launch": {"up": 300, "mode": "add"}}})
    assert run(adds, ways([(-2, -16), (-1, -12), (0, -8)])).of("launch")[0].vy == 240 - 300


PUSHES = [
    # direction, the attacker's facing and last step, the push on a target to its right and below
    ("away", 1, (0, 0), (3, 4)),
    ("flat", 1, (0, 0), (5, 0)),
    ("facing", -1, (0, 0), (-5, 0)),
    ("travel", 1, (0, -2), (0, -5)),
    ("travel", -1, (0, 0), (-5, 0)),  # a zero vector falls back to facing
    (90, 1, (0, 0), (0, 5)),
    (0, -1, (0, 0), (-5, 0)),  # degrees are mirrored with the attacker
]


@pytest.mark.parametrize(("direction", "facing", "step", "expected"), PUSHES)
def test_knockback_directions(direction: Any, facing: int, step: Any, expected: Any) -> None:
    data = world({"target": {"knockback": {"distance": 10, "over": "4f", "direction": direction}}}, touch=False)
    data["kinds"]["waxling"]["weight"] = 2
    frames = ways([(-3 - step[0], -4 - step[1]), (-3, -4)], facing=facing)
    frames[0]["poses"][1]["hidden"] = True
    (push,) = run(data, frames).of("knockback")
    assert ((push.dx, push.dy), push.frame, push.until, push.id) == (pytest.approx(expected), 1, 5, "waxling")


def raw(knockback: dict[str, Any], length: int, rehit: str = "once", until: int = 0) -> list[float]:
    """Where a raw waxling at x = 4 is in each frame, hit from the left by a keeper who leaves after `until`."""
    data = world({"rehit": rehit, "target": {"knockback": knockback}}, touch=False)
    frames = ways([(0, 0)] * (until + 1) + [(0, 90)] * (length - until - 1))
    for frame in frames:
        frame["poses"][1]["x"] = 4
    return [round(x, 6) for x in judged(data, frames, reactions="raw").poses.x[1::2].tolist()]


@pytest.mark.parametrize(
    ("knockback", "xs"),
    [
        ({"distance": 6}, [4, 10, 10, 10, 10]),
        ({"distance": 6, "over": "3f"}, [4, 6, 8, 10, 10]),
        ({"distance": 6, "over": "3f", "ease": "fade"}, [4, 7, 9, 10, 10]),
    ],
)
def test_raw_poses_move_from_the_next_frame_on(knockback: dict[str, Any], xs: list[float]) -> None:
    assert raw(knockback, 5) == xs


@pytest.mark.parametrize(("mode", "xs"), [("set", [4, 6, 8, 10, 12, 14]), ("add", [4, 6, 8, 12, 14, 16])])
def test_set_replaces_and_add_goes_on_top(mode: str, xs: list[float]) -> None:
    # hit in 0 and, at x = 8, again in 2: one step of the first push is left then
    assert raw({"distance": 6, "over": "3f", "mode": mode}, 6, rehit="2f", until=2) == xs


def test_home_is_where_it_began() -> None:
    data = world({"target": {"home": True}}, touch=False)
    frames = ways([(90, 0), (10, 0), (10, 0), (10, 0), (90, 0)])
    for frame, x in zip(frames, (40, 12, 13, 14, 15), strict=True):
        frame["poses"][1]["x"] = x
    assert events(run(data, frames, reactions="raw"), "home") == [(1, "waxling", 40, 0)]
    assert frames_of(run(data, frames), "home") == [1, 2, 3]  # a baked one stays where its poses are


REMOVALS = [
    # name, attacker's table, touch, outcomes, removals
    ("consumed by the first hit", {"remove": True}, "#####", "L....", 1),
    ("back when the recording was without it for a frame", {"remove": True}, "##-##", "L..L.", 2),
    ("hiding is not leaving", {"remove": True}, "##h##", "L....", 1),
    ("pierces one", {"remove": True, "pierce": 1}, "####", "LL..", 1),
    ("pierces two", {"remove": True, "pierce": 2}, "#.###", "L.LL.", 1),
]


@pytest.mark.parametrize(
    ("name", "attacker", "touch", "expected", "count"), REMOVALS, ids=[removal[0] for removal in REMOVALS]
)
def test_removal(name: str, attacker: dict[str, Any], touch: str, expected: str, count: int) -> None:
    ledger = run(sting(attack={"rehit": "always", "attacker": attacker}), brush({"hornet": touch}))
    assert outcomes(ledger, "hornet", len(touch)) == expected
    assert [event.detail for event in ledger.of("removed")] == ["consumed"] * count


def test_removal_by_what_did_not_land() -> None:
    data = sting(attack={"attacker": {"remove": True, "consumed_by": ["landed", "immune"]}})
    data["kinds"]["keeper"]["iframes"] = 9
    ledger = run(data, brush({"hornet-1": "#...", "hornet-2": ".##."}))
    assert (outcomes(ledger, "hornet-2", 4), frames_of(ledger, "removed")) == (".i..", [0, 1])


def test_consumed_and_down_in_one_frame() -> None:
    two = brush({"hornet-1": "##", "hornet-2": "##"})
    taken = sting(contact={"same_frame": "all"}, attack={"target": {"remove": True}})
    ledger = run(taken, two)
    assert [outcomes(ledger, name, 2) for name in ("hornet-1", "hornet-2")] == ["L.", "s."]
    for check, second in (("at_once", "d."), ("frame_end", "L.")):
        data = sting(contact={"same_frame": "all", "health_check": check}, attack={"damage": 100})
        ledger = run(data, two)
        assert [outcomes(ledger, name, 2) for name in ("hornet-1", "hornet-2")] == ["L.", second]
        assert frames_of(ledger, "down") == [0]


def test_stun_gives_counters_checkpoint_spawn_and_goal() -> None:
    target = {"stun": "5f", "gives": {"honey": 2}, "checkpoint": True, "spawn": "spark"}
    data = sting(attack={"target": target, "rehit": "2f"})
    data["kinds"]["spark"] = {}
    ledger = run(data, brush({"hornet": "###."}))
    assert events(ledger, "stun") == [(0, 5, "keeper"), (2, 7, "keeper")]
    assert [(event.frame, event.after) for event in ledger.of("counter")] == [(0, 2), (2, 4)]
    assert frames_of(ledger, "checkpoint") == [0, 2]
    assert [(event.frame, event.id) for event in ledger.of("spawn")] == [(1, "effect+spark-1"), (3, "effect+spark-2")]
    data["attacks"]["sting"]["target"] = {"goal": True}
    ledger = run(data, brush({"hornet": "#.##"}))
    assert (frames_of(ledger, "won"), len(ledger.hits())) == ([0], 1)


def test_order_of_consequences() -> None:
    table = {"iframes": 2, "stun": 3, "knockback": {"distance": 1}, "launch": 9, "remove": True, "home": True}
    data = sting(attack={"target": table, "attacker": table})
    data["kinds"]["keeper"]["health"] = 1
    found = [event.event for event in run(data, brush({"hornet": "#"})).events]
    side = ["iframes", "stun", "knockback", "launch", "home"]
    assert found == ["contact", "health", *side, *side, "down", "removed", "removed"]


def test_where_a_box_that_the_game_logs_was_before_its_actor_turned() -> None:
    """It is as the game has it, however its actor is turned in either frame."""
    data = sting(attack={"if": {"from": ["above"]}})
    data["kinds"]["keeper"]["boxes"]["torso"] = {"role": "hurtbox", "logged": True, "layer": ["keeper"]}
    torso, keeper = {"torso": [-6, -1, 6, 1]}, {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    for angle, scale in ((0, 1), (90, 1), (0, 4)):
        frames = [
            {"poses": [keeper | {"boxes": torso}, {"id": "h", "kind": "hornet", "x": 0, "y": -5}]},
            {
                "poses": [
                    keeper | {"boxes": torso, "angle": angle, "scale": scale},
                    {"id": "h", "kind": "hornet", "x": 0, "y": -3},
                ]
            },
        ]
        assert outcomes(run(data, frames), "h", 2) == ".L"
