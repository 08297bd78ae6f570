"""A copied replay continues as if it had not been copied. Resync gives the same result from every copy that it goes
back to."""

from __future__ import annotations

import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import strategies, uncommon
from tests.evidence.test_perfect_log import plausible
from tests.mutants import logged
from tests.worlds import recording, rulebook, sting
from voskar.core import step
from voskar.core.adopt import Resync
from voskar.core.step import Stepper, replay
from voskar.core.views.perfect import perfect_log
from voskar.core.watching import Watch
from voskar.evidence.check import check
from voskar.files.ledger import ledger_lines

WORLDS = st.one_of(
    strategies.driving_rulebooks(),
    strategies.deadly_rulebooks(driving=True),
    uncommon.rulebooks(strategies.deadly_rulebooks(driving=True)),
)


@given(WORLDS, strategies.recordings(), st.sampled_from(["baked", "raw"]), st.data())
def test_a_copy_goes_on_as_its_original_does(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    book = rulebook(data)
    played = recording(book, more.draw(strategies.inputs(frames)), reactions=reactions, seed=3)
    rules = book.rules(played.rate)
    whole = [*ledger_lines(replay(rules, played))]
    films = Watch({})
    stepper = Stepper(rules, played, films)
    stepper.run()
    frame = more.draw(st.integers(played.first, played.last + 1))
    original = Stepper(rules, played, Watch({}))
    original.run_to(frame)
    copy = original.copy()
    original.run_to(more.draw(st.integers(frame, played.last + 1)))
    again = copy.copy()
    for entry in (copy, original, again):
        assert [*ledger_lines(entry.run())] == whole
        assert isinstance(entry.observer, Watch)
        poses, known = entry.observer.recording_of(entry.world).poses, films.recording_of(stepper.world).poses
        assert (poses.x.tolist(), poses.y.tolist()) == (known.x.tolist(), known.y.tolist())


def spoilt(frames: list[dict[str, Any]], draw: random.Random) -> list[dict[str, Any]]:
    """The log of a game that loses claims, makes some twice, and some a few frames early or late."""
    claims = [(at, claim) for at, frame in enumerate(frames) for claim in frame.pop("claims", [])]
    for at, claim in claims:
        ways = draw.choice([(0,), (0,), (), (0, 3), (draw.randrange(-6, 7),)])
        for by in ways:
            frames[min(max(at + by, 0), len(frames) - 1)].setdefault("claims", []).append(dict(claim))
    return frames


@given(
    st.one_of(strategies.deadly_rulebooks(), strategies.driving_rulebooks()),
    strategies.recordings(frames_at_most=16),
    st.integers(0, 99),
)
def test_resync_comes_to_the_same_from_any_copy(data: dict[str, Any], frames: list[dict[str, Any]], seed: int) -> None:
    book = rulebook(data)
    played = recording(book, plausible(data, frames), reactions="raw")
    rules = book.rules(played.rate)
    header, log = perfect_log(rules, played)
    spoiled = logged(book, header, spoilt(log, random.Random(seed)))
    found = []
    with pytest.MonkeyPatch.context() as patch:
        for stride in (1, 5, 1 << 40):
            patch.setattr(step, "LEAST", stride)
            patch.setattr(step, "MOST", stride)
            patch.setattr(step, "PARTS", 1 << 40)
            patch.setattr(step, "FRAMES_A_ROW", 0)
            verdict, ledger = check(rules, spoiled)
            found.append(([*ledger_lines(ledger)], verdict.findings, verdict.roots))
    assert found[0] == found[1] == found[2]


def test_a_disagreement_costs_the_stretch_that_it_concerns(monkeypatch: pytest.MonkeyPatch) -> None:
    """Of 20,000 frames with ten denied claims no more than the frames from the copies before them are stepped twice."""
    frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]} for _ in range(20_000)]
    for frame in range(1000, 20_000, 2000):
        frames[frame]["claims"] = [{"event": "hit", "target": "keeper", "damage": 1}]
    book = rulebook(sting())
    played = recording(book, frames)
    resync = Resync()
    stepped = []
    run_to = Stepper.run_to

    def counted(self: Stepper, stop: int) -> None:
        before = self.next
        run_to(self, stop)
        stepped.append(self.next - before)

    monkeypatch.setattr(Stepper, "run_to", counted)
    ledger = replay(book.rules(played.rate), played, resync)
    assert [event.frame for event in ledger.of("adopted")] == [*range(1000, 20_000, 2000)]
    assert sum(stepped) < 20_000 + 10 * (step.MOST + 2 * resync.reach)
