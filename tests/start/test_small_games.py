"""Small games that the draft must explain: corners as positions, bodies that hit, deaths without claimed returns."""

from __future__ import annotations

import json
import math
import random
from pathlib import Path
from typing import Any

import pytest

from voskar.core.recording import Recording
from voskar.draft import guess
from voskar.draft.values import Guess, KindGuess
from voskar.draft.write import rulebook_text
from voskar.evidence.check import check_hits
from voskar.files.recording import load_recording
from voskar.files.rulebook import parse_rulebook
from voskar.files.windows import parse_windows

KEEPER, WAXLING, SHIELD, AWAY = (16, 28), (22, 18), 40, 90
START = 50
"""Frames for which the keeper is immune as a run begins."""


def walk(folder: Path, seed: int, *, boxes: bool, states: bool, frames: int = 4800) -> Recording:
    """A keeper that turns and leaps among two waxlings. It falls on them from above, or they sting it. Positions are
    low corners, and a waxling is there again some time after its death. The run begins again three times."""
    draw = random.Random(seed)
    x, y, speed, rise, facing, immune = 60.0, 0.0, 2.0, 0.0, 1, START
    homes, gone, lines = {"waxling-a": 130.0, "waxling-b": 230.0}, {"waxling-a": 0, "waxling-b": 0}, []
    crawl = {"waxling-a": 0.73, "waxling-b": -0.91}
    places = dict(homes)
    for frame in range(frames):
        line: dict[str, Any] = {"frame": frame}
        if frame and frame % (frames // 4) == 0:
            line["reset"], places, gone = "run", dict(homes), dict.fromkeys(gone, 0)
            x, y, rise, immune = 60.0, 0.0, 0.0, START
        facing = 1 if x < 20 else -1 if x > 300 or draw.random() < 0.012 else facing
        rise = 6.5 if not y and draw.random() < 0.04 else rise - 0.35
        x, y = x + speed * facing, max(y + rise, 0.0)
        rise = rise if y else 0.0
        claims = []
        for name, home in homes.items():
            if gone[name]:
                gone[name] -= 1
                places[name] = home
                continue
            places[name] += crawl[name]
            if abs(places[name] - home) > 40:
                crawl[name] = -crawl[name]
            apart = x - places[name]
            if not (-KEEPER[0] < apart < WAXLING[0] and y < WAXLING[1]):
                continue
            if rise < 0 and y > WAXLING[1] - 10:
                claims.append({"event": "hit", "attacker": "keeper", "target": name, "damage": 1})
                claims.append({"event": "down", "id": name})
                gone[name], rise = AWAY, 4.0
            elif not immune:
                claims.append({"event": "hit", "attacker": name, "target": "keeper", "damage": 1})
                immune = SHIELD
        own = {"id": "keeper", "kind": "keeper", "x": round(x, 3), "y": round(y, 3), "facing": facing}
        poses = [own | ({"immune": immune > 0} if states else {})]
        shown = [name for name in homes if not gone[name] or gone[name] == AWAY]
        poses += [{"id": name, "kind": "waxling", "x": round(places[name], 3), "y": 0.0} for name in shown]
        for pose, (wide, high) in zip(poses, [KEEPER, *[WAXLING] * len(shown)], strict=True) if boxes else ():
            pose["boxes"] = {"body": [pose["x"], pose["y"], pose["x"] + wide, pose["y"] + high]}
        lines.append(line | {"poses": poses, "claims": claims})
        immune = max(immune - 1, 0)
    path = folder / f"{seed}.jsonl"
    head = {"voskar": "recording", "version": 2, "rate": 60, "up": "+y"}
    path.write_text("\n".join(map(json.dumps, [head, *lines])))
    return load_recording(path, None)


def shares(found: Guess, path: Path) -> tuple[float, float]:
    """How many of the hits that are claimed land in their very frame, and how many others do, as shares."""
    book = parse_rulebook(rulebook_text(found, [path.name]), "d.toml")
    played = load_recording(path, book)
    verdict = check_hits(book.rules(played.rate), played, parse_windows([]))
    assert verdict.claims >= 15
    extra = sum(finding.code == "hit-missing" for finding in verdict.findings)
    return verdict.agreed / verdict.claims, extra / verdict.claims


def kind(found: Guess, name: str) -> KindGuess:
    return next(entry for entry in found.kinds if entry.name == name)


@pytest.mark.parametrize("seed", [3, 4])
def test_bodies_that_hit_as_they_meet(tmp_path: Path, seed: int) -> None:
    """Logged bodies are hurtbox and hitbox: another recording of the game is explained to the frame."""
    found = guess([walk(tmp_path, seed, boxes=True, states=True)])
    stomp = next(attack.keys for attack in found.attacks if attack.name == "keeper")
    assert (stomp["if.from"].text, stomp["preempts"].text) == ('["above"]', "true")
    boxes = {box.name: box.keys for box in kind(found, "keeper").boxes}
    assert boxes["hit"]["logged"].text == '"body"'
    assert [box.keys["rect"].text for box in kind(found, "waxling").boxes] == ["[22, 18]", "[22, 18]"]
    assert kind(found, "waxling").keys["respawn"].text == f'{{ after = "{AWAY}f" }}'
    assert kind(found, "keeper").keys["start_iframes"].text == f'"{START}f"'
    walk(tmp_path, seed + 10, boxes=True, states=True)
    agreed, extra = shares(found, tmp_path / f"{seed + 10}.jsonl")
    assert agreed >= 0.95
    assert extra <= 0.05


@pytest.mark.parametrize("seed", [3, 4, 5])
def test_corners_as_positions(tmp_path: Path, seed: int) -> None:
    """Without boxes, reaches that are not alike on all sides stand aside of positions."""
    found = guess([walk(tmp_path, seed, boxes=False, states=True)])
    walk(tmp_path, seed + 10, boxes=False, states=True)
    agreed, extra = shares(found, tmp_path / f"{seed + 10}.jsonl")
    assert agreed >= 0.8
    assert extra <= 0.1


ROUND = {"moth": 9.0, "hornet": 14.0}
PUFF = 3.0


def yard(folder: Path, seed: int, *, boxes: bool, frames: int = 3000) -> Recording:
    """Seen from above: a keeper in the middle shoots at moths and hornets that come from all sides. All are
    circles. Its shots fly nine units a frame: each hits where it is in a frame, and not on the way there."""
    draw = random.Random(seed)
    foes: dict[str, tuple[float, float, float]] = {}
    puffs: dict[str, tuple[float, float, float, float]] = {}
    lines, number = [], 0
    for frame in range(frames):
        claims = []
        if frame % 40 == 0 and len(foes) < 6:
            turn = draw.uniform(0, math.tau)
            name = f"{draw.choice(list(ROUND))}-{number}"
            foes[name], number = (150 * math.cos(turn), 150 * math.sin(turn), 0), number + 1
        foes = {
            name: (x - x / 400, y - y / 400 + 0.2 * math.sin(frame / 9), hits) for name, (x, y, hits) in foes.items()
        }
        puffs = {name: (x + vx, y + vy, vx, vy) for name, (x, y, vx, vy) in puffs.items() if math.hypot(x, y) < 200}
        if frame % 11 == 0:
            turn = draw.uniform(0, math.tau)
            if foes:
                x, y, _ = foes[draw.choice(list(foes))]
                turn = math.atan2(y, x) + draw.uniform(-0.15, 0.15)
            way = math.cos(turn), math.sin(turn)
            puffs[f"puff-{number}"], number = (14 * way[0], 14 * way[1], 9 * way[0], 9 * way[1]), number + 1
        spent, dead = set(), set()
        for name, (x, y, *_) in puffs.items():
            for foe, (at_x, at_y, hits) in foes.items():
                if foe not in dead and math.dist((x, y), (at_x, at_y)) < PUFF + ROUND[foe.partition("-")[0]]:
                    claims.append({"event": "hit", "attacker": name, "target": foe, "damage": 1})
                    foes[foe] = at_x, at_y, hits + 1
                    spent.add(name)
                    if hits == 2:
                        claims.append({"event": "down", "id": foe})
                        dead.add(foe)
                    break
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        for name, (x, y, *_) in (*foes.items(), *puffs.items()):
            kind, owner = name.partition("-")[0], {"owner": "keeper"} if name in puffs else {}
            shown = {"id": name, "kind": kind, "x": round(x, 4), "y": round(y, 4), **owner}
            circle = [shown["x"], shown["y"], ROUND.get(kind, PUFF)]
            poses.append(shown | ({"boxes": {"hull": {"circle": circle}}} if boxes else {}))
        lines.append({"frame": frame, "poses": poses, "claims": claims})
        foes = {name: foe for name, foe in foes.items() if name not in dead}
        puffs = {name: puff for name, puff in puffs.items() if name not in spent}
    path = folder / f"{seed}.jsonl"
    path.write_text("\n".join(map(json.dumps, [{"voskar": "recording", "version": 2, "rate": 60}, *lines])))
    return load_recording(path, None)


@pytest.mark.parametrize("boxes", [True, False])
@pytest.mark.parametrize("seed", [1, 2])
def test_circles_and_fast_shots(tmp_path: Path, seed: int, boxes: bool) -> None:
    """A shot has one size for all whom it hits, and is not swept, as none hits on its way."""
    found = guess([yard(tmp_path, seed, boxes=boxes)])
    sizes = {
        entry.name: [float(box.keys["circle"].text) for box in entry.boxes]
        for entry in found.kinds
        if entry.name in ("moth", "hornet", "puff")
    }
    wanted = {name: [pytest.approx(size, abs=0.01 if boxes else 0.6)] for name, size in {**ROUND, "puff": PUFF}.items()}
    assert sizes == wanted
    assert not any("swept" in box.keys for entry in found.kinds for box in entry.boxes)
    yard(tmp_path, seed + 10, boxes=boxes)
    agreed, extra = shares(found, tmp_path / f"{seed + 10}.jsonl")
    assert agreed >= 0.95
    assert extra <= 0.05
