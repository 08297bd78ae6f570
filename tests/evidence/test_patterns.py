"""Claims of all events, and findings of one cause told once."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.adopt import Window, Windows
from voskar.core.recording import Recording
from voskar.evidence.check import Verdict, check
from voskar.evidence.patterns import LEAST, Pattern, causes
from voskar.evidence.weighing import weigh


def held(data: dict[str, Any], frames: list[dict[str, Any]], **options: Any) -> tuple[Verdict, Recording]:
    book = rulebook(data)
    played = recording(book, frames)
    return check(book.rules(played.rate), played, **options)[0], played


def claims(frames: list[dict[str, Any]], told: dict[int, list[dict[str, Any]]]) -> list[dict[str, Any]]:
    for frame, some in told.items():
        frames[frame].setdefault("claims", []).extend(some)
    return frames


def patterns(findings: Any, recording: Recording) -> list[Pattern]:
    return [cause for cause in causes(findings, recording) if len(cause.findings) >= LEAST]


def hit(damage: float | None = None, **more: Any) -> dict[str, Any]:
    return {"event": "hit", "attacker": "hornet", "target": "keeper", "damage": damage, **more}


KEEPER = {"health": 1, "lives": 2, "respawn": {"after": 4}}
TOLD = [
    # what the game tells of the keeper, the findings, what the rules say
    ({0: "down", 4: "respawn", 6: "down"}, [], ""),
    ({0: "down", 3: "respawn", 6: "down"}, [("event-moved", 3, 1)], "respawn in 4, 1 frame later"),
    ({0: "down"}, [("event-missing", 6, 0)], "down in 6"),
    ({0: "down", 6: "down"}, [], ""),
    ({0: "down", 6: "down", 2: "out"}, [("event-moved", 2, 4)], "out in 6, 4 frames later"),
    ({2: "removed"}, [("event-moved", 2, 4)], "removed in 6, 4 frames later"),
    ({0: "spawn"}, [], ""),
    ({3: "spawn"}, [("event-moved", 3, -3)], "spawn in 0, 3 frames earlier"),
]


@pytest.mark.parametrize(("told", "expected", "text"), TOLD)
def test_claims_of_other_events(told: dict[int, str], expected: list[tuple[str, int, int]], text: str) -> None:
    frames = claims(brush({"hornet": "#.....#."}), {0: [hit()], 6: [hit()]})
    frames = claims(frames, {frame: [{"event": event, "id": "keeper"}] for frame, event in told.items()})
    for frame in frames[7:]:  # out for good, it is seen no more
        frame["poses"] = [pose for pose in frame["poses"] if pose["id"] != "keeper"]
    verdict, _ = held(sting(keeper=KEEPER), frames)
    assert [(finding.code, finding.frame, finding.shift) for finding in verdict.findings] == expected
    assert (verdict.events, verdict.events_agreed) == (
        len(told),
        len(told) - sum(one[0] != "event-missing" for one in expected),
    )
    assert all(text in finding.rules for finding in verdict.findings)
    found = held(sting(keeper=KEEPER), frames, windows=Windows(Window(4, 4)))[0].findings
    assert not [finding for finding in found if finding.code == "event-moved"]


def test_i_frames_that_end_too_soon_are_one_pattern() -> None:
    frames = brush({"hornet": ("#" * 11 + "." * 40) * 4})
    for start in range(0, 204, 51):
        claims(frames, {start: [hit()], start + 5: [hit()], start + 10: [hit()]})
    verdict, played = held(sting(keeper={"iframes": 5}), frames)
    found = patterns(verdict.findings, played)
    assert [len(one.findings) for one in found] == [4, 4]
    assert found[0].text == "i-frames of keeper end 1 frame too soon in the game"
    assert found[0].frames == (5, 56, 107, 158)


@pytest.mark.parametrize(
    ("game", "words"), [(5, "1 frame too soon"), (7, "1 frame too late"), (4, "2 frames too soon")]
)
def test_a_chain_of_hits_has_one_cause(game: int, words: str) -> None:
    """Standing in a hazard, each hit is off by more than the one before; the i-frames are off by the same."""
    frames = claims(brush({"hornet": "#" * 60}), {frame: [hit()] for frame in range(0, 60, game)})
    verdict, played = held(sting(keeper={"iframes": 5}), frames)
    (first, *_) = patterns(verdict.findings, played)
    assert first.text == f"i-frames of keeper end {words} in the game"
    moved = [finding for finding in verdict.findings if finding.code == "hit-moved"]
    assert first.findings == tuple(moved)


def test_another_damage_is_one_pattern_and_two_alike_are_none() -> None:
    frames = claims(brush({"hornet": "#.#.#.#"}), {frame: [hit(2)] for frame in (0, 2, 4)} | {6: [hit(1)]})
    verdict, played = held(sting(), frames)
    assert [pattern.text for pattern in patterns(verdict.findings, played)] == [
        "damage of hornet's sting is told as 2, not 1"
    ]
    assert patterns(verdict.findings[:2], played) == []


def test_a_log_that_is_late_by_one_is_one_pattern() -> None:
    frames = brush({"hornet": "#.........#.........#...........#"})
    claims(frames, {1: [hit()], 11: [hit()], 21: [hit()], 31: []})
    frames[11]["poses"][1]["x"] = 11  # near: another gate than that of being far away
    verdict, played = held(sting(), frames[:32])
    found = patterns(verdict.findings, played)
    assert "1 frame late" in found[0].text
    assert len(found[0].findings) == 3


def test_deaths_that_are_all_late_are_one_pattern_whoever_dies() -> None:
    frames = claims(brush({"hornet": ("#" + "." * 11) * 3}), {frame: [hit()] for frame in (0, 12, 24)})
    for frame in (0, 12, 24):
        claims(frames, {frame + 3: [{"event": "down", "id": "keeper"}]})
    verdict, played = held(sting(keeper={"health": 1, "respawn": {"after": 4}}), frames)
    (first,) = patterns(verdict.findings, played)
    assert first.text == "every down that the game tells in another frame is 3 frames late: its log, or its order"
    assert first.frames == (3, 15, 27)


@pytest.mark.parametrize(("over", "denied"), [(True, 3), (False, 3)], ids=["over", "past"])
def test_a_rulebook_that_forgot_swept(over: bool, denied: int) -> None:
    """A hornet darts over the keeper three times; where it darts past it, sweeping would help nothing."""
    frames = []
    for frame in range(60):
        place = -420 + 40 * (frame % 20)  # from -20 to 20 in frames 11, 31 and 51
        hornet = {"id": "hornet", "kind": "hornet", "x": place, "y": 0 if over else 20, "cut": frame % 20 == 0}
        frames.append({"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}, hornet]})
    claims(frames, {frame: [hit()] for frame in (11, 31, 51)})
    book = rulebook(sting())
    found = weigh(book.rules(60), recording(book, frames))
    texts = [pattern.text for pattern in found.patterns]
    told = "hornet hits between two frames in the game: `swept = true` on sting makes 3 of 3 land"
    assert (len(found.verdict.findings), told in texts) == (denied, over)


def test_a_box_that_is_off_everywhere_is_one_pattern() -> None:
    frames = brush({"hornet": "...", "other": "...", "third": "..."}, kinds={"other": "hornet", "third": "hornet"})
    for frame in frames:
        for pose in frame["poses"][1:]:
            x, y = pose["x"] + 8, pose["y"]
            pose["boxes"] = {"sting": [x - 3, y - 3, x + 3, y + 3]}
    verdict, played = held(sting(), frames)
    (first,) = patterns(verdict.findings, played)
    assert first.text.startswith("hornet's sting is (+8.0, +0.0) off in the game")
