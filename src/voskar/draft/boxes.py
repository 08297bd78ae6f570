"""Boxes of a draft: those that the game logs, else what best parts hits from misses."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from statistics import median

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.recording import Claim
from voskar.draft.extents import Rect, extents
from voskar.draft.fitting import EARLY, LEAST, Extents
from voskar.draft.logged import LoggedDraft
from voskar.draft.seen import FEW, AttackGroup, cell_of
from voskar.draft.values import BoxGuess, Value, quoted, shown
from voskar.draft.wraps import ACROSS, LEAST_SPACE
from voskar.words import counted

Fits = dict[tuple[str, str, str], Extents | None]
"""By attacker, attack and target: how far the two reach together."""


class BoxDraft(LoggedDraft):
    """Drafts the boxes of all kinds."""

    def boxes(self) -> None:
        logged = {name: self.logged(name) for name in self.kind_names}
        armed = {
            name: self.attack_boxes(name, logged[name])
            for name in self.attackers
            if name in self.targets or len(self._groups(name)) > 1
        }
        for name in self.kind_names:
            if name in self.targets:
                bare = [box for box in logged[name] if box not in armed.get(name, {})]
                logged[name] = bare
                self.kinds[name].boxes += [self.logged_box(box, "hurtbox", name) for box in bare]
            elif logged[name] and (name not in self.attackers or armed.get(name)):
                # no hit is claimed of these boxes, but others may stand on them
                bare = [box for box in logged[name] if box not in armed.get(name, {})]
                self.kinds[name].boxes += [self.logged_box(box, "body", name) for box in bare]
                if bare:
                    self.unknown.append(
                        f"{name}: what its boxes {', '.join(bare)} are for, as no hit of them is claimed"
                    )
        bodies = {name: self._rects(name) for name in self.targets if logged[name]}
        hits = {
            name: [self.logged_box(box, "hitbox", name) for box in logged[name]]
            for name in self.attackers
            if logged[name] and name not in self.targets and not armed.get(name)
        }
        meeting = {
            (group.attacker, group.name): body
            for attacker in self.attackers
            if attacker in self.targets
            for group in self._groups(attacker)
            if all(target in bodies for target in group.targets)
            and (body := self.meeting_box(group, logged[attacker])) is not None
        }
        owned = {
            (name, attack): [self.logged_box(box, "hitbox", name) for box, attacks in own.items() if attack in attacks]
            for name, own in armed.items()
            for attack in {attack for attacks in own.values() for attack in attacks}
        }
        # if the boxes of one side are known, the reach gives those of the other side
        fits: Fits = {}
        for attacker in self.attackers:
            groups = self._groups(attacker)
            for group, target in ((attack_group, target) for attack_group in groups for target in attack_group.targets):
                if (attacker in hits and target in bodies) or (attacker, group.name) in meeting:
                    # both are known, and nothing is left to find out
                    continue
                known, of_attacker = bodies.get(target, []), False
                shapes = hits.get(attacker) or owned.get((attacker, group.name))
                if not known and shapes:
                    known, of_attacker = self._rects_of(shapes), True
                entries = self._hits_of(group, target)
                cells = self._cells(group) if group.is_named and len(groups) > 1 else None
                fits[attacker, group.name, target] = extents(
                    self.recordings, entries, attacker, target, known, of_attacker, cells, not self._looks_left(target)
                )
        # few hits say nothing of the shape, which is the same in most of a game
        if _are_round(shared for shared in fits.values() if shared is not None and shared.circle is None):
            fits = {key: shared and (shared.circle or shared) for key, shared in fits.items()}
        for target in self.targets:
            self._body(target, bodies, {*hits, *(name for name, _ in owned)}, fits)
        for attacker in self.attackers:
            for group in self._groups(attacker):
                if any(group.name in names for names in armed.get(attacker, {}).values()):
                    self._armed(group, armed[attacker])
                elif (own_body := meeting.get((attacker, group.name))) is not None:
                    self._hits_with(group, own_body)
                else:
                    self._hitbox(group, bodies, hits, fits)
        for name in self.kind_names:
            for box in self.kinds[name].boxes:
                if box.role == "hurtbox":
                    box.keys["layer"] = Value(f"[{quoted(name)}]", "")

    def _armed(self, group: AttackGroup, armed: Mapping[str, set[str]]) -> None:
        """Adds the logged hitboxes of an attack. A box that several attacks use is written for each attack, in the
        clips in which this attack hits, if no other attack hits in them."""
        boxes = self.kinds[group.attacker].boxes
        mask = Value("[" + ", ".join(map(quoted, group.targets)) + "]", "")
        cells = self._cells_of_hits(group)
        for name, attacks in armed.items():
            if group.name not in attacks:
                continue
            if len(attacks) > 1 and self._has_own_clips(group, cells):
                box = self.logged_in(group.name, name, group.attacker, cells)
            else:
                box = self.logged_box(name, "hitbox", group.attacker)
            if any(box_guess.name == box.name for box_guess in boxes):
                continue
            box.keys = {"attack": Value(quoted(group.name), ""), "mask": mask} | box.keys
            boxes.append(box)

    def _hits_with(self, group: AttackGroup, name: str) -> None:
        """Adds a hitbox that is the logged body of its kind too."""
        boxes = self.kinds[group.attacker].boxes
        body = next(box for box in boxes if box.name == name)
        shape = {"logged": Value(quoted(name), "")} if "logged" in body.keys else dict(body.keys)
        box = self._new_hitbox(group)
        box.keys |= {key: Value(value.text, "") for key, value in shape.items()}
        first = next(iter(shape))
        box.keys[first] = Value(shape[first].text, f"it hits as its {name} meets its target")
        self._during(group, box, {})
        boxes.append(box)

    def _new_hitbox(self, group: AttackGroup) -> BoxGuess:
        """A hitbox without a shape, under a name that its kind does not have yet."""
        boxes = self.kinds[group.attacker].boxes
        name = group.name if group.is_named and len(self._groups(group.attacker)) > 1 else "hit"
        if any(box.name == name for box in boxes):
            name = f"{name}-{sum(box.role == 'hitbox' for box in boxes) + 1}"
        mask = Value("[" + ", ".join(map(quoted, group.targets)) + "]", "")
        return BoxGuess(name, "hitbox", {"attack": Value(quoted(group.name), ""), "mask": mask})

    def _body(
        self,
        target: str,
        bodies: dict[str, list[Rect]],
        hits: Collection[str],
        fits: Fits,
    ) -> None:
        """The hurtbox of an actor without logged boxes: the reach of the nearest of its attackers, less the hitbox of
        this one, which is a quarter of its shortest reach, for all of its targets."""
        if target in bodies:
            return
        own: dict[str, Extents] = {}
        for (attacker, _, other), shared in fits.items():
            least = own.get(attacker)
            # the shortest reach limits the size of the body best
            if (
                other == target
                and shared is not None
                and (least is None or shared.wide * shared.high < least.wide * least.high)
            ):
                own[attacker] = shared
        if not own:
            self.unknown.append(f"{target}: its boxes, as no attacker was ever near it: log `boxes`")
            keys = {"rect": Value("[8, 8]", "not known: log `boxes`")}
            self.kinds[target].boxes.append(BoxGuess("body", "hurtbox", keys))
            return
        attacker = min(own, key=lambda name: own[name].wide * own[name].high)
        shared = own[attacker]
        others = [
            fit
            for (name, _, other), fit in fits.items()
            if name == attacker and fit is not None and other not in bodies
        ]
        # where the boxes of the attacker are known, all of the reach is the body's
        part = 0.0 if attacker in hits else 0.25
        wide, high = (
            reach - part * min(getattr(fit, side) for fit in others)
            for side, reach in (("wide", shared.wide), ("high", shared.high))
        )
        if _are_round(own.values()):
            keys = {"circle": Value(shown(wide), _parted(shared))}
        else:
            keys = {"rect": Value(f"[{shown(2 * wide)}, {shown(2 * high)}]", _parted(shared))}
        ups = [found.up for name, found in own.items() if self._turns(name)]
        up = median(ups) if ups else 0.0  # what turns has no above of its own
        if up or shared.aside:
            keys["at"] = Value(f"[{shown(shared.aside)}, {shown(up)}]", "hits count where it is that far off")
        self.kinds[target].boxes.append(BoxGuess("body", "hurtbox", keys))

    def _looks_left(self, kind: str) -> bool:
        """Whether it ever looks to the left: its boxes are mirrored then."""
        return any(bool((played.poses.facing[self._of_kind(played, kind)] < 0).any()) for played in self.recordings)

    def _turns(self, kind: str) -> bool:
        """Whether it is shown at any angle, as shots are."""
        return any(bool(played.poses.angle[self._of_kind(played, kind)].any()) for played in self.recordings)

    def _hits_of(self, group: AttackGroup, target: str) -> list[list[Claim]]:
        own = {id(claim) for _, claim in self._hits_in(group, target)}
        return [[claim for claim in hit if id(claim) in own] for hit in self.hits]

    def _rects(self, kind: str) -> list[Rect]:
        return self._rects_of([box for box in self.kinds[kind].boxes if box.role == "hurtbox"])

    @staticmethod
    def _rects_of(boxes: Sequence[BoxGuess]) -> list[Rect]:
        found = []
        for box in boxes:
            size = _size(box)
            x, y = _numbers(box.keys["at"].text) if "at" in box.keys else box.middle
            found.append((x - size[0] / 2, y - size[1] / 2, x + size[0] / 2, y + size[1] / 2))
        return found

    def _hitbox(
        self,
        group: AttackGroup,
        bodies: dict[str, list[Rect]],
        hits: dict[str, list[BoxGuess]],
        fits: Fits,
    ) -> None:
        attacker, targets = group.attacker, group.targets
        if attacker in hits:
            for box in hits[attacker]:
                if "attack" not in box.keys:  # nothing says which of several attacks a box has
                    box.keys |= self._new_hitbox(group).keys
                    self.kinds[attacker].boxes.append(box)
            return
        box = self._new_hitbox(group)
        sizes, ups, aheads, why = [], [], [], ""
        every = [shared for target in targets if (shared := fits.get((attacker, group.name, target))) is not None]
        for target in targets:
            shared, aside, off = fits.get((attacker, group.name, target)), 0.0, 0.0
            if shared is None:
                continue
            if target in bodies:
                size = 2 * shared.wide, 2 * shared.high
                why = why or _parted(shared)
            else:
                body = next(own for own in self.kinds[target].boxes if own.name == "body")
                held = _size(body)
                aside, off = _numbers(body.keys["at"].text) if "at" in body.keys else (0.0, 0.0)
                size = 2 * shared.wide - held[0], 2 * shared.high - held[1]
            sizes.append(size)
            ups.append(shared.up - off)
            aheads.append(shared.ahead + aside - shared.aside)
        if sizes:
            # a rectangle without a size is no box
            rect = [max(median(values), 1.0) for values in zip(*sizes, strict=True)]
            text = f"[{shown(rect[0])}, {shown(rect[1])}]"
            why = why or "the rest of the reach of both"
            turns = self._turns(attacker)
            if turns or _are_round(every):
                box.keys["circle"] = Value(shown(max(rect) / 2), f"{why}; it is shown at any angle" if turns else why)
            else:
                box.keys["rect"] = Value(text, why)
            at = round(median(aheads), 2), round(-median(ups), 2)
            if any(at) and not turns:
                box.keys["at"] = Value(f"[{shown(at[0])}, {shown(at[1])}]", "hits count where it is that far off")
            pace, fastest = self._pace(attacker)
            thin = min(
                (min(x1 - x0, y1 - y0) for target in targets for x0, y0, x1, y1 in self._rects(target)), default=1e9
            )
            # every hit comes as both first overlap in a frame, so none comes of the way between two
            is_still = any(shared.is_exact for shared in every) and all(
                shared.is_exact or shared.claims < LEAST for shared in every
            )
            if pace > max(min(rect) + 2.0, 3.0) and not is_still:
                box.keys["swept"] = Value("true", f"it goes {shown(pace)} units a frame, further than it is wide")
            elif fastest > thin and not is_still:
                why = f"it goes up to {shown(fastest)} units a frame, through {shown(thin)}"
                box.keys["swept"] = Value("true", why)
        else:
            box.keys["rect"] = Value("[8, 8]", "not known: log `boxes`")
            self.unknown.append(f"{attacker}: how far it reaches: log `boxes`")
        near = {target: fits.get((attacker, group.name, target)) for target in targets if target not in bodies}
        self._during(group, box, near)
        self.kinds[attacker].boxes.append(box)

    def _pace(self, kind: str) -> tuple[float, float]:
        """How far it goes in nearly every frame, and in the fastest."""
        steps = []
        for played in self.recordings:
            poses = played.poses
            before = poses.previous
            rows = np.flatnonzero(self._of_kind(played, kind) & (before >= 0) & ~poses.cut)
            rows = rows[~(poses.hidden[rows] | poses.hidden[before[rows]])]
            returns = {(claim.frame, claim.id) for claim in played.claims if claim.event == "respawn"}
            here = zip(poses.frame[rows].tolist(), poses.actor[rows].tolist(), strict=True)
            came = [(frame, played.actors[actor].id) in returns for frame, actor in here] if returns else []
            rows = rows[~np.array(came, dtype=np.bool_)] if returns else rows
            ways = [(column[rows] - column[before[rows]], column) for column in (poses.x, poses.y)]
            kept = np.ones(len(rows), dtype=np.bool_)
            for way, column in ways:  # what crosses nearly all of it in a frame has come round by the other edge
                kept &= np.abs(way) <= max(ACROSS * float(np.ptp(column)), LEAST_SPACE)
            steps += np.hypot(ways[0][0], ways[1][0])[kept].tolist()
        return (float(np.quantile(steps, 0.9)), max(steps)) if steps else (0.0, 0.0)

    def _during(self, group: AttackGroup, box: BoxGuess, fits: Mapping[str, Extents | None]) -> None:
        """The cells of clips in which it ever hit, where its kind also shows others. Few hits tell at most the first
        cell, and only where the two were as near in another clip without one."""
        shown: set[str] = set()
        attacker = group.attacker
        for played in self.recordings:
            poses = played.poses
            rows = np.flatnonzero(self._of_kind(played, attacker))
            shown |= {played.clips[number] for number in distinct(poses.clip[rows]).tolist() if number >= 0}
        cells = self._cells_of_hits(group)
        hits = sum(map(len, cells.values()))
        is_own = group.is_named and self._has_own_clips(group, cells)
        is_timed = hits > FEW or is_own or self._is_idle(fits, group, cells)
        if len(shown) > 1 and cells and len(cells) < len(shown) and is_timed:
            windows = {
                name: f"{min(words)}-{max(words) if hits > FEW else max(max(words), self.last_cell(attacker, name))}"
                for name, words in sorted(cells.items())
            }
            text = "{ " + ", ".join(f'{quoted(name)} = "{window}"' for name, window in windows.items()) + " }"
            box.keys["during"] = Value(
                text, f"the cells of {counted(hits, 'hit')}; it shows {counted(len(shown), 'clip')}"
            )

    def _has_own_clips(self, group: AttackGroup, cells: Mapping[str, Collection[int]]) -> bool:
        """Whether an attack with a name hits in one clip alone: one of its own name, or one in which no other attack of
        its kind hits, of several attacks."""
        if len(cells) != 1:
            return False
        if group.name in cells:
            return True
        others = [other for other in self._groups(group.attacker) if other.name != group.name]
        used = {clip for other in others for clip in self._cells_of_hits(other)}
        return bool(used) and not used & set(cells)

    def _cells_of_hits(self, group: AttackGroup) -> dict[str, list[int]]:
        """By clip, the cells that attackers show in their hits."""
        cells: dict[str, list[int]] = defaultdict(list)
        for number, claim in self._hits_in(group):
            played = self.recordings[number]
            row = played.row(claim.attacker or "", claim.frame)
            if row is not None and played.poses.clip[row] >= 0:
                cells[played.clips[played.poses.clip[row]]].append(cell_of(played, row))
        return cells

    def _is_idle(self, fits: Mapping[str, Extents | None], group: AttackGroup, hitting: Collection[str]) -> bool:
        """Whether, before a hit, the two were as near in a clip that never hits."""
        for target, shared in fits.items():
            for number, claim in self._hits_in(group, target) if shared is not None else ():
                played = self.recordings[number]
                for frame in range(max(claim.frame - EARLY, played.first), claim.frame):
                    rows = played.row(claim.attacker or "", frame), played.row(claim.target or "", frame)
                    if shared is None or rows[0] is None or rows[1] is None or played.poses.clip[rows[0]] < 0:
                        continue
                    off = [float(axis[rows[0]] - axis[rows[1]]) for axis in (played.poses.x, played.poses.y)]
                    ahead = -off[0] * float(played.poses.facing[rows[0]]) - shared.ahead
                    near = abs(ahead) < shared.wide and abs(off[1] - shared.up) < shared.high
                    if near and played.clips[played.poses.clip[rows[0]]] not in hitting:
                        return True
        return False


def _are_round(fits: Iterable[Extents]) -> bool:
    """Whether most hits come of circles."""
    claims = [(fit.claims, fit.is_round) for fit in fits]
    return 2 * sum(count for count, is_round in claims if is_round) > sum(count for count, _ in claims)


def _size(box: BoxGuess) -> tuple[float, float]:
    if "circle" in box.keys:
        return (2 * float(box.keys["circle"].text),) * 2
    return _numbers(box.keys["rect"].text) if "rect" in box.keys else box.size


def _parted(shared: Extents) -> str:
    sides = list(zip(shared.least, shared.most, strict=True))[: 1 if shared.is_round else 2]
    span = " by ".join(f"{shown(low)} to {shown(high)}" if low < high else shown(low) for low, high in sides)
    spare = f", {counted(shared.spare, 'pair')} as near without" if shared.spare else ""
    return f"reach {span}: {shared.matched} of {counted(shared.claims, 'hit')}{spare}"


def _numbers(text: str) -> tuple[float, float]:
    first, second = text.strip("[]").split(",")
    return float(first), float(second)
