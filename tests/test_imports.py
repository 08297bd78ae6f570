"""What an import brings along, seen from a fresh interpreter."""

from __future__ import annotations

import subprocess
import sys

import pytest

INTERFACE = {"click", "rich", "matplotlib", "pandas", "pydantic", "pyarrow"}
HEAVY = INTERFACE - {"click"} | {"numpy", "msgspec"}


def brought_by(code: str) -> set[str]:
    script = f"import sys\n{code}\nprint(*sorted({{name.split('.')[0] for name in sys.modules}}))"
    return set(
        subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.split()
    )


@pytest.mark.parametrize(
    ("code", "unwanted"),
    [
        ("import voskar.core.step, voskar.evidence.check, voskar.core.views.summary", INTERFACE),
        ("import voskar", HEAVY | {"click"}),
        ("from voskar.commands.main import run; run(['--help'])", HEAVY | {"tempfile"}),
        ("import voskar.commands.check, voskar.commands.replay, voskar.commands.why", HEAVY & {"pydantic", "pandas"}),
    ],
)
def test_imports_stay_light(code: str, unwanted: set[str]) -> None:
    assert brought_by(code) & unwanted == set()
