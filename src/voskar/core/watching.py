"""Looking on as a recording is stepped: where everyone was, and what gates say in the frames that are asked about."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import msgspec
import numpy as np
from msgspec import Struct, field

from voskar.core.adopt import Resync
from voskar.core.asking import holds, words
from voskar.core.copying import Copier
from voskar.core.emitters.gates import GATES as EMITTER_GATES
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import GATES, GateAnswer
from voskar.core.kernel.storage import FOREVER
from voskar.core.ledger import Ledger
from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording import Actor, Poses, Recording
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Ints
from voskar.core.step import Stepper, played_out
from voskar.core.world import ActorState, World

Verdicts = tuple[tuple[str, GateAnswer], ...]
Boxes = tuple[str, str, str, str]
"""Attacker, hitbox, target, hurtbox: ids and names."""


class Question(Struct):
    """A question about a frame: pairs of actors, all pairs with boxes within `near` units, and emitters."""

    pairs: set[tuple[str, str]] = field(default_factory=set)
    near: float | None = None
    emitters: bool = False


class Moment(Struct):
    """The answers for a frame, from before anything was judged in it.

    `states` are copies. `verdicts` hold every gate of boxes of the pairs asked about: those of contacts as they were
    when each was judged, of others as they would have been before the first hit. `touched` are the times of contacts.
    """

    states: dict[str, ActorState] = field(default_factory=dict)
    unmet: dict[str, dict[int, str]] = field(default_factory=dict)
    """By id the conditions of its boxes that an actor does not meet, by number, in words: these boxes are closed."""
    frozen: dict[str, int] = field(default_factory=dict)
    """By id the last frame of a freeze: the hitboxes of that actor are closed."""
    pairs: set[tuple[str, str]] = field(default_factory=set)
    verdicts: dict[Boxes, Verdicts] = field(default_factory=dict)
    touched: dict[Boxes, float] = field(default_factory=dict)
    outcomes: dict[Boxes, str] = field(default_factory=dict)
    pulls: dict[tuple[str, str], Verdicts] = field(default_factory=dict)
    """Every gate of emitters, by owner and name, the trigger first."""


class Watch:
    """An observer that films where everyone is, and answers questions."""

    def __init__(
        self, questions: Mapping[int, Question], *, films: bool | Collection[int] = True, known: Iterable[Actor] = ()
    ) -> None:
        """`films` all frames, none, or some; `known` are driven actors that are there at times that are not filmed."""
        self.questions, self.films = questions, films
        self.moments: dict[int, Moment] = {}
        self._frames = sorted({*questions, *(() if isinstance(films, bool) else films)})
        self._moment: Moment | None = None
        self._film: list[tuple[Ints, ...]] = []
        self._names: dict[str, Actor] = {actor.id: actor for actor in known}
        self._moved: list[tuple[slice, np.ndarray, np.ndarray, np.ndarray]] = []

    def copied(self, copier: Copier) -> Watch:
        """A watch that continues by itself; the states that it has kept do not change."""
        made: Watch = copier.empty(self)
        copier.fill(made, self, leaving_out=("moments", "_film", "_moved"))
        made.moments, made._film, made._moved = self.moments.copy(), self._film.copy(), self._moved.copy()
        return made

    def next_frame(self, frame: int) -> int:
        """Every frame if it films all, else the next that it films or that is asked about."""
        if self.films is True:
            return frame
        at = bisect_left(self._frames, frame)
        return self._frames[at] if at < len(self._frames) else FOREVER

    def before_firing(self, stepper: Stepper) -> None:
        """Asks the gates of emitters."""
        self._moment = None
        question = self.questions.get(stepper.world.frame)
        if question is None:
            return
        self._moment = self.moments[stepper.world.frame] = Moment()
        if question.emitters:
            world = stepper.world
            for state in list(world.everyone()):
                if world.is_present(state.row):
                    for emitter in state.kind.emitters:
                        pull = stepper.emitters.pull(state, emitter)
                        trigger = stepper.emitters.trigger_verdict(state, emitter)
                        verdicts = [(gate.name, gate.check(pull)) for gate in EMITTER_GATES]
                        self._moment.pulls[state.id, emitter.name] = (("trigger", trigger), *verdicts)

    def before_judging(self, stepper: Stepper) -> None:
        """Films the frame, and asks what would come of pairs that do not touch."""
        world = stepper.world
        if self._films(world.frame):
            self._shoot(world)
        question, moment = self.questions.get(world.frame), self._moment
        if question is None or moment is None:
            return
        moment.pairs = set(question.pairs)
        if question.near is not None:
            moment.pairs |= close_pairs(world, question.near)
        for attacker, target in sorted(moment.pairs):
            self._ask(stepper, moment, attacker, target)

    @staticmethod
    def _keep(world: World, moment: Moment, name: str) -> ActorState | None:
        state = world.find(name)
        if state is not None and name not in moment.states:
            moment.states[name] = msgspec.structs.replace(state)
            if world.is_frozen(state):
                moment.frozen[name] = world.table.frozen_until[state.row]
            conditions = enumerate(world.catalog.conditions.get(state.kind.name, ()))
            moment.unmet[name] = {
                at: words(world, state, asked) for at, asked in conditions if not holds(world, state, asked)
            }
        return state

    def _ask(self, stepper: Stepper, moment: Moment, attacker: str, target: str) -> None:
        world = stepper.world
        mine, theirs = (self._keep(world, moment, name) for name in (attacker, target))
        if mine is None or theirs is None or not (world.is_present(mine.row) and world.is_present(theirs.row)):
            return
        for hit in world.catalog.by_kind[mine.kind.name]:
            for hurt in world.catalog.by_kind[theirs.kind.name]:
                if hit.box.role == "hitbox" and hurt.box.role == "hurtbox":
                    contact = Contact.asked(stepper.world, stepper.judge.memory, mine.row, hit, theirs.row, hurt)
                    key = (attacker, hit.name, target, hurt.name)
                    moment.verdicts[key] = tuple((gate.name, gate.check(contact)) for gate in GATES)

    def judged(self, contact: Contact, outcome: str) -> None:
        """A contact as it is judged: hits before it in this frame have changed what gates say."""
        moment = self._moment
        if moment is None:
            return
        pair = (contact.attacker.id, contact.target.id)
        question = self.questions[contact.frame]
        if pair not in moment.pairs and question.near is None:
            return
        moment.pairs.add(pair)
        for name in pair:
            self._keep(contact.world, moment, name)
        key = (pair[0], contact.hitbox.name, pair[1], contact.hurtbox.name)
        moment.verdicts[key] = tuple((gate.name, gate.check(contact)) for gate in GATES)
        moment.touched[key], moment.outcomes[key] = contact.t, outcome

    def after(self, stepper: Stepper) -> None:
        """A frame after the end of a run: it has poses of the recording, but no verdicts of emitters and pairs."""
        world = stepper.world
        self._moment = None
        if self._films(world.frame) and world.run.ended is not None and world.frame > world.run.ended:
            self._shoot_poses(world)
        question = self.questions.get(world.frame)
        if question is not None and world.frame not in self.moments:
            moment = self.moments[world.frame] = Moment()
            for pair in sorted(question.pairs):
                for name in pair:
                    self._keep(world, moment, name)

    # the film

    def _films(self, frame: int) -> bool:
        return self.films if isinstance(self.films, bool) else frame in self.films

    def _shoot_poses(self, world: World) -> None:
        """Where hits have moved recorded actors."""
        table, kernel, frame = world.table, world.kernel, world.frame
        if world.raw or world.rules.returns:
            rows = slice(kernel.first_row, kernel.last_row)
            actors = world.recording.poses.actor[rows]
            past = np.asarray(table.past)[actors]
            before = np.asarray(table.before_at)[actors] == frame - 1
            moved = (np.asarray(table.x)[actors], np.asarray(table.y)[actors], before & (past == 0))
            self._moved.append((rows, *moved))

    def _shoot(self, world: World) -> None:
        table, kernel, frame = world.table, world.kernel, world.frame
        self._shoot_poses(world)
        if not kernel.count:
            return
        here = kernel.driven()
        numbers = []
        for row in here:
            state = world.state(row)
            # numbers are given in order of first appearance, as columns of a recording have them
            if state.id not in self._names:
                spawned = bool(table.spawned[row])
                self._names[state.id] = Actor(state.id, state.kind.name, state.owner, driven=True, spawned=spawned)
            numbers.append(state.id)
        names = ("x", "y", "facing", "angle", "clip", "tick", "vx", "vy", "past", "hidden", "z")
        columns = tuple(np.asarray(getattr(table, name))[here] for name in names)
        self._film.append((np.full(len(here), frame), np.array(numbers, dtype=object), *columns))

    def recording_of(self, world: World) -> Recording:
        """The recording as it was judged: with what lingered, in a raw one as hits have moved them, and with all that
        the rules set in motion, as if the game had shown it."""
        recording = world.recording
        poses = recording.poses
        if self._moved:
            x, y, cut = poses.x.copy(), poses.y.copy(), np.array(poses.cut)
            for rows, new_x, new_y, jumped in self._moved:
                x[rows], y[rows] = new_x, new_y
                cut[rows] |= jumped
            poses = replace(poses, x=x, y=y, cut=cut)
        if not self._film:
            return replace(recording, poses=poses)
        known = len(recording.actors)
        number = {name: known + place for place, name in enumerate(self._names)}
        columns = [np.concatenate(parts) for parts in zip(*self._film, strict=True)]
        frame, names, x, y, facing, angle, clip, tick, vx, vy, past, hidden, depth = columns
        count = len(frame)
        nan, none = np.broadcast_to(np.nan, count), np.broadcast_to(-1, count)
        never = np.broadcast_to(False, count)
        driven = Poses(
            frame=frame,
            actor=np.array([number[name] for name in names.tolist()], dtype=np.int64),
            x=x,
            y=y,
            facing=facing.astype(np.int8),
            angle=angle,
            scale=np.broadcast_to(1.0, count),
            z=depth,
            clip=clip,
            tick=np.where(clip >= 0, tick, -1),
            cell=none,
            vx=vx,
            vy=vy,
            health=nan,
            lives=nan,
            immune=none,
            stunned=none,
            frozen=none,
            tags=none,
            counted=none,
            push_x=nan,
            push_y=nan,
            logged=none,
            cut=past == 0,
            hidden=hidden.astype(np.bool_),
            lingering=never,
        )
        # in the order of time, not in the order of the kernel's lists
        both = poses.and_also(driven.rows(np.lexsort((driven.actor, driven.frame))))
        # stable: within a frame recorded actors stay before driven ones
        both = both.rows(np.argsort(both.frame, kind="stable"))
        starts = np.searchsorted(both.frame, np.arange(recording.first, recording.last + 2)).astype(np.int64)
        actors = (*recording.actors, *self._names.values())
        return replace(recording, poses=both, starts=starts, actors=actors, clips=world.clips)


def close_pairs(world: World, within: float) -> set[tuple[str, str]]:
    """Pairs of an attacker and a target with boxes, open or not, with bounds no further apart than `within` units."""
    sides: list[list[tuple[str, list[float]]]] = [[], []]
    placing, table = world.placing, world.table
    for state in world.everyone():
        row = state.row
        if not world.is_present(row):
            continue
        matrix = (table.m00[row], table.m01[row], table.m10[row], table.m11[row])
        for box in world.catalog.by_kind[state.kind.name]:
            if box.box.role != "body":
                form = placing.form_of(row, box.number, False, 0) if box.box.logged else -1
                if box.box.logged and form < 0:
                    continue
                if form < 0:
                    form = box.form_in(world.clip(row), table.cell[row])
                radius = world.shapes.radius[form] * table.scale[row]
                placing.bounds(form, table.x[row], table.y[row], *matrix, radius)
                bounds = [placing.low_x, placing.low_y, placing.high_x, placing.high_y]
                sides[box.box.role == "hurtbox"].append((state.id, bounds))
    if not sides[0] or not sides[1]:
        return set()
    a, b = (np.array([bounds for _, bounds in side]) for side in sides)
    apart = np.maximum(a[:, None, :2] - b[None, :, 2:], b[None, :, :2] - a[:, None, 2:]).max(axis=-1)
    found = {(sides[0][i][0], sides[1][j][0]) for i, j in np.argwhere(apart <= within).tolist()}
    return {pair for pair in found if pair[0] != pair[1]}


@dataclass(frozen=True)
class Watched:
    """A replay that was watched: its ledger, the world at its end, and what was seen. `logged` is the recording as it
    was given, `copies` are steppers on the way, `filmed` the recording as it was judged, if that is known already."""

    stepper: Stepper
    ledger: Ledger
    watch: Watch
    logged: Recording
    copies: Sequence[Stepper] = ()
    filmed: Recording | None = None

    @property
    def world(self) -> World:
        """The world at the end."""
        return self.stepper.world

    @property
    def resync(self) -> Resync | None:
        """The resync, if the replay had one."""
        return self.stepper.resync

    def asking(self, questions: Mapping[int, Question]) -> Watched:
        """The same replay, watched for some more frames; only the stretches about them are stepped through again, from
        a second before to a second after each."""
        rules, recording = self.world.rules, self.world.recording
        filmed = self.recording if self.watch.films is True else None
        watch = Watch(questions, films=filmed is None and needs_film(rules, recording), known=driven_actors(self))
        second = round(self.world.rate)
        stepper: Stepper | None = None
        for frame in sorted(questions):
            start = max(frame - second, recording.first)
            before = bisect_right(self.copies, start, key=lambda copy: copy.next)
            if before and (stepper is None or self.copies[before - 1].next > stepper.next):
                stepper = self.copies[before - 1].copy()
            elif stepper is None:
                stepper = Stepper(rules, self.logged, resync=self.resync)
            # up to the stretch no frame is kept: that is faster, and `watch` keeps the frames of its questions alone
            stepper.observer = None
            stepper.run_to(start)
            stepper.observer = watch
            stepper.run_to(frame + second + 1)
        return Watched(self.stepper, self.ledger, watch, self.logged, self.copies, filmed)

    @cached_property
    def recording(self) -> Recording:
        """As it was judged."""
        return self.watch.recording_of(self.world) if self.filmed is None else self.filmed


def needs_film(rules: Rules, recording: Recording) -> bool:
    """Whether a recording does not show by itself where everyone is."""
    return rules.drives or rules.returns or recording.reactions == "raw"


def driven_actors(seen: Watched) -> list[Actor]:
    """All driven actors that were ever there."""
    found = [Actor(fixture.id, fixture.kind, driven=True) for fixture in seen.world.fixtures.values()]
    spawns = (event for event in seen.ledger.all(SpawnEvent) if event.detail is None)
    return found + [Actor(event.id, event.kind, event.owner, driven=True, spawned=True) for event in spawns]


def watched(
    rules: Rules,
    recording: Recording,
    questions: Mapping[int, Question] | None = None,
    *,
    films: bool | Collection[int] = True,
    resync: Resync | None = None,
) -> Watched:
    """Replays, and looks on at all frames, or at some; with `resync` it continues from the game's account."""
    films = films if needs_film(rules, recording) else False
    done = played_out(Stepper(rules, recording, Watch(questions or {}, films=films), resync))
    assert isinstance(done.stepper.observer, Watch)
    return Watched(done.stepper, done.ledger, done.stepper.observer, recording, done.copies)
