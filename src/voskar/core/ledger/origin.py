"""Where spawned actors come from, as their ids state."""

from __future__ import annotations

import re

import msgspec


class Origin(msgspec.Struct, frozen=True, gc=False):
    """Where a spawned actor comes from: the `number`th of an owner's emitter, or of a kind that a parent left behind.

    `parent` is an id; of hit effects the word `effect`. As text it is the actor's id.
    """

    parent: str
    emitter: str | None
    kind: str
    number: int

    @property
    def beginning(self) -> str:
        """The beginning of their ids."""
        return f"{self.parent}/{self.emitter}" if self.emitter is not None else f"{self.parent}+{self.kind}"

    def __str__(self) -> str:
        return f"{self.beginning}-{self.number}"

    @classmethod
    def parse(cls, name: str) -> Origin | None:
        """The origin that an id states; None if it is not the id of a spawned actor."""
        beginning, dash, count = name.rpartition("-")
        if not dash or not count.isascii() or not count.isdecimal():
            return None
        # an id of a child of a spawned actor holds several marks: the last one parts it from its parent
        # A mark at the start would leave the parent without a name.
        at = max(beginning.rfind("/"), beginning.rfind("+"))
        if at <= 0:
            return None
        what = beginning[at + 1 :]
        if beginning[at] == "/":
            return cls(beginning[:at], what, "", int(count))
        return cls(beginning[:at], None, what, int(count))


def brood(name: str) -> str:
    """The name under which spawned actors are summed up: all of one emitter, parent or hit effect,
    `keeper/smoker-*`."""
    return re.sub(r"-\d+$", "-*", name)
