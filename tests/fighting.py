"""Rules of fights, put into random rulebooks and recordings: conditions, cases, counters, damage."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from hypothesis import strategies as st

from tests import strategies

TAGS = ["air", "low"]
COMPARISONS = st.sampled_from([">= 2", "> 3", "< 2", "<= 0", "== 4", [">= 1", "< 5"]])
COUNTERS = ["honey", "guard", "wax"]
counters = st.sampled_from(COUNTERS)
some_frames = st.integers(1, 4)
factors = st.sampled_from([0, 0.5, 1, 1.5, 0.1])


def _now_and_then(draw: Any, often: int = 2) -> bool:
    return not draw(st.integers(0, often))


def _some(draw: Any, choices: dict[str, Any], often: int = 3) -> dict[str, Any]:
    """Some of these keys, with drawn values."""
    return {key: draw(values) for key, values in choices.items() if _now_and_then(draw, often)}


@st.composite
def state_conditions(draw: Any, often: int = 3) -> dict[str, Any]:
    """A condition of a box."""
    return _some(
        draw,
        {
            "tags": st.lists(st.sampled_from(TAGS), min_size=1, max_size=2, unique=True),
            "no_tags": st.lists(st.sampled_from(TAGS), min_size=1, max_size=1),
            "counters": st.dictionaries(counters, COMPARISONS, min_size=1, max_size=2),
            "health": st.sampled_from(["< 50%", ">= 2", ["> 0", "<= 100%"]]),
            "stunned": st.booleans(),
        },
        often,
    )


@st.composite
def actor_conditions(draw: Any) -> dict[str, Any]:
    """A condition on an actor."""
    windows = st.dictionaries(st.sampled_from(["walk", "bite"]), st.sampled_from(["", "0", "1-2"]), min_size=1)
    fields = {
        "during": windows,
        "not_during": windows,
        "immune": st.booleans(),
        "kinds": st.lists(st.sampled_from(["ant", "bee", "cub"]), min_size=1, max_size=2, unique=True),
    }
    return draw(state_conditions(5)) | _some(draw, fields, 6)


@st.composite
def contact_conditions(draw: Any) -> dict[str, Any]:
    """A condition on a contact; often one that always holds."""
    if _now_and_then(draw, 3):
        return {}
    boxes = st.lists(st.sampled_from(["head", "tail", "jaw", "heart", "wing"]), min_size=1, max_size=3, unique=True)
    return _some(
        draw,
        {
            "attacker": actor_conditions(),
            "target": actor_conditions(),
            "hitbox": boxes,
            "hurtbox": boxes,
            "falling": st.booleans(),
            "ally": st.booleans(),
            "from": st.lists(strategies.places, min_size=1, max_size=3, unique=True),
        },
        3,
    )


@st.composite
def consequences(draw: Any) -> dict[str, Any]:
    """What hits do in fights."""
    amounts = st.sampled_from([1, -2, 3, "damage", "-damage", "unscaled", "-unscaled"])
    poison = st.fixed_dictionaries(
        {"damage": st.sampled_from([1, 0.5, -1]), "every": some_frames, "times": st.integers(1, 3)},
        optional={"stacking": st.sampled_from(["renew", "add", "ignore"])},
    )
    return _some(
        draw,
        {
            "damage": st.sampled_from([1, 0.5, -1]),
            "lifesteal": st.sampled_from([0.5, 1]),
            "gives": st.dictionaries(counters, amounts, min_size=1, max_size=2),
            "lives": st.sampled_from([1, -1]),
            "over_time": poison,
            "stun": some_frames,
            "stun_mode": st.sampled_from(["longest", "set", "add"]),
            "iframes": some_frames,
            "iframes_mode": st.sampled_from(["longest", "set", "add"]),
            "remove": st.just(True),
            "reflect": st.fixed_dictionaries(
                {"way": st.sampled_from(["back", "mirror", "heading"])},
                optional={"layer": strategies.layer_lists, "mask": strategies.layer_lists},
            ),
            "launch": st.sampled_from([{"ahead": 60}, {"away": 30, "up": 60}, {"away": 60, "ahead": 9, "mode": "add"}]),
        },
        4,
    )


@st.composite
def clashes(draw: Any) -> dict[str, Any]:
    """What a clash does."""
    tables = {
        "attacker": st.sampled_from([{"remove": True}, {"stun": 3}, {"gives": {"honey": 1}}, {"damage": 1}]),
        "winner": st.sampled_from([{"stun": 2}, {"iframes": 2}, {"gives": {"guard": -4}}, {"damage": -1}]),
    }
    return _some(draw, {"hitstop": some_frames, **tables}, 1)


@st.composite
def cases(draw: Any) -> list[dict[str, Any]]:
    """A few, by name."""
    found = []
    for name in draw(st.lists(st.sampled_from(["soft", "hard", "back"]), max_size=2, unique=True)):
        case: dict[str, Any] = {"name": name, "if": draw(contact_conditions())}
        case |= _some(
            draw,
            {
                "damage": st.sampled_from([2, 0, [1, 4]]),
                "scale": factors,
                "hitstop": st.integers(0, 4),
                "attacker": consequences(),
                "target": consequences(),
                "goes_on": st.booleans(),
                "lands": st.booleans(),
            },
        )
        found.append(case)
    return found


@st.composite
def own_counters(draw: Any) -> dict[str, Any]:
    """Counters of a kind."""
    found: dict[str, Any] = {}
    for name in draw(st.lists(counters, max_size=2, unique=True)):
        counter = _some(
            draw,
            {
                "start": st.sampled_from([0, 2, 4]),
                "max": st.sampled_from([4, 5]),
                "absorbs": st.booleans(),
                "on_min": limits(),
                "on_max": limits(),
                "reset_if": actor_conditions(),
            },
            2,
        )
        if draw(st.booleans()):
            amount = draw(st.sampled_from([1, 0.5, -1]))
            counter["regen"] = {"amount": amount, "every": draw(some_frames), "after": draw(st.integers(0, 3))}
        found[name] = counter
    return found


@st.composite
def limits(draw: Any) -> dict[str, Any]:
    """What a counter does that has come to a limit."""
    return _some(
        draw,
        {
            "stun": some_frames,
            "iframes": some_frames,
            "gives": st.dictionaries(counters, st.sampled_from([1, 4]), min_size=1, max_size=1),
            "knockback": st.just({"distance": 3, "over": 2}),
            "launch": st.just(60),
        },
        1,
    )


@st.composite
def rulebooks(draw: Any, base: Any) -> dict[str, Any]:
    """One of `base` with rules of fights in it."""
    data = deepcopy(draw(base))
    data["contact"] = data.get("contact", {}) | {
        "round_damage": draw(st.sampled_from(["none", "floor", "nearest", "ceil"]))
    }
    if _now_and_then(draw):
        data["contact"]["clash"] = draw(st.sampled_from([{"one": ["one"]}, {"two": ["one"]}, {"one": ["one", "two"]}]))
    deep = _now_and_then(draw)
    data["contact"]["order"] = draw(st.sampled_from(["id", "recorded"]))
    for kind in data["kinds"].values():
        kind["tags"] = TAGS
        if kind.get("lives") and _now_and_then(draw):
            kind["spare_lives"] = kind.pop("lives") - 1
        if _now_and_then(draw):
            kind["extra_life"] = {"score": draw(st.sampled_from([30, 50])), "repeats": draw(st.booleans())}
        for down in [kind["down"]] if "down" in kind else []:
            down["keeps_push"] = draw(st.booleans())
            for child in down.get("spawn", []):
                child["moves_at_once"] = draw(st.booleans())
        if _now_and_then(draw):
            kind["counters"] = draw(own_counters())
        if _now_and_then(draw, 3):
            kind["cases"] = draw(cases())
        kind |= _some(draw, {"resistance": st.just({"fire": draw(factors)}), "max_lives": st.integers(1, 3)})
        if "clips" in kind and _now_and_then(draw, 3):
            kind["clips"]["walk"] = kind["clips"]["walk"] | {"iframes": draw(st.sampled_from(["0", "1-2"]))}
        for box in kind["boxes"].values():
            if box["role"] == "hitbox" and "clash" in data["contact"]:
                box["layer"] = draw(strategies.layer_lists)
            if box["role"] != "body" and deep:
                box["depth"] = draw(st.sampled_from([[-1, 1], [0, 2], [-3, 0]]))
            if box["role"] != "body" and _now_and_then(draw, 4):
                box["if"] = draw(state_conditions())
        for emitter in kind.get("emitters", {}).values():
            if _now_and_then(draw, 4):
                emitter["speed"] = [60, 180]
            if _now_and_then(draw, 4):
                emitter["if"] = draw(actor_conditions())
    for name, attack in data["attacks"].items():
        if name == "burn":
            continue
        by_counter = st.fixed_dictionaries(
            {
                "of": st.sampled_from(["attacker", "target"]),
                "counter": counters,
                "factors": st.sampled_from([[1, 0.5], [1, 0.9, 0.1, 0], [2]]),
            }
        )
        attack |= _some(
            draw,
            {
                "if": contact_conditions(),
                "cases": cases(),
                "damage": st.sampled_from([1, 2, [1, 3], [-2, -1], 1.5]),
                "damage_type": st.just("fire"),
                "by_counter": by_counter,
                "min_damage": st.sampled_from([0.5, 1]),
                "strength": st.integers(0, 1),
                "clash": clashes(),
                "hitstop": some_frames,
                "hitstop_on": st.sampled_from(["both", "both", "attacker", "target", "all"]),
            },
        )
        for side in ("attacker", "target"):
            if _now_and_then(draw):
                attack[side] = attack.get(side, {}) | draw(consequences())
    return data


@st.composite
def tagged(draw: Any, frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same frames with tags, and at some depth."""
    found = []
    for frame in frames:
        poses = [
            pose
            | ({"tags": draw(st.lists(st.sampled_from(TAGS), unique=True))} if draw(st.booleans()) else {})
            | ({"z": draw(st.sampled_from([1, -2, 2.5]))} if _now_and_then(draw) else {})
            for pose in frame["poses"]
        ]
        found.append(frame | {"poses": poses})
    return found
