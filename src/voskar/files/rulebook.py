"""Reads a rulebook: TOML in, checked as a whole, every problem reported together with file, line and key path."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from pydantic import ValidationError

from voskar.core.rules import (
    Attack,
    Box,
    Case,
    ContactCondition,
    ContactRules,
    CounterRule,
    Duration,
    Goal,
    Key,
    Kind,
    KindNames,
    Rehit,
    Role,
    Rules,
    Solid,
    Space,
    StartRule,
)
from voskar.core.rules.outlines import polygon, rectangle, stretched
from voskar.core.rules.shapes import Outline
from voskar.errors import InputError, Problem
from voskar.files.attack_schema import AttackTable, CaseTable, ContactConditionTable
from voskar.files.box_tables import with_box_tables
from voskar.files.compiling import compiled
from voskar.files.images import read_alpha
from voskar.files.likes import with_likes
from voskar.files.own_rules import AT, stated_place, with_own_rules
from voskar.files.rulebook_checks import FoundProblem, meaning, schema_problems
from voskar.files.rulebook_motion import emitter, fixtures
from voskar.files.rulebook_schema import (
    BoxTable,
    KindTable,
    RulebookFile,
    SolidTable,
)
from voskar.files.shapes import Image
from voskar.files.toml_sources import Source, parse_source, read_source
from voskar.files.values import VERSION

Outlines = Mapping[tuple[str, str], Outline]
"""The shape of every box, by kind and box name."""


@dataclass(frozen=True)
class Rulebook:
    """A checked rulebook. `rules(rate)` compiles it: durations become frames only at a rate.

    `source` knows the file and line of every key.
    """

    path: str
    data: RulebookFile
    outlines: Outlines
    solids: tuple[Outline, ...]
    source: Source
    digest: str

    @property
    def kinds(self) -> dict[str, KindNames]:
        """The names of its kinds that recordings may use."""
        data = self.data
        # An owner can change only where some rule reflects; without one, a second owner is a mistake of the logger.
        tables = [table for attack in data.attacks.values() for table in (attack.attacker, attack.target)]
        with_cases: list[KindTable | AttackTable] = [*data.kinds.values(), *data.attacks.values()]
        for cases in (case.cases for case in with_cases):
            tables += [table for case in cases for table in (case.attacker, case.target) if table is not None]
        reflects = any(table.reflect is not None for table in tables)
        own = {name: f"{table.like}{AT}{name}" for name, table in data.actors.items()}
        base = {made: str(data.actors[name].like) for name, made in own.items()}
        return {
            name: KindNames(
                _names_of_boxes(kind), frozenset(kind.tags), reflects, base.get(name, ""), own, _shrunk(kind)
            )
            for name, kind in data.kinds.items()
        }

    @property
    def fixtures(self) -> frozenset[str]:
        """The ids of what it places."""
        return frozenset(fixture.id for fixture in fixtures(self.data.fixtures, {}))

    def some_rules(self, others: Rules, names: Collection[str]) -> Rules:
        """Rules whose kinds and attacks of some names are compiled again, and all else is that of others."""
        # `tune` and `margins` try hundreds of values, and each changes one kind or attack.
        data, rate = self.data, others.rate
        bits, meets = self._bits, others.meets
        kinds = {name: self._kind(name, data.kinds[name], bits, meets, rate) for name in names if name in data.kinds}
        attacks = {name: _attack(name, data.attacks[name], rate) for name in names if name in data.attacks}
        return msgspec.structs.replace(
            others, kinds={**others.kinds, **kinds}, attacks={**others.attacks, **attacks}, digest=self.digest
        )

    @property
    def _bits(self) -> dict[str, int]:
        return {name: 1 << index for index, name in enumerate(self.data.layers.names)}

    def rules(self, rate: Fraction) -> Rules:
        """The rules at `rate` frames a second."""
        data, bits = self.data, self._bits
        solids = tuple(
            Solid(outline, sum(bits[layer] for layer in set(table.layer)))
            for outline, table in zip(self.solids, data.space.solids, strict=True)
        )
        meets = None
        if data.layers.meets is not None:
            meets = {bits[hit]: sum(bits[hurt] for hurt in set(those)) for hit, those in data.layers.meets.items()}
        return Rules(
            rate=rate,
            layers=tuple(data.layers.names),
            # Sorted, so that the order of tables in the file changes nothing.
            kinds={name: self._kind(name, data.kinds[name], bits, meets, rate) for name in sorted(data.kinds)},
            attacks={name: _attack(name, data.attacks[name], rate) for name in sorted(data.attacks)},
            space=compiled(
                Space,
                data.space,
                rate,
                bounds=_ordered(data.space.bounds) if data.space.bounds else None,
                solids=solids,
            ),
            contact=compiled(
                ContactRules,
                data.contact,
                rate,
                clash={
                    bits[name]: sum(bits[other] for other in set(those)) for name, those in data.contact.clash.items()
                },
            ),
            fixtures=fixtures(data.fixtures, data.actors),
            starts={name: compiled(StartRule, table, rate) for name, table in data.starts.items()},
            goal=compiled(Goal, data.goal, rate, clear=tuple(sorted(set(data.goal.clear)))),
            meets=meets,
            digest=self.digest,
        )

    def _kind(
        self, name: str, table: KindTable, bits: dict[str, int], meets: Mapping[int, int] | None, rate: Fraction
    ) -> Kind:
        linger = self.data.contact.linger if table.linger is None else table.linger
        spare = table.spare_lives is not None
        most = table.max_lives

        def compiled_box(box_name: str, box: BoxTable) -> Box:
            layer = sum(bits[text] for text in set(table.layer if box.layer is None else box.layer))
            # An empty mask is a mask: the box meets nothing.
            named = box.mask if box.mask is not None else table.mask
            return compiled(
                Box,
                box,
                rate,
                name=box_name,
                outline=self.outlines[name, box_name],
                logged="" if box.logged is None else box_name if box.logged is True else box.logged,
                layer=layer,
                mask=_mask(box.role, layer, meets) if named is None else sum(bits[name] for name in set(named)),
                keys={
                    clip: tuple(compiled(Key, key, rate, blend=key.blend or box.blend) for key in keys)
                    for clip, keys in box.keys.items()
                },
            )

        return compiled(
            Kind,
            table,
            rate,
            name=name,
            base=name.partition(AT)[0] if AT in name else "",
            # Spare lives exclude the life in play; the judge counts it.
            lives=table.lives if table.spare_lives is None else table.spare_lives + 1,
            max_lives=most + 1 if most is not None and spare else most,
            spare=spare,
            cases=_cases(table.cases, rate),
            counters={
                counter: compiled(CounterRule, table.counters[counter], rate, name=counter)
                for counter in sorted(table.counters)
            },
            emitters=tuple(emitter(text, table.emitters[text], rate) for text in sorted(table.emitters)),
            linger=linger.frames(rate),
            boxes=tuple(compiled_box(box_name, box) for box_name, box in table.boxes.items()),
        )


def load_rulebook(path: str | Path) -> Rulebook:
    """Read and check a rulebook and all that it includes. Raises InputError with every problem found.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> rules = rulebook.rules(rate=60)
    >>> rules.kinds["keeper"].iframes  # in frames
    60
    """
    return check_source(read_source(path))


def parse_rulebook(text: str, name: str) -> Rulebook:
    """Checks the text of a rulebook that includes nothing; `name` is what errors call it."""
    return check_source(parse_source(text, name))


def check_source(source: Source) -> Rulebook:
    """Checks a table that was read. Raises InputError with every problem found."""
    if "voskar" not in source.raw:
        hint = None if source.raw else "the file is empty"
        message = f"no `voskar` key: a rulebook begins with `voskar = {VERSION}`"
        raise InputError(Problem(message, file=source.name, line=1, hint=hint))
    # tables first, as `like` may copy them, and rules of one actor last, as they are like a kind
    written, source = source, with_own_rules(with_likes(with_box_tables(source)))
    found: list[FoundProblem] = list(meaning(source.raw))
    outlines: dict[tuple[str, str], Outline] = {}
    solids: list[Outline] = []
    data: RulebookFile | None = None
    images: dict[str, bytes] = {}
    try:
        data = RulebookFile.model_validate(source.raw)
    except ValidationError as error:
        found += schema_problems(error)
    if data is not None:
        for kind_name, kind in data.kinds.items():
            for box_name, box in kind.boxes.items():
                where = ("kinds", kind_name, "boxes", box_name)
                # One bad shape must not hide the problems of the other boxes.
                try:
                    outlines[kind_name, box_name] = _outline(box, where, source, data.space.up, images)
                except ValueError as error:
                    shape = "polygon" if box.polygon is not None else "pixels"
                    found.append(((*where, shape), f"cannot use this shape: {error}", None))
                    continue
                if box.grow < 0 and box.logged is None:
                    found += _eaten(box, where, outlines[kind_name, box_name])
        for index, solid in enumerate(data.space.solids):
            try:
                solids.append(_drawn_solid(solid))
            except ValueError as error:
                found.append((("space", "solids", index, "polygon"), f"cannot use this shape: {error}", None))
    # Each key path is traced back to the line where the author wrote it, also through `like` and `include`.
    if found or data is None:
        found = [(stated_place(source, where), message, hint) for where, message, hint in found]
        problems = {source.problem(*entry) for entry in found if not _is_made(entry, source.raw)}
        places = {(problem.file, problem.line) for problem in problems}
        made = (source.problem(*entry) for entry in found if _is_made(entry, source.raw))
        # a mistake in a kind is not reported again for each actor that is like it
        problems |= {problem for problem in made if (problem.file, problem.line) not in places}
        raise InputError(
            sorted(
                problems,
                key=lambda problem: (problem.file or "", problem.line or 0, problem.key or "", problem.message),
            )
        )
    # of what the rules say: comments, and the order of tables, change nothing
    digest = hashlib.blake2b(json.dumps(source.raw, sort_keys=True, default=str).encode(), digest_size=16)
    for name in sorted(images):
        # The bytes of an image are part of the rules: the same path may hold another picture.
        digest.update(images[name])
    return Rulebook(source.name, data, outlines, tuple(solids), written, digest.hexdigest())


def _names_of_boxes(kind: KindTable) -> frozenset[str]:
    """The boxes that a pose may log."""
    return frozenset([*kind.boxes, *(box.logged for box in kind.boxes.values() if isinstance(box.logged, str))])


def _shrunk(kind: KindTable) -> frozenset[str]:
    """The boxes that a pose may log and that lose something on every side."""
    table = {name: box for name, box in kind.boxes.items() if box.logged is not None and box.grow < 0}
    return frozenset(box.logged if isinstance(box.logged, str) else name for name, box in table.items())


def _is_made(problem: FoundProblem, raw: dict[str, Any]) -> bool:
    """Whether a problem is about a rule that an actor with rules of its own takes over: its kind has the same
    problem."""
    path = problem[0]
    return len(path) > 1 and path[0] == "kinds" and str(path[1]).partition(AT)[2] in raw.get("actors", ())


def _eaten(box: BoxTable, where: tuple[str, ...], outline: Outline) -> Iterator[FoundProblem]:
    """Where a box that loses something on every side has nothing left: on its own, or stretched by a key."""
    spots: list[tuple[tuple[str | int, ...], list[float]]] = [((*where, "grow"), [1.0, 1.0])]
    for clip, keys in box.keys.items():
        for index, key in enumerate(keys):
            spots += [((*where, "keys", clip, index, "stretch"), key.stretch)] if key.stretch else []
    for spot, stretch in spots:
        # A round shape loses its radius first; its core may be a line without width.
        shape = stretched(outline, (stretch[0], stretch[1]))
        half = shape.radius if shape.round else float(min(np.ptp(shape.parts[0], axis=0))) / 2
        if half <= -box.grow:
            yield spot, f"nothing is left of the box: it loses {-box.grow:g} on every side, and has {half:g}", None


def _ordered(corners: list[float]) -> tuple[float, float, float, float]:
    """Any two opposite corners as low x, low y, high x, high y."""
    x0, y0, x1, y1 = corners
    return min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)


def _drawn_solid(table: SolidTable) -> Outline:
    if table.rect is not None:
        return rectangle(*table.rect)
    return polygon([(x, y) for x, y in table.polygon or ()])


def _mask(role: Role, layer: int, meets: Mapping[int, int] | None) -> int:
    """The mask of a box without its own, by `[layers.meets]`; a hurtbox reads the table backwards."""
    if role == "hurtbox":
        # The table says which hurtboxes a hitbox meets; a hurtbox needs the hitboxes that meet it.
        return sum(hit for hit, those in (meets or {}).items() if those & layer)
    found = 0
    for hit, those in (meets or {}).items():
        found |= those if hit & layer else 0
    return found


def _outline(box: BoxTable, where: tuple[str, ...], source: Source, up: str, images: dict[str, bytes]) -> Outline:
    """The shape of a box as convex parts. Raises ValueError for a polygon or an image that gives none.

    Images are put under their names into `images`, as they are part of what the rulebook says.
    """
    image = None
    if box.pixels is not None:
        alpha = read_alpha(source.path_of((*where, "pixels"), box.pixels))
        images[box.pixels] = alpha.tobytes()
        # Rows of an image run downwards, and y may run upwards.
        image = Image(alpha, 1.0 if up == "-y" else -1.0)
    return box.outline(box.grow, image)


def _attack(name: str, table: AttackTable, rate: Fraction) -> Attack:
    rehit = table.rehit
    damage = _damage(table.damage)
    return compiled(
        Attack,
        table,
        rate,
        name=name,
        **damage,
        rehit=Rehit("after", rehit.frames(rate)) if isinstance(rehit, Duration) else rehit,
        ignores_iframes=damage["damage"] <= 0 if table.ignores_iframes is None else table.ignores_iframes,
        if_=_condition(table.if_, rate),
        cases=_cases(table.cases, rate),
    )


def _damage(item: float | list[float]) -> dict[str, Any]:
    """The damage of a hit: drawn damage goes up to `damage`."""
    # A draw never exceeds `damage`, so every search for the largest damage can use one field.
    if isinstance(item, list):
        return {"damage": item[1], "least_damage": item[0]}
    return {"damage": item, "least_damage": None}


def _condition(table: ContactConditionTable, rate: Fraction) -> ContactCondition:
    # A place by edges looks at the boxes of the frame before, so it needs room for a small overlap.
    slack = table.slack if table.slack is not None else 1.0 if table.from_by == "edge" else 0.0
    return compiled(ContactCondition, table, rate, slack=slack)


def _cases(tables: Sequence[CaseTable], rate: Fraction) -> tuple[Case, ...]:
    found = []
    for table in tables:
        damage: dict[str, Any] = {"damage": None} if table.damage is None else _damage(table.damage)
        found.append(compiled(Case, table, rate, **damage, if_=_condition(table.if_, rate)))
    return tuple(found)
