"""`check` is silent on the log of a game that plays exactly by the rules, and finds each mistake put into it."""

from __future__ import annotations

import json
import math
from itertools import islice
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import strategies, uncommon
from tests.mutants import MUTANTS, logged, tried, world
from tests.worlds import recording, rulebook, sting
from voskar.core.adopt import Window, Windows
from voskar.core.views.perfect import perfect_log
from voskar.evidence.check import check
from voskar.evidence.finding import CODES

LEAP = 7.0
"""Units that no actor moves in a frame without a cut."""


def plausible(data: dict[str, Any], frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """A random recording, without what no game that plays by the rules would show."""
    made = {fan["kind"] for kind in data["kinds"].values() for fan in kind.get("down", {}).get("spawn", ())}
    made |= {item["spawn"] for kind in data["kinds"].values() for item in kind.get("emitters", {}).values()}
    starts: dict[str, tuple[float, float]] = {}
    before: dict[str, dict[str, Any]] = {}
    for frame in frames:
        frame.pop("reset", None)  # a random mark may cut a death short, which is told
        shown = [pose for pose in frame["poses"] if pose["kind"] not in made]  # no actor would have fired them
        for pose in shown:
            pose["hidden"] = False  # and one that is hidden when it is due is back too late
            x, y = starts.setdefault(pose["id"], (pose["x"], pose["y"]))
            last = before.get(pose["id"], pose)
            pose["cut"] = pose["cut"] or math.dist((pose["x"], pose["y"]), (last["x"], last["y"])) > LEAP
            if pose.get("cut") and (pose["x"], pose["y"]) == (x, y):
                pose["x"] += 2.0  # back at its start right after a hit, it would seem to be sent there
        there = {pose["id"] for pose in shown}
        gone = [pose for name, pose in before.items() if name not in there and "health" in data["kinds"][pose["kind"]]]
        frame["poses"] = [*shown, *({**pose, "cut": False} for pose in gone)]  # who may be down, or due back, has poses
        before |= {pose["id"]: pose for pose in frame["poses"]}
    return frames


def silent(data: dict[str, Any], frames: list[dict[str, Any]]) -> list[tuple[str, int, str, str]]:
    """The findings in the perfect log of a world."""
    book = rulebook(data)
    played = recording(book, plausible(data, frames), reactions="raw")
    rules = book.rules(played.rate)
    verdict, _ = check(rules, logged(book, *perfect_log(rules, played)))
    return [(finding.code, finding.frame, finding.game, finding.rules) for finding in verdict.findings]


@given(st.one_of(strategies.rulebooks(), strategies.deadly_rulebooks()), strategies.recordings(frames_at_most=16))
def test_a_correct_game_is_left_in_peace(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    assert silent(data, frames) == []


@given(uncommon.rulebooks(strategies.rulebooks()), strategies.recordings(), st.data())
def test_so_is_one_with_rules_that_few_need(data: dict[str, Any], frames: list[dict[str, Any]], more: Any) -> None:
    assert silent(data, more.draw(uncommon.boxed(data, frames))) == []


@pytest.mark.parametrize(
    "shape", [[-3, -2, 3, 4], {"circle": [1, 1, 4]}, [{"polygon": [[-3, 0], [3, 0], [0, 4]]}, [8, 8, 9, 9]]]
)
def test_so_is_one_whose_log_has_the_boxes(shape: Any) -> None:
    data = sting()
    data["kinds"]["hornet"]["boxes"]["sting"] = {
        "role": "hitbox",
        "logged": True,
        "attack": "sting",
        "mask": ["keeper"],
    }
    poses = [
        {"id": name, "kind": name, "x": 7 * at, "y": 0, "cut": False} for at, name in enumerate(("keeper", "hornet"))
    ]
    assert silent(data, [{"poses": [poses[0], {**poses[1], "boxes": {"sting": shape}}]}]) == []


def half_claims(frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What emitters and parents made is not logged, and not named in hits."""
    for frame in frames:
        frame["poses"] = [pose for pose in frame["poses"] if "." not in pose["id"]]
        for claim in frame.get("claims", ()):
            for side in ("attacker", "target"):
                if "." in claim.get(side, ""):
                    del claim[side]
    return frames


def late(frames: list[dict[str, Any]], by: int = 3) -> list[dict[str, Any]]:
    """All claims come some frames after what they are about."""
    claims = [frame.pop("claims", []) for frame in frames]
    return [{**frame, "claims": claims[at - by] if at >= by else []} for at, frame in enumerate(frames)]


LESS = {"half claims": (half_claims, Windows()), "late": (late, Windows(every=Window(0, 3)))}


@pytest.mark.parametrize("name", LESS)
@given(st.one_of(strategies.rulebooks(), strategies.deadly_rulebooks()), strategies.recordings(frames_at_most=16))
def test_so_is_one_that_tells_less_or_later(name: str, data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    tells, windows = LESS[name]
    book = rulebook(data)
    played = recording(book, plausible(data, frames), reactions="raw")
    rules = book.rules(played.rate)
    _, log = perfect_log(rules, played)
    header = {"voskar": "recording", "version": 2, "rate": float(played.rate), "up": played.up}
    for frame in log:  # where it is down, or sent, is logged in the frame itself
        frame["claims"] = [item for item in frame.get("claims", ()) if item["event"] == "hit"]
    verdict, _ = check(rules, logged(book, header, tells(log)), windows=windows)
    assert [finding for finding in verdict.findings if finding.code in ("hit-denied", "hit-moved", "hit-missing")] == []


def test_shots_and_deaths_are_logged_as_they_are() -> None:
    import random

    for seed in range(3):
        book, played = world(random.Random(seed))
        rules = book.rules(played.rate)
        header, frames = perfect_log(rules, played)
        assert any(pose["kind"] == "puff" for frame in frames for pose in frame["poses"])
        assert check(rules, logged(book, header, frames))[0].findings == ()


def gun(spawn: str, **keys: Any) -> dict[str, Any]:
    """The table of emitters with one that fires so."""
    return {"emitters": {"gun": {"spawn": spawn, "when": {"every": 3}} | keys}}


FIRST = {"every": 3, "first": 0}
FIRING: list[tuple[str, dict[str, Any]]] = [
    (
        "a shot fires itself in its first frame",
        {"bee": gun("cub", when=FIRST), "cub": gun("dot", when=FIRST), "dot": {}},
    ),
    ("two fire at what they fire", {"bee": gun("cub", aim={"target": "cub"}), "cub": {}}),
    (
        "a shot falls, and gives its speed to one of any direction",
        {
            "bee": gun("cub", when=FIRST),
            "cub": {"motion": {"gravity": 0.5}, **gun("dot", jitter=180, inherit=1, moves_at_once=True)},
            "dot": {},
        },
    ),
    (
        "a shot flies on, and gives its speed to one of a drawn speed",
        {
            "bee": gun("cub"),
            "cub": {"motion": {"velocity": [120, -120]}, **gun("dot", speed=[60, 180], inherit=1)},
            "dot": {},
        },
    ),
    (
        "a shot appears anywhere, and is turned by a solid at once",
        {
            "bee": gun("dot", within=[-5, -5, 5, 5], speed=120, moves_at_once=True),
            "dot": {"motion": {"on_solid": "bounce"}},
        },
    ),
]


@pytest.mark.parametrize(("name", "kinds"), FIRING, ids=[name for name, _ in FIRING])
def test_shots_are_logged_as_they_are_fired(name: str, kinds: dict[str, Any]) -> None:
    bees = [{"id": f"bee-{n}", "kind": "bee", "x": 2 * n, "y": n, "cut": False} for n in range(3)]
    space = {"gravity": 3600, "solids": [{"rect": [-5, -5, 0, 1]}]}
    data = {"kinds": kinds, "space": space}
    frames = [{"poses": [dict(bee) for bee in bees]} for _ in range(12)]
    assert silent(data, frames) == []


JAW = {"role": "hitbox", "attack": "jab", "circle": 3, "mask": ["one"]}
HEART = {"role": "hurtbox", "rect": [4, 4], "layer": ["one"]}
HIT: list[tuple[str, dict[str, Any], dict[str, Any]]] = [
    (
        "a body is hidden at the end of a freeze",
        {
            "bee": gun("cub", when=FIRST),
            "cub": {"boxes": {"jaw": JAW, "heart": HEART}, "health": 2, "down": {"lasts": 2, "hide": True}},
        },
        {"damage": 2, "hits_owner": True, "hitstop": 1},
    ),
    (
        "two return at once, and send each other home",
        {"bee": {"boxes": {"jaw": JAW, "heart": HEART}, "health": 1, "respawn": {"at": [9, 2], "resets": "pair"}}},
        {"damage": 2},
    ),
    (
        "a shot is sent off, and has its own acceleration",
        {
            "ant": {"boxes": {"heart": HEART | {"rect": [90, 90]}}},
            "bee": gun("cub"),
            "cub": {"boxes": {"jaw": JAW}, "motion": {"acceleration": [0, -7200]}},
        },
        {"attacker": {"launch": {"up": 0}}, "rehit": "once"},
    ),
]


@pytest.mark.parametrize(("name", "kinds", "jab"), HIT, ids=[name for name, *_ in HIT])
def test_hits_are_logged_as_they_are(name: str, kinds: dict[str, Any], jab: dict[str, Any]) -> None:
    data: dict[str, Any] = {"layers": {"names": ["one"]}, "kinds": kinds, "attacks": {"jab": jab}}
    data["fixtures"] = [{"kind": "ant", "at": [0, 3]}] if "ant" in kinds else []
    bees = [{"id": f"bee-{n}", "kind": "bee", "x": 3 * n, "y": n, "cut": False} for n in range(2)]
    assert silent(data, [{"poses": [dict(bee) for bee in bees]} for _ in range(9)]) == []


@pytest.mark.parametrize("resets", ["room", "run", "pair"])
def test_a_return_that_clears_the_room_ends_shots_early(resets: str) -> None:
    puffs = {"vent": {"spawn": "puff", "when": {"every": 5}, "speed": 30}}
    keeper = {"health": 1, "respawn": {"after": 7, "resets": resets, "iframes": 90}}
    data = sting(keeper=keeper) | {"space": {"bounds": [-400, -400, 400, 400]}}
    data["kinds"] |= {"vent": {"emitters": puffs}, "puff": {"motion": {"life": 40}}}
    data["fixtures"] = [{"kind": "vent", "id": "vent", "at": [200, 0]}]
    book = rulebook(data)
    poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "hornet", "kind": "hornet", "x": 0, "y": 0}]
    played = recording(book, [{"poses": poses} for _ in range(90)], reactions="raw")
    rules = book.rules(played.rate)
    header, frames = perfect_log(rules, played)
    shown = [{pose["id"] for pose in frame["poses"] if pose["kind"] == "puff"} for frame in frames]
    assert shown[6]
    assert bool(shown[6] & shown[7]) == (resets == "pair")
    assert check(rules, logged(book, header, frames))[0].findings == ()


@pytest.mark.parametrize("name", MUTANTS)
def test_a_mistake_is_found_and_named(name: str) -> None:
    results = list(islice((outcome for seed in range(6) if (outcome := tried(name, seed)) is not None), 2))
    assert results
    assert all(outcome.found and not outcome.outside for outcome in results)
    assert any(outcome.named for outcome in results)


def test_what_hits_have_moved_stays_moved_once_the_run_is_over() -> None:
    """A hornet is thrown back 60 units by its hit, and another one takes the keeper's last life."""
    data = sting(keeper={"health": 2, "lives": 1}, attack={"rehit": "99f"})
    data["attacks"]["sting"]["attacker"] = {"knockback": {"distance": 60, "over": "6f", "direction": 0}}
    book = rulebook(data)
    poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, {"id": "hornet", "kind": "hornet", "x": 6, "y": 0}]
    frames = [{"poses": [*poses, {"id": "other", "kind": "hornet", "x": 4 * at - 80, "y": 0}]} for at in range(24)]
    played = recording(book, frames, reactions="raw")
    rules = book.rules(played.rate)
    header, log = perfect_log(rules, played)
    assert any(claim["event"] == "over" for frame in log for claim in frame.get("claims", ()))
    assert check(rules, logged(book, header, log))[0].findings == ()


def test_one_that_returns_has_no_velocity_yet() -> None:
    """The keeper falls until it dies, and in the frame of its return nothing says that it falls."""
    data = sting(keeper={"health": 1, "respawn": {"after": 5, "at": "here"}})
    stomp = {"role": "hitbox", "attack": "stomp", "rect": [10, 10], "mask": ["hive"]}
    data["kinds"]["keeper"]["boxes"]["feet"] = stomp
    data["kinds"]["drum"] = {"health": 9, "boxes": {"skin": {"role": "hurtbox", "rect": [300, 300], "layer": ["hive"]}}}
    data["attacks"]["stomp"] = {"damage": 1, "rehit": "50f", "if": {"falling": True}}
    data["space"] = {"up": "-y"}
    book = rulebook(data)
    frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 5 * at},
                         {"id": "hornet", "kind": "hornet", "x": 0 if at == 0 else 400, "y": 0, "cut": True},
                         {"id": "drum", "kind": "drum", "x": 0, "y": 30}]} for at in range(20)]  # fmt: skip
    played = recording(book, frames, reactions="raw")
    rules = book.rules(played.rate)
    assert check(rules, logged(book, *perfect_log(rules, played)))[0].findings == ()


def test_the_command_writes_it(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("replay", "swarm.toml", "volley.stage.toml", "--recording", tmp_path / "log.jsonl", cwd=apiary)
    assert done.returncode == 0, done.stderr
    assert json.loads((tmp_path / "log.jsonl").read_text().splitlines()[0])["reactions"] == "baked"
    checked = here("check", "swarm.toml", tmp_path / "log.jsonl", cwd=apiary)
    assert checked.returncode == 0, checked.stdout


def test_the_page_of_findings_is_the_table_in_use() -> None:
    text = (Path(__file__).parents[2] / "docs" / "findings.md").read_text(encoding="utf-8")
    groups = [line.split("|") for line in text.splitlines() if line.startswith("| ") and "`voskar why" in line]
    assert [(row[1].strip(), row[2].strip(" `"), row[3].strip()) for row in groups] == [
        (entry.seen, code, entry.words) for code, entry in CODES.items()
    ]
