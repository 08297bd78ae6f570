"""The two jobs as Python calls: a checked rulebook and a recording in, results out."""

from __future__ import annotations

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.step import replay as replay_rules
from voskar.evidence.check import Verdict
from voskar.evidence.check import check as hold
from voskar.files.rulebook import Rulebook


def replay(rulebook: Rulebook, recording: Recording) -> Ledger:
    """Judges a recording by a rulebook."""
    return replay_rules(rulebook.rules(recording.rate), recording)


def check(rulebook: Rulebook, recording: Recording, *, within: int = 0) -> Verdict:
    """Holds a recording's claims against its ledger. `within`: frames a landing may be off and still agree."""
    return hold(rulebook.rules(recording.rate), recording, within=within)[0]
