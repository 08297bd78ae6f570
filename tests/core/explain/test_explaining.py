"""What `why` and `check` say of a pair: the gate that decided, with its numbers."""

from __future__ import annotations

from typing import Any

import pytest

from tests.core.judging.test_hits import STOMP, ways, world
from tests.worlds import brush, recording, rulebook, sting
from voskar.core.explain.pair import Account, PairExplainer
from voskar.core.watching import Question

NEAREST = "apart by 10.000 units; nearest within a second in 0: overlapping"


def witness(data: dict[str, Any], frames: list[dict[str, Any]], frame: int, **header: Any) -> PairExplainer:
    book = rulebook(data)
    played = recording(book, frames, **header)
    pairs = {(actor.id, other.id) for actor in played.actors for other in played.actors}
    return PairExplainer.of(book.rules(played.rate), played, {frame: Question(pairs, near=header.get("_near", 11.0))})


def told(data: dict[str, Any], touch: dict[str, str], frame: int, attacker: str = "hornet") -> Account:
    """The deciding account of an attacker on the keeper in a brush."""
    return witness(data, brush(touch), frame).deciding(frame, attacker, "keeper")


def immune(**attack: Any) -> dict[str, Any]:
    data = sting(attack=attack)
    data["kinds"]["keeper"]["iframes"] = 3
    return data


SENTENCES = [
    # rulebook, touch, frame, gate, part of the sentence
    (immune(), "#####", 0, "landed", "sting on torso, landed"),
    (immune(), "#####", 1, "immune", "i-frames from sting, 0 to 3: 3 left, this one included"),
    (immune(), "#####", 3, "immune", "1 left"),
    (immune(), "#####", 4, "landed", ""),
    (immune(), "#.###", 1, "touch", "apart by 97.000 units; nearest within a second in 0: overlapping"),
    (immune(rehit="once"), "####", 2, "repeat", 'rehit "once": it landed in 0, in this swing'),
    (immune(rehit="entry"), "####", 2, "repeat", 'rehit "entry": in contact since 0'),
    (immune(rehit="9f"), "####", 2, "repeat", "rehit 9f: it landed in 0, free again from 9"),
    (sting(hornet={"side": "keeper"}), "##", 0, "ally", 'both are on the side "keeper"'),
    (sting(), "-##", 0, "present", "hornet has no pose in this frame; next in 1"),
    (sting(), "##-", 2, "present", "last seen in 1"),
    (sting(), "h##", 0, "play", "hornet is hidden in this frame"),
    (sting(keeper={"health": 1}), "###", 1, "play", "keeper has been down since 0"),
    (sting(attack={"attacker": {"remove": True}}), "###", 1, "play", "hornet was consumed in 0 and does not come back"),
    (sting(attack={"attacker": {"remove": True}}), "##-#", 1, "play", "hornet was consumed in 0 and is back in 3"),
    (
        sting(attack={"if": {"falling": True}}),
        "##",
        1,
        "unmet",
        "only falling: the attacker stands still at 0 units a second",
    ),
]


@pytest.mark.parametrize(("data", "touch", "frame", "gate", "part"), SENTENCES)
def test_sentences(data: dict[str, Any], touch: str, frame: int, gate: str, part: str) -> None:
    account = told(data, {"hornet": touch}, frame)
    assert (account.gate, part in account.sentence) == (gate, True), account.sentence


def test_layers_and_missing_boxes() -> None:
    data = sting()
    data["kinds"]["hornet"]["boxes"]["sting"]["mask"] = ["hive"]
    account = told(data, {"hornet": "#"}, 0)
    assert (account.gate, account.steps[3].text) == (
        "layers",
        'neither sees the other; detect = "either": one must see the other',
    )
    assert [line.split() for line in account.steps[3].more] == [
        ["sting.mask", ".1", "hive"],
        ["torso.layer", "1.", "keeper"],
        ["torso.mask", "..", "nothing"],
        ["sting.layer", "..", "nothing"],
    ]
    seen = witness(sting(), brush({"hornet": "#"}), 0)
    assert seen.deciding(0, "keeper", "hornet").sentence == "keeper has no hitbox"
    assert seen.deciding(0, "keeper", "keeper").gate == "own"
    assert seen.deciding(0, "keeper", "nobody").sentence == "nobody is not in the recording"


def test_second_claims_ask_what_stopped_one_more() -> None:
    seen = witness(sting(), brush({"hornet": "#"}), 0)
    assert seen.deciding(0, "hornet", "keeper", second=True).sentence == "it landed in this frame, but only once"


def test_a_stomp_tells_the_heights_of_the_frame_before() -> None:
    seen = witness(world(STOMP), ways([(0, -13), (0, -8)]), 1)
    text = {step.gate: step.text for step in seen.deciding(1, "keeper", "waxling").steps}["unmet"]
    assert "only from above: it comes from above: in frame 0 its lowest point is 3.000 units above" in text
    assert "the attacker falls at 300.0 units a second" in text
    assert seen.deciding(1, "waxling", "keeper").sentence.endswith("with an attack that preempts")
    from_side = witness(world(STOMP), ways([(-14, 0), (-12, 0)]), 1)
    account = from_side.deciding(1, "keeper", "waxling")
    gates = {step.gate: step for step in account.steps}
    assert (account.gate, gates["unmet"].passed, gates["touch"].text) == ("touch", False, "apart by 2.000 units")


def test_a_raw_recording_is_seen_where_hits_have_moved_it() -> None:
    data = world({"rehit": "once", "target": {"knockback": {"distance": 20, "direction": 0}}}, touch=False)
    seen = witness(data, ways([(0, 0)] * 3), 2, reactions="raw")
    assert seen.deciding(2, "keeper", "waxling").steps[5].text == NEAREST
    assert [pair.gate for pair in seen.near(2, 11)] == ["touch"]
    assert seen.near(2, 9) == []


def test_the_nearest_place_may_be_over_an_edge() -> None:
    data = sting(hornet={"wraps": True}) | {"space": {"bounds": [0, 0, 200, 200]}}
    hornet = {"id": "hornet", "kind": "hornet", "x": 198, "y": 100}
    frames = [{"poses": [hornet, {"id": "keeper", "kind": "keeper", "x": x, "y": 100}]} for x in (150, 12)]
    touch = next(step for step in logged_column(data, frames).steps if step.gate == "touch")
    assert touch.text == "apart by 40.000 units; nearest within a second in 1: 6.000 units"


def test_a_logged_box_may_never_be_logged() -> None:
    data = world({"if": {"from": ["above"], "from_by": "edge"}})
    data["kinds"]["waxling"]["boxes"]["shell"] = {"role": "hurtbox", "logged": True, "layer": ["hive"]}
    account = witness(data, ways([(0, 0), (0, 0)]), 1).deciding(1, "keeper", "waxling")
    gates = {step.gate: step.text for step in account.steps}
    assert (account.gate, gates["touch"]) == ("open", "a box without a shape touches nothing")
    assert "only from above: it comes from ahead" in gates["unmet"]


def logged_column(data: dict[str, Any], frames: list[dict[str, Any]]) -> Account:
    """The same account of frames as they are."""
    return witness(data, frames, 0).deciding(0, "hornet", "keeper")
