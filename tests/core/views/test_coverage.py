"""Which rules were exercised: each is there if the rules have it, and counted when a recording shows it."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.core.step import replay
from voskar.core.views.coverage import GROUPS, exercised, rules_of


def counts(data: dict[str, Any], touch: str, **header: Any) -> dict[str, int]:
    """`group name` of every rule, with how often it was exercised."""
    book = rulebook(data)
    played = recording(book, brush({"hornet": touch}), **header)
    rules = book.rules(played.rate)
    met = exercised(rules, played, replay(rules, played))
    return {f"{rule.group} {rule.name}": met[rule.group, rule.name] for rule in rules_of(rules)}


EVERYWHERE = {"attack sting": 1, "pair hornet.sting on keeper.torso": 1, "gate landed": 1, "gate repeat": 0}
DOWN = {"life keeper down": 0}
RULES: list[tuple[dict[str, Any], str, dict[str, int | None]]] = [
    ({}, "..#", EVERYWHERE | DOWN),
    ({}, "...", dict.fromkeys(EVERYWHERE, 0) | DOWN),
    ({"keeper": {"iframes": 2}}, "###.", {"gate immune": 1, "consequence keeper iframes": 1}),
    ({"keeper": {"iframes": 2}}, "#...", {"gate immune": 0, "consequence keeper iframes": 1}),
    ({"attack": {"rehit": "once"}}, "##..", {"gate repeat": 1}),
    ({"keeper": {"health": 1}}, "#...", {"life keeper down": 1}),
    (
        {"keeper": {"health": 1, "lives": 2, "respawn": {"after": 2}}},
        "#...#..",
        {"life keeper down": 2, "life keeper respawn": 1, "life keeper out": 1},
    ),
    (
        {"keeper": {"health": 1, "respawn": {"if_unsafe": "wait"}}},
        "####...",
        {"life keeper respawn": 1, "life keeper respawn held": 1},
    ),
    ({"attack": {"if": {"from": ["above"]}}}, "#...", {"condition sting from: unmet": 1, "gate unmet": 1}),
    ({"attack": {"if": {"from": ["above"]}}}, "....", {"condition sting from: met": 0, "gate unmet": 0}),
    (
        {"attack": {"target": {"stun": 2, "iframes": 3}, "attacker": {"knockback": {"distance": 1}, "home": True}}},
        "#......",
        {
            "consequence sting target.stun": 1, "consequence sting target.iframes": 1,
            "consequence sting attacker.knockback": 1, "consequence sting attacker.home": 1,
        },
    ),
    ({"attack": {"attacker": {"remove": True}}}, "#...", {"consequence sting attacker.remove": 1, "gate consumed": 0}),
    ({"attack": {"attacker": {"goal": True}}}, "#...", {"consequence sting attacker.goal": 1}),
    ({"attack": {"target": {"gives": {"wax": 1}, "spawn": "hornet"}}}, "#...", {
        "consequence sting target.gives": 1, "consequence sting target.spawn": 1,
    }),
    ({"hornet": {"side": "keeper"}}, "#...", {"gate ally": 1, "attack sting": 0}),
    ({"hornet": {"side": "keeper"}, "attack": {"friendly": True}}, "#...", {"gate ally": None, "attack sting": 1}),
    ({"keeper": {"health": 1, "respawn": {"iframes": 3}}}, "####", {"gate immune": 1}),
    ({"contact": {"health_check": "at_once"}}, "#...", {"gate down": 0}),
]  # fmt: skip


@pytest.mark.parametrize(("change", "touch", "expected"), RULES, ids=str)
def test_rules_are_counted(change: dict[str, Any], touch: str, expected: dict[str, int | None]) -> None:
    found = counts(sting(**change), touch)
    assert {name: found.get(name) for name in expected} == expected
    assert list(found) == sorted(found, key=lambda name: GROUPS.index(name.split()[0]))


def test_what_cannot_happen_is_not_asked_for() -> None:
    assert set(counts(sting(), "#")) == {*EVERYWHERE, *DOWN}


def test_emitters_children_and_ways() -> None:
    data = sting(keeper={"health": 1, "down": {"spawn": [{"kind": "wax"}]}})
    data["kinds"]["wax"] = {"motion": {"life": 2, "at_edge": "remove"}}
    data["kinds"]["hornet"]["emitters"] = {"spit": {"spawn": "wax", "when": {"every": 2}, "limit": 1}}
    assert {name: count for name, count in counts(data, "#.....").items() if name.split()[0] in GROUPS[5:]} == {
        "life keeper down": 1, "life keeper down.spawn": 1,
        "emitter hornet/spit": 2, "emitter hornet/spit limit": 0, "way wax expired": 2, "way wax edge": 0,
    }  # fmt: skip
