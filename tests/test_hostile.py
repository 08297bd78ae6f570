"""Input that means no good, or was cut, or comes from elsewhere: one clear error each, and names stay names."""

from __future__ import annotations

import gzip
import json
import os
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from tests import faults, fuzz
from tests.commands.test_cli import VOSKAR, voskar
from tests.worlds import toml

HEADER = '{"voskar":"recording","version":2,"rate":60}'
RULES = {
    "voskar": 2,
    "layers": {"names": ["a"]},
    "kinds": {
        "keeper": {"health": 3, "boxes": {"torso": {"role": "hurtbox", "rect": [9, 9], "layer": ["a"]}}},
        "hornet": {"boxes": {"sting": {"role": "hitbox", "attack": "[/x]", "circle": 3, "mask": ["a"]}}},
    },
    "attacks": {"[/x]": {"damage": 1}},
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "r.toml").write_text(toml(RULES))
    poses = [{"id": "crate[red]", "kind": "keeper", "x": 0, "y": 0}, {"id": ":bee:", "kind": "hornet", "x": 0, "y": 0}]
    lines = [HEADER, *(json.dumps({"frame": frame, "poses": poses}) for frame in range(3))]
    (tmp_path / "r.jsonl").write_text("\n".join(lines))
    return tmp_path


def test_names_are_data(folder: Path, here: Any) -> None:
    process = here("replay", "r.toml", "r.jsonl", cwd=folder)
    assert process.returncode == 0
    for name in ("crate[red]", ":bee:", "[/x]"):
        assert name in process.stdout
    assert "crate[red]" in here("why", "r.toml", "r.jsonl", "--frame", 1, cwd=folder).stdout


RECORDINGS = [
    ('{"voskar":"recording","version":2,"rate":60,"title":"\\ud800"}', "", "control characters"),
    ('{"voskar":"recording","version":2,"rate":' + "9" * 400 + "}", "", "rate"),
    (HEADER, '{"frame":0,"poses":[{"id":"\\ud800","kind":"keeper","x":0,"y":0}]}', "control characters"),
    (HEADER, '{"frame":0,"poses":' + "[" * 3000 + "]" * 3000 + "}\n", "r.jsonl"),
    (HEADER, '{"frame":' + "9" * 5000 + ',"poses":[]}\n', "r.jsonl"),
]


@pytest.mark.parametrize(("header", "line", "told"), RECORDINGS, ids=range(len(RECORDINGS)))
def test_recordings_that_are_refused(folder: Path, here: Any, header: str, line: str, told: str) -> None:
    (folder / "r.jsonl").write_text(f"{header}\n{line}")
    done = here("replay", "r.toml", "r.jsonl", cwd=folder)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr
    assert "Traceback" not in done.stderr
    assert max(map(len, done.stderr.splitlines())) < 400


@pytest.mark.parametrize(
    ("more", "told"),
    [("x = " + "[" * 3000, "nested too deeply"), ("x = " + "1" * 6000, "too many digits"), ("k" * 300 + " = 1", "…")],
)
def test_rulebooks_that_are_refused(folder: Path, here: Any, more: str, told: str) -> None:
    with (folder / "r.toml").open("a") as file:
        file.write(f"\n{more}\n")
    done = here("audit", "r.toml", cwd=folder)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr


LEDGERS = [
    "3", "null", "[]", '{"frame":"x","event":"over"}', '{"frame":1.5,"event":"over"}', '{"frame":1,"event":5}',
    '{"frame":1,"event":"contact"}', "[" * 3000, '{"frame":true,"event":"over"}',
]  # fmt: skip


@pytest.mark.parametrize("line", LEDGERS)
def test_ledgers_that_are_refused(folder: Path, here: Any, line: str) -> None:
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.jsonl", cwd=folder).returncode == 0
    header = (folder / "l.jsonl").read_text().splitlines()[0]
    for text in (f"{header}\n{line}\n", header.replace('"version": 2', '"version": "x"')):
        (folder / "bad.jsonl").write_text(text)
        done = here("compare", "bad.jsonl", "l.jsonl", cwd=folder)
        assert (done.returncode, "bad.jsonl" in done.stderr) == (2, True), done.stderr
    (folder / "bad.parquet").write_bytes(os.urandom(999))
    assert here("compare", "bad.parquet", "l.jsonl", cwd=folder).returncode == 2


def test_a_number_that_no_float_holds(folder: Path, here: Any) -> None:
    (folder / "e.toml").write_text(f'voskar = 2\n[[expect]]\nevent = "landed"\ncount = 1{"0" * 400}\n')
    done = here("check", "r.toml", "r.jsonl", "--expect", "e.toml", cwd=folder)
    assert (done.returncode, "expected a number, or a range" in done.stderr) == (2, True), done.stderr


def test_a_line_without_end_is_refused(folder: Path, here: Any) -> None:
    with gzip.open(folder / "b.jsonl.gz", "wb") as file:
        file.write(HEADER.encode() + b"\n")
        for _ in range(65):
            file.write(b"0" * (1 << 20))
    done = here("replay", "r.toml", "b.jsonl.gz", cwd=folder)
    assert (done.returncode, "longer than 64 MiB" in done.stderr) == (2, True)


@pytest.mark.parametrize("encoding", ["cp1252", "cp437", "ascii"])
def test_any_terminal(apiary: Path, encoding: str) -> None:
    done = voskar("hud", "apiary.toml", "meadow.jsonl", cwd=apiary, PYTHONIOENCODING=encoding)
    assert (done.returncode, "Traceback" in done.stderr) == (0, False)
    assert "0:03.55" in done.stdout


def test_output_is_never_input(folder: Path, here: Any) -> None:
    before = (folder / "r.jsonl").read_bytes()
    done = here("replay", "r.toml", "r.jsonl", "--ledger", "r.jsonl", cwd=folder)
    assert (done.returncode, "read by the same command" in done.stderr) == (2, True)
    assert (folder / "r.jsonl").read_bytes() == before
    (folder / "link.jsonl").symlink_to("target.jsonl")
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "link.jsonl", cwd=folder).returncode == 0
    assert (folder / "link.jsonl").is_symlink()
    assert (folder / "target.jsonl").exists()


def test_a_full_disk_on_standard_output(folder: Path) -> None:
    with Path("/dev/full").open("w") as full:
        command = [VOSKAR, "replay", "r.toml", "r.jsonl"]
        done = subprocess.run(command, cwd=folder, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (done.returncode, "Traceback" in done.stderr) == (2, False)


def test_mutated_input(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every reader answers, or says in one error what is wrong: a share of what `make fuzz` runs."""
    monkeypatch.chdir(tmp_path)
    fuzz.prepare(tmp_path)
    found = fuzz.fuzz(tmp_path, 120, seed=7)
    assert not found.wrong
    assert sum(codes[2] for codes in found.codes.values()) > 40


def write_suite(apiary: Path, folder: Path, count: int) -> None:
    """So many copies of the meadow."""
    for name in ("apiary.toml", "hive.toml", "moth.png"):
        (folder / name).write_bytes((apiary / name).read_bytes())
    for number in range(count):
        (folder / f"m{number}.jsonl").write_bytes((apiary / "meadow.jsonl").read_bytes())
    suite = 'voskar = 2\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["m*.jsonl"]\n'
    (folder / "voskar.toml").write_text(suite)


LATE = [
    # commands that write a file
    ("replay", "apiary.toml", "m0.jsonl", "--ledger", "out.parquet"),
    ("convert", "m0.jsonl", "out.jsonl.gz"),
    ("page", "apiary.toml", "m0.jsonl", "-o", "out.html", "--no-explain"),
    ("suite", "voskar.toml", "--report", "out.json", "--workers", "2", "--fresh", "--no-explain"),
]


@pytest.mark.parametrize("command", LATE, ids=[names[0] for names in LATE])
def test_an_interrupted_run_leaves_whole_files_or_none(apiary: Path, tmp_path: Path, command: tuple[str, ...]) -> None:
    """Early and late, however it is ended: under its final name a file is whole, or is not there."""
    write_suite(apiary, tmp_path, 3)
    out = tmp_path / next(name for name in command if name.startswith("out."))
    start = time.perf_counter()
    subprocess.run([VOSKAR, *command], cwd=tmp_path, capture_output=True, check=False)
    seconds, whole = time.perf_counter() - start, out.read_bytes()
    for number, share in ((signal.SIGINT if command[0] == "replay" else signal.SIGTERM, 0.9), (signal.SIGKILL, 0.95)):
        out.unlink(missing_ok=True)
        with subprocess.Popen(
            [VOSKAR, *command], cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        ) as run:
            time.sleep(seconds * share)
            run.send_signal(number)
            _, errors = run.communicate(timeout=60)
        assert b"Traceback" not in errors, errors
        assert not out.exists() or out.read_bytes() == whole or command[0] == "convert"  # gzip tells the time
        if number != signal.SIGKILL:
            assert not list(tmp_path.glob(".*.part"))


@pytest.mark.skipif(not Path("/proc/self/environ").exists(), reason="processes are looked for in /proc")
def test_disturbed_runs(tmp_path: Path) -> None:
    """No half file, no orphan, no wrong verdict: a share of what `make faults` tries."""
    assert faults.try_all(tmp_path, 2, seed=5).wrong == []


def test_a_termination_leaves_nothing_behind(apiary: Path, tmp_path: Path) -> None:
    write_suite(apiary, tmp_path, 12)
    command = [VOSKAR, "suite", "--workers", "2", "--pages", "pages"]
    run = subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(1.5)
    run.send_signal(signal.SIGTERM)
    assert run.wait(timeout=30) in (128 + signal.SIGTERM, -signal.SIGTERM, 1)  # or it was done already
    assert not list(tmp_path.rglob("*.part"))


def test_a_byte_of_a_gzip_file_flipped(folder: Path, here: Any) -> None:
    whole = gzip.compress((folder / "r.jsonl").read_bytes())
    for place in range(0, len(whole), 3):
        (folder / "z.jsonl.gz").write_bytes(whole[:place] + bytes([whole[place] ^ 0x10]) + whole[place + 1 :])
        for command in (("replay", "r.toml", "z.jsonl.gz"), ("convert", "z.jsonl.gz", "out.jsonl")):
            done = here(*command, cwd=folder)
            assert done.returncode in (0, 2), (place, done.stderr)
            assert "Traceback" not in done.stderr
            (folder / "out.jsonl").unlink(missing_ok=True)


def include(folder: Path, files: dict[str, list[str]]) -> None:
    """Rulebooks that include each other, each with a fixture of its own."""
    for number, (name, names) in enumerate(files.items()):
        fixture = f'[[fixtures]]\nkind = "keeper"\nid = "f{number}"\nat = [0, 90]\n'
        (folder / name).write_text(f"voskar = 2\ninclude = {json.dumps(names)}\n{fixture}")


def test_includes_that_multiply(folder: Path, here: Any) -> None:
    """Each includes the next one twice: it is read once, and what it adds is there once."""
    (folder / "r.toml").rename(folder / "base.toml")
    between = {f"d{k}.toml": [f"d{k + 1}.toml"] * 2 for k in range(60)}
    include(folder, {"r.toml": ["d0.toml"], **between, "d60.toml": ["base.toml"]})
    done = here("replay", "r.toml", "r.jsonl", "--json", cwd=folder)
    assert done.returncode == 0, done.stderr
    from voskar.files.rulebook import load_rulebook

    assert [fixture.id for fixture in load_rulebook(folder / "r.toml").data.fixtures] == [
        f"f{k}" for k in range(61, -1, -1)
    ]


def test_what_is_included_again_later_stands_again(folder: Path) -> None:
    """As if each include were written out: b includes what a has overruled, and comes after it."""
    from voskar.files.toml_sources import read_source

    (folder / "base.toml").write_text("x = 1\ny = 1\n[t]\nk = 1\n")
    (folder / "a.toml").write_text('include = ["base.toml"]\nx = 2\nz = 2\n[t]\nk = 2\nl = 2\n')
    (folder / "b.toml").write_text('include = ["base.toml"]\ny = 3\n')
    (folder / "top.toml").write_text('include = ["a.toml", "b.toml"]\n')
    raw = read_source(folder / "top.toml").raw
    assert {key: value for key, value in raw.items() if key != "include"} == {
        "x": 1, "y": 3, "z": 2, "t": {"k": 1, "l": 2},
    }  # fmt: skip


@pytest.mark.parametrize("count", [256, 257, 1100])
def test_a_chain_of_includes(folder: Path, here: Any, count: int) -> None:
    (folder / "r.toml").rename(folder / "base.toml")
    chain = [f"c{k}.toml" for k in range(count - 1)]
    include(folder, dict(zip(["r.toml", *chain], [[name] for name in [*chain, "base.toml"]], strict=True)))
    done = here("audit", "r.toml", cwd=folder)
    assert done.returncode == (2 if count > 256 else 1), done.stderr[-500:]  # 1: the audit finds something
    assert (count > 256) == ("more than 256 included files" in done.stderr)


@pytest.mark.skipif(os.name != "posix", reason="devices and pipes are files there only")
@pytest.mark.parametrize("odd", ["/dev/zero", "pipe"])
def test_devices_and_pipes_where_a_file_belongs(folder: Path, here: Any, odd: str) -> None:
    """In a suite, as an image, a rulebook, expectations or a baseline: refused at once, and the rest is judged."""
    if odd == "pipe":
        os.mkfifo(folder / "pipe")
    (folder / "odd.jsonl").symlink_to(odd)
    (folder / "odd.png").symlink_to(odd)
    (folder / "odd.toml").symlink_to(odd)
    (folder / "voskar.toml").write_text('voskar = 2\n[[runs]]\nrulebook = "r.toml"\nrecordings = ["*.jsonl"]\n')
    word = "named pipe" if odd == "pipe" else "device"
    done = voskar("suite", "--workers", "2", cwd=folder)
    assert (done.returncode, "agrees  r.jsonl" in done.stdout) == (2, True), done.stdout
    assert f"odd.jsonl: found a {word}, expected a file" in done.stdout
    image = (folder / "r.toml").read_text().replace('"rect" = [9, 9]', '"pixels" = "odd.png"')
    (folder / "p.toml").write_text(image)
    for command in (
        ("check", "p.toml", "r.jsonl"),
        ("check", "odd.toml", "r.jsonl"),
        ("check", "r.toml", "r.jsonl", "--expect", "odd.toml"),
        ("check", "r.toml", "r.jsonl", "--baseline", "odd.jsonl"),
        ("report", "odd.jsonl"),
        ("suite", "odd.toml"),
    ):
        done = here(*command, cwd=folder)
        refused = f"found a {word}" in done.stderr or "outside the folder" in done.stderr
        assert (done.returncode, refused) == (2, True), (command, done.stderr)


@pytest.mark.skipif(os.name != "posix", reason="named pipes")
def test_a_recording_from_a_pipe(folder: Path) -> None:
    """On the command line a pipe is as good as a file."""
    line = f"cat r.jsonl | {VOSKAR} check r.toml /dev/stdin"
    done = subprocess.run(["sh", "-c", line], cwd=folder, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, ""), done.stderr


def test_a_stage_script_of_years(folder: Path, here: Any) -> None:
    script = 'stage = 2\nframes = {}\n[[parts]]\nid = "a"\nkind = "keeper"\nway = [{{ f = 0, at = [0, 0] }}]\n'
    (folder / "s.stage.toml").write_text(script.format(2_000_000))
    done = here("replay", "r.toml", "s.stage.toml", cwd=folder)
    assert (done.returncode, "found 2,000,000 frames of 1 actors, expected at most" in done.stderr) == (2, True)
    (folder / "s.stage.toml").write_text(script.format(30))
    assert here("replay", "r.toml", "s.stage.toml", cwd=folder).returncode == 0


def test_more_than_a_rulebook_holds(folder: Path, here: Any) -> None:
    with (folder / "r.toml").open("a") as file:
        file.write("# " + "x" * (5 << 20))
    done = here("audit", "r.toml", cwd=folder)
    assert (done.returncode, "5.0 MiB of TOML, expected at most 4 MiB" in done.stderr) == (2, True)


class Bomb:
    """A number of three million digits, as a kept rulebook would have it made."""

    def __reduce__(self) -> tuple[Any, tuple[str]]:
        from voskar.files import kept

        return kept._fraction, ("1e3000000",)


def test_a_kept_rulebook_that_means_no_good(folder: Path, here: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    import pickle

    from voskar.files.keeping import kept_folder

    monkeypatch.setenv("XDG_CACHE_HOME", str(folder / "cache"))
    assert here("replay", "r.toml", "r.jsonl", cwd=folder).returncode == 0
    place = kept_folder("rulebooks")
    assert place is not None
    (kept,) = place.iterdir()
    good = kept.read_bytes()
    calls = (b"cfractions\nFraction\n(V1e3000000\ntR.", b"cnumpy\nzeros\n(I1000000000\ntR.", b"cos\nsystem\n(Vls\ntR.")
    for data in (pickle.dumps(Bomb()), *calls):
        kept.write_bytes(data)
        done = here("replay", "r.toml", "r.jsonl", cwd=folder)
        assert (done.returncode, done.stderr) == (0, "")
        assert kept.read_bytes() == good


TABLES = [
    # a column of poses.parquet, what it holds instead; None: it is missing
    ("id", None), ("clip", None), ("owner", None), ("x", None), ("frame", None), ("x", "list"), ("id", "struct"),
    ("kind", "binary"), ("frame", "timestamp"), ("x", "date"), ("id", "twice"),
]  # fmt: skip


@pytest.mark.parametrize(("column", "held"), TABLES)
def test_tables_of_other_columns(folder: Path, here: Any, column: str, held: str | None) -> None:
    import pyarrow
    import pyarrow.parquet

    assert here("convert", "r.jsonl", "t", cwd=folder).returncode == 0
    table = pyarrow.parquet.read_table(folder / "t/poses.parquet")
    place = table.column_names.index(column)
    rows = table.num_rows
    arrays = {
        "list": pyarrow.array([[1]] * rows),
        "struct": pyarrow.array([{"a": {"b": 1}}] * rows),
        "binary": pyarrow.array([b"\xff"] * rows),
        "timestamp": pyarrow.array([2**62] * rows, pyarrow.timestamp("us")),
        "date": pyarrow.array([-(2**31)] * rows, pyarrow.date32()),
    }
    if held == "twice":
        table = table.append_column(column, table.column(place))
    elif held is None:
        table = table.remove_column(place)
    else:
        table = table.set_column(place, column, arrays[held])
    pyarrow.parquet.write_table(table, folder / "t/poses.parquet")
    done = here("replay", "r.toml", "t", cwd=folder)
    assert done.returncode == (0 if held is None and column in ("clip", "owner") else 2), done.stderr
    assert "Traceback" not in done.stderr
    assert done.returncode == 0 or column in done.stderr


@pytest.mark.parametrize("told", [b"[1]", b'"x"', b"{", b"[" * 3000, b"\xff", b'{"rate": 1e999}', b'{"frames": 3}'])
def test_ledgers_as_parquet_with_other_metadata(folder: Path, here: Any, told: bytes) -> None:
    import pyarrow.parquet

    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.parquet", cwd=folder).returncode == 0
    table = pyarrow.parquet.read_table(folder / "l.parquet").replace_schema_metadata({b"voskar": told})
    pyarrow.parquet.write_table(table, folder / "l.parquet")
    done = here("compare", "l.parquet", "l.parquet", cwd=folder)
    assert (done.returncode, "error: l.parquet" in done.stderr) == (2, True), done.stderr


def test_reports_of_another_making(folder: Path, here: Any) -> None:
    rule = {"group": "spells", "name": "x", "file": None, "line": None, "count": 1}
    fields = {"voskar": "suite", "version": 2, "recordings": [], "coverage": {"rules": [rule]}}
    for text in (json.dumps(fields), "[" * 5000, '{"voskar":"suite","recordings":' + "[" * 3000, '{"a":1}'):
        (folder / "one.json").write_text(text)
        done = here("report", "one.json", cwd=folder)
        assert (done.returncode, "one.json: not the JSON report" in done.stderr) == (2, True), done.stderr


def test_headers_nested_without_end(folder: Path, here: Any) -> None:
    (folder / "t").mkdir()
    for name, command in (
        ("t/recording.json", ("replay", "r.toml", "t")),
        ("x.jsonl", ("replay", "r.toml", "x.jsonl")),
        ("l.jsonl", ("compare", "l.jsonl", "l.jsonl")),
    ):
        (folder / name).write_text("[" * 200_000)
        done = here(*command, cwd=folder)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr


def test_a_ledger_with_a_line_separator_in_a_text(folder: Path, here: Any) -> None:
    assert here("replay", "r.toml", "r.jsonl", "--ledger", "l.jsonl", cwd=folder).returncode == 0
    text = (folder / "l.jsonl").read_text()
    (folder / "m.jsonl").write_text(text.replace(":bee:", "be\u2028e"), encoding="utf-8")
    done = here("compare", "m.jsonl", "l.jsonl", cwd=folder)
    assert (done.returncode, "\u2028" in done.stdout) == (1, False), done.stderr


def test_a_life_can_be_expected(folder: Path, here: Any) -> None:
    (folder / "e.toml").write_text('voskar = 2\n[[expect]]\nevent = "life"\nnever = true\n')
    done = here("check", "r.toml", "r.jsonl", "--expect", "e.toml", cwd=folder)
    assert "1 of 1 expectation holds" in done.stdout, done.stderr
