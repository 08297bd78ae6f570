"""Numbers in the two accounts of a finding, and in why a gate decided."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator

from voskar.evidence.finding import Finding

NUMBER = re.compile(r"(?<![\w./#+-])-?\d+(?:\.\d+)?")
PLACE = re.compile(r"\((-?\d+(?:\.\d+)?), (-?\d+(?:\.\d+)?)\)")
SPAN = re.compile(r"from (\d+) to (\d+)|\bin (\d+)")
_FRAMES = re.compile(r"(?:from|to|in|frame|after|until|by|of) -?\d+(?! ?(?:units|°|/|\.\d| a second))|\d+ frames?")
APART = re.compile(r"(\d+(?:\.\d+)?) units off")
CELL = re.compile(r"\bcell (\d+)")
OFF = re.compile(r"(\d+) frames? too (short|long)")


def touch_gaps(findings: Iterable[Finding]) -> list[float]:
    """How far boxes are apart, or overlap, where the accounts differ about a touch; the farthest first."""
    values = {abs(finding.why.gap) for finding in findings if finding.why is not None and finding.why.gap is not None}
    # The farthest first, as a value that is too far is moved back later; a gap of 2,000 units is another cause.
    far = sorted(gap for gap in values if 0 < gap < 2000)
    return [round(gap + 0.01, 2) for gap in dict.fromkeys([*far[-1:], *far[len(far) // 2 :][:1]])]


def headings(finding: Finding) -> Iterator[float]:
    """By how many degrees the game's heading is off."""
    angles = re.compile(r"(-?\d+(?:\.\d+)?)°")
    shown, meant = angles.findall(finding.game), angles.findall(finding.rules)
    # Headings wrap at a full turn.
    if finding.code == "spawn-direction" and shown and meant:
        yield math.remainder(float(shown[0]) - float(meant[0]), 360.0)


def compared(value: float, findings: Iterable[Finding]) -> Iterator[tuple[float, int]]:
    """Numbers that both accounts have, but frames, put in the place of a value, or in its proportion."""
    for finding in findings:
        shown, meant = (
            # Places and frames look like numbers, but say nothing about the value of a key.
            [float(item) for item in NUMBER.findall(_FRAMES.sub(" ", PLACE.sub(" ", text)))]
            for text in (finding.game, finding.rules)
        )
        for at, number in enumerate(shown[:3]):
            yield round(number, 4), 3 if at == 0 else 1
            if at < len(meant) and meant[at] != number:
                yield round(value + number - meant[at], 4), 2
                yield round(value - number + meant[at], 4), 1
                # A rule may scale a value, so the proportion counts as well as the difference.
                if meant[at] and value:
                    yield round(value * number / meant[at], 4), 2
