"""The data of a page about a recording: its poses in chunks, and both accounts of what happened, as plain values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.boxes import BoxCatalog
from voskar.core.explain.pair import Account, PairExplainer
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.event import written
from voskar.core.recording import Claim, Recording
from voskar.core.rules import Rules
from voskar.core.rules.shapes import hull
from voskar.core.views.course import Course
from voskar.core.views.steps import Span
from voskar.core.views.timeline import timeline
from voskar.core.watching import Question, watched
from voskar.evidence.check import Verdict
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.versions import VersionsCompared
from voskar.evidence.words import accounts, question
from voskar.explaining.weighing import Weighed
from voskar.explaining.words import others, sentence, sharpness
from voskar.pages.poses import UNIT, Plain, PoseChunk, plain_actor, pose_chunks

GATES = 1500
"""Most contacts with their gates in the page; of the others the page shows the command."""

CONTACT = (
    "frame", "until", "attacker", "hitbox", "target", "hurtbox", "attack", "outcome", "t", "x", "y", "damage", "case",
)  # fmt: skip


@dataclass(frozen=True)
class PageData:
    """`plain` is what holds for the whole recording, as JSON has it; `chunks` are its poses."""

    plain: Plain
    chunks: tuple[PoseChunk, ...]


def page_data(
    rules: Rules,
    played: Recording,
    found: Weighed,
    files: tuple[str, str],
    frames: tuple[int, int],
    *,
    draws: bool = True,
) -> PageData:
    """Everything about some frames of a recording that was checked; its poses only if it `draws`. `files` are the
    rulebook and the recording as commands name them."""
    verdict, ledger = found.verdict, found.ledger
    shown = [root for root, _ in verdict.roots if frames[0] <= root.frame <= frames[1]]
    place = {id(root): at for at, root in enumerate(shown)}
    questions: dict[int, Question] = {}
    for frame, attacker, target in _pairs(verdict, ledger, frames):
        questions.setdefault(frame, Question()).pairs.add((attacker, target))
    seen = verdict.seen or watched(rules, played, resync=verdict.resync)
    judged, course = seen.recording, timeline(rules, played, ledger)
    catalog = seen.world.catalog
    chunks = tuple(pose_chunks(rules, judged, catalog, frames)) if draws else ()
    explainer = PairExplainer(seen.asking(questions))
    gates = {
        f"{frame}|{attacker}|{target}": [_account(account) for account in explainer.pair(frame, attacker, target)]
        for frame, question_ in sorted(questions.items())
        for attacker, target in sorted(question_.pairs)
        if attacker in judged.numbers and target in judged.numbers
    }
    plain: Plain = {
        "title": played.title,
        "rulebook": files[0],
        "recording": files[1],
        "rate": float(played.rate),
        "first": frames[0],
        "last": frames[1],
        "whole": [played.first, played.last],
        "up": rules.space.up,
        "bounds": list(rules.space.bounds) if rules.space.bounds else None,
        "solids": [_points(part) for solid in rules.space.solids for part in solid.outline.parts],
        "unit": UNIT,
        "resynced": verdict.resync is not None,
        "extent": _extent(judged, frames),
        "kinds": _kinds(rules, catalog),
        "actors": _actors(rules, judged, frames),
        "contact_fields": CONTACT,
        "contacts": [_contact(event) for event in _within(ledger.of("contact"), frames)],
        "events": [_event(event) for event in _within(_lifecycle(ledger), frames)],
        "claims": [_claim(claim) for claim in played.claims if frames[0] <= claim.frame <= frames[1]],
        "findings": [
            {**_finding(root, files), "follows": [_finding(follow, files) for follow in follows]}
            for root, follows in verdict.roots
            if frames[0] <= root.frame <= frames[1]
        ],
        "explanations": [
            {
                "text": sentence(explanation, found.variants, len(verdict.roots)),
                "more": "; ".join(filter(None, (sharpness(explanation), others(explanation)))),
                "finding": next((place[id(finding)] for finding in explanation.explains if id(finding) in place), -1),
            }
            for explanation in found.explanations
        ],
        "gates": gates,
        "courses": {
            name: fields
            for name, entry in course.courses.items()
            if name in judged.numbers and any(map(_says_something, (fields := _course(entry, played)).values()))
        },
        "inputs": _inputs(played),
        "runs": course.runs,
        "ends": [[end.frame, end.event] for end in course.ends],
        "marks": [[frame, what] for frame, what in sorted(played.resets.items())],
        "score": {name: [steps.frames, steps.values] for name, steps in course.score.items()},
        "counts": counts(verdict),
        "summary": summary(counts(verdict)),
    }
    return PageData(plain, chunks)


def other_data(other: PageData, found: VersionsCompared) -> PageData:
    """The data of a page about the old one of two versions: its poses and state, and its differences."""
    plain = {name: value for name, value in other.plain.items() if name not in ("gates", "explanations")}
    first = None if found.parting is None else found.parting.first
    plain["parting"] = None if first is None else [first.frame, f"{first.what}: {first.old}, then {first.new}"]
    plain["differences"] = [
        [difference.frame, difference.what, difference.before, difference.after, difference.follows, difference.who]
        for difference in found.differs.differences
    ]
    return PageData(plain, other.chunks)


def _pairs(verdict: Verdict, ledger: Ledger, frames: tuple[int, int]) -> Iterator[tuple[int, str, str]]:
    """The pairs with their gates in the page: of findings, and of the first contacts."""
    for finding in verdict.findings:
        if finding.attacker and finding.target and CODES[finding.code].about == "hit":
            yield from {
                (frame, finding.attacker, finding.target)
                for frame in (finding.frame, finding.why.frame if finding.why else finding.frame)
                if frames[0] <= frame <= frames[1]
            }
    contacts = [event for event in ledger.of("contact") if frames[0] <= event.frame <= frames[1]]
    for event in contacts[:GATES]:
        yield event.frame, event.attacker or "", event.target or ""


def _within(events: Iterable[Event], frames: tuple[int, int]) -> Iterator[Event]:
    return (event for event in events if event.frame <= frames[1] and (event.until or event.frame) >= frames[0])


def _lifecycle(ledger: Ledger) -> Iterator[Event]:
    texts = ("contact", "health", "iframes", "stun", "counter", "score", "life")
    return (event for event in ledger.events if event.event not in texts)


def _kinds(rules: Rules, catalog: BoxCatalog) -> list[Plain]:
    """Kinds with their boxes."""
    return [
        {
            "name": kind.name,
            "side": kind.side,
            "health": kind.health,
            "wraps": kind.wraps,
            "boxes": [
                {"name": box.name, "role": box.box.role, "attack": box.attack.name if box.box.attack else None,
                 "swept": box.swept, "within": box.box.within_bounds, "layers": list(rules.layer_names(box.box.layer))}
                for box in catalog.by_kind[kind.name]
            ],
        }
        for kind in rules.kinds.values()
    ]  # fmt: skip


def _actors(rules: Rules, judged: Recording, frames: tuple[int, int]) -> list[Plain]:
    """All actors with a pose in some frames."""
    kinds = {name: number for number, name in enumerate(rules.kinds)}
    there = distinct(judged.poses.actor[judged.block(frames[0], frames[1] + 1)])
    return [plain_actor(judged, number, kinds[judged.actors[number].kind]) for number in there.tolist()]


def _extent(judged: Recording, frames: tuple[int, int]) -> list[float] | None:
    """The least and the greatest place of some frames: x, y, x, y."""
    block = judged.block(frames[0], frames[1] + 1)
    x, y = judged.poses.x[block], judged.poses.y[block]
    return [float(item) for item in (x.min(), y.min(), x.max(), y.max())] if len(x) else None


def _says_something(value: Any) -> bool:
    """Whether a part of a course has any spans or values."""
    if isinstance(value, dict):
        return any(map(_says_something, value.values()))
    return any(not isinstance(item, list) or item for item in value)


def _points(corners: np.ndarray) -> list[float]:
    return [round(value, 3) for value in hull(corners).ravel().tolist()]


def _contact(event: Event) -> list[Any]:
    return [written(getattr(event, name)) for name in CONTACT]


def _event(event: Event) -> list[Any]:
    items = [written(value) for value in (event.x, event.y, event.angle)]
    return [event.frame, event.event, event.id or event.target or "", event.words(), event.detail or "", *items]


def _claim(claim: Claim) -> Plain:
    names = ("frame", "event", "attacker", "target", "id", "attack", "case", "damage", "line")
    return {name: value for name in names if (value := getattr(claim, name)) is not None}


def _finding(finding: Finding, files: tuple[str, str]) -> Plain:
    game, rules = accounts(finding)
    asked = question(finding)
    return {
        "code": finding.code,
        "about": CODES[finding.code].about,
        "frame": finding.frame,
        "at": finding.why.frame if finding.why is not None else finding.frame,
        "attacker": finding.attacker,
        "target": finding.target,
        "attack": (finding.claim.attack if finding.claim else None)
        or (finding.hit.attack if finding.hit else None)
        or "",
        "game": game,
        "rules": rules,
        "why": ["voskar", "why", *files, *asked],
        "line": finding.claim.line if finding.claim else None,
    }


def _account(account: Account) -> Plain:
    steps = [[step.gate, step.passed, step.text, *step.more] for step in account.steps]
    return {
        "hitbox": account.hitbox,
        "hurtbox": account.hurtbox,
        "attack": account.attack,
        "gate": account.gate,
        "steps": steps,
    }


def _course(course: Course, played: Recording) -> Plain:
    """An actor's state by the rules, and as the game logged it."""

    def spans(entries: Sequence[Span]) -> list[list[Any]]:
        return [[span.first, span.last, span.cause] for span in entries]

    number = played.numbers.get(course.actor.id)
    return {
        "health": [course.health.frames, course.health.values],
        "lives": [course.lives.frames, course.lives.values],
        "immune": spans(course.immune),
        "stunned": spans(course.stunned),
        "frozen": spans(course.frozen),
        "down": spans(course.down),
        "counters": {name: [steps.frames, steps.values] for name, steps in course.counters.items()},
        "game": {} if number is None else {name: _logged_values(played, number, name) for name in ("health", "lives")},
    }


def _logged_values(played: Recording, number: int, column: str) -> list[list[float]]:
    """Frames and values where a logged value changes."""
    rows = played.poses.rows_of(number)
    values, frames = getattr(played.poses, column)[rows], played.poses.frame[rows]
    known = ~np.isnan(values)
    values, frames = values[known], frames[known]
    if not len(values):
        return [[], []]
    changed = np.r_[True, np.diff(values) != 0]
    return [frames[changed].tolist(), values[changed].tolist()]


def _inputs(played: Recording) -> list[list[Any]]:
    """Held buttons: id, button, first and last frame."""
    found = []
    inputs = played.inputs
    for name in inputs.ids:
        for button in inputs.buttons:
            held = inputs.held(name, button).tolist()
            for _, run in groupby(enumerate(held), key=lambda pair: pair[1] - pair[0]):
                frames = [frame for _, frame in run]
                found.append([name, button, frames[0], frames[-1]])
    return sorted(found, key=lambda items: (items[2], items[0], items[1]))


def counts(verdict: Verdict) -> list[int]:
    """Claimed hits that agree, and all; findings, and those that follow from others."""
    roots = len(verdict.roots)
    return [verdict.agreed, verdict.claims, roots, len(verdict.findings) - roots]


def summary(numbers: Sequence[int]) -> str:
    """The same in words."""
    agreed, claims, roots, follows = numbers
    hits = f"{agreed} of {claims} claimed hits agree" if claims else "no hits claimed"
    suffix = f", {follows} more follow from them" if follows else ""
    return f"{hits}; " + (f"{roots} finding{'s' * (roots != 1)}{suffix}" if roots else "nothing disagrees")
