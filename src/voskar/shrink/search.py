"""The search for the smallest scene, and the fewest rules, that still show a finding."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import tomlkit

from voskar.core.adopt import Windows
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.errors import InputError, VoskarError
from voskar.evidence.check import Verdict, compared, replayed
from voskar.evidence.finding import Finding
from voskar.evidence.words import accounts
from voskar.files.recording import read_recording, read_script, read_whole
from voskar.files.rulebook import Rulebook, check_source
from voskar.files.toml_sources import Source
from voskar.shrink.reduce import reduced
from voskar.shrink.rules import reduced_rules
from voskar.shrink.script import Script, script_of, script_text
from voskar.words import counted

SPREADS = (8, 30, 90, 240, 1000, 1 << 30)
"""Frames before a finding that may matter, the fewest first."""
AFTER = 35
"""Frames behind it: half a second and a little, in which something may still be the same at another frame."""

Roots = frozenset[tuple[object, ...]]
"""Findings, by what stays the same of them."""
Tell = Callable[[str], None]
"""Receives how far a search has come."""


@dataclass(frozen=True)
class Shrunk:
    """A stage script, what it took to find it, and how large it is, in words; the rules that it needs, and how many
    lines they were. Where a search was `interrupted` it is the best so far."""

    text: str
    summary: str
    size: str
    rules: str = ""
    of: int = 0
    interrupted: bool = False


def shrunk(search: Search, recording: str, tell: Tell) -> Shrunk:
    """The smallest scene that shows a finding. Ctrl-C takes the best so far.

    Raises VoskarError where a stage script cannot show it.
    """
    finding = search.finding
    header, frames = _plain_frames(recording)
    frames, found = search.cut(header, frames)
    best = script_of(header, frames) if found is None else found
    if found is None:
        words = "the scripts made here do not say all that this finding needs (velocities, a scale that changes)"
        raise VoskarError(f"{words}; the frames that it needs are {frames[0]['frame']} to {frames[-1]['frame']}")

    def better(script: dict[str, Any]) -> None:
        nonlocal best
        best = script
        keys = sum(len(part["way"]) for part in script["parts"])
        tell(f"{counted(len(script['parts']), 'actor')}, {counted(keys, 'key')}")

    interrupted = False
    try:
        best = reduced(best, search.shows, better, {finding.attacker, finding.target})
    except KeyboardInterrupt:
        interrupted = True
    game, rules = accounts(finding)
    about = (
        f"{finding.code} in frame {finding.frame} of {Path(recording).name}, made small.\ngame: {game}\nrules: {rules}"
    )
    text = script_text(best, about)
    needed = f"{counted(len(frames), 'frame')} needed, {search.tried} scenes tried"
    size = f"{lines_of(text)} lines, {counted(len(best['parts']), 'actor')}"
    return Shrunk(text, f"{finding.code} in {finding.frame}: {needed}", size, interrupted=interrupted)


def needed_rules(search: Search, small: Shrunk, tell: Tell) -> Shrunk:
    """With the TOML of the rules that its script needs to show the finding. Ctrl-C takes the fewest so far."""
    raw = search.book.source.raw
    best, interrupted, script = raw, small.interrupted, tomlkit.parse(small.text).unwrap()

    def fewer(rules: dict[str, Any]) -> None:
        nonlocal best
        best = rules
        tell(f"rules, {counted(lines_of(tomlkit.dumps(rules)), 'line')}")

    try:
        best = reduced_rules(raw, lambda rules: search.shows_by(rules, script), fewer)
    except KeyboardInterrupt:
        interrupted = True
    about = f"# What {search.finding.code} in frame {search.finding.frame} needs of {Path(search.book.path).name}.\n"
    text = about + tomlkit.dumps(best)
    return replace(small, rules=text, of=lines_of(tomlkit.dumps(raw)), interrupted=interrupted)


def lines_of(text: str) -> int:
    """Lines that say something."""
    return len([line for line in text.splitlines() if line and not line.startswith("#")])


def _plain_frames(recording: str) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    return read_whole(
        recording, lambda source: (source.header, [msgspec.to_builtins(frame) for _, frame in source.frames])
    )


class Search:
    """Whether a scene still shows a finding."""

    def __init__(self, book: Rulebook, windows: Windows, finding: Finding, *, resync: bool) -> None:
        self.book, self.windows, self.finding, self.resync, self.tried = book, windows, finding, resync, 0
        self._rules: dict[Fraction, Rules] = {}
        self.others: Roots | None = None
        """All other findings of the smallest scene so far: it gets no new ones."""

    def cut(
        self, header: Mapping[str, Any], frames: Sequence[dict[str, Any]]
    ) -> tuple[list[dict[str, Any]], Script | None]:
        """The fewest frames about it, of a few spreads, whose script shows it, and that script: one that shows nothing
        else, if there is one. Without a script the frames that show it."""
        place = next(k for k, frame in enumerate(frames) if frame["frame"] == self.finding.frame)
        spreads = [*(frames[max(place - before, 0) : place + AFTER + 1] for before in SPREADS), frames]
        best: tuple[list[dict[str, Any]], Script, Roots] | None = None
        for entries in spreads:
            self.others, script = None, script_of(header, entries)
            # fewer other findings are worth more frames
            if self.shows(script) and (best is None or len(self.others or ()) < len(best[2])):
                best = list(entries), script, self.others or frozenset()
            elif best is not None:
                break  # frames further away bring findings of their own
            # no wider spread can be better
            if best is not None and not best[2]:
                break
        if best is None:
            return list(next((entries for entries in spreads if self._shows_itself(header, entries)), frames)), None
        self.others = best[2]
        return best[0], best[1]

    def _shows_itself(self, header: Mapping[str, Any], entries: Sequence[dict[str, Any]]) -> bool:
        """Whether frames of the recording show it as they are."""
        self.others = None
        lines = [msgspec.json.encode(header), *map(msgspec.json.encode, entries)]
        try:
            return self._is_in(read_recording(lines, "the scene", self.book))
        except InputError:
            return False  # claimed actors and owners are not in it yet

    def shows(self, script: dict[str, Any]) -> bool:
        """Whether a script does."""
        try:
            return self._is_in(read_script(script, "the scene", self.book))
        except InputError:
            return False

    def shows_by(self, rules: dict[str, Any], script: Script) -> bool:
        """Whether a script does by other rules."""
        source = self.book.source
        try:
            book = check_source(Source(source.name, rules, dict(source.places), source.root))
            return self._is_in(read_script(script, "the scene", book), book)
        except InputError:
            return False

    def _rules_at(self, rate: Fraction) -> Rules:
        """The compiled rules, and with them all that is made of them, once for all scenes of a rate."""
        if rate not in self._rules:
            self._rules[rate] = self.book.rules(rate)
        return self._rules[rate]

    def _is_in(self, played: Recording, book: Rulebook | None = None) -> bool:
        self.tried += 1
        rules = self._rules_at(played.rate) if book is None else book.rules(played.rate)
        seen = replayed(rules, played, windows=self.windows, resync=self.resync)
        # half of a check are the reasons, which most scenes need not have
        bare, _ = compared(seen, windows=self.windows, explains=False)
        if not self._may_be(bare):
            return False
        verdict, _ = compared(seen, windows=self.windows)
        same = [_is_same(self.finding, root) for root, _ in verdict.roots]
        others = frozenset(
            _signature(root) for (root, _), is_same in zip(verdict.roots, same, strict=True) if not is_same
        )
        if not any(same) or (self.others is not None and not others <= self.others):
            return False  # nor a finding that was not there before, as of a hit without its claim
        self.others = others
        return True

    def _may_be(self, bare: Verdict) -> bool:
        """Whether a verdict without reasons may show the finding and nothing new: half of a check are its reasons, and
        most scenes that are tried show neither."""
        roots = {_outline(root) for root, _ in bare.roots}
        wanted = _outline(self.finding)
        known = None if self.others is None else {other[:-1] for other in self.others}
        return wanted in roots and (known is None or roots - {wanted} <= known)


def _is_same(finding: Finding, other: Finding) -> bool:
    """Whether two findings are one mistake: half a push that is missing is another than a whole one."""
    if _signature(finding) != _signature(other):
        return False
    sides = (finding.game, other.game), (finding.rules, other.rules)
    return all(_are_near(*map(_numbers, side)) for side in sides) and _damage(finding) == _damage(other)


def _damage(finding: Finding) -> float | None:
    """The damage of the rules' hit."""
    return None if finding.hit is None else finding.hit.damage


def _are_near(values: Sequence[float], others: Sequence[float]) -> bool:
    # an account with another number of numbers says something else
    pairs = zip(values, others, strict=False)
    return len(values) == len(others) and all(abs(a - b) <= max(NEAR, NEAR * abs(a)) for a, b in pairs)


NEAR = 0.1
"""By which the numbers of a finding may change, and by which share."""
_FRAMES = re.compile(r"\b(?:in|from|to|since|until|frame|frames|after|before) \d+|\d+ frames?|\(-?[\d.]+, -?[\d.]+\)")
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")


def _numbers(text: str) -> list[float]:
    """The numbers of an account, without frames and places, which a smaller scene has elsewhere, and without ids."""
    return [float(item) for item in _NUMBER.findall(_FRAMES.sub("", text)) if not item.startswith("-")]


def _signature(finding: Finding) -> tuple[object, ...]:
    """The part of a finding that stays the same: its outline, and the gate that decided."""
    return *_outline(finding), None if finding.why is None else finding.why.gate


def _outline(finding: Finding) -> tuple[object, ...]:
    """The part that stays the same and needs no reasons: code, pair, and by how many frames it is off."""
    return finding.code, finding.attacker, finding.target, finding.shift
