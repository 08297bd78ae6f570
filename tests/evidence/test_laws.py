"""The laws on a few random worlds; `make laws` tries thousands."""

from __future__ import annotations

import random

import pytest

from tests import laws, mutants
from voskar.core.views.perfect import perfect_log
from voskar.evidence.check import check

FIGHTS = {
    "of two clashes at one time the game has the other one": (63, "other ids for shots, in another order"),
    "home after hitstop": (87, "as it is"),
    "reflected in its first frame": (127, "fewer claims and states"),
    "clashes with what is not logged": (303, "no shots, and no hits of theirs"),
    "appears while everyone is frozen": (537, "as it is"),
}


@pytest.mark.parametrize("seed", range(4))
def test_right_logs_are_silent(seed: int) -> None:
    assert {name: found for name in laws.WAYS if (found := laws.findings(seed, name))} == {}


@pytest.mark.parametrize(("seed", "way"), FIGHTS.values(), ids=FIGHTS.keys())
def test_right_logs_of_fights_are_silent(seed: int, way: str) -> None:
    assert laws.findings(seed, way) == []


@pytest.mark.parametrize("hidden", [True, False])
def test_right_logs_of_other_rules_are_silent(hidden: bool) -> None:
    """Of the dead, either hidden poses or none."""
    odd = {}
    for seed in range(12):
        draw = random.Random(seed)
        book, played = mutants.world(random.Random(seed), mutants.varied(draw))
        header, frames = perfect_log(book.rules(played.rate), played)
        for frame in frames:
            frame["poses"] = [pose for pose in frame["poses"] if hidden or not pose.get("hidden")]
        logged = mutants.logged(book, header, frames)
        odd[seed] = check(book.rules(logged.rate), logged)[0].findings
    assert {seed: found for seed, found in odd.items() if found} == {}


@pytest.mark.parametrize("seed", range(4))
def test_a_changed_value_is_found_and_the_rest_is_judged_again(seed: int) -> None:
    changed = laws.changes(seed)
    assert changed
    assert [changed_value for changed_value in changed if not changed_value.found or changed_value.outside] == []


@pytest.mark.parametrize("seed", [2120, 2174], ids=["fired where one comes round an edge", "ends with its last bounce"])
def test_shots_at_edges_are_silent(seed: int) -> None:
    assert laws.findings(seed, "as it is") == []
