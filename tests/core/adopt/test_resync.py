"""Going on from the game's account: what is adopted, in which frame, and what the rules make of it from there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import pytest

from tests.worlds import brush, outcomes, recording, rulebook, sting
from voskar.core.adopt import Resync, Window, Windows
from voskar.core.ledger import Ledger
from voskar.core.step import replay
from voskar.evidence.check import check

IFRAMES = {"iframes": 4}


def resynced(
    line: str,
    keeper: Mapping[str, Any],
    claims: Mapping[int, list[dict[str, Any]]],
    health: str = "",
    windows: Windows | None = None,
    **more: Any,
) -> tuple[Ledger, list[tuple[str, int]]]:
    """A hornet brushes a keeper; the game claims hits, and logs a digit of health a frame. The ledger with resync, and
    the roots that `check` finds."""
    frames = brush({"hornet": line})
    for frame, entries in claims.items():
        frames[frame]["claims"] = [
            {"event": "hit", "attacker": "hornet", "target": "keeper"} | fields for fields in entries
        ]
    for frame, digit in zip(frames, health, strict=False):
        frame["poses"][0] |= {"health": int(digit)} if digit != "." else {}
    book = rulebook(sting(keeper=keeper, **more))
    played = recording(book, frames)
    rules = book.rules(played.rate)
    verdict, ledger = check(rules, played, windows=windows or Windows())
    return ledger, [(root.code, root.frame) for root, _ in verdict.roots]


def taken(ledger: Ledger) -> list[tuple[int, str]]:
    return [(event.frame, event.detail or "") for event in ledger.of("adopted")]


CLAIM: list[dict[str, Any]] = [{}]
WORLDS = [
    # what the game does; contact, claims, health; outcomes, adoptions, roots
    ("as the rules have it", "######", {0: CLAIM, 5: CLAIM}, "", "LiiiiL", [], []),
    ("i-frames one short", "##########", {0: CLAIM, 4: CLAIM, 8: CLAIM}, "", "Liiiiiiiii",
     [(4, "hit"), (8, "hit")], [("hit-moved", 4), ("hit-moved", 8)]),
    ("i-frames one long", "#############", {0: CLAIM, 6: CLAIM, 12: CLAIM}, "", "LiiiiL.iiiiL.",
     [(5, "no hit"), (6, "hit"), (11, "no hit"), (12, "hit")], [("hit-moved", 6), ("hit-moved", 12)]),
    ("a hit too many", "#.........", {0: CLAIM, 6: CLAIM}, "", "L.........", [(6, "hit")], [("hit-denied", 6)]),
    ("a hit that is not claimed", "#.....#...", {0: CLAIM}, "", "L.....L...", [(6, "no hit")], [("hit-missing", 6)]),
    ("a run of them is told once", "###..#....", {5: CLAIM}, "", "L....L....", [(0, "no hit")], [("hit-missing", 0)]),
    ("not claimed, but health tells", "#.....#...", {0: CLAIM}, "8888887777", "L.....L...", [],
     [("hit-missing", 6)]),
    ("a hit that takes nothing", "#.........", {0: CLAIM}, "9999999999", "L.........",
     [(0, "health")], [("health", 0)]),
    ("health out for some frames", "..........", {}, "9955559999", "..........",
     [(2, "health"), (6, "health")], [("health", 2)]),
    ("another damage", "#.........", {0: [{"damage": 3}]}, "6666666666", "L.........",
     [(0, "health")], [("hit-damage", 0)]),
]  # fmt: skip


@pytest.mark.parametrize(
    ("contact", "claims", "health", "expected", "adopted", "roots"),
    [world[1:] for world in WORLDS],
    ids=[world[0] for world in WORLDS],
)
def test_hits_and_health(contact: str, claims: Any, health: str, expected: str, adopted: Any, roots: Any) -> None:
    ledger, found = resynced(contact, IFRAMES | {"health": 9}, claims, health)
    assert outcomes(ledger, "hornet", len(expected)) == expected
    assert taken(ledger) == adopted
    assert found == roots


def test_the_next_hit_is_judged_from_the_games_account() -> None:
    """A denied hit gives its i-frames in its frame, so that what the game ignores after it is ignored here too."""
    ledger, found = resynced("...###.....#", IFRAMES, {2: CLAIM, 11: CLAIM})
    assert found == [("hit-moved", 2)]  # the rules have it in 3
    assert [(event.frame, event.until) for event in ledger.of("iframes")] == [(3, 7), (11, 15)]


@pytest.mark.parametrize(("within", "roots"), [(0, [("hit-moved", 2)]), (1, [])])
def test_a_window_forgives(within: int, roots: list[tuple[str, int]]) -> None:
    windows = Windows(Window(within, within))
    assert resynced("...#......", IFRAMES, {2: CLAIM}, windows=windows)[1] == roots
    late = Windows(Window(0, within))  # evidence may come late, not early
    assert resynced("...#......", IFRAMES, {2: CLAIM}, windows=late)[1] == [("hit-moved", 2)]


def test_a_claimed_death_brings_down_and_back() -> None:
    """A `down` that the rules do not have takes a life in its frame, and the return counts from there."""
    frames = brush({"hornet": "." * 12})
    frames[3]["claims"] = [{"event": "down", "id": "keeper", "attacker": "hornet"}]
    book = rulebook(sting(keeper={"health": 2, "lives": 3, "respawn": {"after": 4, "iframes": 2}}))
    played = recording(book, frames)
    rules = book.rules(played.rate)
    alone = replay(rules, played)
    assert not alone.of("down")
    verdict, ledger = check(rules, played)
    assert [(finding.code, finding.frame) for finding, _ in verdict.roots] == [
        ("event-denied", 3),
        ("event-missing", 7),
    ][:1]
    assert taken(ledger) == [(3, "down")]
    assert [(event.frame, event.lives) for event in ledger.of("down")] == [(3, 2)]
    assert [event.frame for event in ledger.of("respawn")] == [7]


def test_a_return_that_follows_from_the_games_hits_is_no_disagreement() -> None:
    """The game's last hit is a frame early, by its i-frames; the return that it causes agrees, frame by frame."""
    frames = brush({"hornet": "######" + "." * 8})
    for frame in (0, 4):
        frames[frame]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    frames[4]["claims"] += [{"event": "down", "id": "keeper"}]
    frames[8]["claims"] = [{"event": "respawn", "id": "keeper"}]
    keeper = {"health": 2, "iframes": 4, "lives": 3, "respawn": {"after": 4}}
    book = rulebook(sting(keeper=keeper))
    verdict, ledger = check(book.rules(recording(book, frames).rate), recording(book, frames))
    assert [(finding.code, finding.frame) for finding, _ in verdict.roots] == [("hit-moved", 4)]
    assert [event.frame for event in ledger.of("respawn")] == [8]


def test_one_that_is_used_up_and_flies_on_is_back() -> None:
    """From the frame in which it moves on, and not where it is shown for a few frames only."""

    def shot(until: int) -> Ledger:
        frames = brush({"hornet": ".#......"}, remove=True)
        for place, frame in enumerate(frames):
            frame["poses"][1] |= {"x": 6 * place, "cut": False}
        frames = [frame if place <= until else {"poses": frame["poses"][:1]} for place, frame in enumerate(frames)]
        frames[0]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
        book = rulebook(sting(attack={"attacker": {"remove": True}}))
        played = recording(book, frames)
        return replay(book.rules(played.rate), played, Resync())

    assert taken(shot(until=7))[0] == (1, "back")
    assert taken(shot(until=3)) == []


@pytest.mark.parametrize("hidden", [range(1, 12), range(2, 12), range(1, 6)])
def test_one_that_is_hidden_as_it_falls(hidden: range) -> None:
    """From the frame of its death on, or after: nothing is seen of it that might continue."""
    frames = brush({"hornet": ".#" + "." * 10})
    frames[1]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    for place in hidden:
        frames[place]["poses"][0] |= {"hidden": True}
    book = rulebook(sting(keeper={"health": 1, "lives": 3, "respawn": {"after": 20}}))
    played = recording(book, frames)
    ledger = replay(book.rules(played.rate), played, Resync())
    assert [event.frame for event in ledger.of("down")] == [1]
