"""Marks: what follows a `run` mark is judged as a recording of its own would be; what a `room` mark leaves as it is."""

from __future__ import annotations

from typing import Any

from hypothesis import assume, given
from hypothesis import strategies as st

from tests import strategies
from tests.worlds import brush, frames_of, outcomes, recording, rulebook, run, sting
from voskar.core.step import replay


@given(
    st.one_of(strategies.rulebooks(), strategies.driving_rulebooks(), strategies.deadly_rulebooks(driving=True)),
    strategies.recordings(),
    strategies.recordings(),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_what_follows_a_run_mark_is_a_recording_of_its_own(
    data: Any, before: Any, after: Any, reactions: str, more: st.DataObject
) -> None:
    """The owners of actors are reported for a whole recording, so that both parts have to agree about them."""
    owners: dict[str, Any] = {}
    for frame in [*before, *after]:
        for pose in frame["poses"]:
            pose["owner"] = owners.setdefault(pose["id"], pose["owner"])
    before, after = more.draw(strategies.inputs(before)), more.draw(strategies.inputs(after))
    after[0] = {key: value for key, value in after[0].items() if key != "reset"}
    there = {pose["id"] for frame in after for pose in frame["poses"]}
    assume(all(pose["owner"] in (None, *there) for frame in after for pose in frame["poses"]))
    book = rulebook(data)
    joined = recording(book, [*before, after[0] | {"reset": "run"}, *after[1:]], reactions=reactions, seed=3)
    alone = recording(book, after, first=len(before), reactions=reactions, seed=3)
    rules = book.rules(joined.rate)
    events = [event for event in replay(rules, joined).events if event.frame >= len(before)]
    assert events == replay(rules, alone).events


def test_starts_presses_and_runs_of_contact_begin_at_a_mark() -> None:
    data = sting(keeper={"health": 2, "respawn": {"after": 1}}, attack={"rehit": "entry"})
    data["kinds"]["keeper"] |= {"emitters": {"smoker": {"spawn": "puff", "when": {"press": "smoke"}}}}
    data["kinds"]["puff"] = {"motion": {"life": 2}}
    frames = brush({"hornet": "######"})
    for frame in frames:
        frame["inputs"] = [{"id": "keeper", "button": "smoke"}]
    for frame in frames[3:]:
        for pose in frame["poses"]:
            pose["x"] = 70
    frames[3]["reset"] = "run"
    ledger = run(data, frames)
    assert outcomes(ledger, "hornet", 6) == "LrrLrr"
    assert frames_of(ledger, "spawn") == [0, 3]  # a held button is pressed again
    assert [event.until for event in ledger.of("contact")] == [0, 2, 3, 5]


def test_a_clip_that_goes_on_fires_anew_after_a_run_mark() -> None:
    data = sting()
    data["kinds"]["keeper"] |= {
        "clips": {"puff": {"cells": 9}},
        "emitters": {"smoker": {"spawn": "smoke", "when": {"clip": "puff", "cell": 1}}},
    }
    data["kinds"]["smoke"] = {"motion": {"life": 2}}
    for mark, fired in (("run", [1, 4]), ("room", [1])):
        frames = brush({"hornet": "......"})
        for tick, frame in enumerate(frames):
            frame["poses"][0] |= {"clip": "puff", "tick": tick}
        frames[4]["reset"] = mark
        assert frames_of(run(data, frames), "spawn") == fired


def test_who_is_out_stays_out_after_a_room_mark() -> None:
    data = sting(keeper={"health": 1, "lives": 1})
    data["kinds"]["keeper"]["lives"] = 1
    for mark, downs in (("room", [0]), ("run", [0, 3])):
        frames = brush({"hornet": "#..##"})
        frames[3]["reset"] = mark
        ledger = run(data, frames)
        assert (frames_of(ledger, "down"), frames_of(ledger, "over")[0]) == (downs, 0)


def test_a_survived_run_is_not_won_again_after_a_room_mark() -> None:
    for mark, won in (("room", [2]), ("run", [2, 5])):
        frames = brush({"hornet": "......"})
        frames[3]["reset"] = mark
        assert frames_of(run(sting() | {"goal": {"survive": 2}}, frames), "won") == won
