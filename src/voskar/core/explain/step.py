"""One gate of an explanation, and words that several share."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from voskar.core.judging.gates import GateAnswer
from voskar.core.rules import Box, Detect, Rules, eligible, sees
from voskar.core.rules.shapes import TOLERANCE


class Step(Struct, frozen=True):
    """One gate: whether it let pass, and the numbers in words. `more` are further lines."""

    gate: str
    passed: bool
    text: str
    more: tuple[str, ...] = ()


def steps_of(verdicts: Iterable[tuple[str, GateAnswer]]) -> list[Step]:
    """Verdicts of gates, by name."""
    return [Step(name, not verdict.stops, verdict.words) for name, verdict in verdicts]


def units(value: float) -> str:
    """A gap in words."""
    return (
        f"{value:.3f} units"
        if value > TOLERANCE
        else "0 units, edges only meet"
        if value >= -TOLERANCE
        else "overlapping"
    )


DETECT_WORDS: dict[Detect, str] = {
    "either": "one must see the other",
    "both": "each must see the other",
    "hitbox": "the hitbox must see the hurtbox",
    "hurtbox": "the hurtbox must see the hitbox",
}


def layers_step(rules: Rules, hit: Box, hurt: Box) -> Step:
    """Layers and masks of two boxes, bit by bit."""
    detect = rules.contact.detect
    forth, back = sees(hit.mask, hurt.layer), sees(hurt.mask, hit.layer)
    seen = {(True, True): "each sees the other", (True, False): f"{hit.name} sees {hurt.name}"}
    seen |= {(False, True): f"{hurt.name} sees {hit.name}", (False, False): "neither sees the other"}
    lines = tuple(
        f"{name + '.' + key:<20} {_bits(rules, bits)}  {', '.join(rules.layer_names(bits)) or 'nothing'}"
        for name, key, bits in (
            (hit.name, "mask", hit.mask),
            (hurt.name, "layer", hurt.layer),
            (hurt.name, "mask", hurt.mask),
            (hit.name, "layer", hit.layer),
        )
    )
    text = f'{seen[forth, back]}; detect = "{detect}": {DETECT_WORDS[detect]}'
    return Step("layers", eligible(detect, hit, hurt), text, lines)


def _bits(rules: Rules, bits: int) -> str:
    return "".join("1" if bits >> index & 1 else "." for index in range(len(rules.layers)))
