"""The actors of a recording: one for each id, checked when it is first logged with a kind and an owner."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from msgspec import structs

from voskar.core.recording import Actor, OwnerChange
from voskar.core.rules import KindNames
from voskar.core.rules.shapes import Ints
from voskar.errors import InputError, nearest
from voskar.files.blocks import Block, Key
from voskar.files.entries import RESERVED, refuse_control

PoseError = Callable[[int, str, str, str | None, Block], InputError]
"""Makes an error of a pose: its row in the block, the field, a message and a hint."""


class LoggedActors:
    """Gathers actors block by block. `kinds` are the names that each kind has; without it any kind is taken."""

    def __init__(self, kinds: Mapping[str, KindNames] | None, pose_error: PoseError) -> None:
        self.kinds, self._pose_error = kinds, pose_error
        self.all: list[Actor] = []
        self.numbers: dict[str, int] = {}
        self._known: dict[Key, int] = {}
        self._owners: dict[int, str | None] = {}
        """The last logged owner of each actor that has had several."""

    def take(self, block: Block) -> tuple[Ints, list[OwnerChange]]:
        """The number of the actor of each key (keys,) of a block, and the changes of owners in it. Raises
        InputError."""
        numbers = np.array([self._meet(key, at, block) for at, key in enumerate(block.keys)], dtype=np.int64)
        # Only actors with several owners need a look at each pose.
        return numbers, self._new_owners(numbers, block) if self._owners else []

    def _new_owners(self, numbers: Ints, block: Block) -> list[OwnerChange]:
        """Where an actor is logged with another owner than it had."""
        changes = []
        # A key is met once, and an earlier owner may come back later, so every pose counts.
        rows = np.flatnonzero(np.isin(numbers, list(self._owners))[block.key])
        frames = np.repeat(block.frame, block.counts)[rows]
        for frame, key in zip(frames.tolist(), block.key[rows].tolist(), strict=True):
            number, owner = int(numbers[key]), block.keys[key][2]
            if owner is not None and owner != self._owners[number]:
                self._owners[number] = owner
                changes.append(OwnerChange(frame, number, owner))
        return changes

    def _meet(self, key: Key, at: int, block: Block) -> int:
        """The number of an actor, which may not have been seen before with this kind and owner."""
        # A key that was checked once needs no second check: this is the fast way for nearly every block.
        if key in self._known:
            return self._known[key]

        def wrong(field: str, message: str, hint: str | None = None) -> InputError:
            return self._pose_error(int(np.flatnonzero(block.key == at)[0]), field, message, hint, block)

        name, text, owner = key
        kind = self._kind_of(name, text, wrong)
        number = self.numbers.get(name)
        late = False
        if number is None:
            if not name:
                raise wrong("id", "found an empty id")
            refuse_control(name, lambda message: wrong("id", message))
            # Driven actors get ids with these marks, and a logged id must never equal one of them.
            if any(mark in name for mark in RESERVED):
                raise wrong("id", f'found "{name}": / + # are kept for driven actors')
            if self.kinds is not None and kind not in self.kinds:
                raise wrong("kind", f'unknown kind "{kind}"', nearest(kind, self.kinds))
            # An actor with rules of its own has a kind of its own; `base` keeps the logged name.
            base = text if text != kind else ""
            number = len(self.all)
            self.numbers[name] = number
            self.all.append(Actor(name, kind, None, base=base))
        else:
            actor = self.all[number]
            if text != actor.logged_kind:
                raise wrong("kind", f'"{name}" changes its kind from "{actor.logged_kind}" to "{text}"')
            # an owner that first appears in a later frame may have reflected the shot
            late = self.kinds is not None and self.kinds[kind].changes_owner
        known = self.all[number].owner
        if owner is not None and known is None and not late:
            refuse_control(owner, lambda message: wrong("owner", message))
            # Owners in a ring would make every search for the first owner endless.
            ring = self._ring(name, owner)
            if ring:
                raise wrong("owner", f"the owners go in a ring: {ring}")
            self.all[number] = structs.replace(self.all[number], owner=owner)
        elif owner is not None and owner != known and (self.kinds is None or self.kinds[kind].changes_owner):
            refuse_control(owner, lambda message: wrong("owner", message))
            self._owners.setdefault(number, known)
        elif owner is not None and owner != known:
            # Without a reflecting attack in the rulebook another owner is a mistake of the logger.
            text = f'"{name}" changes its owner from "{known}" to "{owner}"'
            raise wrong("owner", text, "what several share needs an id for each of them, or no owner")
        self._known[key] = number
        return number

    def _kind_of(self, name: str, text: str, wrong: Callable[[str, str], InputError]) -> str:
        """The kind of an actor: that of its own rules, if it has any."""
        names = None if self.kinds is None else self.kinds.get(text)
        if names is None or name not in names.own:
            return text
        kind = names.own[name]
        assert self.kinds is not None
        if self.kinds[kind].base != text:
            raise wrong("kind", f'"{name}" is a {text}, and its own rules are like {self.kinds[kind].base}')
        return kind

    def _ring(self, name: str, owner: str) -> str:
        """The ring that an owner would close, in words; empty if it closes none."""
        path, at = [name], owner
        while at != name:
            path.append(at)
            number = self.numbers.get(at)
            following = None if number is None else self.all[number].owner
            if following is None:
                return ""
            at = following
        return " → ".join([*path, name])
