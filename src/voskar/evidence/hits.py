"""Hits: what the game counts, held against what lands by the rules."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from operator import attrgetter
from typing import NamedTuple

from msgspec.structs import replace

from voskar.core.adopt import Window
from voskar.core.adopt.plan import Claimable
from voskar.core.explain.emitter import EmitterExplainer
from voskar.core.explain.pair import Account, PairExplainer
from voskar.core.explain.step import Step
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.event import number
from voskar.core.recording import Claim
from voskar.core.rules import Emitter
from voskar.core.watching import Question, Watched
from voskar.core.watching import watched as watch
from voskar.evidence.emissions import Unfired
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held
from voskar.evidence.matching import pair_up

Match = tuple[Claim, Event]


class Hits(NamedTuple):
    """How many hits were claimed, how many landings could have been, how many agreed in all, and what did not."""

    claims: int
    landings: int
    agreed: int
    findings: tuple[Finding, ...]


AROUND = 64.0
"""Units within which the other one of a claim that names only one is looked for."""


def match(
    claims: Sequence[Claim], landings: Sequence[Event], window: Window
) -> tuple[list[Match], list[Claim], list[Event]]:
    """Pairs hit claims with landings of the same striker and target that it is in the window of.

    Each is used once, nearest first; ties go to the earlier claim, then the earlier landing. A claim that names only
    one of the two takes any landing of it, or on it, that the others have left. Returns the pairs in the claims' order,
    the claims left over and the landings left over.
    """
    whole = [claim for claim in claims if claim.striker and claim.target]
    pairs, spare, landings = pair_up(whole, landings, window, _pair, _pair)
    for half, other in (("target", "striker"), ("striker", "target")):
        some = [claim for claim in claims if getattr(claim, other) is None]
        more, left, landings = pair_up(some, landings, window, attrgetter(half), attrgetter(half))
        pairs, spare = pairs + more, spare + left
    place = {id(claim): number for number, claim in enumerate(claims)}
    pairs.sort(key=lambda pair: place[id(pair[0])])
    return pairs, sorted(spare, key=lambda claim: place[id(claim)]), list(landings)


def _pair(one: Claim | Event) -> tuple[str | None, str | None]:
    return one.striker, one.target


def hits(held: Held) -> Hits:
    """What the game counts as hits against what lands."""
    recording, ledger = held.recording, held.ledger
    claims = [one for one in recording.claims if one.event == "hit" and _is_logged(held, one)]
    landings = [one for one in ledger.landings() if _is_logged(held, one)]
    taken = {} if held.resync is None else held.resync.plan
    known = [(one, taken[number].rules) for number, one in enumerate(recording.claims) if number in taken]
    compared = {id(one) for one in claims}
    known = [(one, event) for one, event in known if id(one) in compared]
    moved = [(one, event) for one, event in known if event is not None]
    gone = {id(one) for one, _ in known}
    told = {_landing(event) for _, event in moved}
    left = [one for one in landings if _landing(one) not in told]
    window = held.windows.of("hit")
    due = [one for one in left if one.frame + window.after <= recording.last]  # the claims of others may yet come
    agreed, denied, unclaimed = match([one for one in claims if id(one) not in gone], due, window)
    more, denied, late = match(denied, [one for one in left if one.frame + window.after > recording.last], window)
    agreed, unclaimed = agreed + more, unclaimed + late
    near, denied, unclaimed = match(denied, unclaimed, Window(held.near, held.near))
    moved += near
    denied += [one for one, event in known if event is None]
    missed = _claimable(held, unclaimed) if held.recording.asks_for("hit") else []
    why = Reasons(held, [*(claim for claim, _ in moved), *denied]).of_claim if held.explains else lambda claim: None
    drift = _Drift(claims, landings, ledger, resynced=held.resync is not None)
    differing = [list(_differs(held, claim, landing)) for claim, landing in agreed]
    found = [finding for some in differing for finding in some]
    for claim, landing in moved:
        account = why(claim)
        pair = landing.striker or "", landing.target or ""
        shift = landing.frame - claim.frame
        by = drift(claim, landing, account)
        found.append(Finding("moved", claim.frame, *pair, claim, landing, shift, why=account, drift=by))
    for claim in denied:
        account = why(claim)
        found.append(Finding("denied", claim.frame, claim.striker or "", claim.target or "", claim, why=account))
    found += [
        Finding("unclaimed", landing.frame, landing.striker or "", landing.target or "", landing=landing)
        for landing in missed
    ]
    clean = sum(not some for some in differing)
    landed = len(left) - len(unclaimed) + len(missed) + len(told)
    return Hits(len(claims), landed, clean, tuple(found))


def _landing(one: Event) -> tuple[object, ...]:
    """What two replays tell of the same landing."""
    return one.frame, one.striker, one.hitbox, one.target, one.hurtbox, one.attack


def _is_logged(held: Held, one: Claim | Event) -> bool:
    return one.attack not in held.recording.scope.attacks and held.recording.logs("hit", one.striker, one.target)


class Reasons:
    """Why the rules did otherwise, from one more replay that is watched where anything is to be explained."""

    def __init__(self, held: Held, claims: Sequence[Claim] = (), unfired: Sequence[Unfired] = ()) -> None:
        self.rules, self.recording, self.resync = held.rules, held.recording, held.resync
        self.window = held.windows.of("hit")
        self.questions: dict[int, Question] = {}
        for one in claims:
            for frame in self._window(one):
                question = self.questions.setdefault(frame, Question())
                if one.striker and one.target:
                    question.pairs.add((one.striker, one.target))
                else:
                    question.near = AROUND
        for spawn in unfired:
            self.questions.setdefault(spawn.frame, Question()).emitters = True

    @cached_property
    def _seen(self) -> Watched:
        return watch(self.rules, self.recording, self.questions, resync=self.resync)

    @cached_property
    def _pairs(self) -> PairExplainer:
        return PairExplainer(self._seen)

    @cached_property
    def _emitters(self) -> EmitterExplainer:
        return EmitterExplainer(self._seen)

    def of_claim(self, claim: Claim) -> Account:
        """How far the claimed blow came in the frame of the window in which it came furthest, of equals the nearest."""
        window = sorted(self._window(claim), key=lambda frame: (abs(frame - claim.frame), frame))
        accounts = [self._in(claim, frame) for frame in window]
        account = max(accounts, key=lambda one: one.reach[0])  # the first of equals
        step = account.steps[-1]
        if step.gate != "present" or "no pose" not in step.text or not (claim.striker and claim.target):
            return account
        nearest = self._pairs.nearest(claim.frame, claim.striker, claim.target)
        more = replace(step, text=f"{step.text}; {nearest}") if nearest else step
        return replace(account, steps=(*account.steps[:-1], more))

    def _window(self, claim: Claim) -> range:
        first, last = self.recording.first, self.recording.last
        before, after = self.window
        return range(max(claim.frame - after, first), min(claim.frame + before, last) + 1)

    def _in(self, claim: Claim, frame: int) -> Account:
        if not (claim.striker and claim.target):
            return self._furthest(claim, frame)
        return self._pairs.deciding(frame, claim.striker, claim.target, attack=claim.attack, second=True)

    def _furthest(self, claim: Claim, frame: int) -> Account:
        """Of a claim that names one of the two: the pair with it that came furthest."""
        near = [
            one
            for one in self._pairs.near(frame, AROUND)
            if one.gate != "landed" and claim.striker in (None, one.striker) and claim.target in (None, one.target)
        ]
        if near:
            return max(near, key=lambda one: one.reach)
        who = f"nothing that could hit {claim.target}" if claim.target else f"nobody that {claim.striker} could hit"
        step = Step("touch", False, f"{who} is within {AROUND:g} units")
        return Account(frame, claim.striker or "", claim.target or "", (step,))

    def of_spawn(self, one: Unfired) -> Finding:
        """What the emitters that could have fired it say."""
        return one.finding("; ".join(self._silent(one.frame, owner, emitter) for owner, emitter in one.guns[:3]))

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

    def __init__(self, claims: Sequence[Claim], landings: Sequence[Event], ledger: Ledger, *, resynced: bool) -> None:
        self.resynced = resynced
        self.until = {(event.id, event.until) for event in ledger.of("iframes")}
        self.claimed, self.landed = (
            {name: sorted({one.frame for one in some if one.target == name}) for name in {one.target for one in some}}
            for some in (claims, landings)
        )

    def __call__(self, claim: Claim, landing: Event, account: Account | None) -> int:
        later = landing.frame > claim.frame
        held = (
            (account is not None and account.gate == "immune")
            if later
            else (landing.target, landing.frame - 1) in self.until
        )
        if not held:
            return 0
        if self.resynced:  # the blow before was where the game has it
            return landing.frame - claim.frame
        before = self.claimed[claim.target], self.landed[landing.target]
        claimed, landed = bisect_left(before[0], claim.frame), bisect_left(before[1], landing.frame)
        if not claimed or not landed:
            return landing.frame - claim.frame
        return landing.frame - before[1][landed - 1] - (claim.frame - before[0][claimed - 1])


def _claimable(held: Held, landings: Sequence[Event]) -> list[Event]:
    """Landings that the game could have claimed, and had time to: of actors it shows, or of such as it names in its
    claims at all."""
    known, late = Claimable(held.rules, held.recording), held.windows.of("hit").after
    in_time = [landing for landing in landings if landing.frame + late <= held.recording.last]
    return [landing for landing in in_time if landing.striker in known and landing.target in known]


def _differs(held: Held, claim: Claim, landing: Event) -> Iterator[Finding]:
    """Where a claim and its landing tell different things."""
    pair = landing.striker or "", landing.target or ""

    def finding(sort: str, game: str, rules: str) -> Finding:
        return Finding(sort, claim.frame, *pair, claim, landing, landing.frame - claim.frame, game, rules)

    if claim.damage is not None and landing.damage is not None and abs(claim.damage - landing.damage) > 1e-6:
        yield finding("damage", number(claim.damage), number(landing.damage))
    if claim.attack is not None and claim.attack != landing.attack:
        yield finding("attack", claim.attack, landing.attack or "")
    left = _health_after(held, landing)
    if claim.health is not None and left is not None and abs(claim.health - left) > 1e-6:
        yield finding("hit-health", number(claim.health), number(left))
    if claim.x is not None and claim.y is not None:
        yield from _place(held, claim, landing, finding)


def _place(held: Held, claim: Claim, landing: Event, finding: Callable[[str, str, str], Finding]) -> Iterator[Finding]:
    """A claimed place is right within the tolerance of what the two boxes share, or where they touch."""
    point = claim.x or 0.0, claim.y or 0.0
    t = landing.t if landing.t is not None else 1.0
    sides = [(landing.striker, landing.hitbox), (landing.target, landing.hurtbox)]
    away = [held.outside(name or "", box or "", landing.frame, t, point) for name, box in sides]
    known = [one for one in away if one is not None]
    apart = max(known) if known else math.dist(point, (landing.x or 0.0, landing.y or 0.0))
    if apart > held.tolerance:
        told = f"({point[0]:g}, {point[1]:g}), {apart:.1f} units away"
        yield finding("hit-place", told, f"({landing.x:g}, {landing.y:g})")


def _health_after(held: Held, landing: Event) -> float | None:
    """The target's health right after a landing."""
    events = held.ledger.events
    at = bisect_left(events, landing.frame, key=lambda one: one.frame)
    while at < len(events) and events[at] is not landing:
        at += 1
    following = events[at + 1] if at + 1 < len(events) else None
    if following is not None and following.event == "health" and following.id == landing.target:
        return following.after
    course = held.course.courses.get(landing.target or "")
    before = [
        one for one in events[:at] if one.frame == landing.frame and one.event == "health" and one.id == landing.target
    ]
    if course is None or course.kind.health is None:
        return None
    return before[-1].after if before else course.health.now(landing.frame - 1)
