"""What logged states show after hits: hitstop, stun and new owners, of an attack and of the cases that a game names."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from typing import Literal, NamedTuple

import numpy as np

from voskar.core.recording import Claim, Recording
from voskar.draft.reactions import ReactionDraft
from voskar.draft.seen import FEW, SIDES, Side, whole_hits
from voskar.draft.values import AttackGuess, Value, quoted, shown
from voskar.words import counted

State = Literal["frozen", "stunned"]
LATE = 30
"""Frames after a hit in which a shot may get another owner: hitstop delays it."""


class Length(NamedTuple):
    """The frames that most hits have in common, how many hits have it, and of how many."""

    frames: int
    hits: int
    of: int

    @property
    def is_common(self) -> bool:
        """Whether nearly all hits have it: in a game with a bug some hits differ."""
        return self.hits >= 0.8 * self.of


class StateDraft(ReactionDraft):
    """Drafts what logged states show after hits."""

    def hitstop(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """For how long both, or one of them, are logged frozen from the frame after a hit."""
        whole = whole_hits(made, claims)
        found = {}
        for side in SIDES:
            length = self._length(whole, side, "frozen")
            if length is not None and length.frames and length.hits >= FEW and length.is_common:
                found[side] = length
        if not found:
            return
        longest = max(found.values())
        on = [side for side, length in found.items() if length.frames == longest.frames]
        why = f"logged frozen so long after {longest.hits} of {counted(longest.of, 'hit')}"
        made.keys["hitstop"] = Value(f'"{longest.frames}f"', why)
        if len(on) == 1:
            made.keys["hitstop_on"] = Value(quoted(on[0]), "only it is logged frozen")

    def stun(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """For how long either side is logged stunned from the frame after a hit."""
        whole = whole_hits(made, claims)
        for side in SIDES:
            length = self._length(whole, side, "stunned")
            if length is not None and length.frames and length.hits >= FEW and length.is_common:
                why = f"logged stunned so long after {length.hits} of {counted(length.of, 'hit')}"
                made.keys[f"{side}.stun"] = Value(f'"{length.frames}f"', why)

    def reflect(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """Whether shots belong to their targets after hits, and which way they fly then."""
        whole = whole_hits(made, claims)
        ways = self._reflected(whole)
        if ways and len(ways) >= 0.8 * len(whole):
            way = Counter(ways).most_common(1)[0][0]
            why = f"{len(ways)} of {counted(len(whole), 'hit')} give it another owner"
            made.keys["attacker.reflect"] = Value(f"{{ way = {quoted(way)} }}", why)
            # a shot that is removed soon after it was reflected has another reason for its end
            made.keys.pop("attacker.remove", None)

    def lost_owners(self) -> None:
        """A log in which owners change needs a rule that changes them: where no hit explains one, an attack without a
        box stands for it."""
        values = [(key, value.text) for attack in self.attacks.values() for key, value in attack.keys.items()]
        if any("reflect = " in text or key.endswith(".reflect") for key, text in values):
            return
        changes = [(played, change) for played in self.recordings for change in played.owner_changes]
        if not changes:
            return
        played, change = changes[0]
        shot = played.actors[change.actor].id
        name = "reflected"
        while name in self.attacks:
            name += "-2"
        why = f"{shot} belongs to {change.owner} from {change.frame} on, and no hit explains it"
        self.attacks[name] = AttackGuess(name, {"attacker.reflect": Value("{}", why)})
        self.unknown.append(f"{self._kind(played, shot)}: which hit gives it another owner")

    def cases(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> None:
        """The cases that the game names, and those of hits with another damage on targets that show a clip. A clip that
        the targets of a case alone show decides it; else it is taken where the game names it."""
        table: dict[str, list[tuple[int, Claim]]] = defaultdict(list)
        odd: dict[str, list[tuple[int, Claim]]] = defaultdict(list)
        whole = {id(claim) for _, claim in whole_hits(made, claims)}
        for number, claim in claims:
            if claim.case:
                table[claim.case].append((number, claim))
            elif id(claim) not in whole:
                odd[self._target_clip(number, claim)].append((number, claim))
        named, lines, unsure = len(table), [], 0
        for clip, own in odd.items():
            if clip not in table and self._deciding_clip(own, claims):
                table[clip] = own
            else:
                unsure += len(own)
        for name, own in sorted(table.items()):
            damages = [claim.damage for _, claim in own if claim.damage is not None]
            clip = self._deciding_clip(own, claims)
            if not clip:
                self.undecided.add(name)
            condition = (
                f'if = {{ target = {{ during = {{ {quoted(clip)} = "" }} }} }}' if clip else "if = {}, by_claim = true"
            )
            keys = [f"name = {quoted(name)}", condition]
            keys += [f"damage = {shown(Counter(damages).most_common(1)[0][0])}"] if damages else []
            lines.append("{ " + ", ".join([*keys, *self._states_of(made, own)]) + " }")
        if lines:
            count = sum(map(len, table.values()))
            what = "name a case" if named else "take another damage, as their targets show a clip"
            why = f"{count} of {counted(len(claims), 'hit')} {what}"
            made.keys["cases"] = Value(f"[{', '.join(lines)}]", why)
        if unsure >= FEW:
            what = f"what decides that {unsure} of {counted(len(claims), 'hit')} take another damage"
            self.unknown.append(f"{made.name}: {what}: claim the `case` of hits")

    def _target_clip(self, number: int, claim: Claim) -> str:
        played = self.recordings[number]
        row = played.row(claim.target or "", claim.frame)
        return "" if row is None or played.poses.clip[row] < 0 else played.clips[played.poses.clip[row]]

    def _deciding_clip(self, own: Sequence[tuple[int, Claim]], claims: Sequence[tuple[int, Claim]]) -> str:
        """The clip that the targets of some hits of an attack show, and those of no others; else nothing."""
        clips = {self._target_clip(number, claim) for number, claim in own}
        mine = {id(claim) for _, claim in own}
        others = {self._target_clip(number, claim) for number, claim in claims if id(claim) not in mine}
        return clips.pop() if len(own) >= FEW and len(clips) == 1 and not clips & others else ""

    def _states_of(self, made: AttackGuess, claims: Sequence[tuple[int, Claim]]) -> list[str]:
        """The keys of a case with another hitstop, stun or owner than after other hits of its attack."""
        keys = []
        frozen = [length for side in SIDES if (length := self._length(claims, side, "frozen")) is not None]
        if frozen and max(frozen).is_common and max(frozen).frames != _frames(made, "hitstop"):
            keys.append(f'hitstop = "{max(frozen).frames}f"')
        ways = self._reflected(claims)
        for side in SIDES:
            # a table of a case replaces the whole table of its attack
            keyed = made.keys.items()
            table = {name.partition(".")[2]: value.text for name, value in keyed if name.startswith(f"{side}.")}
            own = {name: text for name, text in table.items() if name != "reflect"}
            length = self._length(claims, side, "stunned")
            if length is not None and length.is_common:
                own.pop("stun", None)
                own |= {"stun": f'"{length.frames}f"'} if length.frames else {}
            pushes = self.pushes(claims, side)
            if pushes:
                own.pop("knockback", None)
            if any(entry.push[0] for entry in pushes) and isinstance(push := self.knockback(pushes, side), Value):
                own["knockback"] = push.text
            if side == "attacker" and ways:
                own.pop("remove", None)
                own["reflect"] = f"{{ way = {quoted(Counter(ways).most_common(1)[0][0])} }}"
            if own != table:
                entries = ", ".join(f"{name} = {text}" for name, text in own.items())
                keys.append(f"{side} = {{ {entries} }}" if entries else f"{side} = {{}}")
        return keys

    def _reflected(self, claims: Iterable[tuple[int, Claim]]) -> list[str]:
        """The ways that shots fly after hits that give them to their targets, or to the owners of these."""
        ways = []
        for number, claim in claims:
            played = self.recordings[number]
            shot, target = (played.numbers.get(name or "") for name in (claim.attacker, claim.target))
            for change in played.owner_changes:
                if shot is None or target is None or change.actor != shot:
                    continue
                heirs = (claim.target, played.actors[target].owner)
                if claim.frame < change.frame <= claim.frame + LATE and change.owner in heirs:
                    ways.append(_way(played, shot, target, claim.frame, change.frame))
        return ways

    def _length(self, claims: Iterable[tuple[int, Claim]], side: Side, state: State) -> Length | None:
        """The commonest length of a state after some hits; None where no hit shows one."""
        fresh, renewed = Counter[int](), Counter[int]()
        for number, claim in claims:
            found = self._after(number, getattr(claim, side), claim.frame, state)
            if found is not None:
                (renewed if found[1] else fresh)[found[0]] += 1
        if not fresh:
            return None
        frames, count = fresh.most_common(1)[0]
        # a hit on an actor in that state may have changed nothing, so it speaks for a length only
        more = renewed[frames] if state == "stunned" else 0
        return Length(frames, count + more, fresh.total() + more)

    def _after(self, number: int, name: str | None, frame: int, state: State) -> tuple[int, bool] | None:
        """For how many frames an actor is logged in a state from the frame after a hit, without frames in which it is
        frozen, and whether it was in that state before; None if the end is not seen."""
        played = self.recordings[number]
        poses, who = played.poses, played.numbers.get(name or "")
        now = None if who is None else played.row(who, frame)
        column = poses.frozen if state == "frozen" else poses.stunned
        if who is None or now is None or column[now] not in (0, 1):
            return None
        rows = poses.unbroken(who, frame + 1)
        ended = np.flatnonzero(column[rows] != 1)
        if not len(ended) or column[rows[ended[0]]] != 0:
            return None
        # no time of a stun passes in a freeze
        still = int((poses.frozen[rows[: ended[0]]] == 1).sum()) if state == "stunned" else 0
        return int(ended[0]) - still, bool(column[now] == 1)


def _way(played: Recording, shot: int, target: int, hit: int, changed: int) -> str:
    """The word for the way that a shot flies after it has another owner."""
    before, after = (_step(played, shot, frames) for frames in ((hit - 1, hit), (changed, changed + 1)))
    row = played.row(played.actors[target].id, hit)
    if before is None or after is None or row is None:
        return "back"
    speed = math.hypot(*before)
    ahead = (speed * float(played.poses.facing[row]), 0.0)
    ways = {"back": (-before[0], -before[1]), "mirror": (-before[0], before[1]), "heading": ahead}
    # of equal ways the first: level shots fly back and mirrored alike
    return min(ways, key=lambda way: round(math.dist(ways[way], after), 2))


def _step(played: Recording, actor: int, frames: tuple[int, int]) -> tuple[float, float] | None:
    """The way of an actor from one frame to another; None without both poses."""
    rows = [played.row(played.actors[actor].id, frame) for frame in frames]
    if rows[0] is None or rows[1] is None:
        return None
    x, y = (float(column[rows[1]] - column[rows[0]]) for column in (played.poses.x, played.poses.y))
    return x, y


def _frames(made: AttackGuess, key: str) -> int:
    return int(made.keys[key].text.strip('"f')) if key in made.keys else 0
