"""Checks of what hits do."""

from __future__ import annotations

from collections.abc import Iterator

from voskar.audit.findings import AuditedBook, AuditFinding, Check
from voskar.core.rules import Attack, Box, Kind
from voskar.core.views.framedata import moves


def _meetings(audit: AuditedBook) -> Iterator[tuple[Kind, Box, Attack, Kind, Box]]:
    """Every hitbox with every hurtbox of another side that it may meet."""
    catalog = audit.catalog
    for hit in catalog.of_role("hitbox"):
        for hurt in catalog.of_role("hurtbox"):
            attacker, target, attack = hit.kind, hurt.kind, hit.attack
            # Attacks between allies never land, so they cannot be a mistake of numbers.
            foes = attacker.side is None or attacker.side != target.side or attack.friendly
            if catalog.meets(hit, hurt) and foes:
                yield attacker, hit.box, attack, target, hurt.box


def stomp_unguarded(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A stomp without `preempts` on a kind that hurts back by its own touch in the same frame."""
    hurts = {
        (attacker.name, target.name): attack for attacker, _, attack, target, _ in _meetings(audit) if attack.damage > 0
    }
    names = set()
    for attacker, _, attack, target, _ in _meetings(audit):
        back = hurts.get((target.name, attacker.name))
        # A condition on falling or on the side from above is what makes a touch a stomp.
        stomp = attack.if_.falling or attack.if_.from_ == {"above"}
        if stomp and not attack.preempts and back is not None and attack.name not in names:
            names.add(attack.name)
            reason = (
                f"{target.name} touches back with {back.name}: in the frame of a stomp its own touch may hurt "
                f"{attacker.name}"
            )
            yield audit.finding("stomp-unguarded", ("attacks", attack.name), reason, "preempts = true")


def launch_adds(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A launch that adds to a falling speed: the faster the fall, the lower the bounce."""
    for attack in audit.rules.attacks.values():
        launch = attack.attacker.launch
        if (
            launch is not None
            and launch.up is not None
            and launch.mode == "add"
            and (attack.if_.falling or "above" in attack.if_.from_)
        ):
            reason = "it adds to a falling speed: the attacker bounces the less the faster it falls"
            where = ("attacks", attack.name, "attacker", "launch", "mode")
            yield audit.finding("launch-adds", where, reason, 'mode = "set", for always the same height')


def entry_lost(audit: AuditedBook) -> Iterator[AuditFinding]:
    """An always-on `entry` attack on targets with i-frames: a touch that begins in them never lands."""
    names = set()
    for attacker, box, attack, target, _ in _meetings(audit):
        # The attack's own i-frames replace those of the kind, also if they are 0.
        number = target.iframes if attack.target.iframes is None else attack.target.iframes
        entry = attack.rehit is not None and attack.rehit.mode == "entry"
        if (
            entry
            and attack.name not in names
            and not attacker.timed(attack.name)
            and number > 0
            and attack.gives_iframes
            and not attack.ignores_iframes
        ):
            names.add(attack.name)
            reason = (
                f"{target.name} gets {number} i-frames: a touch of {box.name} that begins in them never lands, "
                "however long it lasts"
            )
            remedy = 'rehit = "always" lets the i-frames alone decide'
            yield audit.finding("entry-lost", ("attacks", attack.name), reason, remedy)


def drained(audit: AuditedBook) -> Iterator[AuditFinding]:
    """An always-on attack that lands every frame on a target without i-frames."""
    names = set()
    for attacker, box, attack, target, _ in _meetings(audit):
        number = target.iframes if attack.target.iframes is None else attack.target.iframes
        # Without a rehit an attack lands again in each frame.
        always = attack.rehit is None or attack.rehit.mode == "always"
        if (
            attack.name in names
            or not always
            or attacker.timed(attack.name)
            or attack.damage <= 0
            or target.health is None
        ):
            continue
        # a push, or an attacker that is gone, prevents a hit in the next frame
        if (number == 0 or attack.ignores_iframes) and not attack.attacker.remove and attack.target.knockback is None:
            names.add(attack.name)
            rate = float(audit.rules.rate)
            lasts = target.health / (attack.damage * rate)
            reason = (
                f"{box.name} lands in every frame on {target.name}, which gets no i-frames: "
                f"{attack.damage * rate:g} damage a second, {lasts:.2f} s for all its health"
            )
            yield audit.finding(
                "drained", ("attacks", attack.name), reason, "give i-frames, or a rehit of a duration or once"
            )


def iframes_short(audit: AuditedBook) -> Iterator[AuditFinding]:
    """I-frames shorter than the swing that gave them, where the swing may land again."""
    for move in moves(audit.rules):
        # The first hit may land in the first active frame, so the rest of the swing is what i-frames must cover.
        rest = move.windows[-1][1] - move.windows[0][0]
        if move.iframes and move.iframes < rest and move.damage_all > move.damage:
            reason = (
                f"a swing of {move.kind} in {move.clip} is active for {rest + 1} frames from its first, and gives "
                f"{move.iframes} i-frames: it may land {move.damage_all / move.damage:.0f} times"
            )
            yield audit.finding(
                "iframes-short",
                ("attacks", move.attack, "target", "iframes"),
                reason,
                f'"{rest}f", if it should land once',
            )


def knockback_short(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A knockback after which the same two still touch."""
    if audit.recording is None:
        return
    runs: dict[tuple[str | None, str | None, str | None], list[tuple[int, int]]] = {}
    for event in audit.ledger.of("contact"):
        key = (event.attacker, event.target, event.attack)
        runs.setdefault(key, []).append((event.frame, event.until or event.frame))
    pushes = {(event.frame, event.id, event.by): event for event in audit.ledger.of("knockback")}
    seen: dict[str, list[int]] = {}
    for hit in audit.ledger.hits():
        push = pushes.get((hit.frame, hit.target, hit.attacker))
        # the push displaces in its last frame, too
        after = (push.until or 0) + 1 if push is not None else None
        key = (hit.attacker, hit.target, hit.attack)
        if after is not None and any(first <= after <= last for first, last in runs[key]):
            seen.setdefault(hit.attack or "", []).append(hit.frame)
    for name, frames in sorted(seen.items()):
        reason = f"{len(frames)} times the two still touch when the push is over, first after the hit in {frames[0]}"
        where = ("attacks", name, "target", "knockback")
        yield audit.finding(
            "knockback-short", where, reason, "push further, or see that the poses show the push: voskar check"
        )


CHECKS: dict[str, Check] = {
    "stomp-unguarded": stomp_unguarded,
    "launch-adds": launch_adds,
    "entry-lost": entry_lost,
    "drained": drained,
    "iframes-short": iframes_short,
    "knockback-short": knockback_short,
}
