"""Replays in tests: hits, their targets and frames, in words that read well when a test fails.

    replay = voskar.testing.replayed("apiary.toml", "meadow.jsonl")
    assert replay.landed(attacker="hornet-1").on("keeper").frames == [213, 274, 1131]

Under pytest a failed comparison of frames lists every gate of the first hit that differs.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any

from voskar.core.adopt import Resync
from voskar.core.explain.pair import Account, PairExplainer, asked
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import COLUMNS, Event
from voskar.core.ledger.events import EVENT_TYPES
from voskar.core.ledger.origin import Origin
from voskar.core.recording import Recording
from voskar.core.views.timeline import Timeline, timeline
from voskar.core.watching import Watched, watched
from voskar.errors import nearest
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.files.windows import parse_windows

ACTORS = ("id", "attacker", "target", "owner", "by")
"""Columns that name actors."""
METHODS = (*OUTCOMES, *EVENT_TYPES)


def replayed(rulebook: str | Path, recording: str | Path, *, resync: bool = False, within: int | str = 0) -> Replay:
    """A replay of two files; with `resync` it continues from the game's account where the two disagree. Raises
    InputError with the mistakes of either file."""
    book = load_rulebook(rulebook)
    played = load_recording(str(recording), book)
    windows = parse_windows([within], "within").at(played)
    return Replay(played, watched(book.rules(played.rate), played, resync=Resync(windows) if resync else None))


class Replay:
    """A ledger to ask. Every outcome is a method, as is every event: `landed`, `immune`, `down`, `adopted`, …

    A name that is nowhere in the rulebook or the recording is an error, not an empty answer.
    """

    def __init__(self, recording: Recording, seen: Watched) -> None:
        self._seen = seen
        self.rules, self.recording, self.ledger = seen.world.rules, recording, seen.ledger
        self._pairs: dict[tuple[str, str], PairExplainer] = {}

    def events(self, name: str, **columns: Any) -> Selection:
        """Events by name, or contacts by outcome, with these values in their columns; `down` is the event."""
        if name not in METHODS:
            raise AttributeError(_no("event or outcome", name, METHODS))
        self._check(columns)
        if name in OUTCOMES and name != "down":
            found: Sequence[Event] = [event for event in self.ledger.of("contact") if event.outcome == name]
        else:
            found = self.ledger.of(name)
        wanted = [event for event in found if all(getattr(event, key) == value for key, value in columns.items())]
        return Selection(self, name, wanted, columns)

    def __getattr__(self, name: str) -> Any:
        """`replay.landed(attacker="hornet-1")` is `replay.events("landed", attacker="hornet-1")`."""
        if name.startswith("_"):
            raise AttributeError(name)
        if name not in METHODS:
            raise AttributeError(_no("method, event or outcome", name, METHODS))
        return lambda **columns: self.events(name, **columns)

    def _check(self, columns: Mapping[str, Any]) -> None:
        """Raises TypeError for a column that no ledger has, ValueError for a name that is nowhere."""
        for column, value in columns.items():
            if column not in COLUMNS:
                raise TypeError(f'a ledger has no column "{column}", only {", ".join(COLUMNS)}')
            if column in ACTORS:
                self._actor(value, column)
            elif column in self._names and value is not None and value not in self._names[column]:
                raise ValueError(_no(column, value, self._names[column]))

    def _actor(self, name: str | None, what: str = "actor") -> None:
        """An actor that is there at some time, or that a known emitter, parent or hit could spawn."""
        origin = Origin.parse(name or "")
        parent = "" if origin is None else origin.parent
        known = self._course.courses
        if name is not None and name not in known and parent not in known and parent != "spawn":
            raise ValueError(_no(what, name, known))

    @cached_property
    def _names(self) -> Mapping[str, Collection[str]]:
        kinds = self.rules.kinds.values()
        boxes = [(box.role, box.name) for kind in kinds for box in kind.boxes]
        return {
            "attack": set(self.rules.attacks),
            "kind": set(self.rules.kinds),
            "emitter": {emitter.name for kind in kinds for emitter in kind.emitters},
            "hitbox": {name for role, name in boxes if role == "hitbox"},
            "hurtbox": {name for role, name in boxes if role == "hurtbox"},
            "outcome": set(OUTCOMES),
        }

    def health(self, actor: str, frame: int) -> float | None:
        """An actor's health after a frame."""
        self._actor(actor)
        return self._course.courses[actor].health.now(frame)

    def lives(self, actor: str, frame: int) -> float | None:
        """An actor's lives after a frame."""
        self._actor(actor)
        return self._course.courses[actor].lives.now(frame)

    def score(self, who: str, frame: int) -> float:
        """The score of a side, or of an actor of none, after a frame."""
        sides = {kind.side for kind in self.rules.kinds.values()} - {None}
        if who not in sides:
            self._actor(who, "side or actor")
        steps = self._course.score.get(who)
        return 0.0 if steps is None else steps.now(frame) or 0.0

    def alive(self, kind: str, frame: int) -> list[str]:
        """The ids of a kind that are there in a frame, and not down."""
        self._check({"kind": kind})
        rows = self._judged.block(frame, frame + 1) if self.recording.first <= frame <= self.recording.last else ()
        there = [self._judged.actors[number] for number in self._judged.poses.actor[rows].tolist()] if rows else []
        courses = self._course.courses
        return sorted(actor.id for actor in there if actor.kind == kind and not courses[actor.id].is_down(frame))

    def place(self, actor: str, frame: int) -> tuple[float, float] | None:
        """Where an actor is in a frame as judged, in a raw recording as hits have moved it; None if it is absent."""
        self._actor(actor)
        row = self._judged.row(actor, frame)
        return None if row is None else (float(self._judged.poses.x[row]), float(self._judged.poses.y[row]))

    @property
    def _judged(self) -> Recording:
        return self._seen.recording

    @cached_property
    def _course(self) -> Timeline:
        return timeline(self.rules, self.recording, self.ledger)

    def why(self, frame: int, attacker: str, target: str) -> Account:
        """How far the hit came in a frame: every gate, as `voskar why` prints it. The first question about a pair
        replays once more, and looks at it in every frame; all others about it cost nothing."""
        pair = attacker, target
        if pair not in self._pairs:
            self._actor(attacker, "attacker")
            self._actor(target, "target")
            frames = range(self.recording.first, self.recording.last + 1)
            questions = asked([(frame, *pair) for frame in frames])
            self._pairs[pair] = PairExplainer(watched(self.rules, self.recording, questions, resync=self._seen.resync))
        return self._pairs[pair].deciding(frame, attacker, target)


def _no(what: str, name: object, known: Collection[str]) -> str:
    hint = nearest(str(name), known)
    return f'no {what} "{name}" is there{f" ({hint})" if hint else ""}'


class Selection:
    """Some events, in order. `on`, `by` and `within` choose among them."""

    def __init__(self, replay: Replay, name: str, events: Sequence[Event], columns: dict[str, Any]) -> None:
        self.replay, self.name, self.events, self.columns = replay, name, list(events), columns

    def _where(self, **columns: Any) -> Selection:
        self.replay._check(columns)
        kept = [event for event in self.events if all(getattr(event, key) == value for key, value in columns.items())]
        return Selection(self.replay, self.name, kept, {**self.columns, **columns})

    def on(self, target: str) -> Selection:
        """The hits on a target."""
        return self._where(target=target)

    def by(self, attacker: str) -> Selection:
        """The hits by an attacker."""
        return self._where(attacker=attacker)

    def within(self, first: int, last: int) -> Selection:
        """The hits that begin in some frames, both ends included."""
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
        text = " ".join(f"{key} {value}" for key, value in self.columns.items())
        return f"<{len(self.events)} {self.name} {text}".rstrip() + f" in {[event.frame for event in self.events]}>"


class Frames(list[int]):
    """A list of frames that knows what it is of."""

    def __init__(self, frames: Sequence[int], of: Selection) -> None:
        super().__init__(frames)
        self.of = of

    def against(self, expected: Sequence[int]) -> list[str]:
        """The differences from some frames, in lines, with the gates of the first hit that differs."""
        suffix = sorted(set(self) - set(expected))
        less = sorted(set(expected) - set(self))
        lines = [f"{self.of.name} in {list(self)}, expected {list(expected)}"]
        lines += [f"not expected: {suffix}"] if suffix else []
        lines += [f"missing: {less}"] if less else []
        odd = sorted({*suffix, *less})
        if not odd:
            return [*lines, "the same frames, in another order or more than once"]
        attacker, target = self._pair(odd[0])
        if attacker and target:
            account = self.of.replay.why(odd[0], attacker, target)
            lines += ["", f"frame {odd[0]}: {attacker} on {target}, {account.gate}: {account.sentence}"]
            lines += [f"  {'pass' if step.passed else 'STOP'}  {step.gate}: {step.text}" for step in account.steps]
        return lines

    def _pair(self, frame: int) -> tuple[str | None, str | None]:
        """Attacker and target, as asked for, else as in that frame's event, else as in any."""
        events = [event for event in self.of.events if event.frame == frame] or self.of.events
        entry = events[0] if events else None
        attacker = self.of.columns.get("attacker", entry.attacker if entry is not None else None)
        return attacker, self.of.columns.get("target", entry.target if entry is not None else None)
