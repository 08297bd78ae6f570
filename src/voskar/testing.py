"""Replays in tests: what landed, on whom, in which frames, in words that read well when they fail.

    replay = voskar.testing.replayed("apiary.toml", "meadow.jsonl")
    assert replay.landed(striker="hornet-1").on("keeper").frames == [213, 274, 1131]

Under pytest a failed comparison of frames tells every gate of the first blow that differs.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any

from voskar.core.explain.pair import Account, PairExplainer, asked
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import COLUMNS, Event, Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.step import replay as replay_rules
from voskar.core.views.timeline import Timeline, timeline
from voskar.core.watching import watched
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook


def replayed(rulebook: str | Path, recording: str | Path) -> Replay:
    """A replay of two files. Raises InputError for what is wrong with either."""
    book = load_rulebook(rulebook)
    played = load_recording(str(recording), book)
    rules = book.rules(played.rate)
    return Replay(rules, played, replay_rules(rules, played))


class Replay:
    """A ledger to ask. Every outcome is a method, as is every event: `landed`, `immune`, `down`, `respawn`, …"""

    def __init__(self, rules: Rules, recording: Recording, ledger: Ledger) -> None:
        self.rules, self.recording, self.ledger = rules, recording, ledger
        self._course: Timeline | None = None
        self._accounts: dict[tuple[int, str, str], Account] = {}

    def events(self, name: str, **columns: Any) -> Selection:
        """Events by name, or contacts by outcome, whose columns have these values; `down` is the event."""
        for column in columns:
            if column not in COLUMNS:
                raise TypeError(f'a ledger has no column "{column}", only {", ".join(COLUMNS)}')
        if name in OUTCOMES and name != "down":
            found: Sequence[Event] = [event for event in self.ledger.of("contact") if event.outcome == name]
        else:
            found = self.ledger.of(name)
        wanted = [event for event in found if all(getattr(event, key) == value for key, value in columns.items())]
        return Selection(self, name, wanted, columns)

    def __getattr__(self, name: str) -> Any:
        """`replay.landed(striker="hornet-1")` is `replay.events("landed", striker="hornet-1")`."""
        if name.startswith("_"):
            raise AttributeError(name)
        return lambda **columns: self.events(name, **columns)

    def health(self, actor: str, frame: int) -> float | None:
        """An actor's health after a frame."""
        return self._courses.courses[actor].health.now(frame)

    def lives(self, actor: str, frame: int) -> float | None:
        """An actor's lives after a frame."""
        return self._courses.courses[actor].lives.now(frame)

    def place(self, actor: str, frame: int) -> tuple[float, float] | None:
        """Where an actor is in a frame as judged, in a raw recording as blows have moved it; None if it is absent."""
        row = self._judged.row(actor, frame)
        return None if row is None else (float(self._judged.poses.x[row]), float(self._judged.poses.y[row]))

    @cached_property
    def _judged(self) -> Recording:
        return watched(self.rules, self.recording).recording

    @property
    def _courses(self) -> Timeline:
        if self._course is None:
            self._course = timeline(self.rules, self.recording, self.ledger)
        return self._course

    def why(self, frame: int, striker: str, target: str) -> Account:
        """How far the blow came in a frame: every gate, as `voskar why` tells it."""
        question = (frame, striker, target)
        if question not in self._accounts:
            explainer = PairExplainer.of(self.rules, self.recording, asked([question]))
            self._accounts[question] = explainer.deciding(*question)
        return self._accounts[question]


class Selection:
    """Some events, in order. `on`, `by` and `within` choose among them."""

    def __init__(self, replay: Replay, name: str, events: Sequence[Event], columns: dict[str, Any]) -> None:
        self.replay, self.name, self.events, self.columns = replay, name, list(events), columns

    def _where(self, **columns: Any) -> Selection:
        kept = [event for event in self.events if all(getattr(event, key) == value for key, value in columns.items())]
        return Selection(self.replay, self.name, kept, {**self.columns, **columns})

    def on(self, target: str) -> Selection:
        """Those on a target."""
        return self._where(target=target)

    def by(self, striker: str) -> Selection:
        """Those by a striker."""
        return self._where(striker=striker)

    def within(self, first: int, last: int) -> Selection:
        """Those that begin in some frames, both ends included."""
        kept = [event for event in self.events if first <= event.frame <= last]
        return Selection(self.replay, self.name, kept, self.columns)

    @property
    def frames(self) -> Frames:
        """The frames in which they begin."""
        return Frames([event.frame for event in self.events], self)

    @property
    def damage(self) -> float:
        """Their damage together."""
        return sum(event.damage or 0.0 for event in self.events)

    def __len__(self) -> int:
        return len(self.events)

    def __iter__(self) -> Iterator[Event]:
        return iter(self.events)

    def __repr__(self) -> str:
        told = " ".join(f"{key} {value}" for key, value in self.columns.items())
        return f"<{len(self.events)} {self.name} {told}".rstrip() + f" in {[event.frame for event in self.events]}>"


class Frames(list[int]):
    """A list of frames that knows what it is of."""

    def __init__(self, frames: Sequence[int], of: Selection) -> None:
        super().__init__(frames)
        self.of = of

    def against(self, expected: Sequence[int]) -> list[str]:
        """What differs from some frames, in lines, with the gates of the first blow that does."""
        more = sorted(set(self) - set(expected))
        less = sorted(set(expected) - set(self))
        lines = [f"{self.of.name} in {list(self)}, expected {list(expected)}"]
        lines += [f"not expected: {more}"] if more else []
        lines += [f"missing: {less}"] if less else []
        odd = sorted({*more, *less})
        if not odd:
            return [*lines, "the same frames, in another order or more than once"]
        striker, target = self._pair(odd[0])
        if striker and target:
            account = self.of.replay.why(odd[0], striker, target)
            lines += ["", f"frame {odd[0]}: {striker} on {target}, {account.gate}: {account.sentence}"]
            lines += [f"  {'pass' if step.passed else 'STOP'}  {step.gate}: {step.text}" for step in account.steps]
        return lines

    def _pair(self, frame: int) -> tuple[str | None, str | None]:
        """Striker and target, as asked for, else as in that frame's event, else as in any."""
        events = [event for event in self.of.events if event.frame == frame] or self.of.events
        one = events[0] if events else None
        striker = self.of.columns.get("striker", one.striker if one is not None else None)
        return striker, self.of.columns.get("target", one.target if one is not None else None)
