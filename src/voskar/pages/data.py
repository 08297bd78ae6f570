"""What a page knows of a recording: poses as columns, and both accounts of what happened, as plain values."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any

import numpy as np

from voskar.core.boxes import BoxCatalog
from voskar.core.explain.pair import Account, PairExplainer
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.event import written
from voskar.core.posing import Posed
from voskar.core.recording import Claim, Display, Recording
from voskar.core.recording.shown import cells_of_all
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Form, hull
from voskar.core.views.steps import Span
from voskar.core.views.timeline import Course, timeline
from voskar.core.watching import Question, watched
from voskar.evidence.check import Verdict
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.versions import VersionsCompared
from voskar.evidence.words import accounts, question
from voskar.explaining.weighing import Weighed
from voskar.explaining.words import others, sentence, sharpness

ARC = 32
"""Corners that a full circle is drawn with."""
GATES = 1500
"""Most contacts whose gates are told in the page; of the others the command is."""
UNIT = 1000
"""Places are whole numbers of 1/UNIT."""

CONTACT = (
    "frame", "until", "attacker", "hitbox", "target", "hurtbox", "attack", "outcome", "t", "x", "y", "damage", "case",
)  # fmt: skip

Plain = dict[str, Any]


@dataclass(frozen=True)
class PageData:
    """`columns` are the poses in the order of actors, then frames; `plain` is the rest, as JSON has it."""

    plain: Plain
    columns: Mapping[str, np.ndarray]


def page_data(
    rules: Rules, played: Recording, found: Weighed, files: tuple[str, str], frames: tuple[int, int]
) -> PageData:
    """Everything about some frames of a recording that was checked. `files` are the rulebook and the recording as
    commands name them."""
    verdict, ledger = found.verdict, found.ledger
    shown = [root for root, _ in verdict.roots if frames[0] <= root.frame <= frames[1]]
    place = {id(root): at for at, root in enumerate(shown)}
    questions: dict[int, Question] = {}
    for frame, attacker, target in _pairs(verdict, ledger, frames):
        questions.setdefault(frame, Question()).pairs.add((attacker, target))
    seen = verdict.seen or watched(rules, played, resync=verdict.resync)
    judged, course = seen.recording, timeline(rules, played, ledger)
    builder = _Builder(rules, judged, seen.world.catalog, frames)
    columns = builder.columns()
    explainer = PairExplainer(seen.asking(questions))
    gates = {
        f"{frame}|{attacker}|{target}": [_account(one) for one in explainer.pair(frame, attacker, target)]
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
        "kinds": builder.kinds(),
        "actors": builder.actors(),
        "forms": builder.forms,
        "looks": builder.looks,
        "turns": builder.turns,
        "clips": builder.clips,
        "logged": builder.logged_boxes(),
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
                "text": sentence(one, found.variants, len(verdict.roots)),
                "more": "; ".join(filter(None, (sharpness(one), others(one)))),
                "finding": next((place[id(finding)] for finding in one.explains if id(finding) in place), -1),
            }
            for one in found.explanations
        ],
        "gates": gates,
        "courses": {name: _course(one, played) for name, one in course.courses.items() if name in judged.numbers},
        "inputs": _inputs(played),
        "runs": course.runs,
        "ends": [[end.frame, end.event] for end in course.ends],
        "marks": [[frame, what] for frame, what in sorted(played.resets.items())],
        "score": {name: [steps.frames, steps.values] for name, steps in course.score.items()},
        "display": [_display(entry) for entry in played.display.within(*frames)],
        "summary": _summary(verdict),
    }
    return PageData(plain, columns)


def other_data(other: PageData, found: VersionsCompared) -> PageData:
    """What a page shows of the old one of two versions: its poses and state, and what differs from it."""
    plain = {name: value for name, value in other.plain.items() if name not in ("gates", "explanations")}
    first = None if found.parting is None else found.parting.first
    plain["parting"] = None if first is None else [first.frame, f"{first.what}: {first.old}, then {first.new}"]
    plain["differences"] = [
        [one.frame, one.what, one.before, one.after, one.follows, one.who] for one in found.differs.differences
    ]
    return PageData(plain, other.columns)


def _pairs(verdict: Verdict, ledger: Ledger, frames: tuple[int, int]) -> Iterator[tuple[int, str, str]]:
    """The pairs whose gates the page tells: of findings, and of the first contacts."""
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
    told = ("contact", "health", "iframes", "stun", "counter", "score", "life")
    return (event for event in ledger.events if event.event not in told)


class _Builder:
    """Poses of some frames, with the forms their boxes have."""

    def __init__(self, rules: Rules, judged: Recording, catalog: BoxCatalog, frames: tuple[int, int]) -> None:
        self.rules, self.judged, self.catalog, self.frames = rules, judged, catalog, frames
        poses = judged.poses
        rows = np.flatnonzero((poses.frame >= frames[0]) & (poses.frame <= frames[1]))
        self.rows = rows[np.lexsort((poses.frame[rows], poses.actor[rows]))]
        self.forms: list[list[list[float]]] = []
        self.looks: list[list[list[int]]] = []
        self.turns: list[tuple[float, ...]] = []
        self.clips = list(judged.clips)
        names = list(rules.kinds)
        kinds = np.array([names.index(actor.kind) for actor in judged.actors], dtype=np.int64)
        self._kind = kinds[poses.actor[self.rows]] if len(self.rows) else np.zeros(0, dtype=np.int64)
        all_kinds = kinds[poses.actor] if len(poses) else np.zeros(0, dtype=np.int64)
        self.cell = cells_of_all(poses, all_kinds, rules, judged.clips)[self.rows]
        self._form_of: dict[int, int] = {}

    def kinds(self) -> list[Plain]:
        """Kinds with their boxes."""
        return [
            {
                "name": kind.name,
                "side": kind.side,
                "health": kind.health,
                "wraps": kind.wraps,
                "boxes": [
                    {"name": box.name, "role": box.box.role, "attack": box.attack.name if box.box.attack else None,
                     "swept": box.swept, "layers": list(self.rules.layer_names(box.box.layer))}
                    for box in self.catalog.by_kind[kind.name]
                ],
            }
            for kind in self.rules.kinds.values()
        ]  # fmt: skip

    def actors(self) -> list[Plain]:
        """Actors, each with the stretches of frames it has poses in: first frame, how many, and the first row."""
        poses, judged = self.judged.poses, self.judged
        names = list(self.rules.kinds)
        actor, frame = poses.actor[self.rows], poses.frame[self.rows]
        breaks = np.flatnonzero((np.diff(actor) != 0) | (np.diff(frame) != 1)) + 1
        starts = [0, *breaks.tolist()] if len(frame) else []
        ends = [*breaks.tolist(), len(frame)]
        spans: dict[int, list[list[int]]] = {}
        for start, end in zip(starts, ends, strict=False):
            spans.setdefault(int(actor[start]), []).append([int(frame[start]), end - start, start])
        return [
            {"id": one.id, "kind": names.index(one.kind), "owner": one.owner, "driven": one.driven,
             "spans": spans[number]}
            for number, one in enumerate(judged.actors)
            if number in spans
        ]  # fmt: skip

    def _ring(self, form: Form) -> list[list[float]]:
        """Flat corners of each part of a form, roundings drawn out."""
        return [[round(value, 4) for value in _outline(part, form.radius).ravel().tolist()] for part in form.parts]

    def _form(self, number: int) -> int:
        if number not in self._form_of:
            self._form_of[number] = len(self.forms)
            self.forms.append(self._ring(self.catalog.forms[number]))
        return self._form_of[number]

    def _look(self, kind: int, clip: int, cell: int) -> list[list[int]]:
        """The open boxes in a cell of a clip: their places in the kind, and forms."""
        own = self.catalog.by_kind[self.catalog.kinds[kind]]
        name = self.judged.clips[clip] if clip >= 0 else None
        return [
            [place, self._form(one.form_in(name, cell))]
            for place, one in enumerate(own)
            if not one.box.logged and one.box.opens(name, cell)
        ]

    def columns(self) -> Mapping[str, np.ndarray]:
        """One row a pose: x and y as differences from the row before, the rest as they are. Fills `turns`, `looks`."""
        poses, rows = self.judged.poses, self.rows
        x, y = (np.round(one[rows] * UNIT).astype(np.int64) for one in (poses.x, poses.y))
        turn = poses.facing[rows], np.round(poses.angle[rows], 4), poses.scale[rows]
        firsts, at_turn = _distinct(turn)
        self.turns.extend(zip(*(column[firsts].tolist() for column in turn), strict=True))
        look = self._kind, poses.clip[rows], self.cell
        firsts, at_look = _distinct(look)
        kept = zip(*(column[firsts].tolist() for column in look), strict=True)
        self.looks.extend(self._look(*one) for one in kept)
        flags = poses.hidden[rows] * 1 + poses.cut[rows] * 2 + poses.lingering[rows] * 4 + self._shut(rows) * 8
        return {
            "x": np.diff(x, prepend=0).astype("<i4"),
            "y": np.diff(y, prepend=0).astype("<i4"),
            "turn": at_turn.astype("<u4"),
            "look": at_look.astype("<u4"),
            "clip": poses.clip[rows].astype("<i2"),
            "cell": self.cell.astype("<i4"),
            "flags": flags.astype("u1"),
        } | ({"z": np.round(poses.z[rows] * UNIT).astype("<i4")} if poses.z[rows].any() else {})

    def _shut(self, rows: np.ndarray) -> np.ndarray:
        """Poses in which a box that is to lie within the bounds does not."""
        found = np.zeros(len(rows), dtype=np.int64)
        picky = {k for k, name in enumerate(self.catalog.kinds) if self._is_picky(name)}
        if picky:
            posed = Posed(self.catalog, self.judged.clips, 1, self.judged)
            for place in np.flatnonzero(np.isin(self._kind, list(picky))).tolist():
                posed.pose(0, self.judged, int(rows[place]), int(self.cell[place]))
                own = [box for box in posed.boxes(0) if box.box.within_bounds and not box.box.logged]
                clip = posed.clip(0)
                found[place] = any(
                    box.box.opens(clip, int(self.cell[place])) and not posed.is_open(0, box) for box in own
                )
        return found

    def _is_picky(self, kind: str) -> bool:
        return any(box.box.within_bounds for box in self.catalog.by_kind[kind])

    def logged_boxes(self) -> list[list[Any]]:
        """Where the game itself has boxes: frame, actor, name, and its bounds in the world, or the rings of another
        shape."""
        poses, boxes, found = self.judged.poses, self.judged.boxes, []
        for row in self.rows[poses.logged[self.rows] >= 0].tolist():
            place = np.array([poses.x[row], poses.y[row]])
            name = self.judged.actors[poses.actor[row]].id
            for box, parts in boxes.parts(int(poses.logged[row])).items():
                rings = [np.round(_outline(part.corners + place, part.radius), 3).tolist() for part in parts]
                told = [*rings[0][0], *rings[0][2]] if len(parts) == 1 and parts[0].is_rect else [rings]
                found.append([int(poses.frame[row]), name, box, *told])
        return sorted(found, key=lambda one: one[:3])


def _distinct(columns: Sequence[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Rows that differ, in order of their values: where each is first, and which of them each row is. Much sooner than
    to sort whole rows."""
    codes = np.zeros(len(columns[0]), dtype=np.int64)
    for column in columns:
        if len(column) and (column != column[0]).any():
            values, at = np.unique(column, return_inverse=True)
            codes = codes * len(values) + at
    _, firsts, at = np.unique(codes, return_index=True, return_inverse=True)
    return firsts, at


def _outline(part: np.ndarray, radius: float) -> np.ndarray:
    """A convex part (n, 2) with its rounding drawn out, counter-clockwise from its least corner."""
    angles = np.arange(ARC) * (2 * math.pi / ARC)
    around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * radius
    return hull(part if radius == 0 else (part[:, None, :] + around[None]).reshape(-1, 2))


def _points(corners: np.ndarray) -> list[float]:
    return [round(value, 3) for value in hull(corners).ravel().tolist()]


def _contact(event: Event) -> list[Any]:
    return [written(getattr(event, name)) for name in CONTACT]


def _event(event: Event) -> list[Any]:
    told = [written(value) for value in (event.x, event.y, event.angle)]
    return [event.frame, event.event, event.id or event.target or "", event.words(), event.detail or "", *told]


def _claim(claim: Claim) -> Plain:
    names = ("frame", "event", "attacker", "target", "id", "attack", "case", "damage", "line")
    return {name: value for name in names if (value := getattr(claim, name)) is not None}


def _display(entry: Display) -> Plain:
    names = ("frame", "id", "health", "percent", "icons", "lives", "score", "clock")
    return {name: value for name in names if (value := getattr(entry, name)) is not None}


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


def _account(one: Account) -> Plain:
    steps = [[step.gate, step.passed, step.text, *step.more] for step in one.steps]
    return {"hitbox": one.hitbox, "hurtbox": one.hurtbox, "attack": one.attack, "gate": one.gate, "steps": steps}


def _course(one: Course, played: Recording) -> Plain:
    """An actor's state by the rules, and as the game logged it."""

    def spans(some: Sequence[Span]) -> list[list[Any]]:
        return [[span.first, span.last, span.cause] for span in some]

    number = played.numbers.get(one.actor.id)
    return {
        "health": [one.health.frames, one.health.values],
        "lives": [one.lives.frames, one.lives.values],
        "immune": spans(one.immune),
        "stunned": spans(one.stunned),
        "frozen": spans(one.frozen),
        "down": spans(one.down),
        "outs": one.outs,
        "counters": {name: [steps.frames, steps.values] for name, steps in one.counters.items()},
        "game": {} if number is None else {name: _told(played, number, name) for name in ("health", "lives")},
    }


def _told(played: Recording, number: int, column: str) -> list[list[float]]:
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
    """Who holds which button: id, button, first and last frame."""
    found = []
    inputs = played.inputs
    for name in inputs.ids:
        for button in inputs.buttons:
            held = inputs.held(name, button).tolist()
            for _, run in groupby(enumerate(held), key=lambda pair: pair[1] - pair[0]):
                frames = [frame for _, frame in run]
                found.append([name, button, frames[0], frames[-1]])
    return sorted(found, key=lambda one: (one[2], one[0], one[1]))


def _summary(verdict: Verdict) -> str:
    roots = len(verdict.roots)
    told = f"{verdict.agreed} of {verdict.claims} claimed hits agree" if verdict.claims else "no hits claimed"
    follows = len(verdict.findings) - roots
    more = f", {follows} more follow from them" if follows else ""
    return f"{told}; " + (f"{roots} finding{'s' * (roots != 1)}{more}" if roots else "nothing disagrees")
