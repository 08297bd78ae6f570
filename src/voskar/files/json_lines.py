"""Lines of JSON as blocks, decoded by what lines have shown so far."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import suppress

import msgspec
import numpy as np

from voskar.core.rules.shapes import Ints
from voskar.files.blocks import Block, chunks, gathered_block, gathering, of_frames
from voskar.files.frames import PoseLine, Warn, colons, decoded, frames_with_logs, json_frames, keys_written, names_in
from voskar.files.reading import ShortLines

PIECE = 1 << 20
"""Bytes of JSON Lines between two blocks; bounds memory, too."""
SAMPLE, SAMPLED = 64, 1 << 16
"""Lines, and bytes of them, that are looked at for what a game logs."""
MOST_OWN = 16
"""Keys of a game's own from which on they are passed over and counted: it may make them up in every frame."""
_OWN = re.compile(rb'"_(?!_)\w*":')
SHORTEST = len('{"id":"","kind":"","x":0,"y":0}')


def json_blocks(name: str, stream: ShortLines, number: int, warn: Warn) -> Iterator[Block]:
    """The frames of JSON Lines from a stream; `number` is that of the line read last. Raises InputError."""
    reader = LineReader(name, warn)
    while lines := stream.readlines(PIECE):
        yield from reader.read(lines, np.arange(number + 1, number + len(lines) + 1))
        number += len(lines)


class LineReader:
    """Reads lines by what lines have shown so far, and learns what stops it."""

    def __init__(self, name: str, warn: Warn) -> None:
        self.name, self.warn = name, warn
        self.names: set[str] = set()
        self._know()

    def _know(self) -> None:
        # A game that writes a key for each of its objects would make a new struct for every frame.
        self.passes_over = sum(name.startswith("_") for name in self.names) > MOST_OWN
        self.types = frames_with_logs(self.names, strict=not self.passes_over)
        self.decode = msgspec.json.Decoder(self.types.line).decode

    def _learn(self, lines: list[bytes]) -> bool:
        """Whether some lines have keys that no line had before."""
        # Only a sample is searched: a new key in a later line stops the reader, and is learned then.
        names = names_in(b"".join(lines[:SAMPLE])[: max(SAMPLED, len(lines[0]))])
        if self.passes_over:
            names &= {*PoseLine.__struct_fields__}
        if names <= self.names:
            return False
        self.names |= names
        self._know()
        return True

    def read(self, lines: list[bytes], places: Ints) -> Iterator[Block]:
        """Lines and their numbers as blocks; mistakes further up are reported first."""
        stopped = not self.names
        while lines:
            if stopped and any(map(bytes.isspace, lines)):
                blank = [line.isspace() for line in lines]
                lines, places = [line for line in lines if not line.isspace()], places[~np.array(blank)]
                stopped = not self.names
            elif stopped and not self._learn(lines):
                # The lines have no new key, so one of them is wrong, or needs a slow look.
                yield from self._slowly(lines[:SAMPLE], places)
                lines, places, stopped = lines[SAMPLE:], places[SAMPLE:], False
            else:
                # The upper bound of poses comes from the bytes, so that the columns never need to grow.
                text = b"".join(lines)
                columns = gathering(len(lines), len(text) // SHORTEST, self.types)
                # The first line that fails ends this block; the lines before it are taken.
                with suppress(msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
                    columns.take(map(self.decode, lines))
                taken = lines[: columns.frames]
                stopped = len(taken) < len(lines)
                if taken:
                    yield gathered_block(columns, places[: len(taken)])
                    self._count(columns.key_count, taken, b"".join(taken) if stopped else text, places)
                lines, places = lines[len(taken) :], places[len(taken) :]

    def _slowly(self, lines: list[bytes], places: Ints) -> Iterator[Block]:
        """Lines one by one: mistakes are reported, and the game's own keys are left out."""
        numbered = zip(places.tolist(), lines, strict=False)
        frames = ((place, decoded(self.name, place, line, self.warn)) for place, line in numbered)
        return map(of_frames, chunks((place, line) for place, line in frames if line is not None))

    def _count(self, number: int, lines: list[bytes], text: bytes, places: Ints) -> None:
        """Raises InputError for a line in which a key occurs twice."""
        if self.passes_over and b'\\"_' not in text:  # a key within a text has a stroke before its quotation mark
            number += len(_OWN.findall(text))
        # colons may stand in texts, too: as those of a clock do
        # The cheap count first: it is exact unless a text has a colon.
        if number != colons(text) and number != keys_written(text):
            for _ in json_frames(self.name, zip(places.tolist(), lines, strict=False), self.warn):
                pass
