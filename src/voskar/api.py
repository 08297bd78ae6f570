"""The two jobs as Python calls: a checked rulebook and a recording in, results out."""

from __future__ import annotations

from voskar.core.evidence import claims
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.replay import BLOCK
from voskar.core.replay import replay as replay_rules
from voskar.files.rulebook import Rulebook


def replay(rulebook: Rulebook, recording: Recording, *, block: int = BLOCK) -> Ledger:
    """Judges a recording by a rulebook. `block` is how many poses are looked at in one go; it changes no result."""
    return replay_rules(rulebook.rules(recording.rate), recording, block=block)


def check(rulebook: Rulebook, recording: Recording, *, within: int = 0) -> claims.Verdict:
    """Holds a recording's claims against its ledger. `within`: frames a landing may be off and still agree."""
    return claims.check(rulebook.rules(recording.rate), recording, within=within)[0]
