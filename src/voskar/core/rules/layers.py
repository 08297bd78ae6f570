"""Who looks for whom."""

from __future__ import annotations

from typing import Literal

from voskar.core.rules.boxes import Box

Detect = Literal["either", "both", "hitbox", "hurtbox"]


def sees(mask: int, layer: int) -> bool:
    """A mask sees a layer set if they share a layer. The mask belongs to the one who looks, the layer to the other."""
    return bool(mask & layer)


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
