"""The core and its slow reference model agree on random worlds."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests import fighting, strategies, uncommon
from tests.reference import Reference, box_parts, gap
from tests.worlds import recording, rulebook, run, told
from voskar.core.ledger import Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.step import replay

at_least_30 = settings(max_examples=max(settings().max_examples, 30 if settings().max_examples > 10 else 12))
"""For worlds in which so much may happen that few would show little."""

BRED = 120
"""Spawns of a world from which the reference model, which tries every pair in every frame, would take minutes."""


def plain(events: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Values as a ledger writes them, keys in one order."""
    return [
        {key: value if isinstance(value, str) else round(float(value), 6) for key, value in event.items()}
        for event in events
    ]


@given(strategies.rulebooks(), strategies.recordings(), st.sampled_from(["baked", "raw"]))
def test_the_core_agrees_with_the_reference(data: dict[str, Any], frames: list[dict[str, Any]], reactions: str) -> None:
    book = rulebook(data)
    played = recording(book, frames, reactions=reactions)
    rules = book.rules(played.rate)
    agrees(rules, played, replay(rules, played))


def agrees(rules: Rules, played: Recording, ledger: Ledger) -> None:
    """As `reports_the_same`, of worlds that the model is not too slow for."""
    assume(len(ledger.of("spawn")) < BRED)
    reports_the_same(rules, played, ledger)


def reports_the_same(rules: Rules, played: Recording, ledger: Ledger) -> None:
    """The reference model reports the same events in the same order. It gets the places of hit effects: any point of a
    contact is right."""
    spots = {(event.frame, event.id or ""): (event.x or 0.0, event.y or 0.0) for event in ledger.of("spawn")}
    found, expected = plain(told(ledger.events)), plain(Reference(rules, played, spots).events)
    for fields, other in zip(found, expected, strict=True):
        for column in ("t", "dx", "dy", "x", "y", "vx", "vy", "angle"):
            assert fields.pop(column, None) == pytest.approx(other.pop(column, None), abs=2e-6)
        assert fields == other


@at_least_30
@given(
    strategies.driving_rulebooks(),
    strategies.recordings(),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_driven_actors_agree_too(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    book = rulebook(data)
    played = recording(book, more.draw(strategies.inputs(frames)), reactions=reactions, seed=3)
    rules = book.rules(played.rate)
    agrees(rules, played, replay(rules, played))


@at_least_30
@given(
    uncommon.rulebooks(
        st.one_of(strategies.rulebooks(), strategies.deadly_rulebooks(), strategies.deadly_rulebooks(driving=True))
    ),
    strategies.recordings(),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_rules_that_few_games_need_agree_too(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    frames = more.draw(uncommon.boxed(data, frames))
    test_driven_actors_agree_too.hypothesis.inner_test(data, frames, reactions, more)


@at_least_30
@given(
    uncommon.rulebooks(
        fighting.rulebooks(
            st.one_of(
                strategies.rulebooks(),
                strategies.driving_rulebooks(),
                strategies.deadly_rulebooks(),
                strategies.deadly_rulebooks(driving=True),
            )
        )
    ),
    strategies.recordings(frames_at_most=16),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_rules_of_fights_agree_too(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    frames = more.draw(uncommon.boxed(data, more.draw(fighting.tagged(frames))))
    test_driven_actors_agree_too.hypothesis.inner_test(data, frames, reactions, more)


@at_least_30
@given(
    strategies.deadly_rulebooks(),
    strategies.recordings(frames_at_most=20),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_lives_agree_too(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    test_driven_actors_agree_too.hypothesis.inner_test(data, frames, reactions, more)


@at_least_30
@given(
    strategies.deadly_rulebooks(driving=True),
    strategies.recordings(),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_lives_of_driven_actors_agree_too(
    data: dict[str, Any], frames: list[dict[str, Any]], reactions: str, more: st.DataObject
) -> None:
    test_driven_actors_agree_too.hypothesis.inner_test(data, frames, reactions, more)


@given(strategies.rulebooks(), strategies.recordings())
def test_contact_points_lie_in_both_boxes(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    book = rulebook(data | {"contact": {"detect": "either"}})
    played = recording(book, frames)
    rules = book.rules(played.rate)
    model = Reference(rules, played)
    for event in replay(rules, played).of("contact"):
        if event.t != 1 or event.detail or not {event.attacker, event.target} <= set(model.recording.numbers):
            continue  # of a sweep it lies where they met, which is not where they are
        poses = model.poses(event.frame)
        for actor, name in ((event.attacker, event.hitbox), (event.target, event.hurtbox)):
            assert actor is not None
            box = next(box for box in model.kind[actor].boxes if box.name == name)
            point = [(event.x or 0.0, event.y or 0.0)]
            assert min(gap(part, point) - radius for part, radius in box_parts(box, poses[actor])) < 1e-6


def moved(played: Recording, change: str) -> Recording:
    """The same recording in another frame of reference."""
    poses = played.poses
    if change == "moved":
        poses = replace(poses, x=poses.x + 1024, y=poses.y - 512)
    elif change == "mirrored":
        poses = replace(poses, x=-poses.x, facing=-poses.facing, angle=-poses.angle)
    else:
        rows = np.concatenate(
            [np.arange(stop - 1, start - 1, -1) for start, stop in zip(played.starts, played.starts[1:], strict=False)]
        )
        poses = poses.rows(rows)
    return replace(played, poses=poses)


@given(
    strategies.rulebooks(), strategies.recordings(angles=(0, 90)), st.sampled_from(["moved", "mirrored", "shuffled"])
)
def test_outcomes_do_not_depend_on_where_the_world_is(
    data: dict[str, Any], frames: list[dict[str, Any]], change: str
) -> None:
    for kind in data["kinds"].values():
        for box in kind["boxes"].values():
            # only upright boxes at whole places: exact, so that no rounding decides at an edge
            box |= {"turn": 0, "swept": False, "keys": {}}
    book = rulebook(data)
    played = recording(book, frames)
    rules = book.rules(played.rate)
    ledgers = [replay(rules, entry) for entry in (moved(played, change), played)]
    kept = ("contact", "health", "iframes", "down", "removed")  # those that state no place and no direction
    found, expected = (told(event for event in ledger.events if event.event in kept) for ledger in ledgers)
    assert found == expected


@given(strategies.rulebooks(), strategies.recordings())
def test_replaying_twice_tells_the_same(data: dict[str, Any], frames: list[dict[str, Any]]) -> None:
    assert run(data, frames).events == run(data, frames).events
