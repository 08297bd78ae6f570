"""Reads a rulebook: TOML in, checked as a whole, every problem told at once with file, line and key path."""

from __future__ import annotations

import hashlib
import json
import tomllib
import typing
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from voskar.core.rules import Attack, Box, Consequences, ContactRules, Duration, Kind, Rehit, Rules, Space
from voskar.core.shapes import Outline, circle, rectangle
from voskar.errors import InputError, Problem, nearest
from voskar.files.reading import read_text
from voskar.files.rulebook_schema import SHAPES, AttackTable, BoxTable, KindTable, RulebookFile
from voskar.files.toml_lines import key_lines, look_up


@dataclass(frozen=True)
class Rulebook:
    """A checked rulebook. `rules(rate)` compiles it: durations become frames only at a rate."""

    path: str
    data: RulebookFile
    digest: str

    @property
    def kinds(self) -> frozenset[str]:
        """The names of its kinds."""
        return frozenset(self.data.kinds)

    def rules(self, rate: Fraction) -> Rules:
        """The rules at `rate` frames a second."""
        data = self.data
        bits = {name: 1 << index for index, name in enumerate(data.layers.names)}
        bounds = data.space.bounds
        return Rules(
            rate=rate,
            layers=tuple(data.layers.names),
            kinds={name: _kind(name, data.kinds[name], bits, rate) for name in sorted(data.kinds)},
            attacks={name: _attack(name, data.attacks[name], rate) for name in sorted(data.attacks)},
            space=Space(data.space.up, (bounds[0], bounds[1], bounds[2], bounds[3]) if bounds else None),
            contact=ContactRules(
                detect=data.contact.detect,
                same_frame=data.contact.same_frame,
                health_check=data.contact.health_check,
                edges_touch=data.contact.edges_touch,
            ),
            digest=self.digest,
        )


def load_rulebook(path: str | Path) -> Rulebook:
    """Reads and checks a rulebook. Raises InputError with every problem found."""
    return parse_rulebook(read_text(path), str(path))


def parse_rulebook(text: str, name: str) -> Rulebook:
    """Checks the text of a rulebook; `name` is what errors call it."""
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise InputError(_syntax(name, error, text)) from None
    lines = key_lines(text)

    def problem(where: tuple[str | int, ...], message: str, hint: str | None = None) -> Problem:
        return Problem(message, file=name, line=look_up(lines, where), key=_dotted(where), hint=hint)

    if "voskar" not in raw:
        raise InputError(
            Problem("no `voskar` key: a rulebook begins with `voskar = 1`", file=name, line=1, hint=_mistaken(raw))
        )
    told = list(_meaning(raw))
    try:
        data = RulebookFile.model_validate(raw)
    except ValidationError as error:
        told += [_told(one) for one in error.errors()]
    if told:
        problems = {problem(*one) for one in told}
        raise InputError(sorted(problems, key=lambda one: (one.line or 0, one.key or "", one.message)))
    canonical = json.dumps(raw, sort_keys=True, default=str).encode()
    return Rulebook(name, data, hashlib.blake2b(canonical, digest_size=16).hexdigest())


def _syntax(name: str, error: tomllib.TOMLDecodeError, text: str) -> Problem:
    message, _, place = str(error).rpartition(" (at ")
    last = text.rstrip().count("\n") + 1
    line = int(place.split(",")[0].removeprefix("line ")) if place.startswith("line ") else last
    return Problem(f"not valid TOML: {message.lower()}", file=name, line=line)


def _mistaken(raw: dict[str, Any]) -> str | None:
    return "the file is empty" if not raw else None


def _dotted(path: tuple[str | int, ...]) -> str:
    return "".join(f"[{one}]" if isinstance(one, int) else f".{one}" for one in path).removeprefix(".")


Told = tuple[tuple[str | int, ...], str, str | None]

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
"""What the validation library calls a mistake, and what a rulebook's author wants to hear was expected."""


def _told(error: Any) -> Told:
    """One finding of the validation library in our own words."""
    path, value, kind = tuple(error["loc"]), error["input"], error["type"]
    context = error.get("ctx", {})
    if kind == "extra_forbidden":
        return path, f'unknown key "{path[-1]}"', nearest(str(path[-1]), _known_keys(path[:-1]))
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


def _known_keys(path: tuple[str | int, ...]) -> list[str]:
    """The keys that the table at a path may have, by walking the models."""
    model: type[BaseModel] | None = RulebookFile
    steps = iter(path)
    for step in steps:
        field = model.model_fields.get(str(step)) if model else None
        model = _model_in(field.annotation) if field else None
        if field and typing.get_origin(field.annotation) in (dict, list):
            next(steps, None)  # the name or place of one of several
    return list(model.model_fields) if model else []


def _model_in(annotation: Any) -> type[BaseModel] | None:
    """The model inside Model, dict[str, Model], list[Model] or Model | None."""
    for one in (annotation, *typing.get_args(annotation)):
        if isinstance(one, type) and issubclass(one, BaseModel):
            return one
    return None


def _meaning(raw: dict[str, Any]) -> Iterable[Told]:
    """Problems that no single value shows: names that point nowhere, boxes without a shape, two shapes.

    Looks at the file as it was read, so that it can run beside the models' own checks and leave to them
    whatever has the wrong type.
    """
    layers = [name for name in _list(_table(raw, "layers"), "names") if isinstance(name, str)]
    attacks = _table(raw, "attacks")
    for index, name in enumerate(layers):
        if name in layers[:index]:
            yield ("layers", "names", index), f'the layer "{name}" is named twice', None
    for kind_name, kind in _tables(raw, "kinds"):
        where: tuple[str | int, ...] = ("kinds", kind_name)
        yield from _layer_names(where, kind, layers)
        for box_name, box in _tables(kind, "boxes"):
            here = (*where, "boxes", box_name)
            yield from _layer_names(here, box, layers)
            yield from _box_problems(here, box, attacks)


def _table(parent: dict[str, Any], key: str) -> dict[str, Any]:
    value = parent.get(key)
    return value if isinstance(value, dict) else {}


def _tables(parent: dict[str, Any], key: str) -> list[tuple[str, dict[str, Any]]]:
    return [(name, value) for name, value in _table(parent, key).items() if isinstance(value, dict)]


def _list(parent: dict[str, Any], key: str) -> list[Any]:
    value = parent.get(key)
    return value if isinstance(value, list) else []


def _layer_names(where: tuple[str | int, ...], table: dict[str, Any], layers: list[str]) -> Iterable[Told]:
    for key in ("layer", "mask"):
        for index, name in enumerate(_list(table, key)):
            if isinstance(name, str) and name not in layers:
                yield (*where, key, index), f'unknown layer "{name}"', nearest(name, layers)


def _box_problems(here: tuple[str | int, ...], box: dict[str, Any], attacks: dict[str, Any]) -> Iterable[Told]:
    shapes = [shape for shape in SHAPES if shape in box]
    role, attack = box.get("role"), box.get("attack")
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


def _kind(name: str, table: KindTable, bits: dict[str, int], rate: Fraction) -> Kind:
    def one(box_name: str, box: BoxTable) -> Box:
        return Box(
            name=box_name,
            role=box.role,
            outline=_outline(box),
            at=(box.at[0], box.at[1]),
            turn=box.turn,
            layer=sum(bits[layer] for layer in set(table.layer if box.layer is None else box.layer)),
            mask=sum(bits[layer] for layer in set(table.mask if box.mask is None else box.mask)),
            attack=box.attack,
            rank=box.rank,
            damage_scale=box.damage_scale,
        )

    return Kind(
        name=name,
        side=table.side,
        health=table.health,
        iframes=table.iframes.frames(rate),
        boxes=tuple(one(box_name, box) for box_name, box in table.boxes.items()),
    )


def _outline(box: BoxTable) -> Outline:
    if box.rect is not None:
        width, height = box.rect
        return rectangle(-width / 2, -height / 2, width / 2, height / 2)
    if box.span is not None:
        return rectangle(*box.span)
    assert box.circle is not None
    return circle(box.circle)


def _attack(name: str, table: AttackTable, rate: Fraction) -> Attack:
    rehit = table.rehit
    return Attack(
        name=name,
        damage=table.damage,
        rehit=Rehit("after", rehit.frames(rate)) if isinstance(rehit, Duration) else rehit,
        priority=table.priority,
        friendly=table.friendly,
        ignores_iframes=table.damage <= 0 if table.ignores_iframes is None else table.ignores_iframes,
        hits_owner=table.hits_owner,
        striker=_consequences(table.striker.iframes, rate),
        target=_consequences(table.target.iframes, rate),
    )


def _consequences(iframes: Duration | None, rate: Fraction) -> Consequences:
    return Consequences(iframes=None if iframes is None else iframes.frames(rate))
