"""The rehit rule forbids it, or this attack of this striker landed on this target already in this frame."""

from __future__ import annotations

from voskar.core.gate import Gate, Verdict
from voskar.core.judging.contact import Contact


def stops(contact: Contact) -> bool:
    """Whether it may not land again yet."""
    key = contact.key
    landing, frame = contact.memory.landings.get(key), contact.frame
    if landing is not None and landing.frame == frame:
        return True
    rehit = contact.rehit
    if rehit.mode == "entry":
        return contact.memory.touching_since(key, frame) < frame
    if landing is None:
        return False
    if rehit.mode == "once":
        return landing.swing == contact.swing
    return rehit.mode == "after" and frame < landing.frame + rehit.frames


def check(contact: Contact) -> Verdict:
    """When it landed last, and when it may again."""
    key = contact.key
    landing, frame, rehit = contact.memory.landings.get(key), contact.frame, contact.rehit
    if landing is not None and landing.frame == frame:
        return Verdict(True, f"{_what(contact)} landed on this target already in this frame")
    stopped = stops(contact)
    if rehit.mode == "entry":
        since = contact.memory.touching_since(key, frame)
        told = f"in contact since {since}" if stopped else "first frame of the touch"
        return Verdict(stopped, f'rehit "entry": {told}')
    if landing is None:
        return Verdict(False, f'rehit "{rehit}": it has not landed on this target before')
    if rehit.mode == "once":
        when = "in this swing" if stopped else "in an earlier swing"
        return Verdict(stopped, f'rehit "once": it landed in {landing.frame}, {when}')
    if rehit.mode == "always":
        return Verdict(False, f'rehit "always": the landing in {landing.frame} does not matter')
    free = landing.frame + rehit.frames
    return Verdict(stopped, f"rehit {rehit}: it landed in {landing.frame}, free again from {free}")


def _what(contact: Contact) -> str:
    group = contact.attack.rehit_group
    return "this attack" if group is None else f'an attack of the rehit group "{group}"'


GATE = Gate("repeat", "s", "yellow", stops, check)
