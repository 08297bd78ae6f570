"""What an import brings along, seen from a fresh interpreter."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

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


def test_a_check_needs_no_masked_arrays(apiary: Path) -> None:
    """They take a tenth of the time of a short one."""
    script = "import sys; from voskar.commands.main import run; run(sys.argv[1:]); print(*sys.modules)"
    command = [sys.executable, "-c", script, "check", "apiary.toml", "meadow.jsonl", "--no-explain"]
    done = subprocess.run(command, cwd=apiary, capture_output=True, text=True, check=True)
    assert "numpy.ma" not in done.stdout.split()
