"""The memory of the judge: last hits, unbroken runs of contact, counts towards a removal.

Whatever an actor is part of is found again by its row, so that to forget one costs what there is of it: a long session
neither grows nor slows.
"""

from __future__ import annotations

from typing import Any

import msgspec

Key = tuple[int, str, int]
"""Attacker, attack, target: rows and a name."""


class LastHit(msgspec.Struct, frozen=True, gc=False):
    """The last hit of one attack of one attacker on one target, the swing it was made with, and the frame that its
    rehit duration counts from: later if the attacker was frozen since."""

    frame: int
    swing: int
    since: int


class Memory:
    """`preempted` are pairs (attacker, target) stopped in this frame, `choices` the cases that contacts of an attack
    came to in it. `effects` and `plain` are cases that were put together before."""

    SHARED = frozenset(("effects", "plain"))

    def __init__(self) -> None:
        self.choices: dict[tuple[int, str, int], Any] = {}
        self.cancelled: dict[tuple[int, str], int] = {}
        """By actor and attack, the swing in which a clash cancelled it."""
        self.clashes: dict[tuple[int, str, int, str], tuple[int, int, int]] = {}
        """By the two sides of a clash, their swings, and the last frame in which they met."""
        self.effects: dict[Any, Any] = {}
        self.plain: dict[str, Any] = {}
        self.hits: dict[Key, LastHit] = {}
        self.struck: dict[tuple[int, str], tuple[int, frozenset[str]]] = {}
        """By attacker and attack with `max_targets`, its swing and the ids of all that it landed on in it."""
        self.preempted: set[tuple[int, int]] = set()
        self._runs: dict[Key, tuple[int, int]] = {}
        self._keys: dict[int, set[Key]] = {}
        self._counts: dict[int, dict[tuple[str, str], int]] = {}

    def land(self, key: Key, frame: int, swing: int, since: int) -> None:
        """Notes a hit."""
        if key not in self.hits:
            self._note(key)
        self.hits[key] = LastHit(frame, swing, since)

    def strike(self, key: Key, swing: int, target: str) -> None:
        """Notes a target that an attack with `max_targets` landed on."""
        self.struck[key[:2]] = (swing, self.struck_in(key, swing) | {target})

    def struck_in(self, key: Key, swing: int) -> frozenset[str]:
        """The ids of all that an attack with `max_targets` landed on in a swing."""
        last, names = self.struck.get(key[:2], (swing, frozenset()))
        return names if last == swing else frozenset()

    def held(self, key: Key, frame: int) -> int:
        """How many other targets an attack has landed on in contacts that continue."""
        count = 0
        for entry in self._keys.get(key[0], ()):
            hit, run = self.hits.get(entry), self._runs.get(entry)
            if entry[:2] == key[:2] and entry != key and hit is not None and run is not None:
                # a run that began after the hit is another contact, which does not hold the attack up
                count += run[1] >= frame - 1 and run[0] <= hit.frame
        return count

    def delay(self, row: int, frame: int, extra: int) -> None:
        """An attacker is frozen: rehit durations and unbroken contacts continue so many frames later."""
        for key in self._keys.get(row, ()):
            if key[0] == row and key in self.hits:
                hit = self.hits[key]
                self.hits[key] = LastHit(hit.frame, hit.swing, hit.since + extra)
            run = self._runs.get(key)
            # only a run that goes on in this frame is held; a run that has ended stays ended
            if key[0] == row and run is not None and run[1] >= frame:
                self._runs[key] = run[0], run[1] + extra

    def cancel(self, key: tuple[int, str], swing: int) -> None:
        """An attack lands on no actor for the rest of its swing."""
        self.cancelled[key] = swing

    def note_clash(self, key: tuple[int, str, int, str], met: tuple[int, int, int]) -> None:
        """Two hitboxes meet."""
        self.clashes[key] = met

    def _note(self, key: Key) -> None:
        for row in (key[0], key[2]):
            keys = self._keys.get(row)
            if keys is None:
                self._keys[row] = {key}
            else:
                keys.add(key)

    def touching_since(self, key: Key, frame: int) -> int:
        """The first frame of the unbroken run of contact that a contact in this frame is part of."""
        run = self._runs.get(key)
        # a gap of one frame already ends a run
        return frame if run is None or run[1] < frame - 1 else run[0]

    def touch(self, key: Key, frame: int, until: int) -> None:
        """Notes a contact with any outcome; while its attacker is frozen, up to `until`, it is not broken."""
        if key not in self._runs:
            self._note(key)
        self._runs[key] = (self.touching_since(key, frame), until)

    def count(self, row: int, attack: str, side: str) -> int:
        """Counts an outcome towards the removal of one side. Returns the new count."""
        counts = self._counts.setdefault(row, {})
        counts[attack, side] = number = counts.get((attack, side), 0) + 1
        return number

    def forget(self, row: int) -> None:
        """An actor that returns starts again: rehit, touches and pierce counts."""
        if self._counts:
            self._counts.pop(row, None)
        if self.clashes:
            # few clashes are remembered at a time, so an index by row would cost more
            self.clashes = {key: entry for key, entry in self.clashes.items() if row not in (key[0], key[2])}
        if self.cancelled:
            self.cancelled = {key: number for key, number in self.cancelled.items() if key[0] != row}
        if self.struck:
            self.struck = {key: names for key, names in self.struck.items() if key[0] != row}
        if row not in self._keys:
            return
        # a row is used again by the next actor, which must not inherit hits
        for key in self._keys.pop(row):
            self.hits.pop(key, None)
            self._runs.pop(key, None)
            other = self._keys.get(key[2] if key[0] == row else key[0])
            if other is not None:
                other.discard(key)

    def restart(self, row: int) -> None:
        """Forgets the hits that an attacker has dealt, and their count."""
        # what others have landed on it stays: it is its own attacks that start again
        self._counts.pop(row, None)
        self.struck = {key: names for key, names in self.struck.items() if key[0] != row}
        for key in self._keys.get(row, ()):
            if key[0] == row:
                self.hits.pop(key, None)
                self._runs.pop(key, None)

    def clear(self) -> None:
        """Everything starts again."""
        self.hits.clear()
        self.struck.clear()
        self._runs.clear()
        self._keys.clear()
        self._counts.clear()
        self.preempted.clear()
        self.choices.clear()
        self.cancelled.clear()
        self.clashes.clear()
