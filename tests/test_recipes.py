"""Every recipe of the documentation: a right scene is silent, and of the wrong one the finding that is named comes
first."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.conftest import Here

PAGE = (Path(__file__).parent.parent / "docs" / "recipes.md").read_text(encoding="utf-8")
BASE, *SECTIONS = re.split(r"^## ", PAGE, flags=re.M)
BLOCK = re.compile(r"```toml\n(.*?)```", re.S)


@pytest.mark.parametrize("section", SECTIONS, ids=lambda section: section.splitlines()[0])
def test_a_recipe(section: str, here: Here, tmp_path: Path) -> None:
    rules, scene = BLOCK.findall(section)
    (tmp_path / "hive.toml").write_text(BLOCK.findall(BASE)[0])
    (tmp_path / "rules.toml").write_text(rules)
    right, wrong = re.findall(r"`([^`]+)` becomes `([^`]+)`", section)[0]
    code = re.findall(r"The finding is `([^`]+)`", section)[0]
    assert scene.count(right) == 1
    for name, text in (("right", scene), ("wrong", scene.replace(right, wrong))):
        (tmp_path / f"{name}.stage.toml").write_text(text)
    found = here("check", "rules.toml", "right.stage.toml", cwd=tmp_path)
    assert found.returncode == 0, found.stdout + found.stderr
    found = here("check", "rules.toml", "wrong.stage.toml", "--no-explain", cwd=tmp_path)
    assert found.returncode == 1, found.stdout + found.stderr
    codes = re.findall(r"^ +\d+ +([a-z-]+) ", found.stdout, re.M)
    assert codes[:1] == [code], found.stdout
