"""A recording that grows: judged as far as it has come, run by run.

A *look* judges all of a run, as `check` does. A *glance* judges the last seconds from nothing, which takes the same
time however long the run is: it only says whether a look may find something new. If so, a *short look* follows: with
as much of the past as the rules remember. It reports what it finds, except what only comes from its missing past
(`Doubts`); the next look withdraws it if that is wrong.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from time import process_time
from typing import Any, Literal

import msgspec
import numpy as np

from voskar.core.adopt import Windows
from voskar.core.recording import Recording
from voskar.core.recording.cut import cut
from voskar.errors import InputError, Problem
from voskar.evidence.check import PartVerdict, Verdict, check_part
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.tolerance import TOLERANCE
from voskar.explaining.leaf import Variants
from voskar.explaining.tried import Mark, mark
from voskar.explaining.weighing import weigh
from voskar.files.blocks import Block
from voskar.files.columns import ColumnBuilder
from voskar.files.header import meaning, read_header
from voskar.files.json_lines import LineReader
from voskar.files.kept import ReadyRulebook
from voskar.files.windows import parse_windows
from voskar.live.doubts import Doubts, own_roots, subjects_of
from voskar.live.last_frames import LastFrames
from voskar.live.news import LiveTally, Looked, News, SureFrames
from voskar.live.past import any_remains, past_of

WARM = 1.0
"""Seconds before what a glance looks at: by then what it has not seen hardly matters any more."""
GLANCE = 0.5
"""Seconds that a glance looks at, at least."""
UNSURE = 24.0
"""Seconds after what a look does not see in which it reports nothing, as what came before is unknown."""
RECENT = 12.0
"""Seconds in which a short look reports something, where nothing odd says which."""
AT_ONCE = 600
"""Frames that become columns at once, at most: more would take memory that is never given back."""
REFUTED = 3
"""A glance asks for a look no more by what so many looks running have not found."""


class Session:
    """Judges frames as they come. A finding is reported once its window has passed. A `run` mark ends the run before
    it, which is judged a last time and forgotten.

    >>> import voskar
    >>> session = voskar.Session("apiary.toml")
    >>> with open("meadow.jsonl") as lines:
    ...     session.feed(*lines)
    >>> [(finding.frame, finding.code) for finding in session.findings()]
    [(273, 'hit-moved'), (1131, 'hit-denied')]
    """

    def __init__(
        self,
        rulebook: str | Path | ReadyRulebook,
        *,
        within: int | str | Sequence[str] = (),
        tolerance: float = TOLERANCE,
        resync: bool = True,
        forget: float | None = None,
        draws: bool = False,
        name: str = "the game",
    ) -> None:
        """`within` is as for `check`; of a run only the last `forget` seconds are kept, or up to twice as many; `draws`
        keeps of each look how all frames were judged; `name` is what errors call the recording.
        Raises InputError for a bad rulebook or `within`."""
        self.book = rulebook if isinstance(rulebook, ReadyRulebook) else ReadyRulebook(str(rulebook))
        items = [within] if isinstance(within, int | str) else within
        self.windows: Windows = parse_windows(items, "within")
        self.tolerance, self.resync, self.name = tolerance, resync, name
        self.forget, self.draws = forget, draws
        self.looked: Looked | None = None
        """The last look at this run of a session that draws, None before the first."""
        self.cost = 0.0
        """CPU seconds of the last look."""
        self.late_cost = 0.0
        """CPU seconds of looks that the caller did not ask for; the caller sets it back."""
        self.recordings = 0
        """How many have begun."""
        self.over: list[Looked] = []
        """The last look at each run that is over, if the session draws, for a caller that takes them away."""
        self._late = News()
        """News of looks that the caller did not ask for."""
        self._refuted: Counter[tuple[str, str]] = Counter()
        """How often glances found odd what looks did not: by code and the kind it is about."""
        self._begin(None)

    def _begin(self, header: dict[str, Any] | None) -> None:
        self.header = header
        self.line = 0
        self.problem: InputError | None = None
        """The error that ended the recording; nothing is taken until another one begins."""
        self._before = LiveTally()
        self._doubts = Doubts()
        self._reader = LineReader(self.name, lambda item: None)
        self._new_run()

    def _new_run(self) -> None:
        rate = 60.0 if self.header is None else float(meaning(self.header)["rate"])
        self._run = LastFrames(self._columns, None if self.forget is None else round(self.forget * rate))
        # a glance needs its warm start and what it looks at, with windows of up to two seconds
        self._end = LastFrames(self._columns, round((WARM + GLANCE + 2) * rate))
        self._first: int | None = None
        """The first frame of the run, None before it."""
        self._looked_from: int | None = None
        """The first frame of the last look."""
        self._known: set[Mark] = set()
        """All findings of the last look."""
        self._last = self._judged = self._glanced = -1
        self._has_ended = False
        """Whether the rules have ended the run, as far as the last look saw."""
        # every trial shares these, so it knows the actors of earlier blocks
        self._actors = self._columns().actors
        """All actors of this run, as columns know them."""
        self._waiting: list[tuple[int, list[bytes]]] = []
        """Lines that are checked and not in the columns of the run yet, each part with the number of the line before
        it."""
        self._blocks: list[Block] = []
        """The same frames, which are not among the last ones yet."""
        self._claimed: list[int] = []
        """The frames with claims that neither a glance nor a look has seen: most findings are about one."""
        self._late_frames = 0
        """How long the last glance waited for a finding's window to pass."""
        self._fresh: list[ColumnBuilder] = []
        """Columns of frames that are not drawn yet."""
        self._odd: dict[Mark, tuple[str, str]] = {}
        self.looked = None
        self._reported: dict[Mark, Finding] = {}
        self._seen = LiveTally()

    def _columns(self) -> ColumnBuilder:
        return ColumnBuilder(self.name, self.book.kinds, "line")

    @property
    def last(self) -> int:
        """The last frame that has come, -1 before the first."""
        return self._last

    @property
    def forgotten(self) -> int | None:
        """The frame before which everything is forgotten, None if nothing is."""
        if self.forget is None or self.header is None:
            return None
        return max(0, self.last - round(2 * self.forget * float(meaning(self.header)["rate"])))

    @property
    def tally(self) -> LiveTally:
        """The tally of the recording, up to the last look."""
        before, seen = self._before, self._seen
        return LiveTally(
            before.frames + seen.frames,
            before.claims + seen.claims,
            before.agreed + seen.agreed,
            before.findings + len(self._reported),
        )

    def feed(self, *frames: Mapping[str, Any] | str | bytes) -> None:
        """Takes frames, each as a dictionary or a line of a recording; a header begins another recording. Raises
        InputError for a wrong frame, and ends the recording there."""
        lines = [frame if isinstance(frame, bytes) else _line(frame) for frame in frames]
        found: InputError | None = None
        while lines:
            begins = _begins(lines[0])
            end = next((at for at, line in enumerate(lines[1:], 1) if _begins(line)), len(lines))
            try:
                # a run that is over is judged before anything of the next one is taken
                if begins is not None and self._first is not None and self.problem is None:
                    self._end_run()
                if begins == "recording":
                    self._begin(None)
                    self.recordings += 1
                    self.line = 1
                    self.header = read_header(self.name, 1, lines[0])
                    self._new_run()
                    self._take(lines[1:end])
                else:
                    self._take(lines[:end])
            except InputError as error:
                self.problem = error
                # the lines after the error count again if another recording begins there
                found = found or error
            lines = lines[end:]
        if found is not None:
            raise found

    def _take(self, lines: list[bytes]) -> None:
        if not lines or self.problem is not None:
            return
        before = self.line
        # the reader expects the line ends of a file
        try:
            if self.header is None:
                text = "found a frame, expected the header of a recording first"
                raise InputError(Problem(text, file=self.name, line=before + 1))
            self._add([line.rstrip(b"\n") + b"\n" for line in lines])
        except InputError as error:
            bad = error.problems[0].line
            if bad is not None and self.line < bad - 1 <= before + len(lines):
                self._add(lines[self.line - before : bad - 1 - before])  # those before it are as they should be
            raise

    def _add(self, lines: list[bytes]) -> None:
        """Checks frames, block by block: of one with a mistake nothing is taken. They become columns when these are
        wanted: frames are cheaper by the hundred."""
        begun, places = self.line, np.arange(self.line + 1, self.line + len(lines) + 1)
        for block in self._reader.read(lines, places):
            trial = self._columns()
            # the actors of earlier blocks are known: a change of kind or owner is a mistake in any later block
            trial.actors = self._actors
            if self._first is not None:
                trial.first, trial.last = self._last + 1, self._last
            trial.add(block)
            if self._first is None:
                self._first = trial.first
            self._last = trial.last
            # a page shows poses before anything has judged them
            if self.draws:
                self._fresh.append(trial)
            self._blocks.append(block)
            self._claimed += _frames_of_claims(block)
            taken = int(block.place[-1])
            self._waiting.append((self.line, lines[self.line - begun : taken - begun]))
            self.line = taken
            if sum(len(part) for _, part in self._waiting) >= AT_ONCE:
                self._settle()
        self.line = int(places[-1])

    def _catch_up(self) -> None:
        """Adds what waits to the last frames. Raises InputError as `_settle` does."""
        blocks, self._blocks = self._blocks, []
        try:
            for block in blocks:
                self._end.add(block)
                self._end.forget()
        except InputError as error:
            self.problem = error
            raise

    def _settle(self) -> None:
        """Adds what waits to the columns. Raises InputError, and ends the recording, if it is too much for them."""
        self._catch_up()
        waiting, self._waiting = self._waiting, []
        joined: list[tuple[int, list[bytes]]] = []
        for before, lines in waiting:
            if joined and joined[-1][0] + len(joined[-1][1]) == before and len(joined[-1][1]) < AT_ONCE:
                joined[-1][1].extend(lines)
            else:
                joined.append((before, lines))
        try:
            for before, lines in joined:
                for block in self._reader.read(lines, np.arange(before + 1, before + len(lines) + 1)):
                    self._run.add(block)
                    if self._run.any_too_old:  # the next look sees fewer frames, so this look must come first
                        self._judge_late()
                        self._run.forget()
        except InputError as error:
            self.problem = error
            raise

    def _end_run(self) -> None:
        """Judges a run that is over as a whole."""
        # the last lines must be in the columns, because nothing adds them later
        self._settle()
        self._judge_late(over=True)
        if self.draws and self.looked is not None:
            self.over.append(self.looked)
        self._before = self.tally
        self._new_run()

    def fresh(self) -> list[Recording]:
        """The frames that have come since this was last asked, as they are logged, for a session that draws."""
        assert self.header is not None or not self._fresh
        made = [column_builder.finish(**meaning(self.header or {}), goes_on=True) for column_builder in self._fresh]
        self._fresh = []
        return made

    def look(self, *, over: bool = False, explains: bool = False) -> News:
        """Judges what has come. `over`: nothing more will, so no finding waits for its window to pass. If it `explains`
        findings, which takes many times as long, the look has the values that the game seems to have otherwise. Raises
        InputError for more than columns hold, and ends the recording there."""
        # the same frames would be judged the same
        if self._first is None or (self.last == self._judged and not (over or explains)):
            return self._taken(News())
        self._settle()
        return self._taken(self._judge(over=over, explains=explains))

    def _taken(self, found: News) -> News:
        """With earlier news that the caller has not taken."""
        late, self._late = self._late, News()
        return late.followed_by(found)

    def _judge_late(self, *, over: bool = False) -> None:
        self._late = self._late.followed_by(self._judge(over=over, explains=over and self.draws))
        self.late_cost += self.cost

    def findings(self) -> list[Finding]:
        """The root findings that have become known since this was last asked. Raises InputError as `look` does."""
        return [root for root, _ in self.look().found]

    @property
    def is_claimed(self) -> bool:
        """Whether a glance would be the first to see a claim, its window over."""
        return bool(self._claimed) and self._claimed[0] <= self.last - self._late_frames

    def glance(self) -> bool:
        """Judges hits, other claims and states of the last seconds alone: whether a short look may find something new.
        Raises InputError as `look` does."""
        if self._first is None or self.last == self._glanced:
            return False
        self._catch_up()
        whole = self._recording(self._end)
        rate = float(whole.rate)
        windows = self.windows.at(whole)
        late = max(windows.near, windows.widest)
        seen = max(round(GLANCE * rate), self.last - self._glanced)
        # since the last glance, or findings between two glances would be seen by neither
        begin = max(self.last - round(WARM * rate) - late - seen, self._first)
        if begin < whole.first:  # the last glance was long ago, or windows are wide
            self._settle()
            whole = self._recording(self._run)
        recording = cut(whole, max(whole.first, begin), self.last)
        rules = self.book.rules(recording.rate)
        shown = check_part(rules, recording, windows=self.windows, tolerance=self.tolerance, resync=self.resync)
        # a hit may seem to follow from a value that is only unknown here, as values of events mostly are
        roots = [root for root, _ in shown.roots]
        roots += [finding for finding in shown.findings if CODES[finding.code].about in ("hit", "event")]
        roots = [root for root in roots if root.code != "event-values"]
        # by this frame, effects of the missing past have ended
        cold = recording.first + round(WARM * rate) if recording.first != self._first else recording.first
        near = (root for root in roots if max(cold, self._judged - late + 1) <= root.frame <= self.last - late)
        odd = {
            key: what
            for key, what in subjects_of(recording, near).items()
            if self._refuted[what] < REFUTED and what not in self._doubts and key not in self._reported
        }
        self._odd |= odd
        self._glanced, self._late_frames = self.last, late
        # claims with an open window stay for the next glance
        self._claimed = [frame for frame in self._claimed if frame > self.last - late]
        return bool(self._odd)

    def _recording(self, frames: LastFrames) -> Recording:
        assert self.header is not None
        return frames.finish(**meaning(self.header), fixtures=self.book.fixtures)

    def _variants(self, recording: Recording) -> Variants:
        from voskar.explaining.rulebook import RulebookVariants  # with what validates rulebooks

        return RulebookVariants(self.book.whole, recording.rate)

    def _judge(self, *, over: bool, explains: bool = False) -> News:
        """Judges the run, as far as it is kept."""
        began = process_time()
        recording = self._recording(self._run)
        rules = self.book.rules(recording.rate)
        found = weigh(
            rules,
            recording,
            windows=self.windows,
            tolerance=self.tolerance,
            resync=self.resync,
            variants=(lambda: self._variants(recording)) if explains else None,
            watched_whole=self.draws,
        )
        verdict = found.verdict
        self._has_ended = bool(found.ledger.ends)
        self.looked = Looked(rules, recording, found) if self.draws else None
        seen = self._seen_by(recording, over=over)
        # the first look that begins elsewhere shows what a look without the past invents
        if recording.first != self._looked_from:
            self._learn(recording, [root for root, _ in verdict.roots], seen)
        self._looked_from, self._judged = recording.first, recording.last
        self._claimed = [frame for frame in self._claimed if frame > seen.until]
        self._known = {mark(finding) for finding in verdict.findings}
        news = self._news(recording, verdict, seen)
        self._doubts.learn(subjects_of(recording, news.withdrawn), self._known)
        assert self._first is not None
        self._seen = LiveTally(recording.last - self._first + 1, verdict.claims, verdict.agreed)
        self.cost = process_time() - began
        return news

    def short_look(self) -> News:
        """Judges hits, other claims and states from the first that a glance found odd on. A run that is over, in which
        nothing lands, needs a look at everything. Raises InputError as `look` does."""
        if self._first is None or self._has_ended:
            # after the end nothing lands, which only a look at everything knows
            return self.look()
        self._settle()
        whole = self._recording(self._run)
        # the end of a run depends on all of it
        if any(claim.event in ("over", "won") for claim in whole.claims):
            return self.look()
        rate, rules = float(whole.rate), self.book.rules(whole.rate)
        remembered, most = past_of(rules, whole), round(UNSURE * rate)
        past = most if remembered is None else min(remembered, most)
        since = min((frame for _, frame, _, _ in self._odd), default=whole.last - round(RECENT * rate))
        # an actor that is dead at both ends may have died long before
        if any_remains(whole, max(since - past, whole.first), max(since, whole.first)):
            past = most
        recording = cut(whole, max(since - past, whole.first), whole.last)
        found = check_part(
            rules,
            recording,
            windows=self.windows,
            tolerance=self.tolerance,
            resync=self.resync,
            explains=True,
        )
        seen = self._seen_by(recording, cold=past)
        self._learn(recording, [root for root, _ in found.roots], seen)
        return self._taken(
            self._news(recording, found, seen._replace(since=max(seen.since, self._judged - seen.late + 1)))
        )

    def _seen_by(self, recording: Recording, *, cold: int | None = None, over: bool = False) -> SureFrames:
        """The frames of which a look reports findings. A look that begins after its run skips its first `cold` frames,
        UNSURE seconds by default."""
        windows = self.windows.at(recording)
        late = max(windows.near, windows.widest)
        unsure = round(UNSURE * float(recording.rate)) if cold is None else cold
        since = recording.first + (0 if recording.first == self._first else unsure)
        return SureFrames(since, recording.last - (0 if over else late), late)

    def _learn(self, recording: Recording, roots: Sequence[Finding], seen: SureFrames) -> None:
        """Holds what a look has found against the last look, which saw more."""
        both = [root for root in roots if seen.since <= root.frame <= self._judged - seen.late]
        self._doubts.learn(subjects_of(recording, both), self._known)

    def _news(self, recording: Recording, verdict: Verdict | PartVerdict, seen: SureFrames) -> News:
        """The news of a look."""
        is_cold = recording.first != self._first
        every = {mark(finding): finding for finding in verdict.findings}
        # a look that sees the whole run invents nothing
        what = subjects_of(recording, every.values())
        believed = {key for key in every if not is_cold or what[key] not in self._doubts}
        roots = [*verdict.roots, *(own_roots(verdict.roots, seen.since) if is_cold else ())]
        fresh = {
            mark(root): (root, follows)
            for root, follows in roots
            if seen.holds(root) and mark(root) in believed and mark(root) not in self._reported
        }
        gone = {
            # a look withdraws only what it has seen itself
            key: finding
            for key, finding in self._reported.items()
            if finding.frame >= seen.since and key not in every
        }
        self._reported = {key: finding for key, finding in self._reported.items() if key not in gone}
        self._reported |= {key: root for key, (root, _) in fresh.items()}
        for key, odd in self._odd.items():
            # a finding that a look agrees with makes its kind worth many more looks
            self._refuted[odd] = self._refuted[odd] + 1 if key not in every else -REFUTED
        self._odd = {}
        return News(tuple(fresh.values()), tuple(gone.values()))


def _line(text: Mapping[str, Any] | str) -> bytes:
    return text.encode() if isinstance(text, str) else msgspec.json.encode(text)


def _frames_of_claims(block: Block) -> list[int]:
    """The frames in which something happens to an actor by a game's own account. Shots come and go all the time."""
    claims = block.entries["claims"]
    events, event = claims.texts["event"]
    counts = np.array([name not in ("spawn", "removed") for name in events], dtype=np.bool_)
    found: list[int] = block.frame[claims.at[counts[event]]].tolist() if counts.any() else []
    return found


def _begins(line: bytes) -> Literal["recording", "run"] | None:
    """The part of a recording that a line begins."""
    if b'"voskar"' not in line and b'"reset"' not in line:
        return None
    try:
        value = msgspec.json.decode(line)
    except (msgspec.MsgspecError, UnicodeDecodeError):
        return None
    if not isinstance(value, dict):
        return None
    return "recording" if value.get("voskar") == "recording" else "run" if value.get("reset") == "run" else None
