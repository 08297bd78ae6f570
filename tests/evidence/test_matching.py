"""Pairing frames that are told with frames that are judged."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from voskar.core.adopt import Window
from voskar.evidence.matching import aligned

frames = st.lists(st.integers(0, 12), max_size=5).map(sorted)


def best(told: list[int], judged: list[int], window: Window) -> tuple[int, int]:
    """How many pairs there can be, and the least that they are apart in all, tried one by one."""
    if not told:
        return 0, 0
    found = [best(told[1:], judged, window)]
    for at, frame in enumerate(judged):
        if window.holds(told[0], frame):
            count, apart = best(told[1:], judged[:at] + judged[at + 1 :], window)
            found.append((count + 1, apart - abs(told[0] - frame)))
    return max(found)


@given(frames, frames, st.builds(Window, st.integers(0, 3), st.integers(0, 3)))
def test_as_many_as_can_be_and_as_near(told: list[int], judged: list[int], window: Window) -> None:
    pairs = aligned(told, judged, window)
    assert all(window.holds(told[i], judged[j]) for i, j in pairs)
    assert len({i for i, _ in pairs}) == len({j for _, j in pairs}) == len(pairs)
    assert (len(pairs), -sum(abs(told[i] - judged[j]) for i, j in pairs)) == best(told, judged, window)


def test_what_is_late_by_the_same_is_paired_so() -> None:
    assert aligned([8, 11, 14], [5, 8, 11], Window(0, 3)) == [(0, 0), (1, 1), (2, 2)]
    assert aligned([8], [5, 8], Window(0, 3)) == [(0, 1)]
    assert aligned([7], [5, 9], Window(2, 2)) == aligned([5, 9], [7], Window(2, 2)) == [(0, 0)]  # a tie
