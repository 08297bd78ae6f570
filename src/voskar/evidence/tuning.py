"""Variants of rules over recordings: what each comes to, which agrees best with what the game did, and how sharply."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from statistics import median

from msgspec import structs

from voskar.core.adopt import Windows
from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Claim, Recording
from voskar.core.rules import Rules
from voskar.evidence.baseline import compare
from voskar.evidence.check import check
from voskar.evidence.finding import CODES
from voskar.evidence.held import EXACT


@dataclass(frozen=True)
class VariantScore:
    """The score of one variant of the rules. Scores of several recordings add up.

    `lived` has the frames that each had lived when it went down. `claims` are what the game claims, `agreed` those
    that the rules agree with. `hits_wrong` and `rest_wrong` are findings about hits, and all others. What comes behind
    is counted against the first variant.
    """

    hits: int = 0
    deaths: int = 0
    lived: tuple[int, ...] = ()
    claims: int = 0
    agreed: int = 0
    hits_wrong: int = 0
    rest_wrong: int = 0
    gained: int = 0
    lost: int = 0
    moved: int = 0
    changed: int = 0

    def __add__(self, other: VariantScore) -> VariantScore:
        return VariantScore(*(getattr(self, field.name) + getattr(other, field.name) for field in fields(VariantScore)))

    @property
    def time_to_down(self) -> float | None:
        """The median of `lived`, in frames."""
        return median(self.lived) if self.lived else None

    @property
    def evidence(self) -> bool:
        """Whether the game logs anything that rules may disagree with."""
        return bool(self.claims or self.rest_wrong)

    @property
    def differ(self) -> int:
        """The number of all differences from the first variant."""
        return self.gained + self.lost + self.moved + self.changed

    @property
    def wrong(self) -> int:
        """Disagreements with the game."""
        return self.hits_wrong + self.rest_wrong


def _in_time(recording: Recording, lag: int) -> Recording:
    """A recording of a game that logs claims `lag` frames late, as if it logged them at once."""
    if not lag:
        return recording
    claims = tuple(structs.replace(claim, frame=claim.frame - lag) for claim in recording.claims)
    return replace(recording, claims=claims)


def score(
    rules: Rules,
    recording: Recording,
    first: Ledger | None = None,
    *,
    windows: Windows = EXACT,
    resync: bool = True,
    lag: int = 0,
    actor: str | None = None,
) -> tuple[VariantScore, Ledger]:
    """Checks one recording and counts every finding. `lag` is how many frames late the game logs its claims; with
    `actor` only what is about it counts. `first` is the ledger that changes are counted against."""

    def counts(entry: Event | Claim) -> bool:
        return actor is None or actor in (entry.target, entry.id)

    recording = _in_time(recording, lag)
    verdict, whole = check(rules, recording, windows=windows, resync=resync, explains=False)
    ledger = replace(whole, events=[event for event in whole.events if counts(event)])
    claims = [claim for claim in recording.claims if counts(claim)]
    wrong = [finding for finding in verdict.findings if actor in (None, finding.target)]
    hits = sum(CODES[finding.code].about == "hit" for finding in wrong)
    downs = ledger.of("down")
    found = VariantScore(
        len(ledger.hits()),
        len(downs),
        tuple(_lived(recording, ledger, downs)),
        len(claims),
        len(claims) - len({id(finding.claim) for finding in wrong if finding.claim is not None}),
        hits,
        len(wrong) - hits,
    )
    if first is None:
        return found, whole
    own, other = replace(first, events=[event for event in first.events if counts(event)]), ledger
    changes = [difference.change for difference in compare(own, other).differences]
    gained, lost, moved, changed = (changes.count(name) for name in ("gained", "lost", "moved", "changed"))
    return replace(found, gained=gained, lost=lost, moved=moved, changed=changed), whole


def halves(
    rules: Rules, recording: Recording, windows: Windows, *, resync: bool = True, lag: int = 0
) -> tuple[int, int]:
    """How many findings lie in the first half of a recording, and in the second."""
    recording = _in_time(recording, lag)
    verdict, _ = check(rules, recording, windows=windows, resync=resync, explains=False)
    middle = (recording.first + recording.last) // 2
    early = sum(finding.frame <= middle for finding in verdict.findings)
    return early, len(verdict.findings) - early


def _lived(recording: Recording, ledger: Ledger, downs: Sequence[Event]) -> list[int]:
    """Frames from when each last appeared, came back, or began again, to when it went down."""
    began: dict[str, list[int]] = {}
    for event in ledger.events:
        if event.event in ("spawn", "respawn") and event.id:
            began.setdefault(event.id, []).append(event.frame)
    marks = sorted(recording.resets)
    found = []
    for event in downs:
        name = event.id or ""
        there = recording.pose_from(recording.numbers[name], recording.first) if name in recording.numbers else None
        starts = [recording.first if there is None else there[1], *began.get(name, []), *marks]
        found.append(event.frame - max(start for start in starts if start <= event.frame))
    return found


Point = tuple[int, ...]
"""Where a variant lies in a grid: the place of its value on each axis."""


@dataclass(frozen=True)
class Sharpness:
    """Along one axis, the others as in the best variant: the places from `low` to `high` fit as well as it does.

    `below` and `above` are how many more disagreements the next value on either side costs, None where there is none.
    """

    low: int
    high: int
    below: int | None
    above: int | None

    @property
    def open_ended(self) -> bool:
        """Whether a value that was not tried may fit as well, or better."""
        return self.below is None or self.above is None


@dataclass(frozen=True)
class Fit:
    """The first variant with the fewest disagreements, all that have as few, and how sharp that is on each axis."""

    best: Point
    alike: tuple[Point, ...]
    axes: tuple[Sharpness, ...]


def fit(wrong: Mapping[Point, int], lengths: Sequence[int]) -> Fit:
    """Finds the best variant of a full grid with axes of these lengths."""
    least = min(wrong.values())
    alike = tuple(sorted(point for point, count in wrong.items() if count == least))
    best = alike[0]
    found = []
    for axis, length in enumerate(lengths):
        line = [wrong[(*best[:axis], place, *best[axis + 1 :])] for place in range(length)]
        low = high = best[axis]
        while low > 0 and line[low - 1] == least:
            low -= 1
        while high < length - 1 and line[high + 1] == least:
            high += 1
        below = line[low - 1] - least if low > 0 else None
        found.append(Sharpness(low, high, below, line[high + 1] - least if high < length - 1 else None))
    return Fit(best, alike, tuple(found))


def fit_words(keys: Sequence[str], values: Sequence[Sequence[str]], scores: Mapping[Point, VariantScore]) -> list[str]:
    """The best fit, and how sharp it is, in sentences. Empty where there are no claims to fit."""
    if not any(score.evidence for score in scores.values()):
        return []
    wrong = {point: entry.wrong for point, entry in scores.items()}
    found = fit(wrong, [len(names) for names in values])
    if len(found.alike) == len(scores):
        return ["these values cannot be distinguished: each has as many disagreements as the others"]
    best = scores[found.best]
    named = ", ".join(f"{key} = {text[place]}" for key, text, place in zip(keys, values, found.best, strict=True))
    others = len(found.alike) - 1
    tail = f"; {others} other{'s fit' if others > 1 else ' fits'} as well" if others else ""
    lines = [f"best: {named}: {best.agreed} of {best.claims} claims agree, {_wrong(best)}{tail}"]
    for key, words, sharp in zip(keys, values, found.axes, strict=True):
        lines.append(f"{key}: {_sharp(words, sharp)}")
    return lines


def _wrong(entry: VariantScore) -> str:
    """How much is still wrong."""
    if not entry.wrong:
        return "nothing disagrees"
    text = [
        f"{count} of {what}"
        for count, what in ((entry.hits_wrong, "hits"), (entry.rest_wrong, "other things"))
        if count
    ]
    return f"{entry.wrong} disagreement{'s' * (entry.wrong > 1)}, {' and '.join(text)}"


def _sharp(values: Sequence[str], sharp: Sharpness) -> str:
    span = values[sharp.low] if sharp.low == sharp.high else f"{values[sharp.low]} to {values[sharp.high]}"
    if sharp.below is None and sharp.above is None:
        return f"{span} fit alike: these recordings cannot decide"
    costs = []
    if sharp.below is not None:
        costs.append(f"{values[sharp.low - 1]} costs {sharp.below} more")
    if sharp.above is not None:
        costs.append(f"{values[sharp.high + 1]} costs {sharp.above} more")
    kind = "only this fits" if sharp.low == sharp.high else "fit alike"
    end = ""
    if sharp.open_ended and any(name.isdecimal() for name in values[0]):  # a word has nothing beyond it
        last = "first" if sharp.below is None else "last"
        end = f"; this is the {last} that was tried: try beyond it"
    return f"{span}: {kind}, {' and '.join(costs)}{end}"
