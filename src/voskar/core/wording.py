"""The words of gates: what each found, with its numbers, in one sentence."""

from __future__ import annotations

from dataclasses import dataclass

from voskar.core.gates import NEVER, Ally, Down, Immune, Preempted, Repeat, Spent, Unmet, Verdict
from voskar.core.rules import Box, Detect, Rules, eligible, sees
from voskar.core.shapes import TOLERANCE


@dataclass(frozen=True)
class Step:
    """One gate: whether it let the pair through, and the numbers in words. `more` are further lines."""

    gate: str
    passed: bool
    text: str
    more: tuple[str, ...] = ()


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


def verdict_sentence(verdict: Verdict) -> str:
    """What one gate found, with its numbers."""
    match verdict:
        case Ally(stops=True, striker_side=side):
            return f'both are on the side "{side}"'
        case Ally(friendly=True, striker_side=side, target_side=other) if side is not None and side == other:
            return f'both are on the side "{side}", but the attack is friendly'
        case Ally(striker_side=side, target_side=other):
            return f"sides differ: {_name(side)} against {_name(other)}"
        case Down(stops=stops, who=who):
            return f"{who} went down earlier in this frame" if stops else "neither went down earlier in this frame"
        case Spent(stops=stops, who=who):
            return f"{who} was used up earlier in this frame" if stops else "neither was used up earlier in this frame"
        case Preempted(stops=stops):
            return "the target struck first, with an attack that preempts" if stops else "nothing preempted it"
        case Unmet():
            return _condition_words(verdict)
        case Repeat(this_frame=True):
            return "this attack landed on this target already in this frame"
        case Repeat(rehit=rehit, stops=stops, last_landing=last, touching_since=since, free=free):
            if rehit.mode == "entry":
                return (
                    f'rehit "entry": in contact since {since}' if stops else 'rehit "entry": first frame of the touch'
                )
            if last is None:
                return f'rehit "{rehit}": it has not landed on this target before'
            if rehit.mode == "once":
                when = "in this swing" if stops else "in an earlier swing"
                return f'rehit "once": it landed in {last}, {when}'
            if rehit.mode == "always":
                return f'rehit "always": the landing in {last} does not matter'
            return f"rehit {rehit}: it landed in {last}, free again from {free}"
        case Immune(left=0, until=until):
            return "no i-frames left" if until > NEVER else "no i-frames so far"
        case Immune(since=since, until=until, left=left, cause=cause, ignored=ignored):
            text = f"i-frames from {cause}, {since} to {until}: {left} left, this one included"
            return text + ", ignored by this attack" if ignored else text
    raise AssertionError(verdict)


def _condition_words(verdict: Unmet) -> str:
    """Where the striker is and how it moves, against what the attack asks for."""
    attack, bearing, fall = verdict.attack, verdict.bearing, verdict.fall
    told = []
    if bearing is not None:
        wanted = [f"only from {' or '.join(sorted(attack.only_from))}"] if attack.only_from else []
        wanted += [f"never from {' or '.join(sorted(attack.never_from))}"] if attack.never_from else []
        what, other = ("its lowest point", "highest") if attack.from_by == "edge" else ("its centre", "centre")
        gap = f"{abs(bearing.gap):.3f} units {'above' if bearing.gap >= 0 else 'below'} the target's {other}"
        where = f"it comes from {bearing.place}: in frame {bearing.frame} {what} is {gap}"
        where += f", slack {attack.slack:g}"
        told.append(f"{', '.join(wanted)}: {where}")
    if fall is not None:
        way = f"falls at {fall:.1f}" if fall > 0 else f"rises at {-fall:.1f}" if fall < 0 else "stands still at 0"
        told.append(f"only falling: the striker {way} units a second")
    return "; ".join(told) or "the attack asks for no place and no fall"


def _name(side: str | None) -> str:
    return f'"{side}"' if side is not None else "no side"
