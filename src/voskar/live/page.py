"""The page of a recording that grows: its parts, and the events for browsers that have it open."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import NamedTuple

from voskar.core.boxes import BoxCatalog
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.live.news import Looked
from voskar.pages.data import page_data
from voskar.pages.joining import joined, without
from voskar.pages.poses import Plain, pose_chunks
from voskar.pages.render import PackedChunk, packed, packed_chunks, render_live


class PageEvent(NamedTuple):
    """News for a page: its number, its name, and its text."""

    number: int
    event: str
    text: str


class LivePage:
    """Keeps poses as packed chunks, and what the last look knows. Poses as they are logged are replaced by those of the
    next look, which has them as they were judged, and what the rules set in motion."""

    def __init__(self, rulebook: str, recording: str) -> None:
        self.files = rulebook, recording
        self.number = 0
        self._begin()

    def _begin(self) -> None:
        self.known: Plain | None = None
        self._before: Plain | None = None
        """The data of runs that are over."""
        self._chunks: list[tuple[int, PackedChunk]] = []
        """With the number of the event that brought them."""
        self._known_at = 0
        self.until = -1
        """The last frame that the page has poses of."""
        self._sure = -1
        """The last frame with poses of a look."""

    def logged(self, rules: Rules, recording: Recording) -> list[PageEvent]:
        """Poses of frames as they are logged."""
        # a look comes after the poses that it judges, so most of them are there already
        first = max(self.until + 1, recording.first)
        return self._poses(rules, recording, first, recording.last) if first <= recording.last else []

    def looked(self, look: Looked, *, forget: int | None = None) -> list[PageEvent]:
        """The events of a look at the run. Poses before `forget` are dropped."""
        rules, recording, found = look
        first = max(self._sure + 1, recording.first)
        events = []
        if first <= recording.last:
            # poses as they were logged give way to those as they were judged
            self._chunks = [chunk for chunk in self._chunks if chunk[1].first < first]
            assert found.verdict.seen is not None
            events = self._poses(rules, found.verdict.seen.recording, first, recording.last, forget)
            self._sure = recording.last
        frames = recording.first, recording.last
        # poses have their own chunks, so only the findings are sent again as a whole
        now = page_data(rules, recording, found, self.files, frames, draws=False).plain
        if forget is not None:
            self._chunks = [chunk for chunk in self._chunks if chunk[1].last >= forget]
            self._before = None if self._before is None else without(self._before, forget)
        self.known = now if self._before is None else joined(self._before, now)
        self.number += 1
        self._known_at = self.number
        return [*events, PageEvent(self.number, "known", packed(self.known))]

    def run_over(self) -> None:
        """The run of the last look is over: its findings stay."""
        self._before = self.known

    def restarts(self) -> list[PageEvent]:
        """Another recording: nothing is known."""
        self.number += 1
        self._begin()
        return [PageEvent(self.number, "begun", "")]

    def _poses(
        self, rules: Rules, recording: Recording, first: int, last: int, forget: int | None = None
    ) -> list[PageEvent]:
        events, old = [], {} if forget is None else {"forget": forget}
        # the browser must drop old chunks itself, because it receives each chunk once
        for chunk in packed_chunks(pose_chunks(rules, recording, BoxCatalog.of(rules), (first, last))):
            self.number += 1
            self._chunks.append((self.number, chunk))
            events.append(PageEvent(self.number, "poses", json.dumps(chunk._asdict() | old)))
        self.until = max(self.until, last)
        return events

    def html(self) -> str | None:
        """The page as it is now, None before the first look."""
        if self.known is None:
            return None
        # frames have come since the last look, and the time axis ends with the last of them
        known = self.known | {"last": self.until, "whole": [self.known["whole"][0], self.until]}
        return render_live(known, [chunk for _, chunk in self._chunks], self.number)

    def since(self, number: int) -> Iterator[PageEvent]:
        """The news after an event, as far as they still hold."""
        # a chunk that a look has replaced is not in the list any more, so no pose is sent twice
        for at, chunk in self._chunks:
            if at > number:
                yield PageEvent(at, "poses", json.dumps(chunk._asdict()))
        if self.known is not None and self._known_at > number:
            yield PageEvent(self._known_at, "known", packed(self.known))
