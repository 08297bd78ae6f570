"""A rulebook that forgot `swept`: hits that the game counts, between two frames."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from voskar.core.adopt import Windows
from voskar.core.recording import Recording
from voskar.core.rules import Box, Rules
from voskar.core.step import replay
from voskar.evidence.finding import Finding
from voskar.evidence.patterns import LEAST, Pattern


def unswept(rules: Rules, recording: Recording, roots: Sequence[Finding], windows: Windows) -> list[Pattern]:
    """Of each kind of attacker the denied hits that land if its hitboxes are swept, if that is most of them. One replay
    for each kind that is denied hits for not touching."""
    found = []
    window = windows.at(recording.rate).of("hit")
    missed: dict[str, list[Finding]] = {}
    for root in roots:
        if (
            root.code == "hit-denied"
            and root.why is not None
            and root.why.gate == "touch"
            and root.attacker in recording.numbers
        ):
            missed.setdefault(recording.actors[recording.numbers[root.attacker]].kind, []).append(root)
    for name, some in missed.items():
        kind = rules.kinds[name]
        boxes = [box for box in kind.boxes if box.role == "hitbox" and not box.swept and not box.logged]
        if len(some) < LEAST or not boxes:
            continue
        swept = replace(kind, boxes=tuple(_swept(box) if box in boxes else box for box in kind.boxes))
        ledger = replay(replace(rules, kinds={**rules.kinds, name: swept}), recording)
        frames: dict[tuple[str | None, str | None], list[int]] = {}
        for hit in ledger.hits():
            frames.setdefault((hit.attacker, hit.target), []).append(hit.frame)
        lands = [
            hit for hit in some if any(window.holds(hit.frame, at) for at in frames.get((hit.attacker, hit.target), ()))
        ]
        if len(lands) >= max(LEAST, 2 * len(some) // 3):
            names = " and ".join(box.name for box in boxes)
            land = f"`swept = true` on {names} makes {len(lands)} of {len(some)} land"
            found.append(Pattern(f"{name} hits between two frames in the game: {land}", tuple(lands)))
    return found


def _swept(box: Box) -> Box:
    return replace(box, swept=True)
