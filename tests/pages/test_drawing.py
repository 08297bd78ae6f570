"""What a page draws: a recording canvas notes each stroke, and each planted mistake in drawing is seen."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.pages.conftest import needs_browser, opened
from tests.worlds import toml
from voskar.explaining.weighing import weigh
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook
from voskar.pages import render
from voskar.pages.data import page_data

NOTES = """{
const noted = window.noted = [];
const proto = CanvasRenderingContext2D.prototype;
let path = [];
for (const name of ["beginPath", "moveTo", "lineTo", "rect", "arc", "clip", "fill", "stroke", "fillText", "fillRect",
                    "strokeRect"]) {
  const own = proto[name];
  proto[name] = function (...told) {
    if (name === "beginPath") path = [];
    else if (["moveTo", "lineTo", "rect", "arc"].includes(name)) path.push([name, ...told]);
    else noted.push({ on: this.canvas.id, act: name, told: name === "clip" ? [] : told, path: [...path],
      colour: String(name.startsWith("fill") ? this.fillStyle : this.strokeStyle), dash: this.getLineDash(),
      width: this.lineWidth });
    return own.apply(this, told);
  };
}
// time goes by hand
let clock = 0, due = [];
window.requestAnimationFrame = (act) => due.push(act);
performance.now = () => clock;
window.pass = (by) => { clock += by; const now = due; due = []; for (const act of now) act(clock); };
window.settle = async () => {
  for (let k = 0; k < 6; k++) { window.pass(0); await new Promise((done) => setTimeout(done, 5)); }
};
}"""
"""Runs before the page's script: notes what is drawn, and lets time pass by hand."""
RULES: dict[str, Any] = {
    "voskar": 2,
    "space": {"up": "+y", "bounds": [0, 0, 400, 200]},
    "layers": {"names": ["people"]},
    "kinds": {
        "keeper": {
            "health": 10,
            "iframes": "20f",
            "boxes": {
                "torso": {"role": "hurtbox", "rect": [20, 40], "at": [10, 30], "layer": ["people"]},
                "pole": {"role": "body", "rect": [4, 4], "at": [-30, 0]},
            },
        },
        "hornet": {"boxes": {"sting": {"role": "hitbox", "circle": 6, "attack": "sting", "mask": ["people"]}}},
        "dart": {"boxes": {"tip": {"role": "hitbox", "rect": [8, 4], "attack": "prick", "swept": True}}},
    },
    "attacks": {"sting": {"damage": 2}, "prick": {"damage": 1}},
}
FIRST, LAST = 0, 99


def frames() -> list[dict[str, Any]]:
    """A keeper that looks left and is stung in 40 and, still immune, in 50; a dart that flies by, and is put elsewhere
    in 70; a claim that agrees and one that is denied."""
    found = []
    for frame in range(FIRST, LAST + 1):
        near = frame in (40, 50)
        poses = [
            {"id": "keeper", "kind": "keeper", "x": 200, "y": 50, "facing": -1, "health": 10 if frame < 40 else 8},
            {"id": "hornet", "kind": "hornet", "x": 190 if near else 300, "y": 80 if near else 150, "cut": True},
            {"id": "dart", "kind": "dart", "x": 20 + 3 * (frame - 70 * (frame >= 70)), "y": 180, "cut": frame == 70},
        ]
        claims = [{"event": "hit", "attacker": "hornet", "target": "keeper", "attack": "sting"}] if near else []
        found.append({"frame": frame, "poses": poses, "claims": claims})
    return found


Patch = Callable[[str], str]


def written(folder: Path, patch: Patch = lambda script: script) -> Path:
    """The page of that recording, with a script that may have a mistake."""
    (folder / "b.toml").write_text(toml(RULES))
    lines = [{"voskar": "recording", "version": 2, "rate": 60}, *frames()]
    (folder / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    book = load_rulebook(folder / "b.toml")
    played = load_recording(folder / "r.jsonl", book)
    rules = book.rules(played.rate)
    found = weigh(rules, played, watched_whole=True)
    data = page_data(rules, played, found, ("b.toml", "r.jsonl"), (FIRST, LAST))
    with pytest.MonkeyPatch.context() as monkey:
        own = render.script()
        monkey.setattr(render, "script", lambda: NOTES + patch(own))
        (folder / "p.html").write_text(render.render_page(data))
    return folder / "p.html"


class Drawn:
    """What a page draws of a frame."""

    def __init__(self, browser: Any, frame: int, before: str = "") -> None:
        browser.execute_script(f"{before}; noted.length = 0; location.hash = 'frame={frame}'")
        browser.execute_async_script("setTimeout(() => window.settle().then(arguments[0]), 20)")
        self.notes, self.view, self.colours = browser.execute_script(
            "const s = voskar.state, box = document.getElementById('world').getBoundingClientRect();"
            "const style = getComputedStyle(document.documentElement), found = {};"
            "for (const name of ['hitbox', 'hurtbox', 'body', 'wrong', 'right', 'ink', 'faint', 'muzzle'])"
            "  found[name] = style.getPropertyValue('--' + name).trim();"
            "return [noted, [s.centreX, s.centreY, s.scale, box.width, box.height], found]"
        )

    def at(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the world is on the stage: y grows upwards."""
        centre_x, centre_y, scale, wide, high = self.view
        return wide / 2 + (x - centre_x) * scale, high / 2 - (y - centre_y) * scale

    def paths(self, colour: str, *, on: str = "world", act: str = "stroke", dash: list[float] | None = None) -> Any:
        """The corners of what is drawn in a colour."""
        return [
            [tuple(point[1:3]) for point in note["path"]]
            for note in self.notes
            if (note["on"], note["act"], note["colour"]) == (on, act, self.colours[colour])
            and (dash is None or note["dash"] == dash)
        ]

    def has(self, wanted: list[tuple[float, float]], colour: str, **how: Any) -> bool:
        """Whether something has just these corners, in any order."""
        aim = sorted(wanted)
        return any(
            len(path) == len(aim) and all(abs(a - b) < 0.5 for item, two in zip(sorted(path), aim, strict=True)
                                          for a, b in zip(item, two, strict=True))
            for path in self.paths(colour, **how)
        )  # fmt: skip

    def texts(self, on: str = "world") -> dict[str, tuple[float, float]]:
        """Where texts stand."""
        return {
            note["told"][0]: tuple(note["told"][1:3])
            for note in self.notes
            if note["act"] == "fillText" and note["on"] == on
        }

    def corners(self, x: float, y: float, width: float, height: float) -> list[tuple[float, float]]:
        """Of a rectangle of the world, by its middle."""
        return [self.at(x + a * width / 2, y + b * height / 2) for a in (-1, 1) for b in (-1, 1)]


def faults(browser: Any, page: Path) -> list[str]:
    """What a page draws otherwise than it is."""
    opened_by_hand(browser, page)
    found: list[str] = []

    def expect(is_so: bool, what: str) -> None:
        if not is_so:
            found.append(what)

    stung, again, apart = Drawn(browser, 40), Drawn(browser, 50), Drawn(browser, 30)
    torso = apart.corners(190, 80, 20, 40)
    expect(apart.has(torso, "hurtbox", dash=[6, 3]), "a hurtbox is dashed, mirrored by facing, y up")
    expect(apart.has(apart.corners(230, 50, 4, 4), "body", dash=[1.5, 3]), "a body is dotted")
    ring = [path for path in apart.paths("hitbox", dash=[]) if len(path) == 32]
    x, _ = apart.at(300, 150)
    expect(any(abs(sum(p[0] for p in path) / 32 - x) < 0.5 for path in ring), "a hitbox is a whole line")
    strokes = [path for path in apart.paths("hitbox", dash=[]) if len(path) > 2 and path[0][1] != path[1][1]]
    expect(any(a[0] < b[0] and a[1] > b[1] for path in strokes for a, b in [path[:2]]), "a hitbox has slanting strokes")
    swept = apart.corners(20 + 3 * 29, 180, 8, 4)
    expect(apart.has(swept, "hitbox", dash=[2, 3]), "a swept box shows where it was")
    trail = [apart.at(20 + 3 * frame, 180) for frame in range(18, 31)]
    expect(apart.has(trail, "faint"), "a trail of 12 poses")
    cut = Drawn(browser, 75)
    after = [cut.at(20 + 3 * frame, 180) for frame in range(6)]
    moves = [note["path"] for note in cut.notes if note["act"] == "stroke" and note["colour"] == cut.colours["faint"]]
    begins = [point[1:] for path in moves for point in path if point[0] == "moveTo"]
    expect(any(abs(a - after[0][0]) < 0.5 and abs(b - after[0][1]) < 0.5 for a, b in begins), "a trail ends at a cut")
    name = apart.at(200, 50)
    expect(apart.texts().get("keeper") == pytest.approx((name[0], name[1] + 8), abs=0.5), "a name stands below")
    nose = [path for path in apart.paths("ink") if len(path) == 7 and abs(path[0][0] + 4 - name[0]) < 0.5]
    expect(bool(nose) and nose[0][5][0] == pytest.approx(name[0] - 16, abs=0.5), "an arrow says where one looks")
    middle = stung.at(*place(browser, 40))
    shape = [
        (middle[0], middle[1] - 7),
        (middle[0] + 7, middle[1]),
        (middle[0], middle[1] + 7),
        (middle[0] - 7, middle[1]),
    ]
    expect(stung.has(shape, "wrong", act="fill"), "a hit is a filled diamond")
    expect("i" in again.texts() and "i" not in stung.texts(), "a letter says why a contact was ignored")
    expect("game: hit" in stung.texts() and "game: hit, denied" in again.texts(), "claims say what becomes of them")
    square = [note for note in stung.notes if note["path"] and note["path"][0][0] == "rect" and note["act"] == "stroke"]
    expect(
        [item["colour"] for item in square if item["on"] == "world"] == [stung.colours["right"]],
        "a right claim is green",
    )
    time(browser, found, expect)
    browser.execute_script("document.getElementById('speed').value = '2'")
    browser.execute_script("document.getElementById('speed').dispatchEvent(new Event('change'))")
    Drawn(browser, 10)
    browser.execute_script("document.getElementById('play').click(); pass(0); pass(500)")
    expect(browser.execute_script("return voskar.state.frame") == 70, "half a second at twice the speed is 60 frames")
    return found


def time(browser: Any, found: list[str], expect: Callable[[bool, str], None]) -> None:
    """The same of the lanes."""
    lanes = Drawn(browser, 30, "voskar.state.from = 20; voskar.state.until = 60")
    wide = browser.execute_script("return document.getElementById('lanes').getBoundingClientRect().width")

    def x(frame: float) -> float:
        return 118 + (frame - 20) / 40 * (wide - 126)

    marks = [note["told"] for note in lanes.notes if note["on"] == "lanes" and note["act"] == "strokeRect"]
    claims = [mark[0] + 4 for mark in marks if mark[2] == 8]
    expect(claims == pytest.approx([x(40), x(50)], abs=0.5), "claims stand in their frames")
    bars = [mark for mark in marks if mark[3] == 5]
    expect(any(bar[0] == pytest.approx(x(41), abs=0.5) for bar in bars), "i-frames begin behind the hit")
    clips = [note["path"][-1] for note in lanes.notes if note["on"] == "lanes" and note["act"] == "clip"]
    expect(bool(clips) and clips[0][1] == 118, "names are not drawn over")
    line = [path for path in lanes.paths("ink", on="lanes") if len(path) == 2]
    expect(any(path[0][0] == pytest.approx(x(30), abs=0.5) for path in line), "a line stands in this frame")
    hits = [path for path in lanes.paths("wrong", on="lanes") if len(path) == 2]
    expect([path[0][0] for path in hits] == pytest.approx([x(40)], abs=0.5), "hits stand in their frames")
    health = [path for path in lanes.paths("hurtbox", on="lanes", dash=[]) if len(path) == 2]
    tops = sorted({round(path[0][1], 1) for path in health})
    expect(len(tops) == 2 and tops[1] - tops[0] == pytest.approx(0.2 * 18, abs=0.2), "health falls by a fifth")


def place(browser: Any, frame: int) -> tuple[float, float]:
    """Where the rules have the contact of a frame."""
    text = f"return voskar.versions.shown.contacts.filter(c => c.frame === {frame}).map(c => [c.x, c.y])[0]"
    x, y = browser.execute_script(text)
    return x, y


def opened_by_hand(browser: Any, page: Path) -> None:
    """Opens a page in which time only goes by when it is told to."""
    opened(browser, page)
    browser.execute_async_script("window.settle().then(arguments[0])")


@needs_browser
def test_what_is_drawn_is_what_is(browser: Any, tmp_path: Path) -> None:
    assert faults(browser, written(tmp_path)) == []


MISTAKES = {
    "upside down": ('=== "+y" ? -1 : 1', '=== "+y" ? 1 : -1'),
    "facing forgotten": ("const wide = facing * scale", "const wide = scale"),
    "marks swapped": ("g.fillStyle = filled ? colour : colours.paper", "g.fillStyle = filled ? colours.paper : colour"),
    "colours of the sides swapped": ('line: "hitbox", fill: "hitfill"', 'line: "hurtbox", fill: "hurtfill"'),
    "strokes forgotten": ('if (role === "hitbox") hatch', 'if (role === "muzzle") hatch'),
    "a shorter trail": ("const TRAIL = 12", "const TRAIL = 6"),
    "a trail across a cut": ("!before || past.cut ||", "!before ||"),
    "the sweep of this frame": ("version.pose(box.actor, state.frame - 1)", "version.pose(box.actor, state.frame)"),
    "twice as fast": ("rate * state.speed", "rate * state.speed * 2"),
    "no clipping": ("g.rect(GUTTER, 0, wide - GUTTER, high)", "g.rect(0, 0, wide, high)"),
    "names elsewhere": ("labels.add(text, [x, y + 8]", "labels.add(text, [x, y - 28]"),
    "claims never denied": ('wrong.code.endsWith("denied")', 'wrong.code.endsWith("missing")'),
    "a frame beside": ("(frame - state.from) / (state.until", "(frame + 1 - state.from) / (state.until"),
    "health by half": ("value / full, 0), 1.15", "value / full / 2, 0), 1.15"),
    "i-frames of the hit's own frame": ("part(first, last + 1)", "part(first - 1, last + 1)"),
    "the arrow backwards": ("lookX * NOSE, lookY * NOSE", "-lookX * NOSE, lookY * NOSE"),
}
"""What may be wrong with the drawing: in the script, and instead of it."""


@needs_browser
@pytest.mark.parametrize("mistake", MISTAKES)
def test_mistakes_in_drawing_are_seen(browser: Any, tmp_path: Path, mistake: str) -> None:
    right, wrong = MISTAKES[mistake]

    def patched(script: str) -> str:
        assert script.count(right) == 1
        return script.replace(right, wrong)

    assert faults(browser, written(tmp_path, patched))
