"""Recordings that grow: what is told of them as they come, and by which way."""

from __future__ import annotations

import json
import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from tests.worlds import recording, rulebook, sting, toml
from voskar.core.views.perfect import perfect_log
from voskar.errors import InputError
from voskar.evidence.finding import Finding
from voskar.live.allowance import Allowance
from voskar.live.doubts import own_roots
from voskar.live.past import any_remains, past_of
from voskar.live.session import Session
from voskar.live.sources import WholeLines

HEAD: dict[str, Any] = {"voskar": "recording", "version": 2, "rate": 60}


def frame(number: int, *, health: int = 9, claims: bool = False, **more: Any) -> dict[str, Any]:
    """A keeper, and a hornet that touches it in every 20th frame, of which the game claims all but one."""
    near = number % 20 == 0
    poses = [
        {"id": "keeper", "kind": "keeper", "x": 0, "y": 0},
        {"id": "hornet", "kind": "hornet", "x": 0 if near else 99, "y": 0},
    ]
    hit = {"event": "hit", "attacker": "hornet", "target": "keeper"}
    return {"frame": number, "poses": poses, **({"claims": [hit]} if near and claims else {}), **more}


def game(frames: int, missing: tuple[int, ...] = (), marks: tuple[int, ...] = ()) -> list[dict[str, Any]]:
    found = [frame(at, claims=at not in missing) for at in range(frames)]
    for at in marks:
        found[at]["reset"] = "run"
    return [HEAD, *found]


@pytest.fixture
def rules(tmp_path: Path) -> Path:
    path = tmp_path / "rules.toml"
    path.write_text(toml({"voskar": 2, **sting()}))
    return path


def told(session: Session) -> list[tuple[int, str]]:
    return [(finding.frame, finding.code) for finding in session.findings()]


def test_a_finding_is_told_once_when_its_window_has_passed(rules: Path) -> None:
    session = Session(rules)
    lines = game(200, missing=(60,))
    session.feed(*lines[: 1 + 60 + 30])  # up to frame 89: a claim in 90 would be the same hit
    assert told(session) == []
    session.feed(*lines[1 + 60 + 30 : 1 + 92])
    assert told(session) == [(60, "hit-missing")]
    session.feed(*lines[1 + 92 :])
    assert told(session) == []
    assert session.look(over=True) == ((), ())
    assert (session.tally.frames, session.tally.claims, session.tally.agreed, session.tally.findings) == (200, 9, 9, 1)


def test_runs_are_judged_one_by_one(rules: Path) -> None:
    session = Session(rules)
    session.feed(*game(200, missing=(60, 100, 180), marks=(70, 110)))
    assert told(session) == [(60, "hit-missing"), (100, "hit-missing")]
    assert [(finding.frame, finding.code) for finding, _ in session.look(over=True).found] == [(180, "hit-missing")]
    assert session.tally.findings == 3


def test_another_header_begins_anew(rules: Path) -> None:
    session = Session(rules)
    session.feed(*game(50), *game(120, missing=(20,)))
    assert told(session) == [(20, "hit-missing")]
    assert session.last == 119


@pytest.mark.parametrize("seed", range(6))
def test_pieces_make_no_difference(rules: Path, seed: int) -> None:
    """However the bytes come, in the end all is reported that is told of the whole."""
    draw = random.Random(seed)
    missing = tuple(at for at in range(0, 300, 20) if draw.random() < 0.4)
    text = b"".join(json.dumps(line).encode() + b"\n" for line in game(300, missing, marks=(140,)))
    session, lines, found = Session(rules), WholeLines(), []
    while text:
        size = draw.randint(1, 20_000)
        session.feed(*lines.take(text[:size]))
        text = text[size:]
        found += told(session)
    found += [(finding.frame, finding.code) for finding, _ in session.look(over=True).found]
    assert sorted(found) == [(at, "hit-missing") for at in missing]
    assert len(set(found)) == len(found)


@pytest.mark.parametrize(
    ("spoil", "message"),
    [
        ({"frame": 80, "poses": [{"id": "x", "kind": "hornett", "x": 0, "y": 0}]}, 'unknown kind "hornett"'),
        ({"frame": 80, "poses": 3}, "poses"),
        ({"frame": 97}, "frame 97"),
        ("{", "JSON"),
    ],
)
def test_a_wrong_frame_ends_a_recording_and_not_the_session(rules: Path, spoil: Any, message: str) -> None:
    session = Session(rules)
    lines = game(200, missing=(20,))
    lines[1 + 80] = spoil
    with pytest.raises(InputError, match=message) as error:
        session.feed(*lines)
    assert error.value.problems[0].line == 82
    session.feed(*lines[82:])  # nothing more is taken of it
    assert [(finding.frame, finding.code) for finding, _ in session.look(over=True).found] == [(20, "hit-missing")]
    assert session.last == 79
    with pytest.raises(InputError, match=message):
        session.feed(*lines, *game(90, missing=(20,)))
    assert told(session) == [(20, "hit-missing")]
    assert session.last == 89


def test_glances_find_what_looks_find(rules: Path) -> None:
    session, odd = Session(rules), {}
    for at, line in enumerate(game(800, missing=(400, 600))):
        session.feed(line)
        if at % 10 == 0 and at and session.glance():
            odd[at - 1] = told(session)
    assert list(odd.values()) == [[(400, "hit-missing")], [(600, "hit-missing")]]
    assert all(430 <= at <= 440 or 630 <= at <= 640 for at in odd)


def test_what_is_forgotten_is_not_withdrawn(tmp_path: Path) -> None:
    rules = tmp_path / "rules.toml"
    rules.write_text(toml({"voskar": 2, **sting(keeper={"health": 1000})}))
    session, found = Session(rules, forget=5, draws=True), []
    for at, line in enumerate(game(2000, missing=(60, 1000, 1900))):
        session.feed(line)
        if at % 200 == 0:
            news = session.look()
            found += [(finding.frame, finding.code) for finding, _ in news.found]
            assert news.withdrawn == ()
    assert session.looked is not None
    assert session.looked.recording.frames <= 600
    assert found == [(60, "hit-missing")]  # behind forgotten frames nothing is reported for half a minute
    session, found = Session(rules, forget=25), []
    session.feed(*game(6000, missing=(5900,)))
    assert [(finding.frame, finding.code) for finding, _ in session.look().found] == [(5900, "hit-missing")]


RANGE = """
voskar = 2
[layers]
names = ["hive", "keeper"]
[kinds.keeper.emitters.smoker]
spawn = "puff"
when = { every = "100f", first = "5f" }
aim = "facing"
speed = 240
[kinds.hornet]
health = 1
respawn = { after = "50f", at = "start" }
down = { lasts = "20f" }
boxes.belly = { role = "hurtbox", rect = [14, 10], layer = ["hive"] }
[kinds.puff]
motion = { life = "45f" }
boxes.core = { role = "hitbox", attack = "puff", circle = 3, mask = ["hive"] }
[attacks]
puff = { damage = 1, attacker.remove = true }
"""
"""What only the beginning of a run tells: when the smoker puffs, and where the hornet began."""


def right_game(folder: Path, frames: int) -> tuple[Path, list[dict[str, Any]]]:
    from voskar.files.recording import read_recording
    from voskar.files.rulebook import parse_rulebook

    (folder / "range.toml").write_text(RANGE)
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0}
    lines = [HEAD | {"reactions": "raw"}]
    for at in range(frames):
        hornet = {"id": "hornet", "kind": "hornet", "x": 60 + at % 7, "y": at % 3}
        lines.append({"frame": at, "poses": [keeper, hornet]})
    book = parse_rulebook(RANGE, "range.toml")
    played = read_recording([json.dumps(line).encode() for line in lines], "game", book)
    header, entries = perfect_log(book.rules(played.rate), played)
    return folder / "range.toml", [{"voskar": "recording", "version": 2} | header, *entries]


def without_hit(lines: list[dict[str, Any]], since: int) -> int:
    """The game does not claim the first hit from a frame on. Its frame."""
    for line in lines[1 + since :]:
        if any(claim["event"] == "hit" for claim in line.get("claims", ())):
            line["claims"] = [claim for claim in line["claims"] if claim["event"] != "hit"]
            return int(line["frame"])
    raise AssertionError("no hit")


def test_a_right_game_has_no_findings_after_frames_are_forgotten(tmp_path: Path) -> None:
    rules, lines = right_game(tmp_path, 9000)
    missing = without_hit(lines, 8000)
    session, found = Session(rules, forget=40), []
    for at in range(0, len(lines), 300):
        session.feed(*lines[at : at + 300])
        found += told(session)
    assert session.short_look() == ((), ())
    assert found == [(missing, "hit-missing")]
    assert session.tally.frames == 9000


def test_a_short_look_at_a_long_run_reports_what_a_whole_one_does(tmp_path: Path) -> None:
    rules, lines = right_game(tmp_path, 9000)
    missing = without_hit(lines, 8300)
    session = Session(rules)
    session.feed(*lines[:8000])
    assert session.look() == ((), ())
    session.feed(*lines[8000:])
    assert [(finding.frame, finding.code) for finding, _ in session.short_look().found] == [(missing, "hit-missing")]
    assert session.look(over=True) == ((), ())
    assert session.tally.findings == 1


FIRED = {"spawn": "puff", "when": {"every": "9f"}, "speed": 9}
PUFF = {"motion": {"life": "20f"}}


@pytest.mark.parametrize(
    ("more", "logs", "past"),
    [
        ({}, {}, 60 + 30),
        ({"keeper": {"iframes": "45f"}}, {}, 60 + 45),
        ({"keeper": {"respawn": {"after": "50f", "iframes": "20f"}, "down": {"lasts": "10f"}}}, {}, 60 + 30 + 80),
        ({"keeper": {"emitters": {"smoker": FIRED}}, "puff": PUFF}, {"puff": {}}, 60 + 30 + 20),
        ({"keeper": {"emitters": {"smoker": FIRED}}, "puff": {}}, {"puff": {}}, 60 + 30 + 240),
        ({"keeper": {"emitters": {"smoker": FIRED}}, "puff": PUFF}, {}, None),
        ({}, {"keeper": {}}, None),
        ({"keeper": {"lives": 3}}, {}, None),
        ({"keeper": {"counters": {"guard": {"max": 9, "regen": {"amount": 1, "every": "20f"}}}}}, {}, None),
        (
            {"keeper": {"counters": {"guard": {"max": 9, "regen": {"amount": 1, "every": "20f"}}}}},
            {"keeper": {"health": 3, "counters": {"guard": 2}}},
            60 + 180,
        ),
        ({"bramble": {}}, {}, 60 + 30),
        ({"bramble": {"motion": {"velocity": [9, 0]}}}, {}, None),
        ({"bramble": {"health": 3}}, {}, None),
        (
            {
                "keeper": {
                    "cases": [{"name": "blocked", "if": {"falling": True}, "target": {"stun": "50f"}, "hitstop": "4f"}]
                }
            },
            {},
            60 + 50 + 8,
        ),
    ],
)
def test_a_short_look_sees_as_much_as_the_rules_remember(
    more: dict[str, Any], logs: dict[str, Any], past: int | None
) -> None:
    data = sting(keeper={"iframes": "30f", "health": 9})
    for name, keys in more.items():
        data["kinds"].setdefault(name, {}).update(keys)
    if "bramble" in more:
        data["fixtures"] = [{"kind": "bramble", "at": [900, 0]}]
    book = rulebook(data)
    shown = {"keeper": {"health": 9}, "hornet": {}} | logs
    poses = [
        {"id": name, "kind": name, "x": 400 * at, "y": 0} | fields for at, (name, fields) in enumerate(shown.items())
    ]
    played = recording(book, [{"poses": poses} for _ in range(3)])
    assert past_of(book.rules(played.rate), played) == past


def test_who_lies_dead_may_have_died_long_before() -> None:
    book = rulebook(sting(keeper={"health": 9}))
    health = [9, 0, 0, 5, 0]
    frames = [{"poses": [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0, "health": value}]} for value in health]
    played = recording(book, frames)
    pairs = [(first, since) for first in range(5) for since in range(first, 5) if any_remains(played, first, since)]
    assert pairs == [(1, 1), (1, 2), (1, 4), (2, 2), (2, 4), (4, 4)]


@pytest.mark.parametrize("claimed", [True, False])
def test_a_short_look_knows_that_the_run_is_over(tmp_path: Path, claimed: bool) -> None:
    """The keeper is out in 40. What touches the drone later is no hit, long after the frames that decided it."""
    data = sting(keeper={"health": 1, "lives": 1})
    data["kinds"]["drone"] = {"health": 99, "boxes": data["kinds"]["keeper"]["boxes"]}
    (tmp_path / "rules.toml").write_text(toml({"voskar": 2, **data}))
    keeper = {"id": "keeper", "kind": "keeper", "x": 0, "y": 0, "health": 1, "lives": 1}
    drone = {"id": "drone", "kind": "drone", "x": 400, "y": 0, "health": 99}
    lines: list[dict[str, Any]] = [HEAD]
    for at in range(1500):
        near = 0 if at == 40 else 400 if at > 40 and at % 20 == 0 else 200
        poses = [drone, {"id": "hornet", "kind": "hornet", "x": near, "y": 0}]
        lines.append({"frame": at, "poses": [keeper, *poses] if at < 40 else poses})
    lines[41]["poses"] = [keeper | {"health": 0, "lives": 0}, *lines[41]["poses"]]
    lines[41]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    lines[41]["claims"] += [{"event": "over"}] if claimed else []
    session = Session(tmp_path / "rules.toml")
    session.feed(*lines[:1200])
    if not claimed:
        assert session.look() == ((), ())
    session.feed(*lines[1200:])
    assert session.short_look() == ((), ())


@pytest.mark.parametrize("missing", range(980, 1260, 20))
def test_a_glance_sees_all_since_the_last_one(rules: Path, missing: int) -> None:
    """However long ago it was: a busy machine makes them seldom."""
    session, lines = Session(rules), game(1300, missing=(missing,))
    session.feed(*lines[:1001])
    assert not session.glance()
    session.feed(*lines[1001:1290])
    assert session.glance()


def test_what_follows_from_an_unknown_past_is_reported_by_itself() -> None:
    """The first hit or event of each actor that a look reports something of; a hit that follows there stays so."""

    def wrong(code: str, at: int, target: str) -> Finding:
        return Finding(code, at, "hornet", target)

    unknown = wrong("hit-missing", 3, "a")
    follows = (
        wrong("hit-missing", 20, "b"),
        wrong("hit-missing", 50, "c"),
        wrong("event-denied", 55, "d"),
        wrong("health", 60, "c"),
        wrong("hit-denied", 70, "c"),
        wrong("event-values", 80, "e"),
    )
    known = wrong("hit-missing", 90, "f"), (wrong("hit-denied", 95, "g"),)
    found = [(root.target, root.frame, [other.frame for other in then])
             for root, then in own_roots([(unknown, follows), known], 40)]  # fmt: skip
    assert found == [("c", 50, [60, 70]), ("d", 55, [])]


def test_an_actor_that_changes_its_kind_is_wrong_in_its_frame(rules: Path) -> None:
    """However far apart the two frames came, and though nothing has looked yet."""
    session, lines = Session(rules), game(100, missing=(20,))
    lines[71]["poses"][0]["kind"] = "hornet"
    for line in lines[:71]:
        session.feed(line)
    with pytest.raises(InputError, match='"keeper" changes its kind from "keeper" to "hornet"') as error:
        session.feed(lines[71])
    assert error.value.problems[0].line == 72
    assert told(session) == [(20, "hit-missing")]
    assert session.glance() is False


# the command


def started(*arguments: str | Path, cwd: Path) -> subprocess.Popen[str]:
    program = Path(sys.executable).parent / "voskar"
    return subprocess.Popen(
        [program, "live", *map(str, arguments)], cwd=cwd, text=True, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        stderr=subprocess.PIPE, env={**os.environ, "COLUMNS": "120"},
    )  # fmt: skip


def until(holds: Any) -> None:
    for _ in range(400):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("it never came")


def written(lines: list[dict[str, Any]]) -> str:
    return "".join(json.dumps(line) + "\n" for line in lines)


class Output:
    """What a command has printed so far."""

    def __init__(self, stream: Any) -> None:
        self.text = ""
        self._stream = stream
        self._thread = threading.Thread(target=self._read, daemon=True)
        self._thread.start()

    def _read(self) -> None:
        for line in self._stream:
            self.text += line

    def whole(self) -> str:
        self._thread.join(20)
        return self.text


def test_a_file_that_grows(rules: Path, tmp_path: Path, here: Any) -> None:
    path, text = tmp_path / "play.jsonl", written(game(200, missing=(60, 100)))
    live = started(rules, path, "--json", cwd=tmp_path)
    out = Output(live.stdout)
    half = text.index('{"frame": 95') + 7  # in a line
    with path.open("w") as file:
        file.write(text[:half])
        file.flush()
        until(lambda: '"frame": 60' in out.text)
        file.write(text[half:])
    until(lambda: '"frame": 100' in out.text)
    path.write_text(written(game(120, missing=(20,))))  # the game starts again
    until(lambda: '"begun"' in out.text and '"frame": 20' in out.text)
    live.send_signal(signal.SIGINT)
    *events, last = out.whole().splitlines()
    live.wait(20)
    assert live.returncode == 1
    whole = here("check", rules, path, "--json", cwd=tmp_path)
    assert last + "\n" == whole.stdout
    described = [(json.loads(event)["event"], json.loads(event).get("frame")) for event in events]
    assert described == [("finding", 60), ("finding", 100), ("begun", None), ("finding", 20)]


def test_a_game_that_connects(rules: Path, tmp_path: Path) -> None:
    live = started(rules, "--listen", "127.0.0.1:0", "--save", "kept.jsonl", cwd=tmp_path)
    assert live.stderr is not None
    address = live.stderr.readline().split()[-1]
    out = Output(live.stdout)
    for missing in (60, 80):
        text = written(game(200, missing=(missing,))).encode()
        with socket.create_connection(("127.0.0.1", int(address.rpartition(":")[2]))) as game_side:
            game_side.sendall(text)
            until(lambda at=missing: f"{at} hit-missing" in out.text)
    live.send_signal(signal.SIGINT)
    described = out.whole()
    live.wait(20)
    assert "another recording begins" in described
    assert "200" not in described
    assert (tmp_path / "kept-2.jsonl").read_bytes() == text
    assert (tmp_path / "kept.jsonl").exists()
    assert live.returncode == 1


def test_standard_input_ends_by_itself(rules: Path, tmp_path: Path) -> None:
    live = started(rules, "-", cwd=tmp_path)
    out, error = live.communicate(written(game(100)), timeout=60)
    assert (live.returncode, error) == (0, "")
    assert "5 claimed hits, 5 by the rules: 5 agreed" in out
    live = started(rules, "-", cwd=tmp_path)
    bad = {"frame": 1, "poses": [{"id": "x", "kind": "hornett", "x": 0, "y": 0}]}
    out, error = live.communicate(written([HEAD, frame(0), bad]), timeout=60)
    assert live.returncode == 2
    assert "Traceback" not in error
    assert 'unknown kind "hornett" (did you mean "hornet"?)' in error


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        ([], "give a SOURCE, or --listen HOST:PORT"),
        (["a.jsonl", "--listen", "127.0.0.1:1"], "give a SOURCE, or --listen HOST:PORT"),
        (["--listen", "7777x"], 'found "7777x", expected an address such as 127.0.0.1:7777'),
        (["--listen", "127.0.0.1:1", "--save", "no/where.jsonl"], "no/where.jsonl"),
        (["a.jsonl", "--forget", "10"], 'found "10", expected a time such as 90s, 10m or 1h, or never'),
    ],
)
def test_bad_arguments(rules: Path, tmp_path: Path, here: Any, arguments: list[str], message: str) -> None:
    done = here("live", rules, *arguments, cwd=tmp_path)
    assert done.returncode == 2
    assert message in done.stderr


def test_what_had_to_be_spent_is_paid_back_bit_by_bit(monkeypatch: pytest.MonkeyPatch) -> None:
    now = [0.0]
    monkeypatch.setattr("voskar.live.allowance.time", SimpleNamespace(monotonic=lambda: now[0]))
    allowance = Allowance(0.5)
    now[0] = 4.0
    allowance.owe(5.0)  # of which 2 s are there
    assert allowance.left() == 0.0
    for when, left in ((8.0, 1.0), (14.0, 2.5), (16.0, 3.0), (17.0, 3.5), (30.0, 4.0)):
        now[0] = when
        assert allowance.left() == left
    allowance.take(6.0)
    assert allowance.left() == -2.0
