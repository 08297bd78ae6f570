"""Holding a ledger against what the game itself claimed."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from operator import attrgetter
from typing import Literal, cast

from voskar.core.explain.emitter import EmitterExplainer
from voskar.core.explain.pair import Account, PairExplainer, asked
from voskar.core.explain.step import Step
from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Claim, Recording
from voskar.core.rules import Emitter, Rules
from voskar.core.views.summary import brood
from voskar.core.watching import Question, Watched
from voskar.core.watching import watched as watch
from voskar.evidence.emissions import Odd, Unfired, emissions
from voskar.evidence.lives import lives
from voskar.evidence.matching import pair_up
from voskar.evidence.reactions import TOLERANCE, unshown
from voskar.evidence.told import tellings

Sort = Literal[
    "moved", "denied", "unclaimed", "damage", "attack", "knockback", "rebound", "home",
    "spawn-moved", "spawn-missing", "spawn-unfired", "spawn-place", "spawn-direction",
    "health", "lives", "walks", "acts", "clip", "seen", "respawn-place", "respawn-late", "cut-short",
    "told-moved", "told-denied", "told-untold",
]  # fmt: skip


@dataclass(frozen=True)
class Finding:
    """One disagreement. `frame` is the game's where it claimed something, else the rules'.

    moved: the rules land the same blow `shift` frames later (earlier when negative). denied: they land none.
    unclaimed: they land one the game never told. damage, attack: both agree on the blow but not on this.
    knockback, rebound, home: the poses do not show what the blow should do; `target` is who it is done to.
    spawn-*: `target`, of the owner `striker`, appears at another frame, place or angle than its emitter or parent
    would have it, does not appear, or was never fired. The others are about the state of `target`: health and lives
    as the game tells them, what it does while it is down, and its return; told-*: its claims of down, respawn, out,
    removed and spawn.
    """

    sort: Sort
    frame: int
    striker: str
    target: str
    claim: Claim | None
    landing: Event | None
    shift: int = 0
    game: str = ""
    rules: str = ""
    why: Account | None = None
    emitter: str = ""
    """Of spawn-*: the emitter it is about, `owner/name`, if there is just one."""
    drift: int = 0
    """Of a moved one that i-frames of its target held back: how many more of them the rules have than the game."""


@dataclass(frozen=True)
class Verdict:
    """The outcome of a check: how many hit claims agreed, and every disagreement in frame order.

    `spawns` counts what should have appeared in the recording, `spawns_agreed` what did as it should; `told` claims
    of other events than hits. `judged` has the poses as they were judged, in a raw recording as blows have moved them.
    """

    claims: int
    landings: int
    agreed: int
    findings: tuple[Finding, ...]
    spawns: int = 0
    spawns_agreed: int = 0
    told: int = 0
    told_agreed: int = 0
    judged: Recording | None = field(default=None, repr=False)

    @property
    def ok(self) -> bool:
        """Nothing disagrees."""
        return not self.findings


Match = tuple[Claim, Event]
AROUND = 64.0
"""Units within which the other one of a claim that names only one is looked for."""


def match(
    claims: Sequence[Claim], landings: Sequence[Event], within: int
) -> tuple[list[Match], list[Claim], list[Event]]:
    """Pairs hit claims with landings of the same striker and target at most `within` frames apart.

    Each is used once, nearest first; ties go to the earlier claim, then the earlier landing. A claim that names only
    one of the two takes any landing of it, or on it, that the others have left. Returns the pairs in the claims' order,
    the claims left over and the landings left over.
    """
    whole = [claim for claim in claims if claim.striker and claim.target]
    pairs, spare, landings = pair_up(whole, landings, within, _pair, _pair)
    for half, other in (("target", "striker"), ("striker", "target")):
        some = [claim for claim in claims if getattr(claim, other) is None]
        more, left, landings = pair_up(some, landings, within, attrgetter(half), attrgetter(half))
        pairs, spare = pairs + more, spare + left
    place = {id(claim): number for number, claim in enumerate(claims)}
    pairs.sort(key=lambda pair: place[id(pair[0])])
    return pairs, sorted(spare, key=lambda claim: place[id(claim)]), list(landings)


def _pair(one: Claim | Event) -> tuple[str | None, str | None]:
    return one.striker, one.target


def check(
    rules: Rules,
    recording: Recording,
    *,
    within: int = 0,
    near: int | None = None,
    tolerance: float = TOLERANCE,
    watched: Collection[int] = (),
) -> tuple[Verdict, Ledger]:
    """Replays and compares. `near` (default half a second) is how far a landing may be off and still be told as
    the same blow at another frame, which is a disagreement all the same. `tolerance` is for what the poses of a
    baked recording show, in units. Of `watched` frames the poses of driven actors are kept too."""
    claims = [claim for claim in recording.claims if claim.event == "hit"]
    near = max(within, round(recording.rate / 2)) if near is None else max(near, within)
    seen = watch(rules, recording, films=bool(watched))
    ledger = seen.ledger
    landings = ledger.landings()
    agreed, spare_claims, spare_landings = match(claims, landings, within)
    moved, denied, unclaimed = match(spare_claims, spare_landings, near)
    told = tellings(recording, ledger, within=within, near=near)
    spawned = emissions(rules, recording, ledger, within=within, near=near, tolerance=tolerance)
    reasons = _Reasons(rules, recording, [*(claim for claim, _ in moved), *denied], spawned.unfired)
    why = reasons.of_claim

    drift = _Drift(claims, landings, ledger)
    findings = [_differs(claim, landing) for claim, landing in agreed]
    found = [finding for some in findings for finding in some]
    found += [
        Finding(
            "moved",
            claim.frame,
            landing.striker or "",
            landing.target or "",
            claim,
            landing,
            shift=landing.frame - claim.frame,
            why=account,
            drift=drift(claim, landing, account),
        )
        for claim, landing in moved
        for account in (why(claim),)
    ]
    found += [
        Finding("denied", claim.frame, claim.striker or "", claim.target or "", claim, None, why=why(claim))
        for claim in denied
    ]
    odd = sorted([*spawned.odd, *map(reasons.of_spawn, spawned.unfired)], key=lambda one: (one.frame, one.actor))
    found += [
        Finding(
            one.sort,
            one.frame,
            one.owner,
            one.actor,
            None,
            one.expected,
            one.shift,
            one.game,
            one.rules,
            emitter=one.emitter,
        )
        for one in odd
    ]
    found += [
        Finding(one.sort, one.frame, "", one.actor, None, None, game=one.game, rules=one.rules)
        for one in lives(rules, recording, ledger, near=near, within=within, tolerance=tolerance)
    ]
    found += [
        Finding(one.sort, one.frame, "", one.actor, one.claim, None, one.shift, one.game, one.rules) for one in told.odd
    ]
    found += [
        Finding("unclaimed", landing.frame, landing.striker or "", landing.target or "", None, landing)
        for landing in _claimable(rules, recording, unclaimed)
    ]
    found += [
        Finding(
            cast(Sort, one.event.event),
            one.event.frame,
            one.event.by or "",
            one.event.id or "",
            None,
            one.event,
            game=one.shown,
            rules=one.expected,
        )
        for one in unshown(recording, ledger, tolerance)
    ]
    found.sort(key=lambda finding: (finding.frame, finding.striker, finding.target, finding.sort))
    clean = sum(not some for some in findings)
    counted = len(landings) - len(unclaimed) + len(_claimable(rules, recording, unclaimed))
    counts = (len(claims), counted, clean, tuple(found), spawned.expected, spawned.agreed, told.claims, told.agreed)
    return Verdict(*counts, judged=seen.recording if watched else None), ledger


class _Reasons:
    """Why the rules did otherwise, from one more replay that is watched where anything is to be explained."""

    def __init__(self, rules: Rules, recording: Recording, claims: Sequence[Claim], unfired: Sequence[Unfired]) -> None:
        self.rules, self.recording = rules, recording
        whole = [one for one in claims if one.striker and one.target]
        self.questions = asked([(one.frame, one.striker or "", one.target or "") for one in whole])
        for one in claims:
            if not (one.striker and one.target):
                self.questions.setdefault(one.frame, Question()).near = AROUND
        for spawn in unfired:
            self.questions.setdefault(spawn.frame, Question()).emitters = True

    @cached_property
    def _seen(self) -> Watched:
        return watch(self.rules, self.recording, self.questions)

    @cached_property
    def _pairs(self) -> PairExplainer:
        return PairExplainer(self._seen)

    @cached_property
    def _emitters(self) -> EmitterExplainer:
        return EmitterExplainer(self._seen)

    def of_claim(self, claim: Claim) -> Account:
        """How far the claimed blow came in its frame."""
        pair = claim.striker or "", claim.target or ""
        if not all(pair):
            return self._furthest(claim)
        account = self._pairs.deciding(claim.frame, *pair, attack=claim.attack, second=True)
        step = account.steps[-1]
        if step.gate != "present" or "no pose" not in step.text:
            return account
        nearest = self._pairs.nearest(claim.frame, *pair)
        more = replace(step, text=f"{step.text}; {nearest}") if nearest else step
        return replace(account, steps=(*account.steps[:-1], more))

    def _furthest(self, claim: Claim) -> Account:
        """Of a claim that names one of the two: the pair with it that came furthest."""
        near = [
            one
            for one in self._pairs.near(claim.frame, AROUND)
            if one.gate != "landed" and claim.striker in (None, one.striker) and claim.target in (None, one.target)
        ]
        if near:
            return max(near, key=lambda one: one.reach)
        who = f"nothing that could hit {claim.target}" if claim.target else f"nobody that {claim.striker} could hit"
        step = Step("touch", False, f"{who} is within {AROUND:g} units")
        return Account(claim.frame, claim.striker or "", claim.target or "", (step,))

    def of_spawn(self, one: Unfired) -> Odd:
        """What the emitters that could have fired it say."""
        told = "; ".join(self._silent(one.frame, owner, emitter) for owner, emitter in one.guns[:3])
        return one.odd(told)

    def _silent(self, frame: int, owner: str, emitter: Emitter) -> str:
        """The gate that kept an emitter from firing in a frame."""
        who = f"{owner}/{emitter.name}"
        if (owner, emitter.name) not in {(name, one.name) for name, one in self._emitters.emitters(frame, owner)}:
            return f"{owner} is not there"
        steps = self._emitters.steps(frame, owner, emitter)
        stopped = next((step for step in steps if not step.passed), None)
        if stopped is None:
            return f"{who} fired its own"
        if stopped.gate in ("trigger", "run"):
            return f"{who}: {stopped.text}"
        return f"{who} is denied, {stopped.gate}: {stopped.text}"


class _Drift:
    """Compares how long i-frames last in the game and by the rules: by the time since the blow before on the same
    target, so that of a chain of blows each tells the same, however far it has moved."""

    def __init__(self, claims: Sequence[Claim], landings: Sequence[Event], ledger: Ledger) -> None:
        self.until = {(event.id, event.until) for event in ledger.of("iframes")}
        self.claimed, self.landed = (
            {name: sorted({one.frame for one in some if one.target == name}) for name in {one.target for one in some}}
            for some in (claims, landings)
        )

    def __call__(self, claim: Claim, landing: Event, account: Account) -> int:
        later = landing.frame > claim.frame
        held = account.gate == "immune" if later else (landing.target, landing.frame - 1) in self.until
        if not held:
            return 0
        before = self.claimed[claim.target], self.landed[landing.target]
        claimed, landed = bisect_left(before[0], claim.frame), bisect_left(before[1], landing.frame)
        if not claimed or not landed:
            return landing.frame - claim.frame
        return landing.frame - before[1][landed - 1] - (claim.frame - before[0][claimed - 1])


def agreement(
    rules: Rules, recording: Recording, claims: Sequence[Claim], landings: Sequence[Event], within: int
) -> tuple[int, int]:
    """How many hit claims agree with a landing in everything, and how many landings there are that could be claimed."""
    pairs, _, spare = match(claims, landings, within)
    agreed = sum(not _differs(claim, landing) for claim, landing in pairs)
    return agreed, len(pairs) + len(_claimable(rules, recording, spare))


def _claimable(rules: Rules, recording: Recording, landings: Sequence[Event]) -> list[Event]:
    """Landings that the game could have claimed: of actors it shows, or of such as it names in its claims at all."""
    known = set(recording.numbers)
    fixtures = {one.id for one in rules.fixtures}
    named = {
        brood(name)
        for claim in recording.claims
        for name in (claim.striker, claim.target)
        if name and name not in known
    }

    def seen(name: str | None) -> bool:
        return name in known or brood(name or "") in named or (bool(named) and name in fixtures)

    return [landing for landing in landings if seen(landing.striker) and seen(landing.target)]


def _differs(claim: Claim, landing: Event) -> list[Finding]:
    """Where a claim and its landing tell different things."""
    found = []
    striker, target = landing.striker or "", landing.target or ""
    if claim.damage is not None and landing.damage is not None and abs(claim.damage - landing.damage) > 1e-6:
        found.append(
            Finding(
                "damage",
                claim.frame,
                striker,
                target,
                claim,
                landing,
                game=f"{claim.damage:g}",
                rules=f"{landing.damage:g}",
            )
        )
    if claim.attack is not None and claim.attack != landing.attack:
        found.append(
            Finding(
                "attack", claim.frame, striker, target, claim, landing, game=claim.attack, rules=landing.attack or ""
            )
        )
    return found
