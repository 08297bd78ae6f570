"""Commands that look: why, draw, layers, audit, convert."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import matplotlib
import pytest
from PIL import Image

from tests.commands.test_cli import voskar


def why(folder: Path, *arguments: object) -> list[dict[str, Any]]:
    done = voskar("why", "apiary.toml", "meadow.jsonl", "--json", *arguments, cwd=folder)
    assert done.returncode == 0, done.stderr
    return [json.loads(line) for line in done.stdout.splitlines()]


def test_why_tells_the_last_immune_frame(apiary: Path) -> None:
    for frame, decided, left in (
        (273, "immune", "1 left"),
        (274, "landed", "no i-frames left"),
        (214, "immune", "60 left"),
    ):
        first, *_ = why(apiary, "--no-resync", "--frame", frame, "--attacker", "hornet-1", "--target", "keeper")
        gates = {gate["gate"]: gate for gate in first["gates"]}
        assert (first["hurtbox"], first["decided"]) == ("torso", decided)
        assert left in gates["immune"]["text"]
        assert gates["layers"]["more"][0].split() == ["sting.mask", "1.....", "keeper"]


def test_why_a_closed_box(apiary: Path) -> None:
    accounts = why(apiary, "--frame", 302, "--attacker", "keeper", "--target", "waxling-1")
    tool = next(account for account in accounts if account["hitbox"] == "tool")
    gates = {gate["gate"]: gate for gate in tool["gates"]}
    assert tool["decided"] == "open"
    assert gates["open"]["text"].startswith("keeper.tool is closed in swing cell 0; it opens next in 309")
    assert "nearest within a second" in gates["touch"]["text"]


def test_why_without_a_pair(apiary: Path, here: Any) -> None:
    found = {
        (fields["attacker"], fields["target"], fields["decided"])
        for fields in why(apiary, "--frame", 1131, "--near", 1)
    }
    assert {("hornet-1", "keeper", "landed"), ("hornet-1", "keeper", "repeat")} <= found
    text = here("why", "apiary.toml", "meadow.jsonl", "--frame", 5, cwd=apiary).stdout
    assert "nothing touched" in text


@pytest.mark.parametrize(
    ("options", "name"),
    [
        (("--frame", 274), "frame-274.png"),
        (("--frame", "208-213", "--actor", "hornet-1"), "frames-208-213.png"),
        (("--frame", 1131, "--region", "150,260,250,340", "-o", "twice.svg"), "twice.svg"),
    ],
)
def test_draw(apiary: Path, tmp_path: Path, options: tuple[object, ...], name: str, here: Any) -> None:
    files = (apiary / "apiary.toml", apiary / "meadow.jsonl")
    done = here("draw", *files, *options, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert [path.name for path in tmp_path.iterdir()] == [name]
    if name.endswith("png"):
        with Image.open(tmp_path / name) as image:
            assert image.width == 1280
            assert len(image.convert("RGB").getcolors(1 << 20) or []) > 50
    else:
        here("draw", *files, *options[:-1], "again.svg", cwd=tmp_path)
        first, again = ((tmp_path / text).read_bytes() for text in (name, "again.svg"))
        assert (b"<path" in first, first == again) == (True, True)


def test_check_draws_what_it_finds(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("check", "apiary.toml", "meadow.jsonl", "--draw", tmp_path / "pictures", cwd=apiary)
    assert (done.returncode, f"drew 2 findings to {tmp_path / 'pictures'}" in done.stdout) == (1, True)
    names = sorted(path.name for path in (tmp_path / "pictures").iterdir())
    assert names == ["meadow-01-frame-273-hit-moved.png", "meadow-02-frame-1131-hit-denied.png"]


TOLD = [
    # a frame, and the flags above an actor: the game's claims, those that the rules deny, those that it does not make
    ("meadow.jsonl", 213, ["■ game claims hit by hornet-1"]),
    ("meadow.jsonl", 273, ["■ game claims hit by hornet-1, the rules do not"]),
    ("meadow.jsonl", 274, []),
    ("bugs/shots-tunnel.stage.toml", 13, ["□ game claims no hit by dart-1"]),
]


@pytest.mark.parametrize(("recording", "frame", "told"), TOLD)
def test_both_accounts_are_drawn(
    apiary: Path, tmp_path: Path, here: Any, recording: str, frame: int, told: list[str]
) -> None:
    book = "darts.toml" if "shots" in recording else "apiary.toml"
    with matplotlib.rc_context({"svg.fonttype": "none"}):
        done = here("draw", book, recording, "--frame", frame, "-o", tmp_path / "x.svg", cwd=apiary)
    assert done.returncode == 0, done.stderr
    texts = re.findall(r">([■□] game [^<]*)<", (tmp_path / "x.svg").read_text())
    assert texts == told


def test_layers(apiary: Path, here: Any) -> None:
    done = here("layers", "apiary.toml", "meadow.jsonl", "--json", "-o", "l.png", cwd=apiary)
    (apiary / "l.png").unlink()
    pairs = {(load["hitbox_layer"], load["hurtbox_layer"]): load for load in map(json.loads, done.stdout.splitlines())}
    assert (pairs["hive", "keeper"]["eligible"], pairs["hive", "keeper"]["landed"]) == (True, 6)
    assert (pairs["tool", "keeper"]["eligible"], pairs["thorns", "keeper"]["contacts"]) == (False, 0)
    shown = here("layers", "apiary.toml", "meadow.jsonl", "--boxes", cwd=apiary).stdout
    assert "hitboxes see 4/4" in " ".join(shown.split())
    assert "2 tool        -    6    -" in shown
    assert max(map(len, shown.splitlines()[:11])) <= 80


def test_audit_of_the_demo(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("audit", "apiary.toml", "meadow.jsonl", cwd=apiary)
    assert (done.returncode, "0 findings" in done.stdout) == (0, True)
    text = (apiary / "apiary.toml").read_text().replace('"3-5"', '"3-9"')
    (tmp_path / "apiary.toml").write_text(text)
    for name in ("hive.toml", "moth.png"):
        (tmp_path / name).write_bytes((apiary / name).read_bytes())
    done = here("audit", "apiary.toml", "--json", cwd=tmp_path)
    finding = json.loads(done.stdout)
    assert (done.returncode, finding["name"], finding["key"]) == (
        1,
        "cell-past-end",
        "kinds.keeper.boxes.tool.during.swing",
    )


def test_convert_keeps_the_ledger(apiary: Path, tmp_path: Path, here: Any) -> None:
    rules = apiary / "apiary.toml"
    steps = [
        (apiary / "meadow.jsonl", "t"),
        ("t", "c", "--tables", "csv"),
        ("c", "back.jsonl.gz"),
        ("back.jsonl.gz", "again.jsonl"),
    ]
    for step in steps:
        done = here("convert", *step, cwd=tmp_path)
        assert done.returncode == 0, done.stderr
    forms = [apiary / "meadow.jsonl", *(step[1] for step in steps)]
    assert len({here("replay", rules, form, "--json", cwd=tmp_path).stdout for form in forms}) == 1
    ends = (forms[0], "c")
    counts = {
        here("check", rules, form, "--json", "--no-explain", cwd=tmp_path).stdout.split('"findings"')[0]
        for form in ends
    }
    assert len(counts) == 1
    held = here("convert", "c", "t", cwd=tmp_path)
    assert (held.returncode, "it is there already" in held.stderr) == (2, True)
    (tmp_path / "cut.jsonl").write_text((tmp_path / "again.jsonl").read_text()[:-10])
    cut = here("convert", "cut.jsonl", "rest.jsonl", cwd=tmp_path)
    assert (cut.returncode, "cut.jsonl:2041: the file ends inside this line" in cut.stderr) == (0, True)
    (tmp_path / "bad.jsonl").write_text((tmp_path / "again.jsonl").read_text()[:-10] + "\n")
    broken = here("convert", "bad.jsonl", "half", cwd=tmp_path)
    assert (broken.returncode, (tmp_path / "half").exists()) == (2, False)
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(".")]


def test_a_clip_has_every_frame(apiary: Path, here: Any, tmp_path: Path) -> None:
    from PIL import Image

    args = ("draw", "apiary.toml", "meadow.jsonl", "--frame", "272-274", "--actor", "keeper", "-o")
    for name in ("clip.webp", "clip.gif", "clip.apng"):
        assert here(*args, tmp_path / name, cwd=apiary).returncode == 0
        with Image.open(tmp_path / name) as image:
            assert image.n_frames == 3
    # there is more to explain in some frames than in others
    swarm = here("draw", "swarm.toml", "swarm.jsonl", "--frame", "270-275", "-o", tmp_path / "swarm.webp", cwd=apiary)
    assert swarm.returncode == 0, swarm.stderr
    done = here("draw", "apiary.toml", "meadow.jsonl", "--frame", "0-900", "-o", tmp_path / "x.gif", cwd=apiary)
    assert "expected at most 600" in done.stderr
