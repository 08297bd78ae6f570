"""The two jobs as Python calls: a checked rulebook and a recording in, results out."""

from __future__ import annotations

from collections.abc import Sequence

from voskar.core.adopt import Resync, Windows
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.step import replay as replay_rules
from voskar.evidence.check import Verdict
from voskar.evidence.check import check as hold
from voskar.files.rulebook import Rulebook
from voskar.files.windows import parse_windows


def replay(rulebook: Rulebook, recording: Recording, *, resync: bool = False) -> Ledger:
    """Judge a recording by a rulebook: the ledger of all that should have happened.

    With `resync` the replay adopts the game's account wherever the two disagree, as `check` does.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> ledger = voskar.replay(rulebook, voskar.load_recording("meadow.jsonl", rulebook))
    >>> [hit.frame for hit in ledger.hits() if hit.target == "keeper"][:4]
    [213, 274, 496, 894]
    """
    adopted = Resync(Windows().at(recording)) if resync else None
    return replay_rules(rulebook.rules(recording.rate), recording, adopted)


def check(
    rulebook: Rulebook, recording: Recording, *, within: int | str | Sequence[str] = 0, resync: bool = True
) -> Verdict:
    """Compare a recording with what the rules make of it.

    `within` is the allowed frame offset of the game's evidence: `4`, `"0,8"` (before, after) or
    `"hit=0,8 health=0,2"`. With `resync` the replay adopts the game's account wherever the two disagree, so that one
    mistake is reported once. Raises InputError for another `within`.

    >>> import voskar
    >>> rulebook = voskar.load_rulebook("apiary.toml")
    >>> verdict = voskar.check(rulebook, voskar.load_recording("meadow.jsonl", rulebook))
    >>> verdict.ok, verdict.agreed, verdict.claims
    (False, 18, 20)
    >>> [(root.frame, root.code) for root, follows in verdict.roots]
    [(273, 'hit-moved'), (1131, 'hit-denied')]
    """
    windows = parse_windows([within] if isinstance(within, int | str) else within, "within")
    return hold(rulebook.rules(recording.rate), recording, windows=windows, resync=resync)[0]
