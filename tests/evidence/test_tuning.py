"""Variants of rules: what they are scored, and which fits, how sharply."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.adopt import Window, Windows
from voskar.core.step import replay
from voskar.errors import InputError
from voskar.evidence.tuning import Sharpness, VariantScore, fit, fit_words, score
from voskar.files.rulebook import load_rulebook
from voskar.files.vary import Change, changed, including, parse_axis

HIT = {"event": "hit", "attacker": "hornet", "target": "keeper"}


def scored(iframes: int, *, first: int | None = None, claims: tuple[int, ...] = (), **options: Any) -> VariantScore:
    """A keeper that stands in a sting for eight frames, two hits from being down; it was first seen in frame 0."""
    frames = brush({"hornet": "########"})
    for frame in claims:
        frames[frame].setdefault("claims", []).append(HIT)
    keeper = {"health": 2, "lives": 3, "respawn": {"after": 2}}
    books = [rulebook(sting(keeper=keeper | {"iframes": iframe})) for iframe in (iframes, first or 0)]
    played = recording(books[0], frames)
    rules, other = (book.rules(played.rate) for book in books)
    against = None if first is None else replay(other, played)
    return score(rules, played, against, **options)[0]


def test_hits_deaths_and_time_to_down() -> None:
    once = scored(3)  # lands in 0 and 4: down in 4, back in 6, lands in 6
    assert (once.hits, once.deaths, once.lived, once.time_to_down) == (3, 1, (4,), 4)
    often = scored(0)  # 0 and 1: down, back in 3, lands in 3 and 4: down, back in 6, lands in 6 and 7: down
    assert (often.hits, often.deaths, often.lived, often.time_to_down) == (6, 3, (1, 1, 1), 1)
    assert scored(9).time_to_down is None
    assert (once + often).lived == (4, 1, 1, 1)


def test_against_the_first_and_for_one_actor() -> None:
    assert scored(3, first=3).differ == 0
    entry = scored(0, first=3)
    assert (entry.gained, entry.lost, entry.moved) == (8, 0, 0)  # three hits, two downs, a return, and that was the end
    assert scored(3, actor="hornet") == VariantScore()
    assert scored(3, actor="keeper").hits == 3


@pytest.mark.parametrize(
    ("claims", "options", "expected"),
    [
        ((0, 4, 6), {}, (3, 3, 0, 0)),
        ((1, 5, 7), {}, (3, 2, 1, 1)),
        ((1, 5, 7), {"lag": 1}, (3, 3, 0, 0)),
        ((1, 5, 7), {"windows": Windows(Window(1, 1))}, (3, 3, 0, 0)),
        ((0, 0, 4), {}, (3, 2, 1, 1)),
        ((0, 4), {}, (2, 2, 1, 1)),
        ((), {}, (0, 0, 0, 0)),
    ],
)
def test_what_the_game_bears_out(
    claims: tuple[int, ...], options: dict[str, Any], expected: tuple[int, int, int, int]
) -> None:
    found = scored(3, claims=claims, **options)
    assert (found.claims, found.agreed, found.hits_wrong, found.wrong) == expected


def test_what_fits_and_how_sharply() -> None:
    found = fit({(place,): count for place, count in enumerate((5, 2, 2, 9))}, [4])
    assert (found.best, found.alike, found.axes) == ((1,), ((1,), (2,)), (Sharpness(1, 2, 3, 7),))
    edge = fit({(0, 0): 1, (0, 1): 3, (1, 0): 1, (1, 1): 0}, [2, 2])
    assert (edge.best, edge.axes) == ((1, 1), (Sharpness(1, 1, 3, None), Sharpness(1, 1, 1, None)))


def test_fits_in_words() -> None:
    scores = {
        (place,): VariantScore(claims=9, agreed=9 - wrong, hits_wrong=wrong) for place, wrong in enumerate((5, 2, 2, 9))
    }
    lines = fit_words(["a.b"], ["1234"], scores)
    assert lines == [
        "best: a.b = 2: 7 of 9 claims agree, 2 disagreements, 2 of hits; 1 other fits as well",
        "a.b: 2 to 3: fit alike, 1 costs 3 more and 4 costs 7 more",
    ]
    lines = fit_words(
        ["a"], ["12"], {(0,): VariantScore(claims=1, hits_wrong=1), (1,): VariantScore(claims=1, agreed=1)}
    )
    assert lines[1] == "a: 2: only this fits, 1 costs 1 more; this is the last that was tried: try beyond it"
    assert (
        "cannot be distinguished"
        in fit_words(["a"], ["12"], {(0,): VariantScore(claims=1), (1,): VariantScore(claims=1)})[0]
    )
    assert fit_words(["a"], ["12"], {(0,): VariantScore(), (1,): VariantScore()}) == []


AXES = [
    ("a.b=1,2", ("1", "2")),
    ("a.b=1..3", ("1", "2", "3")),
    ("a.b=30f..60f/15", ("30f", "45f", "60f")),
    ("a.b=0.1..0.3/0.1", ("0.1", "0.2", "0.3")),
    ("a.b=-2..0", ("-2", "-1", "0")),
    ("a.b=0.5s,1..3/2", ("0.5s", "1", "3")),
    ("a.b=[1, 2],[3, 4]", ("[1, 2]", "[3, 4]")),
    ("a.b=1,1", ("1",)),
]


@pytest.mark.parametrize(("text", "values"), AXES)
def test_values(text: str, values: tuple[str, ...]) -> None:
    assert parse_axis(text).values == values


@pytest.mark.parametrize(
    "text", ["a.b", "a.b=", "a.b=1,,2", "a.b=3..1", "a.b=1f..2s", "a..b=1", "a.b[x]=1", "a=1..9999"]
)
def test_values_that_are_refused(text: str) -> None:
    with pytest.raises(InputError, match="--vary a"):
        parse_axis(text)


CHANGES = [
    # what is varied, and what the rules then have; or what is told of it
    ("kinds.keeper.iframes=9f", lambda rules: rules.kinds["keeper"].iframes == 9),
    ("attacks.sting.rehit=once", lambda rules: str(rules.attacks["sting"].rehit) == "once"),
    ("attacks.sting.target.stun=4", lambda rules: rules.attacks["sting"].target.stun == 4),
    ("kinds.keeper.boxes.torso.rect[1]=30", lambda rules: rules.kinds["keeper"].boxes[0].outline.parts[0].max() == 15),
    ("contact.edges_touch=true", lambda rules: rules.contact.edges_touch is True),
    ("kinds.kepper.iframes=9", 'no kind "kepper" (did you mean "keeper"?)'),
    ("attacks.stign.damage=9", 'did you mean "sting"?'),
    ("kinds.keeper.boxes.tors.rank=9", 'no box "tors"'),
    ("kinds.keeper.ifrmes=9", 'did you mean "iframes"?'),
    ("kinds.keeper.boxes.torso.rect[2]=9", "a place [2]"),
    ("kinds.keeper.health.x=9", "found a value"),
    ("kinds.keeper.boxes.torso.rect.1=9", "written as rect[1]"),
    ("kinds.keeper.iframes=soon", '--vary kinds.keeper.iframes=soon: kinds.keeper.iframes: found "soon"'),
]


@pytest.mark.parametrize(("text", "expected"), CHANGES, ids=[text for text, _ in CHANGES])
def test_changes(text: str, expected: Any) -> None:
    book, axis = rulebook(sting()), parse_axis(text)
    change = Change(*axis.keys[0], axis.values[0])
    if callable(expected):
        assert expected(changed(book, [change]).rules(60))
        assert book.digest != changed(book, [change]).digest
        return
    with pytest.raises(InputError) as caught:
        changed(book, [change])
    assert expected in str(caught.value)


def test_pixels_are_still_found_when_their_box_varies(apiary: Path) -> None:
    book = load_rulebook(apiary / "apiary.toml")
    axis = parse_axis("kinds.moth.boxes.wings.pixel=2")
    assert changed(book, [Change(*axis.keys[0], "2")]).rules(60)


@pytest.mark.parametrize(
    ("values", "own", "expected"),
    [
        ("4..6", 17.1, ("4", "5", "6", "17.1")),
        ("4..6", 4.5, ("4", "4.5", "5", "6")),
        ("4..6", 5.0, ("4", "5", "6")),
        ("30f,60f", "45f", ("30f", "45f", "60f")),
        ("30f,60f", "0.5s", ("0.5s", "30f", "60f")),
        ("once,entry", "always", ("always", "once", "entry")),
        ("true", False, ("true",)),
        ("4..5", None, ("4", "5")),
    ],
)
def test_what_the_rulebook_says_is_tried_too(values: str, own: Any, expected: tuple[str, ...]) -> None:
    assert including(parse_axis(f"attacks.sting.damage={values}"), own).values == expected
