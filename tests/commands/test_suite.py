"""A suite through the command line: one line a recording, reports, and the same results for any number of workers."""

from __future__ import annotations

import json
import os
import re
import shlex
import shutil
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import junitparser
import pytest
import xmlschema

from tests.commands.test_cli import VOSKAR, voskar
from voskar.suite.running import Processes

MISTAKES = [
    ('rulebook = "apiary.tml"', r'apiary\.tml: no such file \(did you mean "apiary\.toml"'),
    ('recordings = ["nothing*.jsonl"]', 'no file matches "nothing\\*.jsonl"'),
    ('recordings = ["../x.jsonl"]', "expected a path below"),
    ('recordings = [""]', "expected the path of recordings"),
    ('recordings = ["x/**y.jsonl"]', "expected the path of recordings"),
    ('recrdings = ["meadow.jsonl"]', "recordings"),
]


@pytest.fixture
def folder(apiary: Path, tmp_path: Path) -> Path:
    """The demo as a suite of short recordings: one agrees, one is broken, two fail."""
    for name in ("apiary.toml", "hive.toml", "moth.png"):
        shutil.copy(apiary / name, tmp_path)
    lines = (apiary / "meadow.jsonl").read_text().splitlines()
    (tmp_path / "good.jsonl").write_text("\n".join(lines[:250]))
    (tmp_path / "short.jsonl").write_text("\n".join(lines[:300]))
    (tmp_path / "long.jsonl").write_text("\n".join(lines[:400]))
    (tmp_path / "broken.jsonl").write_text(lines[0] + '\n{"frame": 0, "poses": [{"id": "keeper"}]}\n')
    (tmp_path / "good.expect.toml").write_text('voskar = 2\n[[expect]]\nevent = "landed"\nat = [96, 213]\n')
    (tmp_path / "voskar.toml").write_text(
        'voskar = 2\n[suite]\nrulebook = "apiary.toml"\n'
        '[[runs]]\nrecordings = ["good.jsonl"]\nexpect = ["{name}.expect.toml"]\n'
        '[[runs]]\nrecordings = ["[b-z]*.jsonl"]\n'
    )
    return tmp_path


def test_one_line_a_recording(folder: Path) -> None:
    done = voskar("suite", cwd=folder)
    lines = [line.split()[:2] for line in done.stdout.splitlines() if line.split()[1:2] and ".jsonl" in line.split()[1]]
    assert lines[:5] == [
        ["agrees", "good.jsonl"], ["unread", "broken.jsonl"], ["agrees", "good.jsonl"],
        ["fails", "long.jsonl"], ["fails", "short.jsonl"],
    ]  # fmt: skip
    assert done.returncode == 2
    assert "2 of 5 recordings agree" in done.stdout
    assert "frame 273: hit-moved" in done.stdout


def test_reports_and_any_number_of_workers(folder: Path) -> None:
    texts = []
    for workers in (1, 2, 3):
        names = [f"{workers}{ending}" for ending in (".xml", ".json", ".txt")]
        options = [part for name in names for part in ("--report", name)]
        assert voskar("suite", "--workers", workers, *options, cwd=folder).returncode == 2
        texts.append([(folder / name).read_text() for name in names])
    assert texts[0] == texts[1] == texts[2]
    xml, plain, lines = texts[0]
    xmlschema.XMLSchema(Path(__file__).parent.parent / "junit.xsd").validate(xml)
    (suite,) = junitparser.JUnitXml.fromstring(xml.encode())
    assert (suite.tests, suite.failures, suite.errors) == (5, 2, 1)
    fields = {outcome: [] for outcome in (junitparser.Failure, junitparser.Error)}
    for case in suite:
        for result in case.result:
            fields[type(result)].append((case.name, result.type))
    assert fields[junitparser.Failure] == [("long.jsonl", "hit-moved"), ("short.jsonl", "hit-moved")]
    assert fields[junitparser.Error] == [("broken.jsonl", "unread")]
    assert "voskar why apiary.toml short.jsonl --frame 273" in xml
    found = json.loads(plain)
    assert found["ok"] is False
    assert [fault["code"] for fault in found["recordings"][4]["faults"]] == ["hit-moved"]
    assert "short.jsonl:275: frame 273: hit-moved" in lines


def test_stop_baselines_and_expectations(folder: Path) -> None:
    done = voskar("suite", "--stop", "--workers", 1, "--json", cwd=folder)
    assert len(json.loads(done.stdout)["recordings"]) == 2
    voskar("replay", "apiary.toml", "good.jsonl", "--ledger", "good.base.jsonl", cwd=folder)
    (folder / "voskar.toml").write_text(
        'voskar = 2\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["good.jsonl"]\nbaseline = "{name}.base.jsonl"\n'
    )
    assert voskar("suite", cwd=folder).returncode == 0
    text = (folder / "apiary.toml").read_text().replace('iframes = "60f"', 'iframes = "20f"', 1)
    (folder / "apiary.toml").write_text(text)
    done = voskar("suite", "--json", cwd=folder)
    faults = json.loads(done.stdout)["recordings"][0]["faults"]
    assert (done.returncode, [fault["code"] for fault in faults]) == (1, ["hit-missing", "baseline-gained"])


@pytest.mark.parametrize(("line", "told"), MISTAKES)
def test_mistakes_in_the_suite(folder: Path, here: Any, line: str, told: str) -> None:
    base = {"rulebook": 'rulebook = "apiary.toml"', "recordings": 'recordings = ["good.jsonl"]'}
    base["rulebook" if line.startswith("rulebook") else "recordings"] = line
    (folder / "voskar.toml").write_text("voskar = 2\n[[runs]]\n" + "\n".join(base.values()) + "\n")
    done = here("suite", cwd=folder)
    assert done.returncode == 2
    assert re.search(told, done.stderr + done.stdout)
    assert "Traceback" not in done.stderr


KNOWN = [
    # what is known, how many findings it accepts, exit code, what is said
    ('code = "hit-moved"', 1, 0, "1 known finding accepted"),
    ('code = "hit-moved"\nattacker = "hornet"\ntarget = "keeper"\nkey = "attacks.sting"', 1, 0, "accepted"),
    ('code = "hit-moved"\nattacker = "hornet-1"', 1, 0, "accepted"),
    ('code = "hit-moved"\nattacker = "drone"', 0, 1, "known, and found no more: hit-moved drone (next week)"),
    ('code = "hit-moved"\nkey = "attacks.stin"', 0, 1, "found no more"),
    ('code = "hit-moved"\nuntil = 2999-01-01', 1, 0, "accepted"),
    ('code = "hit-moved"\nuntil = 2001-01-01', 0, 1, "was known until 2001-01-01"),
    ('code = "hit-moved"\nuntil = 2001-01-01\nreason = "old"\n[[known]]\ncode = "hit-moved"', 1, 0, "accepted"),
    ('code = "hit-denied"', 0, 1, "found no more"),
]


@pytest.mark.parametrize(("known", "accepted", "code", "said"), KNOWN)
def test_known_findings(folder: Path, here: Any, known: str, accepted: int, code: int, said: str) -> None:
    text = 'voskar = 2\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["short.jsonl"]\n'
    (folder / "voskar.toml").write_text(f'{text}[[known]]\n{known}\nreason = "next week"\n')
    done = here("suite", cwd=folder)
    assert (done.returncode, said in done.stdout) == (code, True), done.stdout
    found = json.loads(here("suite", "--json", "--report", "r.json", cwd=folder).stdout)
    assert [len(item["known"]) for item in found["recordings"]] == [accepted]
    assert [len(item["faults"]) for item in found["recordings"]] == [1 - accepted]
    assert here("report", "r.json", cwd=folder).returncode == code


def test_a_known_finding_has_a_code(folder: Path, here: Any) -> None:
    text = 'voskar = 2\n[[runs]]\nrulebook = "apiary.toml"\nrecordings = ["short.jsonl"]\n'
    (folder / "voskar.toml").write_text(f'{text}[[known]]\ncode = "moved"\nreason = "x"\n')
    assert 'it is now "hit-moved"' in here("suite", cwd=folder).stderr


def test_usage(folder: Path, here: Any) -> None:
    assert here("check", "apiary.toml", cwd=folder).returncode == 2
    assert here("check", "apiary.toml", "good.jsonl", "--stop", cwd=folder).returncode == 2
    assert "no such option" in here("suite", "--within", 2, cwd=folder).stderr.lower()
    assert "expected .xml" in here("suite", "--report", "x.doc", cwd=folder).stderr
    (folder / "voskar.toml").unlink()
    assert "voskar.toml" in here("suite", cwd=folder).stderr


BUGS = [
    # the recording, the first fault, and what `why` says of it
    ("meadow.jsonl", "hit-moved", "immune STOP i-frames from sting, 213 to 273: 1 left"),
    ("swarm.jsonl", "spawn-moved", "trigger STOP a beat every 120 frames"),
    ("hits-both-count", "hit-denied", "immune STOP i-frames from sting, 19 to 79: 61 left"),
    ("hits-counted-twice", "hit-denied", "repeat STOP this attack landed on this target already in this frame"),
    ("hits-damage-table", "hit-damage", "keeper: health 9 → 8 by hornet"),
    ("hits-early-window", "hit-moved", "keeper.tool is closed in swing cell 2; it opens next in 29"),
    ("hits-edge-touch", "hit-denied", "their edges only meet"),
    ("hits-late-log", "hit-moved", "the game has a hit here"),
    ("hits-short-iframes", "hit-moved", "immune STOP i-frames from sting, 19 to 79: 1 left"),
    ("hits-side-stomp", "hit-denied", "only from above: it comes from behind"),
    ("hits-weak-push", "knockback", "pushed by (24, 0) to 37 by keeper"),
    ("hits-wrong-mask", "hit-denied", "neither sees the other"),
    ("lives-free-life", "lives", "lives 2 → 3, as the game has it"),
    ("lives-unsafe-return", "event-moved", "return held, drone is in the way"),
    ("lives-walking-dead", "down-moves", "down since 70, by drone"),
    ("shots-consumed", "hit-denied", "dart was consumed in 24"),
    ("shots-tunnel", "hit-missing", "so: landed"),
    ("spit-quick-fire", "spawn-unexpected", "nearest in 60 and 180"),
    ("yard-across-the-edge", "hit-missing", "so: landed"),
    ("yard-both-edges", "hit-denied", 'repeat STOP an attack of the rehit group "tool" landed on this target already'),
    ("yard-close-return", "event-denied", "return held, flit is in the way"),
    ("yard-cut-by-the-edge", "hit-denied", "hornet.sting is closed as it sticks out of the bounds"),
    ("yard-late-clod", "spawn-place", "the recording shows clod-1 from 10 on at (110, 80), moving 0.0°"),
    ("yard-life-early", "display", "down since 72, by flit; back in 102"),
    ("yard-old-box", "hit-denied", "touch STOP apart by 6.000 units"),
    ("yard-out-early", "event-moved", "it does not come back, and is out in 272"),
    ("yard-steep-side", "hit-denied", "only onto surfaces within 30 degrees of up: this one is 63.435 off"),
    ("yard-stunned-sting", "hit-denied", "hornet.sting is closed: hornet is stunned until 46"),
    ("yard-without-wax", "hit-denied", "unmet STOP keeper: needs wax >= 1, has 0"),
    ("rules-no-mercy", "expectation", "so: landed"),
]


def test_the_demo_is_a_suite_of_the_usual_mistakes(apiary: Path, here: Any) -> None:
    """Each is reported by one line, and confirmed by the command that the suite names for it."""
    done = voskar("suite", "--json", cwd=apiary)
    found = json.loads(done.stdout)["recordings"]
    assert done.returncode == 1
    right = [item["name"] for item in found if item["ok"]]
    assert right[0] == "volley.stage.toml"
    assert [Path(name).name.split(".")[0] for name in right[1:]] == sorted(name for name, _, _ in BUGS[2:])
    found = [item for item in found if not item["ok"]]
    assert [Path(item["name"]).name.removesuffix(".stage.toml") for item in found] == [name for name, _, _ in BUGS]
    assert [item["faults"][0]["code"] for item in found] == [code for _, code, _ in BUGS]
    assert [item["name"] for item in found if len({fault["code"] for fault in item["faults"]}) > 1] == [
        "meadow.jsonl", "swarm.jsonl"
    ]  # fmt: skip
    expected = [item["name"] for item in found for fault in item["faults"] if fault["code"] == "expectation"]
    assert expected == ["bugs/rules-no-mercy.stage.toml"]
    for value, (_, _, text) in zip(found, BUGS, strict=True):
        why = shlex.split(value["faults"][0]["why"])
        number = here(*why[1:], cwd=apiary).stdout
        assert text in " ".join(number.split()), number
    text = here("suite", cwd=apiary).stdout
    assert "the game plays as if kinds.keeper.iframes were 59f (rules: 60f, apiary.toml:20): explains 4 of 4" in text
    assert "in 29 the game is not what its rules say" in text
    assert "in 1 the rules differ from the expectations" in text
    assert len([line for line in text.splitlines() if line.startswith("fails ")]) == len(BUGS)


def test_rulebooks_compared(apiary: Path, here: Any) -> None:
    done = here("compare", "apiary.toml", "gentle.toml", "meadow.jsonl", "--json", cwd=apiary)
    first = json.loads(done.stdout)["differences"][0]
    assert (done.returncode, first["change"], first["frame"], first["before"]) == (1, "gained", 244, "immune")


def test_coverage_of_rules_with_a_threshold(folder: Path, here: Any) -> None:
    (folder / "broken.jsonl").unlink()
    done = here("suite", "--coverage", "--json", cwd=folder)
    found = json.loads(done.stdout)["coverage"]
    met = sum(rule["count"] > 0 for rule in found["rules"])
    assert round(100 * met / len(found["rules"]), 3) == found["percent"]
    scratch = next(rule for rule in found["rules"] if (rule["group"], rule["name"]) == ("attack", "scratch"))
    lines = (folder / scratch["file"]).read_text().splitlines()
    assert (scratch["count"], lines[scratch["line"] - 1]) == (0, "[attacks.scratch]")
    (folder / "voskar.toml").write_text(
        'voskar = 2\n[suite]\nrulebook = "apiary.toml"\ncoverage = 30\n[[runs]]\nrecordings = ["good.jsonl"]\n'
    )
    assert here("suite", cwd=folder).returncode == 1
    done = here("suite", "--least", 10, "--report", "x.xml", "--report", "x.txt", cwd=folder)
    assert (done.returncode, "at least 10 % is asked for" in done.stdout) == (0, True)
    assert f"hive.toml:{scratch['line']}: never exercised: attack scratch" in (folder / "x.txt").read_text()
    (suite,) = junitparser.JUnitXml.fromfile(str(folder / "x.xml"))
    assert [case.name for case in suite] == ["good.jsonl", "coverage of rules"]
    assert here("check", "apiary.toml", "good.jsonl", "--least", 99, cwd=folder).returncode == 1
    done = here("check", "apiary.toml", "long.jsonl", "--report", "one.xml", "--report", "one.json", cwd=folder)
    (suite,) = junitparser.JUnitXml.fromfile(str(folder / "one.xml"))
    assert (done.returncode, [(case.name, case.result[0].type) for case in suite]) == (1, [("long.jsonl", "hit-moved")])
    (item,) = json.loads((folder / "one.json").read_text())["recordings"]
    assert [fault["code"] for fault in item["faults"]] == ["hit-moved"]


def test_tune_finds_what_the_game_did(apiary: Path, tmp_path: Path, here: Any) -> None:
    """The same for any number of workers; over several recordings; a figure of one key and of two."""
    late = "bugs/hits-late-log.stage.toml"
    files = ("apiary.toml", late, "bugs/hits-short-iframes.stage.toml")
    keys = ("--vary", "kinds.keeper.iframes=58f..61f", "--vary", "claims.lag=0..1")
    arguments = ("tune", *files, *keys, "--json", "-o", tmp_path / "x.svg")
    texts = [
        here(*arguments, "--workers", 1, cwd=apiary).stdout,
        voskar(*arguments, "--workers", 2, cwd=apiary).stdout,
    ]
    assert texts[0] == texts[1]
    found = json.loads(texts[0])["variants"]
    assert [tuple(item["values"].values()) for item in found[:3]] == [("58f", "0"), ("58f", "1"), ("59f", "0")]
    alone = json.loads(here("tune", "apiary.toml", files[2], *keys[:2], "--json", cwd=apiary).stdout)
    assert [item["wrong"] for item in alone["variants"]] == [4, 0, 4, 4]
    assert alone["fit"][1] == "kinds.keeper.iframes: 59f: only this fits, 58f costs 4 more and 60f costs 4 more"
    done = here("tune", "apiary.toml", late, "--vary", "claims.lag=-1..2", "-o", tmp_path / "x.png", cwd=apiary)
    assert "best: claims.lag = 1: 4 of 4 claims agree" in done.stdout
    assert (tmp_path / "x.png").read_bytes()[:4] == b"\x89PNG"


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("--vary", "kinds.keper.iframes=3"), 'did you mean "keeper"?'),
        (("--vary", "kinds.keeper.iframes=1..70", "--vary", "kinds.keeper.health=1..70"), "found 4900 variants"),
        (("--vary", "a.b=1", "--vary", "a.b=2"), "varied once"),
        (("--vary", "kinds.keeper.iframes=3,soon"), 'iframes=soon: kinds.keeper.iframes: found "soon"'),
        (("--vary", "claims.lag=1", "-o", "x.pdf"), "expected .png or .svg"),
        (("--vary", "claims.lag=1", "--actor", "kepper"), 'did you mean "keeper"?'),
    ],
)
def test_tune_refuses(apiary: Path, here: Any, arguments: tuple[str, ...], told: str) -> None:
    done = here("tune", "apiary.toml", "bugs/hits-late-log.stage.toml", *arguments, cwd=apiary)
    assert (done.returncode, done.stdout) == (2, "")
    assert told in done.stderr


def _killed_once(path: str) -> str:
    """Kills its own process the first time."""
    mark = Path(path)
    if not mark.exists():
        mark.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return mark.name


def _killed_always(name: str) -> str:
    if name == "bad":
        os.kill(os.getpid(), signal.SIGKILL)
    return name


def test_a_worker_that_is_killed_fails_alone(tmp_path: Path) -> None:
    paths = [str(tmp_path / name) for name in "abc"]
    for path in paths[1:]:
        Path(path).touch()
    assert list(Processes(2)(_killed_once, paths)) == ["a", "b", "c"]
    found = list(Processes(2)(_killed_always, ["x", "bad", "y"], lambda name: f"{name} is lost"))
    assert found == ["x", "bad is lost", "y"]


def test_shards_are_the_whole(apiary: Path, here: Any) -> None:
    options = ((), *(("--shard", f"{part}/3") for part in (1, 2, 3)))
    items = [here("suite", "--json", "--no-explain", *option, cwd=apiary).stdout for option in options]
    whole, *parts = [json.loads(item)["recordings"] for item in items]
    assert sorted(item["name"] for part in parts for item in part) == sorted(item["name"] for item in whole)
    assert {item["name"]: item for part in parts for item in part} == {item["name"]: item for item in whole}
    assert "expected a part" in here("suite", "--shard", "4/3", cwd=apiary).stderr


def test_a_watched_check_runs_again(apiary: Path, tmp_path: Path) -> None:
    for name in ("apiary.toml", "hive.toml", "moth.png", "meadow.jsonl"):
        (tmp_path / name).write_bytes((apiary / name).read_bytes())
    out = tmp_path / "out" / "told.txt"
    out.parent.mkdir()
    command = [VOSKAR, "check", "apiary.toml", "meadow.jsonl", "--watch"]
    with out.open("w") as file:
        run = subprocess.Popen(command, cwd=tmp_path, stdout=file, stderr=file)
    try:
        assert _waits_for(out, "watching", 1)
        text = (tmp_path / "apiary.toml").read_text()
        (tmp_path / "apiary.toml").write_text(text.replace("lives = 3", "lives = 4", 1))
        assert _waits_for(out, "watching", 2)
    finally:
        run.send_signal(signal.SIGINT)
    assert run.wait(timeout=20) == 1
    assert "changed: apiary.toml" in out.read_text()
    assert "keeper lives 4" in out.read_text()


def _waits_for(path: Path, word: str, count: int) -> bool:
    for _ in range(200):
        if path.read_text().count(word) >= count:
            time.sleep(0.3)  # it is only now that it looks
            return True
        time.sleep(0.1)
    return False


CHANGES = [
    # a file, and what becomes of its text: whatever it is, the verdict is that of judging again
    ("apiary.toml", lambda text: text.replace('iframes = "60f"', 'iframes = "59f"', 1)),
    ("hive.toml", lambda text: text.replace("[attacks.sting]\ndamage = 1", "[attacks.sting]\ndamage = 2")),
    ("short.jsonl", lambda text: text.replace('"health": 8', '"health": 7').replace('"health":8', '"health":7')),
    ("good.expect.toml", lambda text: text.replace("213", "214")),
    ("voskar.toml", lambda text: text.replace("[suite]", "[suite]\nwithin = 1")),
    ("voskar.toml", lambda text: text.replace("[suite]", "[suite]\naudit = true")),
    ("good.jsonl", lambda text: text + "\n"),
]


def test_what_is_kept_is_never_wrong(folder: Path, here: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """A run that may use what was kept tells what a fresh one does, after any change; and it does use it."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "kept"))
    (folder / "broken.jsonl").unlink()
    for name, change in [("", None), *CHANGES]:
        if change is not None:
            text = (folder / name).read_text()
            assert change(text) != text
            (folder / name).write_text(change(text))
        for options in ((), ("--coverage",)) if change is None else ((),):
            items = [
                here("suite", *options, *entry, "--json", "--explain-trials", 1, cwd=folder).stdout
                for entry in ((), ("--fresh",))
            ]
            assert items[0] == items[1]
    monkeypatch.setattr("voskar.suite.running.run_job", lambda job, **more: pytest.fail(f"{job.name} is judged again"))
    again = ("suite", "--json", "--explain-trials", 1)
    assert here(*again, cwd=folder).stdout == here(*again, cwd=folder).stdout
    (folder / "moth.png").write_bytes((folder / "moth.png").read_bytes() + b"x")
    with pytest.raises(pytest.fail.Exception):
        here(*again, cwd=folder)


def test_parts_put_together_are_the_whole(folder: Path, here: Any) -> None:
    whole = json.loads(here("suite", "--coverage", "--json", cwd=folder).stdout)
    for part in ("1/2", "2/2"):
        here("suite", "--coverage", "--shard", part, "--report", f"{part[0]}.json", cwd=folder)
    done = here("report", "1.json", "2.json", "--json", "--report", "all.xml", cwd=folder)
    joined = json.loads(done.stdout)

    def by_name(fields: dict[str, Any]) -> list[dict[str, Any]]:
        return sorted(fields["recordings"], key=lambda values: (values["name"], values["counts"]))

    assert by_name(joined) == by_name(whole)
    assert (joined["ok"], joined["common"], joined["coverage"]["percent"], done.returncode) == (
        whole["ok"], whole["common"], whole["coverage"]["percent"], 2,
    )  # fmt: skip
    assert len(junitparser.JUnitXml.fromfile(str(folder / "all.xml"))) == 1
    for mistake, text in (
        ("1.json 2.json 1.json", "the same part as 1.json"),
        ("voskar.toml", "not the JSON report of a suite"),
    ):
        assert text in here("report", *mistake.split(), cwd=folder).stderr
