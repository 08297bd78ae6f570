"""Random rulebooks and recordings, drawn from few values so that edges meet and frames coincide often."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

LAYERS = ["one", "two"]
ACTORS = {"a-1": "ant", "a-2": "ant", "b-1": "bee", "b-2": "bee", "c-1": "cub"}

steps = st.integers(-3, 3)
sizes = st.integers(1, 8)
layer_lists = st.sampled_from([["one"], ["one"], ["two"], ["one", "two"], []])
some_frames = st.integers(0, 5)


@st.composite
def shapes(draw: Any) -> dict[str, Any]:
    """A shape with its offset and turn."""
    name = draw(st.sampled_from(["rect", "span", "circle"]))
    if name == "rect":
        shape: dict[str, Any] = {"rect": [draw(sizes), draw(sizes)]}
    elif name == "span":
        x, y = draw(steps), draw(steps)
        shape = {"span": [x, y, x + draw(sizes), y - draw(sizes)]}
    else:
        shape = {"circle": draw(sizes) / 2}
    return {**shape, "at": [draw(steps), draw(steps)], "turn": draw(st.sampled_from([0, 0, 90, 45, -30]))}


@st.composite
def boxes(draw: Any, role: str) -> dict[str, Any]:
    """A box."""
    box = draw(shapes())
    box |= {"layer": draw(layer_lists), "mask": draw(layer_lists)}
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
            options[side] = {"iframes": draw(some_frames)}
    return options


@st.composite
def kinds(draw: Any) -> dict[str, Any]:
    """A kind with up to four boxes."""
    roles = {"head": "hitbox", "tail": "hurtbox", "wing": "hitbox", "back": "hurtbox"}
    names = draw(st.sampled_from([["head", "tail"], ["tail", "head"], ["back", "tail", "wing"], [*roles], ["tail"]]))
    kind: dict[str, Any] = {"iframes": draw(some_frames), "boxes": {name: draw(boxes(roles[name])) for name in names}}
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
            if name in poses and draw(st.integers(0, 3)):
                continue  # most actors stay as they are from frame to frame
            poses[name] = {
                "x": draw(steps),
                "y": draw(steps),
                "facing": draw(st.sampled_from([1, -1])),
                "angle": draw(st.sampled_from(angles)),
                "scale": draw(st.sampled_from([1, 1, 2, 0.5])),
                "hidden": not draw(st.integers(0, 9)),
            }
            if not draw(st.integers(0, 11)):
                del poses[name]
        rows = [{"id": name, "kind": ACTORS[name], "owner": owners[name], **pose} for name, pose in poses.items()]
        frames.append({"poses": rows})
    return frames
