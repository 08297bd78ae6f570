"""Explanations in words."""

from __future__ import annotations

from collections.abc import Mapping

from voskar.errors import path_text
from voskar.explaining.leaf import Variants, words
from voskar.explaining.tried import Explanation
from voskar.words import counted


def cause(one: Explanation) -> str:
    """What several recordings may have in common: the key and the two values."""
    return f"{one.leaf.key} is {words(one.leaf, one.value)} in the game, {words(one.leaf, one.leaf.value)} in the rules"


def sentence(one: Explanation, variants: Variants | None, roots: int) -> str:
    """The key, the game's value, that of the rules, where it stands, and how much it explains of so many roots."""
    explains = f"explains {len(one.explains)} of {counted(roots, 'finding')}"
    new = f", and causes {one.new} new" if one.new else ""
    if one.leaf.path[0] == "lag":
        late = counted(abs(one.value), "frame")
        return f"the log has each {one.leaf.path[1]} {late} {'late' if one.value > 0 else 'early'}: {explains}{new}"
    file, line = variants.place(one.leaf.path) if variants is not None else ("", None)
    place = f", {path_text(file)}:{line}" if line is not None else ""
    rules = f"rules: {words(one.leaf, one.leaf.value)}{place}"
    return f"the game plays as if {one.leaf.key} were {words(one.leaf, one.value)} ({rules}): {explains}{new}"


def sharpness(one: Explanation) -> str:
    """What the next values on either side would explain of the findings that were tried; "" where there are none."""
    beside = [(value, left) for value, left in one.beside if value != one.leaf.value]
    if not beside:
        return ""
    values = " and ".join(words(one.leaf, value) for value, _ in beside)
    counts = " and ".join(str(max(one.tried - left, 0)) for _, left in beside)
    verb = "explains" if len(beside) == 1 else "explain"
    return f"{values} {verb} {counts} of the first {one.tried}, {words(one.leaf, one.value)} {one.tried - one.remain}"


ALIKE = 3
"""Most other values that are listed."""


def others(one: Explanation) -> str:
    """Other values that fit as well; "" for none."""
    some = [f"{leaf.key} = {words(leaf, value)}" for leaf, value in one.alike]
    more = ", …" if len(some) > ALIKE else ""
    return f"as well: {', '.join(some[:ALIKE])}{more}" if some else ""


def plain(one: Explanation, variants: Variants | None, places: Mapping[int, int]) -> dict[str, object]:
    """The machine form; `places` are those of findings in the list of roots, by `id()`."""
    file, line = variants.place(one.leaf.path) if variants is not None else ("", None)
    return {
        "key": one.leaf.key,
        "file": file,
        "line": line,
        "rules": words(one.leaf, one.leaf.value),
        "game": words(one.leaf, one.value),
        "explains": [places[id(finding)] for finding in one.explains if id(finding) in places],
        "left": one.left,
        "new": one.new,
        "alike": [{"key": leaf.key, "game": words(leaf, value)} for leaf, value in one.alike],
        "beside": [{"game": words(one.leaf, value), "left": left, "of": one.tried} for value, left in one.beside],
    }
