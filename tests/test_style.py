"""Plain words: what users read has short sentences and no words that slow a reader, and every example runs."""

from __future__ import annotations

import doctest
import inspect
import re
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

import click
import pytest

import voskar
from voskar.commands.main import cli
from voskar.evidence.finding import CODES

ROOT = Path(__file__).parent.parent
PAGES = sorted([ROOT / "README.md", *(ROOT / "docs").glob("*.md")])
LONGEST = 35
"""Words of a sentence in the docs."""
OLD = (
    "told", "unlogged", "anew", "nobody", "somebody", "beside", "besides", "of which", "one that", "one which",
    "as it is", "be it", "tell", "tells", "whose", "whom",
    "thereof", "hence", "whereby", "upon", "amongst", "comes to naught", "is none",
)  # fmt: skip
"""Words and phrases that no text for users has: each has a plainer one."""
UNITS = re.compile(
    r"\b(frames?|seconds?|units?|percent|degrees|lines?|workers|port|processes|values|trials|columns|rows|findings|"
    r"pixels|MB|recordings|steps?|number|contacts|times?)\b",
    re.IGNORECASE,
)


def prose(text: str) -> Iterator[str]:
    """The paragraphs and list items of a page, without code, tables and headings."""
    text = re.sub(r"^(```|~~~).*?^\1", "\n", text, flags=re.DOTALL | re.MULTILINE)
    text = re.sub(r"^(    .*\n)+", "\n", text, flags=re.MULTILINE)
    for part in re.split(r"\n\s*\n|\n(?=\s*(?:[-*#|]|\d+\.)\s?)", text):
        if not part.lstrip().startswith(("|", "#", "<", "!")):
            yield re.sub(r"\s+", " ", re.sub(r"`[^`]*`", "code", part)).strip()


def sentences(text: str) -> Iterator[str]:
    """The sentences of a page."""
    for part in prose(text):
        yield from re.split(r"(?<=[.!?:;])\**\s+", part)


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_sentences_are_short(page: Path) -> None:
    long = [sentence for sentence in sentences(page.read_text(encoding="utf-8")) if len(sentence.split()) > LONGEST]
    assert long == []


def found(text: str) -> set[str]:
    """The words of the list that a text has."""
    text = re.sub(r"^(```|~~~).*?^\1|^    .*?$", "", text, flags=re.DOTALL | re.MULTILINE)
    plain = re.sub(r"\s+", " ", text)
    plain = re.sub(r"`[^`]*`", "", plain)
    return {name for name in OLD if re.search(rf"\b{name}\b", plain, re.IGNORECASE)}


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_pages_have_plain_words(page: Path) -> None:
    assert found(page.read_text(encoding="utf-8")) == set()


@pytest.mark.parametrize("name", cli.list_commands(click.Context(cli)))
def test_help_has_plain_words(name: str) -> None:
    command = cli.get_command(click.Context(cli), name)
    assert command is not None
    assert found(inspect.cleandoc(command.help or "")) == set()
    for option in command.params:
        if isinstance(option, click.Option) and option.help:
            assert found(option.help) == set(), option.name
            assert option.help[0].isupper() or not option.help[0].isalpha(), option.name
            if isinstance(option.type, click.IntRange | click.FloatRange) or option.type in (click.INT, click.FLOAT):
                text = f"{option.help} {option.metavar or ''}"
                assert UNITS.search(text), f"{option.name}: a number without its unit"


def test_codes_have_plain_words() -> None:
    assert {code: words for code, entry in CODES.items() if (words := found(str(entry)))} == {}


@pytest.mark.parametrize("name", voskar.__all__)
def test_examples_run(name: str, apiary: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(apiary)
    thing = getattr(voskar, name)
    tests = doctest.DocTestFinder(recurse=False).find(thing, name, module=import_module(thing.__module__))
    assert sum(len(test.examples) for test in tests) > 0 or name == "VoskarError"
    for entry in tests:
        assert doctest.DocTestRunner(verbose=False).run(entry).failed == 0
