"""Values that were tried, and their explanations."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

from voskar.evidence.finding import Finding
from voskar.explaining.leaf import Leaf

Mark = tuple[str, int, str, str]
Subject = tuple[str, str]


def subject(root: Mark) -> Subject:
    """The subject of a finding."""
    return root[0], root[3]


@dataclass(frozen=True)
class Explanation:
    """The game plays as if a value of the rulebook were another one.

    `explains` are the roots that go with it; `left` roots stay, `new` ones come up. `alike` are other keys and values
    that fit as well. `beside` has the next values on either side, and how many roots of the stretch that was tried they
    leave, where this one leaves `remain` of `tried`.
    """

    leaf: Leaf
    value: Any
    explains: tuple[Finding, ...]
    left: int
    new: int
    alike: tuple[tuple[Leaf, Any], ...] = ()
    beside: tuple[tuple[Any, int], ...] = ()
    tried: int = 0
    remain: int = 0


class Tried(NamedTuple):
    """The result of a variant in a stretch: its roots, and all of its findings."""

    roots: frozenset[Mark]
    findings: frozenset[Mark]
    off: float = 0.0
    """By how many units all of them are off, as far as they say so."""

    def beside(self, base: Tried, leaf: Leaf) -> tuple[int, bool, float]:
        """The worth of a variant, the less the better: the roots, those that only the variant has once more; values
        that the rulebook has before those that it leaves out; by how much findings are off, and how many they are."""
        new = len(self.roots - base.findings)
        return len(self.roots) + new, leaf.value is None, self.off + len(self.findings) if self.roots else 0.0

    def without(self, subjects: frozenset[Subject]) -> Tried:
        """The same but for the findings about some subjects."""
        if not subjects:
            return self
        roots, findings = (
            frozenset(root for root in marks if subject(root) not in subjects) for marks in (self.roots, self.findings)
        )
        return Tried(roots, findings, self.off)


class TriedValue(NamedTuple):
    """A value that was tried."""

    worth: tuple[int, bool, float]
    off: float
    gone: int
    """Roots of the rules as they are that it does not have."""
    remain: int
    order: int
    leaf: Leaf
    value: Any


def mark(finding: Finding) -> Mark:
    """The key by which two replays have the same finding."""
    return finding.code, finding.frame, finding.attacker, finding.target
