"""Checks of layers, masks and attacks: boxes that can never meet."""

from __future__ import annotations

from collections.abc import Iterator

from voskar.audit.findings import AuditedBook, AuditFinding, Check
from voskar.core.boxes import FormedBox
from voskar.core.rules import Box, Detect, Role, eligible, sees
from voskar.core.views.exercise import layer_pairs


def layer_unused(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A layer without boxes, or a layer that no mask names although `detect` needs its boxes to be seen."""
    looked_for = 0
    for _, box, _ in audit.boxes():
        looked_for |= box.mask
    for index, name in enumerate(audit.rules.layers):
        bit = 1 << index
        on = [box for _, box, _ in audit.boxes() if box.layer & bit]
        where = ("layers", "names", index)
        solid = any(solid.layer & bit for solid in audit.rules.space.solids)
        # A layer of solids has no box, but bodies must look for it.
        if not on and not (solid and looked_for & bit):
            reason = ("only a solid is on it" if solid else "no box is on it") + (
                "" if looked_for & bit else " and no mask looks for it"
            )
            yield audit.finding(
                "layer-unused", where, f'layer "{name}": {reason}', "put its boxes on it, or take it out"
            )
        elif not looked_for & bit and any(_must_be_seen(audit.rules.contact.detect, box) for box in on):
            reason = f'layer "{name}": no mask looks for it, and boxes on it only meet boxes that look for them'
            yield audit.finding("layer-unused", where, reason, "name it in the masks of boxes that should meet it")


def _must_be_seen(detect: Detect, box: Box) -> bool:
    """Whether a box can meet others only if a mask looks for it."""
    if box.role == "body":
        return False
    # Under "either" a box can also be met by its own mask.
    if detect == "either":
        return not box.mask
    return detect == "both" or (box.role == "hurtbox") == (detect == "hitbox")


def one_sided(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A pair that only the side sees that does not count, under this `detect`."""
    detect = audit.rules.contact.detect
    if detect == "either":
        return
    for hit_kind, hit, where in audit.boxes("hitbox"):
        for hurt_kind, hurt, other in audit.boxes("hurtbox"):
            forth, back = sees(hit.mask, hurt.layer), sees(hurt.mask, hit.layer)
            if (forth or back) and not eligible(detect, hit, hurt):
                names = (f"{hit_kind.name}.{hit.name}", f"{hurt_kind.name}.{hurt.name}")
                name, two = names if forth else names[::-1]
                reason = f'{name} looks for {two} and not the other way, which detect = "{detect}" does not take'
                remedy = f"add the layer of {name} to the mask of {two}, or take theirs out of it"
                yield audit.finding("one-sided", other if forth else where, reason, remedy)


def meets_broken(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Layers with boxes that, by their own masks, meet otherwise than `[layers.meets]` says."""
    for pair in layer_pairs(audit.rules):
        if pair.breaks:
            where = ("layers", "meets", pair.hit_layer) if pair.hit_layer in _rows(audit) else ("layers", "meets")
            reason = f"{pair.hit_layer or 'no layer'} on {pair.hurt_layer or 'no layer'}: {pair.breaks}"
            yield audit.finding("meets-broken", where, reason, "change the table, or take those masks out")


def _rows(audit: AuditedBook) -> set[str]:
    return set(audit.book.data.layers.meets or ())


def _one_looks(hit: FormedBox, hurt: FormedBox) -> bool:
    return sees(hit.box.mask, hurt.box.layer) or sees(hurt.box.mask, hit.box.layer)


def never_meets(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A hitbox that no hurtbox can ever meet, a hurtbox that nothing can."""
    catalog, detect = audit.catalog, audit.rules.contact.detect
    for role in ("hitbox", "hurtbox"):
        for kind, box, where in audit.boxes(role):
            # Each hitbox is tried with every hurtbox, its own kind included: two hornets may sting each other.
            other: Role = "hurtbox" if role == "hitbox" else "hitbox"
            formed = next(shape for shape in catalog.by_kind[kind.name] if shape.box is box)
            pairs = ((formed, shape) if role == "hitbox" else (shape, formed) for shape in catalog.of_role(other))
            found = list(pairs)
            looks = detect != "either" and any(_one_looks(*pair) for pair in found)  # told as one-sided
            if not looks and not any(catalog.meets(*pair) for pair in found):
                reason = f"layers and masks let no {other} meet this {role}"
                yield audit.finding(
                    "never-meets", where, reason, "check its layer and mask: `voskar layers` shows all pairs"
                )


def attack_unused(audit: AuditedBook) -> Iterator[AuditFinding]:
    """An attack no box uses."""
    used = {box.attack for _, box, _ in audit.boxes("hitbox")}
    for name in audit.rules.attacks:
        if name not in used:
            yield audit.finding(
                "attack-unused", ("attacks", name), "no hitbox uses this attack", "name it in a hitbox, or take it out"
            )


CHECKS: dict[str, Check] = {
    "layer-unused": layer_unused,
    "one-sided": one_sided,
    "meets-broken": meets_broken,
    "never-meets": never_meets,
    "attack-unused": attack_unused,
}
