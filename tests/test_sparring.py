"""The sparring match: a right one is silent, and of each mistake the finding that states it comes first."""

from __future__ import annotations

import shutil
from fractions import Fraction
from pathlib import Path

import pytest

from tests.conftest import Here
from voskar.demo import sparring
from voskar.evidence.check import Verdict, check
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook

RULES = Path(sparring.__file__).parent / "ring" / "sparring.toml"


def verdict(folder: Path, seed: int, frames: int, *bugs: str) -> tuple[Verdict, set[str]]:
    """What is found, and the names of all cases and events that there were."""
    book = load_rulebook(RULES)
    (folder / "match.jsonl").write_text(sparring.text(seed, frames, frozenset(bugs)))
    played = load_recording(folder / "match.jsonl", book)
    found, ledger = check(book.rules(played.rate), played, explains=False)
    return found, {event.case or "" for event in ledger.hits()} | {event.event for event in ledger.events}


@pytest.mark.parametrize("seed", [1, 2])
def test_a_right_match_is_silent(seed: int, tmp_path: Path) -> None:
    found, met = verdict(tmp_path, seed, 4000)
    assert found.findings == ()
    assert {"blocked", "parried", "armored", "escaped", "reflected"} <= met
    assert {"clash", "hitstop", "stun", "counter", "reflect", "down", "respawn", "knockback"} <= met


@pytest.mark.parametrize("name", sparring.BUGS)
def test_a_mistake_is_named_first(name: str, tmp_path: Path) -> None:
    bug = sparring.BUGS[name]
    assert verdict(tmp_path, bug.seed, bug.frames)[0].findings == ()
    found, _ = verdict(tmp_path, bug.seed, bug.frames, name)
    assert found.roots[0][0].code == bug.code


@pytest.mark.parametrize("form", ["csv", "parquet"])
def test_its_boxes_are_written_as_they_are_read(form: str, here: Here, tmp_path: Path) -> None:
    done = here("moves", RULES, "--out", f"boxes.{form}", cwd=tmp_path)
    assert (done.returncode, done.stdout) == (0, f"wrote 6 rows to boxes.{form}\n")
    shutil.copy(RULES, tmp_path / "rules.toml")
    text = (tmp_path / "rules.toml").read_text().replace("sparring.csv", f"boxes.{form}")
    (tmp_path / "rules.toml").write_text(text)
    kinds = [load_rulebook(path).rules(Fraction(60)).kinds for path in (RULES, tmp_path / "rules.toml")]
    assert repr(kinds[0]) == repr(kinds[1])
