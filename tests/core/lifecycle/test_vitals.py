"""Boundary frames of going down, coming back, being out, and the end of a run."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, frames_of, outcomes, run, sting

BACK = {"after": "4f", "iframes": "3f"}

STORIES = [
    # name, keeper, touch, outcomes, frames of: down, respawn, out, over
    ("down for good, nobody counts", {}, "###", "L..", [0], [], [], []),
    ("no life left: out and over at once", {"lives": 1}, "###", "L..", [0], [], [0], [0]),
    ("out when it has been seen for 3 frames", {"lives": 1, "down": {"lasts": 3}}, "#....", "L....", [0], [], [3], [3]),
    ("lives without a way back: out too", {"lives": 3}, "##", "L.", [0], [], [0], [0]),
    ("back in d+4, immune in r to r+2", {"respawn": BACK}, "#########", "L...iiiL.", [0, 7], [4], [], []),
    ("the last life", {"lives": 2, "respawn": BACK}, "#" * 12, "L...iiiL....", [0, 7], [4], [7], [7]),
    ("after 0 is the next frame", {"respawn": {}}, "####", "LLLL", [0, 1, 2, 3], [1, 2, 3], [], []),
    ("one immune frame is the return's own", {"respawn": {"iframes": 1}}, "#####", "LiLiL", [0, 2, 4], [1, 3], [], []),
    ("own i-frames do not outlast a death", {"iframes": 9, "respawn": {}}, "###", "LLL", [0, 1, 2], [1, 2], [], []),
    ("waits while it would be met", {"respawn": {"if_unsafe": "wait"}}, "####.##", "L....L.", [0, 5], [4], [], []),
    ("seen for longer, back all the same", {"down": {"lasts": 9}, "respawn": BACK}, "#....", "L....", [0], [4], [], []),
]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "keeper", "touch", "expected", "downs", "backs", "outs", "over"),
    STORIES,
    ids=[story[0] for story in STORIES],
)
def test_story(
    name: str, keeper: dict[str, Any], touch: str, expected: str,
    downs: list[int], backs: list[int], outs: list[int], over: list[int],
) -> None:  # fmt: skip
    ledger = run(sting(keeper={"health": 1, **keeper}), brush({"hornet": touch}))
    assert outcomes(ledger, "hornet", len(touch)) == expected
    found = [frames_of(ledger, event) for event in ("down", "respawn", "out", "over")]
    assert found == [downs, backs, outs, over]


def test_a_heal_in_the_frame_of_death_saves_unless_health_is_checked_at_once() -> None:
    data = sting(keeper={"health": 1}, attack={"damage": 1, "priority": 1})
    balm = {"role": "hitbox", "attack": "balm", "circle": 3, "mask": ["keeper"]}
    data["kinds"]["hornet"]["boxes"]["balm"] = balm
    data["attacks"]["balm"] = {"damage": -1}
    assert not run(data, brush({"hornet": "#"})).of("down")
    data["contact"] = {"health_check": "at_once"}
    ledger = run(data, brush({"hornet": "#"}))
    assert [event.event for event in ledger.events] == ["contact", "health", "down", "contact"]
    assert ledger.events[-1].outcome == "down"


def test_two_hits_in_the_frame_of_death_credit_the_last_that_took() -> None:
    data = sting(keeper={"health": 2, "down": {"worth": 50}}, contact={"same_frame": "all"})
    ledger = run(data, brush({"hornet-1": "#", "hornet-2": "#", "hornet-3": "#"}))
    assert [event.by for event in ledger.of("down")] == ["hornet-2"]  # the third found nothing left to take
    assert [(event.id, event.points, event.total) for event in ledger.of("score")] == [("hive", 50, 50)]


PRESSES = [
    ("pressed as soon as it is due", [4], [4]),
    ("pressed too early, and held", [2, 3, 4, 5], []),
    ("pressed later", [6, 7], [6]),
]


@pytest.mark.parametrize(("name", "held", "expected"), PRESSES, ids=[press[0] for press in PRESSES])
def test_a_return_that_needs_a_button(name: str, held: list[int], expected: list[int]) -> None:
    frames = brush({"hornet": "#......."})
    for frame in held:
        frames[frame]["inputs"] = [{"id": "keeper", "button": "wake"}]
    data = sting(keeper={"health": 1, "respawn": {**BACK, "needs": "wake"}})
    assert frames_of(run(data, frames), "respawn") == expected


def test_without_a_pose_it_waits_for_the_first() -> None:
    frames = brush({"hornet": "#......."})
    for frame in (3, 4, 5):
        frames[frame]["poses"] = frames[frame]["poses"][1:]
    assert frames_of(run(sting(keeper={"health": 1, "respawn": BACK}), frames), "respawn") == [6]


def test_held_once_and_told_by_whom() -> None:
    data = sting(keeper={"health": 1, "respawn": {"if_unsafe": "wait"}})
    ledger = run(data, brush({"hornet-2": "###.#", "hornet-1": "..#.."}))
    held = [(event.frame, event.detail) for event in ledger.of("respawn_held")]
    assert (held, frames_of(ledger, "respawn")) == ([(1, "hornet-2")], [3])


POISON = {"damage": 1, "every": 2, "times": 3}
HARM: list[tuple[dict[str, Any], list[int]]] = [
    ({"target": {"gives": {"wax": 1}, "checkpoint": True}}, [1]),
    ({"target": {"over_time": {"damage": -1, "every": 2, "times": 3}}}, [1]),  # it heals
    ({"target": {"over_time": POISON}}, []),
    ({"target": {"damage": 1}}, []),
    ({"cases": [{"name": "wet", "if": {"target": {"tags": ["wet"]}}, "damage": 1}]}, []),
    ({"cases": [{"name": "wet", "if": {"target": {"tags": ["wet"]}}, "target": {"over_time": POISON}}]}, []),
]


@pytest.mark.parametrize(("attack", "returns"), HARM)
def test_what_does_no_harm_holds_nobody(attack: dict[str, Any], returns: list[int]) -> None:
    data = sting(keeper={"health": 1, "respawn": {"if_unsafe": "wait"}})
    data["kinds"]["keeper"]["tags"] = ["wet"]
    data["attacks"]["wax"] = {"damage": 0, **attack}
    data["kinds"]["bush"] = {"boxes": {"b": {"role": "hitbox", "attack": "wax", "circle": 5, "mask": ["keeper"]}}}
    data["fixtures"] = [{"kind": "bush", "at": [0, 0]}]
    assert frames_of(run(data, brush({"hornet": "#..."})), "respawn") == returns


PLACES = [
    ("start", (0.0, 0.0)),
    ("here", (3.0, 0.0)),
    ([7, 8], (7.0, 8.0)),
    ("checkpoint", (30.0, 0.0)),
]


@pytest.mark.parametrize(("at", "place"), PLACES)
def test_places_of_return_in_raw_recordings(at: Any, place: tuple[float, float]) -> None:
    """The keeper walks 3 units a frame, and on from where it returns; a post it has touched is its checkpoint."""
    data = sting(keeper={"health": 1, "respawn": {"after": "2f", "at": at}})
    data["layers"]["names"].append("post")
    post = {"role": "hurtbox", "circle": 1, "layer": ["post"]}
    data["kinds"]["post"] = {"boxes": {"stone": post}}
    data["kinds"]["keeper"]["boxes"]["hand"] = {
        "role": "hitbox", "attack": "rest", "rect": [9, 90], "mask": ["post"], "at": [30, 0]
    }  # fmt: skip
    data["attacks"]["rest"] = {"attacker": {"checkpoint": True}}
    data["fixtures"] = [{"kind": "post", "at": [30, 0]}]
    frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 3 * frame, "y": 0}]} for frame in range(5)]
    frames[1]["poses"].append({"id": "hornet", "kind": "hornet", "x": 3, "y": 0})
    ledger = run(data, frames, reactions="raw")
    assert [(event.frame, event.x, event.y) for event in ledger.of("respawn")] == [(3, *place)]


def succession(touch: str, **keeper: Any) -> list[dict[str, Any]]:
    """A keeper a digit of `touch`, stung where it is marked by `!` behind the digit."""
    frames = []
    for mark, hit in zip(touch[::2], touch[1::2], strict=True):
        poses = [] if mark == "-" else [{"id": f"keeper-{mark}", "kind": "keeper", "x": 0, "y": 0}]
        frames.append({"poses": [*poses, {"id": "hornet", "kind": "hornet", "x": 0 if hit == "!" else 99, "y": 0}]})
    return frames


def test_a_new_actor_for_each_life() -> None:
    data = sting(keeper={"health": 1, "lives": 3, "succession": True, "respawn": {"iframes": "2f"}})
    ledger = run(data, succession("1!1.-.2!2!2!-.3.3!3."))
    backs = [(event.frame, event.id, event.detail) for event in ledger.of("respawn")]
    assert backs == [(3, "keeper-2", "keeper-1"), (7, "keeper-3", "keeper-2")]
    assert [(event.frame, event.id, event.lives) for event in ledger.of("down")] == [
        (0, "keeper-1", 2),
        (5, "keeper-2", 1),
    ]
    assert outcomes(ledger, "hornet", 10) == "L..iiL..i."
    ledger = run(data, succession("1!2.2.2!3.3.3!3."))
    assert [(event.frame, event.id) for event in ledger.of("out")] == [(6, "keeper-3")]
    assert frames_of(ledger, "over") == [6]


def test_no_successor_while_another_is_in_play() -> None:
    data = sting(keeper={"health": 9, "lives": 3, "succession": True})
    frames = succession("1.1.1.")
    frames[1]["poses"].append({"id": "keeper-2", "kind": "keeper", "x": 50, "y": 0})
    assert not run(data, frames).of("respawn")


def marked(frames: list[dict[str, Any]], **marks: str) -> list[dict[str, Any]]:
    for name, what in marks.items():
        frames[int(name[1:])]["reset"] = what
    return frames


def test_marks_begin_room_and_run_again() -> None:
    data = sting(keeper={"health": 1, "lives": 2, "respawn": {"after": "9f"}})
    touch = "#..#..#..#"
    ledger = run(data, marked(brush({"hornet": touch}), f2="room", f5="run"))
    assert [(event.frame, event.lives) for event in ledger.of("down")] == [(0, 1), (3, 0), (6, 1)]
    assert frames_of(ledger, "over") == [3]
    assert outcomes(ledger, "hornet", 10) == "L..L..L..."


def test_nothing_is_judged_between_the_end_and_the_next_mark() -> None:
    data = sting(keeper={"health": 3, "lives": 1}, attack={"target": {"goal": True}})
    ledger = run(data, marked(brush({"hornet": "##.###"}), f4="run"))
    assert outcomes(ledger, "hornet", 6) == "L...L."
    assert frames_of(ledger, "won", detail="goal") == [0, 4]


GOALS = [
    ("survived in first + D", {"survive": "4f"}, "......", [(4, "survive")]),
    ("not a frame before the recording ends", {"survive": "6f"}, "......", []),
    ("nobody of a kind left to be seen", {"clear": ["hornet"]}, "..--..", [(2, "clear")]),
    ("hidden is not in play", {"clear": ["hornet"]}, "..hh", [(2, "clear")]),
    ("never seen is never cleared", {"clear": ["moth"]}, "..--", []),
]


@pytest.mark.parametrize(("name", "goal", "touch", "expected"), GOALS, ids=[goal[0] for goal in GOALS])
def test_goals(name: str, goal: dict[str, Any], touch: str, expected: list[tuple[int, str]]) -> None:
    data = sting() | {"goal": goal}
    data["kinds"]["moth"] = {}
    ledger = run(data, brush({"hornet": touch}))
    assert [(event.frame, event.detail) for event in ledger.of("won")] == expected


def test_over_goes_before_won() -> None:
    data = sting(keeper={"health": 1, "lives": 1}, attack={"target": {"goal": True}})
    ledger = run(data, brush({"hornet": "#"}))
    assert [event.event for event in ledger.events if event.event in ("over", "won")] == ["over"]


def room(resets: str, **respawn: Any) -> dict[str, Any]:
    """A keeper that picks up a comb, is stung to death, and comes back with some reset."""
    data = sting(keeper={"health": 1, "lives": 9, "respawn": {"resets": resets, **respawn}})
    wax = {"role": "hitbox", "attack": "pick", "circle": 1, "mask": ["keeper"]}
    data["kinds"]["comb"] = {"boxes": {"wax": wax}}
    data["attacks"]["pick"] = {"priority": 1, "target": {"gives": {"honey": 1}}, "attacker": {"remove": True}}
    data["fixtures"] = [{"kind": "comb", "id": "comb", "at": [0, 0]}]
    return data


RESETS = [
    ("self", {}, [1]),
    ("room", {}, [1, 2]),  # the comb is back, and its honey was kept
    ("run", {}, [1, 1]),
    ("run", {"keeps": ["honey"]}, [1, 2]),
]


@pytest.mark.parametrize(("resets", "more", "honey"), RESETS)
def test_resets_and_what_they_keep(resets: str, more: dict[str, Any], honey: list[int]) -> None:
    ledger = run(room(resets, **more), brush({"hornet": ".#..."}))
    assert [event.after for event in ledger.of("counter")] == honey
    lives = [event.lives for event in run(room(resets, **more), brush({"hornet": "#.#.#"})).of("down")]
    assert lives == ([8, 8, 8] if resets == "run" else [8, 7, 6])


def test_a_room_takes_what_was_spawned_and_a_pair_goes_home() -> None:
    data = room("room", after="2f")
    data["kinds"]["comb"]["emitters"] = {"drip": {"spawn": "drop", "when": {"every": 3, "first": 0}}}
    data["kinds"]["drop"] = {"motion": {"life": 99}}
    data["attacks"]["pick"] = {}
    ledger = run(data, brush({"hornet": "..#..."}))
    removed = [(event.frame, event.id, event.detail) for event in ledger.of("removed")]
    assert removed == [(3, "comb/drip-1", "reset"), (3, "comb/drip-2", "reset")]
    assert [(event.frame, event.id) for event in ledger.of("spawn")][-1] == (4, "comb/drip-3")  # its beat is again
    data = sting(keeper={"health": 1, "respawn": {"resets": "pair", "after": "2f"}})
    ledger = run(data, brush({"hornet": ".####"}), reactions="raw")
    assert [(event.frame, event.id, event.x) for event in ledger.of("home")] == [(3, "hornet", 100)]
    assert outcomes(ledger, "hornet", 5) == ".L..."


def test_a_driven_actor_comes_back_as_at_first_but_for_its_life() -> None:
    data = sting(hornet={"health": 1, "respawn": {"after": "2f"}, "motion": {"velocity": [60, 0], "life": 8}})
    data["kinds"]["hornet"]["boxes"]["belly"] = {"role": "hurtbox", "circle": 1, "layer": ["hive"]}
    data["kinds"]["keeper"]["boxes"]["tool"] = {"role": "hitbox", "attack": "pry", "circle": 1, "mask": ["hive"]}
    data["attacks"]["pry"] = {"damage": 1}
    data["fixtures"] = [{"kind": "hornet", "id": "hornet", "at": [-3, 0]}]
    frames = brush({"x": "." * 14})
    ledger = run(data, [{"poses": frame["poses"][:1]} for frame in frames])
    assert frames_of(ledger, "down") == [2, 6]  # 2 frames to come within reach, each time
    assert [(event.frame, event.x) for event in ledger.of("respawn")] == [(4, -3)]
    assert [(event.frame, event.detail) for event in ledger.of("removed")] == [(8, "expired")]


def test_down_outcome_and_denials_end_with_the_return() -> None:
    data = sting(keeper={"health": 1, "respawn": {"after": "3f"}})
    data["kinds"]["keeper"]["emitters"] = {"gun": {"spawn": "puff", "when": {"press": "fire"}}}
    data["kinds"]["puff"] = {"motion": {"life": 1}}
    frames = brush({"hornet": "#....."})
    for frame in (0, 2, 4):
        frames[frame]["inputs"] = [{"id": "keeper", "button": "fire"}]
    ledger = run(data, frames)
    assert [(event.frame, event.detail) for event in ledger.of("denied")] == [(2, "down")]
    assert frames_of(ledger, "spawn") == [0, 4]


def brood(**emitter: Any) -> dict[str, Any]:
    """An ant that spawns a cub, which it jabs down, and which comes back, and with it a new run."""
    return {
        "layers": {"names": ["one"]},
        "kinds": {
            "ant": {
                "boxes": {"jaw": {"role": "hitbox", "attack": "jab", "circle": 3, "mask": ["one"]}},
                "emitters": {"gun": {"spawn": "cub", "when": {"every": 3, "first": 0}, **emitter}},
            },
            "cub": {
                "health": 2,
                "respawn": {"resets": "run"},
                "boxes": {"heart": {"role": "hurtbox", "rect": [4, 4], "layer": ["one"]}},
            },
        },
        "attacks": {"jab": {"damage": 1}},
        "fixtures": [{"kind": "ant", "at": [0, 0]}],
    }


def test_names_of_a_new_run_are_none_that_is_still_there() -> None:
    ledger = run(brood(), [{"poses": []}] * 5, reactions="raw")
    spawned = [(event.frame, event.id) for event in ledger.of("spawn")]
    assert spawned == [(0, "ant#1/gun-1"), (2, "ant#1/gun-2"), (4, "ant#1/gun-2")]
    assert frames_of(ledger, "respawn", id="ant#1/gun-1") == [2, 4]
    landed = [(event.frame, event.target) for event in ledger.hits()]
    assert len(landed) == len(set(landed))


@pytest.mark.parametrize(("limit", "fired"), [(1, [0]), (2, [0, 2, 4])])
def test_a_shot_that_brings_the_room_back_counts_under_the_limit(limit: int, fired: list[int]) -> None:
    """Its ant is placed again and would fire in that very frame: the cub is still the ant's."""
    ledger = run(brood(limit=limit), [{"poses": []}] * 5, reactions="raw")
    assert frames_of(ledger, "respawn", id="ant#1/gun-1") == [2, 4]
    assert frames_of(ledger, "spawn") == fired


def test_rehit_begins_anew_for_whom_a_new_run_brings_back() -> None:
    """The hornet's one sting of a swing downs the keeper for good; the moth's return begins a new run, in which it
    stings again."""
    data = sting(keeper={"health": 1}, attack={"rehit": "once"})
    data["kinds"]["moth"] = {"health": 1, "respawn": {"after": 2, "resets": "run"}}
    data["kinds"]["moth"]["boxes"] = data["kinds"]["keeper"]["boxes"]
    frames = brush({"hornet": "######"})
    for frame in frames:
        frame["poses"].append({"id": "moth", "kind": "moth", "x": 1, "y": 0})
    ledger = run(data, frames)
    assert frames_of(ledger, "respawn", id="moth") == [2, 4]
    hits = [(event.frame, event.target) for event in ledger.hits()]
    assert [frame for frame, target in hits if target == "keeper"] == [0, 2, 4]


def test_a_run_that_ended_in_a_push_begins_again() -> None:
    """A raw recording: the keeper's return moves it, its last death ends the run in that frame, and a mark
    continues."""
    data = sting(keeper={"health": 1, "lives": 2, "respawn": {}})
    frames = brush({"hornet": "#.#.##"})
    frames[0]["poses"][0]["x"] = frames[0]["poses"][1]["x"] = 20
    frames[1]["poses"].pop(0)
    frames[2]["poses"][1]["x"] = 20
    frames[4]["reset"] = "run"
    ledger = run(data, frames, reactions="raw")
    assert (frames_of(ledger, "down"), frames_of(ledger, "over"), frames_of(ledger, "respawn")) == (
        [0, 2, 4, 5],  # its start is its first pose since the mark, under the hornet
        [2, 5],
        [2, 5],
    )


def swept_world(**attack: Any) -> dict[str, Any]:
    """A hornet whose sting is swept, so that where it was in the frame before decides what it meets on its way."""
    data = sting(keeper={"health": 9}, attack=attack)
    data["kinds"]["hornet"]["boxes"]["sting"]["swept"] = True
    return data


def test_one_used_up_while_it_lingers_does_not_come_back_along_the_way_of_its_ghost() -> None:
    """The hornet flies in, is gone in frame 2 and lands as a ghost; in frame 3 it is back, behind the keeper."""
    frames = brush({"hornet": "....."})
    for frame, x in enumerate((-24, -14, None, 40, 60)):
        frames[frame]["poses"][1]["x"] = x
        if x is None:
            frames[frame]["poses"].pop()
    ledger = run({**swept_world(attacker={"remove": True}), "contact": {"linger": 2}}, frames)
    assert [(event.frame, event.detail) for event in ledger.hits()] == [(2, "lingering")]
    assert frames_of(ledger, "removed", id="hornet") == [2]


def test_whom_a_new_run_brings_back_has_no_way_behind_it() -> None:
    """The keeper goes down for good in frame 0; the moth's return in 2 begins a new run. The hornet flew through the
    keeper's place on its way, in that very frame, as one that was down and out itself."""
    data = swept_world()
    data["kinds"]["keeper"]["health"] = 1
    data["kinds"]["hornet"]["health"] = 1
    data["kinds"]["hornet"]["boxes"]["belly"] = {"role": "hurtbox", "rect": [2, 2], "layer": ["hive"]}
    data["kinds"]["moth"] = {"health": 1, "respawn": {"after": 2, "resets": "run"}, "boxes": {
        "heart": {"role": "hurtbox", "rect": [4, 4], "layer": ["keeper"]},
        "jaw": {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["hive"]},
    }}  # fmt: skip
    frames = brush({"hornet": "#####"})
    for frame, x in enumerate((0, -30, 30, 60, 60)):
        frames[frame]["poses"][1]["x"] = x
        frames[frame]["poses"].append({"id": "moth", "kind": "moth", "x": 0, "y": 0})
    ledger = run(data, frames)
    assert frames_of(ledger, "down", id="hornet") == [0]
    assert frames_of(ledger, "respawn", id="moth") == [2]
    assert [event.frame for event in ledger.hits() if event.attacker == "hornet"] == [0, 0]


def test_clear_when_the_last_comes_back_out_of_play() -> None:
    """The keeper waits to come back, so the room is not clear; in frame 2 it does, hidden: no actor is left."""
    frames = brush({"hornet": "#...."})
    frames[1]["poses"].pop(0)
    frames[2]["poses"][0]["hidden"] = True
    ledger = run({**sting(keeper={"health": 1, "respawn": {}}), "goal": {"clear": ["keeper"]}}, frames)
    assert (frames_of(ledger, "respawn"), frames_of(ledger, "won")) == ([2], [2])


def test_one_that_goes_down_as_it_is_used_up_stays_down() -> None:
    """A recorded one is over being consumed when it has been away for a frame: not over being down."""
    frames = brush({"hornet": "#...##"})
    frames[1]["poses"] = frames[1]["poses"][1:]
    for check in ("frame_end", "at_once"):
        data = sting(keeper={"health": 1}, attack={"target": {"remove": True}}, contact={"health_check": check})
        assert outcomes(run(data, frames), "hornet", 6) == "L....."


def test_who_is_out_is_told_though_another_has_its_row_and_comes_back() -> None:
    bud = {"health": 1, "lives": 2, "motion": {"life": 2}, "down": {"lasts": 2}, "respawn": {"at": [0, 0]}}
    data: dict[str, Any] = {
        "layers": {"names": ["body"]},
        "kinds": {
            "vent": {"emitters": {"gun": {"spawn": "bud", "when": {"every": 2}}}},
            "bud": bud | {"boxes": {"core": {"role": "hurtbox", "circle": 1, "layer": ["body"]}}},
            "bramble": {"boxes": {"thorn": {"role": "hitbox", "circle": 9, "mask": ["body"], "attack": "prick"}}},
        },
        "attacks": {"prick": {"damage": 1}},
        "fixtures": [{"kind": "vent", "id": "vent", "at": [0, 0]}, {"kind": "bramble", "id": "bramble", "at": [0, 0]}],
    }
    ledger = run(data, [{"poses": []}] * 10)
    pairs = [(event.frame, event.event) for event in ledger.about("vent/gun-1", "down", "respawn", "removed", "out")]
    assert pairs == [(2, "down"), (3, "respawn"), (3, "down"), (4, "removed"), (5, "out")]
