"""The rehit rule forbids it, or this attack of this attacker landed on this target already in this frame, or
on as many as it may in a swing."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact


def stops(contact: Contact) -> bool:
    """Whether it may not land again yet."""
    key = contact.key
    hit, frame = contact.memory.hits.get(key), contact.frame
    # several pairs of boxes may touch in a frame: under every rehit rule the attack lands once
    if hit is not None and hit.frame == frame:
        return True
    # other targets than this one count, and so an attack that has landed here before may land again
    if contact.hitbox.attack.max_targets is not None and contact.is_full:
        return True
    rehit = contact.rehit
    if rehit.mode == "entry":
        # a touch that began earlier was either judged then, or stopped by another gate: it is no new entry
        return contact.memory.touching_since(key, frame) < frame
    if hit is None:
        return False
    if rehit.mode == "once":
        return hit.swing == contact.swing
    # the duration counts from the end of a freeze of the attacker, as its own time does
    return rehit.mode == "after" and frame < hit.since + rehit.frames


def check(contact: Contact) -> GateAnswer:
    """When it landed last, and when it may again."""
    key = contact.key
    hit, frame, rehit = contact.memory.hits.get(key), contact.frame, contact.rehit
    if hit is not None and hit.frame == frame:
        return GateAnswer(True, f"{_what(contact)} landed on this target already in this frame")
    # before the rehit rule, as `stops` asks in this order
    if contact.is_full:
        when = "in this swing" if contact.has_swings else "in contacts that go on"
        text = f"max_targets {contact.attack.max_targets}: {_what(contact)} landed on as many others {when}"
        return GateAnswer(True, text)
    stopped = stops(contact)
    if rehit.mode == "entry":
        since = contact.memory.touching_since(key, frame)
        text = f"in contact since {since}" if stopped else "first frame of the touch"
        return GateAnswer(stopped, f'rehit "entry": {text}')
    if hit is None:
        return GateAnswer(False, f'rehit "{rehit}": it has not landed on this target before')
    if rehit.mode == "once":
        when = "in this swing" if stopped else "in an earlier swing"
        return GateAnswer(stopped, f'rehit "once": it landed in {hit.frame}, {when}')
    if rehit.mode == "always":
        return GateAnswer(False, f'rehit "always": the hit in {hit.frame} does not matter')
    free = hit.since + rehit.frames
    return GateAnswer(stopped, f"rehit {rehit}: it landed in {hit.frame}, free again from {free}")


def _what(contact: Contact) -> str:
    group = contact.attack.rehit_group
    return "this attack" if group is None else f'an attack of the rehit group "{group}"'


GATE = Gate("repeat", "s", "yellow", stops, check, reads=(("rehit", "pair"), ("rehit", "attacker")))
