"""Random rulebooks and recordings, drawn from few values so that edges meet and frames coincide often."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

LAYERS = ["one", "two"]
ACTORS = {"a-1": "ant", "a-2": "ant", "b-1": "bee", "b-2": "bee", "c-1": "cub", "d-1": "dot"}

steps = st.integers(-3, 3)
sizes = st.integers(1, 8)
places = st.sampled_from(["above", "below", "ahead", "behind"])
layer_lists = st.sampled_from([["one"], ["one"], ["two"], ["one", "two"], []])
POLYGONS = [
    [[0, 0], [4, 0], [0, 4]],
    [[0, 0], [4, 0], [4, 1], [1, 1], [1, 4], [0, 4]],
    [[-2, -2], [0, -1], [2, -2], [1, 0], [2, 2], [0, 1], [-2, 2], [-1, 0]],
    [[0, -3], [2, 0], [0, 3], [-2, 0]],
]
some_frames = st.integers(0, 5)
SPARK = {
    "motion": {"life": 2},
    "boxes": {"glow": {"role": "hitbox", "attack": "burn", "circle": 2, "mask": ["one"]}},
}


@st.composite
def shapes(draw: Any) -> dict[str, Any]:
    """A shape with its offset and turn."""
    name = draw(st.sampled_from(["rect", "rect", "span", "circle", "capsule", "polygon", "pixels"]))
    if name == "capsule":
        shape: dict[str, Any] = {"capsule": [draw(sizes) / 2, draw(st.integers(0, 8))]}
    elif name == "pixels":
        shape = {"pixels": "moth.png", "origin": [draw(steps), draw(steps)], "pixel": draw(st.sampled_from([1, 2]))}
    elif name == "polygon":
        shape = {"polygon": draw(st.sampled_from(POLYGONS))}
    elif name == "rect":
        shape = {"rect": [draw(sizes), draw(sizes)]}
    elif name == "span":
        x, y = draw(steps), draw(steps)
        shape = {"span": [x, y, x + draw(sizes), y - draw(sizes)]}
    else:
        shape = {"circle": draw(sizes) / 2}
    shape |= {"at": [draw(steps), draw(steps)], "turn": draw(st.sampled_from([0, 0, 90, 45, -30]))}
    return shape | ({} if draw(st.booleans()) else {"grow": draw(st.sampled_from([0.5, 1]))})


@st.composite
def windows(draw: Any) -> dict[str, str]:
    """Cells of one of two clips, of which only `walk` is declared."""
    return {draw(st.sampled_from(["walk", "bite"])): draw(st.sampled_from(["0", "1-2", "0-1,3", "2-9"]))}


@st.composite
def box_keys(draw: Any) -> dict[str, Any]:
    """Keys of one clip, in rising cells."""
    found = []
    for cell in sorted(draw(st.sets(st.integers(0, 4), min_size=1, max_size=3))):
        key: dict[str, Any] = {"cell": cell}
        if draw(st.booleans()):
            key["at"] = [draw(steps), draw(steps)]
        if draw(st.booleans()):
            key["turn"] = draw(st.sampled_from([0, 90, 30]))
        if draw(st.booleans()):
            key["stretch"] = [draw(st.sampled_from([0.5, 1, 2])), draw(st.sampled_from([1, 2]))]
        if draw(st.booleans()):
            key["blend"] = draw(st.sampled_from(["hold", "linear"]))
        found.append(key)
    return {draw(st.sampled_from(["walk", "bite"])): found}


@st.composite
def boxes(draw: Any, role: str) -> dict[str, Any]:
    """A box."""
    box = draw(shapes())
    box |= {"layer": draw(layer_lists), "mask": draw(layer_lists), "swept": not draw(st.integers(0, 2))}
    for key, values, often in (("during", windows(), 4), ("except_during", windows(), 6), ("keys", box_keys(), 3)):
        if not draw(st.integers(0, often)):
            box[key] = draw(values)
    if "keys" in box:
        box["blend"] = draw(st.sampled_from(["hold", "linear"]))
    if role == "hitbox":
        return {**box, "role": "hitbox", "attack": draw(st.sampled_from(["jab", "bite"]))}
    return {
        **box,
        "role": "hurtbox",
        "rank": draw(st.integers(0, 1)),
        "damage_scale": draw(st.sampled_from([1, 1, 0, 2])),
    }


@st.composite
def attacks(draw: Any) -> dict[str, Any]:
    """An attack with any of the keys that judging knows."""
    options: dict[str, Any] = {
        "damage": draw(st.sampled_from([1, 1, 2, 0, -1])),
        "priority": draw(st.integers(0, 1)),
        "friendly": not draw(st.integers(0, 3)),
        "hits_owner": draw(st.booleans()),
    }
    if draw(st.booleans()):
        options["rehit"] = draw(st.sampled_from(["once", "entry", "always", "2f", 3, "50ms"]))
    if draw(st.booleans()):
        options["ignores_iframes"] = draw(st.booleans())
    for side in ("attacker", "target"):
        if draw(st.booleans()):
            options[side] = draw(consequences())
    if not draw(st.integers(0, 2)):
        asked = {"falling": draw(st.booleans()), "from_by": draw(st.sampled_from(["edge", "centre"]))}
        asked[draw(st.sampled_from(["from", "not_from"]))] = draw(st.lists(places, min_size=1, unique=True))
        options |= {"preempts": draw(st.booleans()), "if": asked}
    return options


@st.composite
def consequences(draw: Any) -> dict[str, Any]:
    """What a hit does to one side; mostly one thing."""
    table: dict[str, Any] = {"iframes": draw(some_frames)} if draw(st.booleans()) else {}
    for key, values, often in (
        ("stun", some_frames, 4),
        ("knockback", knockbacks(), 1),
        ("launch", st.sampled_from([60, {"up": 300}, {"up": 60, "mode": "add"}]), 3),
        ("remove", st.just(True), 4),
        ("pierce", st.integers(0, 2), 3),
        ("consumed_by", st.lists(st.sampled_from(["landed", "immune", "repeat"]), min_size=1, unique=True), 4),
        ("home", st.just(True), 6),
        ("checkpoint", st.just(True), 8),
        ("gives", st.just({"honey": 2}), 8),
        ("goal", st.just(True), 30),
        ("spawn", st.just("spark"), 8),
    ):
        if not draw(st.integers(0, often)):
            table[key] = draw(values)
    return table


@st.composite
def knockbacks(draw: Any) -> dict[str, Any]:
    """Any push."""
    return {
        "distance": draw(st.sampled_from([2, 3, 6])),
        "over": draw(st.integers(1, 4)),
        "ease": draw(st.sampled_from(["even", "fade"])),
        "direction": draw(st.sampled_from(["away", "flat", "facing", "travel", 90, 0])),
        "mode": draw(st.sampled_from(["set", "add"])),
        **draw(st.sampled_from([{}, {}, {"bounces": 0.5}, {"bounces": 1, "bounce_times": 3}])),
    }


@st.composite
def kinds(draw: Any) -> dict[str, Any]:
    """A kind with up to four boxes."""
    roles = {"head": "hitbox", "tail": "hurtbox", "wing": "hitbox", "back": "hurtbox"}
    names = draw(st.sampled_from([["head", "tail"], ["tail", "head"], ["back", "tail", "wing"], [*roles], ["tail"]]))
    walk = {"cells": draw(st.integers(1, 4)), "loop": draw(st.booleans())}
    if draw(st.booleans()):
        walk["rate"] = draw(st.sampled_from([30, 60, 12.5, 120]))
    kind: dict[str, Any] = {
        "clips": {"walk": walk},
        "iframes": draw(some_frames),
        "boxes": {name: draw(boxes(roles[name])) for name in names},
    }
    if not draw(st.integers(0, 4)):
        kind |= {"weight": 2, "bounce": 1.5}
    health = draw(st.sampled_from([1, 2, 4, None]))
    if health:
        kind["health"] = health
    if health and draw(st.booleans()):
        kind |= draw(lives())
    if not draw(st.integers(0, 2)):
        kind["side"] = draw(st.sampled_from(["left", "right"]))
    return kind


@st.composite
def lives(draw: Any) -> dict[str, Any]:
    """How a kind goes down and comes back."""
    down = {"lasts": draw(st.integers(0, 2)), "worth": draw(st.sampled_from([0, 50])), "hide": draw(st.booleans())}
    kind: dict[str, Any] = {"down": down, "succession": not draw(st.integers(0, 3))}
    if draw(st.booleans()):
        kind["lives"] = draw(st.integers(1, 3))
    if draw(st.integers(0, 3)):
        kind["respawn"] = respawn = {}
        for key, values, often in (
            ("after", st.integers(0, 3), 1),
            ("needs", st.sampled_from(["fire", "bomb"]), 5),
            ("at", st.sampled_from(["here", "checkpoint", [1, 2], [0, 0]]), 1),
            ("if_unsafe", st.just("wait"), 1),
            ("iframes", st.integers(1, 3), 1),
            ("resets", st.sampled_from(["pair", "room", "run"]), 1),
            ("keeps", st.just(["honey"]), 2),
        ):
            if not draw(st.integers(0, often)):
                respawn[key] = draw(values)
    return kind


@st.composite
def goals(draw: Any) -> dict[str, Any]:
    """Mostly none."""
    goal: dict[str, Any] = {}
    if not draw(st.integers(0, 7)):
        goal["survive"] = draw(st.integers(1, 9))
    if not draw(st.integers(0, 7)):
        goal["clear"] = draw(st.lists(st.sampled_from(["ant", "bee", "cub"]), min_size=1, max_size=2))
    return goal


@st.composite
def rulebooks(draw: Any) -> dict[str, Any]:
    """A whole rulebook as data."""
    return {
        "layers": {"names": LAYERS},
        "contact": {
            "detect": draw(st.sampled_from(["either", "both", "hitbox", "hurtbox"])),
            "same_frame": draw(st.sampled_from(["first", "all"])),
            "edges_touch": draw(st.booleans()),
            "health_check": draw(st.sampled_from(["frame_end", "at_once"])),
            "linger": draw(st.sampled_from([0, 0, 2])),
        },
        "kinds": {name: draw(kinds()) for name in ("ant", "bee", "cub", "dot")} | {"spark": SPARK},
        "goal": draw(goals()),
        # no hit effect of its own: a spark whose hits make sparks would never end
        "attacks": {name: draw(attacks()) for name in ("jab", "bite")} | {"burn": {"damage": 1}},
    }


@st.composite
def deadly_rulebooks(draw: Any, driving: bool = False) -> dict[str, Any]:
    """A rulebook by which many go down, and most come back."""
    data = draw(driving_rulebooks() if driving else rulebooks())
    for name, attack in data["attacks"].items():
        attack |= {"damage": draw(st.sampled_from([1, 2]))}
        attack["hits_owner"] = True
        if name == "jab":
            data["attacks"][name] = {key: attack[key] for key in ("damage", "priority", "hits_owner")}
    data["kinds"]["dot"]["boxes"] = {}
    data["kinds"]["cub"].pop("emitters", None)  # fans of fans grow too fast for the reference model
    for name in ("ant", "bee", "cub"):
        kind = data["kinds"][name]
        kind["boxes"] = {}  # two plain boxes: the reference model is slow, and shapes are not what this is about
        kind |= {"health": draw(st.integers(1, 2)), "iframes": draw(st.integers(0, 1))} | draw(lives())
        kind["boxes"]["jaw"] = {"role": "hitbox", "attack": "jab", "circle": 3, "mask": ["one"]}
        kind["boxes"]["heart"] = {"role": "hurtbox", "rect": [4, 4], "layer": ["one"]}
    return data


@st.composite
def driving_rulebooks(draw: Any) -> dict[str, Any]:
    """A rulebook that sets something in motion."""
    data = draw(rulebooks())
    corners = st.sampled_from([-9, -5, -2, 0, 2, 4, 9])
    solids = []
    for _ in range(draw(st.integers(0, 2))):
        x, y = draw(corners), draw(corners)
        layer = draw(st.sampled_from([[], ["one"]]))
        solids.append({"rect": [x, y, x + draw(sizes), y + draw(sizes)], "layer": layer})
    data["space"] = {"bounds": [-8, -8, 8, 8], "gravity": 3600, "up": draw(st.sampled_from(["-y", "+y"]))}
    data["space"]["solids"] = solids
    kinds = data["kinds"]
    for name, kind in kinds.items():
        kind["motion"] = draw(motions(spins=name != "ant"))
        if name == "ant" and draw(st.booleans()):
            size = [2 * draw(st.integers(1, 2)), 2]
            place = [draw(steps), draw(steps)]
            kind["boxes"]["hull"] = {"role": "body", "rect": size, "at": place, "mask": draw(layer_lists)}
        if draw(st.booleans()):
            kind["down"] = kind.get("down", {}) | draw(goings([text for text in ("cub", "dot") if text != name]))
        for label in draw(st.sampled_from([[], ["gun"], ["gun", "arm"]])) if name != "dot" else []:
            kind.setdefault("emitters", {})[label] = draw(emitters("dot" if name == "cub" else "cub"))
            if name == "cub":  # what is fired fires only now and then: the reference model goes through all pairs
                kind["emitters"][label] |= {"when": {"every": 3, "first": draw(st.integers(0, 2))}, "count": 1}
    data["fixtures"] = draw(st.lists(fixtures(), max_size=3))
    return data


@st.composite
def fixtures(draw: Any) -> dict[str, Any]:
    """Something placed; with a velocity of its own at times."""
    fixture = {"kind": draw(st.sampled_from(["ant", "cub", "dot"])), "at": [draw(steps), draw(steps)]}
    if draw(st.booleans()):
        fixture["velocity"] = [60 * draw(steps), 60 * draw(steps)]
    return fixture | {"facing": draw(st.sampled_from([1, -1]))}


@st.composite
def motions(draw: Any, spins: bool = True) -> dict[str, Any]:
    """How driven actors of a kind move."""
    motion: dict[str, Any] = {"velocity": [60 * draw(steps), 60 * draw(steps)]}
    for key, values, often in (
        ("acceleration", st.sampled_from([[3600, 0], [0, -7200]]), 3),
        ("gravity", st.sampled_from([1, 0.5]), 3),
        ("drag", st.sampled_from([6, 100]), 5),
        ("spin", st.sampled_from([60, 5400] if spins else [0]), 3),
        ("max_speed", st.sampled_from([60, 150]), 4),
        ("life", st.sampled_from([1, 2, 4]), 1),
        ("at_edge", st.sampled_from(["remove", "wrap", "bounce", "stop"]), 1),
        ("on_solid", st.sampled_from(["remove", "bounce", "stop", "turn"]), 1),
        ("bounces", st.integers(0, 2), 2),
        ("bounciness", st.sampled_from([0.5, 1]), 2),
        ("clip", st.sampled_from(["walk", "bite"]), 1),
    ):
        if not draw(st.integers(0, often)):
            motion[key] = draw(values)
    return motion


@st.composite
def fans(draw: Any) -> dict[str, Any]:
    """What is spawned in one go."""
    fan: dict[str, Any] = {}
    for key, values in (
        ("count", st.integers(1, 2)),
        ("spread", st.sampled_from([90, 180])),
        ("jitter", st.sampled_from([10, 180])),
        ("speed", st.sampled_from([0, 60, 240])),
        ("inherit", st.sampled_from([1, 0.5])),
    ):
        if draw(st.booleans()):
            fan[key] = draw(values)
    return fan


@st.composite
def goings(draw: Any, kinds: list[str]) -> dict[str, Any]:
    """What becomes of a kind that goes down."""
    going: dict[str, Any] = {"lasts": draw(st.integers(0, 2)), "hide": draw(st.booleans())}
    if draw(st.booleans()):
        going["motion"] = draw(motions())
    going["spawn"] = [{"kind": item, **draw(fans())} for item in draw(st.lists(st.sampled_from(kinds), max_size=2))]
    return going


@st.composite
def emitters(draw: Any, kind: str) -> dict[str, Any]:
    """An emitter of a kind, with any trigger."""
    button = draw(st.sampled_from(["fire", "bomb"]))
    whens: list[dict[str, Any]] = [{draw(st.sampled_from(["press", "release", "hold"])): button}]
    whens += [{"every": draw(st.integers(1, 4))}, {"every": 3, "first": draw(st.integers(0, 2))}]
    whens += [{"clip": draw(st.sampled_from(["walk", "bite"])), "cell": draw(st.integers(0, 3))}]
    emitter = {"spawn": kind, "when": draw(st.sampled_from(whens)), **draw(fans())}
    for key, values in (
        ("cooldown", st.integers(1, 4)),
        ("limit", st.integers(1, 3)),
        ("muzzle", st.sampled_from([[2, 1], [0, -3]])),
        ("pivot", st.sampled_from([[1, 1], [0, -2]])),
        ("turns", st.booleans()),
        ("aim", st.sampled_from(["facing", "input", 30, 0, {"target": "ant"}, {"target": "cub"}])),
    ):
        if draw(st.booleans()):
            emitter[key] = draw(values)
    if not draw(st.integers(0, 4)):
        emitter["within"] = [-5, -5, 5, 5]
    return emitter


@st.composite
def inputs(draw: Any, frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same frames with buttons pressed in them."""
    found = []
    for frame in frames:
        pressed = []
        for pose in frame["poses"]:
            for button in ("fire", "bomb"):
                if draw(st.booleans()):
                    fields = {"id": pose["id"], "button": button, "down": bool(draw(st.integers(0, 3)))}
                    pressed.append(fields | ({"aim": [draw(steps), draw(steps)]} if draw(st.booleans()) else {}))
        found.append(frame | {"inputs": pressed})
    return found


@st.composite
def recordings(draw: Any, angles: tuple[int, ...] = (0, 0, 90, 30), frames_at_most: int = 10) -> list[dict[str, Any]]:
    """Frames with poses; actors linger, come and go."""
    names = draw(st.lists(st.sampled_from(sorted(ACTORS)), min_size=2, max_size=4, unique=True))
    order = draw(st.permutations(sorted(ACTORS)))  # owners never go in a ring
    owners = {name: draw(st.sampled_from([None, None, *order[: order.index(name)]])) for name in names}
    frames: list[dict[str, Any]] = []
    poses: dict[str, dict[str, Any]] = {}
    for _ in range(draw(st.integers(1, frames_at_most))):
        for name in names:
            if name in poses:
                poses[name] = poses[name] | {"tick": poses[name]["tick"] + 1, "cut": False}
            if name in poses and draw(st.integers(0, 2)):
                continue  # most actors stay as they are from frame to frame
            poses[name] = {
                "x": draw(steps),
                "y": draw(steps),
                "facing": draw(st.sampled_from([1, -1])),
                "angle": draw(st.sampled_from(angles)),
                "scale": draw(st.sampled_from([1, 1, 2, 0.5])),
                "hidden": not draw(st.integers(0, 9)),
                "cut": not draw(st.integers(0, 6)),
                "clip": draw(st.sampled_from(["walk", "walk", "bite"])),
                "tick": draw(st.integers(0, 4)),
            }
            if not draw(st.integers(0, 11)):
                del poses[name]
        rows = [{"id": name, "kind": ACTORS[name], "owner": owners[name], **pose} for name, pose in poses.items()]
        frames.append({"poses": rows})
        if not draw(st.integers(0, 14)):
            frames[-1]["reset"] = draw(st.sampled_from(["room", "run"]))
    return frames
