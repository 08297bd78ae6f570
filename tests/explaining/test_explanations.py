"""Which value of a rulebook explains what: of the demo's mistakes, of games by a changed rulebook, and in words."""

from __future__ import annotations

import json
from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest

from tests.files.test_every_key import DATA
from tests.worlds import recording, rulebook
from tests.wrong_games import explained, games, template
from voskar.core.recording.cut import cut
from voskar.core.step import replay
from voskar.evidence.finding import Finding
from voskar.explaining.rulebook import RulebookVariants
from voskar.explaining.suspects import CHILDREN, EVENTS, GATES, SUSPECTS, UNCLAIMED, Suspects, fits
from voskar.explaining.weighing import weigh

BUGS = [
    # a mistake of the demo, the rulebook, the key that explains it, its value in the game
    ("hits-short-iframes", "apiary", "kinds.keeper.iframes", "59f"),
    ("hits-damage-table", "apiary", "attacks.sting.damage", "2"),
    ("hits-both-count", "apiary", "contact.same_frame", '"all"'),
    ("hits-edge-touch", "apiary", "contact.edges_touch", "true"),
    ("hits-late-log", "apiary", "lag.hit", "1f"),
    ("hits-weak-push", "apiary", "attacks.pry.target.knockback.distance", "12"),
    ("hits-early-window", "apiary", "kinds.keeper.boxes.tool.during.swing", '"2-5"'),
    ("lives-unsafe-return", "apiary", "kinds.keeper.respawn.if_unsafe", '"appear"'),
    ("shots-consumed", "darts", "attacks.prick.attacker.remove", "false"),
    ("spit-quick-fire", "swarm", "kinds.hornet.emitters.spit.when.every", "30f"),
]


@pytest.mark.parametrize(("bug", "book", "key", "value"), BUGS)
def test_the_cause_is_told_first(
    apiary: Path, tmp_path: Path, here: Any, bug: str, book: str, key: str, value: str
) -> None:
    log = tmp_path / "log.jsonl"
    made = here("stage", f"bugs/{bug}.stage.toml", "-o", log, cwd=apiary)
    assert made.returncode == 0, made.stderr
    number = json.loads(here("check", f"{book}.toml", log, "--json", cwd=apiary).stdout)
    first = number["explanations"][0]
    assert (first["key"], first["game"], first["left"], first["new"]) == (key, value, 0, 0)
    assert first["explains"] == list(range(len(number["findings"])))
    if not key.startswith("lag"):
        line = (apiary / first["file"]).read_text().splitlines()[first["line"] - 1]
        assert key.rpartition(".")[2] in line or first["rules"] in ("false", "0", "not set")
    text = here("check", f"{book}.toml", log, cwd=apiary).stdout
    assert text.startswith(("the game plays as if ", "the log has each "))
    plain = json.loads(here("check", f"{book}.toml", log, "--json", "--no-explain", cwd=apiary).stdout)
    assert plain["explanations"] == []
    assert [item["code"] for item in plain["findings"]] == [item["code"] for item in number["findings"]]


def test_games_by_a_changed_rulebook() -> None:
    """A sample of `make wrong-games`: nothing that a game logs is explained by a value that leaves more than it had."""
    named = []
    for seed in (4, 21):
        for game in games(seed, 2):
            found = explained(game)
            named.append(found.named)
            assert found.left <= found.roots
    assert 3 * sum(named) >= 2 * len(named)


def test_two_causes_one_after_the_other() -> None:
    data: dict[str, Any] = {
        "layers": {"names": ["hive", "keeper"]},
        "kinds": {
            "hornet": {"boxes": {"sting": {"role": "hitbox", "circle": 4, "attack": "sting", "mask": ["keeper"]}}},
            "keeper": {
                "health": 9,
                "iframes": 10,
                "boxes": {"torso": {"role": "hurtbox", "circle": 4, "layer": ["keeper"]}},
            },
        },
        "attacks": {"sting": {"damage": 2}},
    }
    hits, health = (0, 12, 24), 9

    def frame(number: int) -> Mapping[str, Any]:
        nonlocal health
        claims = []
        if number in hits:
            health -= 1
            claims = [{"event": "hit", "attacker": "hornet", "target": "keeper", "damage": 1}]
        keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0, "health": health}
        return {"poses": [keeper, {"id": "hornet", "kind": "hornet", "x": 1, "y": 0}], "claims": claims}

    book = rulebook(data)
    played = recording(book, [frame(number) for number in range(34)])
    found = weigh(book.rules(played.rate), played, variants=lambda: RulebookVariants(book, played.rate))
    assert {(explanation.leaf.key, explanation.value) for explanation in found.explanations} == {
        ("kinds.keeper.iframes", 11),
        ("attacks.sting.damage", 1.0),
    }
    assert found.explanations[-1].left == 0
    assert not found.groups


def test_a_part_of_a_recording_goes_as_in_the_whole() -> None:
    """From a mark that begins the run again, up to any frame."""
    for seed in range(3):
        game = games(seed, 1)[0]
        rules, log = game.book.rules(game.log.rate), game.log
        marks = [mark for mark, what in log.resets.items() if what == "run"]
        for first in (log.first, *marks):
            part = cut(log, first, log.last - 9)
            whole = [event for event in replay(rules, log).events if first <= event.frame <= part.last]
            own = replay(rules, part).events
            # what continues behind the end has another end
            groups, parted = (
                [[column for column in event.columns() if column[0] != "until"] for event in events]
                for events in (own, whole)
            )
            assert groups == parted


def test_every_suspect_is_a_key_of_the_schema() -> None:
    """A pattern that fits no value of a rulebook with all keys would never be tried."""
    book = rulebook(DATA)
    leaves = [tuple(map(str, leaf.path)) for leaf in RulebookVariants(book, Fraction(60)).leaves]
    others = (
        "rect",
        "span",
        "circle",
        "capsule",
        "launch",
    )  # one shape of several, and a launch that is a number alone
    patterns = {name for table in (GATES, SUSPECTS, EVENTS) for item in table.values() for name in item}
    for pattern in sorted(patterns | {*UNCLAIMED, *CHILDREN}):
        steps = tuple("*" if step.startswith("{") else step for step in pattern.split("."))
        assert any(fits(path, steps) for path in leaves) or steps[-1] in others, pattern


@pytest.mark.parametrize("kind", ["walker", "shot", "faller"])
def test_what_only_the_log_moves_gets_no_motion(kind: str) -> None:
    """With one, its reactions would not be compared, and would seem explained."""
    data = {
        "layers": {"names": ["all"]},
        "kinds": {
            "walker": {"emitters": {"gun": {"spawn": "shot", "when": {"every": "9f"}}}},
            "shot": {},
            "faller": {"motion": {"gravity": 1}},
        },
    }
    variants = RulebookVariants(rulebook(data), Fraction(60))
    rules = variants.rules({})
    assert rules is not None
    suspects = Suspects(rules, {"it": kind}, variants.leaves)
    found = {leaf.key for leaf in suspects.of(Finding("still-active", 1, "", "it", None, None, 0))}
    assert (f"kinds.{kind}.motion.life" in found) == (kind != "walker")


def test_every_value_is_a_leaf() -> None:
    """What is not varied is what gives names, and what is no rule."""
    book = rulebook(DATA)
    variants = RulebookVariants(book, Fraction(60))
    keys = {template(leaf.key) for leaf in variants.leaves}
    assert {"kinds.*.respawn.iframes", "kinds.*.emitters.*.when.every", "attacks.*.rehit", "space.bounds"} <= keys
    for leaf in variants.leaves:
        same = variants.changed({leaf.path: leaf.value}) if leaf.value is not None else book
        assert same is not None, leaf
