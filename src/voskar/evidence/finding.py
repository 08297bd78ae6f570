"""A disagreement of game and rules, and all codes of findings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from voskar.core.ledger import Event
from voskar.core.ledger.pieces import What
from voskar.core.recording import Claim

if TYPE_CHECKING:
    from voskar.core.explain.pair import Account


class Code(NamedTuple):
    """A code: how it is counted in words, what it is about, and what is seen of it in a game."""

    words: str
    about: str
    """ "hit", "state", "spawn", "reaction" or "event": how it is shown, and what to ask `why`."""
    seen: str
    reads: tuple[What, ...] = ()
    """The state, of the actor that it is about, that it hangs on. What a hit or a spawn hangs on, its gates say."""
    changes: tuple[What, ...] = ()
    """The state of that actor that game and rules have different accounts of from there on; of a hit its consequences
    say that."""


HITS = ("hit-moved", "hit-denied", "hit-missing", "hit-case", "hit-damage", "hit-attack")
EVENTS = ("event-moved", "event-denied", "event-missing", "event-values")
CODES: dict[str, Code] = {
    "unknown-actor": Code(
        "about an unknown actor",
        "state",
        "a claim or an input names an actor that the game never shows",
        (),
        ("presence",),
    ),
    "hit-moved": Code("in another frame", "hit", "a hit counts too early or too late"),
    "hit-denied": Code("denied by the rules", "hit", "a hit counts that should not"),
    "hit-missing": Code(
        "not claimed by the game", "hit", "an attack passes through its target, or its hit is not counted"
    ),
    "hit-case": Code("with another case", "hit", "a hit is blocked that should not be, or the other way round"),
    "hit-damage": Code("with other damage", "hit", "a hit takes more or less health than it should"),
    "hit-attack": Code("with another attack", "hit", "the game names another attack"),
    "hit-health": Code("with other health after it", "hit", "a hit leaves another health than it should", ("health",)),
    "hit-place": Code("at another place", "hit", "sparks or sounds of a hit come from the wrong place"),
    "knockback": Code(
        "without its knockback",
        "reaction",
        "a body is not pushed, or another way, or too far",
        ("motion",),
        ("motion",),
    ),
    "launch": Code(
        "without its launch", "reaction", "a bounce is too low, too high, or missing", ("motion",), ("motion",)
    ),
    "reflect": Code(
        "without its reflection",
        "reaction",
        "a reflected shot goes on, or goes another way",
        ("motion",),
        ("motion", "presence"),
    ),
    "owner": Code(
        "with another owner",
        "state",
        "a shot changes its owner though nothing reflects it",
        ("motion", "presence"),
        ("presence",),
    ),
    "home": Code("without its way home", "reaction", "a body does not return to its start", ("motion",), ("motion",)),
    "unexplained-motion": Code(
        "moved without a reason",
        "reaction",
        "a body is thrown, or moved to its start, by a hit that does neither",
        ("motion",),
        ("motion",),
    ),
    "teleport": Code(
        "teleported without a cut",
        "reaction",
        "a body leaps in one frame; swept boxes hit all between",
        ("motion",),
        ("motion",),
    ),
    "spawn-moved": Code("spawned in another frame", "spawn", "a shot leaves too early or too late"),
    "spawn-missing": Code("expected and not shown", "spawn", "a shot, child or hit effect does not appear"),
    "spawn-unexpected": Code(
        "shown and not expected", "spawn", "a shot appears though its cooldown, its limit or no emitter allows it"
    ),
    "spawn-place": Code("spawned at another place", "spawn", "a shot does not leave from its muzzle"),
    "spawn-direction": Code("spawned in another direction", "spawn", "a shot does not fly the way it is aimed"),
    "path": Code(
        "on another path",
        "state",
        "a shot turns, speeds up or slows down by itself",
        ("presence", "motion"),
        ("motion",),
    ),
    "life-long": Code(
        "with a life too long", "state", "a shot flies on after its lifetime", ("presence", "motion"), ("presence",)
    ),
    "life-short": Code(
        "with a life too short",
        "state",
        "a shot vanishes before its lifetime ends",
        ("presence", "motion"),
        ("presence",),
    ),
    "vanished": Code(
        "vanished",
        "state",
        "a shot is gone in mid-air",
        ("presence", "motion"),
        ("presence",),
    ),
    "velocity": Code(
        "with another velocity", "state", "a logged velocity is not that of the motion", ("presence", "motion")
    ),
    "outside": Code(
        "outside the bounds",
        "state",
        "an actor goes on outside the arena",
        ("presence", "motion"),
        ("presence", "motion"),
    ),
    "still-active": Code(
        "still active",
        "state",
        "an actor that was consumed, or is out for good, stays and acts",
        ("presence", "health"),
        ("presence",),
    ),
    "health": Code(
        "with other health", "state", "a bar shows another health than it should", ("health", "presence"), ("health",)
    ),
    "lives": Code(
        "with other lives",
        "state",
        "a life is not taken, or one too many",
        ("lives", "health", "presence"),
        ("lives", "run"),
    ),
    "counter": Code(
        "with another counter",
        "state",
        "a meter, a shield or a count shows another value than it should",
        ("counters", "presence"),
        ("counters",),
    ),
    "state-immune": Code(
        "with other i-frames", "state", "the blinking after a hit ends too early or too late", ("iframes", "presence")
    ),
    "state-stunned": Code(
        "with another stun", "state", "an actor acts again too early or too late", ("stun", "presence")
    ),
    "frozen": Code(
        "moving while frozen",
        "state",
        "an actor moves during hitstop, or is frozen too long or too short",
        ("stun", "presence"),
    ),
    "box-moved": Code(
        "with a box at another place", "state", "outlines drawn over the game are not where its boxes are"
    ),
    "box-open": Code("with a box open", "state", "an attack is active, or a hurtbox open, outside its cells"),
    "box-closed": Code("with a box closed", "state", "an attack is not active, or a hurtbox not open, in its cells"),
    "display": Code(
        "with another display",
        "state",
        "bar, icons, score or clock show other values than they should",
        ("health", "lives", "score", "presence"),
    ),
    "down-moves": Code("moving while down", "state", "a body moves while it is down", ("presence", "health", "lives")),
    "down-acts": Code(
        "acting while down", "state", "inputs still work while the actor is down", ("presence", "health", "lives")
    ),
    "down-clip": Code(
        "with a wrong death clip",
        "state",
        "the death clip does not play, plays twice, or goes on too long",
        ("presence", "health", "lives"),
    ),
    "down-long": Code(
        "shown too long while down",
        "state",
        "a body stays visible too long",
        ("presence", "health", "lives"),
        ("presence",),
    ),
    "down-short": Code(
        "removed too early while down", "state", "a death is cut short", ("presence", "health", "lives"), ("presence",)
    ),
    "respawn-place": Code(
        "respawned at another place",
        "state",
        "an actor respawns at the wrong place",
        ("presence", "health", "lives", "place"),
        ("motion",),
    ),
    "respawn-late": Code(
        "respawned late",
        "state",
        "an actor respawns too late, or never",
        ("presence", "health", "lives"),
        ("presence", "health"),
    ),
    "start": Code(
        "not as at the start",
        "state",
        "a run does not begin with every actor in place",
        (),
        ("presence", "motion"),
    ),
    "cut-short": Code(
        "cut short",
        "state",
        "the run restarts before the last death was shown",
        ("presence", "health", "lives"),
        ("presence",),
    ),
    "event-moved": Code(
        "logged in another frame",
        "event",
        "the game logs an event too early or too late",
        ("presence", "health", "lives", "motion", "run"),
        ("presence", "health", "lives", "score", "run"),
    ),
    "event-denied": Code(
        "logged and not so",
        "event",
        "the game logs an event that did not happen",
        ("presence", "health", "lives", "motion", "run"),
        ("presence", "health", "lives", "score", "run"),
    ),
    "event-missing": Code(
        "not logged",
        "event",
        "the game does not log an event",
        ("presence", "health", "lives", "motion", "run"),
        ("presence", "health", "lives", "score", "run"),
    ),
    "event-values": Code(
        "logged with other values",
        "event",
        "the game logs other lives, health or places with an event",
        ("presence", "health", "lives", "motion", "run"),
        ("lives", "health"),
    ),
}
"""Every code. The documentation's table is made from this one."""


@dataclass(frozen=True)
class Finding:
    """One disagreement. `frame` is the game's where it claimed or showed something, else the rules'.

    `code` is one of CODES. `target` is who it is about, `attacker` who it is by. `shift` is the rules' frame less the
    game's; `claim` and `hit` what either side has, where they have. `why` lists the gates that decided.
    """

    code: str
    frame: int
    attacker: str
    target: str
    claim: Claim | None = None
    hit: Event | None = None
    shift: int = 0
    game: str = ""
    rules: str = ""
    why: Account | None = None
    emitter: str = ""
    """For spawn-*: the emitter `owner/name`, if there is only one."""
    drift: int = 0
    """For a moved hit that i-frames of the target held back: how many more i-frames the rules have than the game."""

    @property
    def first(self) -> int:
        """The game's frame or the rules', whichever is earlier."""
        return min(self.frame, self.frame + self.shift)

    @property
    def last(self) -> int:
        """The later one."""
        return max(self.frame, self.frame + self.shift)


def of_actor(code: str, frame: int, actor: str, game: str, rules: str) -> Finding:
    """A finding about one actor, in words on both sides."""
    return Finding(code, frame, "", actor, game=game, rules=rules)
