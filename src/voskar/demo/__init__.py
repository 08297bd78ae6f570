"""The night apiary: a made-up game, its rulebooks, its recordings and the mistakes that it makes."""

from __future__ import annotations

from collections.abc import Iterator
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path

from voskar.files.reading import plain_errors, whole_file


def write(folder: Path) -> int:
    """Writes all of it to a folder, each file whole or not at all; returns how many there are."""
    from voskar.demo import meadow, sprites, swarm

    texts = dict(_texts(files("voskar.demo"), ""))
    texts["meadow.jsonl"] = meadow.text()
    texts["swarm.jsonl"] = swarm.text()
    for name, text in texts.items():
        with plain_errors(folder):
            (folder / name).parent.mkdir(exist_ok=True)
        with whole_file(folder / name) as part:
            part.write_text(text, encoding="utf-8")
    with whole_file(folder / "moth.png") as part:
        sprites.write_moth(part)
    return len(texts) + 1


def _texts(folder: Traversable, below: str) -> Iterator[tuple[str, str]]:
    """Every TOML file of the demo, by its path in it."""
    for one in sorted(folder.iterdir(), key=lambda each: each.name):
        if one.is_dir():
            yield from _texts(one, f"{below}{one.name}/")
        elif one.name.endswith(".toml"):
            yield f"{below}{one.name}", one.read_text(encoding="utf-8")
