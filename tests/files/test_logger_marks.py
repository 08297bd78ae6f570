"""What loggers do that games do not: frames logged again, frames lost, values repaired."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.worlds import rulebook, sting
from voskar.core.recording import Recording
from voskar.errors import InputError
from voskar.evidence.check import check
from voskar.files.recording import load_recording, replaced_lines

HEAD = {"voskar": "recording", "version": 2, "rate": 60}
BOOK = rulebook(sting(attack={"rehit": "3f"}))


def written(path: Path, frames: list[dict[str, Any]]) -> Path:
    path.write_text("".join(json.dumps(line) + "\n" for line in (HEAD, *frames)))
    return path


def frame(number: int, x: float = 50.0, **more: Any) -> dict[str, Any]:
    poses = [
        {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
        {"id": "hornet", "kind": "hornet", "x": x, "y": 0},
    ]
    return {"frame": number, "poses": poses, **more}


def read(path: Path) -> Recording:
    return load_recording(path, BOOK)


@given(st.lists(st.tuples(st.integers(1, 8), st.integers(0, 12)), max_size=5))
def test_frames_logged_again_replace_those_before(tmp_path_factory: Any, steps: list[tuple[int, int]]) -> None:
    """The digest is that of a log in which the game never went back."""
    lines, last = [], -1
    for count, back in steps:
        last = max(last - back, -1)
        for _ in range(count):
            last += 1
            # an actor of its own in each line: those of lines that were replaced are nowhere
            shot = {"id": f"h-{len(lines)}", "kind": "hornet", "x": len(lines), "y": 9}
            lines.append(frame(last, inputs=[{"id": "keeper", "button": "fire"}] * (len(lines) % 2)))
            lines[-1]["poses"].append(shot)
    left: dict[int, dict[str, Any]] = {}
    for line in lines:
        left = {number: fields for number, fields in left.items() if number < line["frame"]} | {line["frame"]: line}
    if not left:
        return
    folder = tmp_path_factory.mktemp("again")
    whole, plain = written(folder / "again.jsonl", lines), written(folder / "plain.jsonl", list(left.values()))
    assert read(whole).digest == read(plain).digest
    assert len(replaced_lines(whole)) == len(lines) - len(left)


def test_tables_are_written_without_frames_that_were_replaced(tmp_path: Path, here: Any) -> None:
    path = written(tmp_path / "r.jsonl", [frame(0), frame(1), frame(2), frame(1, 7), frame(2)])
    for out in ("t", "again.jsonl"):
        assert here("convert", path, out, cwd=tmp_path).returncode == 0
        assert read(tmp_path / out).digest == read(path).digest
    done = here("check", "-", "-", cwd=tmp_path)
    assert done.returncode == 2


@pytest.mark.parametrize(("number", "lost"), [(3, ()), (5, ((3, 4),))])
def test_a_run_begins_behind_lost_frames(tmp_path: Path, here: Any, number: int, lost: Any) -> None:
    frames = [frame(n) for n in range(3)] + [frame(number, 2.0, dropped=2)] + [frame(number + 1)]
    path = written(tmp_path / "r.jsonl", frames)
    played = read(path)
    assert (played.first, played.last, played.lost) == (0, number + 1, lost)
    assert played.resets == {number: "run"} | {first: "run" for first, _ in lost}
    assert any("the logger lost 2 frames" in note for note in played.warnings)
    verdict, ledger = check(BOOK.rules(played.rate), played)
    assert [event.frame for event in ledger.hits()] == [number]
    assert [(finding.code, finding.frame) for finding in verdict.findings] == []
    assert here("convert", path, "t", "--tables", "csv", cwd=tmp_path).returncode == 0
    assert read(tmp_path / "t").digest == played.digest


def test_lost_frames_are_counted(tmp_path: Path) -> None:
    path = written(tmp_path / "r.jsonl", [frame(0), frame(4, dropped=2)])
    with pytest.raises(InputError, match="frame 4 follows 0, expected 1"):
        read(path)
    with pytest.raises(InputError, match="expected at most"):
        read(written(path, [frame(0), frame(1 << 39, dropped=1 << 39)]))


@pytest.mark.parametrize("form", ["jsonl", "parquet", "csv"])
def test_repairs_are_reported(tmp_path: Path, here: Any, form: str) -> None:
    path = written(tmp_path / "r.jsonl", [frame(0), frame(1, problems=["keeper: x was NaN", "h: y was NaN"])])
    if form != "jsonl":
        assert here("convert", path, "t", "--tables", form, cwd=tmp_path).returncode == 0
        path = tmp_path / "t"
    notes = [note for note in read(path).warnings if "frame 1: the logger repaired: " in note]
    assert [note.rpartition(": ")[2] for note in notes] == ["x was NaN", "y was NaN"]
