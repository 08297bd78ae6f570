"""Explanations in words."""

from __future__ import annotations

from collections.abc import Mapping

from voskar.errors import path_text
from voskar.explaining.leaf import Variants, words
from voskar.explaining.tried import Explanation
from voskar.words import counted


def cause(explanation: Explanation) -> str:
    """The cause that several recordings may share: the key and the two values."""
    leaf = explanation.leaf
    return f"{leaf.key} is {words(leaf, explanation.value)} in the game, {words(leaf, leaf.value)} in the rules"


def sentence(explanation: Explanation, variants: Variants | None, roots: int) -> str:
    """The key, the game's value, that of the rules, where it is, and how much it explains of so many roots."""
    leaf, value = explanation.leaf, explanation.value
    explains = f"explains {len(explanation.explains)} of {counted(roots, 'finding')}"
    new = f", and causes {explanation.new} new" if explanation.new else ""
    if leaf.path[0] == "lag":
        late = counted(abs(value), "frame")
        return f"the log has each {leaf.path[1]} {late} {'late' if value > 0 else 'early'}: {explains}{new}"
    file, line = variants.place(leaf.path) if variants is not None else ("", None)
    place = f", {path_text(file)}:{line}" if line is not None else ""
    rules = f"rules: {words(leaf, leaf.value)}{place}"
    return f"the game plays as if {leaf.key} were {words(leaf, value)} ({rules}): {explains}{new}"


def sharpness(explanation: Explanation) -> str:
    """The findings that the next values on either side would explain, of those that were tried; "" where there are
    none."""
    beside = [(value, left) for value, left in explanation.beside if value != explanation.leaf.value]
    if not beside:
        return ""
    values = " and ".join(words(explanation.leaf, value) for value, _ in beside)
    counts = " and ".join(str(max(explanation.tried - left, 0)) for _, left in beside)
    verb = "explains" if len(beside) == 1 else "explain"
    own = f"{words(explanation.leaf, explanation.value)} {explanation.tried - explanation.remain}"
    return f"{values} {verb} {counts} of the first {explanation.tried}, {own}"


ALIKE = 3
"""Most other values that are listed."""


def others(explanation: Explanation) -> str:
    """Other values that fit as well; "" for none."""
    names = [f"{leaf.key} = {words(leaf, value)}" for leaf, value in explanation.alike]
    suffix = ", …" if len(names) > ALIKE else ""
    return f"as well: {', '.join(names[:ALIKE])}{suffix}" if names else ""


def plain(explanation: Explanation, variants: Variants | None, places: Mapping[int, int]) -> dict[str, object]:
    """The machine form; `places` are those of findings in the list of roots, by `id()`."""
    file, line = variants.place(explanation.leaf.path) if variants is not None else ("", None)
    return {
        "key": explanation.leaf.key,
        "file": file,
        "line": line,
        "rules": words(explanation.leaf, explanation.leaf.value),
        "game": words(explanation.leaf, explanation.value),
        "explains": [places[id(finding)] for finding in explanation.explains if id(finding) in places],
        "left": explanation.left,
        "new": explanation.new,
        "alike": [{"key": leaf.key, "game": words(leaf, value)} for leaf, value in explanation.alike],
        "beside": [
            {"game": words(explanation.leaf, value), "left": left, "of": explanation.tried}
            for value, left in explanation.beside
        ],
    }
