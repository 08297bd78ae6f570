"""Reading rulebooks: every problem at once, each with its line, key and the nearest known name."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.worlds import toml
from voskar.errors import InputError
from voskar.files.rulebook import parse_rulebook
from voskar.files.toml_lines import key_lines

BAD = """\
voskar = 2
[space]
up = "y"
bounds = [0, 0, 1]
[layers]
names = ["keeper", "hive", "hive"]
[contact]
detekt = "either"
[kinds.keeper]
helth = 3
iframes = "6x"
[kinds.keeper.boxes.torso]
role = "hurtbox"
layer = ["keper"]
[kinds.keeper.boxes.head]
role = "hurtbox"
circle = 0
rect = [1, 2]
[kinds.keeper.boxes.arm]
role = "hitbox"
circle = nan
attack = "stng"
[kinds.keeper.boxes.leg]
role = "hurtbox"
rect = [1, -2]
attack = "sting"
[attacks.sting]
damage = "3"
rehit = "twice"
target = { iframs = 3 }
if.target.tags = ["airr"]
[kinds.hornet]
tags = ["air"]
counters.wax = { max = 3, on_max.spawn = "moth" }
"""

PROBLEMS = [
    'r:3: space.up: found "y", expected "-y" or "+y"',
    "r:4: space.bounds: found a list of 3, expected 4",
    'r:6: layers.names[2]: the layer "hive" is named twice',
    'r:8: contact.detekt: unknown key "detekt" (did you mean "detect"?)',
    'r:10: kinds.keeper.helth: unknown key "helth" (did you mean "health"?)',
    'r:11: kinds.keeper.iframes: found "6x", expected a duration',
    "r:12: kinds.keeper.boxes.torso: the box has no shape",
    'r:14: kinds.keeper.boxes.torso.layer[0]: unknown layer "keper" (did you mean "keeper"?)',
    "r:17: kinds.keeper.boxes.head.circle: found 0, expected a number above 0",
    "the box has 2 shapes (rect, circle), expected one",
    "r:21: kinds.keeper.boxes.arm.circle: found nan, expected a finite number",
    'r:22: kinds.keeper.boxes.arm.attack: unknown attack "stng" (did you mean "sting"?)',
    "r:25: kinds.keeper.boxes.leg.rect: found [1, -2], expected two numbers above 0",
    "r:26: kinds.keeper.boxes.leg.attack: a hurtbox has no attack",
    'r:28: attacks.sting.damage: found "3", expected a number',
    'r:29: attacks.sting.rehit: found "twice", expected "once", "entry", "always"',
    'r:30: attacks.sting.target.iframs: unknown key "iframs" (did you mean "iframes"?)',
    'r:31: attacks.sting.if.target.tags[0]: unknown tag "airr", which no kind declares (did you mean "air"?)',
    'r:34: kinds.hornet.counters.wax.on_max.spawn: unknown kind "moth"',
]


def test_every_problem_at_once() -> None:
    with pytest.raises(InputError) as error:
        parse_rulebook(BAD, "r")
    found = list(map(str, error.value.problems))
    assert len(found) == len(PROBLEMS)
    for problem, expected in zip(found, PROBLEMS, strict=True):
        assert expected in problem


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "r:1: no `voskar` key: a rulebook begins with `voskar = 2` (the file is empty)"),
        ("voskar = 3", "r:1: voskar: found 3, expected 1 or 2"),
        ("voskar = 2\nx = [", "r:2: not valid TOML"),
        ("voskar = 2\nkinds = 3", "r:2: kinds: found 3, expected a table"),
        ("voskar = 2\n[kinds.a]\nhealth = 0", "r:3: kinds.a.health: found 0, expected a number above 0"),
        ("voskar = 2\n[kinds.a]\niframes = true", "kinds.a.iframes: found true, expected a duration"),
        ("voskar = 2\n[kinds.a.boxes.b]\nrole = 'hitbox'\ncircle = 1", "a hitbox needs an `attack`"),
        ("voskar = 2\n[attacks.a]\nfalling = true", 'a.falling: unknown key "falling" (it is now "if.falling")'),
        ("voskar = 2\n[attacks.a]\ntarget.consumed_by = ['spent']", '"ally" (it is now "consumed")'),
        ("voskar = 2\n[attacks.a]\nif.attacker.counters = { a = '=> 1' }", 'found "=> 1", expected a comparison'),
        (
            "voskar = 2\n[kinds.a]\ncounters.wax = { start = 4, max = 3 }",
            "found a start of 4, expected one from 0 to 3",
        ),
        (
            "voskar = 2\n[kinds.a]\ncounters.wax.min = 2",
            "a.counters.wax.min: found a start of 0, expected one from 2 on",
        ),
        ("voskar = 2\n[kinds.a]\ncounters.wax = { max = -1 }", "wax.max: found -1, expected no less than its min of 0"),
        ("voskar = 2\n[attacks.a]\ntarget.launch = 'up'", 'found "up", expected units a second'),
    ],
)
def test_one_problem(text: str, message: str) -> None:
    with pytest.raises(InputError) as error:
        parse_rulebook(text, "r")
    assert message in str(error.value)


def test_lines_of_keys() -> None:
    text = 'a = 1 # [x]\n[b."c.d"]\ne = """\n[no]\n"""\nf = [\n  1,\n  { g = 2 },\n]\n'
    text += "[[h]]\ni.j = '#'\n[[h]]\n[h.k]\nl = 1\n"
    found = key_lines(text)
    expected = {("a",): 1, ("b", "c.d"): 2, ("b", "c.d", "e"): 3, ("b", "c.d", "f", 1, "g"): 8, ("h", 0, "i", "j"): 11}
    assert expected.items() <= found.items()
    assert found["h", 1, "k", "l"] == 14


@given(st.recursive(st.integers() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner)))
def test_every_key_has_a_line(value: object) -> None:
    text = toml({"value": value}).encode("utf-8", "replace").decode()
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return
    lines = key_lines(text)

    def look(path: tuple[str | int, ...], fields: object) -> None:
        assert lines[path] >= 1
        for key, inner in (
            fields.items() if isinstance(fields, dict) else enumerate(fields) if isinstance(fields, list) else ()
        ):
            if not isinstance(key, str) or (key.isascii() and '"' not in key and "\\" not in key and key.isprintable()):
                look((*path, key), inner)

    look(("value",), data["value"])
