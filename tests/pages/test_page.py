"""Pages in a real browser: what stands on the stage is where the core puts it, and a page fetches nothing."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

import voskar
from tests.pages.conftest import needs_browser, opened, press
from tests.worlds import brush, toml
from voskar.core.ledger import Ledger
from voskar.core.ledger.events import HealthEvent
from voskar.core.views.scene import scene
from voskar.core.watching import watched
from voskar.files.recording import load_recording
from voskar.files.rulebook import load_rulebook


@pytest.fixture(scope="module")
def meadow(apiary: Path) -> Path:
    from tests.commands.test_cli import voskar

    done = voskar("page", "apiary.toml", "meadow.jsonl", "-o", "page.html", cwd=apiary)
    assert done.returncode == 0, done.stderr
    return apiary / "page.html"


@needs_browser
def test_boxes_stand_where_the_core_puts_them(browser: Any, meadow: Path, apiary: Path) -> None:
    opened(browser, meadow)
    book = load_rulebook(apiary / "apiary.toml")
    played = load_recording(apiary / "meadow.jsonl", book)
    rules = book.rules(played.rate)
    seen = watched(rules, played)
    for frame in (0, 273, 518, 1131, 1500):
        shown = browser.execute_script(
            "return voskar.boxesAt(arguments[0]).then(all => all.filter(b => !b.logged)"
            ".map(b => [b.actor, b.name, b.rings.flat().map(p => p[0]), b.rings.flat().map(p => p[1])]))",
            frame,
        )
        found = {(name, box): (min(xs), min(ys), max(xs), max(ys)) for name, box, xs, ys in shown}
        down = {"keeper"} if frame == 1500 else set()
        boxes = scene(rules, seen.recording, seen.ledger, frame, down=down).boxes
        assert set(found) == {(box.actor, box.name) for box in boxes}
        for scene_box in boxes:
            assert found[scene_box.actor, scene_box.name] == pytest.approx(scene_box.bounds, abs=0.02)


@needs_browser
def test_what_sticks_out_comes_in_again(browser: Any, tmp_path: Path, here: Any) -> None:
    book = {
        "voskar": 2,
        "space": {"bounds": [0, 0, 100, 50]},
        "kinds": {"moth": {"wraps": True, "boxes": {"wing": {"role": "hurtbox", "rect": [10, 4]}}}},
    }
    (tmp_path / "b.toml").write_text(toml(book))
    poses = [{"id": "m", "kind": "moth", "x": 98, "y": 1}]
    lines = [{"voskar": "recording", "version": 2, "rate": 60}, {"frame": 0, "poses": poses}]
    (tmp_path / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    assert here("page", "b.toml", "r.jsonl", "-o", "p.html", cwd=tmp_path).returncode == 0
    opened(browser, tmp_path / "p.html")
    found = browser.execute_script(
        "return voskar.boxesAt(0).then(all => all.map(b => [b.rings[0][0], b.rings[0][2]].flat()))"
    )
    corners = sorted((min(x0, x1), min(y0, y1)) for x0, y0, x1, y1 in found)
    assert corners == [(-7, -1), (-7, 49), (93, -1), (93, 49)]


@needs_browser
def test_logged_shapes_are_drawn(browser: Any, tmp_path: Path, here: Any) -> None:
    book = {"voskar": 2, "kinds": {"moth": {"boxes": {"wing": {"role": "hurtbox", "logged": True}}}}}
    (tmp_path / "b.toml").write_text(toml(book))
    wing = [[0, 0, 2, 1], {"circle": [5, 5, 2]}]
    poses = [{"id": "m", "kind": "moth", "x": 98, "y": 1, "boxes": {"wing": wing}}]
    lines = [{"voskar": "recording", "version": 2, "rate": 60}, {"frame": 0, "poses": poses}]
    (tmp_path / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    assert here("page", "b.toml", "r.jsonl", "-o", "p.html", cwd=tmp_path).returncode == 0
    opened(browser, tmp_path / "p.html")
    square, ring = browser.execute_script("return voskar.boxesAt(0).then(all => all[0].rings)")
    assert sorted(map(tuple, square)) == [(0, 0), (0, 1), (2, 0), (2, 1)]
    assert len(ring) > 20
    assert all(abs((x - 5) ** 2 + (y - 5) ** 2 - 4) < 0.01 for x, y in ring)


@needs_browser
def test_explanations_stand_first(browser: Any, apiary: Path, tmp_path: Path, here: Any) -> None:
    from selenium.webdriver.common.by import By

    page = tmp_path / "short.html"
    done = here("page", "apiary.toml", "bugs/hits-short-iframes.stage.toml", "-o", page, cwd=apiary)
    assert done.returncode == 0
    opened(browser, page)
    first = browser.find_elements(By.CSS_SELECTOR, "#rows li")[0]
    assert first.get_attribute("class") == "cause"
    assert "kinds.keeper.iframes were 59f (rules: 60f" in first.text
    first.find_element(By.TAG_NAME, "button").click()
    assert browser.execute_script("return voskar.state.frame") == 79


@needs_browser
def test_keys_findings_and_links(browser: Any, meadow: Path) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    opened(browser, meadow)

    def frame() -> int:
        return int(browser.execute_script("return voskar.state.frame"))

    press(browser, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ARROW_LEFT, Keys.SHIFT + Keys.ARROW_RIGHT)
    assert frame() == 11
    press(browser, Keys.NULL + "n")
    assert frame() == 273
    gates = browser.find_element(By.ID, "gates").text
    assert "i-frames from sting, 213 to 273: 1 left" in gates
    assert "voskar why apiary.toml meadow.jsonl --frame 273 --attacker hornet-1 --target keeper" in gates
    assert browser.current_url.endswith("#frame=273&attacker=hornet-1&target=keeper")
    press(browser, "n", "k")
    assert frame() > 1131
    rows = browser.find_elements(By.CSS_SELECTOR, "#rows button")
    rows[1].click()
    assert frame() == 1131
    browser.find_element(By.ID, "search").send_keys("nobody of that name")
    assert browser.find_element(By.ID, "rows").text == "nothing fits"
    opened(browser, meadow, "#frame=389&attacker=keeper&target=waxling-1")
    assert frame() == 389
    assert "keeper on waxling-1" in browser.find_element(By.ID, "gates").text


@needs_browser
def test_hostile_names_do_nothing_and_nothing_is_fetched(browser: Any, tmp_path: Path) -> None:
    from tests.commands.test_cli import voskar

    bad = "</script><img src=x onerror=document.title='got'>"
    data: dict[str, Any] = {
        "voskar": 2,
        "layers": {"names": ["<b>"]},
        "kinds": {
            "keeper": {"health": 5, "boxes": {"torso": {"role": "hurtbox", "rect": [9, 9], "layer": ["<b>"]}}},
            "hornet": {"boxes": {"sting": {"role": "hitbox", "attack": bad, "circle": 3, "mask": ["<b>"]}}},
        },
        "attacks": {bad: {"damage": 1}},
    }
    frames = brush({"hornet": "#.#"})
    for frame in frames:
        frame["poses"][1]["id"] = "<i onclick=x>"
    frames[0]["claims"] = [{"event": "hit", "attacker": "<i onclick=x>", "target": "keeper"}]
    lines = [{"voskar": "recording", "version": 2, "rate": 60, "title": bad}]
    lines += [{"frame": number, **fields} for number, fields in enumerate(frames)]
    (tmp_path / "r.toml").write_text(toml(data))
    (tmp_path / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    done = voskar("page", "r.toml", "r.jsonl", "-o", "r.html", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    opened(browser, tmp_path / "r.html", "#frame=2")
    assert browser.title.startswith(bad)
    assert browser.execute_script("return document.querySelectorAll('img, i, b[onclick]').length") == 0
    assert [item for item in browser.get_log("browser") if item["level"] == "SEVERE"] == []
    sent = [json.loads(item["message"])["message"] for item in browser.get_log("performance")]
    urls = {item["params"]["request"]["url"] for item in sent if item["method"] == "Network.requestWillBeSent"}
    assert {url for url in urls if not url.startswith(("file:", "about:", "data:", "blob:"))} == set()


def test_pages_of_a_suite_and_their_index(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("suite", "--no-explain", "--pages", tmp_path / "pages", "--report", tmp_path / "sum.html", cwd=apiary)
    assert done.returncode == 1
    names = {path.name for path in (tmp_path / "pages").iterdir()}
    assert {"index.html", "meadow.jsonl.html", "bugs--shots-tunnel.stage.toml.html"} <= names
    assert "volley.stage.toml.html" not in names  # it agrees
    assert 'href="meadow.jsonl.html"' in (tmp_path / "pages" / "index.html").read_text()
    assert 'href="pages/meadow.jsonl.html"' in (tmp_path / "sum.html").read_text()


@pytest.mark.parametrize(
    ("arguments", "told"),
    [(("-o", "x.txt"), "expected .html"), (("--frames", "9000-"), "--frames"), (("--within", "a"), "--within")],
)
def test_what_is_refused(apiary: Path, here: Any, arguments: tuple[str, ...], told: str) -> None:
    done = here("page", "apiary.toml", "meadow.jsonl", *arguments, cwd=apiary)
    assert done.returncode == 2
    assert told in done.stderr


def test_a_range_says_so(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("page", "apiary.toml", "meadow.jsonl", "--frames", "200-300", "-o", tmp_path / "p.html", cwd=apiary)
    assert done.returncode == 0, done.stderr
    assert "Frames 200 to 300 of 0 to 2039" in (tmp_path / "p.html").read_text()


INKED = """
const old = getComputedStyle(document.documentElement).getPropertyValue("--muzzle");
const wanted = [1, 3, 5].map((at) => parseInt(old.slice(at, at + 2), 16)), world = document.getElementById("world");
const all = world.getContext("2d").getImageData(0, 0, world.width, world.height).data;
let count = 0;
for (let k = 0; k < all.length; k += 4) count += wanted.every((one, at) => Math.abs(all[k + at] - one) < 20);
return count;
"""
"""How many points of the stage have the old version's colour."""


@needs_browser
def test_two_versions_on_one_stage(browser: Any, apiary: Path, tmp_path: Path, here: Any) -> None:
    from selenium.webdriver.common.by import By

    page, name = tmp_path / "two.html", "reflect-straight.jsonl"
    done = here("page", "sparring.toml", f"right/{name}", f"bugs/{name}", "-o", page, cwd=apiary / "ring")
    assert done.returncode == 0, done.stderr
    opened(browser, page)
    assert "They part in frame 65: x of puff-3: 296, then 288" in browser.find_element(By.TAG_NAME, "header").text
    assert browser.execute_script("return [voskar.state.frame, voskar.state.tab]") == [65, "differences"]
    rows = browser.find_elements(By.CSS_SELECTOR, "#rows li")
    assert ["follows" in row.get_attribute("class") for row in rows] == [False, *[True] * (len(rows) - 1)]
    rows[2].find_element(By.TAG_NAME, "button").click()
    frame, puff = browser.execute_script("return voskar.state.frame"), "b => b.actor === 'puff-3'"
    places = [
        browser.execute_script(f"return voskar.{boxes}(85).then(all => all.find({puff}).rings[0][0][0])")
        for boxes in ("boxesAt", "oldBoxesAt")
    ]
    assert (frame, places[0] < places[1]) == (93, True)
    press(browser, "0")
    inked = []
    for _ in range(3):
        browser.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))")
        inked.append(browser.execute_script(INKED))
        press(browser, "g")
    assert inked[1] == 0 < inked[0] == inked[2]


@needs_browser
def test_notebooks_show_pages_and_ledgers(browser: Any, apiary: Path, tmp_path: Path) -> None:
    from selenium.webdriver.support.ui import WebDriverWait

    shown = voskar.show(apiary / "apiary.toml", apiary / "meadow.jsonl", frames=(200, 300), height=600)
    html = shown._repr_html_()
    assert html.startswith("<iframe ")
    (tmp_path / "cell.html").write_text(html)
    browser.get(f"file://{tmp_path / 'cell.html'}")
    browser.switch_to.frame(0)
    WebDriverWait(browser, 20).until(lambda item: item.execute_script("return document.body.dataset.ready"))
    assert browser.execute_script("return voskar.versions.shown.first") == 200
    browser.switch_to.default_content()
    book = voskar.load_rulebook(apiary / "apiary.toml")
    ledger = voskar.replay(book, voskar.load_recording(apiary / "meadow.jsonl", book))
    table = ledger._repr_html_()
    assert table.count("<tr>") == min(len(ledger), 200) + 1
    assert "&lt;b&gt;" in Ledger([HealthEvent(1, "<b>", 2, 1, "a")])._repr_html_()
    with pytest.raises(voskar.InputError, match="expected frames of the recording, 0 to 2039"):
        voskar.show(book, apiary / "meadow.jsonl", frames=(5000, 6000))


def test_two_rulebooks_on_one_page(apiary: Path, tmp_path: Path, here: Any) -> None:
    done = here("page", "apiary.toml", "gentle.toml", "meadow.jsonl", "-o", tmp_path / "p.html", cwd=apiary)
    assert done.returncode == 0, done.stderr
    assert "old, as outlines: meadow.jsonl by apiary.toml" in (tmp_path / "p.html").read_text()
