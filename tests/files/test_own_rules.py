"""Actors with rules of their own."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, outcomes, recording, rulebook, run, sting
from voskar.errors import InputError
from voskar.evidence.check import check


def test_one_actor_is_otherwise() -> None:
    data = sting(attack={"damage": 1, "if": {"attacker": {"kinds": ["hornet"], "health": ">= 3"}}})
    data["kinds"]["hornet"]["health"] = 2
    box = next(iter(data["kinds"]["hornet"]["boxes"]))
    data["actors"] = {"hornet-2": {"like": "hornet", "health": 3, "boxes": {box: {"rank": 2}}}}
    ledger = run(data, brush({"hornet-1": "#", "hornet-2": "#"}))
    assert [outcomes(ledger, name, 1) for name in ("hornet-1", "hornet-2")] == ["u", "L"]
    book = rulebook(data)
    played = recording(book, brush({"hornet-1": "#", "hornet-2": "#"}))
    assert check(book.rules(played.rate), played)[0].findings == ()


WRONG: list[tuple[dict[str, Any], str]] = [
    ({"x": {"health": 2}}, "which kind it is like"),
    ({"x": {"like": "hornett"}}, 'unknown kind "hornett"'),
    ({"x": {"like": "hornet", "side": "us"}}, "side is that of its kind, hornet"),
    ({"x": {"like": "hornet", "boxes": {"fin": {"rank": 1}}}}, "hornet has no box fin"),
    ({"x": {"like": "hornet", "boxes": {"BOX": {"circle": 1}}}}, "circle is that of its kind"),
    ({"x": {"like": "hornet", "healht": 1}}, 'unknown key "healht"'),
    ({"hornet": {"like": "keeper"}}, '"hornet" is a hornet, and its own rules are like keeper'),
]


@pytest.mark.parametrize(("actors", "told"), WRONG, ids=lambda name: name if isinstance(name, str) else "")
def test_what_it_may_not_say(actors: dict[str, Any], told: str) -> None:
    data = sting()
    box = next(iter(data["kinds"]["hornet"]["boxes"]))
    for own in actors.values():
        if "BOX" in own.get("boxes", {}):
            own["boxes"] = {box: own["boxes"]["BOX"]}
    with pytest.raises(InputError) as caught:
        run(data | {"actors": actors}, brush({"hornet": "#"}))
    assert len(caught.value.problems) == 1
    assert told in str(caught.value)
