"""Claims that no hit of their frame stands for, and their fate."""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Callable, Hashable, Iterable, Mapping

from msgspec import Struct, field

from voskar.core.adopt.window import Column, Window, Windows
from voskar.core.ledger import Event
from voskar.core.ledger.origin import brood
from voskar.core.recording import Claim, Recording
from voskar.core.rules import Rules
from voskar.core.world import World


class Taken(Struct, frozen=True):
    """A claim is adopted in a frame. `rules` is the event that the rules have for it at another frame, None if they
    have none."""

    frame: int
    rules: Event | None = None

    @property
    def since(self) -> int:
        """The first frame that goes another way because of it."""
        return self.frame if self.rules is None else min(self.frame, self.rules.frame)


Passed = tuple[int, str, str, str]
"""A hit: frame, attacker, target, attack."""


class Decisions:
    """Decisions about claims and hits of the past: a replay goes back, and continues with them.

    A decision is final once it is made, so a replay goes back at most once for each claim and each hit. All copies of a
    replay share them; `back` is the frame to go back to, None as long as nothing was decided.
    """

    def __init__(self) -> None:
        self.taken: dict[int, Taken] = {}
        self.passed: set[Passed] = set()
        """Hits that do not count: the claim that they seemed to have is another hit's."""
        self.due: dict[int, list[int]] = {}
        """Claims by the frame in which they are adopted."""
        self.early: dict[int, set[str]] = {}
        """By the frame that the rules have it in, what has appeared before by its claim: the beginning of its id."""
        self.back: int | None = None
        self._frames: list[int] = []

    def take(self, number: int, taken: Taken) -> Taken:
        """A claim is adopted in a frame that is past. The decision that stands: the first one about a claim, or a
        replay would go back forever."""
        # a pass that decides otherwise would undo the pass before it, and so on without end
        standing = self.taken.setdefault(number, taken)
        if standing is not taken:
            return standing
        self.due.setdefault(taken.frame, []).append(number)
        insort(self._frames, taken.frame)
        if taken.rules is not None and taken.frame < taken.rules.frame:
            # when the rules come to it themselves, it must not appear a second time
            self.early.setdefault(taken.rules.frame, set()).add(brood(taken.rules.id or ""))
        self._go_back(taken.since)
        return taken

    def let_pass(self, hit: Passed) -> None:
        """A hit that is past does not count."""
        if hit not in self.passed:
            self.passed.add(hit)
            self._go_back(hit[0])

    def _go_back(self, frame: int) -> None:
        self.back = frame if self.back is None else min(self.back, frame)

    def frames_from(self, frame: int) -> list[int]:
        """The frames, this one or later, in which claims are adopted."""
        return self._frames[bisect_left(self._frames, frame) :]


Plan = Mapping[int, Taken]
"""By the claim's place among the recording's."""


class Resync(Struct, frozen=True):
    """A replay continues from the game's account where the rules have another.

    It is given the `windows`. What it finds out is left here: the `plan` says which claims were adopted in another
    frame or against the rules, `ends` the last frames of disagreements about an adopted state, by (first frame, actor,
    column). Another replay that is given the same `decisions` takes the same course without going back.
    """

    windows: Windows = field(default_factory=Windows)
    decisions: Decisions = field(default_factory=Decisions)
    plan: Plan = {}
    ends: Mapping[tuple[int, str, Column], int] = {}

    @property
    def reach(self) -> int:
        """How long after a claim it is decided what becomes of it, and how long before it matters, in frames."""
        return max(self.windows.near, self.windows.widest) + 1


class ClaimIndex:
    """Some claims of a recording, by number and by what they are about. Each is settled once."""

    SHARED = frozenset(("windows", "claims", "_by_key"))

    def __init__(
        self, recording: Recording, wanted: Callable[[Claim], bool], key: Callable[[Claim], Hashable], windows: Windows
    ) -> None:
        self.windows = windows
        self.claims = {number: claim for number, claim in enumerate(recording.claims) if wanted(claim)}
        self.settled: set[int] = set()
        self._by_key: dict[Hashable, tuple[list[int], list[int]]] = {}
        """Frames and numbers, rising."""
        for number, entry in sorted(self.claims.items(), key=lambda item: (item[1].frame, item[0])):
            frames, numbers = self._by_key.setdefault(key(entry), ([], []))
            frames.append(entry.frame)
            numbers.append(number)
        self._reach = max(windows.near, windows.widest)

    def fits(self, number: int, frame: int) -> bool:
        """Whether a claim stands for what the rules have in a frame."""
        claim = self.claims[number]
        return self.windows.of(claim.event).holds(claim.frame, frame)

    def nearest(
        self, keys: Iterable[Hashable], frame: int, among: Callable[[int], bool], window: Window | None = None
    ) -> int | None:
        """Of the first key that has any: the nearest claim to a frame that is not settled, None without one. `among`
        takes none that the window does not reach; without one it is as wide as any."""
        before, after = (self._reach, self._reach) if window is None else window
        for key in keys:
            own = self._by_key.get(key)
            if own is None:
                continue
            frames, numbers = own
            low = bisect_left(frames, frame - before)
            found = [
                (abs(frames[at] - frame), frames[at], numbers[at])
                for at in range(low, bisect_right(frames, frame + after, low))
                if numbers[at] not in self.settled and among(numbers[at])
            ]
            if found:
                return min(found)[2]
        return None

    def is_near(self, number: int, frame: int) -> bool:
        """Whether a claim may be the same thing at another frame."""
        return abs(self.claims[number].frame - frame) <= self.windows.near


class PlannedClaims:
    """Claims that are open until the rules have had time for them; the decision then takes effect in their past."""

    SHARED = frozenset(("resync", "decisions", "of"))

    def __init__(self, resync: Resync, world: World, wanted: Callable[[Claim], bool]) -> None:
        self.resync, self.decisions, self.world = resync, resync.decisions, world
        self.index = ClaimIndex(world.recording, wanted, lambda event: (event.event, event.id), resync.windows)
        self.plan: dict[int, Taken] = {}
        self.of: dict[int, list[int]] = {}
        """The claims of each frame."""
        self._open: set[int] = set()
        for number, claim in self.index.claims.items():
            self.of.setdefault(claim.frame, []).append(number)
            world.visit(claim.frame)

    def settle(self, number: int) -> None:
        """Something stands for it."""
        self.index.settled.add(number)
        self._open.discard(number)

    def watch(self) -> None:
        """This frame's claims wait for the rules; a claim at the end of its wait matches nothing."""
        frame, near = self.world.frame, self.resync.windows.near
        if not self._open and frame not in self.of:
            return
        for number in self.of.get(frame, ()):
            if number not in self.index.settled:
                self._open.add(number)
                self.world.visit(frame + near)
        for number in sorted(self._open):
            if frame >= self.index.claims[number].frame + near:
                self._give_up(number)

    def begin_again(self) -> None:
        """A mark, or the end: the remaining claims match nothing of the rules."""
        for number in sorted(self._open):
            if self.index.claims[number].frame < self.world.frame:
                self._give_up(number)

    def _give_up(self, number: int) -> None:
        self.plan[number] = self.decisions.take(number, Taken(self.index.claims[number].frame))
        self.settle(number)


class Claimable:
    """Which actors a game could have named in a claim: those it shows, or of such as it names in claims at all."""

    def __init__(self, rules: Rules, recording: Recording) -> None:
        self._known = set(recording.numbers)
        self._fixtures = {fixture.id for fixture in rules.fixtures}
        self._named = {
            brood(name)
            for claim in recording.claims
            for name in (claim.attacker, claim.target)
            if name and name not in self._known
        }

    def __contains__(self, name: object) -> bool:
        if not isinstance(name, str):
            return False
        return name in self._known or brood(name) in self._named or (bool(self._named) and name in self._fixtures)
