"""A draft as a rulebook that a colleague could have written."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence

from voskar.draft.values import Guess, Value

BARE = re.compile(r"[A-Za-z0-9_-]+")
WIDE = 46
"""The column that comments begin in, where there is room."""


def rulebook_text(found: Guess, sources: Sequence[str]) -> str:
    """The TOML of it, grouped, each value with its evidence."""
    lines = [
        f"# A first rulebook, drafted from {', '.join(sources)}.",
        "# What stands behind a value is the evidence for it; change what you know better.",
        *(f"# The log: {note}." for note in found.notes),
        "voskar = 2",
        "",
        "[space]",
        f'up = "{found.up}"',
        *_keys(found.space),
        "",
        "[layers]",
        f"names = {json.dumps(found.layers, ensure_ascii=False)}",
    ]
    lines += ["", "[contact]", 'detect = "hitbox"', *_keys(found.contact)]
    for kind in found.kinds:
        lines += ["", f"[kinds.{_key(kind.name)}]"]
        lines += [f"side = {json.dumps(kind.side, ensure_ascii=False)}"] if kind.side else []
        lines += _keys(kind.keys)
        for name, keys in kind.clips.items():
            lines += [f"[kinds.{_key(kind.name)}.clips.{_key(name)}]", *_keys(keys)]
        for box in kind.boxes:
            lines += [f"[kinds.{_key(kind.name)}.boxes.{_key(box.name)}]", f'role = "{box.role}"', *_keys(box.keys)]
        for name, keys in kind.emitters.items():
            lines += [f"[kinds.{_key(kind.name)}.emitters.{_key(name)}]", *_keys(keys)]
    for attack in found.attacks:
        lines += ["", f"[attacks.{_key(attack.name)}]", *_keys(attack.keys)]
    if found.unknown:
        lines += ["", "# Could not be inferred from these recordings:", *(f"# - {text}" for text in found.unknown)]
    return "\n".join(lines) + "\n"


def _key(name: str) -> str:
    return name if BARE.fullmatch(name) else json.dumps(name, ensure_ascii=False)


def _keys(keys: Mapping[str, Value]) -> list[str]:
    lines = []
    for name, value in keys.items():
        line = f"{name} = {value.text}"
        lines.append(f"{line:<{WIDE}}  # {value.why}" if value.why else line)
    return lines
