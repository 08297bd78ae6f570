"""Explanations of findings: which values in the rulebook, were they others, would leave the fewest of them.

Each value is tried by a replay of a stretch of the recording about the first findings; what fits best there is
confirmed on the whole. Causes are found one after the other, each on what the earlier ones leave.
"""

from __future__ import annotations

import heapq
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import msgspec

from voskar.core.adopt import Windows
from voskar.core.recording import Recording
from voskar.core.recording.cut import cut
from voskar.core.rules import Rules
from voskar.evidence.check import Verdict, check
from voskar.evidence.finding import Finding
from voskar.evidence.following import Root
from voskar.evidence.trials import TRIALS
from voskar.explaining.accounts import APART
from voskar.explaining.groups import Group, groups
from voskar.explaining.guesses import Guesses
from voskar.explaining.leaf import Leaf, Variants
from voskar.explaining.numbers import moved_place, neighbours, number_at, with_number
from voskar.explaining.suspects import Suspects
from voskar.explaining.tried import Explanation, Mark, Subject, Tried, TriedValue, mark, subject
from voskar.files.keypaths import KeyPath

FIRST = 4
"""Findings of a group that a stretch is about, if they are not too far apart."""
LONG, BEFORE, AFTER = 300, 180, 45
"""Frames: a stretch has at most so many before its first finding, else only those; and some behind its last."""
SPREAD = 400
"""Frames from the first of these findings to the last."""
MORE = 4
"""Values of other keys that are tried still when one leaves nothing: they may fit as well."""
CONFIRMED = 3
"""Values of different keys that are tried on the whole recording, unless one leaves nothing."""
CHEAPEST = 0.5
"""A trial is the replay of LONG frames: a longer or shorter stretch counts for its part, at least so much."""
SHARE = 5
"""A group of findings has this part of all trials, and as much more for each finding; at most two thirds of the rest.
"""
NEARER = 0.7
"""A value that leaves as many findings is moved on if they are off by less than this part of what they were."""
CLEARED = 0.15
"""The rest of the suspicion against a key if the recording shows its value."""


def explain(
    variants: Variants,
    recording: Recording,
    verdict: Verdict,
    kinds: Mapping[str, str],
    *,
    windows: Windows,
    tolerance: float,
    resync: bool = True,
    trials: int = TRIALS,
) -> tuple[Explanation, ...]:
    """The values that explain roots of a verdict, each with the roots that it explains; `kinds` are those of all
    actors, by id. At most `trials` values are tried: fewer on long
    stretches, up to twice as many on short ones."""
    search = _Search(variants, recording, kinds, windows, tolerance, resync, trials)
    return tuple(search.run(verdict.roots))


class _Search:
    def __init__(
        self,
        variants: Variants,
        recording: Recording,
        kinds: Mapping[str, str],
        windows: Windows,
        tolerance: float,
        resync: bool,
        trials: int,
    ) -> None:
        self.variants, self.recording, self.kinds = variants, recording, kinds
        self.windows, self.tolerance, self.resync = windows, tolerance, resync
        self.budget, self.share = float(trials), max(trials // SHARE, 1)
        self.changes: dict[KeyPath, Any] = {}
        own = variants.rules({})
        assert own is not None
        self.rules: Rules = own
        self.suspects = Suspects(own, kinds, variants.leaves)
        self.guesses = Guesses(own, recording, kinds)
        self.unexplained: dict[Mark, Finding] = {}
        """The roots that nothing has explained so far."""
        self.follows: Mapping[int, Sequence[Finding]] = {}
        self._cuts: dict[tuple[int, int], Recording] = {}
        self._tried: dict[tuple[str, tuple[int, int]], Tried | None] = {}
        self._spurious: frozenset[Subject] = frozenset()
        """Roots of a stretch that the whole does not have: they come from what happened before it."""

    def run(self, roots: Sequence[Root]) -> Iterator[Explanation]:
        left = self._take(roots)
        self.unexplained = {mark(finding): finding for finding in left}
        for event, shift in shifts(self.recording, left):
            late = self._late(event, shift, left)
            if late is not None:
                explanation, left = late
                yield explanation
        hopeless: set[str] = set()
        # The largest group first: one value often explains it, and its followers vanish with it.
        while left and self.budget > 0:
            waiting = [group for group in groups(left, self.kinds, self.rules) if group.rule not in hopeless]
            if not waiting:
                return
            found = self._best(waiting[0], left)
            if found is None:
                # A group without an explanation must not be tried for ever.
                hopeless.add(waiting[0].rule)
                continue
            explanation, left = found
            yield explanation

    def _take(self, roots: Sequence[Root]) -> list[Finding]:
        """Keeps what follows from each of some roots."""
        self.follows = {id(root): follows for root, follows in roots}
        return [root for root, _ in roots]

    def _best(self, group: Group, left: Sequence[Finding]) -> tuple[Explanation, list[Finding]] | None:
        """The value that leaves the fewest roots, with those; None if no value leaves fewer."""
        stretch = self._stretch(group)
        self._spurious = frozenset()
        base = self._try({}, stretch)
        if base is None:
            return None
        # a stretch that begins in the middle has roots of its own, as its past is missing
        real = {mark(finding) for finding in left}
        self._spurious = frozenset(subject(root) for root in base.roots - real) - {subject(root) for root in real}
        base = base.without(self._spurious)
        if not base.roots:
            return None
        fits = self._tries(group, left, stretch, base)
        better = [fit for fit in fits if fit.worth[0] < len(base.roots)]
        # as many findings, but the game is nearer by then; or others instead: the value may be too far
        nearer = [fit for fit in fits if fit.worth[0] == len(base.roots) and fit.off < NEARER * base.off]
        nearer = sorted(nearer, key=lambda trial: trial.off)[:2] + [fit for fit in fits if fit.gone][:2]
        for fit in nearer if not better else ():
            fit = self._refined(fit, stretch, base)
            if fit.worth[0] < len(base.roots):
                better.append(fit)
        better.sort(key=lambda trial: (trial.worth, trial.order))
        found: list[tuple[int, int, Explanation, Verdict]] = []
        tried: set[KeyPath] = set()
        for fit in better:
            if fit.leaf.path in tried or len(tried) == CONFIRMED:
                continue
            tried.add(fit.leaf.path)
            fit = self._refined(fit, stretch, base)
            verdict = self._whole({fit.leaf.path: fit.value})
            explanation = self._explanation(fit, better, base, left, verdict)
            explained = len(explanation.explains)
            # A value that removes findings and brings a third as many is not the cause.
            if explained and len(verdict.roots) < len(left) and 3 * explanation.new <= explained:
                # a value that brings new findings is the worse for each of them
                found.append((len(verdict.roots) + explanation.new, len(found), explanation, verdict))
                if not verdict.roots:
                    break
        if not found:
            return None
        _, _, explanation, verdict = min(found, key=lambda entry: entry[:2])
        # The neighbours are asked last, as they cost trials.
        explanation = replace(explanation, beside=self._beside(explanation, stretch))
        self.changes[explanation.leaf.path] = explanation.value
        self._explained({mark(finding) for finding in verdict.findings})
        return explanation, self._take(verdict.roots)

    def _late(self, event: str, shift: int, left: Sequence[Finding]) -> tuple[Explanation, list[Finding]] | None:
        """An explanation and the roots that are left if each claim of an event is logged so many frames late, and
        counts as in time."""
        logged = self.recording
        claims = [
            msgspec.structs.replace(claim, frame=claim.frame + shift) if claim.event == event else claim
            for claim in logged.claims
        ]
        if not all(logged.first <= claim.frame <= logged.last for claim in claims):
            return None  # such a thing was reported before it can have been
        self.recording = replace(logged, claims=tuple(sorted(claims, key=lambda claim: claim.frame)))
        verdict = self._whole({})
        known = {mark(root) for root, _ in verdict.roots}
        # Half of the findings must vanish, or the claims are late for another reason.
        if 2 * len(verdict.roots) > len(left):
            self.recording = logged
            return None
        # earlier trials used other claims
        self._cuts.clear()
        self._tried.clear()
        leaf = Leaf(("lag", event), "frames", 0)
        new = len(known - {mark(finding) for finding in left})
        return Explanation(leaf, -shift, self._explained(known), len(verdict.roots), new), self._take(verdict.roots)

    def _explained(self, known: Collection[Mark]) -> tuple[Finding, ...]:
        """The first roots that are not found any more, without those that were explained before."""
        # A finding that another explanation removed stays explained.
        gone = [root for root in self.unexplained if root not in known]
        return tuple(self.unexplained.pop(root) for root in gone)

    def _explanation(
        self,
        fit: TriedValue,
        better: Sequence[TriedValue],
        base: Tried,
        left: Sequence[Finding],
        verdict: Verdict,
    ) -> Explanation:
        known = {mark(finding) for finding in verdict.findings}
        before = {mark(finding) for finding in left}
        explains = tuple(finding for root, finding in self.unexplained.items() if root not in known)
        new = sum(mark(root) not in before for root, _ in verdict.roots)
        alike = {
            trial.leaf.path: (trial.leaf, trial.value)
            for trial in better
            if trial.leaf.path != fit.leaf.path and trial.worth[0] <= fit.worth[0]
        }
        return Explanation(
            fit.leaf,
            fit.value,
            explains,
            len(verdict.roots),
            new,
            alike=tuple(alike.values()),
            tried=len(base.roots),
            remain=fit.remain,
        )

    def _beside(self, explanation: Explanation, stretch: tuple[int, int]) -> tuple[tuple[Any, int], ...]:
        """How many roots of the stretch the next values leave."""
        tried = [
            (value, self._try({explanation.leaf.path: value}, stretch))
            for value in neighbours(explanation.leaf, explanation.value)
        ]
        return tuple((value, len(found.roots)) for value, found in tried if found is not None)

    # trying

    def _tries(self, group: Group, left: Sequence[Finding], stretch: tuple[int, int], base: Tried) -> list[TriedValue]:
        """Values of the keys that a group of roots may come from, the likeliest first."""
        weights: dict[KeyPath, float] = {}
        leaves: dict[KeyPath, Leaf] = {}
        inside = {id(finding) for finding in group.findings}
        for finding in left:
            share = 1.0 if id(finding) in inside else 0.5 if finding.first <= stretch[1] else 0.2
            for rank, leaf in enumerate(self.suspects.of(finding)):
                if leaf.path not in self.changes:
                    leaves[leaf.path] = leaf
                    weights[leaf.path] = weights.get(leaf.path, 0.0) + share / (4 + rank)
        seen = [following for finding in group.findings for following in (finding, *self.follows.get(id(finding), ()))]
        waiting: list[tuple[float, int, Leaf, Any]] = []
        for path, leaf in leaves.items():
            weight = weights[path] * (CLEARED if self.guesses.is_cleared(leaf) else 1.0)
            for place, (trust, value) in enumerate(self.guesses.of(leaf, seen)):
                words = leaf.sort in ("several", "names", "options", "name")
                # words have few values, and the right one may come late; of numbers the first guesses are the good
                # ones
                score = weight * trust / (1 + (0.3 if words else 1.0) * place)
                heapq.heappush(waiting, (-score, len(waiting), leaf, value))
        fits: list[TriedValue] = []
        extra = MORE
        best = len(base.roots)
        spent, cost = 0.0, _cost(stretch)
        most = min(2 * self.budget / 3, self.share * (1 + len(group.findings)))
        while waiting and self.budget > 0 and extra > 0 and spent < most:
            _, order, leaf, value = heapq.heappop(waiting)
            # a second value of a key that explains all adds nothing
            if best == 0 and any(fit.leaf.path == leaf.path and fit.worth[0] == 0 for fit in fits):
                continue
            self.budget -= cost
            spent += cost
            tried = self._try({leaf.path: value}, stretch)
            if tried is None:
                continue
            gone = len(base.roots - tried.roots)
            fits.append(TriedValue(tried.beside(base, leaf), tried.off, gone, len(tried.roots), order, leaf, value))
            best = min(best, fits[-1].worth[0])
            if best == 0:
                extra -= 1
        return fits

    def _refined(self, fit: TriedValue, stretch: tuple[int, int], base: Tried) -> TriedValue:
        """A number that leaves something, moved until it leaves less."""
        whole = fit.leaf.sort in ("frames", "rehit", "whole")
        place = moved_place(fit.leaf, fit.value)
        if place is None or fit.worth[0] == 0:
            return fit
        value, own = number_at(fit.value, place), number_at(fit.leaf.value, place)
        step = abs(value - own) / 2
        tries = 10
        while tries > 0 and step >= (1 if whole else 0.02):
            step = max(round(step), 1) if whole else step
            for way in (step, -step):
                if tries <= 0 or self.budget <= 0 or fit.worth[0] == 0:
                    return fit
                tries, self.budget = tries - 1, self.budget - _cost(stretch)
                other = with_number(fit.value, place, number_at(fit.value, place) + way)
                tried = self._try({fit.leaf.path: other}, stretch)
                if tried is not None and tried.beside(base, fit.leaf) < fit.worth:
                    fit = fit._replace(
                        worth=tried.beside(base, fit.leaf), off=tried.off, remain=len(tried.roots), value=other
                    )
                    break
            else:
                # Neither side is better, so the step is halved.
                if whole and step <= 1:
                    return fit
                step /= 2
        return fit

    def _stretch(self, group: Group) -> tuple[int, int]:
        """The frames that values are tried on for a group."""
        recording = self.recording
        ordered = sorted(group.findings, key=lambda finding: finding.first)
        findings = [finding for finding in ordered[:FIRST] if finding.first <= ordered[0].first + SPREAD]
        after = AFTER + self.windows.at(recording).widest
        # nothing before the run matters, so a stretch from its beginning has its whole past
        start = max((at for at, what in recording.resets.items() if what == "run" and at <= findings[0].first),
                    default=recording.first)  # fmt: skip
        if findings[0].first - start > LONG:
            start = max(findings[0].first - BEFORE, recording.first)
        last = max(finding.last for finding in findings) + after
        return start, min(last, recording.last)

    def _try(self, fields: Mapping[KeyPath, Any], stretch: tuple[int, int]) -> Tried | None:
        """A variant in a stretch; None if it is no rulebook."""
        changes = {**self.changes, **fields}
        # A value and a stretch are replayed once, however often they are asked for.
        key = repr(sorted(changes.items(), key=repr)), stretch
        if key not in self._tried:
            rules = self.variants.rules(changes)
            if rules is None:
                self._tried[key] = None
                return None
            if stretch not in self._cuts:
                recording = self.recording
                whole = stretch == (recording.first, recording.last)
                self._cuts[stretch] = recording if whole else cut(recording, *stretch)
            verdict, _ = check(
                rules,
                self._cuts[stretch],
                windows=self.windows,
                tolerance=self.tolerance,
                resync=self.resync,
                explains=False,
            )
            self._tried[key] = Tried(
                frozenset(mark(root) for root, _ in verdict.roots),
                frozenset(mark(finding) for finding in verdict.findings),
                sum(float(match[1]) for root, _ in verdict.roots if (match := APART.search(root.game)) is not None),
            )
        found = self._tried[key]
        return None if found is None else found.without(self._spurious)

    def _whole(self, fields: Mapping[KeyPath, Any]) -> Verdict:
        rules = self.variants.rules({**self.changes, **fields})
        assert rules is not None
        return check(rules, self.recording, windows=self.windows, tolerance=self.tolerance, resync=self.resync)[0]


def _cost(stretch: tuple[int, int]) -> float:
    """The cost of a value that is tried on a stretch, in trials."""
    return max((stretch[1] - stretch[0] + 1) / LONG, CHEAPEST)


def shifts(recording: Recording, roots: Sequence[Finding]) -> list[tuple[str, int]]:
    """The events of which most claims are reported in another frame, all by as many frames: by how many."""
    moved: dict[str, list[int]] = {}
    for root in roots:
        if root.code in ("hit-moved", "event-moved") and root.claim is not None:
            moved.setdefault(root.claim.event, []).append(root.shift)
    found = []
    for event, by in moved.items():
        claimed = sum(claim.event == event for claim in recording.claims)
        # A single claim in another frame is no pattern.
        if len(by) > 1 and len(set(by)) == 1 and 3 * len(by) >= 2 * claimed:
            found.append((event, by[0]))
    return found
