"""The documentation is true: every command has a page and an example that runs, every link leads somewhere."""

from __future__ import annotations

import os
import re
import shlex
import shutil
from pathlib import Path

import pytest

from tests.commands.test_cli import voskar
from voskar.commands.main import COMMANDS, run
from voskar.errors import RENAMED

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


SLOW = {"demo": 0, "shrink": 1, "tune": 2, "check": 3, "suite": 0, "margins": 1, "live": 0}
"""Commands of whose examples so many are run: what the others do is tried elsewhere, and `live` never ends."""


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help_with_examples_that_run(
    command: str,
    apiary: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    folder = Path(shutil.copytree(apiary, tmp_path / "apiary"))
    text = voskar(command, "--help", cwd=apiary).stdout
    assert f"## voskar {command}" in (ROOT / "docs" / "commands.md").read_text()
    monkeypatch.chdir(folder)  # within this process: a process for each would take a second more
    monkeypatch.setattr(os, "cpu_count", lambda: 1)  # and one that is forked besides its threads may never continue
    examples = [line.strip() for line in text.split("Example:")[1].splitlines() if line.strip().startswith("voskar ")]
    assert examples
    for example in examples[: SLOW.get(command)]:
        arguments = shlex.split(example.replace(" | head", ""))[1:]
        assert run(arguments) in (0, 1), (example, capsys.readouterr().err)


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
        assert (page.parent / target).exists(), target


def test_each_promise_names_its_tests() -> None:
    """And there are such tests."""
    text = (ROOT / "docs/reliability.md").read_text()
    defined = {
        name
        for path in (ROOT / "tests").rglob("*.py")
        for name in re.findall(r"^def (test_\w+)", path.read_text(), re.M)
    }
    promises = [line for line in text.split("\n") if line.startswith("| **")]
    assert len(promises) > 10
    for line in promises:
        named = re.findall(r"`(test_\w+)`", line)
        assert named or "`make " in line, line
        assert set(named) <= defined


def test_every_picture_is_shown() -> None:
    shown = "".join(page.read_text() for page in PAGES)
    for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
        assert picture.name in shown


def test_questions_to_ledgers(
    apiary: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Monday's build against tuesday's, in which the keeper's i-frames are shorter."""
    monkeypatch.chdir(tmp_path)
    short = tmp_path / "meadow.jsonl"
    short.write_text("".join(f"{line}\n" for line in (apiary / "meadow.jsonl").read_text().splitlines()[:260]))
    for build, book in (("monday", apiary / "apiary.toml"), ("tuesday", apiary / "gentle.toml")):
        (tmp_path / "ledgers" / build).mkdir(parents=True)
        ledger = tmp_path / "ledgers" / build / "meadow.parquet"
        assert run(["replay", str(book), str(short), "--ledger", str(ledger)]) == 0
    capsys.readouterr()
    for code in re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "ledger.md").read_text(), re.S):
        exec(code, {})
    item = capsys.readouterr().out
    assert re.search(r"meadow +│ keeper +│ +\d+ │ +\d+ │", item)
    assert "sting" in item


def test_python_of_the_readme_runs(
    apiary: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    code = re.findall(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.S)[0]
    monkeypatch.chdir(apiary.parent)
    exec(code, {})
    assert "hornet-1" in capsys.readouterr().out


OTHERS = {
    "damage",
    "attack",
    "clip",
    "seen",
    "jump",
    "immune",
    "stunned",
    "box",
    "moved",
    "denied",
    "acts",
    "walks",
    "effect",
    "sort",
    "spent",
} | {"requires", "lacks", "falling", "slack", "from_by", "unordered"}
"""Old names that are words, or names of something else."""


def test_no_old_name_is_left() -> None:
    old = re.compile("|".join(rf"\b{name}s?\b" for name in RENAMED.keys() - OTHERS) + r"|\btwin\b|\bblows?\b")
    known = (ROOT / "src" / "voskar" / "errors.py", ROOT / "tests" / "test_cases.py", Path(__file__))
    files = [path for folder in ("src/voskar", "tests", "docs", "bench") for path in (ROOT / folder).rglob("*.*")]
    files += [ROOT / name for name in ("README.md", "CHANGELOG.md", "CONTRIBUTING.md", "Makefile")]
    texts = {
        path: path.read_text(encoding="utf-8") for path in files if path.suffix not in BINARY and path not in known
    }
    assert [(path.name, match[0]) for path, text in texts.items() for match in old.finditer(text)] == []


BINARY = (".png", ".gz", ".so", ".pyc", ".c")
