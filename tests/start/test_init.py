# ruff: noqa: E501
"""A folder to begin in runs as it is; a logger in each language writes the same little scene."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from voskar.files.recording import load_recording
from voskar.start import LOGGERS

RULES = """voskar = 2
layers.names = ["player", "blade"]
contact.clash.blade = ["blade"]
kinds.keeper.health = 3
kinds.keeper.lives = 2
kinds.keeper.tags = ["low", "near"]
kinds.keeper.counters = { guard.start = 4, wax.start = 1.5 }
kinds.keeper.boxes.torso = { role = "hurtbox", rect = [16, 30], layer = ["player"] }
kinds.keeper.boxes.hull = { role = "hurtbox", logged = true }
kinds.keeper.boxes.fist = { role = "hitbox", attack = "punch", circle = 3, layer = ["blade"] }
kinds.hornet.boxes.sting = { role = "hitbox", attack = "sting", circle = 5, mask = ["player"], layer = ["blade"] }
attacks.sting = { damage = 1, strength = 1 }
attacks.punch = {}
"""

PROGRAMS = {
    "python": ("main.py", """
from recorder import Recorder
log = Recorder("play.jsonl", 60, title="one")
log.reset("run")
log.pose("keeper", "keeper", 1.5, -2, facing=-1, clip="run", tick=3, health=3, lives=2, immune=False,
         boxes={"torso": [-6.5, -17, 9.5, 13]})
log.pose("h-1", "hornet", 0.1, 30, cut=True, hidden=True, owner="nest", angle=90)
log.input("keeper", "fire", aim=[3, 4.25])
log.display(id="keeper", health=3)
log.display(clock="0:00")
log.end_frame()
log.pose("keeper", "keeper", 1.5, 30, health=2, frozen=False, tags=["low", "near"], counters={"guard": 4, "wax": 1.5}, z=2,
         boxes={"hull": {"circle": [1.5, 30, 7]}, "torso": [-6.5, 15, 9.5, 45]})
log.pose("h-1", "hornet", 0.1, 30)
log.claim("hit", attacker="h-1", target="keeper", damage=1)
log.claim("clash", ids=["h-1", "keeper"])
log.end_frame()
""", [["python3", "main.py"]]),
    "javascript": ("main.js", """
const { Recorder } = require("./recorder.js");
const log = new Recorder({ rate: 60, title: "one", write: Recorder.toFile("play.jsonl") });
log.reset("run");
log.pose("keeper", "keeper", 1.5, -2, { facing: -1, clip: "run", tick: 3, health: 3, lives: 2, immune: false, boxes: { torso: [-6.5, -17, 9.5, 13] } });
log.pose("h-1", "hornet", 0.1, 30, { cut: true, hidden: true, owner: "nest", angle: 90 });
log.input("keeper", "fire", { aim: [3, 4.25] });
log.display({ id: "keeper", health: 3 });
log.display({ clock: "0:00" });
log.endFrame();
log.pose("keeper", "keeper", 1.5, 30, { health: 2, frozen: false, tags: ["low", "near"], counters: { guard: 4, wax: 1.5 }, z: 2, boxes: { hull: { circle: [1.5, 30, 7] }, torso: [-6.5, 15, 9.5, 45] } });
log.pose("h-1", "hornet", 0.1, 30);
log.claim("hit", { attacker: "h-1", target: "keeper", damage: 1 });
log.claim("clash", { ids: ["h-1", "keeper"] });
log.endFrame();
""", [["node", "main.js"]]),
    "lua": ("main.lua", """
local Recorder = require("recorder")
local log = Recorder.new("play.jsonl", { rate = 60, title = "one" })
log:reset("run")
log:pose("keeper", "keeper", 1.5, -2, { facing = -1, clip = "run", tick = 3, health = 3, lives = 2, immune = false, boxes = { torso = { -6.5, -17, 9.5, 13 } } })
log:pose("h-1", "hornet", 0.1, 30, { cut = true, hidden = true, owner = "nest", angle = 90 })
log:input("keeper", "fire", { aim = { 3, 4.25 } })
log:display({ id = "keeper", health = 3 })
log:display({ clock = "0:00" })
log:end_frame()
log:pose("keeper", "keeper", 1.5, 30, { health = 2, frozen = false, tags = { "low", "near" }, counters = { guard = 4, wax = 1.5 }, z = 2, boxes = { torso = { -6.5, 15, 9.5, 45 }, hull = { circle = { 1.5, 30, 7 } } } })
log:pose("h-1", "hornet", 0.1, 30)
log:claim("hit", { attacker = "h-1", target = "keeper", damage = 1 })
log:claim("clash", { ids = { "h-1", "keeper" } })
log:end_frame()
log:close()
""", [["lua5.4", "main.lua"]]),
    "cpp": ("main.cpp", """
#include "recorder.hpp"
int main() {
    voskar::Recorder log("play.jsonl", 60, "\\"title\\":\\"one\\"");
    log.reset("run");
    log.pose("keeper", "keeper", 1.5, -2).with("facing", -1).with("clip", "run").with("tick", 3).with("health", 3).with("lives", 2).with("immune", false).box("torso", -6.5, -17, 9.5, 13);
    log.pose("h-1", "hornet", 0.1, 30).with("cut", true).with("hidden", true).with("owner", "nest").with("angle", 90);
    log.input("keeper", "fire").with("aim", 3, 4.25);
    log.display().with("id", "keeper").with("health", 3);
    log.display().with("clock", "0:00");
    log.end_frame();
    log.pose("keeper", "keeper", 1.5, 30).with("health", 2).with("frozen", false).list("tags", {"low", "near"}).counter("guard", 4).counter("wax", 1.5).with("z", 2).circle("hull", 1.5, 30, 7).box("torso", -6.5, 15, 9.5, 45);
    log.pose("h-1", "hornet", 0.1, 30);
    log.claim("hit").with("attacker", "h-1").with("target", "keeper").with("damage", 1);
    log.claim("clash").list("ids", {"h-1", "keeper"});
    log.end_frame();
}
""", [["g++", "-std=c++17", "-Wall", "-Werror", "main.cpp", "-o", "main"], ["./main"]]),
    "rust": ("main.rs", """
mod recorder;
use recorder::Recorder;
fn main() {
    let mut log = Recorder::new("play.jsonl", 60.0, "\\"title\\":\\"one\\"");
    log.reset("run");
    log.pose("keeper", "keeper", 1.5, -2.0).with("facing", -1).with("clip", "run").with("tick", 3).with("health", 3).with("lives", 2).with("immune", false).open("torso", -6.5, -17.0, 9.5, 13.0);
    log.pose("h-1", "hornet", 0.1, 30.0).with("cut", true).with("hidden", true).with("owner", "nest").with("angle", 90);
    log.input("keeper", "fire").with("aim", (3.0, 4.25));
    log.display().with("id", "keeper").with("health", 3);
    log.display().with("clock", "0:00");
    log.end_frame();
    log.pose("keeper", "keeper", 1.5, 30.0).with("health", 2).with("frozen", false).with("tags", &["low", "near"][..]).counter("guard", 4.0).counter("wax", 1.5).with("z", 2).open_circle("hull", 1.5, 30.0, 7.0).open("torso", -6.5, 15.0, 9.5, 45.0);
    log.pose("h-1", "hornet", 0.1, 30.0);
    log.claim("hit").with("attacker", "h-1").with("target", "keeper").with("damage", 1);
    log.claim("clash").with("ids", &["h-1", "keeper"][..]);
    log.end_frame();
}
""", [["rustc", "main.rs", "-o", "main"], ["./main"]]),
    "csharp": ("Main.cs", """
static class Scene {
    static void Main() {
        var log = new Voskar.Recorder("play.jsonl", 60, "\\"title\\":\\"one\\"");
        log.Reset("run");
        log.Pose("keeper", "keeper", 1.5, -2).With("facing", -1).With("clip", "run").With("tick", 3).With("health", 3).With("lives", 2).With("immune", false).Box("torso", -6.5, -17, 9.5, 13);
        log.Pose("h-1", "hornet", 0.1, 30).With("cut", true).With("hidden", true).With("owner", "nest").With("angle", 90);
        log.Input("keeper", "fire").With("aim", 3, 4.25);
        log.Display().With("id", "keeper").With("health", 3);
        log.Display().With("clock", "0:00");
        log.EndFrame();
        log.Pose("keeper", "keeper", 1.5, 30).With("health", 2).With("frozen", false).List("tags", "low", "near").Counter("guard", 4).Counter("wax", 1.5).With("z", 2).Circle("hull", 1.5, 30, 7).Box("torso", -6.5, 15, 9.5, 45);
        log.Pose("h-1", "hornet", 0.1, 30);
        log.Claim("hit").With("attacker", "h-1").With("target", "keeper").With("damage", 1);
        log.Claim("clash").List("ids", "h-1", "keeper");
        log.EndFrame();
    }
}
""", [["mcs", "-out:main.exe", "Main.cs", "Recorder.cs"], ["mono", "main.exe"]]),
}  # fmt: skip


def prepared(language: str, folder: Path, here: Any) -> tuple[str, str, list[list[str]]]:
    """Writes a logger: the name of a program that uses it, the program, and how to run it."""
    name, code, commands = PROGRAMS[language]
    if shutil.which(commands[0][0]) is None:
        pytest.skip(f"no {commands[0][0]} to try the logger of {language} with")
    assert here("init", folder, "--logger", language, cwd=folder).returncode == 0
    return name, code, commands


@pytest.mark.parametrize("language", sorted(LOGGERS))
def test_each_logger_writes_the_same_scene(language: str, tmp_path: Path, here: Any) -> None:
    name, code, commands = prepared(language, tmp_path, here)
    (tmp_path / name).write_text(code)
    for line in commands:
        done = subprocess.run(line, cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False)
        assert done.returncode == 0, done.stderr
    (tmp_path / "scene.toml").write_text(RULES)
    assert here("check", "scene.toml", "play.jsonl", cwd=tmp_path).returncode == 0
    assert here("convert", "play.jsonl", "same.jsonl", cwd=tmp_path).returncode == 0
    assert (tmp_path / "same.jsonl").read_text() == SAME


SAME = """\
{"voskar":"recording","version":2,"rate":60,"title":"one"}
{"frame":0,"poses":[{"id":"keeper","kind":"keeper","x":1.5,"y":-2.0,"facing":-1,"clip":"run","tick":3,"health":3.0,"lives":2.0,"immune":false,"boxes":{"torso":[-6.5,-17.0,9.5,13.0]}},{"id":"h-1","kind":"hornet","x":0.1,"y":30.0,"angle":90.0,"owner":"nest","cut":true,"hidden":true}],"inputs":[{"id":"keeper","button":"fire","aim":[3.0,4.25]}],"display":[{"id":"keeper","health":3.0},{"clock":"0:00"}],"reset":"run"}
{"frame":1,"poses":[{"id":"keeper","kind":"keeper","x":1.5,"y":30.0,"z":2.0,"health":2.0,"frozen":false,"tags":["low","near"],"counters":{"guard":4.0,"wax":1.5},"boxes":{"hull":{"circle":[1.5,30.0,7.0]},"torso":[-6.5,15.0,9.5,45.0]}},{"id":"h-1","kind":"hornet","x":0.1,"y":30.0}],"claims":[{"event":"hit","attacker":"h-1","target":"keeper","damage":1.0},{"event":"clash","ids":["h-1","keeper"]}]}
"""


def test_a_new_folder_runs_and_passes_its_audit(tmp_path: Path, here: Any) -> None:
    done = here("init", "combat", "--logger", "python", cwd=tmp_path)
    assert done.returncode == 0
    folder = tmp_path / "combat"
    done = here("suite", cwd=folder)
    assert (done.returncode, "frame 26: hit-denied" in done.stdout) == (1, True)
    assert here("audit", "rules.toml", "first.stage.toml", cwd=folder).returncode == 0
    for name, schema in (("rules.toml", "rulebook"), ("voskar.toml", "suite"), ("first.stage.toml", "stage")):
        assert (folder / name).read_text().startswith(f"#:schema ./schema/{schema}.json\n")
        assert (folder / "schema" / f"{schema}.json").read_text() == here("schema", schema, cwd=folder).stdout
    done = here("init", "combat", cwd=tmp_path)
    assert (done.returncode, "--overwrite" in done.stderr) == (2, True)


def test_schemas_take_the_demos_files(apiary: Path, here: Any) -> None:
    import json
    import tomllib

    import jsonschema

    files = {
        "rulebook": ["*.toml"], "suite": ["voskar.toml"], "stage": ["*.stage.toml", "bugs/*.stage.toml"],
        "expect": ["*.expect.toml", "bugs/*.expect.toml"],
    }  # fmt: skip
    for name, patterns in files.items():
        schema = json.loads(here("schema", name, cwd=apiary).stdout)
        validator = jsonschema.Draft202012Validator(schema)
        found = [path for pattern in patterns for path in apiary.glob(pattern)]
        assert found
        for path in found:
            own = name != "rulebook" or (path.name not in ("voskar.toml",) and path.suffixes == [".toml"])
            if own:
                assert not list(validator.iter_errors(tomllib.loads(path.read_text()))), path
    wrong = {"voskar": 2, "kinds": {"keeper": {"helth": 3}}}
    schema = json.loads(here("schema", "rulebook", cwd=apiary).stdout)
    assert schema["$defs"]["KnockbackTable"]["properties"]["over"]["default"] == "1f"
    assert "helth" in next(jsonschema.Draft202012Validator(schema).iter_errors(wrong)).message


SLOW = {
    "python": """
from recorder import Recorder
log = Recorder("tcp://127.0.0.1:PORT", 60)
for frame in range(FRAMES):
    for k in range(20):
        log.pose(f"hornet-{k}", "hornet", k, frame)
    log.end_frame()
print(log.lost, flush=True)
log.close()
""",
    "cpp": """
#include "recorder.hpp"
int main() {
    voskar::Recorder log("tcp://127.0.0.1:PORT", 60);
    for (int frame = 0; frame < FRAMES; ++frame) {
        for (int k = 0; k < 20; ++k) log.pose("hornet-" + std::to_string(k), "hornet", k, frame);
        log.end_frame();
    }
    std::printf("%ld\\n", log.lost());
    std::fflush(stdout);
}
""",
    "rust": """
mod recorder;
use recorder::Recorder;
fn main() {
    let mut log = Recorder::new("tcp://127.0.0.1:PORT", 60.0, "");
    for frame in 0..FRAMES {
        for k in 0..20 { log.pose(&format!("hornet-{k}"), "hornet", k as f64, frame as f64); }
        log.end_frame();
    }
    println!("{}", log.lost);
}
""",
    "javascript": """
const { Recorder } = require("./recorder.js");
const log = new Recorder({ rate: 60, flushSeconds: 0, write: Recorder.toTcp("127.0.0.1", PORT) });
let frame = 0;
const step = () => {
  for (let n = 0; n < 200; n++, frame++) {
    for (let k = 0; k < 20; k++) log.pose(`hornet-${k}`, "hornet", k, frame);
    log.endFrame();
  }
  if (frame < FRAMES) setTimeout(step, 1); else { console.log(log.lost); log.close(); }
};
step();
""",
    "csharp": """
static class Scene {
    static void Main() {
        var log = new Voskar.Recorder("tcp://127.0.0.1:PORT", 60);
        for (int frame = 0; frame < FRAMES; frame++) {
            for (int k = 0; k < 20; k++) log.Pose("hornet-" + k, "hornet", k, frame);
            log.EndFrame();
        }
        System.Console.WriteLine(log.Lost);
        log.Dispose();
    }
}
""",
}


@pytest.mark.parametrize("language", sorted(SLOW))
def test_a_slow_reader_costs_frames_and_no_time(language: str, tmp_path: Path, here: Any) -> None:
    """The game is over before its reader reads anything; what was lost is logged where it was lost."""
    name, _, commands = prepared(language, tmp_path, here)
    frames = 12_000
    with socket.create_server(("127.0.0.1", 0)) as door:
        code = SLOW[language].replace("PORT", str(door.getsockname()[1])).replace("FRAMES", str(frames))
        (tmp_path / name).write_text(code)
        for line in commands[:-1]:
            subprocess.run(line, cwd=tmp_path, capture_output=True, timeout=120, check=True)
        game = subprocess.Popen(commands[-1], cwd=tmp_path, stdout=subprocess.PIPE, text=True)
        connection, _ = door.accept()
        with connection:
            assert game.stdout is not None
            lost = int(game.stdout.readline())  # all frames are over, and nothing has read any
            text = b""
            while piece := connection.recv(1 << 20):
                text += piece
        assert game.wait(60) == 0
    assert lost > 0
    lines = [json.loads(line) for line in text.splitlines()[1:-1]]
    for before, after in pairwise(lines):
        assert after["frame"] == before["frame"] + 1 + after.get("dropped", 0)


@pytest.mark.parametrize("language", sorted(SLOW.keys() - {"javascript"}))
def test_a_game_without_pauses_loses_nothing_in_a_file(language: str, tmp_path: Path, here: Any) -> None:
    """It makes more in the time between two writes than may wait for a slow reader."""
    name, _, commands = prepared(language, tmp_path, here)
    code = SLOW[language].replace("tcp://127.0.0.1:PORT", "fast.jsonl").replace("FRAMES", "12000")
    (tmp_path / name).write_text(code)
    for line in commands:
        done = subprocess.run(line, cwd=tmp_path, capture_output=True, timeout=120, check=True, text=True)
    assert int(done.stdout) == 0
    frames = [json.loads(line)["frame"] for line in (tmp_path / "fast.jsonl").read_text().splitlines()[1:]]
    assert frames == list(range(12_000))


ODD = {
    "python": """
import math
from recorder import Recorder
log = Recorder("play.jsonl.gz", 60)
a, b, c = log.pool("shot-0"), log.pool("shot-0"), log.pool("shot-1")
log.pose("keeper\\nx", "keeper", math.nan, 1 / 3, health=math.inf)
log.pose(a, "hornet", 1e7, -0.00001)
log.end_frame()
log.pose(b, "hornet", 123.45678, 2, boxes={"sting": {"polygon": [[0, 0], [4, 0], [0, 1 / 3]]}})
log.pose(c, "hornet", 1, 2)
log.end_frame()
""",
    "javascript": """
import "./recorder.js";
const bad = new Recorder({ rate: 60, write: Recorder.toFile("no/where.jsonl") });
bad.endFrame();
bad.close();
if (!bad.problem) throw Error("a bad path is a problem");
const log = new Recorder({ rate: 60, write: Recorder.toFile("play.jsonl.gz") });
const [a, b, c] = [log.pool("shot-0"), log.pool("shot-0"), log.pool("shot-1")];
log.pose("keeper\\nx", "keeper", NaN, 1 / 3, { health: Infinity });
log.pose(a, "hornet", 1e7, -0.00001);
log.endFrame();
log.pose(b, "hornet", 123.45678, 2, { boxes: { sting: { polygon: [[0, 0], [4, 0], [0, 1 / 3]] } } });
log.pose(c, "hornet", 1, 2);
log.endFrame();
""",
    "lua": """
local Recorder = require("recorder")
Recorder.new("empty.jsonl"):close()
Recorder.new("empty.jsonl", {}):close()
local failing = Recorder.new("empty.jsonl", {}, 0, function() error("no memory") end)
failing:close()
assert(failing.problem:find("no memory"))
Recorder.new("empty.jsonl", {}):close()
-- a gzip member that holds its text as it is
local function pack(text)
  local sum, size = 0xffffffff, #text
  for at = 1, size do
    sum = sum ~ text:byte(at)
    for _ = 1, 8 do sum = (sum >> 1) ~ (0xedb88320 & -(sum & 1)) end
  end
  return string.pack("<BBBBI4BBBI2I2", 31, 139, 8, 0, 0, 0, 255, 1, size, size ~ 0xffff) .. text .. string.pack("<I4I4", ~sum & 0xffffffff, size)
end
local log = Recorder.new("play.jsonl.gz", { rate = 60 }, 0, pack)
local a, b, c = log:pool("shot-0"), log:pool("shot-0"), log:pool("shot-1")
log:pose("keeper\\nx", "keeper", 0 / 0, 1 / 3, { health = 1 / 0 })
log:pose(a, "hornet", 1e7, -0.00001)
log:end_frame()
log:pose(b, "hornet", 123.45678, 2, { boxes = { sting = { polygon = { { 0, 0 }, { 4, 0 }, { 0, 1 / 3 } } } } })
log:pose(c, "hornet", 1, 2)
log:end_frame()
error("the game ends")
""",
    "cpp": """
#include "recorder.hpp"
#include <clocale>
#include <cmath>
int main() {
    std::setlocale(LC_ALL, "de_DE.UTF-8");
    voskar::Recorder log("play.jsonl.gz", 60);
    const std::string a = log.pool("shot-0"), b = log.pool("shot-0"), c = log.pool("shot-1");
    auto& first = log.pose("keeper\\nx", "keeper", std::nan(""), 1.0 / 3);
    log.pose(a, "hornet", 1e7, -0.00001);
    first.with("health", INFINITY).with("tick", std::size_t{3}).with("clip", "run");
    log.end_frame();
    log.pose(b, "hornet", 123.45678f, 2).polygon("sting", {0, 0, 4, 0, 0, 1.0 / 3});
    log.pose(c, "hornet", 1, 2);
    log.end_frame();
}
""",
    "rust": """
mod recorder;
use recorder::Recorder;
/// A gzip member that holds its bytes as they are.
fn pack(bytes: &[u8]) -> Vec<u8> {
    let sum = bytes.iter().fold(!0u32, |sum, byte| (0..8).fold(sum ^ *byte as u32, |sum, _| (sum >> 1) ^ (0xedb88320 & (sum & 1).wrapping_neg())));
    let size = bytes.len() as u16;
    let head = [&[31u8, 139, 8, 0, 0, 0, 0, 0, 0, 255, 1][..], &size.to_le_bytes(), &(!size).to_le_bytes()].concat();
    [&head, bytes, &(!sum).to_le_bytes(), &(bytes.len() as u32).to_le_bytes()].concat()
}
fn main() {
    let mut log = Recorder::packed("play.jsonl.gz", 60.0, "", pack);
    let (a, b, c) = (log.pool("shot-0"), log.pool("shot-0"), log.pool("shot-1"));
    log.pose("keeper\\nx", "keeper", f64::NAN, 1.0 / 3.0).with("health", f64::INFINITY);
    log.pose(&a, "hornet", 1e7, -0.00001);
    log.end_frame();
    log.pose(&b, "hornet", 123.45678, 2.0).open_polygon("sting", &[[0.0, 0.0], [4.0, 0.0], [0.0, 1.0 / 3.0]]);
    log.pose(&c, "hornet", 1.0, 2.0);
    log.end_frame();
}
""",
    "csharp": """
static class Scene {
    static void Main() {
        System.Threading.Thread.CurrentThread.CurrentCulture = new System.Globalization.CultureInfo("de-DE");
        var log = new Voskar.Recorder("play.jsonl.gz", 60);
        string a = log.Pool("shot-0"), b = log.Pool("shot-0"), c = log.Pool("shot-1");
        var first = log.Pose("keeper\\nx", "keeper", double.NaN, 1.0 / 3);
        log.Pose(a, "hornet", 1e7, -0.00001);
        first.With("health", double.PositiveInfinity);
        log.EndFrame();
        log.Pose(b, "hornet", 123.45678, 2).Polygon("sting", 0, 0, 4, 0, 0, 1.0 / 3);
        log.Pose(c, "hornet", 1, 2);
        log.EndFrame();
    }
}
""",
}


@pytest.mark.parametrize("language", sorted(ODD))
def test_odd_values_are_repaired_and_told(language: str, tmp_path: Path, here: Any) -> None:
    name, _, commands = prepared(language, tmp_path, here)
    (tmp_path / name).write_text(ODD[language])
    if language == "javascript":
        (tmp_path / "package.json").write_text('{"type": "module"}')
    if language == "cpp":
        commands = [
            ["g++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-DVOSKAR_GZIP", "main.cpp", "-o", "main", "-lz"],
            ["./main"],
        ]
        if subprocess.run(
            ["g++", "-E", "-include", "zlib.h", "-x", "c++", "/dev/null"], capture_output=True, check=False
        ).returncode:
            pytest.skip("no zlib to compile with")
    for line in commands:
        done = subprocess.run(line, cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False)
        assert done.returncode == 0 or language == "lua", done.stderr
    if (tmp_path / "empty.jsonl").exists():
        assert json.loads((tmp_path / "empty.jsonl").read_text()) == {"voskar": "recording", "version": 2}
    (path,) = tmp_path.glob("play.jsonl*")
    assert here("convert", path.name, "same.jsonl", cwd=tmp_path).returncode == 0
    notes = [warning for warning in load_recording(path, None).warnings if "the logger repaired" in warning]
    assert [("x was" in note, "health was" in note, "id had" in note) for note in sorted(notes)] == [
        (False, True, False), (False, False, True), (True, False, False),
    ], notes  # fmt: skip
    assert all("frame 0" in note and "keeper?x" in note for note in notes)
    first, second = [json.loads(line)["poses"] for line in (tmp_path / "same.jsonl").read_text().splitlines()[1:]]
    assert [(item["id"], item["x"], item["y"]) for item in first] == [("keeper?x", 0.0, 0.3333), ("shot-0", 1e7, 0.0)]
    assert [(item["id"], item["x"]) for item in second] == [("shot-0~2", 123.4568), ("shot-1", 1.0)]
    assert second[0]["boxes"] == {"sting": {"polygon": [[0, 0], [4, 0], [0, 0.3333]]}}
