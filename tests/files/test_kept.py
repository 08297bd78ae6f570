"""Rulebooks that are kept ready: the same as read again, and never one that is no more."""

from __future__ import annotations

import os
import pickle
import shutil
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest

from tests.test_imports import brought_by
from voskar.core.rules import Rules
from voskar.core.step import replay
from voskar.files.kept import ReadyRulebook, kept_folder
from voskar.files.ledger import ledger_lines
from voskar.files.reading import noted
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook

RATE = Fraction(60)


@pytest.fixture
def folder(apiary: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Rulebooks and an image that were not written to for a while, and nothing kept."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    for name in ("apiary.toml", "hive.toml", "moth.png", "meadow.jsonl"):
        shutil.copy(apiary / name, tmp_path / name)
        long_ago(tmp_path / name)
    (tmp_path / "hive.toml").rename(tmp_path / "old.toml")
    (tmp_path / "hive.toml").symlink_to("old.toml")
    return tmp_path


def long_ago(path: Path) -> None:
    os.utime(path, (time.time() - 60,) * 2)


def kept() -> list[Path]:
    folder = kept_folder("rulebooks")
    return list(folder.iterdir()) if folder.is_dir() else []


def rules(folder: Path) -> tuple[Rules, bool]:
    """The rules, and whether the whole rulebook had to be read for them."""
    book = ReadyRulebook(str(folder / "apiary.toml"))
    return book.rules(RATE), "whole" in vars(book)


def test_the_same_as_anew(folder: Path) -> None:
    book = load_rulebook(folder / "apiary.toml")
    played = load_recording(folder / "meadow.jsonl", book)
    ledgers = []
    for whole in (True, False):
        found, read = rules(folder)
        assert read is whole
        ready = ReadyRulebook(str(folder / "apiary.toml"))
        assert (ready.kinds, ready.fixtures) == (book.kinds, book.fixtures)
        ledgers.append("".join(ledger_lines(replay(found, played))))
    assert ledgers[0] == ledgers[1] == "".join(ledger_lines(replay(book.rules(RATE), played)))
    with noted() as files:
        rules(folder)
    assert {file.name for file in files} == {"apiary.toml", "hive.toml", "moth.png"}


def edited(name: str, old: str, new: str) -> Callable[[Path], None]:
    def edit(folder: Path) -> None:
        text = (folder / name).read_text()
        assert old in text
        (folder / name).write_text(text.replace(old, new))
        long_ago(folder / name)

    return edit


def relinked(folder: Path) -> None:
    """What the rulebook includes is another file, and the one before stays as it is."""
    (folder / "hive.toml").unlink()
    (folder / "new.toml").write_text((folder / "old.toml").read_text().replace('"45f"', '"50f"'))
    (folder / "hive.toml").symlink_to("new.toml")


def repainted(folder: Path) -> None:
    from PIL import Image

    with Image.open(folder / "moth.png") as image:
        image.transpose(Image.Transpose.FLIP_TOP_BOTTOM).save(folder / "moth.png")


def test_rules_are_made_once(folder: Path) -> None:
    """Also those that no run before has kept."""
    for _ in range(2):
        book = ReadyRulebook(str(folder / "apiary.toml"))
        assert book.rules(RATE) is book.rules(RATE)


@pytest.mark.parametrize(
    "change",
    [edited("apiary.toml", '"60f"', '"61f"'), edited("hive.toml", '"45f"', '"46f"'), relinked, repainted],
    ids=["rulebook", "included", "link", "image"],
)
def test_whatever_changes_it(folder: Path, change: Callable[[Path], None]) -> None:
    before, _ = rules(folder)
    assert rules(folder)[1] is False
    change(folder)
    after, read = rules(folder)
    assert read
    assert after.digest != before.digest


class Fuse:
    """What would make a file as it is read."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def __reduce__(self) -> tuple[Callable[[Path], None], tuple[Path]]:
        return Path.touch, (self.path,)


def test_what_is_broken_or_of_another_rate(folder: Path) -> None:
    rules(folder)
    (place,) = kept()
    for broken in (b"", b"\x80", pickle.dumps({"files": {}}), pickle.dumps(None), pickle.dumps(Fuse(folder / "hi"))):
        place.write_bytes(broken)
        assert rules(folder)[1]
    assert rules(folder)[1] is False
    assert ReadyRulebook(str(folder / "apiary.toml")).rules(Fraction(30)).rate == 30
    assert not (folder / "hi").exists()


def test_the_next_run_imports_nothing_that_validates(folder: Path) -> None:
    words = ["replay", str(folder / "apiary.toml"), str(folder / "meadow.jsonl"), "--ledger", str(folder / "l.jsonl")]
    code = f"from voskar.commands.main import run; run({words})"
    validating = {"pydantic", "tomllib", "PIL"}
    assert brought_by(code) >= validating
    assert brought_by(code) & validating == set()


def test_a_rulebook_that_is_replaced_while_it_is_read(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """By a file with an old time stamp, as a move keeps it: what is kept is never taken for the new one's."""
    from voskar.files import rulebook

    path, read = folder / "apiary.toml", rulebook.load_rulebook
    text = path.read_text()

    def read_and_replaced(name: str) -> rulebook.Rulebook:
        book = read(name)
        (folder / "new.toml").write_text(text.replace('"60f"', '"61f"'))
        long_ago(folder / "new.toml")
        (folder / "new.toml").replace(path)
        return book

    with monkeypatch.context() as patch:
        patch.setattr(rulebook, "load_rulebook", read_and_replaced)
        assert rules(folder)[0].digest == _digest_of(folder, text, read)
    assert rules(folder)[0].digest == read(path).digest != _digest_of(folder, text, read)


def _digest_of(folder: Path, text: str, read: Callable[[Path], Any]) -> str:
    (folder / "was.toml").write_text(text)
    digest: str = read(folder / "was.toml").digest
    return digest
