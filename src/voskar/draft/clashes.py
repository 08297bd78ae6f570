"""Clashes that a game claims: which hitboxes cancel each other, and for how long both are frozen."""

from __future__ import annotations

from collections import Counter

from voskar.draft.logged import LoggedDraft
from voskar.draft.values import KindGuess, Value, quoted
from voskar.words import counted

LAYER = "clashing"


class ClashDraft(LoggedDraft):
    """Puts the hitboxes of kinds that clash on a layer of their own."""

    def clashes(self, layers: list[str], contact: dict[str, Value]) -> None:
        """Adds it to the layers and to what holds for contacts."""
        pairs = Counter(
            tuple(sorted((self._kind(played, claim.attacker), self._kind(played, claim.target))))
            for played in self.recordings
            for claim in played.claims
            if claim.event == "clash" and claim.attacker in played.numbers and claim.target in played.numbers
        )
        armed = {name for name, kind in self.kinds.items() if self._is_armed(kind)}
        seen = {pair: count for pair, count in pairs.items() if set(pair) <= armed}
        if not seen:
            if pairs:
                self.unknown.append("clashes: which hitboxes cancel each other: log `boxes`")
            return
        layer = LAYER
        while layer in layers:
            layer += "_"
        layers.append(layer)
        kinds = sorted({name for pair in seen for name in pair})
        for name in kinds:
            for box in self.kinds[name].boxes:
                if box.role == "hitbox":
                    box.keys["layer"] = Value(f"[{quoted(layer)}]", "")
        words = ", ".join(f"{text} and {other}" for text, other in sorted(seen))
        why = f"{counted(sum(seen.values()), 'clash', 'clashes')} of {words}: `strength` of an attack decides who wins"
        contact[f"clash.{quoted(layer)}"] = Value(f"[{quoted(layer)}]", why)

    def _is_armed(self, kind: KindGuess) -> bool:
        """Whether the game logs its hitboxes: boxes inferred from hits say nothing of other hitboxes."""
        logged = self.logged(kind.name)
        hitboxes = [box for box in kind.boxes if box.role == "hitbox"]
        return bool(hitboxes) and all(box.name in logged for box in hitboxes)
