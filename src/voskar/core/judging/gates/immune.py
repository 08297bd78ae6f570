"""The target has i-frames, and the attack does not ignore them.

The first immune frame is the one after the hit, or under `same_frame = "first"` the rest of that frame too; the
last one is hit + N.
"""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules
from voskar.core.world import NEVER


def stops(contact: Contact) -> bool:
    """Whether i-frames guard the target."""
    target = contact.target
    if contact.hitbox.attack.ignores_iframes:
        return False
    if target.immune_since <= contact.frame <= target.immune_until:
        return True
    # clips that guard are rare: a set of kinds answers for all others
    return target.kind.name in contact.world.guarded_by_clips and contact.world.clip_guards(target)


def check(contact: Contact) -> GateAnswer:
    """From when to when, and how many are left; 1 is the last immune frame."""
    target, frame, world = contact.target, contact.frame, contact.world
    ignored = ", ignored by this attack" if contact.attack.ignores_iframes else ""
    if world.clip_guards(target):
        name, cell = world.shown_cell(target)
        return GateAnswer(stops(contact), f"i-frames of the clip {name}, cell {cell}{ignored}")
    if not target.immune_since <= frame <= target.immune_until:
        # an actor that never had any and one with i-frames that ran out are different answers to why
        return GateAnswer(False, "no i-frames left" if target.immune_until > NEVER else "no i-frames so far")
    left = target.immune_until - frame + 1
    text = f"i-frames from {target.immune_cause}, {target.immune_since} to {target.immune_until}: "
    text += f"{left} left, this one included"
    return GateAnswer(stops(contact), text + ignored)


def possible(rules: Rules, attack: Attack) -> bool:
    """An attack that does not ignore them, and anything that gives any."""
    flag = any(
        kind.iframes or kind.start_iframes or kind.any_clip_iframes or (kind.respawn and kind.respawn.iframes)
        for kind in rules.kinds.values()
    )
    return not attack.ignores_iframes and (flag or any(table.iframes for table in rules.tables))


GATE = Gate("immune", "o", "cyan", stops, check, possible, reads=(("iframes", "target"),))
