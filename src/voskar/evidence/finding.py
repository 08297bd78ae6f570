"""What a disagreement is, and every sort of it by its code."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from voskar.core.ledger import Event
from voskar.core.recording import Claim

if TYPE_CHECKING:
    from voskar.core.explain.pair import Account


class Code(NamedTuple):
    """A sort of finding: how it is counted in words, what it is about, and what is seen of it in a game."""

    words: str
    about: str
    """ "blow", "state", "spawn", "reaction" or "told": how it is shown, and what to ask `why`."""
    seen: str


CODES: dict[str, Code] = {
    "moved": Code("at another frame", "blow", "a hit counts too early or too late"),
    "denied": Code("denied by the rules", "blow", "a hit counts that should not"),
    "unclaimed": Code("never claimed by the game", "blow", "a hit goes through somebody, or is not counted"),
    "damage": Code("with other damage", "blow", "a hit takes more or less than it should"),
    "attack": Code("with another attack", "blow", "the game names another attack"),
    "hit-health": Code("with other health after it", "blow", "the health that a hit leaves is another"),
    "hit-place": Code("at another place", "blow", "sparks or sounds of a hit come from elsewhere"),
    "knockback": Code("knockback not shown", "reaction", "a body is not pushed, or another way, or too far"),
    "rebound": Code("rebound not shown", "reaction", "a bounce is too low, too high, or missing"),
    "home": Code("way home not shown", "reaction", "a body is not sent back to where it started"),
    "unordered": Code(
        "reaction not ordered", "reaction", "a body is thrown, or put back, by a blow that does no such thing"
    ),
    "jump": Code("jumps without a cut", "reaction", "a body leaps in one frame; swept boxes hit all between"),
    "spawn-moved": Code("spawned at another frame", "spawn", "a shot leaves too early or too late"),
    "spawn-missing": Code("foretold and not shown", "spawn", "a shot, child or effect does not appear"),
    "spawn-unfired": Code("shown and not fired", "spawn", "a shot appears though cooldown, limit or nobody allows it"),
    "spawn-place": Code("spawned at another place", "spawn", "a shot leaves from beside its muzzle"),
    "spawn-direction": Code("spawned in another direction", "spawn", "a shot flies another way than it is aimed"),
    "path": Code("on another path", "state", "a shot turns, speeds up or slows down by itself"),
    "life-long": Code("living too long", "state", "a shot flies on after its time"),
    "life-short": Code("living too short", "state", "a shot vanishes before its time"),
    "past-edge": Code("past an edge", "state", "something goes on outside the arena"),
    "still-there": Code("still there", "state", "something used up, or out for good, stays and acts"),
    "health": Code("with other health", "state", "a bar shows another health than it should"),
    "lives": Code("with other lives", "state", "a life is not taken, or one too many is"),
    "immune": Code("with other i-frames", "state", "the blinking after a hit ends too early or too late"),
    "stunned": Code("with other stun", "state", "somebody acts again too early, or too late"),
    "box": Code("with a box elsewhere", "state", "outlines drawn over the game lie beside its own boxes"),
    "box-open": Code("with a box open", "state", "an attack is active, or a body open, out of its cells"),
    "box-closed": Code("with a box closed", "state", "an attack is not active, or a body not open, in its cells"),
    "display": Code(
        "shown otherwise on the display", "state", "bar, icons, score or clock are not what they should be"
    ),
    "walks": Code("moving while down", "state", "a body moves though it is down"),
    "acts": Code("acting while down", "state", "inputs still do something while somebody is down"),
    "clip": Code("with the death clip wrong", "state", "the death is not played, twice, or on after the return"),
    "seen": Code("seen while down", "state", "a body lies there too long"),
    "gone-early": Code("gone too early while down", "state", "a death is cut short"),
    "respawn-place": Code("back at another place", "state", "somebody comes back elsewhere"),
    "respawn-late": Code("back late", "state", "somebody comes back too late, or never"),
    "cut-short": Code("cut short", "state", "the run begins again before the last death was seen"),
    "told-moved": Code("told in another frame", "told", "the game tells an event too early or too late"),
    "told-denied": Code("told and not so", "told", "the game tells an event that did not come about"),
    "told-untold": Code("not told", "told", "the game misses an event"),
    "told-other": Code("told with other values", "told", "the game tells other lives, health, places with an event"),
}
"""Every sort of finding. The documentation's table is made from this one."""


@dataclass(frozen=True)
class Finding:
    """One disagreement. `frame` is the game's where it claimed or showed something, else the rules'.

    `sort` is one of CODES. `target` is who it is about, `striker` who it is by. `shift` is the rules' frame less the
    game's; `claim` and `landing` what either side has, where they have. `why` tells the gates that decided.
    """

    sort: str
    frame: int
    striker: str
    target: str
    claim: Claim | None = None
    landing: Event | None = None
    shift: int = 0
    game: str = ""
    rules: str = ""
    why: Account | None = None
    emitter: str = ""
    """Of spawn-*: the emitter it is about, `owner/name`, if there is just one."""
    drift: int = 0
    """Of a moved one that i-frames of its target held back: how many more of them the rules have than the game."""


def of_actor(sort: str, frame: int, actor: str, game: str, rules: str) -> Finding:
    """A finding about one actor, in words on both sides."""
    return Finding(sort, frame, "", actor, game=game, rules=rules)
