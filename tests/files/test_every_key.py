"""Every key of a rulebook means something: taken out, it leaves other compiled rules."""

from __future__ import annotations

import contextlib
import copy
import tomllib
import typing
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import msgspec
import pytest
from pydantic import BaseModel

from tests.worlds import toml
from voskar.core.rules import Rules
from voskar.errors import InputError
from voskar.files.rulebook import check_source
from voskar.files.rulebook_schema import RulebookFile
from voskar.files.toml_sources import parse_source

WHOLE = """
voskar = 2
layers = { names = ["a", "b"], meets = { a = ["a", "b"], b = ["a"] } }
contact = { detect = "both", same_frame = "all", health_check = "at_once", edges_touch = true, linger = 3,
  round_damage = "floor", order = "recorded", clash = { a = ["b"] } }
starts.keeper = { at = [5, 6], count = 1 }
goal = { survive = "9s", clear = ["moth"] }
[space]
up = "+y"
bounds = [0, 0, 900, 500]
gravity = 800
[[space.solids]]
rect = [0, 0, 40, 8]
layer = ["b"]
[[space.solids]]
polygon = [[0, 0], [9, 0], [0, 9]]
[[fixtures]]
kind = "moth"
at = [7, 8]
id = "lamp"
facing = -1
angle = 30
z = 3
velocity = [1, 2]

[kinds.keeper]
side = "us"
health = 5
iframes = "40f"
start_iframes = "9f"
weight = 2
bounce = 1.5
layer = ["a"]
mask = ["b"]
lives = 3
linger = "5f"
wraps = true
stun_disarms = true
tags = ["low", "high"]
max_lives = 4
resistance = { fire = 0.5 }
clips.swing = { cells = 6, rate = 12, loop = true, iframes = "1-2" }
motion = { velocity = [1, 2], acceleration = [3, 4], gravity = 0.5, drag = 0.1, spin = 9, max_speed = 300, life = "4s",
  at_edge = "wrap", on_solid = "bounce", bounces = 2, bounciness = 0.5, clip = "swing" }
down.lasts = "1s"
down.hide = true
down.clip = "swing"
down.worth = 10
down.life_after = 3
down.out_after = 4
down.keeps_push = true
down.motion = { velocity = [0, 9], acceleration = [0, 1], gravity = 1, drag = 0.2, spin = 3, max_speed = 90, life = 50,
  at_edge = "stop", on_solid = "stop", bounces = 1, bounciness = 0.25, clip = "swing" }
down.spawn = [{ kind = "moth", count = 2, spread = 30, jitter = 4, speed = 50, inherit = 0.5, moves_at_once = true }]
extra_life = { score = 500, repeats = true }
tolerance = 2.5
respawn = { after = "2s", needs = "fire", at = "checkpoint", if_unsafe = "wait", clearance = 4, iframes = "1s",
  resets = "room", keeps = ["wax"] }
[kinds.keeper.counters.guard]
start = 4
min = 1
max = 9
absorbs = true
regen = { amount = 2, every = 3, after = "9f" }
reset_if.stunned = false
[kinds.keeper.counters.guard.on_min]
iframes = 3
iframes_mode = "add"
stun = 4
stun_mode = "set"
knockback = { distance = 9, over = "4f", ease = "fade", direction = "flat", mode = "add",
  bounces = 0.5, bounce_times = 2 }
launch = { up = 300, mode = "add" }
gives = { wax = 1 }
spawn = "moth"
[kinds.keeper.counters.guard.on_max]
stun = 5
[[kinds.keeper.cases]]
name = "braced"
if.target.health = "< 50%"
scale = 0.5
target.reflect = { way = "heading", layer = ["a"], mask = ["b"] }
[kinds.keeper.boxes.tool]
role = "hitbox"
rect = [4, 6]
grow = 1
at = [3, 2]
turn = 15
layer = ["b"]
mask = ["a"]
attack = "sting"
during = { swing = "1-3" }
except_during = { swing = "2" }
keys.swing = [{ cell = 1, at = [1, 1], turn = 5, stretch = [2, 1], blend = "hold" }, { cell = 3, at = [4, 4] }]
blend = "linear"
swept = true
if = { tags = ["low"], no_tags = ["high"], counters = { wax = "> 0" }, health = ["> 1", "< 90%"], stunned = true }
[kinds.keeper.boxes]
torso = { role = "hurtbox", span = [0, 0, 3, 4], rank = 2, damage_scale = 2, within_bounds = true, depth = [0, 4] }
head = { role = "hurtbox", circle = 3 }
arm = { role = "hurtbox", capsule = [2, 5] }
leg = { role = "hurtbox", polygon = [[0, 0], [3, 0], [0, 5]] }
eye = { role = "hurtbox", logged = "iris", pad = [1, 2, 3, 4] }
wing = { role = "hurtbox", pixels = "moth.png", alpha = 200, origin = [4, 4], pixel = 0.5 }
[kinds.keeper.emitters.beat]
spawn = "moth"
when = { every = "2s", first = "1s" }
aim = { target = "moth" }
within = [0, 0, 9, 9]
[kinds.keeper.emitters.shot]
spawn = "moth"
when = { press = "fire" }
cooldown = 8
limit = 3
limit_group = "guns"
muzzle = [2, 3]
pivot = [1, 1]
turns = true
aim = "input"
moves_at_once = true
count = 3
spread = 20
jitter = 5
speed = 80
inherit = 0.25
if.counters = { wax = ">= 1" }
[kinds.keeper.emitters]
up = { spawn = "moth", when = { release = "fire" }, charge = "6f-0.5s" }
hold = { spawn = "moth", when = { hold = "fire" } }
clip = { spawn = "moth", when = { clip = "swing", cell = 2 } }
[actors.keeper-2]
like = "keeper"
health = 9
[kinds.gnat]
like = "moth"
spare_lives = 2
[kinds.moth]
succession = true
motion.velocity = [5, 5]

[attacks.sting]
damage = 2
damage_type = "fire"
max_targets = 2
by_counter = { of = "attacker", counter = "wax", factors = [1, 0.5] }
min_damage = 0.5
hitstop = 4
hitstop_on = "target"
strength = 3
clash = { hitstop = 2, attacker = { stun = 3 }, winner = { stun = 2 } }
rehit = "12f"
priority = 1
friendly = true
ignores_iframes = true
hits_owner = true
rehit_group = "tool"
preempts = true
if.from = ["above"]
if.not_from = ["below"]
if.from_by = "centre"
if.slack = 3
if.onto = 30
if.falling = true
if.ally = false
if.hitbox = ["tool"]
if.hurtbox = ["torso"]
if.attacker = { counters = { wax = [">= 1", "< 5"] }, during = { swing = "1-2" }, not_during = { swing = "3" } }
if.target = { immune = false, kinds = ["keeper"], tags = ["low"] }
[[attacks.sting.cases]]
name = "soft"
if.target.during = { swing = "" }
damage = [1, 3]
hitstop = 3
hitstop_on = "all"
goes_on = true
target.stun = 9
target.reflect = { way = "heading" }
attacker.reflect = { way = "mirror", layer = ["a"], mask = ["b"] }
[[attacks.sting.cases]]
name = "none"
if.from = ["ahead"]
lands = false
by_claim = true
attacker.stun = 3
"""
SIDE = """
[attacks.sting.{side}]
damage = 1
lifesteal = 0.5
lives = 1
over_time = {{ damage = 1, every = "9f", times = 3, stacking = "add" }}
iframes = "30f"
iframes_mode = "set"
stun = "6f"
stun_mode = "add"
knockback = {{ distance = 9, over = "4f", ease = "fade", direction = "flat", mode = "add" }}
launch = {{ up = 300, ahead = 9, away = 8, mode = "add" }}
remove = true
pierce = 1
consumed_by = ["landed", "immune"]
home = true
checkpoint = true
gives = {{ wax = 1 }}
goal = true
spawn = "moth"
reflect = {{ way = "mirror", layer = ["a"], mask = ["b"] }}
"""
TEXT = WHOLE.replace(",\n  ", ", ") + SIDE.format(side="attacker") + SIDE.format(side="target")
DATA = tomllib.loads(TEXT)
Path_ = tuple[str | int, ...]
NEEDED = {
    # keys that cannot be left out have another value instead
    ("voskar",): None, ("include",): None, ("role",): None, ("spawn",): None, ("kind",): None, ("attack",): None,
    ("cells",): 9, ("cell",): 2, ("name",): "other", ("if",): {}, ("counter",): "other", ("factors",): [9],
    ("damage",): 7, ("every",): 8, ("amount",): 3,
    ("distance",): 20, ("up",): 99, ("at",): [99, 99],
    **dict.fromkeys([(name,) for name in ("rect", "span", "polygon", "capsule", "circle", "logged", "pixels")], None),
    **dict.fromkeys([(name,) for name in ("press", "release", "hold", "clip")], None),
}  # fmt: skip
"""By the last step of their path. None: another test holds what they mean, and without them nothing can be read."""


WHEN = (("when", "every"), ("aim", "target"))
"""Keys that are the only one of their table."""


def compiled(data: dict[str, Any]) -> Rules:
    book = check_source(parse_source(toml(data), "r.toml"))
    return msgspec.structs.replace(book.rules(Fraction(60)), digest="")


def leaves(value: Any, path: Path_ = ()) -> Iterator[Path_]:
    """The paths of all keys whose value is no table."""
    for key, inner in value.items() if isinstance(value, dict) else enumerate(value):
        inside = isinstance(inner, dict) or (isinstance(inner, list) and bool(inner) and isinstance(inner[0], dict))
        if inside:
            yield from leaves(inner, (*path, key))
        if isinstance(key, str) and not (inside and isinstance(inner, list)):
            yield (*path, key)


def keys_of(model: type[BaseModel]) -> Iterator[tuple[type[BaseModel], str]]:
    """Every key that any table of a rulebook has."""
    for name, field in model.model_fields.items():
        yield model, field.alias or name
        for inner in _models(field.annotation):
            yield from keys_of(inner)


def _models(hint: Any) -> Iterator[type[BaseModel]]:
    if isinstance(hint, type) and issubclass(hint, BaseModel):
        yield hint
    for inner in typing.get_args(hint):
        yield from _models(inner)


def test_the_whole_rulebook_has_every_key() -> None:
    named = {path[-1] for path in leaves(DATA)} | {step for path in leaves(DATA) for step in path}
    assert sorted({key for _, key in keys_of(RulebookFile)} - named - {"include", "boxes_from"}) == []


@pytest.mark.parametrize("path", list(leaves(DATA)), ids=lambda path: ".".join(map(str, path)))
def test_a_key_means_something(path: Path_, apiary: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(apiary)
    data: Any = copy.deepcopy(DATA)
    place = data
    for step in path[:-1]:
        place = place[step]
    other = NEEDED.get((path[-1],), "")
    if path[-2:] in WHEN:
        other = None
    if other is None:
        pytest.skip("needed")
    if other == "":
        del place[path[-1]]
    else:
        place[path[-1]] = other
    with contextlib.suppress(InputError):  # others need it: then it means something, too
        assert compiled(data) != compiled(DATA)
