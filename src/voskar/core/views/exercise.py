"""Which kinds can hit which, and whether it was ever tried: pairs of layers, the boxes behind them, and the contacts of
recordings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Box, Kind, Rules, eligible, sees
from voskar.core.views.summary import everyone


@dataclass
class BoxPair:
    """A hitbox that may meet a hurtbox, as `kind.box` names, and what recordings made of them."""

    hitbox: str
    hurtbox: str
    contacts: int = 0
    landed: int = 0


@dataclass
class LayerPair:
    """Hitboxes on one layer against hurtboxes on another. "" stands for boxes that are on no layer.

    `hit_sees` and `hurt_sees` count the pairs of boxes in which one side's mask sees the other's layers.
    """

    hit_layer: str
    hurt_layer: str
    pairs: list[BoxPair] = field(default_factory=list)
    hit_sees: int = 0
    hurt_sees: int = 0
    boxes: int = 0
    promised: bool | None = None
    """The entry in `[layers.meets]`; None without that table."""

    @property
    def eligible(self) -> bool:
        """Whether any of their boxes may meet."""
        return bool(self.pairs)

    @property
    def contacts(self) -> int:
        """Contacts of their boxes over all recordings."""
        return sum(pair.contacts for pair in self.pairs)

    @property
    def landed(self) -> int:
        """Hits of their boxes over all recordings."""
        return sum(pair.landed for pair in self.pairs)

    @property
    def breaks(self) -> str:
        """The words for how the masks of their boxes break the table; empty if they keep it."""
        if self.promised is None or (self.promised and len(self.pairs) == self.boxes):
            return ""
        if self.promised:
            kept = "none" if not self.pairs else f"only {len(self.pairs)}"
            return f"the table has them meet, and {kept} of {self.boxes} pairs of boxes may"
        if not self.pairs:
            return ""
        names = ", ".join(f"{pair.hitbox} on {pair.hurtbox}" for pair in self.pairs[:3])
        text = f" and {len(self.pairs) - 3} more" if len(self.pairs) > 3 else ""
        return f"the table does not have them meet, and masks let {names}{text}"

    @property
    def reason(self) -> str:
        """Which sides see which: what `detect` decides by."""
        return f"hitboxes see {self.hit_sees}/{self.boxes}, hurtboxes see {self.hurt_sees}/{self.boxes}"


def layer_pairs(rules: Rules, played: Iterable[tuple[Recording, Ledger]] = ()) -> list[LayerPair]:
    """Every ordered pair of a layer that has hitboxes and one that has hurtboxes, in the rulebook's order.

    A box on two layers counts in both.
    """
    names = [*rules.layers, ""]
    hits, hurts = _on_layers(rules, "hitbox"), _on_layers(rules, "hurtbox")
    counts: dict[tuple[str, str], list[int]] = {}
    for recording, ledger in played:
        # layers belong to kinds, so actors are counted by their kind
        kinds = {name: actor.kind for name, actor in everyone(rules, recording, ledger).items()}
        for event in ledger.of("contact"):
            hitbox = f"{kinds[event.attacker or '']}.{event.hitbox}"
            hurtbox = f"{kinds[event.target or '']}.{event.hurtbox}"
            count = counts.setdefault((hitbox, hurtbox), [0, 0])
            count[0] += 1
            count[1] += event.outcome == "landed"
    found = []
    for hit_layer in names:
        for hurt_layer in names:
            pair = LayerPair(hit_layer, hurt_layer, promised=rules.promises(hit_layer, hurt_layer))
            for hit_kind, hit in hits.get(hit_layer, ()):
                for hurt_kind, hurt in hurts.get(hurt_layer, ()):
                    pair.boxes += 1
                    pair.hit_sees += sees(hit.mask, hurt.layer)
                    pair.hurt_sees += sees(hurt.mask, hit.layer)
                    if eligible(rules.contact.detect, hit, hurt):
                        hitbox, hurtbox = f"{hit_kind.name}.{hit.name}", f"{hurt_kind.name}.{hurt.name}"
                        pair.pairs.append(BoxPair(hitbox, hurtbox, *counts.get((hitbox, hurtbox), (0, 0))))
            if pair.boxes:
                found.append(pair)
    return found


def _on_layers(rules: Rules, role: str) -> dict[str, list[tuple[Kind, Box]]]:
    found: dict[str, list[tuple[Kind, Box]]] = {}
    for kind in rules.kinds.values():
        for box in kind.boxes:
            if box.role == role:
                # a box without a layer is listed too: it meets only boxes with masks of their own
                for name in rules.layer_names(box.layer) or [""]:
                    found.setdefault(name, []).append((kind, box))
    return found
