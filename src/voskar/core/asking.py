"""Conditions on an actor: each key, whether it fails in this frame, and the words that say so."""

from __future__ import annotations

from collections.abc import Callable, Collection

from msgspec import Struct

from voskar.core.rules import ActorCondition, Windows
from voskar.core.rules.conditions import within
from voskar.core.world import ActorState, World


class ActorCheck(Struct, frozen=True):
    """One key of an actor condition: whether it is asked for, and whether it fails. `words` gives both sides."""

    key: str
    asks: Callable[[ActorCondition], bool]
    fails: Callable[[World, ActorState, ActorCondition], bool]
    words: Callable[[World, ActorState, ActorCondition], str]


def _kind_words(world: World, state: ActorState, asked: ActorCondition) -> str:
    return f"only {' or '.join(sorted(asked.kinds))}: it is {state.kind.logged_kind}"


def _counters_fail(world: World, state: ActorState, asked: ActorCondition) -> bool:
    for name, comparisons in asked.counters.items():
        value = world.counter(state, name)
        for comparison in comparisons:
            if not comparison.holds(value):
                return True
    return False


def _counter_words(world: World, state: ActorState, asked: ActorCondition) -> str:
    texts = []
    for name, comparisons in asked.counters.items():
        whose = world.counter_holder(state, name)
        of = "" if whose == state.id else f" of {whose}"
        needs = " and ".join(map(str, comparisons))
        texts.append(f"needs {name}{of} {needs}, has {world.counter(state, name):g}")
    return ", ".join(texts)


def _health_fails(world: World, state: ActorState, asked: ActorCondition) -> bool:
    health, full = state.health, state.kind.health
    return health is None or full is None or not all(comparison.holds(health, full) for comparison in asked.health)


def _health_words(world: World, state: ActorState, asked: ActorCondition) -> str:
    has = "none" if state.health is None else f"{state.health:g} of {state.kind.health:g}"
    return f"needs health {' and '.join(map(str, asked.health))}, has {has}"


def _stun_fails(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return world.is_stunned(state) != asked.stunned


def _stun_words(world: World, state: ActorState, asked: ActorCondition) -> str:
    until = state.stunned_until
    has = f"stunned until {until}" if world.is_stunned(state) else "not stunned"
    return f"only {'' if asked.stunned else 'not '}stunned: it is {has}"


def _immune_fails(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return world.is_immune(state) != asked.immune


def _immune_words(world: World, state: ActorState, asked: ActorCondition) -> str:
    has = f"immune until {state.immune_until}" if world.is_immune(state) else "not immune"
    return f"only {'' if asked.immune else 'not '}immune: it is {has}"


def _during_fails(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return not within(asked.during, *world.shown_cell(state))


def _not_during_fails(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return within(asked.not_during, *world.shown_cell(state))


def _clip_words(world: World, state: ActorState, wanted: str, windows: Windows) -> str:
    clip, cell = world.shown_cell(state)
    has = "shows no clip" if clip is None else f"shows {clip} cell {cell}"
    return f"{wanted} {clip_ranges(windows)}: it {has}"


def clip_ranges(windows: Windows) -> str:
    """Clips with their ranges of cells, in words."""
    return " or ".join(_ranges(clip, those) for clip, those in windows.items())


def _ranges(clip: str, those: Collection[tuple[int, int]]) -> str:
    cells = [f"{first}-{last}" if last > first else str(first) for first, last in those if last < ANY_CELL]
    return f"{clip} {','.join(cells)}".strip()


ANY_CELL = 1 << 40
"""The last cell of a range that has every cell."""


def _tags_fail(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return not asked.tags <= world.tags(state)


def _no_tags_fail(world: World, state: ActorState, asked: ActorCondition) -> bool:
    return not asked.no_tags.isdisjoint(world.tags(state))


def _tag_words(world: World, state: ActorState, wanted: str, tags: Collection[str]) -> str:
    return f"{wanted} {', '.join(sorted(tags))}: it has {', '.join(sorted(world.tags(state))) or 'no tags'}"


ACTOR_CHECKS: tuple[ActorCheck, ...] = (
    ActorCheck(
        "kinds",
        lambda asked: bool(asked.kinds),
        lambda world, state, asked: state.kind.logged_kind not in asked.kinds,
        _kind_words,
    ),
    ActorCheck("counters", lambda asked: bool(asked.counters), _counters_fail, _counter_words),
    ActorCheck("health", lambda asked: bool(asked.health), _health_fails, _health_words),
    ActorCheck("stunned", lambda asked: asked.stunned is not None, _stun_fails, _stun_words),
    ActorCheck("immune", lambda asked: asked.immune is not None, _immune_fails, _immune_words),
    ActorCheck(
        "during",
        lambda asked: bool(asked.during),
        _during_fails,
        lambda world, state, asked: _clip_words(world, state, "only in", asked.during),
    ),
    ActorCheck(
        "not_during",
        lambda asked: bool(asked.not_during),
        _not_during_fails,
        lambda world, state, asked: _clip_words(world, state, "not in", asked.not_during),
    ),
    ActorCheck(
        "tags",
        lambda asked: bool(asked.tags),
        _tags_fail,
        lambda world, state, asked: _tag_words(world, state, "needs the tags", asked.tags),
    ),
    ActorCheck(
        "no_tags",
        lambda asked: bool(asked.no_tags),
        _no_tags_fail,
        lambda world, state, asked: _tag_words(world, state, "without the tags", asked.no_tags),
    ),
)
"""The cheapest first: all must hold."""


def holds(world: World, state: ActorState, asked: ActorCondition) -> bool:
    """Whether an actor meets a condition at this moment of the frame."""
    return not any(check.asks(asked) and check.fails(world, state, asked) for check in ACTOR_CHECKS)


def state_holds(world: World, state: ActorState, asked: ActorCondition, frame: int) -> bool:
    """Whether what a condition asks of an actor's counters, health and stun holds in this frame or the next."""
    if asked.stunned is not None and asked.stunned != (state.stunned_since <= frame <= state.stunned_until):
        return False
    if asked.counters and _counters_fail(world, state, asked):
        return False
    return not asked.health or not _health_fails(world, state, asked)


def words(world: World, state: ActorState, asked: ActorCondition) -> str:
    """The condition's demands, and the actor's values, in words."""
    return "; ".join(check.words(world, state, asked) for check in ACTOR_CHECKS if check.asks(asked))


def asked_keys(asked: ActorCondition) -> list[str]:
    """The keys that a condition names."""
    return [check.key for check in ACTOR_CHECKS if check.asks(asked)]
