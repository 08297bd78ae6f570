"""Rulebooks in several files and with images; recordings as tables."""

from __future__ import annotations

import json
import pickle
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from tests.worlds import rulebook, sting
from voskar.core.rules import DEFAULT_RATE
from voskar.errors import InputError, Problem
from voskar.files.recording import load_recording
from voskar.files.rulebook import Rulebook, load_rulebook

MAIN = """voskar = 2
include = ["parts/common.toml"]
[kinds.moth]
health = 2
[kinds.moth.boxes.wings]
role = "hurtbox"
pixels = "moth.png"
"""
COMMON = "[layers]\nnames = ['hive']\n[kinds.moth]\nhealth = 1\nside = 'hive'\n"


def write(folder: Path, **files: str) -> Path:
    (folder / "parts").mkdir(exist_ok=True)
    for name, text in {"main": MAIN, "parts__common": COMMON, **files}.items():
        (folder / (name.replace("__", "/") + ".toml")).write_text(text)
    alpha = np.zeros((2, 3, 4), dtype=np.uint8)
    alpha[0, :, 3], alpha[1, 0, 3] = 255, 127
    Image.fromarray(alpha, "RGBA").save(folder / "moth.png")
    return folder / "main.toml"


def test_include_and_image(tmp_path: Path) -> None:
    book = load_rulebook(write(tmp_path))
    kind = book.rules(DEFAULT_RATE).kinds["moth"]
    assert (kind.side, kind.health) == ("hive", 2)
    assert [part.tolist() for part in kind.boxes[0].outline.parts] == [[[0, 0], [3, 0], [3, 1], [0, 1]]]
    fainter = load_rulebook(write(tmp_path, main=MAIN + "alpha = 100\n"))
    assert len(fainter.outlines["moth", "wings"].parts) == 2
    assert fainter.digest != book.digest


@pytest.mark.parametrize(
    ("files", "message"),
    [
        ({"parts__common": "include = ['../main.toml']"}, "common.toml:1: include[0]: ../main.toml includes itself"),
        ({"main": MAIN.replace("parts/common", "parts/no")}, "main.toml:2: include[0]: there is no file parts/no.toml"),
        ({"main": MAIN.replace("parts/common", "../x")}, "x.toml lies outside the folder of the file that names it"),
        ({"parts__common": "[kinds.moth]\nhelth = 1"}, 'common.toml:2: kinds.moth.helth: unknown key "helth"'),
        ({"parts__common": "x = ["}, "common.toml:1: not valid TOML"),
        ({"main": MAIN.replace("moth.png", "../moth.png")}, "main.toml:7: kinds.moth.boxes.wings.pixels: cannot use"),
        ({"main": MAIN.replace("moth.png", "mth.png")}, "there is no file mth.png"),
        ({"main": MAIN.replace("moth.png", "main.toml")}, "main.toml is not a PNG image"),
        ({"main": MAIN + "alpha = 0"}, "alpha: found 0, expected a number no less than 1"),
        (
            {"main": MAIN.replace('pixels = "moth.png"', "polygon = [[0,0],[2,2],[2,0],[0,2]]")},
            "its sides 1 and 3 meet",
        ),
    ],
)
def test_bad_sources(tmp_path: Path, files: dict[str, str], message: str) -> None:
    with pytest.raises(InputError) as error:
        load_rulebook(write(tmp_path, **files))
    assert message in str(error.value)


def test_too_large_an_image(tmp_path: Path) -> None:
    path = write(tmp_path)
    Image.new("L", (5000, 1)).save(tmp_path / "moth.png")
    with pytest.raises(InputError, match="has 5000 x 1 cells, at most 4096 on a side"):
        load_rulebook(path)


def tables(folder: Path, header: dict[str, Any] | None = None, **texts: str) -> Path:
    head = {"voskar": "recording", "version": 2, "rate": 60, **(header or {})}
    (folder / "recording.json").write_text(json.dumps(head))
    for name, text in texts.items():
        (folder / f"{name}.csv").write_text(text)
    return folder


POSES = "frame,id,kind,x,y,facing,cut\n3,k,keeper,1,2,-1,\n3,h,hornet,4,5,,true\n4,k,keeper,1.5,2,,\n"


@pytest.fixture
def book() -> Rulebook:
    return rulebook(sting())


def test_tables(tmp_path: Path, book: Rulebook) -> None:
    claims = "frame,event,attacker,target,damage\n4,hit,h,k,2\n"
    played = load_recording(tables(tmp_path, poses=POSES, claims=claims, marks="frame,reset\n4,room\n"), book)
    assert (played.first, played.last, played.poses.x.tolist()) == (3, 4, [1, 4, 1.5])
    assert (played.poses.facing.tolist(), played.poses.cut.tolist()) == ([-1, 1, 1], [False, True, True])  # a mark cuts
    assert [(claim.frame, claim.damage) for claim in played.claims] == [(4, 2)]
    assert played.resets == {4: "room"}


def test_frames_without_rows(tmp_path: Path, book: Rulebook) -> None:
    folder = tables(tmp_path, {"frames": [2, 6]}, poses=POSES.replace("\n4", "\n5"))
    assert load_recording(folder, book).starts.tolist() == [0, 0, 2, 2, 3, 3]
    with pytest.raises(InputError, match=r"poses: row 3: frame: frame 5 follows 3, expected 4"):
        load_recording(tables(tmp_path), book)


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("1.5", "wide", 'poses.csv: row 3: frame 4: x: found "wide": expected'),
        ("1.5", "nan", "row 3: frame 4: poses[0].x: found nan, expected a number within"),
        ("1.5", "", 'row 3: frame 4: x: no value in the column "x"'),
        ("4,k", "2,k", "row 3: frame: frame 2 comes after 3"),
        ("4,k", "x,k", 'row 3: frame: found "x", expected a frame number'),
        ("4,k", "4,k/1", "/ + # are kept"),
        ("hornet", "hornt", 'unknown kind "hornt" (did you mean "hornet"?)'),
        ("facing", "facin", 'unknown column "facin" (did you mean "facing"?)'),
        ("3,h,hornet", "3,k,keeper", '"k" has two poses in this frame'),
        ("4,5,,true", "4,5,,maybe", 'cut: found "maybe"'),
    ],
)
def test_bad_tables(tmp_path: Path, book: Rulebook, old: str, new: str, message: str) -> None:
    with pytest.raises(InputError) as error:
        load_recording(tables(tmp_path, poses=POSES.replace(old, new)), book)
    assert message in str(error.value)


def test_errors_come_out_of_other_processes_whole() -> None:
    error = InputError([Problem("found 3", file="a.toml", line=2), Problem("found 4", key="x")])
    again = pickle.loads(pickle.dumps(error))
    assert (str(again), again.problems) == (str(error), error.problems)
