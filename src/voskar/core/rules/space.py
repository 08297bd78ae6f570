"""The space that actors are in, and the rules that hold for every contact."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct

from voskar.core.rules.boxes import Box
from voskar.core.rules.decimals import Rounding
from voskar.core.rules.shapes import Outline

Detect = Literal["either", "both", "hitbox", "hurtbox"]


class Solid(Struct, frozen=True):
    """A part of the world that stops bodies: convex parts in the world, and the layers it is on."""

    outline: Outline
    layer: int = 0


class Space(Struct, frozen=True):
    """`up` is "-y" or "+y"; `bounds` are x0, y0, x1, y1 in units, `gravity` units a second squared."""

    up: Literal["-y", "+y"] = "-y"
    bounds: tuple[float, float, float, float] | None = None
    gravity: float = 0.0
    solids: tuple[Solid, ...] = ()

    @property
    def upwards(self) -> float:
        """The sign of y along `up`."""
        return -1.0 if self.up == "-y" else 1.0


class ContactRules(Struct, frozen=True):
    """The rules that hold for every contact."""

    detect: Detect = "either"
    same_frame: Literal["first", "all"] = "first"
    health_check: Literal["frame_end", "at_once"] = "frame_end"
    edges_touch: bool = False
    round_damage: Rounding = "none"
    order: Literal["id", "recorded"] = "id"
    """The rule for ties between hits: by ids, or by the order of poses in the frame."""
    clash: Mapping[int, int] = {}
    """Layers of hitboxes that clash: a bit to those of the others."""


def sees(mask: int, layer: int) -> bool:
    """A mask sees a layer set if they share a layer. The mask belongs to the one who looks, the layer to the other."""
    return bool(mask & layer)


def clash(rules: ContactRules, box: Box, other: Box) -> bool:
    """Whether two hitboxes clash: either direction of the table is enough."""
    # the table may name the pair either way round
    return any(
        bool(mine.layer & bit and theirs.layer & mask)
        for bit, mask in rules.clash.items()
        for mine, theirs in ((box, other), (other, box))
    )


def eligible(detect: Detect, hitbox: Box, hurtbox: Box) -> bool:
    """Whether layers and masks let a hitbox meet a hurtbox at all, under `[contact] detect`."""
    hit_sees, hurt_sees = sees(hitbox.mask, hurtbox.layer), sees(hurtbox.mask, hitbox.layer)
    match detect:
        case "hitbox":
            return hit_sees
        case "hurtbox":
            return hurt_sees
        case "both":
            return hit_sees and hurt_sees
        case "either":
            return hit_sees or hurt_sees
