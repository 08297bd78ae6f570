"""Settings for property tests: no deadline, since a shared machine may stall, and the same worlds in every run;
VOSKAR_PROPERTIES=soak tries more and others, and =plain does not spend minutes on making a failing world small."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from tests.commands.test_cli import voskar

settings.register_profile(
    "quick", deadline=None, max_examples=20, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.register_profile("plain", settings.get_profile("quick"), phases=[Phase.explicit, Phase.generate])
settings.register_profile("soak", settings.get_profile("quick"), max_examples=5000, derandomize=False)
settings.load_profile(os.environ.get("VOSKAR_PROPERTIES", "quick"))


@pytest.fixture(scope="session")
def apiary(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's folder."""
    folder = tmp_path_factory.mktemp("demo")
    done = voskar("demo", cwd=folder)
    assert done.returncode == 0, done.stderr
    return folder / "night-apiary"
