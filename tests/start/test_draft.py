"""A draft explains most of what it was drafted from, passes the audit, and says what it could not tell."""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

import pytest

from tests.mutants import world
from voskar.core.views.perfect import perfect_log
from voskar.draft import guess, rulebook_text
from voskar.evidence.check import check
from voskar.files.drafting import load_unruled
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.files.windows import parse_windows


def log(folder: Path, seed: int) -> Path:
    """The log of a correct game of keeper, hornets and smoke."""
    book, played = world(random.Random(seed))
    header, frames = perfect_log(book.rules(played.rate), played)
    path = folder / f"play-{seed}.jsonl"
    path.write_text("\n".join(map(json.dumps, (header, *frames))))
    return path


def test_what_a_log_shows_is_drafted_as_it_is(tmp_path: Path) -> None:
    """Of many logs together: health, lives, damage, the return, what is used up, and nearly all hits."""
    paths = [str(log(tmp_path, seed)) for seed in range(6)]
    found = guess(load_unruled(paths))
    kinds = {one.name: one.keys for one in found.kinds}
    attacks = {one.name: {key: value.text for key, value in one.keys.items()} for one in found.attacks}
    assert {name: keys["health"].text for name, keys in kinds.items() if "health" in keys} == {
        "hornet": "6",
        "keeper": "3",
    }
    assert kinds["keeper"]["lives"].text == "3"
    assert kinds["keeper"]["respawn"].text == '{ after = "20f", at = [100, 0] }'
    assert kinds["keeper"]["iframes"].text == '"12f"'
    assert attacks["sting"]["damage"] == attacks["fumes"]["damage"] == "1"
    assert attacks["fumes"]["striker.remove"] == "true"
    (tmp_path / "rules.toml").write_text(rulebook_text(found, ["play"]))
    book = load_rulebook(tmp_path / "rules.toml")
    agreed = claims = 0
    for path in paths:
        played = load_recording(path, book)
        windows = parse_windows(["0,3"])
        verdict, _ = check(book.rules(played.rate), played, windows=windows, explains=False)
        agreed, claims = agreed + verdict.agreed, claims + verdict.claims
    assert agreed >= 0.9 * claims > 20


def test_the_command(apiary: Path, tmp_path: Path, here: Any) -> None:
    out = tmp_path / "m.toml"
    done = here("draft", "meadow.jsonl", "-o", out, cwd=apiary)
    assert done.returncode == 0, done.stderr
    assert "not known: hornet: its health: log `health` in its poses" in done.stdout
    assert here("audit", out, "meadow.jsonl", cwd=apiary).returncode == 0
    assert "rect = [16, 30]" in out.read_text()  # as the game logs its torso
    held = here("draft", "meadow.jsonl", "-o", out, cwd=apiary)
    assert (held.returncode, "--overwrite" in held.stderr) == (2, True)


@pytest.mark.parametrize("claims", [[], [{"event": "hit", "striker": "a", "target": "b"}]])
def test_a_recording_that_tells_little(tmp_path: Path, here: Any, claims: list[dict[str, Any]]) -> None:
    lines = [{"voskar": "recording", "version": 1, "rate": 60}]
    poses = [{"id": "a", "kind": 'odd "kind"', "x": 0, "y": 0}, {"id": "b", "kind": "b", "x": 500, "y": 0}]
    lines.append({"frame": 0, "poses": poses, **({"claims": claims} if claims else {})})
    (tmp_path / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    done = here("draft", "r.jsonl", "-o", "r.toml", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "not known" in done.stdout
    assert here("check", "r.toml", "r.jsonl", cwd=tmp_path).returncode in (0, 1)
