"""The laws on a few random worlds; `make laws` tries thousands."""

from __future__ import annotations

import pytest

from tests import laws


@pytest.mark.parametrize("seed", range(4))
def test_right_logs_are_silent(seed: int) -> None:
    assert {name: found for name in laws.WAYS if (found := laws.findings(seed, name))} == {}


@pytest.mark.parametrize("seed", range(4))
def test_a_changed_value_is_found_and_the_rest_is_judged_again(seed: int) -> None:
    changed = laws.changes(seed)
    assert changed
    assert [changed_value for changed_value in changed if not changed_value.found or changed_value.outside] == []


@pytest.mark.parametrize("seed", [2120, 2174], ids=["fired where one comes round an edge", "ends with its last bounce"])
def test_shots_at_edges_are_silent(seed: int) -> None:
    assert laws.findings(seed, "as it is") == []
