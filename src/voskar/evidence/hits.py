"""HitEvidence: what the game counts, held against what lands by the rules."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterator, Sequence
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
from voskar.core.ledger.events import ContactEvent, HealthEvent
from voskar.core.recording import Claim
from voskar.core.rules import Emitter
from voskar.core.watching import Question, Watched
from voskar.evidence.emissions import Unfired
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held
from voskar.evidence.matching import assigned, pair_up

Match = tuple[Claim, Event]


class HitEvidence(NamedTuple):
    """How many hits were claimed, how many hits could have been, how many agreed in all, and what did not; `matched`
    are the hits that did, by `id()`."""

    claims: int
    hits: int
    agreed: int
    findings: tuple[Finding, ...]
    matched: Collection[int] = ()


AROUND = 64.0
"""Units within which the other side of a claim is looked for that names only one."""


def match(
    claims: Sequence[Claim], hits: Sequence[Event], window: Window
) -> tuple[list[Match], list[Claim], list[Event]]:
    """Pairs hit claims with hits of the same attacker and target that it is in the window of.

    Each is used once, and the whole fits best: first by attack, then by frame, then by damage and place. A claim that
    names only one of the two takes any hit of it, or on it, that the others have left. Returns the pairs in the claims'
    order, the claims left over and the hits left over.
    """
    # a claim of both sides says the most: claims of one side get what these leave
    whole = [claim for claim in claims if claim.attacker and claim.target]
    pairs, spare, hits = _by_attack(whole, hits, window)
    for half, other in (("target", "attacker"), ("attacker", "target")):
        logged = [claim for claim in claims if getattr(claim, other) is None]
        entries, left, hits = pair_up(logged, hits, window, attrgetter(half), attrgetter(half))
        pairs, spare = pairs + entries, spare + left
    # pairs come out by attack and side, and findings go in the game's order
    place = {id(claim): number for number, claim in enumerate(claims)}
    pairs.sort(key=lambda pair: place[id(pair[0])])
    return pairs, sorted(spare, key=lambda claim: place[id(claim)]), list(hits)


def _by_attack(
    claims: Sequence[Claim], hits: Sequence[Event], window: Window
) -> tuple[list[Match], list[Claim], list[Event]]:
    """Pairs claims and hits of the same two. Those of pairs with one attack only are aligned by their frames."""
    # pairing by frames costs least; only where attacks of one pair compete must everything be weighed at once
    attacks: dict[tuple[str | None, str | None], str | None] = {}
    mixed = {_pair(hit) for hit in hits if attacks.setdefault(_pair(hit), hit.attack) != hit.attack}
    if not mixed:
        return pair_up(claims, hits, window, _pair, _pair)
    plain = [claim for claim in claims if _pair(claim) not in mixed], [hit for hit in hits if _pair(hit) not in mixed]
    pairs, spare, rest = pair_up(*plain, window, _pair, _pair)
    for pair in sorted(mixed, key=str):
        own = [claim for claim in claims if _pair(claim) == pair], [hit for hit in hits if _pair(hit) == pair]
        found = assigned(*own, window, _cost)
        used = {id(entry) for match in found for entry in match}
        pairs += found
        spare += [claim for claim in own[0] if id(claim) not in used]
        rest += [hit for hit in own[1] if id(hit) not in used]
    return pairs, spare, sorted(rest, key=lambda hit: hit.frame)


def _cost(claim: Claim, hit: Event) -> tuple[int, ...]:
    """The misfit of a claim and a hit: attack, frame, damage and place."""
    other = claim.attack is not None and claim.attack != hit.attack
    damage = claim.damage is not None and hit.damage is not None and abs(claim.damage - hit.damage) > 1e-6
    apart = 0.0
    if claim.x is not None and claim.y is not None:
        apart = math.dist((claim.x, claim.y), (hit.x or 0.0, hit.y or 0.0))
    return int(other), abs(claim.frame - hit.frame), int(damage), min(round(apart), 1000)


def _pair(event: Claim | Event) -> tuple[str | None, str | None]:
    return event.attacker, event.target


def hits(held: Held) -> HitEvidence:
    """Compares claimed hits with the hits of the rules."""
    recording, ledger = held.recording, held.ledger
    claims = [claim for claim in recording.claims if claim.event == "hit" and _is_logged(held, claim)]
    spared, claims = _spared(held, claims)
    judged = [hit for hit in ledger.hits() if _is_logged(held, hit)]
    taken = {} if held.resync is None else held.resync.plan
    known = [(entry, taken[number].rules) for number, entry in enumerate(recording.claims) if number in taken]
    compared = {id(claim) for claim in claims}
    known = [(entry, event) for entry, event in known if id(entry) in compared]
    moved = [(entry, event) for entry, event in known if event is not None]
    gone = {id(entry) for entry, _ in known}
    groups = {_hit(event) for _, event in moved}
    # claims that are matched already must not be matched again
    left = [event for event in judged if _hit(event) not in groups]
    window = held.windows.of("hit")
    due = [event for event in left if event.frame + window.after <= recording.last]  # the claims of others may yet come
    agreed, denied, unmatched = match([claim for claim in claims if id(claim) not in gone], due, window)
    pairs, denied, late = match(
        denied, [event for event in left if event.frame + window.after > recording.last], window
    )
    agreed, unmatched = agreed + pairs, unmatched + late
    # only now the wide window: a hit within its own window always goes first
    near, denied, unmatched = match(denied, unmatched, Window(held.near, held.near))
    moved += near
    # a game may claim each tick as a hit, where the rules have damage without a contact
    denied = [claim for claim in denied if not _is_tick(held, claim)]
    denied += [entry for entry, event in known if event is None]
    missed = _claimable(held, unmatched) if held.recording.asks_for("hit") else []
    missed = [hit for hit in missed if hit.case not in held.recording.scope.cases]
    why = Reasons(held, [*(claim for claim, _ in moved), *denied]).of_claim if held.ask else lambda claim: None
    drift = _Drift(claims, judged, ledger, resynced=held.resync is not None)
    # a hit that is elsewhere in time is one finding: what it says is not compared
    differing = [list(_differs(held, claim, hit)) for claim, hit in agreed]
    found = [finding for findings in differing for finding in findings]
    for claim, hit in moved:
        account = why(claim)
        pair = hit.attacker or "", hit.target or ""
        shift = hit.frame - claim.frame
        by = drift(claim, hit, account)
        found.append(Finding("hit-moved", claim.frame, *pair, claim, hit, shift, why=account, drift=by))
    for claim in denied:
        account = why(claim)
        found.append(Finding("hit-denied", claim.frame, claim.attacker or "", claim.target or "", claim, why=account))
    found += [Finding("hit-missing", hit.frame, hit.attacker or "", hit.target or "", hit=hit) for hit in missed]
    clean = [id(hit) for (_, hit), different in zip(agreed, differing, strict=True) if not different]
    # a hit in resync's plan stands for all its copies in the ledger: the replay went through that frame more than once
    landed = len(left) - len(unmatched) + len(missed) + len(groups)
    return HitEvidence(len(claims) + len(spared), landed, len(clean) + len(spared), tuple(found), clean)


def _is_tick(held: Held, claim: Claim) -> bool:
    """Whether damage over time by the attack that is claimed falls in its frame."""
    ticks = (event for event in held.ledger.all(HealthEvent) if event.cause is not None)
    return any((tick.frame, tick.id, tick.cause) == (claim.frame, claim.target, claim.attack) for tick in ticks)


def _spared(held: Held, claims: list[Claim]) -> tuple[list[Claim], list[Claim]]:
    """Claims of a case that does not land by the rules either: they agree; and all others."""
    ledger, window = held.ledger, held.windows.of("hit")
    known = {
        (event.attacker, event.target, event.attack, event.case, event.frame, event.until)
        for event in ledger.all(ContactEvent)
        if event.outcome == "unmet" and event.case is not None
    }
    spared = [
        claim
        for claim in claims
        if claim.case
        and any(
            (claim.attacker, claim.target, claim.case) == (attacker, target, case)
            and claim.attack in (None, attack)
            and first - window.before <= claim.frame <= (last or first) + window.after
            for attacker, target, attack, case, first, last in known
        )
    ]
    gone = {id(claim) for claim in spared}
    return spared, [claim for claim in claims if id(claim) not in gone]


def _hit(event: Event) -> tuple[object, ...]:
    """The key by which two replays have the same hit."""
    # events of two replays are different objects, so `id()` cannot match them
    return event.frame, event.attacker, event.hitbox, event.target, event.hurtbox, event.attack


def _is_logged(held: Held, event: Claim | Event) -> bool:
    return event.attack not in held.recording.scope.attacks and held.recording.logs("hit", event.attacker, event.target)


class Reasons:
    """Why the rules did otherwise, from the replay, which is watched in the frames to explain."""

    def __init__(self, held: Held, claims: Sequence[Claim] = (), unfired: Sequence[Unfired] = ()) -> None:
        self.recording, self.ask = held.recording, held.ask
        self.window = held.windows.of("hit")
        self.questions: dict[int, Question] = {}
        for claim in claims:
            for frame in self._window(claim):
                question = self.questions.setdefault(frame, Question())
                if claim.attacker and claim.target:
                    question.pairs.add((claim.attacker, claim.target))
                else:
                    # without the other side no pair can be named, so all pairs nearby are asked about
                    question.near = AROUND
        for spawn in unfired:
            self.questions.setdefault(spawn.frame, Question()).emitters = True

    @cached_property
    def _seen(self) -> Watched:
        assert self.ask is not None
        return self.ask(self.questions)

    @cached_property
    def _pairs(self) -> PairExplainer:
        return PairExplainer(self._seen)

    @cached_property
    def _emitters(self) -> EmitterExplainer:
        return EmitterExplainer(self._seen)

    def of_claim(self, claim: Claim) -> Account:
        """How far the claimed hit came in the frame of the window in which it came furthest, of equals the nearest."""
        window = sorted(self._window(claim), key=lambda frame: (abs(frame - claim.frame), frame))
        accounts = [self._in(claim, frame) for frame in window]
        account = max(accounts, key=lambda account: account.reach[0])  # the first of equals
        step = account.steps[-1]
        # only where there was no pose at all does it help to know where there was one
        if step.gate != "present" or "no pose" not in step.text or not (claim.attacker and claim.target):
            return account
        nearest = self._pairs.nearest(claim.frame, claim.attacker, claim.target)
        entry = replace(step, text=f"{step.text}; {nearest}") if nearest else step
        return replace(account, steps=(*account.steps[:-1], entry))

    def _window(self, claim: Claim) -> range:
        first, last = self.recording.first, self.recording.last
        before, after = self.window
        # the windows are about frames of the rules; here the frame of the claim is known, so before and after change
        # places
        return range(max(claim.frame - after, first), min(claim.frame + before, last) + 1)

    def _in(self, claim: Claim, frame: int) -> Account:
        if not (claim.attacker and claim.target):
            return self._furthest(claim, frame)
        return self._pairs.deciding(frame, claim.attacker, claim.target, attack=claim.attack, second=True)

    def _furthest(self, claim: Claim, frame: int) -> Account:
        """For a claim that names only one of the two actors: the pair that came furthest."""
        near = [
            pair
            for pair in self._pairs.near(frame, AROUND)
            if pair.gate != "landed" and claim.attacker in (None, pair.attacker) and claim.target in (None, pair.target)
        ]
        if near:
            return max(near, key=lambda pair: pair.reach)
        who = f"nothing that could hit {claim.target}" if claim.target else f"no target of {claim.attacker}"
        step = Step("touch", False, f"{who} is within {AROUND:g} units")
        return Account(frame, claim.attacker or "", claim.target or "", (step,))

    def of_spawn(self, spawn: Unfired) -> Finding:
        """The finding of a shot that no emitter fired, with the reasons of those that could have."""
        return spawn.finding("; ".join(self._silent(spawn.frame, owner, emitter) for owner, emitter in spawn.guns[:3]))

    def _silent(self, frame: int, owner: str, emitter: Emitter) -> str:
        """The gate that kept an emitter from firing in a frame."""
        who = f"{owner}/{emitter.name}"
        if (owner, emitter.name) not in {(name, gun.name) for name, gun in self._emitters.emitters(frame, owner)}:
            return f"{owner} is not there"
        steps = self._emitters.steps(frame, owner, emitter)
        stopped = next((step for step in steps if not step.passed), None)
        if stopped is None:
            return f"{who} fired its own"
        if stopped.gate in ("trigger", "run"):
            return f"{who}: {stopped.text}"
        return f"{who} is denied, {stopped.gate}: {stopped.text}"


class _Drift:
    """Compares how long i-frames last in the game and by the rules: by the time since the hit before on the same
    target, so that of a chain of hits each shows the same, however far it has moved."""

    def __init__(self, claims: Sequence[Claim], hits: Sequence[Event], ledger: Ledger, *, resynced: bool) -> None:
        self.resynced = resynced
        self.until = {(event.id, event.until) for event in ledger.of("iframes")}
        self.claimed, self.landed = (
            {name: sorted({hit.frame for hit in claim if hit.target == name}) for name in {hit.target for hit in claim}}
            for claim in (claims, hits)
        )

    def __call__(self, claim: Claim, hit: Event, account: Account | None) -> int:
        later = hit.frame > claim.frame
        held = (
            (account is not None and account.gate == "immune") if later else (hit.target, hit.frame - 1) in self.until
        )
        if not held:
            return 0
        if self.resynced:  # the hit before was where the game has it
            return hit.frame - claim.frame
        before = self.claimed[claim.target], self.landed[hit.target]
        claimed, landed = bisect_left(before[0], claim.frame), bisect_left(before[1], hit.frame)
        # without a hit before, all of the distance is drift
        if not claimed or not landed:
            return hit.frame - claim.frame
        return hit.frame - before[1][landed - 1] - (claim.frame - before[0][claimed - 1])


def _claimable(held: Held, hits: Sequence[Event]) -> list[Event]:
    """Hits that the game could have claimed, and had time to: of actors it shows, or of such as it names in its
    claims at all."""
    known = Claimable(held.rules, held.recording)
    in_time = [hit for hit in hits if held.in_time(hit.frame, "hit")]
    return [hit for hit in in_time if hit.attacker in known and hit.target in known]


def _differs(held: Held, claim: Claim, hit: Event) -> Iterator[Finding]:
    """Where a claim and its hit tell different things."""
    pair = hit.attacker or "", hit.target or ""

    def finding(code: str, game: str, rules: str) -> Finding:
        return Finding(code, claim.frame, *pair, claim, hit, hit.frame - claim.frame, game, rules)

    if claim.case is not None and claim.case != (hit.case or ""):  # its damage, and the health it leaves, follow
        yield finding("hit-case", claim.case or "none", hit.case or "none")
        return
    if claim.damage is not None and hit.damage is not None and abs(claim.damage - hit.damage) > 1e-6:
        yield finding("hit-damage", number(claim.damage), number(hit.damage))
    if claim.attack is not None and claim.attack != hit.attack:
        yield finding("hit-attack", claim.attack, hit.attack or "")
    left = None if claim.health is None else _health_after(held, hit)
    if claim.health is not None and left is not None and abs(claim.health - left) > 1e-6:
        yield finding("hit-health", number(claim.health), number(left))
    if claim.x is not None and claim.y is not None:
        yield from _place(held, claim, hit, finding)


def _place(held: Held, claim: Claim, hit: Event, finding: Callable[[str, str, str], Finding]) -> Iterator[Finding]:
    """A claimed place is right within the tolerance of what the two boxes share, or where they touch."""
    point = claim.x or 0.0, claim.y or 0.0
    # a hit without a time is judged at the end of the frame
    t = hit.t if hit.t is not None else 1.0
    sides = [(hit.attacker, hit.hitbox), (hit.target, hit.hurtbox)]
    away = [held.outside(name or "", box or "", hit.frame, t, point) for name, box in sides]
    # a driven actor has no logged pose to measure from
    known = [value for value in away if value is not None]
    # where they touch by the rules is right too: a shot has no pose before its first move, from which to measure
    apart = min([math.dist(point, (hit.x or 0.0, hit.y or 0.0)), *([max(known)] if known else [])])
    if apart > max(held.tolerance_of(name or "") for name in (hit.attacker, hit.target)):
        text = f"({point[0]:g}, {point[1]:g}), {apart:.1f} units away"
        yield finding("hit-place", text, f"({hit.x:g}, {hit.y:g})")


def _health_after(held: Held, hit: Event) -> float | None:
    """The target's health right after a hit."""
    events = held.ledger.events
    at = bisect_left(events, hit.frame, key=lambda event: event.frame)
    while at < len(events) and events[at] is not hit:
        at += 1
    # the health of a hit follows it at once, unless the hit took none
    following = events[at + 1] if at + 1 < len(events) else None
    if following is not None and following.event == "health" and following.id == hit.target:
        return following.after
    course = held.course.courses.get(hit.target or "")
    if course is None or course.kind.health is None:
        return None
    # an earlier hit of the same frame may have changed the health that this one did not change
    while at > 0 and events[at - 1].frame == hit.frame:
        at -= 1
        if events[at].event == "health" and events[at].id == hit.target:
            return events[at].after
    return course.health.now(hit.frame - 1)
