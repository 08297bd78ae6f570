"""Reads a rulebook: TOML in, checked as a whole, every problem told at once with file, line and key path."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import cast

import numpy as np
from msgspec.structs import replace
from pydantic import ValidationError

from voskar.core.rules import (
    Attack,
    Box,
    Clip,
    Consequences,
    ContactRules,
    Direction,
    Duration,
    Key,
    Kind,
    Knockback,
    Rebound,
    Rehit,
    Role,
    Rules,
    Solid,
    Space,
)
from voskar.core.rules.outlines import capsule, circle, pixels, polygon, rectangle, stretched
from voskar.core.rules.shapes import Outline
from voskar.errors import InputError, Problem
from voskar.files.images import read_alpha
from voskar.files.rulebook_checks import Told, meaning, schema_problems
from voskar.files.rulebook_motion import emitter, fixtures, goal, going, motion, respawn
from voskar.files.rulebook_schema import (
    AttackTable,
    BoxTable,
    ConsequenceTable,
    KeyTable,
    KindTable,
    RulebookFile,
    SolidTable,
)
from voskar.files.toml_sources import Source, parse_source, read_source

DEFAULT_RATE = Fraction(60)
"""Frames a second where a rulebook is looked at without a recording."""

Outlines = Mapping[tuple[str, str], Outline]
"""The shape of every box, by kind and box name."""


_More = tuple[Outlines, Duration]
"""The shapes, and how long those linger whose kind does not say."""


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
    def kinds(self) -> dict[str, frozenset[str]]:
        """The names of its kinds, each with those of its boxes."""
        return {name: frozenset(kind.boxes) for name, kind in self.data.kinds.items()}

    @property
    def fixtures(self) -> frozenset[str]:
        """The ids of what it places."""
        return frozenset(one.id for one in fixtures(self.data.fixtures))

    def rules(self, rate: Fraction) -> Rules:
        """The rules at `rate` frames a second."""
        data = self.data
        bits = {name: 1 << index for index, name in enumerate(data.layers.names)}
        bounds = data.space.bounds
        more = (self.outlines, data.contact.linger)
        meets = None
        if data.layers.meets is not None:
            meets = {bits[hit]: sum(bits[hurt] for hurt in set(those)) for hit, those in data.layers.meets.items()}
        return Rules(
            rate=rate,
            layers=tuple(data.layers.names),
            kinds={name: _kind(name, data.kinds[name], bits, meets, rate, more) for name in sorted(data.kinds)},
            attacks={name: _attack(name, data.attacks[name], rate) for name in sorted(data.attacks)},
            space=Space(
                data.space.up,
                _ordered(bounds) if bounds else None,
                data.space.gravity,
                tuple(
                    Solid(outline, sum(bits[layer] for layer in set(table.layer)))
                    for outline, table in zip(self.solids, data.space.solids, strict=True)
                ),
            ),
            contact=ContactRules(
                detect=data.contact.detect,
                same_frame=data.contact.same_frame,
                health_check=data.contact.health_check,
                edges_touch=data.contact.edges_touch,
            ),
            fixtures=fixtures(data.fixtures),
            goal=goal(data.goal, rate),
            meets=meets,
            digest=self.digest,
        )


def load_rulebook(path: str | Path) -> Rulebook:
    """Reads and checks a rulebook and all it includes. Raises InputError with every problem found."""
    return check_source(read_source(path))


def parse_rulebook(text: str, name: str) -> Rulebook:
    """Checks the text of a rulebook that includes nothing; `name` is what errors call it."""
    return check_source(parse_source(text, name))


def check_source(source: Source) -> Rulebook:
    """Checks a table that was read. Raises InputError with every problem found."""
    if "voskar" not in source.raw:
        hint = None if source.raw else "the file is empty"
        message = "no `voskar` key: a rulebook begins with `voskar = 1`"
        raise InputError(Problem(message, file=source.name, line=1, hint=hint))
    found: list[Told] = list(meaning(source.raw))
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
    if found or data is None:
        problems = {source.problem(*one) for one in found}
        raise InputError(sorted(problems, key=lambda one: (one.file or "", one.line or 0, one.key or "", one.message)))
    digest = hashlib.blake2b(json.dumps(source.raw, sort_keys=True, default=str).encode(), digest_size=16)
    for name in sorted(images):
        digest.update(images[name])
    return Rulebook(source.name, data, outlines, tuple(solids), source, digest.hexdigest())


def _eaten(box: BoxTable, where: tuple[str, ...], outline: Outline) -> Iterator[Told]:
    """Where a box that loses something on every side has nothing left: on its own, or stretched by a key."""
    spots: list[tuple[tuple[str | int, ...], list[float]]] = [((*where, "grow"), [1.0, 1.0])]
    for clip, keys in box.keys.items():
        for index, key in enumerate(keys):
            spots += [((*where, "keys", clip, index, "stretch"), key.stretch)] if key.stretch else []
    for spot, stretch in spots:
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
    """The mask of a box that has none of its own, by the table of who meets whom; a hurtbox reads it backwards."""
    if role == "hurtbox":
        return sum(hit for hit, those in (meets or {}).items() if those & layer)
    found = 0
    for hit, those in (meets or {}).items():
        found |= those if hit & layer else 0
    return found


def _kind(
    name: str, table: KindTable, bits: dict[str, int], meets: Mapping[int, int] | None, rate: Fraction, more: _More
) -> Kind:
    outlines, linger = more

    def one(box_name: str, box: BoxTable) -> Box:
        layer = sum(bits[one] for one in set(table.layer if box.layer is None else box.layer))
        named = box.mask if box.mask is not None else table.mask
        return Box(
            name=box_name,
            role=box.role,
            outline=outlines[name, box_name],
            logged=box.logged is not None,
            within_bounds=box.within_bounds,
            at=(box.at[0], box.at[1]),
            turn=box.turn,
            layer=layer,
            mask=_mask(box.role, layer, meets) if named is None else sum(bits[one] for one in set(named)),
            attack=box.attack,
            rank=box.rank,
            damage_scale=box.damage_scale,
            during=box.during,
            except_during=box.except_during,
            keys={clip: _keys(box, keys) for clip, keys in box.keys.items()},
            swept=box.swept,
        )

    return Kind(
        name=name,
        side=table.side,
        health=table.health,
        iframes=table.iframes.frames(rate),
        weight=table.weight,
        bounce=table.bounce,
        motion=motion(table.motion, rate),
        emitters=tuple(emitter(one, table.emitters[one], rate) for one in sorted(table.emitters)),
        down=going(table.down, rate),
        lives=table.lives,
        respawn=None if table.respawn is None else respawn(table.respawn, rate),
        succession=table.succession,
        linger=(linger if table.linger is None else table.linger).frames(rate),
        wraps=table.wraps,
        stun_disarms=table.stun_disarms,
        boxes=tuple(one(box_name, box) for box_name, box in table.boxes.items()),
        clips={
            clip_name: Clip(clip.cells, None if clip.rate is None else Fraction(repr(clip.rate)), clip.loop)
            for clip_name, clip in table.clips.items()
        },
    )


def _keys(box: BoxTable, keys: list[KeyTable]) -> tuple[Key, ...]:
    return tuple(
        Key(
            key.cell,
            (key.at[0], key.at[1]) if key.at else None,
            key.turn,
            (key.stretch[0], key.stretch[1]) if key.stretch else None,
            (key.blend or box.blend) == "linear",
        )
        for key in keys
    )


def _outline(box: BoxTable, where: tuple[str, ...], source: Source, up: str, images: dict[str, bytes]) -> Outline:
    """The shape of a box as convex parts. Raises ValueError for a polygon or an image that gives none.

    Images are put under their names into `images`, as they are part of what the rulebook says.
    """
    if box.pixels is not None:
        alpha = read_alpha(source.path_of((*where, "pixels"), box.pixels))
        images[box.pixels] = alpha.tobytes()
        shape = pixels(alpha >= box.alpha, (box.origin[0], box.origin[1]), box.pixel, 1.0 if up == "-y" else -1.0)
    else:
        shape = _drawn(box)
    return replace(shape, grow=box.grow)


def _drawn(box: BoxTable) -> Outline:
    if box.rect is not None:
        width, height = box.rect
        return rectangle(-width / 2, -height / 2, width / 2, height / 2)
    if box.span is not None:
        return rectangle(*box.span)
    if box.circle is not None:
        return circle(box.circle)
    if box.logged is not None:
        return circle(0.0)  # where it is, a recording tells
    if box.capsule is not None:
        return capsule(*box.capsule)
    return polygon([(x, y) for x, y in box.polygon or ()])


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
        only_from=frozenset(table.only_from),
        never_from=frozenset(table.never_from),
        from_by=table.from_by,
        only_onto=table.only_onto,
        requires=dict(table.requires),
        lacks=dict(table.lacks),
        rehit_group=table.rehit_group,
        slack=table.slack if table.slack is not None else 1.0 if table.from_by == "edge" else 0.0,
        falling=table.falling,
        preempts=table.preempts,
        striker=_consequences(table.striker, rate),
        target=_consequences(table.target, rate),
    )


def _consequences(table: ConsequenceTable, rate: Fraction) -> Consequences:
    push = table.knockback
    return Consequences(
        iframes=None if table.iframes is None else table.iframes.frames(rate),
        stun=table.stun.frames(rate),
        knockback=None
        if push is None
        else Knockback(
            push.distance,
            max(push.over.frames(rate), 1),
            push.ease == "fade",
            cast(Direction, push.direction) if isinstance(push.direction, str) else push.direction,
            push.mode == "add",
        ),
        rebound=None if table.rebound is None else Rebound(table.rebound, table.rebound_mode == "add"),
        remove=table.remove,
        pierce=table.pierce,
        consumed_by=frozenset(table.consumed_by),
        home=table.home,
        checkpoint=table.checkpoint,
        gives=dict(table.gives),
        goal=table.goal,
        effect=table.effect,
    )
