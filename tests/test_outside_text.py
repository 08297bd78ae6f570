"""Text from outside, in names, values and files, reaches terminals and reports as data."""

from __future__ import annotations

import json
import os
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.commands.test_cli import voskar
from tests.files.test_keeping import HEADER, log
from tests.worlds import sting, toml
from voskar.commands import present
from voskar.errors import CONTROL, Problem, path_text, printable

OBEYED = re.compile(r"[\x00-\x09\x0b-\x1f\x7f-\x9f\u2028-\u202e\u2066-\u2069]")
"""What a terminal would obey; styles are taken out first."""
STYLES = re.compile(r"\x1b\[[0-9;]*m")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "r.toml").write_text(toml({"voskar": 2, **sting()}))
    (tmp_path / "r.jsonl").write_text(log(2))
    return tmp_path


@given(st.text())
def test_printable_text_is_one_line_without_control_characters(text: str) -> None:
    shown = printable(text)
    assert not CONTROL.search(shown)
    assert printable(shown) == shown
    assert CONTROL.search(text) or "##" in text or shown == text
    assert not path_text(text).startswith(("::", "##"))


@pytest.mark.parametrize("odd", ["\x1b[31m", "\x07", "\x9b31m", "\u202e", "\u2066", "\u2028", "\x85", "\r", "\udcff"])
def test_an_error_says_what_it_found_as_an_escape(odd: str) -> None:
    problem = Problem(f"found {odd}", file=f"a{odd}.toml", key=f"kinds.{odd}", hint=f'did you mean "{odd}"?')
    assert not CONTROL.search(str(problem))
    assert str(problem).count("\\") >= 4


BAD = [
    # a file, its text, the command
    ("x.toml", 'voskar = 2\n"k\\u001b[31m" = 1\n', ("audit", "x.toml")),
    ("x.toml", 'voskar = 2\nlayers.names = ["a\\u202eb"]\n', ("audit", "x.toml")),
    ("x.toml", 'voskar = 2\ninclude = ["\\u001b]0;x\\u0007.toml"]\n', ("audit", "x.toml")),
    ("x.toml", 'voskar = "\x1b[31m"\n', ("audit", "x.toml")),
    ("x.jsonl", '{"voskar":"recording","version":2,"rate":60,"k\\u001b[1m":1}\n', ("replay", "r.toml", "x.jsonl")),
    ("x.jsonl", json.dumps(HEADER) + '\n{"frame":0,"p\\u001b[1m":[]}\n', ("replay", "r.toml", "x.jsonl")),
    ("x.jsonl", json.dumps(HEADER) + '\n{"frame":0,"poses":[{"id":"a\\u2066","kind":"k","x":0,"y":0}]}\n',
     ("replay", "r.toml", "x.jsonl")),
    ("t/poses.csv", "frame,id,kind,x,y,z\x1b[1m\n0,a,keeper,0,0,1\n", ("replay", "r.toml", "t")),
    ("x.csv", "frame,event,until,id\n0,over\x1b[1m,,\n", ("compare", "x.csv", "x.csv")),
    ("voskar.toml", 'voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["\\u001b[1m*"]\n', ("suite",)),
    ("e.toml", 'voskar = 2\n[[expect]]\nevent = "\\u001b[1m"\n', ("check", "r.toml", "r.jsonl", "--expect", "e.toml")),
    ("e.toml", 'voskar = 2\n[[expect]]\nevent = "landed"\nsay = "\\u001b[1m\\u2028::error::x"\ncount = 9\n',
     ("check", "r.toml", "r.jsonl", "--expect", "e.toml")),
    ("s.stage.toml", 'stage = 2\nframes = 3\n"k\\u001b[1m" = 1\n', ("replay", "r.toml", "s.stage.toml")),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "command"), BAD, ids=range(len(BAD)))
def test_values_and_names_in_files(folder: Path, here: Any, name: str, text: str, command: tuple[str, ...]) -> None:
    (folder / name).parent.mkdir(exist_ok=True)
    (folder / name).write_text(text, encoding="utf-8", newline="")
    if name.startswith("t/"):
        (folder / "t/recording.json").write_text(json.dumps(HEADER))
    done = here(*command, cwd=folder)
    shown = STYLES.sub("", done.stdout + done.stderr)
    assert done.returncode in (1, 2), shown
    assert not OBEYED.search(shown)
    assert re.search(r"\\x1b|\\u001b|\\u20", shown)


def test_a_table_shows_what_a_file_holds_as_data(capsys: pytest.CaptureFixture[str]) -> None:
    table = present.table("title \x1b[5m", [("id", "")])
    table.add_row("hornet\x1b[2J")
    present.console().print(table)
    present.console().print("a\x1b[2J\nb\u202e")
    present.say("", "c\nd")
    text = capsys.readouterr().out
    assert "\x1b" not in text
    assert "\u202e" not in text
    assert "hornet\\x1b[2J" in text
    assert text.endswith("\nc\\nd\n")


ODD_NAMES = (
    "caf\udce9.jsonl", "esc\x1b[31m.jsonl", "a\n::error file=x::hi.jsonl", "::error::x.jsonl", "##vso[x]y.jsonl",
)  # fmt: skip


@pytest.mark.skipif(os.name != "posix", reason="such names need a file system that has them")
def test_file_names_in_a_suite(folder: Path) -> None:
    """Each is judged, and no line of output or of a report begins with what a build server obeys."""
    (folder / "r.jsonl").rename(folder / "ok.jsonl")
    for name in ODD_NAMES:
        (folder / name).write_text(log(2))
    (folder / "voskar.toml").write_text('voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["*.jsonl"]\n')
    reports = [word for ending in ("xml", "json", "txt", "html") for word in ("--report", f"r.{ending}")]
    for pair in ((), ("--pages", "pages")):
        done = voskar("suite", "--all", *reports, *pair, cwd=folder)
        assert (done.returncode, done.stderr) == (1, "")
        assert "0 of 6 recordings agree" in done.stdout
        texts = [done.stdout, *((folder / f"r.{ending}").read_text() for ending in ("xml", "txt"))]
        for line in "\n".join(texts).split("\n"):
            assert not line.lstrip().startswith(("::", "##"))
            assert not OBEYED.search(line)
            assert "##vso[" not in line
    assert len(list((folder / "pages").iterdir())) == 7
    assert len(json.loads((folder / "r.json").read_text())["recordings"]) == 6


COMMANDS = [
    ("check", "r.toml", "{}"),
    ("replay", "r.toml", "{}", "--ledger", "{}.csv"),
    ("page", "r.toml", "{}"),
    ("draft", "{}", "-o", "d.toml", "--overwrite"),
    ("convert", "{}", "{}.jsonl"),
    ("shrink", "r.toml", "{}", "-o", "s.stage.toml", "--overwrite"),
    ("stats", "r.toml", "{}"),
    ("draw", "r.toml", "{}", "--frame", "1", "--out", "{}.png"),
]


@pytest.mark.parametrize("command", COMMANDS, ids=[command[0] for command in COMMANDS])
def test_file_names_that_are_not_utf_8(folder: Path, here: Any, command: tuple[str, ...]) -> None:
    name = "caf\udce9\n[x]\n.jsonl"
    (folder / name).write_text(log(2))
    done = here(*(word.replace("{}", name) for word in command), cwd=folder)
    assert done.returncode in (0, 1), done.stderr
    for made in ("d.toml", "s.stage.toml"):
        if (folder / made).exists():
            assert "\n[x]" not in (folder / made).read_text()


CLOSED = [">&-", ">&- 2>&-", "<&- >&-", ">&- <&- 2>&-"]


@pytest.mark.skipif(os.name != "posix", reason="a shell closes the streams")
@pytest.mark.parametrize("closed", CLOSED)
def test_closed_streams(folder: Path, closed: str) -> None:
    """The exit code is still the verdict, and what is written is whole."""
    import subprocess

    from tests.commands.test_cli import VOSKAR

    for command, code in (("check r.toml r.jsonl", 1), ("replay r.toml r.jsonl --ledger l.jsonl", 0)):
        line = f"{VOSKAR} {command} {closed}"
        done = subprocess.run(["sh", "-c", line], cwd=folder, capture_output=True, text=True, check=False)
        assert (done.returncode, done.stderr) == (code, "")
    assert [json.loads(line)["frame"] for line in (folder / "l.jsonl").read_text().splitlines()[1:]] == [1, 1]
    line = f"{VOSKAR} check r.toml - <&-"
    done = subprocess.run(["sh", "-c", line], cwd=folder, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (2, "error: standard input is closed\n")


FORMULAS = ["=1+1", "+x", "-5", "@a", "\t=1", "'=1", "''", "'", "plain", "a=b"]


@given(st.lists(st.sampled_from(FORMULAS) | st.text(), max_size=4))
def test_cells_of_a_spreadsheet_are_read_back_as_they_were(names: list[str]) -> None:
    from voskar.files.ledger import FORMULA, quoted, unquoted

    for name in names:
        assert unquoted(quoted(name)) == name
        assert not quoted(name).startswith(FORMULA)


def test_a_ledger_for_a_spreadsheet(folder: Path, here: Any) -> None:
    text = log(1).replace("hornet", "=hornet")
    (folder / "r.jsonl").write_text(text.replace('"kind": "=hornet"', '"kind": "hornet"'))
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.csv", cwd=folder).returncode == 0
    assert ",'=hornet," in (folder / "l.csv").read_text()
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.jsonl", cwd=folder).returncode == 0
    assert "nothing differs" in here("compare", "l.csv", "l.jsonl", cwd=folder).stdout
