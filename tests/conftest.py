"""Settings for property tests: no deadline, since a shared machine may stall, and the same worlds in every run;
VOSKAR_PROPERTIES=soak tries more and others, =few fewer, and =plain does not spend minutes on making a failing world
small."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from voskar import demo
from voskar.commands.main import run

settings.register_profile(
    "quick", deadline=None, max_examples=10, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.register_profile("plain", settings.get_profile("quick"), phases=[Phase.explicit, Phase.generate])
settings.register_profile("few", settings.get_profile("quick"), max_examples=6)
settings.register_profile("soak", settings.get_profile("quick"), max_examples=20_000, derandomize=False)
settings.load_profile(os.environ.get("VOSKAR_PROPERTIES", "quick"))


if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:
    # as of what runs in the background: commands would ignore it too, and the tests that interrupt them wait forever
    with suppress(ValueError):
        signal.signal(signal.SIGINT, signal.default_int_handler)


@pytest.fixture(scope="session", autouse=True)
def kept_apart(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What is kept of suites and rulebooks is that of the tests alone. All workers share it, as runs of a user do."""
    base = tmp_path_factory.getbasetemp()
    os.environ["XDG_CACHE_HOME"] = str((base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "cache")


@pytest.fixture(scope="session")
def apiary(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's folder."""
    folder = tmp_path_factory.mktemp("demo") / "night-apiary"
    folder.mkdir()
    demo.write(folder)
    return folder


Here = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture
def here(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Here:
    """As `voskar` of test_cli, but within this process: a process for each of many lines would take a second more.

    It has one worker by default: a process that is forked next to the threads of the test runner may never continue.
    """
    monkeypatch.setattr(os, "cpu_count", lambda: 1)
    monkeypatch.setenv("COLUMNS", "100")

    def command(*arguments: object, cwd: Path) -> subprocess.CompletedProcess[str]:
        with monkeypatch.context() as patch:
            patch.chdir(cwd)
            code = run(list(map(str, arguments)))
        capture_result = capsys.readouterr()
        return subprocess.CompletedProcess(arguments, code, capture_result.out, capture_result.err)

    return command
