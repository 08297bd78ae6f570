"""Every explanation agrees with the ledger, in random worlds: pairs that touched, emitters, actors' states."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests import fighting, strategies, uncommon
from tests.worlds import recording, rulebook
from voskar.core.emitters.gates import GATES as EMITTER_GATES
from voskar.core.emitters.gates import SILENT
from voskar.core.explain.emitter import EmitterExplainer
from voskar.core.explain.pair import PairExplainer
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import GATES
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.step import Stepper
from voskar.core.views.timeline import timeline
from voskar.core.watching import Question, Watch, Watched

State = tuple[float | None, int | None]


class Witness(Watch):
    """Notes how everyone stands in each frame, and that what a gate says in words is what it does."""

    def __init__(self, questions: dict[int, Question]) -> None:
        super().__init__(questions)
        self.states: dict[tuple[str, int], State] = {}
        self.counters: dict[tuple[str, int], dict[str, float]] = {}
        self.immune: set[tuple[str, int]] = set()
        self.stunned: set[tuple[str, int]] = set()
        self.down: dict[tuple[str, int], bool] = {}

    def before_firing(self, stepper: Stepper) -> None:
        super().before_firing(stepper)
        for state in stepper.world.everyone():
            if stepper.world.is_present(state.row):
                for emitter in state.kind.emitters:
                    pull = stepper.emitters.pull(state, emitter)
                    assert all(gate.stops(pull) == gate.check(pull).stops for gate in EMITTER_GATES)

    def before_judging(self, stepper: Stepper) -> None:
        super().before_judging(stepper)
        frame = stepper.world.frame
        self.down |= {(state.id, frame): state.down is not None for state in stepper.world.everyone()}
        self.immune |= {
            (state.id, frame) for state in stepper.world.everyone() if state.immune_since <= frame <= state.immune_until
        }
        self.stunned |= {(state.id, frame) for state in stepper.world.everyone() if stepper.world.is_stunned(state)}

    def judged(self, contact: Contact, outcome: str) -> None:
        super().judged(contact, outcome)
        assert all(gate.stops(contact) == gate.check(contact).stops for gate in GATES)

    def after(self, stepper: Stepper) -> None:
        super().after(stepper)
        world = stepper.world
        for state in world.everyone():
            if not state.driven or world.is_present(state.row):
                lives = None if state.lives is None else state.kind.logged_lives(state.lives)
                self.states[state.id, world.frame] = state.health, lives
                known = {name: world.counter_of(state, name) for name in {*state.counters, *state.kind.counters}}
                self.counters[state.id, world.frame] = {name: value for name, value in known.items() if value}


worlds = st.one_of(
    strategies.driving_rulebooks(), strategies.deadly_rulebooks(driving=True), strategies.deadly_rulebooks()
)


@given(worlds, strategies.recordings(), st.sampled_from(["baked", "raw"]), st.data())
def test_explanations_hold(data: Any, frames: Any, reactions: str, more: st.DataObject) -> None:
    explanations_hold(data, more.draw(strategies.inputs(frames)), reactions)


@given(uncommon.rulebooks(fighting.rulebooks(worlds)), strategies.recordings(frames_at_most=16), st.data())
def test_so_do_those_of_fights(data: Any, frames: Any, more: st.DataObject) -> None:
    frames = more.draw(fighting.tagged(more.draw(uncommon.boxed(data, more.draw(strategies.inputs(frames))))))
    explanations_hold(data, frames, more.draw(st.sampled_from(["baked", "raw"])))


def explanations_hold(data: Any, frames: Any, reactions: str) -> None:
    """Those of pairs, emitters and states, in every frame."""
    book = rulebook(data)
    played = recording(book, frames, reactions=reactions, seed=3)
    witness = Witness({frame: Question(near=1e9, emitters=True) for frame in range(played.first, played.last + 1)})
    stepper = Stepper(book.rules(played.rate), played, witness)
    found = Watched(stepper, stepper.run(), witness, played)
    pairs_agree(found)
    emitters_agree(found)
    states_agree(found, witness)


def pairs_agree(found: Watched) -> None:
    """Each contact is explained by its own outcome, and nothing else is explained by one."""
    contacts: dict[int, set[tuple[str, ...]]] = defaultdict(set)
    for event in found.ledger.of("contact"):
        for frame in range(event.frame, (event.until or event.frame) + 1):
            names = (event.attacker, event.hitbox, event.target, event.hurtbox, event.outcome)
            contacts[frame].add(tuple(map(str, names)))
    explainer = PairExplainer(found)
    for frame, moment in found.watch.moments.items():
        entries = set()
        for attacker, target in moment.pairs:
            for account in explainer.pair(frame, attacker, target):
                touched = (attacker, account.hitbox, target, account.hurtbox) in moment.touched
                if account.gate in OUTCOMES and (touched or account.gate == "landed"):
                    entries.add((attacker, account.hitbox, target, account.hurtbox, account.gate))
                assert not touched or account.gate in OUTCOMES
        assert entries == contacts[frame]


def emitters_agree(found: Watched) -> None:
    """Each emitter fired in a frame, was denied by the gate that is named, or was not triggered."""
    denied = {(event.frame, event.id, event.emitter): event.detail for event in found.ledger.of("denied")}
    explainer = EmitterExplainer(found)
    for frame in found.watch.moments:
        for owner, emitter in explainer.emitters(frame):
            steps = explainer.steps(frame, owner, emitter)
            stopped = next((step.gate for step in steps if not step.passed), None)
            assert bool(explainer.fired(frame, owner, emitter)) == (stopped is None), (
                frame,
                owner,
                emitter.name,
                steps,
            )
            text = denied.pop((frame, owner, emitter.name), None)
            speaks = emitter.when.on in ("press", "release", "clip") and stopped not in (
                None,
                "trigger",
                "run",
                *SILENT,
            )
            assert text == (stopped if speaks else None)
    assert not denied


def states_agree(found: Watched, witness: Witness) -> None:
    """The timeline, read off the ledger alone, knows what the world knew."""
    course = timeline(found.world.rules, found.world.recording, found.ledger)
    for (name, frame), (health, lives) in witness.states.items():
        entry = course.courses[name]
        assert entry.health.now(frame) == health, (name, frame)
        assert entry.lives.now(frame) == lives, (name, frame)
        counted = {counter: steps.now(frame) for counter, steps in entry.counters.items()}
        assert {counter: value for counter, value in counted.items() if value} == witness.counters[name, frame]
    for (name, frame), down in witness.down.items():
        assert course.courses[name].is_down(frame) == down, (name, frame)
    judged = {state for state in witness.states if state in witness.down}
    for state, known in (("immune", witness.immune), ("stunned", witness.stunned)):
        told = {
            (name, frame)
            for name, item in course.courses.items()
            for span in getattr(item, state)
            for frame in range(span.first, span.last + 1)
        }
        assert {pair for pair in known if pair in judged} == {pair for pair in told if pair in judged}
