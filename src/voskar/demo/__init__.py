"""The night apiary: a made-up game, its rulebooks, its recordings and the mistakes that it makes."""

from __future__ import annotations

from collections.abc import Iterator
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path

from voskar.files.reading import plain_errors, whole_file, write_text

RULEBOOKS = {"shots": "darts.toml", "spit": "swarm.toml", "yard": "yard.toml"}
"""The rulebook of each kind of mistake in `bugs`; the others use that of the meadow."""


def write(folder: Path) -> int:
    """Writes all of it to a folder, each file whole or not at all; returns how many there are."""
    from voskar.demo import meadow, sparring, sprites, swarm

    texts = dict(_texts(files("voskar.demo"), ""))
    texts["meadow.jsonl"] = meadow.text()
    texts["swarm.jsonl"] = swarm.text()
    texts["ring/match.jsonl"] = sparring.text()
    for name, bug in sparring.BUGS.items():
        texts[f"ring/bugs/{name}.jsonl"] = sparring.text(bug.seed, bug.frames, frozenset([name]))
        texts[f"ring/right/{name}.jsonl"] = sparring.text(bug.seed, bug.frames)
    for name, text in texts.items():
        with plain_errors(folder):
            (folder / name).parent.mkdir(exist_ok=True, parents=True)
        write_text(folder / name, text)
    with whole_file(folder / "moth.png") as part:
        sprites.write_moth(part)
    return len(texts) + 1 + sum(_write_right(folder, name) for name in texts if name.startswith("bugs/"))


def _write_right(folder: Path, script: str) -> bool:
    """Writes the log of a game without the mistake of a script; where the mistake is in the poses, the demo has it by
    hand."""
    from voskar.files.perfect import perfect_source
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook
    from voskar.files.writing import write_recording

    name = Path(script).name.removesuffix(".stage.toml")
    if not script.endswith(".stage.toml") or (folder / "right" / f"{name}.stage.toml").exists():
        return False
    book = load_rulebook(folder / RULEBOOKS.get(name.partition("-")[0], "apiary.toml"))
    played = load_recording(folder / script, book)
    write_recording(perfect_source(book.rules(played.rate), played), str(folder / "right" / f"{name}.jsonl"))
    return True


def _texts(folder: Traversable, below: str) -> Iterator[tuple[str, str]]:
    """Every rulebook and table of the demo, by its path in it."""
    for path in sorted(folder.iterdir(), key=lambda each: each.name):
        if path.is_dir():
            yield from _texts(path, f"{below}{path.name}/")
        elif path.name.endswith((".toml", ".csv")):
            yield f"{below}{path.name}", path.read_text(encoding="utf-8")
