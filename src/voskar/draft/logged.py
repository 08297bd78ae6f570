"""The boxes that a game logs: where each stands, when it is open, and which of them attack."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from statistics import median

import numpy as np

from voskar.core.recording import Claim, LoggedPart, Recording
from voskar.draft.fitting import EARLY, LAG
from voskar.draft.seen import FEW, AttackGroup, Seen, cell_of
from voskar.draft.values import BoxGuess, Value, quoted, shown
from voskar.words import counted

MOSTLY = 0.8
"""Share of the hits of an attack in which its box is open."""
SAMPLE = 300
"""Hits that say whether bodies meet in them; more cost time and say no more."""
SELDOM = 0.6
"""Share of the poses of a kind, at most, in which a box of an attack is open."""


class LoggedDraft(Seen):
    """Drafts logged boxes."""

    def logged(self, kind: str) -> list[str]:
        """The boxes that the game logs of a kind."""
        return sorted({name for _, _, boxes in self._boxes(kind) for name in boxes})

    def _boxes(
        self, kind: str, clips: Collection[str] | None = None
    ) -> Iterator[tuple[Recording, int, dict[str, tuple[float, float, float, float]]]]:
        """The poses of a kind that log any box, in some clips or in all, each with its recording, row and boxes as they
        are for an actor that looks to the right."""
        for played in self.recordings:
            poses = played.poses
            rows = np.flatnonzero(self._of_kind(played, kind))
            if clips is not None:
                rows = rows[np.isin(poses.clip[rows], [at for at, clip in enumerate(played.clips) if clip in clips])]
            for row in rows[poses.logged[rows] >= 0].tolist():
                mirror = poses.facing[row] < 0
                yield (
                    played,
                    row,
                    {
                        name: (-x1, y0, -x0, y1) if mirror else (x0, y0, x1, y1)
                        for name, (x0, y0, x1, y1) in played.boxes.of(int(poses.logged[row])).items()
                    },
                )

    def attack_boxes(self, kind: str, names: Sequence[str]) -> dict[str, set[str]]:
        """The logged boxes of a kind that attack, with the attacks: open in nearly all hits of an attack, and seldom
        otherwise."""
        poses = [boxes for _, _, boxes in self._boxes(kind)]
        # a box that is open all the time is a body; an attacker that nothing hits may have no other
        seldom = [name for name in names if sum(name in pose for pose in poses) <= SELDOM * len(poses)]
        found: dict[str, set[str]] = defaultdict(set)
        for group in self._groups(kind):
            open_in: list[set[str]] = []
            for number, claim in self._hits_in(group):
                played = self.recordings[number]
                row = played.row(claim.attacker or "", claim.frame)
                if row is not None and played.poses.logged[row] >= 0:
                    open_in.append(set(played.boxes.of(int(played.poses.logged[row]))))
            for name in seldom or (() if kind in self.targets else names) if len(open_in) >= FEW else ():
                if sum(name in ids for ids in open_in) >= MOSTLY * len(open_in):
                    found[name].add(group.name)
        return found

    def meeting_box(self, group: AttackGroup, names: Sequence[str]) -> str | None:
        """The logged body of an attacker with which it hits as it meets a logged box of its target: they overlap in
        nearly all hits, and not for long before them. None if another reach decides."""
        for name in names:
            met, early = 0, []
            claims = self._hits_in(group)[:SAMPLE]
            for number, claim in claims:
                late = self._met_before(self.recordings[number], claim, name)
                met += late is not None
                early += [] if late is None else [late]
            # bodies that stand in each other long before a hit do not decide when it is
            if met and met >= MOSTLY * len(claims) and median(early) <= LAG:
                return name
        return None

    @staticmethod
    def _met_before(played: Recording, claim: Claim, name: str) -> int | None:
        """For how many frames up to a hit a logged box of its attacker has overlapped one of its target that was not
        immune; None if it does not in the frame of the hit."""
        poses = played.poses
        for early in range(EARLY + 1):
            rows = [played.row(who or "", claim.frame - early) for who in (claim.attacker, claim.target)]
            if rows[0] is None or rows[1] is None or min(poses.logged[rows[0]], poses.logged[rows[1]]) < 0:
                return early - 1 if early else None
            mine = played.boxes.of(int(poses.logged[rows[0]])).get(name)
            off = [float(axis[rows[0]] - axis[rows[1]]) for axis in (poses.x, poses.y)]
            overlaps = mine is not None and any(
                mine[0] + off[0] < x1 and x0 < mine[2] + off[0] and mine[1] + off[1] < y1 and y0 < mine[3] + off[1]
                for x0, y0, x1, y1 in played.boxes.of(int(poses.logged[rows[1]])).values()
            )
            # a touch of an immune target counts from the end of its i-frames on
            if not overlaps or (early and poses.immune[rows[1]] == 1):
                return early - 1 if early else None
        return EARLY

    def logged_box(self, name: str, role: str, kind: str) -> BoxGuess:
        """A box that always stands alike is a rectangle or circle, open in the cells in which it is logged; another is
        where the game has it."""
        seen = [boxes[name] for _, _, boxes in self._boxes(kind) if name in boxes]
        values = np.array(seen)
        x0, y0, x1, y1 = np.median(values, axis=0).tolist()
        size, middle = (x1 - x0, y1 - y0), ((x0 + x1) / 2, (y0 + y1) / 2)
        # cells that are sometimes open and sometimes not are decided by something else
        alike, windows = bool((np.ptp(values, axis=0) < 0.01).all()), self._windows(name, kind)
        flat = min(float(shown(side)) for side in size) <= 0  # a rectangle needs two sides
        parts, is_round = self._odd_shapes(name, kind), False
        if parts:  # an area that is no rectangle; a circle is one part with one corner
            is_round = len(parts) == len(seen) and all(len(own) == 1 and len(own[0].corners) == 1 for own in parts)
        odd = bool(parts) and not is_round
        if not alike or flat or odd or windows is None:
            found = {"its place changes": not alike, "it is flat": flat, "it is no rectangle": odd}
            why = next((text for text, holds in found.items() if holds), "no cell says when it is open")
            return BoxGuess(name, role, {"logged": Value("true", f"{why}: it is where the game logs it")}, size, middle)
        shape = ("circle", shown(size[0] / 2)) if is_round else ("rect", f"[{shown(size[0])}, {shown(size[1])}]")
        keys = {
            shape[0]: Value(shape[1], f"logged alike in {counted(len(values), 'pose')}"),
            "at": Value(f"[{shown(middle[0])}, {shown(middle[1])}]", ""),
        }
        if windows:
            keys["during"] = Value(_table(windows), "the cells in which it is logged")
        return BoxGuess(name, role, keys, size, middle)

    def logged_in(self, name: str, box: str, kind: str, clips: Collection[str]) -> BoxGuess:
        """A hitbox of another name where the game logs a box, open in some clips alone, in the cells that log it."""
        windows = self._windows(box, kind, clips) or {clip: f"0-{self.last_cell(kind, clip)}" for clip in sorted(clips)}
        keys = {
            "logged": Value(quoted(box), f"{name} hits with it in {', '.join(sorted(clips))}"),
            "during": Value(_table(windows), "the cells in which it is logged there"),
        }
        return BoxGuess(name, "hitbox", keys)

    def last_cell(self, kind: str, clip: str) -> int:
        """The last cell of a clip that is ever shown."""
        found = [0]
        for played in self.recordings:
            if clip in played.clips:
                poses = played.poses
                own = self._of_kind(played, kind)
                rows = own & (poses.clip == played.clips.index(clip))
                found += [int(max(poses.cell[rows].max(), poses.tick[rows].max()))] if rows.any() else []
        return max(found)

    def _odd_shapes(self, name: str, kind: str) -> list[tuple[LoggedPart, ...]]:
        """The parts of a box in each pose that logs it as another shape than a rectangle."""
        found = []
        for played, row, boxes in self._boxes(kind):
            own = played.boxes
            number = own.shape[played.poses.logged[row], own.names.index(name)] if name in boxes else -1
            found += [own.shapes[number]] if number >= 0 else []
        return found

    def _windows(self, name: str, kind: str, clips: Collection[str] | None = None) -> dict[str, str] | None:
        """The cells by clip in which a box is open: none if it always is, None if no cells say it."""
        is_open: dict[tuple[str, int], set[bool]] = defaultdict(set)
        bare: set[bool] = set()
        for played, row, boxes in self._boxes(kind, clips):
            clip = played.poses.clip[row]
            if clip < 0:
                bare.add(name in boxes)
            else:
                is_open[played.clips[clip], cell_of(played, row)].add(name in boxes)
        states = [bare, *is_open.values()]
        if clips is None and not any(False in flags for flags in states):
            return {}
        if True in bare or any(len(flags) > 1 for flags in states):
            return None
        cells: dict[str, list[int]] = defaultdict(list)
        for (clip, cell), state in sorted(is_open.items()):
            if True in state:
                cells[clip].append(cell)
        return {clip: _ranges(numbers) for clip, numbers in cells.items()}


def _table(windows: Mapping[str, str]) -> str:
    """Cells by clip, as a table in a line."""
    return "{ " + ", ".join(f"{quoted(clip)} = {quoted(cells)}" for clip, cells in windows.items()) + " }"


def _ranges(cells: Sequence[int]) -> str:
    """Numbers in order as `2-4,8-9`."""
    parts: list[list[int]] = []
    for cell in cells:
        if parts and cell == parts[-1][1] + 1:
            parts[-1][1] = cell
        else:
            parts.append([cell, cell])
    return ",".join(f"{first}-{last}" for first, last in parts)
