"""Actors with rules of their own: `[actors."turret-2"]`, like a kind but for what it says itself."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from voskar.errors import InputError, nearest
from voskar.files.keypaths import KeyPath
from voskar.files.shapes import SHAPES
from voskar.files.toml_sources import Source, merged

AT = "@"
"""Between a kind and the actor that has rules of its own, in the name of the kind that these make."""
KEPT = ("side", "layer", "mask", "like", "boxes_from")
"""Keys of a kind that one of its actors may not say otherwise; `like` names the kind."""
KEPT_OF_BOXES = (*SHAPES, "role", "layer", "mask")


def with_own_rules(source: Source) -> Source:
    """The same with a kind for each actor that has rules of its own. Raises InputError for an actor that is like no
    kind, or that has keys that only its kind may have."""
    actors, kinds = source.raw.get("actors"), source.raw.get("kinds")
    if not isinstance(actors, dict) or not isinstance(kinds, dict):
        return source
    raw, places = {**source.raw, "kinds": dict(kinds), "actors": dict(actors)}, dict(source.places)
    for name, own in actors.items():
        if not isinstance(own, dict):
            continue  # its form is wrong, and is told of
        where, kind = ("actors", name), own.get("like")
        if not isinstance(kind, str) or kind not in kinds or AT in kind:
            found = "an actor says which kind it is like" if kind is None else f'unknown kind "{kind}"'
            raise InputError(source.problem((*where, "like"), found, nearest(str(kind), kinds)))
        _refuse(source, where, own, kinds[kind])
        made = f"{kind}{AT}{name}"
        mine = {key: value for key, value in own.items() if key != "like"}
        raw["kinds"][made] = merged(kinds[kind], mine, ("kinds", made))
        raw["actors"][name] = {"like": kind}  # the kind says the rest, whole
        for path, place in source.places.items():
            if path[:2] == ("kinds", kind):
                places.setdefault(("kinds", made, *path[2:]), place)
        for path, place in source.places.items():
            if path[:2] == where:
                places["kinds", made, *path[2:]] = place
    return replace(source, raw=raw, places=places)


def stated_place(source: Source, where: KeyPath) -> KeyPath:
    """A key of a kind that an actor with rules of its own makes, as the actor says it; others as they are."""
    if len(where) > 2 and where[0] == "kinds":
        own = ("actors", str(where[1]).partition(AT)[2], *where[2:])
        if any(own[:depth] in source.places for depth in range(3, len(own) + 1)):
            return own
    return where


def _refuse(source: Source, where: tuple[str, str], own: dict[str, Any], kind: Any) -> None:
    for key in KEPT:
        if key in own and key != "like":
            raise InputError(source.problem((*where, key), f"{key} is that of its kind, {own['like']}"))
    boxes, known = own.get("boxes"), kind.get("boxes", {}) if isinstance(kind, dict) else {}
    for box, table in boxes.items() if isinstance(boxes, dict) else ():
        if box not in known:
            message = f"{own['like']} has no box {box}"
            raise InputError(source.problem((*where, "boxes", box), message, nearest(box, known)))
        for key in KEPT_OF_BOXES:
            if isinstance(table, dict) and key in table:
                text = f"{key} is that of its kind, {own['like']}"
                raise InputError(source.problem((*where, "boxes", box, key), text))
