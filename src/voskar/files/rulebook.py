"""Reads a rulebook: TOML in, checked as a whole, every problem told at once with file, line and key path."""

from __future__ import annotations

import hashlib
import json
import tomllib
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
    name = str(path)
    text = read_text(path)
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise InputError(_syntax(name, error)) from None
    lines = key_lines(text)

    def problem(where: tuple[str | int, ...], message: str, hint: str | None = None) -> Problem:
        return Problem(message, file=name, line=look_up(lines, where), key=_dotted(where), hint=hint)

    if "voskar" not in raw:
        raise InputError(
            Problem("no `voskar` key: a rulebook begins with `voskar = 1`", file=name, line=1, hint=_mistaken(raw))
        )
    problems: list[Problem] = []
    try:
        data = RulebookFile.model_validate(raw)
    except ValidationError as error:
        problems = [problem(*_told(one, raw)) for one in error.errors()]
        raise InputError(sorted(set(problems), key=lambda one: (one.line or 0, one.key or "", one.message))) from None
    problems = [problem(*one) for one in _meaning(data)]
    if problems:
        raise InputError(sorted(problems, key=lambda one: (one.line or 0, one.key or "")))
    canonical = json.dumps(raw, sort_keys=True, default=str).encode()
    return Rulebook(name, data, hashlib.blake2b(canonical, digest_size=16).hexdigest())


def _syntax(name: str, error: tomllib.TOMLDecodeError) -> Problem:
    text = str(error)
    message, _, place = text.rpartition(" (at ")
    if place.startswith("line "):
        line = int(place.split(",")[0].removeprefix("line "))
        return Problem(f"not valid TOML: {message}", file=name, line=line)
    return Problem(f"not valid TOML: {message or text}", file=name)


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


def _told(error: Any, raw: dict[str, Any]) -> Told:
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
    """The keys that a table at a path may have, by walking the models."""
    model: Any = RulebookFile
    for step in path:
        if isinstance(model, type) and issubclass(model, BaseModel):
            if step not in model.model_fields:
                return []
            model = model.model_fields[str(step)].annotation
        model = _inner(model)
    return list(model.model_fields) if isinstance(model, type) and issubclass(model, BaseModel) else []


def _inner(annotation: Any) -> Any:
    """The model inside dict[str, Model], list[Model] or Model | None."""
    for argument in getattr(annotation, "__args__", ()):
        if isinstance(argument, type) and issubclass(argument, BaseModel):
            return argument
    return annotation


def _meaning(data: RulebookFile) -> Iterable[Told]:
    """Problems that no single value shows: names that point nowhere, boxes without a shape, two shapes."""
    layers = data.layers.names
    for index, name in enumerate(layers):
        if name in layers[:index]:
            yield ("layers", "names", index), f'the layer "{name}" is named twice', None
    for kind_name, kind in data.kinds.items():
        where: tuple[str | int, ...] = ("kinds", kind_name)
        yield from _layer_names(where, kind, layers)
        for box_name, box in kind.boxes.items():
            here = (*where, "boxes", box_name)
            yield from _layer_names(here, box, layers)
            yield from _box_problems(here, box, data)


def _layer_names(where: tuple[str | int, ...], table: KindTable | BoxTable, layers: list[str]) -> Iterable[Told]:
    for key in ("layer", "mask"):
        for index, name in enumerate(getattr(table, key) or ()):
            if name not in layers:
                yield (*where, key, index), f'unknown layer "{name}"', nearest(name, layers)


def _box_problems(here: tuple[str | int, ...], box: BoxTable, data: RulebookFile) -> Iterable[Told]:
    shapes = [shape for shape in SHAPES if getattr(box, shape) is not None]
    if not shapes:
        yield here, f"the box has no shape, expected one of {', '.join(SHAPES)}", None
    elif len(shapes) > 1:
        yield (*here, shapes[1]), f"the box has {len(shapes)} shapes ({', '.join(shapes)}), expected one", None
    if box.role == "hitbox" and box.attack is None:
        yield here, "a hitbox needs an `attack`", nearest("", data.attacks)
    elif box.role != "hitbox" and box.attack is not None:
        yield (*here, "attack"), f'a {box.role} has no attack, expected role = "hitbox"', None
    elif box.attack is not None and box.attack not in data.attacks:
        yield (*here, "attack"), f'unknown attack "{box.attack}"', nearest(box.attack, data.attacks)


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
