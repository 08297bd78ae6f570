"""A grid of variants of a rulebook over some recordings, in parallel, in a fixed order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from typing import Any, Literal

from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.errors import InputError
from voskar.evidence.tuning import Point, VariantScore, halves, score
from voskar.files.recording import load_recording
from voskar.files.vary import LAG, Axis, Change, changed
from voskar.files.windows import parse_windows
from voskar.suite.running import Engine, rulebook

NO_RULES = 1 << 30
"""Disagreements of a variant that is no rulebook."""

Reactions = Literal["baked", "raw"]


@dataclass(frozen=True)
class Trial:
    """One variant on one recording, and what it is compared with."""

    point: Point
    rulebook: str
    recording: str
    changes: tuple[Change, ...]
    lag: int
    first: tuple[tuple[Change, ...], int]
    reactions: Reactions | None
    within: tuple[str, ...]
    resync: bool
    actor: str | None


def trials_of(
    rulebook: str, recordings: Sequence[str], axes: Sequence[Axis], points: Sequence[Point], **options: Any
) -> list[Trial]:
    """Some variants on every recording: one variant after the other."""
    first = _changes(axes, points[0]), _lag(axes, points[0])
    fields = {"reactions": None, "within": (), "resync": True, "actor": None, **options}
    # all recordings of a variant one after the other: a search may stop between two variants
    return [
        Trial(point, rulebook, recording, _changes(axes, point), _lag(axes, point), first, **fields)
        for point in points
        for recording in recordings
    ]


def trials(
    rulebook: str,
    recordings: Sequence[str],
    axes: Sequence[Axis],
    *,
    reactions: Reactions | None = None,
    within: tuple[str, ...] = (),
    resync: bool = True,
    actor: str | None = None,
) -> list[Trial]:
    """Every variant on every recording: one recording after the other, the last axis fastest."""
    points = list(product(*(range(len(axis.values)) for axis in axes)))
    # every variant is compared with the same one, whichever worker has it
    first = _changes(axes, points[0]), _lag(axes, points[0])
    return [
        Trial(
            point,
            rulebook,
            recording,
            _changes(axes, point),
            _lag(axes, point),
            first,
            reactions,
            within,
            resync,
            actor,
        )
        for recording in recordings
        for point in points
    ]


def _changes(axes: Sequence[Axis], point: Point) -> tuple[Change, ...]:
    item = zip(axes, point, strict=True)
    return tuple(
        Change(key, path, axis.values[place], axis.option)
        for axis, place in item
        if axis.key != LAG
        for key, path in axis.keys
    )


def _lag(axes: Sequence[Axis], point: Point) -> int:
    return sum(int(axis.values[place]) for axis, place in zip(axes, point, strict=True) if axis.key == LAG)


def run_trials(entries: Sequence[Trial], engine: Engine) -> Iterator[tuple[Trial, VariantScore]]:
    """Each trial with its score, in order."""
    yield from zip(entries, engine(run_trial, entries), strict=True)


def run_trial(trial: Trial) -> VariantScore:
    """One variant on one recording."""
    files = trial.rulebook, trial.recording, trial.reactions
    played = _recording(*files)
    variant = changed(rulebook(trial.rulebook), trial.changes).rules(played.rate)
    first = _first(*files, trial.within, trial.resync, trial.first)
    windows = parse_windows(trial.within)
    return score(variant, played, first, windows=windows, resync=trial.resync, lag=trial.lag, actor=trial.actor)[0]


def run_halves(trial: Trial) -> tuple[int, int]:
    """One variant on one recording: findings in either half."""
    played = _recording(trial.rulebook, trial.recording, trial.reactions)
    try:
        variant = changed(rulebook(trial.rulebook), trial.changes).rules(played.rate)
    except InputError:
        return NO_RULES, NO_RULES  # values that do not go together
    return halves(variant, played, parse_windows(trial.within), resync=trial.resync, lag=trial.lag)


@lru_cache(maxsize=2)
def _recording(book: str, path: str, reactions: Reactions | None) -> Recording:
    played = load_recording(path, rulebook(book))
    return replace(played, reactions=reactions) if reactions else played


@lru_cache(maxsize=1)
def _first(
    book: str,
    path: str,
    reactions: Reactions | None,
    within: tuple[str, ...],
    resync: bool,
    changes: tuple[tuple[Change, ...], int],
) -> Ledger:
    """The ledger of the first variant."""
    played = _recording(book, path, reactions)
    variant = changed(rulebook(book), changes[0]).rules(played.rate)
    windows = parse_windows(within)
    return score(variant, played, windows=windows, resync=resync, lag=changes[1])[1]
