"""The gates of a contact, a file each, in the order of judging: the first that stops it names its outcome.

To add one: a file here with a `Gate`, its place in GATES, its key in the rulebook's schema, its page in the docs. The
outcomes of a ledger, their marks and styles, coverage and `why` read this table.
"""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import ally, clashed, consumed, down, immune, preempted, repeat, unmet

# causes outside the attack come first, then its conditions, last what earlier hits left behind
GATES: tuple[Gate[Contact], ...] = (
    ally.GATE,
    down.GATE,
    consumed.GATE,
    clashed.GATE,
    unmet.GATE,
    preempted.GATE,
    repeat.GATE,
    immune.GATE,
)

__all__ = ["GATES", "Gate", "GateAnswer"]
