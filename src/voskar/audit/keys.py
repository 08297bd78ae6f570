"""Checks of keys that say nothing, or nothing that can come true."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from difflib import get_close_matches

from voskar.audit.findings import AuditedBook, AuditFinding, Check, KeyPath
from voskar.core.rules import ActorCondition, Rules


def never_given(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A condition needs a counter that nothing gives, and that no kind starts with."""
    rules = audit.rules
    names, starts = _changing(rules), _starts(rules)
    asked: list[tuple[KeyPath, str]] = []
    for attack in rules.attacks.values():
        path: KeyPath = ("attacks", attack.name, "if", "attacker", "counters")
        asked += [((*path, name), name) for name in _needed(attack.if_.attacker, starts)]
    for kind in rules.kinds.values():
        for emitter in kind.emitters:
            path = ("kinds", kind.name, "emitters", emitter.name, "if", "counters")
            asked += [((*path, name), name) for name in _needed(emitter.if_, starts)]
    for where, name in asked:
        if name not in names:
            reason = f"no attack `gives` any {name}, so that it never has enough"
            yield audit.finding("never-given", where, reason, "name the counter in a `gives`, or take it out here")


def _changing(rules: Rules) -> set[str]:
    """The counters that anything changes."""
    names = {name for table in rules.tables for name in table.gives}
    for kind in rules.kinds.values():
        # A counter that regenerates or absorbs changes without any attack.
        names |= {name for name, rule in kind.counters.items() if rule.regen is not None or rule.absorbs}
    return names


def _starts(rules: Rules) -> dict[str, set[float]]:
    """The values that counters start with, of kinds that declare them."""
    found: dict[str, set[float]] = {}
    for kind in rules.kinds.values():
        for name, rule in kind.counters.items():
            found.setdefault(name, set()).add(rule.start)
    return found


def _needed(condition: ActorCondition, starts: Mapping[str, Collection[float]]) -> list[str]:
    """The counters that must change before the condition can hold."""
    return [
        name
        for name, needs in condition.counters.items()
        # an undeclared counter starts at 0
        if not any(all(need.holds(value) for need in needs) for value in (0.0, *starts.get(name, ())))
    ]


def no_health(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A condition on the health of a kind that has none: it never holds."""
    for kind in audit.rules.kinds.values():
        if kind.health is not None:
            continue
        asked: list[tuple[KeyPath, ActorCondition]] = [
            (("kinds", kind.name, "boxes", box.name, "if", "health"), box.if_) for box in kind.boxes
        ]
        asked += [
            (("kinds", kind.name, "emitters", emitter.name, "if", "health"), emitter.if_) for emitter in kind.emitters
        ]
        for where, condition in asked:
            if condition.health:
                reason = f"{kind.name} has no health, so that it never holds"
                yield audit.finding("no-health", where, reason, "give the kind `health`, or take it out")


def no_bounds(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A box that opens only within the bounds, in a space without bounds."""
    if audit.rules.space.bounds is not None:
        return
    for _, box, where in audit.boxes():
        if box.within_bounds:
            reason = "the space has no `bounds`, so that it is never outside"
            yield audit.finding("no-bounds", (*where, "within_bounds"), reason, "define `[space] bounds`, or remove it")


def never_logged(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A box that the game is to log: on a driven actor it never is, and this recording may have none."""
    rules, played = audit.rules, audit.recording
    # Driven actors have no pose, so no recording can log boxes of them.
    made = {fixture.kind for fixture in rules.fixtures} | {
        emitter.fan.kind for kind in rules.kinds.values() for emitter in kind.emitters
    }
    made |= {fan.kind for kind in rules.kinds.values() for fan in kind.down.spawn}
    made |= rules.effects
    shown = {actor.kind for actor in played.actors} if played is not None else set()
    for kind, box, where in audit.boxes():
        if not box.logged:
            continue
        if kind.name in made and kind.name not in shown:
            reason = f"{kind.name} is a driven kind, and no game logs where its boxes are: it is never open there"
            yield audit.finding("never-logged", (*where, "logged"), reason, "give the box a shape of its own")
        elif kind.name in shown and played is not None and box.logged not in played.boxes.names:
            reason = f"no pose of the recording logs a box {box.name}: it is closed throughout"
            yield audit.finding("never-logged", (*where, "logged"), reason, f'log it: "boxes": {{ "{box.name}": … }}')


def life_late(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A life that would be taken after its actor is back, or out."""
    for kind in audit.rules.kinds.values():
        down, respawn = kind.down, kind.respawn
        where = ("kinds", kind.name, "down", "life_after")
        if not down.life_after or kind.lives is None:
            continue
        leaves = down.lasts if down.out_after is None else down.out_after
        # A return takes the life at the latest, even before `life_after`.
        if respawn is not None and respawn.needs is None and down.life_after > max(respawn.after, 1):
            reason = f"it is back after {max(respawn.after, 1)} frames, and the life is taken then at the latest"
            yield audit.finding("life-late", where, reason, f'"{max(respawn.after, 1)}f" or less')
        elif down.life_after > leaves:
            reason = f"one without a life left is out after {leaves} frames, and the life is taken then at the latest"
            yield audit.finding("life-late", where, reason, "a shorter `life_after`, or a longer `out_after`")


def clip_misspelt(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A clip that a box names and its kind does not declare, though one of nearly that name. A clip that the recording
    shows is right."""
    shown = () if audit.recording is None else audit.recording.clips
    for kind, box, where in audit.boxes():
        for table in ("during", "except_during", "keys"):
            for clip in getattr(box, table) or {}:
                # A cutoff of 0.7 takes one or two wrong letters, but no other word.
                near = get_close_matches(clip, kind.clips, n=1, cutoff=0.7)
                if clip not in kind.clips and clip not in shown and near:
                    reason = f"{kind.name} declares no clip {clip}, but {near[0]}"
                    yield audit.finding("clip-misspelt", (*where, table, clip), reason, f'write "{near[0]}"')


def idle_key(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Keys that change nothing as the others are, or leave nothing."""
    rules = audit.rules
    stuns = any(table.stun for table in rules.tables)
    groups = Counter(attack.rehit_group for attack in rules.attacks.values())
    for kind in rules.kinds.values():
        where: KeyPath = ("kinds", kind.name)
        if kind.respawn is not None and kind.respawn.clearance and kind.respawn.if_unsafe == "appear":
            reason = "it does not wait for its place to be safe"
            yield audit.finding("idle-key", (*where, "respawn", "clearance"), reason, 'if_unsafe = "wait"')
        if kind.stun_disarms and not stuns:
            reason = "no attack stuns anybody"
            yield audit.finding("idle-key", (*where, "stun_disarms"), reason, "give an attack a `stun`, or take it out")
    for kind, box, where in audit.boxes():
        table = audit.book.data.kinds[kind.name].boxes[box.name]
        if box.role == "hitbox" and table.rank:
            reason = "the order of hits asks for the rank of hurtboxes only"
            yield audit.finding("idle-key", (*where, "rank"), reason, "rank the hurtbox, or take it out")
        for clip, keys in table.keys.items():
            twice = [cell for cell, count in Counter(key.cell for key in keys).items() if count > 1]
            if twice:
                reason = f"cell {twice[0]} has two keys, and the later one counts"
                yield audit.finding("idle-key", (*where, "keys", clip), reason, "take one of them out")
    names = _changing(rules)
    for kind in rules.kinds.values():
        for name in sorted((kind.respawn.keeps if kind.respawn is not None else frozenset()) - names):
            reason = f"nothing changes {name}, so that there is nothing to keep"
            yield audit.finding("idle-key", ("kinds", kind.name, "respawn", "keeps"), reason, "name a counter, or none")
    for name, attack_table in audit.book.data.attacks.items():
        for side in ("attacker", "target"):
            own = getattr(attack_table, side)
            # The reader of the rulebook keeps what was written, while the rules hold compiled values.
            if own.pierce and not own.remove:
                reason = "nothing uses it up, so that there is nothing to pierce"
                yield audit.finding("idle-key", ("attacks", name, side, "pierce"), reason, "remove = true")
    for attack in rules.attacks.values():
        only, never = attack.if_.from_, attack.if_.not_from
        if only and only <= never:
            reason = "`not_from` excludes every side that `from` allows"
            yield audit.finding("idle-key", ("attacks", attack.name, "if", "from"), reason, "take one of the two out")
        if attack.rehit_group is not None and groups[attack.rehit_group] == 1:
            reason = f'no other attack is of the group "{attack.rehit_group}"'
            where = ("attacks", attack.name, "rehit_group")
            yield audit.finding("idle-key", where, reason, "name it in the others, or take it out")


CHECKS: dict[str, Check] = {
    "never-given": never_given,
    "no-health": no_health,
    "no-bounds": no_bounds,
    "never-logged": never_logged,
    "life-late": life_late,
    "clip-misspelt": clip_misspelt,
    "idle-key": idle_key,
}
