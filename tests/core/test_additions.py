"""What it costs to add a thing: each is declared once, and everything else learns of it.

The package is copied, one of each thing is added to the copy, and the copy is asked for all of them. The documentation
(docs/architecture.md, *To add …*) names the same files.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import voskar

PACKAGE = Path(voskar.__file__).parent
DOCS = PACKAGE.parents[1] / "docs" / "architecture.md"

GATE = """
from voskar.core.gate import Gate, GateAnswer

GATE = Gate("braced", "b", "blue", lambda contact: contact.target.kind.weight > 9, lambda contact: GateAnswer(
    contact.target.kind.weight > 9, f"weight {contact.target.kind.weight:g}"))
"""
CONSEQUENCE = """
from voskar.core.consequences.consequence import Consequence
from voskar.core.ledger.events import TintEvent


def apply(effect):
    world, detail = effect.world, effect.table.tint
    world.events.append(TintEvent(frame=world.frame, id=effect.own.id, detail=detail))


CONSEQUENCE = Consequence("tint", "tint", lambda table: table.tint is not None, apply, "counters")
"""
EVENT = '''class TintEvent(Event, frozen=True, gc=False, kw_only=True):
    """A colour that an actor takes."""

    event: ClassVar[str] = "tint"

    id: str
    detail: str


EVENT_TYPES:'''
LOADED = "    __import__('voskar.core.{0}', fromlist=['x']).{1},\n"
SQUARE = "lambda table, image: rectangle(0, 0, table.square, table.square)"
HEAT = '    heat: Annotated[Floats, _logged("number", lingers=False, state=True, late=True)]\n'
ADDED: dict[str, dict[str, tuple[str, str] | str]] = {
    # what is added: the files, each with the text that something is put before, or the whole of a new one
    "a gate": {
        "core/judging/gates/braced.py": GATE,
        "core/judging/gates/__init__.py": ("    ally.GATE,", LOADED.format("judging.gates.braced", "GATE")),
    },
    "an event": {"core/ledger/events.py": ("EVENT_TYPES:", EVENT.removesuffix("EVENT_TYPES:"))},
    "a consequence": {
        "core/consequences/tint.py": CONSEQUENCE,
        "core/consequences/__init__.py": ("    goal.CONSEQUENCE,", LOADED.format("consequences.tint", "CONSEQUENCE")),
    },
    "a key of a consequence table": {
        "core/rules/attacks.py": ("    goal: bool = False", "    tint: str | None = None\n"),
        "files/attack_schema.py": ("    goal: bool = False", "    tint: str | None = None\n"),
    },
    "a key of an attack": {
        "core/rules/attacks.py": ("    rehit_group: str | None = None", "    heat: float = 0.0\n"),
        "files/attack_schema.py": ("    rehit_group: str | None = None", "    heat: Number = 0.0\n"),
    },
    "a key of a box": {
        "core/rules/boxes.py": ("    within_bounds: bool = False", "    padded: int = 0\n"),
        "files/rulebook_schema.py": ("    within_bounds: bool = False", "    padded: Frames = Duration.parse(0)\n"),
    },
    "a shape": {
        "files/shapes.py": ("    logged: Annotated[", "    square: Positive | None = None\n"),
    },
    "a finding": {
        "evidence/finding.py": (
            '    "cut-short": Code(',
            '    "too-hot": Code("too hot", "state", "an actor glows", ("health",)),\n',
        ),
    },
    "a pose field": {
        "core/recording/poses.py": ("    push_x: Floats", HEAT),
        "files/frames.py": (
            "    boxes: dict[str, LoggedValue] | UnsetType | None = UNSET",
            "    heat: _Number = UNSET\n",
        ),
    },
}
ALSO = {"files/shapes.py": ('    "polygon": Shape(_polygon),', f'    "square": Shape({SQUARE}, shrinks=True),\n')}
MOST = dict.fromkeys(ADDED, 2) | {"an event": 1, "a shape": 1, "a finding": 1}
"""The most files that may be touched."""

ASKED = r'''
import json, sys
from fractions import Fraction
from pathlib import Path
import voskar
from voskar.commands.main import run
from voskar.core.recording.poses import FIELDS, STATES
from voskar.core.views.coverage import rules_of
from voskar.evidence.finding import CODES
from voskar.files.rulebook import load_rulebook

Path("r.toml").write_text("""voskar = 2
layers.names = ["a"]
[kinds.keeper]
weight = 10
boxes.torso = { role = "hurtbox", circle = 3, layer = ["a"], padded = "2f" }
[kinds.moth]
boxes.torso = { role = "hurtbox", square = 4, layer = ["a"] }
[kinds.hornet.boxes.sting]
role = "hitbox"
attack = "sting"
circle = 3
mask = ["a"]
[attacks.sting]
damage = 1
heat = 2.5
rehit = "always"
target.tint = "blue"
attacker.consumed_by = ["braced"]
attacker.remove = true
attacker.pierce = 9
""")
names = ("keeper", "moth", "hornet")
poses = [{"id": name, "kind": name, "x": 0, "y": 0, **({"heat": 1.5} if name == "moth" else {})} for name in names]
lines = [{"voskar": "recording", "version": 2, "rate": 60}, {"frame": 0, "poses": poses}, {"frame": 1, "poses": poses}]
Path("r.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
Path("e.toml").write_text("voskar = 2\n" + "".join(f'[[expect]]\nevent = "{one}"\n' for one in ("braced", "tint")))
Path("s.stage.toml").write_text("""stage = 2
frames = 2
[[parts]]
id = "moth"
kind = "moth"
way = [{ f = 0, at = [0, 0] }]
tells = [{ f = 0, heat = 3 }]
""")
book = load_rulebook("r.toml")
rules = book.rules(Fraction(60))
attack = rules.attacks["sting"]
assert (attack.heat, attack.target.tint, rules.kinds["keeper"].boxes[0].padded) == (2.5, "blue", 2)
rows = [rule.name for rule in rules_of(rules) if rule.group in ("gate", "consequence")]
assert "braced" in rows and "sting target.tint" in rows, rows
assert run(["check", "r.toml", "r.jsonl", "--expect", "e.toml"]) in (0, 1)
assert run(["schema", "rulebook", "-o", "schema.json"]) == 0
schema = Path("schema.json").read_text()
assert all(f'"{name}"' in schema for name in ("braced", "tint", "heat", "padded", "square")), schema
assert run(["replay", "r.toml", "r.jsonl", "--ledger", "l.jsonl", "--outcome", "braced"]) == 0
found = [json.loads(line) for line in Path("l.jsonl").read_text().splitlines()[1:]]
assert [one["outcome"] for one in found if one.get("target") == "keeper"] == ["braced"]
assert {one["event"] for one in found} >= {"tint"}
assert run(["compare", "l.jsonl", "l.jsonl"]) == 0
assert run(["page", "r.toml", "r.jsonl"]) == 0
assert "too-hot" in CODES and CODES["too-hot"].reads
assert "heat" in STATES and FIELDS["heat"].dtype is float or FIELDS["heat"].dtype.__name__ == "float64"
digest = voskar.load_recording("r.jsonl", book).digest
for out, tables in (("t", "parquet"), ("u", "csv"), ("v.jsonl.gz", "csv")):
    assert run(["convert", "r.jsonl", out, "--tables", tables]) == 0
    read = voskar.load_recording(out, book)
    assert (read.digest, read.poses.heat.tolist()[1]) == (digest, 1.5), out
assert voskar.load_recording("s.stage.toml", book).poses.heat.tolist() == [3.0, 3.0]
print("everything is everywhere")
'''


def test_one_of_each_is_declared_once_and_found_everywhere(tmp_path: Path) -> None:
    copy = tmp_path / "src" / "voskar"
    shutil.copytree(PACKAGE, copy, ignore=shutil.ignore_patterns("__pycache__"))
    for what, files in ADDED.items():
        assert len(files) <= MOST[what], what
        for name, change in files.items():
            path = copy / name
            if isinstance(change, str):
                path.write_text(change)
                continue
            for before, text in (change, ALSO[name]) if name in ALSO else (change,):
                assert before in path.read_text(), (name, before)
                path.write_text(path.read_text().replace(before, text + before, 1))
    (tmp_path / "here").mkdir()
    done = subprocess.run(
        [sys.executable, "-c", ASKED],
        cwd=tmp_path / "here",
        env={**os.environ, "PYTHONPATH": str(tmp_path / "src"), "XDG_CACHE_HOME": str(tmp_path / "cache")},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stdout.endswith("everything is everywhere\n"), done.stdout + done.stderr


def test_the_documentation_names_these_files() -> None:
    section = DOCS.read_text(encoding="utf-8").partition("## To add")[2].partition("\n## ")[0]
    rows = dict(re.findall(r"^\| (an? [\w ]+) \| (.*?) \|", section, re.MULTILINE))
    assert rows.keys() >= ADDED.keys()
    for what, files in ADDED.items():
        known = [name for name in files if not name.endswith(("braced.py", "tint.py"))]
        assert all(f"`{name}`" in rows[what] for name in known), json.dumps([what, known])
