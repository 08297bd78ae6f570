"""The page of a recording that grows: what it shows as frames come, and whom it answers."""

from __future__ import annotations

import http.client
import re
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.pages.conftest import needs_browser, press
from tests.test_live import HEAD, Output, frame, game, started, until, written
from tests.worlds import sting, toml
from voskar.live.page import LivePage
from voskar.live.session import Session


class Playing(NamedTuple):
    """A game that is being played."""

    address: str
    file: Any
    out: Output
    process: subprocess.Popen[str]


@pytest.fixture
def playing(tmp_path: Path) -> Iterator[Playing]:
    (tmp_path / "rules.toml").write_text(toml({"voskar": 2, **sting()}))
    process = started("rules.toml", "play.jsonl", "--page", "--share", "100", cwd=tmp_path)
    assert process.stderr is not None
    line = process.stderr.readline()
    with (tmp_path / "play.jsonl").open("a") as file:
        yield Playing(line.split()[-1], file, Output(process.stdout), process)
    process.send_signal(signal.SIGINT)
    process.wait(20)


def add(to: Playing, lines: list[dict[str, Any]]) -> None:
    to.file.write(written(lines))
    to.file.flush()


def shown(browser: Any, what: str) -> Any:
    return browser.execute_script(f"return {what}")


@needs_browser
def test_a_page_grows_with_its_game(browser: Any, playing: Playing) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    lines = game(400, missing=(60, 240))
    add(playing, lines[:101])
    until(lambda: "60 hit-missing" in playing.out.text)
    browser.get(playing.address)
    until(lambda: shown(browser, "document.body.dataset.ready"))
    assert shown(browser, "[voskar.state.atEnd, voskar.versions.shown.last]") == [True, 99]
    assert "60 hit-missing" in browser.find_element(By.ID, "rows").text.replace("  ", " ")
    add(playing, lines[101:201])
    until(lambda: shown(browser, "voskar.state.frame") == 199)
    boxes = shown(browser, "voskar.boxesAt(180).then(all => all.map(b => [b.actor, b.rings[0][0][0]]))")
    assert sorted(actor for actor, _ in boxes) == ["hornet", "keeper"]
    press(browser, Keys.ARROW_LEFT)
    add(playing, lines[201:])
    until(lambda: shown(browser, "voskar.versions.shown.last") == 399)
    assert shown(browser, "[voskar.state.frame, voskar.state.atEnd]") == [198, False]
    until(lambda: "240 hit-missing" in browser.find_element(By.ID, "rows").text.replace("  ", " "))
    press(browser, "l")
    assert shown(browser, "voskar.state.frame") == 399
    assert [item for item in browser.get_log("browser") if item["level"] == "SEVERE"] == []
    add(playing, [HEAD, *(frame(at, claims=True) for at in range(50))])  # the game begins again
    until(lambda: shown(browser, "window.voskar && voskar.versions.shown.last") == 49)
    playing.process.send_signal(signal.SIGINT)
    until(lambda: shown(browser, "document.body.dataset.ended"))


def asked(address: str, path: str = "", method: str = "GET", **headers: str) -> int:
    """The status of an answer."""
    host, port, own = re.fullmatch(r"http://([\d.]+):(\d+)(/.*)", address).groups()  # type: ignore[union-attr]
    connection = http.client.HTTPConnection(host, int(port), timeout=10)
    connection.request(method, path or own, headers={"Host": f"{host}:{port}"} | headers)
    return connection.getresponse().status


def test_whom_it_answers(playing: Playing) -> None:
    address = playing.address
    own = re.sub(r"^http://[^/]+", "", address)
    assert asked(address) == 200
    assert asked(address, Origin=address.removesuffix(own)) == 200
    for headers in (
        {"Host": "example.org"},
        {"Host": "127.0.0.1:1"},
        {"Origin": "http://example.org"},
        {"Origin": "null"},
    ):
        assert asked(address, **headers) == 403
        assert asked(address, f"{own}events?after=0", **headers) == 403
    for path in ("/", "/x/", f"{own[:-2]}/", f"{own[:-1]}x/events?after=0", f"{own}other"):
        assert asked(address, path) == 404
    assert asked(address, f"{own}events?after=x") == 400
    for method in ("POST", "PUT", "DELETE"):
        assert asked(address, method=method) == 405


def test_runs_follow_each_other_on_a_page(tmp_path: Path) -> None:
    path = tmp_path / "rules.toml"
    path.write_text(toml({"voskar": 2, **sting()}))
    session, page = Session(path, draws=True), LivePage("rules.toml", "play.jsonl")
    for line in game(300, missing=(60, 160), marks=(150,)):
        session.feed(line)
        for looked in session.over:
            page.looked(looked)
            page.run_over()
        session.over.clear()
        for recording in session.fresh():
            page.logged(session.book.rules(recording.rate), recording)
    session.look(over=True)
    assert session.looked is not None
    page.looked(session.looked)
    known = page.known
    assert known is not None
    assert [item["frame"] for item in known["findings"]] == [60, 160]
    assert [item["finding"] for item in known["explanations"]] == sorted(
        item["finding"] for item in known["explanations"]
    )
    assert known["counts"] == [13, 13, 2, 0]
    assert known["whole"] == [0, 299]
    health, values = known["courses"]["keeper"]["health"]
    assert health == sorted(health)
    assert len(health) == len(values)
    events = [event for event in page.since(0) if event.event == "poses"]
    assert [event.number for event in events] == sorted(event.number for event in events)
    html = page.html()
    assert html is not None
    assert html.count('class="chunk"') == len(events)
