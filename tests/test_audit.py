"""Each check of the audit finds its mistake, and nothing in a sound rulebook."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.audit import CHECKS, audit


def found(data: dict[str, Any], frames: list[dict[str, Any]] | None = None, **header: Any) -> set[str]:
    book = rulebook(data)
    played = [recording(book, frames, **header)] if frames else []
    findings = audit(book, played)
    for finding in findings:
        assert finding.reason
        assert finding.remedy
    return {entry.name for entry in findings}


def sound() -> dict[str, Any]:
    """A rulebook in which nothing is wrong."""
    data = sting(contact={"detect": "hitbox"}) | {"layers": {"names": ["keeper"]}}
    data["kinds"]["keeper"]["iframes"] = 20
    return data


def change(data: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    *steps, last = path.split(".")
    table = data
    for step in steps:
        table = table.setdefault(step, {})
    table[last] = value
    return data


RULES = [
    ("layer-unused", "layers.names", ["keeper", "spare"]),
    ("layer-unused", "kinds.hornet.boxes.sting.mask", ["keeper", "spare"]),
    ("layer-unused", "kinds.hornet.boxes.sting.mask", []),
    ("one-sided", "contact.detect", "both"),
    ("one-sided", "contact.detect", "hurtbox"),
    ("never-meets", "kinds.hornet.boxes.sting.mask", []),
    ("attack-unused", "attacks.bash", {"damage": 1}),
    ("cell-past-end", "kinds.hornet.boxes.sting.during", {"dive": "2-4"}),
    ("cell-past-end", "kinds.hornet.boxes.sting.keys", {"dive": [{"cell": 4}]}),
    ("part-of-a-frame", "kinds.keeper.iframes", "250.1ms"),
    ("drained", "kinds.keeper.iframes", 0),
    ("entry-lost", "attacks.sting.rehit", "entry"),
    ("launch-adds", "attacks.sting", {"if": {"falling": True}, "attacker": {"launch": {"up": 9, "mode": "add"}}}),
    ("out-of-proportion", "kinds.keeper.boxes.torso.at", [500, 0]),
    ("meets-broken", "layers.meets", {}),
    ("never-given", "attacks.sting.if", {"attacker": {"counters": {"wax": ">= 1"}}}),
    ("no-health", "kinds.hornet.boxes.sting.if", {"health": "< 50%"}),
    ("no-bounds", "kinds.hornet.boxes.sting.within_bounds", True),
    ("idle-key", "kinds.hornet.stun_disarms", True),
    ("idle-key", "attacks.sting.rehit_group", "sweep"),
    ("idle-key", "attacks.sting.target", {"pierce": 2}),
    ("idle-key", "kinds.hornet.boxes.sting.rank", 2),
    ("idle-key", "kinds.hornet.boxes.sting.keys", {"dive": [{"cell": 1}, {"cell": 1}]}),
    ("idle-key", "attacks.sting", {"if": {"from": ["above"], "not_from": ["above", "below"]}}),
    ("clip-misspelt", "kinds.hornet.boxes.sting.during", {"dvie": "0"}),
    ("out-of-proportion", "kinds.keeper.boxes.crate", {"role": "body", "rect": [3000, 30]}),
]


def test_every_lost_entry_is_told() -> None:
    data = change(sound(), "attacks.sting.rehit", "entry")
    data["attacks"]["bite"] = {"damage": 1, "rehit": "entry"}
    box = {"role": "hitbox", "attack": "bite", "circle": 3, "mask": ["keeper"]}
    data["kinds"]["waxling"] = {"side": "hive", "boxes": {"jaw": box}}
    book = rulebook(data)
    texts = [finding.key for finding in audit(book, []) if finding.name == "entry-lost"]
    assert texts == ["attacks.bite", "attacks.sting"]


GUN = {"spawn": "puff", "when": {"press": "fire"}}
MOVED = [
    ("endless", {}, {}),
    ("", {}, {"life": 9}),
    ("", {"limit": 3}, {}),
    ("skips", {"speed": 1200}, {"life": 9}),
    ("", {"speed": 540}, {"life": 9}),  # 9 units a frame, and the torso is 10 thick
    ("limit-idle", {"limit": 3, "cooldown": 3}, {"life": 9}),
    ("", {"limit": 2, "cooldown": 3}, {"life": 9}),
    ("limit-idle", {"limit": 2, "count": 3}, {"life": 9}),
    ("limit-idle", {"limit": 1, "when": {"every": 9}}, {"life": 9}),
    ("doubled", {"count": 4, "spread": 360}, {"life": 9}),
    ("unbounded", {}, {"life": 9, "at_edge": "wrap"}),
    ("unbounded", {}, {"life": 9, "on_solid": "stop"}),
]


@pytest.mark.parametrize(("name", "emitter", "motion"), MOVED)
def test_what_is_set_in_motion(name: str, emitter: dict[str, Any], motion: dict[str, Any]) -> None:
    data = sound()
    data["kinds"]["hornet"]["emitters"] = {"spit": {**GUN, **emitter}}
    box = {"role": "hitbox", "attack": "sting", "circle": 1, "mask": ["keeper"], "swept": False}
    data["kinds"]["puff"] = {"side": "hive", "motion": motion, "boxes": {"core": box}}
    assert found(data) == ({name} if name else set())


def test_boxes_that_a_game_logs() -> None:
    data = change(sound(), "layers.meets", {"hive": ["keeper"]})
    data["layers"]["names"] = ["keeper", "hive"]
    box = {"role": "hitbox", "attack": "sting", "logged": True, "layer": ["hive"]}
    data["kinds"]["hornet"]["boxes"]["sting"] = box
    assert found(data) == set()
    assert found(data, brush({"hornet-1": "...."})) == {"never-logged"}
    frames = brush({"hornet-1": "...."})
    for pose in frames[2]["poses"]:
        pose |= {"boxes": {"sting": [0, 0, 1, 1]}} if pose["kind"] == "hornet" else {}
    assert found(data, frames) == set()
    data["fixtures"] = [{"kind": "hornet", "at": [90, 0]}]
    assert found(data) == {"never-logged"}


HURTS: list[tuple[str, Any]] = [
    ("attacks.sting", {"target": {"over_time": {"damage": 1, "every": 5, "times": 3}}}),
    ("attacks.sting", {"cases": [{"name": "soft", "if": {}, "damage": 1}]}),
    ("attacks.sting", {"damage": 99, "cases": [{"name": "soft", "if": {}, "scale": 0.1}]}),
    ("attacks.sting", {"damage": 99, "by_counter": {"of": "attacker", "counter": "wax", "factors": [0.1, 1]}}),
    ("kinds.keeper.cases", [{"name": "thorns", "if": {}, "target": {"damage": 1}}]),
]


@pytest.mark.parametrize(("path", "value"), HURTS)
def test_health_is_of_use_where_anything_takes_some(path: str, value: Any) -> None:
    data = change(sound(), "attacks.sting", {"damage": 0})
    assert "health-idle" in found(data)
    assert "health-idle" not in found(change(data, path, value))


def test_a_counter_that_is_there_from_the_start_needs_nobody_to_give_it() -> None:
    data = change(sound(), "attacks.sting.if", {"attacker": {"counters": {"wax": ">= 1"}}})
    data["kinds"]["hornet"]["counters"] = {"wax": {"start": 3}}
    assert found(data) == set()
    data["kinds"]["keeper"]["counters"] = {"guard": {"start": 3, "absorbs": True}}
    data["kinds"]["keeper"]["respawn"] = {"after": 5, "keeps": ["guard"]}
    assert found(data) == set()


def test_inputs_budgets_and_what_multiplies() -> None:
    data = sound()
    data["kinds"]["hornet"]["emitters"] = {"spit": {**GUN, "when": {"hold": "fire"}}}
    data["kinds"]["puff"] = {"motion": {"life": 99}}
    frames = brush({"hornet-1": "....."})
    assert found(data, frames) == {"input-unseen"}
    held = [frame | {"inputs": [{"id": "hornet-1", "button": "fire"}]} for frame in frames]
    assert found(data, held) == set()
    book = rulebook(data)
    assert [finding.name for finding in audit(book, [recording(book, held)], budget=4)] == ["over-budget"]
    data["kinds"]["puff"]["down"] = {"spawn": [{"kind": "crumb"}]}
    data["kinds"]["crumb"] = {"down": {"spawn": [{"kind": "puff"}]}}
    assert found(data) == {"multiplies"}


def test_a_sound_rulebook_has_no_findings() -> None:
    assert found(sound()) == set()
    assert found(sound(), brush({"hornet": "####"})) == set()


@pytest.mark.parametrize(("name", "path", "value"), RULES)
def test_rules(name: str, path: str, value: Any) -> None:
    data = change(sound(), "kinds.hornet.clips", {"dive": {"cells": 4}})
    if "spare" in str(value):
        data["layers"]["names"] = ["keeper", "spare"]
    assert name in found(change(data, path, value))


def posed(kind: str = "hornet", **fields: Any) -> list[dict[str, Any]]:
    """Two frames of a keeper and one more, which moves 40 units."""
    return [
        {
            "poses": [
                {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
                {"id": "other", "kind": kind, "x": 40 * step, "y": 0, **fields},
            ]
        }
        for step in (0, 1)
    ]


def test_recordings() -> None:
    assert found(sound(), posed(), up="+y") == {"up-differs", "tunnels"}
    assert found(change(sound(), "kinds.hornet.boxes.sting.swept", True), posed()) == set()
    wraps = change(change(sound(), "space", {"bounds": [0, -50, 45, 50]}), "kinds.hornet.wraps", True)
    assert "tunnels" not in found(wraps, posed())  # 5 units, over the edge
    assert "tunnels" not in found(sound(), [frame | {"reset": "room"} for frame in posed()])
    timed = change(sound(), "kinds.hornet.boxes.sting.during", {"dive-left": "1-2"})
    assert found(timed, posed(clip="hover", tick=0)) == {"clip-unshown", "tunnels"}
    assert found(timed, posed(clip="dive-right", tick=0)) == {"clip-unshown", "clip-unknown", "tunnels"}
    assert found(timed, posed(clip="dive-left", tick=0)) == {"never-open", "tunnels"}
    logged = change(sound(), "kinds.keeper.boxes.torso", {"role": "hurtbox", "logged": True, "layer": ["keeper"]})
    shown = posed()
    for frame in shown:
        frame["poses"][0]["boxes"] = {"torso": [-5, -5, 5, 5]}
    assert found(logged, shown) == set()  # how large it is the rulebook does not tell
    kin = change(sound(), "kinds.hornet.side", "keeper")
    assert found(kin, brush({"hornet": "##"})) == {"friends-touch", "health-idle"}


def test_stomps_and_swings() -> None:
    data = change(sound(), "attacks.stomp", {"damage": 1, "if": {"from": ["above"]}})
    data["layers"]["names"] = ["keeper", "hive"]
    change(data, "kinds.keeper.boxes.feet", {"role": "hitbox", "attack": "stomp", "rect": [4, 4], "mask": ["hive"]})
    shell = {"role": "hurtbox", "rect": [4, 4], "layer": ["hive"]}
    assert found(change(data, "kinds.hornet.boxes.shell", shell)) == {"stomp-unguarded"}
    # a harmless attack of the same kind does not hide the one that hurts
    data["attacks"]["wind"] = {}
    wind = {"role": "hitbox", "attack": "wind", "rect": [4, 4], "mask": ["keeper"]}
    assert found(change(data, "kinds.hornet.boxes.wings", wind)) == {"stomp-unguarded"}
    assert found(change(data, "attacks.stomp.preempts", True)) == set()
    swing = change(sound(), "kinds.hornet.boxes.sting.during", {"dive": "2-4,6-9"})
    assert found(change(swing, "attacks.sting", {"damage": 1, "target": {"iframes": 3}})) == {"iframes-short"}
    assert found(change(swing, "attacks.sting", {"damage": 1, "target": {"iframes": 7}})) == set()
    push = change(sound(), "attacks.sting.target", {"knockback": {"distance": 1, "over": "2f"}})
    assert found(push, brush({"hornet": "###"})) == set()
    assert found(push, brush({"hornet": "####"})) == {"knockback-short"}


LIVES = {"health": 3, "lives": 2, "respawn": {"after": "9f", "at": [200, 0], "iframes": 30}}
HORNET = [{"kind": "hornet", "at": [200, 0]}]
BACK = [
    ("", {}, []),
    ("respawn-hazard", {"respawn": {"at": [200, 0], "iframes": 9}}, HORNET),
    ("respawn-hazard", {"respawn": {"at": [200, 0], "iframes": 9, "if_unsafe": "wait"}}, HORNET),
    ("", {"respawn": {"at": [240, 0], "iframes": 9}}, HORNET),
    ("respawn-naked", {"respawn": {"at": [225, 0]}}, HORNET),
    ("", {"respawn": {"at": [240, 0]}}, HORNET),
    ("down-outlasts", {"down": {"lasts": "10f"}}, []),
    ("", {"down": {"lasts": "9f"}}, []),
    ("life-late", {"down": {"lasts": "9f", "life_after": "10f"}}, []),
    ("", {"down": {"lasts": "9f", "life_after": "9f"}}, []),
    ("life-late", {"down": {"lasts": "2f", "life_after": "3f"}}, []),
    ("", {"down": {"lasts": "2f", "life_after": "3f", "out_after": "3f"}}, []),
    ("idle-key", {"respawn": {"after": "9f", "at": [200, 0], "iframes": 30, "clearance": 4}}, []),
    ("lives-idle", {"respawn": None}, []),
    ("", {"respawn": None, "succession": True}, []),
    ("lives-idle", {"health": None}, []),
    ("health-idle", {"iframes": 20, "health": 1.5, "boxes": {}}, []),
]


@pytest.mark.parametrize(("name", "keeper", "fixtures"), BACK)
def test_lives(name: str, keeper: dict[str, Any], fixtures: list[dict[str, Any]]) -> None:
    data = sound() | {"fixtures": fixtures}
    merged = {**data["kinds"]["keeper"], **LIVES, **keeper}
    if keeper.get("boxes") == {}:
        merged["boxes"] = sound()["kinds"]["keeper"]["boxes"]
        data["attacks"]["sting"]["damage"] = 1.5
    data["kinds"]["keeper"] = {key: value for key, value in merged.items() if value is not None}
    assert found(data) == ({name} if name else set())


def test_waits_doubles_and_traps() -> None:
    data = sound()
    data["kinds"]["keeper"] |= LIVES | {"respawn": {"if_unsafe": "wait"}}
    data["attacks"]["sting"]["damage"] = -1
    assert found(data) == {"wait-idle", "health-idle"}
    data = sound()
    data["kinds"]["keeper"] |= LIVES | {"respawn": {"resets": "room", "iframes": 9}}
    data["attacks"]["wax"] = {"target": {"gives": {"honey": 1}}, "attacker": {"remove": True}}
    wax = {"role": "hitbox", "attack": "wax", "circle": 1, "mask": ["keeper"]}
    data["kinds"]["comb"] = {"boxes": {"wax": wax}}
    data["fixtures"] = [{"kind": "comb", "at": [9, 0]}]
    assert found(data) == {"doubles"}
    data["kinds"]["keeper"]["respawn"] |= {"resets": "run", "keeps": ["honey"]}
    assert found(data) == {"doubles"}
    data["kinds"]["keeper"]["respawn"] |= {"keeps": []}
    assert found(data) == set()
    data = sound()
    data["kinds"]["keeper"] |= {"health": 1, "lives": 3, "iframes": 1, "respawn": {"at": [0, 0], "iframes": 2}}
    assert "trap" in found(data, brush({"hornet": ".####"}))
    assert "trap" not in found(data, brush({"hornet": ".#..."}))


def test_every_check_is_tried_here() -> None:
    tried = {name for name, *_ in [*RULES, *MOVED]} - {""}
    tried |= {"input-unseen", "over-budget", "multiplies", "stomp-unguarded", "iframes-short", "knockback-short"}
    tried |= {"up-differs", "tunnels", "clip-unshown", "clip-unknown", "never-open", "friends-touch"}
    tried |= {name for name, *_ in BACK} - {""} | {"wait-idle", "doubles", "trap", "never-logged"}
    assert tried == set(CHECKS)


def test_what_one_recording_does_not_show_another_may() -> None:
    data = change(sound(), "kinds.hornet.boxes.sting.during", {"dive": "0"})
    book = rulebook(data)
    shown, not_shown = brush({"hornet": "#"}), brush({"hornet": "#"})
    shown[0]["poses"][1] |= {"clip": "dive", "cell": 0}
    not_shown[0]["poses"][1] |= {"clip": "rest", "cell": 0}
    played = [recording(book, frames) for frames in (not_shown, shown)]
    assert [finding.name for finding in audit(book, played[:1])] == ["clip-unshown"]
    assert audit(book, played) == []
    assert audit(book, played[:1], allowed=["clip-unshown"]) == []
