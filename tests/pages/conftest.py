"""A real browser for pages."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

BROWSER, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")
needs_browser = pytest.mark.skipif(
    BROWSER is None or DRIVER is None, reason="no Chromium with its driver: pages are not tried in a browser"
)


@pytest.fixture(scope="session")
def browser() -> Iterator[Any]:
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = str(BROWSER)
    for name in (
        "headless=new", "no-sandbox", "disable-gpu", "disable-quic", "no-first-run", "disable-background-networking",
        "disable-component-update", "disable-sync", "window-size=1280,800",
    ):  # fmt: skip
        options.add_argument(f"--{name}")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(str(DRIVER)))
    yield driver
    driver.quit()


def opened(browser: Any, page: Path, anchor: str = "") -> Any:
    from selenium.webdriver.support.ui import WebDriverWait

    browser.get("about:blank")
    browser.get_log("performance")
    browser.get(f"file://{page}{anchor}")
    WebDriverWait(browser, 20).until(lambda item: item.execute_script("return document.body.dataset.ready"))
    return browser


def press(browser: Any, *keys: str) -> None:
    from selenium.webdriver.common.by import By

    for key in keys:
        browser.find_element(By.TAG_NAME, "body").send_keys(key)
