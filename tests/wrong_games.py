"""Games that play by a changed rulebook, checked by the rulebook as it is: does `check` name the key, and its value?

`python -m tests.wrong_games [WORLDS]` prints a table by key.
"""

from __future__ import annotations

import random
import re
import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from typing import Any, NamedTuple

from tests.laws import played_by, world
from tests.worlds import recording
from voskar.core.recording import Recording
from voskar.explaining.leaf import Leaf
from voskar.explaining.rulebook import RulebookVariants
from voskar.explaining.weighing import weigh
from voskar.files.rulebook import Rulebook

NAMES = re.compile(r"\b(kinds|attacks|boxes|emitters|clips|gives|during|keys)\.[^.\[]+")


def template(key: str) -> str:
    """A key without the names that rulebooks give."""
    return re.sub(r"\[\d+\]", "[]", NAMES.sub(r"\1.*", key))


def other(leaf: Leaf, draw: random.Random) -> Any:
    """Another value, as a programmer may have it wrong."""
    value = leaf.value
    match leaf.sort:
        case "frames" | "rehit" if not isinstance(value, str):
            return max((value or 0) + draw.choice([-5, -2, -1, 1, 2, 5, 12]), int(leaf.least or 0))
        case "rehit" | "options":
            return draw.choice([option for option in leaf.options if option != value])
        case "switch":
            return not value
        case "number":
            return round(value * draw.choice([0.5, 0.8, 1.25, 2]), 3) if value else draw.choice([0.5, 2, 20, 200])
        case "whole":
            return max((value or 0) + draw.choice([-2, -1, 1, 2]), int(leaf.least or 0))
        case "numbers":
            place = draw.randrange(len(value))
            by = draw.choice([-8, -3, 3, 8, 20]) if abs(value[place]) < 60 else value[place] * draw.choice([-0.4, 0.4])
            return [item + by if at == place else item for at, item in enumerate(value)]
        case "names":
            own, text = list(value or []), draw.choice(leaf.options or ("",))
            return [name for name in own if name != text] if text in own else [*own, text]
        case "several":
            text = draw.choice(leaf.options)
            return [name for name in value if name != text] if text in value else [*value, text]
        case "name":
            return draw.choice([option for option in leaf.options if option != value] or [value])
        case "cells":
            first, _, last = value.split(",")[0].partition("-")
            low, high = int(first), int(last or first)
            low, high = draw.choice([(low + 1, high), (low, high + 1), (max(low - 1, 0), high), (low, high - 1)])
            return ",".join([f"{low}-{max(low, high)}", *value.split(",")[1:]])
    raise ValueError(leaf)


class Game(NamedTuple):
    """A rulebook, and the log of a game that plays by one that is changed in some places."""

    book: Rulebook
    log: Recording
    changes: tuple[tuple[Leaf, Any], ...]


def games(seed: int, count: int, at_once: int = 1) -> list[Game]:
    """Some games of one world, whose logs differ from that of the rules as they are."""
    draw = random.Random(seed)
    book, frames = world(seed)
    right = played_by(book, frames, seed)[1]
    by_template: dict[str, list[Leaf]] = defaultdict(list)
    variants = RulebookVariants(book, Fraction(60))
    for leaf in variants.leaves:
        by_template[template(leaf.key)].append(leaf)
    found: list[Game] = []
    for _ in range(90 * count):
        if len(found) == count:
            break
        names = draw.sample(sorted(by_template), at_once)
        leafs = [draw.choice(by_template[name]) for name in names]
        changes = [(leaf, other(leaf, draw)) for leaf in leafs]
        made = variants.changed({leaf.path: value for leaf, value in changes})
        if made is None:
            continue
        header, wrong = played_by(made, frames, seed)
        if at_once > 1:
            alone = [variants.changed({leaf.path: value}) for leaf, value in changes]
            logs = [right, wrong, *(played_by(rulebook, frames, seed)[1] for rulebook in alone if rulebook is not None)]
            if any(entries == another for at, entries in enumerate(logs) for another in logs[:at]):
                continue
        if wrong != right:
            log = recording(
                book, wrong, **{key: item for key, item in header.items() if key not in ("voskar", "version")}
            )
            found.append(Game(book, log, tuple(changes)))
    return found


class Found(NamedTuple):
    """What `check` makes of one: how many roots there are, and after its explanations; whether the first explanation
    names a key that was changed, or leaves nothing of it; whether it has the value; how many keys are named."""

    roots: int
    left: int
    named: bool
    valued: bool
    keys: int


def explained(game: Game) -> Found:
    """Checks the log of a game by the rules as they are."""
    rules = game.book.rules(game.log.rate)
    found = weigh(rules, game.log, variants=lambda: RulebookVariants(game.book, game.log.rate))
    roots = len(found.verdict.roots)
    if not found.explanations:
        return Found(roots, roots, False, False, 0)
    changed = {leaf.path: value for leaf, value in game.changes}
    first, left = found.explanations[0], found.explanations[-1].left
    fits = [(first.leaf.path, first.value), *((leaf.path, value) for leaf, value in first.alike)]
    keys = any(path in changed for path, _ in fits)
    named = {
        path
        for explanation in found.explanations[:3]
        for path in (explanation.leaf.path, *(leaf.path for leaf, _ in explanation.alike))
        if path in changed
    }
    right = any(changed.get(path) == value for path, value in fits)
    return Found(roots, left, keys or first.left == 0, right or (keys and first.left == 0), len(named))


def of_world(seed: int, at_once: int) -> list[tuple[str, Found]]:
    """The games of one world."""
    return [(template(game.changes[0][0].key), explained(game)) for game in games(seed, 6, at_once)]


def main(count: int = 100) -> None:
    """The tables: one change at a time, by key; and two at once."""
    with ProcessPoolExecutor() as pool:
        for at_once in (1, 2):
            done = [pair for pairs in pool.map(of_world, range(count), [at_once] * count) for pair in pairs]
            seen = [(key, found) for key, found in done if found.roots]
            both = sum(found.keys >= 2 or found.left == 0 for _, found in seen)
            named, valued = sum(found.named for _, found in seen), sum(found.valued for _, found in seen)
            most = sum(found.left <= 1 for _, found in seen)
            print(f"\n{len(done)} games, {at_once} changed: {len(seen)} with findings, {named} named first, ", end="")
            print(f"{valued} with the value, {most} with at most one finding left, {both} wholly explained or named")
            by_key: dict[str, list[Found]] = defaultdict(list)
            for key, entry in done:
                by_key[key].append(entry)
            if at_once == 1:
                print("\n| key | games | with findings | named first | value | at most one left |")
                print("|---|--:|--:|--:|--:|--:|")
                for key, founds in sorted(by_key.items()):
                    entries = [found for found in founds if found.roots]
                    counts = [sum(found.named for found in entries), sum(found.valued for found in entries)]
                    counts.append(sum(found.left <= 1 for found in entries))
                    print(f"| `{key}` | {len(founds)} | {len(entries)} | {' | '.join(map(str, counts))} |")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
