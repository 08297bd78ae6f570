"""Small worlds, one folder each: rulebook, recording, and the ledger that must come out, written by hand."""

from __future__ import annotations

import gzip
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import voskar
from voskar.core.ledger import Ledger
from voskar.errors import RENAMED
from voskar.files.ledger import ledger_lines

CASES = sorted(path for path in (Path(__file__).parent / "cases").iterdir() if path.is_dir())


def rows(ledger: Ledger) -> list[dict[str, Any]]:
    return [json.loads(line) for line in ledger_lines(ledger)][1:]


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_case(case: Path, tmp_path: Path) -> None:
    rulebook = voskar.load_rulebook(case / "rulebook.toml")
    recording = voskar.load_recording(case / "recording.jsonl", rulebook)
    expected = [json.loads(line) for line in (case / "ledger.jsonl").read_text().splitlines()]
    found = voskar.replay(rulebook, recording)
    if rows(found) != expected:
        actual = tmp_path / "actual.jsonl"
        actual.write_text("".join(list(ledger_lines(found))[1:]))
        print(f"the actual ledger is in {actual}")
    assert rows(found) == expected
    shuffled = np.random.default_rng(0).permutation(len(recording.poses))
    order = shuffled[np.argsort(recording.poses.frame[shuffled], kind="stable")]
    mixed = replace(recording, poses=recording.poses.rows(order))
    assert rows(voskar.replay(rulebook, mixed)) == expected


OLD = Path(__file__).parent / "cases" / "version-1.jsonl.gz"
"""The ledgers of the demo as version 1 of the format had them: a line each, with rulebook, recording and events."""


def translated(row: dict[str, Any]) -> dict[str, Any]:
    """A row of version 1 with the names of version 2."""
    new = {RENAMED.get(name, name) if name == "striker" else name: value for name, value in row.items()}
    for column, names in (("event", ("rebound",)), ("outcome", ("spent",)), ("detail", ("spent",))):
        if new.get(column) in names:
            new[column] = RENAMED[new[column]]
    if new["event"] == "gives":
        counter = {"counter": new.pop("detail"), "before": new["total"] - new.pop("points"), "after": new.pop("total")}
        new |= {"event": "counter", **counter}
    return new


def without_cause(row: dict[str, Any]) -> dict[str, Any]:
    """A row as far as version 1 told it."""
    return {name: value for name, value in row.items() if (row["event"], name) != ("counter", "by")}


def test_ledgers_have_changed_in_their_names_only(apiary: Path) -> None:
    for line in gzip.decompress(OLD.read_bytes()).splitlines():
        old = json.loads(line)
        rulebook = voskar.load_rulebook(apiary / old["rulebook"])
        found = voskar.replay(rulebook, voskar.load_recording(apiary / old["recording"], rulebook))
        assert list(map(without_cause, rows(found))) == [translated(row) for row in old["events"]], old["recording"]
