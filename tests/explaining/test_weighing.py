"""All evidence at once, on random worlds in which the game claims whatever it likes."""

from __future__ import annotations

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests import strategies
from tests.worlds import recording, rulebook
from voskar.core.explain.actor import standing
from voskar.core.step import replay
from voskar.core.views.coverage import exercised, rules_of
from voskar.core.views.timeline import timeline
from voskar.evidence.expectations import Range, State, Statement, Wanted
from voskar.evidence.tuning import score
from voskar.evidence.words import accounts, question, question_of
from voskar.explaining.weighing import weigh

EVENTS = ("down", "respawn", "out", "removed", "spawn")
STATEMENTS = (
    Statement(Wanted("landed"), at=(1, 3)),
    Statement(Wanted("down"), then=(Wanted("respawn", {"frame": Range(2)}),)),
    Statement(Wanted("landed", {"damage": Range(2, 2)}), count=Range(3, 4)),
)


@given(
    strategies.deadly_rulebooks(True),
    strategies.recordings(frames_at_most=20),
    st.sampled_from(["baked", "raw"]),
    st.data(),
)
def test_whatever_a_game_claims(data: Any, frames: Any, reactions: str, draw: Any) -> None:
    """Every finding has one cause and something to ask; a replay differs from itself in nothing; what is exercised is
    among the rules; no claim changes what the rules say on their own, nor, with resync, without saying so."""
    frames = draw.draw(strategies.inputs(frames))
    ids = sorted({pose["id"] for frame in frames for pose in frame["poses"]}) or ["nobody"]
    someone, now_and_then = st.sampled_from(ids), st.integers(0, 3)
    for frame in frames if ids != ["nobody"] else ():
        if draw.draw(now_and_then) == 0:
            hit = {"event": "hit", "attacker": draw.draw(someone), "target": draw.draw(someone), "damage": 1}
            frame["claims"] = [hit, {"event": draw.draw(st.sampled_from(EVENTS)), "id": draw.draw(someone)}]
    book = rulebook(data)
    played = recording(book, frames, reactions=reactions, seed=3)
    rules = book.rules(played.rate)
    ledger = replay(rules, played)
    state = State(ids[0], draw.draw(st.integers(0, len(frames))), x=Range(0, 3), health=Range(1))
    resync = draw.draw(st.booleans())
    found = weigh(rules, played, [state, *STATEMENTS], ledger, resync=resync)
    assert resync or found.ledger.events == ledger.events
    assert found.ledger.of("adopted") or found.ledger.events == ledger.events
    assert found.differs is not None
    assert not found.differs.differences
    for finding in found.verdict.findings:
        assert all(accounts(finding))
        assert question(finding)[0] == "--frame"
    grouped = [finding for group in found.groups for finding in group.findings]
    roots = found.verdict.roots
    assert sorted(map(id, grouped)) == sorted(id(root) for root, _ in roots)
    every = [following for root, follows in roots for following in (root, *follows)]
    assert sorted(map(id, every)) == sorted(map(id, found.verdict.findings))
    for failure in found.failures:
        nobodys = failure.event is None or failure.event.event in ("over", "won")
        assert nobodys or question_of(failure.event)
    known = {(rule.group, rule.name) for rule in rules_of(rules)}
    held = {key for key in exercised(rules, played, ledger) if key[0] != "way" and not key[1].endswith("held")}
    assert held <= known
    assert score(rules, played, ledger, resync=False)[0].differ == 0
    course = timeline(rules, played, ledger)
    judged = played if found.verdict.seen is None else found.verdict.seen.recording
    for name in course.courses:
        assert standing(course, ledger, judged, name, played.last)
