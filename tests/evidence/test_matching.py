"""Pairing frames that are logged with frames that are judged."""

from __future__ import annotations

import random
from itertools import permutations
from typing import Any, NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.adopt import Window
from voskar.core.judging.order import Order
from voskar.core.views.perfect import perfect_log
from voskar.evidence.check import check
from voskar.evidence.matching import CROWD, LARGEST, aligned, assigned

frames = st.lists(st.integers(0, 12), max_size=5).map(sorted)


def best(numbers: list[int], judged: list[int], window: Window) -> tuple[int, int]:
    """How many pairs there can be, and the least that they are apart in all, tried one by one."""
    if not numbers:
        return 0, 0
    found = [best(numbers[1:], judged, window)]
    for at, frame in enumerate(judged):
        if window.holds(numbers[0], frame):
            count, apart = best(numbers[1:], judged[:at] + judged[at + 1 :], window)
            found.append((count + 1, apart - abs(numbers[0] - frame)))
    return max(found)


@given(frames, frames, st.builds(Window, st.integers(0, 3), st.integers(0, 3)))
def test_as_many_as_can_be_and_as_near(told: list[int], judged: list[int], window: Window) -> None:
    pairs = aligned(told, judged, window)
    assert all(window.holds(told[i], judged[j]) for i, j in pairs)
    assert len({i for i, _ in pairs}) == len({j for _, j in pairs}) == len(pairs)
    assert (len(pairs), -sum(abs(told[i] - judged[j]) for i, j in pairs)) == best(told, judged, window)


def test_what_is_late_by_the_same_is_paired_so() -> None:
    assert aligned([8, 11, 14], [5, 8, 11], Window(0, 3)) == [(0, 0), (1, 1), (2, 2)]
    assert aligned([8], [5, 8], Window(0, 3)) == [(0, 1)]
    assert aligned([7], [5, 9], Window(2, 2)) == aligned([5, 9], [7], Window(2, 2)) == [(0, 0)]  # a tie


class Marble(NamedTuple):
    """Anything with a frame and a colour."""

    frame: int
    colour: int


def cost(marble: Marble, other: Marble) -> tuple[int, ...] | None:
    """Black goes with nothing."""
    return (
        None
        if 0 in (marble.colour, other.colour)
        else (int(marble.colour != other.colour), abs(marble.frame - other.frame))
    )


things = st.lists(st.builds(Marble, st.integers(0, 9), st.integers(0, 2)), max_size=4)


@given(things, things, st.builds(Window, st.integers(0, 3), st.integers(0, 3)))
def test_the_whole_fits_best(told: list[Marble], judged: list[Marble], window: Window) -> None:
    def worth(pairs: list[tuple[Marble, Marble]]) -> tuple[int, ...]:
        costs = [cost(*pair) or (0, 0) for pair in pairs]
        return (-len(pairs), *(sum(values) for values in zip(*costs, strict=True))) if costs else (0, 0, 0)

    def allowed(marble: Marble, other: Marble) -> bool:
        return window.holds(marble.frame, other.frame) and cost(marble, other) is not None

    short, long = (told, judged) if len(told) <= len(judged) else (judged, told)
    ways = ([pair if short is told else pair[::-1] for pair in zip(short, own, strict=True)]
            for own in permutations(long, len(short)))  # fmt: skip
    tried = [worth([(marble, other) for marble, other in way if allowed(marble, other)]) for way in ways]
    assert worth(assigned(told, judged, window, cost)) == min(tried)


def test_many_are_parted_where_the_gap_is_widest() -> None:
    marbles = [Marble(cluster * (LARGEST + 8) + at, 1) for cluster in range(3) for at in range(LARGEST)]
    pairs = assigned(marbles, [Marble(marble.frame + 1, 1) for marble in marbles], Window(9, 9), cost)
    assert [other.frame - marble.frame for marble, other in sorted(pairs)] == [1] * len(marbles)


@pytest.mark.parametrize("count", [LARGEST, LARGEST + 1, CROWD + 9])
def test_a_crowd_of_one_frame_is_not_parted(count: int) -> None:
    """Nor are its sides: everything of one side stands before the other."""
    marbles = [Marble(4, at + 1) for at in range(count)]
    assert assigned(marbles, marbles, Window(), cost) == [(marble, marble) for marble in marbles]
    if count <= CROWD:
        few = marbles[: LARGEST + 1]
        assert sorted(assigned(few, few[::-1], Window(), cost)) == [(marble, marble) for marble in few]
        assert len(assigned(few, few[1:], Window(), cost)) == len(few) - 1


def test_what_costs_nothing_is_out_of_reach_all_the_same() -> None:
    early, late = [Marble(0, 1)] * 2, [Marble(3, 1)] * 2
    assert assigned(early, late, Window(2, 2), lambda marble, other: (0,)) == []
    assert len(assigned(early, late, Window(3, 3), lambda marble, other: (0,))) == 2


def test_a_crowd_goes_by_its_first_costs_though_the_last_ones_are_large() -> None:
    def far(marble: Marble, other: Marble) -> tuple[int, ...]:
        return int(marble.colour != other.colour), abs(marble.colour - other.colour) * 10**6 % 999_983

    crowd = [Marble(4, at) for at in range(3 * LARGEST)]
    pairs = assigned(crowd, crowd[::-1], Window(), far)
    assert all(marble == other for marble, other in pairs)


def verdict(rules: dict[str, Any], frames: list[dict[str, Any]]) -> list[str]:
    book = rulebook(rules)
    played = recording(book, frames)
    return [finding.code for finding in check(book.rules(played.rate), played)[0].findings]


TWO = {"sting": {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"]},
       "bite": {"role": "hitbox", "attack": "bite", "circle": 3, "mask": ["keeper"]}}  # fmt: skip


@pytest.mark.parametrize(
    ("claimed", "expected"),
    [
        (["sting", "bite"], []),
        (["bite", "sting"], []),
        (["sting"], ["hit-missing"]),
        (["bite"], ["hit-missing"]),
        (["bite", "bite"], ["hit-attack", "hit-damage"]),
    ],
)
def test_two_attacks_of_a_pair_in_a_frame(claimed: list[str], expected: list[str]) -> None:
    """Each claim is the hit of its attack, in whatever order they are claimed."""
    rules = sting(hornet={"boxes": TWO})
    rules["attacks"]["bite"] = {"damage": 5}
    frames = brush({"hornet": "..#..."})
    damage = {"sting": 1, "bite": 5}
    hits = [{"event": "hit", "attacker": "hornet", "target": "keeper", "attack": name} for name in claimed]
    frames[2]["claims"] = [hit | {"damage": damage[hit["attack"]]} for hit in hits]
    assert sorted(verdict(rules, frames)) == sorted(expected)


@pytest.mark.parametrize("counted", ["hornet-1", "hornet-2", "hornet-10"])
def test_which_of_equal_hits_comes_first_is_the_games_to_say(counted: str) -> None:
    """Three touch in one frame, and the first gives i-frames for the rest of it."""
    frames = brush(dict.fromkeys(("hornet-1", "hornet-2", "hornet-10"), "..#..."))
    frames[2]["claims"] = [{"event": "hit", "attacker": counted, "target": "keeper"}]
    assert verdict(sting(keeper={"iframes": 9}, contact={"same_frame": "first"}), frames) == []
    stronger = sting(keeper={"iframes": 9}, contact={"same_frame": "first"})
    stronger["kinds"]["wasp"] = {"boxes": {"tip": {"role": "hitbox", "attack": "jab", "circle": 3, "mask": ["keeper"]}}}
    stronger["attacks"]["jab"] = {"damage": 1, "priority": 1}
    frames[2]["poses"].append({"id": "wasp", "kind": "wasp", "x": 0, "y": 0})
    assert verdict(stronger, frames) == ["hit-missing"]  # no tie: the wasp's goes first, and no actor claims it


BLOCKED = {"name": "blocked", "if": {"target": {"counters": {"guard": ">= 1"}}}, "scale": 0.5}
FIRST = [
    # what only the first of equal hits does: it lands, or is blocked
    sting(keeper={"iframes": 4}, contact={"same_frame": "first"}),
    sting(keeper={"counters": {"guard": {"max": 1, "start": 1}}},
          attack={"damage": 2, "cases": [BLOCKED], "target": {"gives": {"guard": -1}}}),
]  # fmt: skip


@given(st.sampled_from(FIRST), st.permutations(["hornet-1", "hornet-2", "hornet-3"]))
def test_a_game_that_breaks_ties_otherwise_is_right(rules: dict[str, Any], order: list[str]) -> None:
    book = rulebook(rules)
    raw = recording(book, brush(dict.fromkeys(order, "..#......##..#...")), reactions="raw")
    with pytest.MonkeyPatch.context() as patch:
        plain = Order._sorted
        patch.setattr(Order, "_sorted", lambda self, world, found, claims: sorted(
            plain(self, world, found, None), key=lambda items: order.index(world.state(items[-1][0]).id)
        ))  # fmt: skip
        _, frames = perfect_log(book.rules(raw.rate), raw)
    assert verdict(rules, frames) == []


@pytest.mark.parametrize("at_once", [False, True])
@pytest.mark.parametrize("ids", [("a", "b", "c"), ("c", "b", "a"), ("shot-9", "shot-10", "shot-11")])
def test_shots_of_a_fan_under_any_ids(ids: tuple[str, ...], at_once: bool) -> None:
    rules = sting(hornet={"emitters": {"gun": {"spawn": "puff", "when": {"press": "fire"}, "count": 3, "spread": 90,
                                               "speed": 120, "moves_at_once": at_once}}})  # fmt: skip
    rules["kinds"]["puff"] = {"motion": {"life": 30}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 9})
    for frame in frames:
        frame["inputs"] = [{"id": "hornet", "button": "fire", "down": True}]
    raw = recording(book, frames, reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    names = dict(zip([f"hornet.gun-{number}" for number in (1, 2, 3)], ids, strict=True))
    for frame in log:
        for pose in frame["poses"]:
            pose["id"] = names.get(pose["id"], pose["id"])
    assert verdict(rules, log) == []


@pytest.mark.parametrize("left_out", [(), ("vx", "vy", "angle"), ("vx", "vy", "angle", "owner")])
@pytest.mark.parametrize("at_once", [False, True])
def test_a_ring_of_more_shots_than_are_paired_at_once(at_once: bool, left_out: tuple[str, ...]) -> None:
    """Whatever the order that the game logs them in; and if it moves one of them, that is one finding."""
    count = LARGEST + 8
    ring = {"spawn": "puff", "when": {"every": "4f"}, "count": count, "spread": 355, "speed": 120,
            "moves_at_once": at_once}  # fmt: skip
    rules = sting(hornet={"emitters": {"ring": ring}})
    rules["kinds"]["puff"] = {"motion": {"life": 6}}
    book = rulebook(rules)
    raw = recording(book, brush({"hornet": "." * 10}), reactions="raw")
    _, log = perfect_log(book.rules(raw.rate), raw)
    for frame in log:
        random.Random(frame["frame"]).shuffle(frame["poses"])
        for pose in frame["poses"]:
            for key in left_out:
                pose.pop(key, None)
    assert verdict(rules, log) == []
    for frame in log:
        for pose in frame["poses"]:
            pose["y"] += 9 * (pose["id"] == "hornet.ring-3")
    assert verdict(rules, log) == ["spawn-place"]


def test_an_emitter_is_its_owners() -> None:
    """Two kinds have an emitter of one name, with other speeds."""
    gun = {"spawn": "puff", "when": {"press": "fire"}, "moves_at_once": True}
    rules = sting(keeper={"emitters": {"gun": gun | {"speed": 60}}}, hornet={"emitters": {"gun": gun | {"speed": 600}}})
    rules["kinds"]["puff"] = {"motion": {"life": 30}}
    book = rulebook(rules)
    frames = brush({"hornet": "." * 9})
    for frame in frames:
        frame["inputs"] = [{"id": name, "button": "fire", "down": True} for name in ("hornet", "keeper")]
    raw = recording(book, frames, reactions="raw")
    assert verdict(rules, perfect_log(book.rules(raw.rate), raw)[1]) == []
