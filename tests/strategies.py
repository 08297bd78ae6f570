"""Random rulebooks and recordings, drawn from few values so that edges meet and frames coincide often."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

LAYERS = ["one", "two"]
ACTORS = {"a-1": "ant", "a-2": "ant", "b-1": "bee", "b-2": "bee", "c-1": "cub"}

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


@st.composite
def shapes(draw: Any) -> dict[str, Any]:
    """A shape with its offset and turn."""
    name = draw(st.sampled_from(["rect", "rect", "span", "circle", "capsule", "polygon"]))
    if name == "capsule":
        shape: dict[str, Any] = {"capsule": [draw(sizes) / 2, draw(sizes)]}
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
    for side in ("striker", "target"):
        if draw(st.booleans()):
            options[side] = draw(consequences())
    if not draw(st.integers(0, 2)):
        options |= {"preempts": draw(st.booleans()), "falling": draw(st.booleans())}
        options |= {"from_by": draw(st.sampled_from(["edge", "centre"]))}
        options |= {draw(st.sampled_from(["only_from", "never_from"])): draw(st.lists(places, min_size=1, unique=True))}
    return options


@st.composite
def consequences(draw: Any) -> dict[str, Any]:
    """What a landing does to one side; mostly one thing."""
    table: dict[str, Any] = {"iframes": draw(some_frames)} if draw(st.booleans()) else {}
    for key, values, often in (
        ("stun", some_frames, 4),
        ("knockback", knockbacks(), 1),
        ("rebound", st.sampled_from([60, 300]), 4),
        ("rebound_mode", st.sampled_from(["set", "add"]), 4),
        ("remove", st.just(True), 4),
        ("pierce", st.integers(0, 2), 3),
        ("consumed_by", st.lists(st.sampled_from(["landed", "immune", "repeat"]), min_size=1, unique=True), 4),
        ("home", st.just(True), 6),
        ("checkpoint", st.just(True), 8),
        ("gives", st.just({"honey": 2}), 8),
        ("goal", st.just(True), 30),
        ("effect", st.just("cub"), 12),
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
    if not draw(st.integers(0, 2)):
        kind["side"] = draw(st.sampled_from(["left", "right"]))
    return kind


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
        "kinds": {name: draw(kinds()) for name in ("ant", "bee", "cub")},
        "attacks": {name: draw(attacks()) for name in ("jab", "bite")},
    }


@st.composite
def recordings(draw: Any, angles: tuple[int, ...] = (0, 0, 90, 30)) -> list[dict[str, Any]]:
    """Frames with poses; actors linger, come and go."""
    names = draw(st.lists(st.sampled_from(sorted(ACTORS)), min_size=2, max_size=4, unique=True))
    owners = {name: draw(st.sampled_from([None, None, *ACTORS])) for name in names}
    frames = []
    poses: dict[str, dict[str, Any]] = {}
    for _ in range(draw(st.integers(1, 10))):
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
    return frames
