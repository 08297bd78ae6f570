"""Mistakes of a rulebook, in the words of its author."""

from __future__ import annotations

import json
import typing
from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel, ValidationError

from voskar.core.rules.shapes import LIMIT
from voskar.errors import CONTROL, nearest
from voskar.files.own_rules import AT
from voskar.files.rulebook_schema import TRIGGERS, RulebookFile
from voskar.files.shapes import SHAPES

FoundProblem = tuple[tuple[str | int, ...], str, str | None]

BY_CLIP = ("clips", "during", "not_during", "keys")
"""Tables with names of clips as keys."""

MOST_CONDITIONS = 60
"""Different conditions of a kind's boxes: each is a bit."""

_EXPECTED = {
    "float_type": "a number",
    "int_type": "a whole number",
    "string_type": "a text",
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "a table",
    "model_type": "a table",
    "model_attributes_type": "a table",
    "finite_number": "a finite number",
}
"""The expected value in the words of a rulebook's author, by the validation library's name of the mistake."""


def in_words(error: Any, root: type[BaseModel]) -> FoundProblem:
    """One finding of the validation library in our own words."""
    # The library's sentences name its own types, which a rulebook's author does not know.
    path, value, kind = tuple(error["loc"]), error["input"], error["type"]
    context = error.get("ctx", {})
    if kind == "extra_forbidden":
        return path, f'unknown key "{path[-1]}"', nearest(str(path[-1]), _known_keys(path[:-1], root))
    if kind == "missing":
        return path, f'the key "{path[-1]}" is missing', None
    if kind == "literal_error":
        expected = str(context["expected"]).replace("'", '"')
        return path, f"found {_shown(value)}, expected {expected}", None
    if kind in ("too_short", "too_long"):
        count = context.get("min_length") if kind == "too_short" else context.get("max_length")
        return path, f"found a list of {len(value)}, expected {count}", None
    if kind == "value_error":
        return path, f"found {_shown(value)}, expected {context['error']}", None
    if kind in ("greater_than", "greater_than_equal", "less_than_equal"):
        limit = context.get("gt", context.get("ge", context.get("le")))
        word = {"greater_than": "above", "greater_than_equal": "no less than", "less_than_equal": "no more than"}[kind]
        return path, f"found {_shown(value)}, expected a number {word} {limit:g}", None
    return path, f"found {_shown(value)}, expected {_EXPECTED.get(kind, error['msg'])}", None


def _shown(value: Any) -> str:
    if isinstance(value, str):
        return f'"{value}"'
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, dict):
        return "a table"
    return str(value)


def _known_keys(path: tuple[str | int, ...], root: type[BaseModel]) -> list[str]:
    """The keys that the table at a path may have, by walking the models."""
    model: type[BaseModel] | None = root
    steps = iter(path)
    for step in steps:
        own = {field.alias or name: field for name, field in model.model_fields.items()} if model else {}
        field = own.get(str(step))
        model = _model_in(field.annotation) if field else None
        # Below a dictionary the next step is a name that the author chose.
        if field and typing.get_origin(field.annotation) in (dict, list):
            next(steps, None)  # the name or place of one of several
    return [field.alias or name for name, field in model.model_fields.items()] if model else []


def _model_in(annotation: Any) -> type[BaseModel] | None:
    """The model inside Model, dict[str, Model], list[Model] or Model | None."""
    for argument in (annotation, *typing.get_args(annotation)):
        if isinstance(argument, type) and issubclass(argument, BaseModel):
            return argument
    return None


def meaning(raw: dict[str, Any]) -> Iterable[FoundProblem]:
    """Problems that no single value shows: names that point nowhere, boxes without a shape, two shapes.

    Looks at the file as it was read, so that it can run next to the models' own checks and leave to them whatever has
    the wrong type.
    """
    layers = [name for name in _list(_table(raw, "layers"), "names") if isinstance(name, str)]
    attacks = _table(raw, "attacks")
    # A layer twice would have two bits, and only one of them would ever be used.
    for index, name in enumerate(layers):
        if name in layers[:index]:
            yield ("layers", "names", index), f'the layer "{name}" is named twice', None
    yield from _control(raw)
    meets = _table(_table(raw, "layers"), "meets")
    for name, those in meets.items():
        if name not in layers:
            yield ("layers", "meets", name), f'unknown layer "{name}"', nearest(name, layers)
        for index, other in enumerate(those if isinstance(those, list) else ()):
            if isinstance(other, str) and other not in layers:
                yield ("layers", "meets", name, index), f'unknown layer "{other}"', nearest(other, layers)
    for name, those in _table(_table(raw, "contact"), "clash").items():
        if name not in layers:
            yield ("contact", "clash", name), f'unknown layer "{name}"', nearest(name, layers)
        for index, other in enumerate(those if isinstance(those, list) else ()):
            if isinstance(other, str) and other not in layers:
                yield ("contact", "clash", name, index), f'unknown layer "{other}"', nearest(other, layers)
    declared = {tag for _, kind in _tables(raw, "kinds") for tag in _list(kind, "tags") if isinstance(tag, str)}
    for part in ("attacks", "kinds"):
        yield from _names_in(_table(raw, part), (part,), declared, _table(raw, "kinds"), layers)
    for index, solid in enumerate(_list(_table(raw, "space"), "solids")):
        if isinstance(solid, dict):
            spot = ("space", "solids", index)
            yield from _layer_names(spot, solid, layers)
            if ("rect" in solid) == ("polygon" in solid):
                yield spot, "a solid needs one of rect, polygon", None
    yield from _fixtures(raw)
    for name in _table(raw, "starts"):
        yield from _unknown_kind(("starts", name), name, _table(raw, "kinds"))
    for index, name in enumerate(_list(_table(raw, "goal"), "clear")):
        yield from _unknown_kind(("goal", "clear", index), name, _table(raw, "kinds"))
    for kind_name, kind in _tables(raw, "kinds"):
        if AT in kind_name and kind_name.partition(AT)[2] not in _table(raw, "actors"):
            yield ("kinds", kind_name), f"a kind has no {AT} in its name", None
        yield from _spawns(kind_name, kind, _table(raw, "kinds"))
        where: tuple[str | int, ...] = ("kinds", kind_name)
        if "lives" in kind and "spare_lives" in kind:
            yield (*where, "spare_lives"), "a kind has lives or spare_lives, not both", None
        if kind.get("wraps") is True and "bounds" not in _table(raw, "space"):
            yield (*where, "wraps"), "a kind that wraps needs `[space] bounds`", None
        yield from _layer_names(where, kind, layers)
        for counter, table in _tables(kind, "counters"):
            yield from _limits((*where, "counters", counter), table)
        # Equal conditions share a bit, so they are counted once.
        conditions = {json.dumps(box["if"], default=str) for _, box in _tables(kind, "boxes") if "if" in box}
        if len(conditions) > MOST_CONDITIONS:
            message = f"its boxes have {len(conditions)} different conditions, expected at most {MOST_CONDITIONS}"
            yield (*where, "boxes"), message, None
        for box_name, box in _tables(kind, "boxes"):
            here = (*where, "boxes", box_name)
            yield from _layer_names(here, box, layers)
            yield from _box_problems(here, box, attacks)


def _limits(where: tuple[str | int, ...], counter: dict[str, Any]) -> Iterable[FoundProblem]:
    """A counter begins within its limits."""
    low, high, start = counter.get("min", 0), counter.get("max", LIMIT), counter.get("start", 0)
    if not all(isinstance(value, int | float) for value in (low, high, start)):
        return
    if low > high:
        yield (*where, "max"), f"found {high:g}, expected no less than its min of {low:g}", None
    elif not low <= start <= high:
        key = "start" if "start" in counter else "min" if start < low else "max"
        upper = f"to {high:g}" if "max" in counter else "on"
        yield (*where, key), f"found a start of {start:g}, expected one from {low:g} {upper}", None


def _names_in(
    value: Any, path: tuple[str | int, ...], tags: set[str], kinds: dict[str, Any], layers: list[str]
) -> Iterable[FoundProblem]:
    """Conditions ask for tags that a kind declares, what is spawned is of a kind, what is reflected on known layers."""
    if isinstance(value, list):
        for index, inner in enumerate(value):
            yield from _names_in(inner, (*path, index), tags, kinds, layers)
    elif isinstance(value, dict) and path[-1] not in BY_CLIP:
        # Below these tables a key is the name of a clip, and a clip may be called `tags`.
        for key, inner in value.items():
            if key in ("tags", "no_tags") and isinstance(inner, list) and not (path[0] == "kinds" and len(path) == 2):
                for index, tag in enumerate(inner):
                    if isinstance(tag, str) and tag not in tags:
                        yield (*path, key, index), f'unknown tag "{tag}", which no kind declares', nearest(tag, tags)
            elif key == "reflect" and isinstance(inner, dict):
                yield from _layer_names((*path, key), inner, layers)
            elif key == "spawn":
                yield from _unknown_kind((*path, key), inner, kinds)
            yield from _names_in(inner, (*path, key), tags, kinds, layers)


def _control(value: Any, path: tuple[str | int, ...] = ()) -> Iterable[FoundProblem]:
    """Names go to terminals and reports."""
    if isinstance(value, dict):
        for key, inner in value.items():
            if CONTROL.search(key):
                yield path, f"found the name {json.dumps(key)}, expected no control characters", None
            yield from _control(inner, (*path, key))
    elif isinstance(value, list):
        for index, inner in enumerate(value):
            yield from _control(inner, (*path, index))
    elif isinstance(value, str) and CONTROL.search(value):
        yield path, f"found {json.dumps(value)}, expected no control characters", None


def _fixtures(raw: dict[str, Any]) -> Iterable[FoundProblem]:
    kinds, seen = _table(raw, "kinds"), set()
    for index, fixture in enumerate(_list(raw, "fixtures")):
        if not isinstance(fixture, dict):
            continue
        kind, name = fixture.get("kind"), fixture.get("id")
        yield from _unknown_kind(("fixtures", index, "kind"), kind, kinds)
        if isinstance(name, str):
            if name in seen:
                yield ("fixtures", index, "id"), f'the fixture "{name}" is placed twice', None
            # These marks stand in the ids of driven actors, so a fixture with one could have the same id.
            if not name or any(mark in name for mark in "/+#"):
                yield ("fixtures", index, "id"), f'found "{name}", expected an id without / + #', None
            seen.add(name)


def _unknown_kind(where: tuple[str | int, ...], kind: Any, kinds: dict[str, Any]) -> Iterable[FoundProblem]:
    if isinstance(kind, str) and kind not in kinds:
        yield where, f'unknown kind "{kind}"', nearest(kind, kinds)


def _spawns(kind_name: str, kind: dict[str, Any], kinds: dict[str, Any]) -> Iterable[FoundProblem]:
    """Emitters and children: kinds that exist, one trigger each, and no kind that leaves itself behind."""
    for name, emitter in _tables(kind, "emitters"):
        here = ("kinds", kind_name, "emitters", name)
        if not name or any(mark in name for mark in "/+#"):
            yield here, f'found "{name}", expected a name without / + #', None
        aim = emitter.get("aim")
        if isinstance(aim, dict):
            yield from _unknown_kind((*here, "aim", "target"), aim.get("target"), kinds)
        when = emitter.get("when")
        if isinstance(when, dict):
            named = [key for key in TRIGGERS if key in when]
            if len(named) != 1:
                text = f"{len(named)} triggers" if named else "no trigger"
                yield (*here, "when"), f"found {text}, expected one of {', '.join(TRIGGERS)}", None
            for key, owner in (("first", "every"), ("cell", "clip")):
                if key in when and owner not in when:
                    yield (*here, "when", key), f"`{key}` goes with `{owner}`", None
            if "charge" in emitter and "release" not in when:
                yield (*here, "charge"), "`charge` goes with `when = { release = … }`", None
            if "clip" in when and "cell" not in when:
                yield (*here, "when"), "a clip needs a `cell` with it", None
    for index, child in enumerate(_list(_table(kind, "down"), "spawn")):
        if isinstance(child, dict):
            spot = ("kinds", kind_name, "down", "spawn", index, "kind")
            yield from _unknown_kind(spot, child.get("kind"), kinds)
            # Only the direct ring is refused: longer ones may end, for example by a limit.
            if child.get("kind") == kind_name:
                yield spot, f"{kind_name} leaves {kind_name} behind: its children would multiply without end", None


def _table(parent: dict[str, Any], key: str) -> dict[str, Any]:
    value = parent.get(key)
    return value if isinstance(value, dict) else {}


def _tables(parent: dict[str, Any], key: str) -> list[tuple[str, dict[str, Any]]]:
    return [(name, value) for name, value in _table(parent, key).items() if isinstance(value, dict)]


def _list(parent: dict[str, Any], key: str) -> list[Any]:
    value = parent.get(key)
    return value if isinstance(value, list) else []


def _layer_names(where: tuple[str | int, ...], table: dict[str, Any], layers: list[str]) -> Iterable[FoundProblem]:
    for key in ("layer", "mask"):
        for index, name in enumerate(_list(table, key)):
            if isinstance(name, str) and name not in layers:
                yield (*where, key, index), f'unknown layer "{name}"', nearest(name, layers)


def _box_problems(here: tuple[str | int, ...], box: dict[str, Any], attacks: dict[str, Any]) -> Iterable[FoundProblem]:
    shapes = [shape for shape in SHAPES if shape in box]
    role, attack, grow = box.get("role"), box.get("attack"), box.get("grow")
    if "pad" in box and "logged" not in box:
        # Any other box has its size in its shape; a pad would be a second way to give it.
        yield (*here, "pad"), "only a logged box has a pad", None
    if "logged" in box:
        for key in ("at", "turn", "keys"):
            if key in box:
                yield (*here, key), f"a logged box is where the game says, and has no `{key}`", None
    if isinstance(grow, int | float) and grow < 0 and not any(SHAPES[shape].shrinks for shape in shapes):
        # Taking a margin off a polygon could leave nothing, or several pieces.
        expected = f"only {', '.join(name for name, shape in SHAPES.items() if shape.shrinks)} can lose something"
        yield (*here, "grow"), f"found {grow:g}, expected 0 or more: {expected}", None
    if not shapes:
        yield here, f"the box has no shape, expected one of {', '.join(SHAPES)}", None
    elif len(shapes) > 1:
        yield (*here, shapes[1]), f"the box has {len(shapes)} shapes ({', '.join(shapes)}), expected one", None
    if role == "hitbox" and attack is None:
        yield here, "a hitbox needs an `attack`", nearest("", attacks)
    elif role in ("hurtbox", "body") and attack is not None:
        yield (*here, "attack"), f'a {role} has no attack, expected role = "hitbox"', None
    elif isinstance(attack, str) and attack not in attacks:
        yield (*here, "attack"), f'unknown attack "{attack}"', nearest(attack, attacks)


def schema_problems(error: ValidationError, root: type[BaseModel] = RulebookFile) -> list[FoundProblem]:
    """Everything the validation library found in a file of which `root` is the model."""
    return [in_words(error_details, root) for error_details in error.errors()]
