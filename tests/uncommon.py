"""Rules that few games need, put into random rulebooks: each now and then, so that they also meet."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from hypothesis import strategies as st

from tests import strategies

COMPARISONS = st.sampled_from([">= 2", "> 3", "< 2", "<= 2", "== 4", [">= 2", "< 5"]])
SIMPLE = ("rect", "span", "circle", "capsule")


def _now_and_then(draw: Any, often: int = 2) -> bool:
    return not draw(st.integers(0, often))


@st.composite
def rulebooks(draw: Any, base: Any) -> dict[str, Any]:
    """One of `base` with more in it."""
    data = deepcopy(draw(base))  # parts of it are shared by all that are drawn
    space = data.setdefault("space", {})
    if "bounds" in space or draw(st.booleans()):
        space.setdefault("bounds", draw(st.sampled_from([[-5, -5, 5, 5], [-4, -6, 6, 7]])))
    onto = _now_and_then(draw, 3)
    for kind in data["kinds"].values():
        _kind(draw, kind, "bounds" in space)
        for box in kind["boxes"].values():
            _box(draw, box, onto)
    for attack in data["attacks"].values():
        _attack(draw, attack, onto)
    return data


def _kind(draw: Any, kind: dict[str, Any], bounded: bool) -> None:
    if bounded and _now_and_then(draw):
        kind["wraps"] = True
    if _now_and_then(draw):
        kind["stun_disarms"] = True
    if _now_and_then(draw, 4):
        kind["linger"] = draw(st.integers(0, 2))
    if "down" in kind and _now_and_then(draw):
        kind["down"] = kind["down"] | {"life_after": draw(st.integers(0, 3))}
    if "down" in kind and _now_and_then(draw):
        kind["down"] = kind["down"] | {"out_after": draw(st.integers(0, 3))}
    if "respawn" in kind and _now_and_then(draw):
        kind["respawn"] = kind["respawn"] | {"clearance": draw(st.sampled_from([0.5, 2, 3]))}
    for emitter in kind.get("emitters", {}).values():
        if _now_and_then(draw):
            emitter["moves_at_once"] = True
        if _now_and_then(draw, 3):
            emitter["limit_group"] = "guns"
        if "release" in emitter["when"] and _now_and_then(draw, 2):
            emitter["charge"] = draw(st.sampled_from(["2f-3f", "1f-", "3f-", "1f-1f"]))
        if _now_and_then(draw, 3):
            emitter["if"] = {"counters": {"honey": draw(COMPARISONS)}}


def _box(draw: Any, box: dict[str, Any], onto: bool) -> None:
    if onto and ("polygon" in box or "pixels" in box):  # the reference model follows one convex part
        for key in ("polygon", "pixels", "origin", "pixel"):
            box.pop(key, None)
        box["rect"] = [draw(strategies.sizes), draw(strategies.sizes)]
    if _now_and_then(draw, 3):
        box["within_bounds"] = True
    if any(shape in box for shape in SIMPLE) and _now_and_then(draw, 3):
        box["grow"] = draw(st.sampled_from([-0.2, -0.1]))
    if box["role"] != "body" and _now_and_then(draw, 3):
        for key in ("rect", "span", "circle", "capsule", "polygon", "pixels", "origin", "pixel", "at", "turn", "keys"):
            box.pop(key, None)
        box.pop("blend", None)
        box["logged"] = draw(st.sampled_from([True, True, "hull"]))
        if draw(st.booleans()):
            box["pad"] = draw(st.sampled_from([[0, 0, 1, 2], [1, 0.5, 0, 0], [-1, 0, 0, 0]]))
        box["grow"] = draw(st.sampled_from([0, 0, 0.5, -0.5, -1.5]))


def _attack(draw: Any, attack: dict[str, Any], onto: bool) -> None:
    if onto and draw(st.booleans()):
        attack["if"] = attack.get("if", {}) | {"onto": draw(st.sampled_from([0, 30, 60, 100]))}
    if _now_and_then(draw, 3):
        attack["rehit_group"] = "group"
    if _now_and_then(draw, 3):
        attack["max_targets"] = draw(st.integers(1, 2))
    if _now_and_then(draw, 4):
        attack["if"] = attack.get("if", {}) | {"attacker": {"counters": {"honey": draw(COMPARISONS)}}}
    for side in ("attacker", "target"):
        if _now_and_then(draw, 3):
            attack[side] = attack.get(side, {}) | {"gives": {"honey": 2}}
        if _now_and_then(draw, 3):
            attack[side] = attack.get(side, {}) | {"stun": draw(st.integers(1, 3))}


@st.composite
def shapes(draw: Any, x: float, y: float, *, whole: bool, polygons: bool) -> Any:
    """A box at a place as a game logs it: `whole` is one convex part."""
    rect = [x, y, x + draw(strategies.sizes), y - draw(strategies.sizes)]
    kind = draw(st.sampled_from(["rect", "rect", "circle", "polygon", "list"]))
    if kind == "circle":
        return {"circle": [x, y, draw(st.sampled_from([0, 1, 2.5]))]}
    if kind == "polygon" and polygons:
        return {"polygon": draw(st.sampled_from([[[x, y], [x + 4, y], [x + 1, y + 3]], _notched(x, y)]))}
    if kind == "list" and not whole:
        return [rect, *([{"circle": [x + 3, y + 2, 1.5]}] if draw(st.booleans()) else [[x, y, x - 2, y + 1]])]
    return rect


def _notched(x: float, y: float) -> list[list[float]]:
    return [[x, y], [x + 4, y], [x + 4, y + 4], [x + 2, y + 1], [x, y + 4]]


@st.composite
def boxed(draw: Any, data: dict[str, Any], frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same frames with boxes as the game has them."""
    found = []
    onto = any("onto" in attack.get("if", {}) for attack in data["attacks"].values())
    for frame in frames:
        poses = []
        for pose in frame["poses"]:
            own = data["kinds"][pose["kind"]]["boxes"]
            names = [name if box["logged"] is True else box["logged"] for name, box in own.items() if box.get("logged")]
            boxes = {}
            for name in names:
                if draw(st.integers(0, 3)):
                    place = pose["x"] + draw(strategies.steps), pose["y"] + draw(strategies.steps)
                    eaten = any(box.get("grow", 0) < 0 for box in own.values())
                    boxes[name] = draw(shapes(*place, whole=onto, polygons=not eaten and not onto))
            poses.append(pose | ({"boxes": boxes} if boxes or draw(st.booleans()) else {}))
        found.append(frame | {"poses": poses})
    return found
