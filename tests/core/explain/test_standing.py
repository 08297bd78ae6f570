"""How an actor stands in a frame, and what happened to it: the story of one keeper, frame by frame."""

from __future__ import annotations

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.explain.actor import standing
from voskar.core.views.timeline import timeline
from voskar.core.watching import watched

# struck in 0, immune to 2, struck again in 3 and down, due in 5, held until the hornet is gone, back in 7
KEEPER = {"health": 2, "iframes": 2, "lives": 3, "respawn": {"after": 2, "if_unsafe": "wait", "iframes": 4}}
STORY = [
    (0, "health", "1: hornet took 1 in 0"),
    (0, "place", "(0, 0)"),
    (0, "in this frame", "hornet on keeper: sting on torso, landed, damage 1"),
    (1, "immune", "1 to 2, from sting: 2 left, this one included"),
    (1, "lives", "3: nothing has changed it yet"),
    (2, "immune", "1 to 2, from sting: 1 left, this one included"),
    (3, "immune", None),
    (3, "down", None),
    (3, "in this frame", "keeper: down by hornet, 2 lives left"),
    (4, "down", "since 3, by hornet; back in 7 at (0, 0)"),
    (4, "health", "0: down in 3, by hornet"),
    (4, "held", None),
    (5, "held", "since 5: hornet would meet it where it comes back"),
    (6, "held", "since 5: hornet would meet it where it comes back"),
    (7, "down", None),
    (7, "held", None),
    (7, "health", "2: back in 7"),
    (7, "lives", "2: down in 3, by hornet"),
    (7, "immune", "7 to 10, from respawn: 4 left, this one included"),
    (7, "in this frame", "keeper: respawn at (0, 0)"),
]


@pytest.mark.parametrize(("frame", "topic", "expected"), STORY)
def test_a_story(frame: int, topic: str, expected: str | None) -> None:
    book = rulebook(sting(keeper=KEEPER))
    played = recording(book, brush({"hornet": "#######...."}))
    rules = book.rules(played.rate)
    seen = watched(rules, played)
    ledger, shown = seen.ledger, seen.recording
    found = standing(timeline(rules, played, ledger), ledger, shown, "keeper", frame)
    texts = [text for name, text in found if name == topic]
    assert (expected in texts) if expected else not texts


def test_an_actor_that_is_not_there() -> None:
    book = rulebook(sting())
    played = recording(book, brush({"hornet": "--##-"}))
    rules = book.rules(played.rate)
    seen = watched(rules, played)
    ledger, shown = seen.ledger, seen.recording
    course = timeline(rules, played, ledger)
    assert standing(course, ledger, shown, "hornet", 4) == [("present", "not in this frame: it was there from 2 to 3")]
    with pytest.raises(KeyError):
        standing(course, ledger, shown, "moth", 4)
