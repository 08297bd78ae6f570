"""The draft of a rulebook from recordings: values, each with the evidence for it."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.core.rules.shapes import Floats
from voskar.draft.boxes import BoxDraft
from voskar.draft.clashes import ClashDraft
from voskar.draft.clips import ClipDraft
from voskar.draft.lives import LifeDraft
from voskar.draft.seen import FEW, AttackGroup
from voskar.draft.shots import ShotDraft
from voskar.draft.states import StateDraft
from voskar.draft.values import AttackGuess, Guess, Value, quoted, shown
from voskar.draft.wraps import WrapDraft
from voskar.words import counted


def guess(recordings: Sequence[Recording]) -> Guess:
    """Reads the rules off some recordings of one game."""
    return RulesDraft(recordings).run()


LATEST = 8
"""Frames that a hit may be claimed after health fell."""


class RulesDraft(WrapDraft, BoxDraft, ClipDraft, LifeDraft, ShotDraft, StateDraft, ClashDraft):
    """Drafts everything else."""

    def run(self) -> Guess:
        """Everything, in the order of a rulebook."""
        if not self.pairs:
            self.unknown.append("no hit is claimed of two that are shown: claim hits with attacker and target")
        # the order matters: boxes depend on wraps, attacks on boxes, and lives on the damage of attacks
        self._sides()
        self.wraps()
        self.clips()
        self.boxes()
        groups = [group for attacker in self.attackers for group in self._groups(attacker)]
        for group in groups:
            self._attack(group)
        self.lost_owners()
        contact = self._contact()
        for target in self.targets:
            self.life(target)
        for group in groups:
            self._rehit(group)
        self.shots()
        self._fights()
        layers = list(self.targets)
        self.clashes(layers, contact)
        kinds, attacks = list(self.kinds.values()), list(self.attacks.values())
        up = self.recordings[0].up
        return Guess(up, layers, kinds, attacks, contact, self.space, self.unknown, self._lag())

    def _lag(self) -> list[str]:
        """By how many frames hits are claimed late: logged health falls so many frames before them, nearly each
        time."""
        late: list[int] = []
        for played, claims in zip(self.recordings, self.hits, strict=True):
            for claim in claims:
                rows = [played.row(claim.target or "", claim.frame - back) for back in range(LATEST + 2)]
                health = [float("nan") if row is None else float(played.poses.health[row]) for row in rows]
                falls = [back for back in range(LATEST + 1) if health[back] < health[back + 1]]
                late += falls[:1]
        usual, count = Counter(late).most_common(1)[0] if late else (0, 0)
        if not usual or count <= FEW or count < 0.8 * len(late):
            # only a steady delay is a property of the game
            return []
        words = f"{counted(usual, 'frame')} after health falls, {count} of {len(late)} times"
        return [f"hits are claimed {words}: check with --within hit=0,{usual}"]

    # the sides

    def _sides(self) -> None:
        """Two sides, if no actor then hits its own."""
        links: dict[str, set[str]] = defaultdict(set)
        for attacker, target in self.pairs:
            links[attacker].add(target)
            links[target].add(attacker)
        owners = self._owner_kinds()
        colour: dict[str, int] = {}
        todo = [(name, 0) for name in sorted(links, key=lambda link: -sum(link == t for _, t in self.pairs))]
        while todo:
            name, side = todo.pop(0)
            if name in colour:
                continue
            colour[name] = side
            todo[:0] = [(other, 1 - side) for other in sorted(links[name])]
            todo[:0] = [(owner, side) for owner in owners.get(name, ()) if owner in links]
        joined = {name for names in links.values() for name in names}
        # a game in which some hit their own has no two sides
        if any(colour[attacker] == colour[target] for attacker, target in self.pairs) or not joined:
            return
        # a shot is on the side of its owner, which may be of the same kind as its target
        if any(target in owners.get(attacker, ()) for attacker, target in self.pairs):
            return
        if self._parts(links, owners) > 1:
            self.unknown.append(
                "sides: the log does not show which of two pairs of foes belong together: log `owner` of shots"
            )
            return
        names = {side: min(text for text, own in colour.items() if own == side) for side in set(colour.values())}
        for name, side in colour.items():
            self.kinds[name].side = names[side]

    @staticmethod
    def _parts(links: dict[str, set[str]], owners: dict[str, set[str]]) -> int:
        """How many groups of kinds nothing connects."""
        left, count = set(links), 0
        while left:
            count += 1
            todo = [left.pop()]
            while todo:
                text = todo.pop()
                near = links[text] | owners.get(text, set()) | {name for name, own in owners.items() if text in own}
                todo += sorted(near & left)
                left -= near
        return count

    def _owner_kinds(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = defaultdict(set)
        for played in self.recordings:
            for actor in played.actors:
                if actor.owner in played.numbers:
                    found[actor.kind].add(self._kind(played, actor.owner))
        return found

    # attacks

    def _attack(self, group: AttackGroup) -> None:
        made = self.attacks.setdefault(group.name, AttackGuess(group.name))
        claims = self._hits_in(group)
        whole = [(number, claim) for number, claim in claims if not claim.case]
        damages = Counter(claim.damage for _, claim in whole or claims if claim.damage is not None)
        if damages:
            value, count = damages.most_common(1)[0]
            made.keys["damage"] = Value(shown(value), f"{count} of {counted(len(whole or claims), 'hit')} tell it")
        elif "damage" not in made.keys:
            lost = self._lost(claims)
            value = Counter(lost).most_common(1)[0][0] if lost else 1.0
            why = f"health falls so in {counted(len(lost), 'hit')}" if lost else "no evidence: log damage, or health"
            made.keys["damage"] = Value(shown(value), why)
        gone = sum(self._vanishes(self.recordings[number], claim.attacker, claim.frame) for number, claim in claims)
        if gone >= FEW and gone >= 0.8 * len(claims):
            made.keys["attacker.remove"] = Value("true", f"it is gone after {gone} of {counted(len(claims), 'hit')}")
        self.hitstop(made, claims)
        self.reactions(made, claims)
        self.stun(made, claims)
        self.reflect(made, claims)
        self.cases(made, claims)

    def _rehit(self, group: AttackGroup) -> None:
        """Once, if no pair hits twice though some touch on after the i-frames; or if there are none that would keep a
        touch from a hit in every frame."""
        made, claims = self.attacks[group.name], self._hits_in(group)
        pairs = Counter((number, claim.attacker, claim.target) for number, claim in claims)
        are_shots = all(self._owner(self.recordings[at], claim.attacker) for at, claim in claims)
        if max(pairs.values()) > 1 or are_shots or "attacker.remove" in made.keys:
            return  # those hit once anyway
        hurts = float(made.keys["damage"].text) > 0  # a hit that heals gives no i-frames
        tables = [made.keys, *(self.kinds[target].keys for target in group.targets)] if hurts else []
        known = [keys[key].text for keys in tables for key in ("target.iframes", "iframes") if key in keys]
        lapse = max((int(text.strip('"f')) for text in known), default=0)
        again = self._again(claims, lapse)
        # without i-frames nothing else keeps a touch from a hit in every frame
        if again or not known:
            why = f"none of {counted(len(pairs), 'pair')} hits twice"
            made.keys["rehit"] = Value('"once"', why + (f", and {again} come as near again" if again else ""))

    def _again(self, claims: Sequence[tuple[int, Claim]], lapse: int) -> int:
        """How many pairs stand as near as in a hit, `lapse` frames after theirs and before a mark or a death."""
        apart = {
            (number, claim): found
            for number, claim in claims
            if (found := self._apart(number, claim, claim.frame, claim.frame)) is not None and len(found)
        }
        if not apart:
            return 0
        reach = _furthest(np.abs(np.concatenate(list(apart.values()))))
        count = 0
        for number, claim in apart:
            played = self.recordings[number]
            ends = {
                other.frame
                for other in played.claims
                if other.event == "down" and other.id in (claim.attacker, claim.target)
            }
            until = min((end - 1 for end in {*ends, *played.resets} if end > claim.frame), default=played.last)
            later = self._apart(number, claim, claim.frame + lapse + 1, until)
            count += later is not None and any((np.abs(later) <= way).all(axis=1).any() for way in reach)
        return count

    def _apart(self, number: int, claim: Claim, first: int, last: int) -> Floats | None:
        """The ways from attacker to target in frames that show both, as rows; None for a claim without either."""
        played = self.recordings[number]
        poses, numbers = played.poses, [played.numbers.get(name or "") for name in (claim.attacker, claim.target)]
        sides = []
        for who in numbers:
            if who is None:
                return None
            rows = poses.rows_of(who)
            rows = rows[(poses.frame[rows] >= first) & (poses.frame[rows] <= last) & ~poses.hidden[rows]]
            sides.append(rows)
        _, here, there = np.intersect1d(poses.frame[sides[0]], poses.frame[sides[1]], return_indices=True)
        here, there = sides[0][here], sides[1][there]
        return np.column_stack((poses.x[there] - poses.x[here], poses.y[there] - poses.y[here]))

    def _lost(self, claims: Iterable[tuple[int, Claim]]) -> list[float]:
        found = []
        for number, claim in claims:
            played = self.recordings[number]
            rows = [played.row(claim.target or "", frame) for frame in (claim.frame - 1, claim.frame)]
            if rows[0] is not None and rows[1] is not None:
                lost = played.poses.health[rows[0]] - played.poses.health[rows[1]]
                if lost == lost and lost:
                    found.append(float(lost))
        return found

    def _fights(self) -> None:
        """Tags and counters as they are logged; what else is logged of fights is named: nothing says what causes it."""
        tags: dict[str, set[str]] = defaultdict(set)
        firsts: dict[tuple[str, str], list[float]] = defaultdict(list)
        lowest: dict[tuple[str, str], float] = defaultdict(float)
        for played in self.recordings:
            poses = played.poses
            for number, actor in enumerate(played.actors):
                rows = poses.rows_of(number)
                for place, name in enumerate(played.counters.names):
                    values = played.counters.values[poses.counted[rows[poses.counted[rows] >= 0]], place]
                    if len(values) and values[0] == values[0]:
                        firsts[actor.kind, name].append(float(values[0]))
                        lowest[actor.kind, name] = min(lowest[actor.kind, name], float(np.nanmin(values)))
            rows = np.flatnonzero(poses.tags >= 0)
            for actor, number in {*zip(poses.actor[rows].tolist(), poses.tags[rows].tolist(), strict=True)}:
                tags[played.actors[actor].kind] |= played.tag_sets[number]
        for kind, names in sorted(tags.items()):
            if names:
                self.kinds[kind].keys["tags"] = Value(f"[{', '.join(map(quoted, sorted(names)))}]", "the log has these")
        counters = sorted({name for _, name in firsts})
        for (kind, name), begun in sorted(firsts.items()):
            value, count = Counter(begun).most_common(1)[0]
            if value:
                why = f"{count} of {counted(len(begun), 'actor')} begin with it"
                self.kinds[kind].keys[f"counters.{quoted(name)}.start"] = Value(shown(value), why)
                low = lowest[kind, name]
                if low < 0:  # a declared counter stops at 0, unless its rule has a min
                    self.kinds[kind].keys[f"counters.{quoted(name)}.min"] = Value(shown(low), "the lowest in the log")
        if counters:
            self.unknown.append(f"counters {', '.join(counters)}: what changes them, and their limits")
        if self.undecided:
            unsure = ", ".join(sorted(self.undecided))
            self.unknown.append(f"cases of hits, {unsure}: when each holds, and what else it does")

    def _contact(self) -> dict[str, Value]:
        together = guarded = 0
        for hit in self.hits:
            several = Counter((frame, target) for frame, target, _ in {(o.frame, o.target, o.attacker) for o in hit})
            together += sum(count > 1 for count in several.values())
            guarded += len(several)
        text = "all" if together else "first"
        why = (
            f"{counted(together, 'frame')} with more than one hit on the same target"
            if together
            else "never two hits at once"
        )
        return {"same_frame": Value(f'"{text}"', why)} if guarded else {}


def _furthest(ways: Floats) -> Floats:
    """The ways (n, 2) that no other one exceeds both across and up."""
    kept: list[np.ndarray] = []
    for way in ways[np.lexsort((-ways[:, 1], -ways[:, 0]))]:
        if not kept or way[1] > kept[-1][1]:
            kept.append(way)
    return np.array(kept)
