"""The margins of a rulebook's values over some recordings, in parallel."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from voskar.core.adopt import Windows
from voskar.core.ledger import Event
from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.step import replay
from voskar.evidence.check import check
from voskar.explaining.leaf import Leaf
from voskar.explaining.margins import Margin, margins_of
from voskar.explaining.rulebook import RulebookVariants
from voskar.explaining.tried import Mark, mark
from voskar.files.keypaths import KeyPath, dotted
from voskar.files.recording import load_recording
from voskar.files.windows import parse_windows
from voskar.suite.running import Engine, rulebook


@dataclass(frozen=True)
class MarginJob:
    """One value of a rulebook, and the recordings that may notice another one."""

    rulebook: str
    recordings: tuple[str, ...]
    within: tuple[str, ...]
    path: KeyPath

    @property
    def key(self) -> str:
        """The path in one line."""
        return dotted(self.path)


def margin_jobs(path: str, recordings: Sequence[str], within: tuple[str, ...]) -> list[MarginJob]:
    """A job for each value that the rulebook itself says."""
    book = rulebook(path)
    played = load_recording(recordings[0], book)
    said = RulebookVariants(book, played.rate).said()
    return [MarginJob(path, tuple(recordings), within, leaf.path) for leaf in said]


def run_margins(jobs: Sequence[MarginJob], engine: Engine) -> Iterator[list[Margin]]:
    """The margins of each job, in order."""
    yield from engine(margins, jobs)


def margins(job: MarginJob) -> list[Margin]:
    """The margins of one value."""
    bases = [_base(job.rulebook, recording, job.within) for recording in job.recordings]
    variants = bases[0].variants
    leaf = next(leave for leave in variants.leaves if leave.path == job.path)
    # a value of a kind that is nowhere in the recordings has no margins that these could show
    met = [base for base in bases if base.meets(leaf)]

    def noticed(value: Any) -> bool:
        rules = variants.rules({leaf.path: value})
        return rules is None or any(base.notices(rules, leaf) for base in met)

    found = margins_of(leaf, noticed if met else lambda value: False)
    return [margin if met else replace(margin, met=False) for margin in found]


@dataclass(frozen=True, eq=False)
class _Base:
    """A recording, and what the rulebook as it is makes of it."""

    variants: RulebookVariants
    recording: Recording
    windows: Windows
    events: list[Event]
    findings: frozenset[Mark]
    kinds: frozenset[str]
    attacks: frozenset[str]

    def meets(self, leaf: Leaf) -> bool:
        """Whether anything of what a value is about is ever there."""
        path = leaf.path
        if path[0] == "kinds":
            return path[1] in self.kinds
        return path[1] in self.attacks if path[0] == "attacks" else True

    def notices(self, rules: Rules, leaf: Leaf) -> bool:
        """Whether the recording would disagree with such rules where it does not disagree with the own."""
        # most values change no event, and a replay is a third of a check
        if leaf.path[0] in ("attacks", "contact", "goal") and replay(rules, self.recording).events == self.events:
            return False  # these show in the ledger, if at all
        verdict, _ = check(rules, self.recording, windows=self.windows, explains=False)
        return {mark(finding) for finding in verdict.findings} != self.findings


@lru_cache(maxsize=8)
def _base(path: str, recording: str, within: tuple[str, ...]) -> _Base:
    book = rulebook(path)
    played = load_recording(recording, book)
    windows = parse_windows(within)
    rules = book.rules(played.rate)
    alone = replay(rules, played)
    verdict, ledger = check(rules, played, windows=windows, explains=False)
    kinds = {actor.kind for actor in played.actors} | {fixture.kind for fixture in rules.fixtures}
    kinds |= {event.kind for event in ledger.all(SpawnEvent)}
    attacks = {box.attack for kind in kinds for box in rules.kinds[kind].boxes if box.attack}
    return _Base(
        RulebookVariants(book, played.rate),
        played,
        windows,
        alone.events,
        frozenset(mark(finding) for finding in verdict.findings),
        frozenset(kinds),
        frozenset(attacks),
    )
