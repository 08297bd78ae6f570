"""Matches the actors of two recordings of one game: one recording gets the ids of the other."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping
from dataclasses import replace
from typing import NamedTuple

import msgspec

from voskar.core.adopt import Window
from voskar.core.recording import Recording
from voskar.evidence.matching import pair_up


class _Appeared(NamedTuple):
    frame: int
    id: str
    group: tuple[str, str]


def aligned(recording: Recording, other: Recording, near: int) -> Recording:
    """The other recording, with the ids of the first one.

    An actor without an owner is the one of the same id and kind, else the next one of its kind by first appearance. A
    shot is of the same kind and owner: the one of the same id that appears in the same frame, else one that appears at
    most `near` frames off, so that one shot more or less does not shift the later ones, else the next one.
    """
    pairs: dict[str, str] = {}
    for owned in (False, True):  # owners first: a shot's owner has its id by then
        before, after = list(_appeared(recording, {}, owned=owned)), list(_appeared(other, pairs, owned=owned))
        if owned:
            for window, key in ((Window(), _same), (Window(near, near), _group)):
                found, before, after = pair_up(before, after, window, key, key)
                pairs |= {shot.id: former.id for former, shot in found}
        for key in (_same, _group):
            waiting: dict[Hashable, list[str]] = {}
            for actor in sorted(before, reverse=True):
                waiting.setdefault(key(actor), []).append(actor.id)
            pairs |= {actor.id: ids.pop() for actor in sorted(after) if (ids := waiting.get(key(actor)))}
            before = [actor for actor in before if actor.id in waiting[key(actor)]]
            after = [actor for actor in after if actor.id not in pairs]
    for name in other.numbers:
        if name not in pairs and name in recording.numbers:
            pairs[name] = f"{name} (other)"  # another actor, which must not be taken for this one
    return renamed(other, {text: name for text, name in pairs.items() if text != name})


def _same(shot: _Appeared) -> Hashable:
    return shot.id, shot.group


def _group(shot: _Appeared) -> Hashable:
    return shot.group


def _appeared(recording: Recording, pairs: Mapping[str, str], *, owned: bool) -> Iterator[_Appeared]:
    for number, actor in enumerate(recording.actors):
        frames = recording.poses.frames_of(number)
        if (actor.owner is not None) == owned and len(frames):
            owner = pairs.get(actor.owner or "", actor.owner or "")
            yield _Appeared(int(frames[0]), actor.id, (actor.logged_kind, owner))


def renamed(recording: Recording, names: Mapping[str, str]) -> Recording:
    """The same recording with other ids."""
    if not names:
        return recording

    def own(name: str | None) -> str | None:
        return None if name is None else names.get(name, name)

    def all_of(ids: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(names.get(name, name) for name in ids)

    put = msgspec.structs.replace
    return replace(
        recording,
        actors=tuple(
            put(actor, id=names.get(actor.id, actor.id), owner=own(actor.owner)) for actor in recording.actors
        ),
        claims=tuple(
            put(claim, attacker=own(claim.attacker), target=own(claim.target), id=own(claim.id), owner=own(claim.owner))
            for claim in recording.claims
        ),
        inputs=replace(recording.inputs, ids=all_of(recording.inputs.ids)),
        display=replace(recording.display, ids=all_of(recording.display.ids)),
        owner_changes=tuple(
            change._replace(owner=names.get(change.owner, change.owner)) for change in recording.owner_changes
        ),
    )
