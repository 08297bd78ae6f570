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
    """Judges a recording by a rulebook; with `resync` going on from the game's account where the two disagree."""
    adopted = Resync(Windows().at(recording)) if resync else None
    return replay_rules(rulebook.rules(recording.rate), recording, adopted)


def check(
    rulebook: Rulebook, recording: Recording, *, within: int | str | Sequence[str] = 0, resync: bool = True
) -> Verdict:
    """Holds a recording against its ledger. `within`: frames that evidence may be off and still agree, as `4`, `"0,8"`
    (before, after) or `"hit=0,8 health=0,2"`. With `resync` the replay goes on from the game's account where the two
    disagree. Raises InputError for another `within`."""
    windows = parse_windows([within] if isinstance(within, int | str) else within, "within")
    return hold(rulebook.rules(recording.rate), recording, windows=windows, resync=resync)[0]
