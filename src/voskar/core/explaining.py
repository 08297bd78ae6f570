"""Why a pair of actors came to what it did in one frame, from the same functions that judge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from voskar.core import geometry
from voskar.core.gates import NEVER, Ally, Immune, Repeat, Standing, Verdict
from voskar.core.judging import FrameTrace, Judged
from voskar.core.placing import Wardrobe, place
from voskar.core.recording import Poses, Recording
from voskar.core.rules import Rules
from voskar.core.touching import part_groups


@dataclass(frozen=True)
class Account:
    """What the rules made of a striker and a target in a frame: the gate that decided, in a word and a sentence.

    `gate` is an outcome, or what kept the pair from being a contact at all: `absent`, `hidden`, `down`,
    `own`, `boxes`, `layers`, `apart`.
    """

    frame: int
    striker: str
    target: str
    gate: str
    sentence: str


def account(
    rules: Rules,
    recording: Recording,
    trace: FrameTrace | None,
    frame: int,
    striker: str,
    target: str,
    *,
    landed_is_taken: bool = False,
) -> Account:
    """The deciding gate for a pair in a watched frame; the furthest any of their boxes came.

    With `landed_is_taken` a landing in this frame explains another claim, and the question is what stopped
    a second one.
    """
    judged = [
        one
        for one in (trace.judged if trace else [])
        if (one.contact.striker.id, one.contact.target.id) == (striker, target)
    ]
    if judged:
        best = next((one for one in judged if (one.outcome == "landed") is not landed_is_taken), judged[0])
        if landed_is_taken and best.outcome == "landed":
            return Account(frame, striker, target, "landed", "it landed in this frame, but only once")
        return Account(frame, striker, target, best.outcome, describe(best))
    gate, sentence = _no_contact(rules, recording, trace, frame, striker, target)
    return Account(frame, striker, target, gate, sentence)


def describe(judged: Judged) -> str:
    """The outcome of a contact and the numbers of the gate that decided it."""
    contact = judged.contact
    boxes = f"{contact.hitbox.name} on {contact.hurtbox.name}"
    if judged.outcome == "landed":
        return f"landed, {boxes}"
    verdict = dict(judged.verdicts)[judged.outcome]
    return f"{boxes}: {verdict_sentence(verdict)}"


def verdict_sentence(verdict: Verdict) -> str:
    """What one gate found, with its numbers."""
    match verdict:
        case Ally(stops=True, striker_side=side):
            return f'both are on the side "{side}"'
        case Ally(friendly=True, striker_side=side, target_side=other) if side is not None and side == other:
            return f'both are on the side "{side}", but the attack is friendly'
        case Ally(striker_side=side, target_side=other):
            return f"sides differ: {_name(side)} against {_name(other)}"
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


def _name(side: str | None) -> str:
    return f'"{side}"' if side is not None else "no side"


def _no_contact(
    rules: Rules, recording: Recording, trace: FrameTrace | None, frame: int, striker: str, target: str
) -> tuple[str, str]:
    """What kept a pair from being a contact."""
    for name in (striker, target):
        if name not in recording.numbers:
            return "absent", f"{name} is not in the recording"
    if striker == target:
        return "own", "an actor cannot hit itself"
    if not recording.first <= frame <= recording.last:
        return "absent", f"the recording has frames {recording.first} to {recording.last}"
    poses = recording.poses.rows(recording.block(frame, frame + 1))
    numbers = [recording.numbers[striker], recording.numbers[target]]
    for name, number in zip((striker, target), numbers, strict=True):
        row = np.flatnonzero(poses.actor == number)
        if not len(row):
            return "absent", f"{name} has no pose in this frame"
        if poses.hidden[row[0]]:
            return "hidden", f"{name} is hidden in this frame"
        standing: Standing | None = trace.standings.get(name) if trace else None
        if standing is not None and standing.down is not None:
            return "down", f"{name} has been down since {standing.down}"
    owners = recording.owners
    if owners[numbers[0]] == numbers[1]:
        return "own", f"{target} is the owner of {striker}"
    if owners[numbers[0]] != -1 and owners[numbers[0]] == owners[numbers[1]]:
        return "own", f"both are owned by {recording.actors[numbers[0]].owner}"
    return _apart(rules, poses.rows(np.flatnonzero(np.isin(poses.actor, numbers))), recording, numbers)


def _apart(rules: Rules, poses: Poses, recording: Recording, numbers: list[int]) -> tuple[str, str]:
    """The layers that forbid a pair, or the nearest two boxes that might have met and the gap between them."""
    wardrobe = Wardrobe(rules)
    kinds = [actor.kind for actor in recording.actors]
    hits, hurts = place(poses, kinds, wardrobe, "hitbox"), place(poses, kinds, wardrobe, "hurtbox")
    hits, hurts = hits.take(hits.actor == numbers[0]), hurts.take(hurts.actor == numbers[1])
    for placed, number, role in ((hits, numbers[0], "hitbox"), (hurts, numbers[1], "hurtbox")):
        if not len(placed):
            return "boxes", f"{recording.actors[number].id} has no {role}"
    meets = wardrobe.meets[np.ix_(hits.box, hurts.box)]
    if not meets.any():
        hit, hurt = wardrobe.fitted[hits.box[0]].box, wardrobe.fitted[hurts.box[0]].box
        return "layers", (
            f"layers: {hit.name} looks for {_layers(rules, hit.mask)}, {hurt.name} is on {_layers(rules, hurt.layer)}; "
            f"{hurt.name} looks for {_layers(rules, hurt.mask)}, {hit.name} is on {_layers(rules, hit.layer)}"
        )
    best: tuple[float, str, str] | None = None
    for i, j in np.argwhere(meets).tolist():
        value = box_gap(poses, hits.pose[i], hits.form[i], hurts.pose[j], hurts.form[j], wardrobe)
        names = (wardrobe.fitted[hits.box[i]].box.name, wardrobe.fitted[hurts.box[j]].box.name)
        if best is None or (value, *names) < best:
            best = (value, *names)
    assert best is not None
    return "apart", f"apart by {max(best[0], 0.0):.3f} units ({best[1]} to {best[2]})"


def _layers(rules: Rules, bits: int) -> str:
    return ", ".join(rules.layer_names(bits)) or "nothing"


def box_gap(poses: Poses, pose_a: int, form_a: int, pose_b: int, form_b: int, wardrobe: Wardrobe) -> float:
    """Signed gap of two boxes in units: the least over their parts; negative where they overlap."""
    parts = wardrobe.parts
    own = np.arange(parts.start[form_a], parts.start[form_a] + parts.count[form_a])
    other = np.arange(parts.start[form_b], parts.start[form_b] + parts.count[form_b])
    a, b = (grid.reshape(-1) for grid in np.meshgrid(own, other, indexing="ij"))
    at_a, at_b = np.full(len(a), pose_a), np.full(len(b), pose_b)
    groups = part_groups(poses, at_a, a, at_b, b, wardrobe)
    return float(min(geometry.gap(va, vb, radii).min() for _, va, vb, radii in groups))
