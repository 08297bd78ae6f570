"""The files of `voskar init`: a first rulebook, a suite, a scene by hand, and loggers to copy into a game."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from voskar.files.reading import made_folder, write_text
from voskar.files.schemas import schema_text

LOGGERS = {
    "cpp": "recorder.hpp",
    "csharp": "Recorder.cs",
    "javascript": "recorder.js",
    "lua": "recorder.lua",
    "python": "recorder.py",
    "rust": "recorder.rs",
}
"""The file of each language."""

FILES = {"rules.toml": "rulebook", "voskar.toml": "suite", "first.stage.toml": "stage"}
"""The files that are written, and the schema that each names to an editor."""


def contents(language: str | None) -> dict[str, str]:
    """Every file by its path in the folder."""
    here = files("voskar.start")
    found = {
        name: f"#:schema ./schema/{schema}.json\n" + (here / name).read_text(encoding="utf-8")
        for name, schema in FILES.items()
    }
    found |= {f"schema/{schema}.json": schema_text(schema) for schema in (*FILES.values(), "expect")}
    found["recordings/README.md"] = (
        "Recordings of the game go here, and a line for each into ../voskar.toml. Big ones may be .jsonl.gz.\n"
    )
    if language is not None:
        name = LOGGERS[language]
        found[name] = (here / "loggers" / name).read_text(encoding="utf-8")
    return found


def write(folder: Path, texts: dict[str, str]) -> None:
    """Writes them, each file whole or not at all."""
    for name, text in texts.items():
        made_folder((folder / name).parent)
        write_text(folder / name, text)
