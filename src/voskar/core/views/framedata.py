"""Frame data: what every timed attack amounts to at a rate."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from msgspec.structs import replace

from voskar.core.rules import Attack, Clip, Consequences, Kind, Rehit, Rules
from voskar.core.rules.decimals import scaled


@dataclass(frozen=True)
class Landing:
    """A hit of a move in one of its cases. `advantage` is by how many frames its attacker may act earlier than its
    target, if it lands in the first active frame; None where the clip is not declared."""

    case: str
    damage: float
    stun: int
    hitstop: int
    advantage: int | None


@dataclass(frozen=True)
class Move:
    """One timed attack in one clip, in frames.

    `startup` counts the frames before the first active one, `windows` are the active ranges (first, last) in
    frames since the clip began, `recovery` what is left after the last; `total` and `recovery` are None for a
    clip that the rulebook does not declare. `damage_all` is what one target takes that every active frame
    touches, if no i-frames but the attack's own shield it. `in_a_row` is the damage of one hit after the other where a
    counter scales it. `advantage` and `cases` are as in `Landing`.
    """

    kind: str
    clip: str
    attack: str
    boxes: tuple[str, ...]
    startup: int
    windows: tuple[tuple[int, int], ...]
    recovery: int | None
    total: int | None
    damage: float
    damage_all: float
    iframes: int | None
    stun: int
    hitstop: int
    advantage: int | None
    in_a_row: tuple[float, ...]
    cases: tuple[Landing, ...]

    @property
    def active(self) -> int:
        """Frames in which any of its boxes is open."""
        return sum(last - first + 1 for first, last in self.windows)


def moves(rules: Rules) -> list[Move]:
    """Every timed attack of every kind, by kind, clip and attack."""
    found = []
    for kind in rules.kinds.values():
        names = kind.timed_attacks()
        clips = sorted({clip for box in kind.boxes for clip in box.during or {}})
        for clip in clips:
            for name in names:
                move = _move(kind, clip, rules.attacks[name], rules)
                if move is not None:
                    found.append(move)
    return found


def _move(kind: Kind, clip: str, attack: Attack, rules: Rules) -> Move | None:
    boxes = [box for box in kind.boxes if box.attack == attack.name]
    declared = kind.clips.get(clip)
    # an undeclared clip shows one cell a frame, and its length is not known
    step = Fraction(1) if declared is None else declared.step(rules.rate)
    last_cell = max((last for box in boxes for _, last in (box.during or {}).get(clip, ())), default=-1)
    if last_cell < 0:
        return None
    # the first frame behind the last cell is the length
    total = None if declared is None else _first_frame(declared.cells, step)
    frames = total if total is not None else _first_frame(last_cell + 1, step)
    is_active = [any(box.opens(clip, _cell(frame, step, declared)) for box in boxes) for frame in range(frames)]
    windows = _windows(is_active)
    if not windows:
        return None
    rounding = rules.contact.round_damage
    # an attacker that hits in the first active frame is busy for the rest of the move
    busy = None if total is None else total - windows[0][0] - 1
    plain = _landing("", attack, attack.damage, attack.attacker, attack.target, busy)
    row = () if attack.by_counter is None else attack.by_counter.factors
    # only cases that land are results of the move
    cases = []
    for case in attack.cases:
        if case.lands:
            tables = case.attacker or attack.attacker, case.target or attack.target
            taken = attack.damage if case.damage is None else case.damage
            damage = scaled(taken, (case.scale,), rounding, attack.min_damage)
            hitstop = attack.hitstop if case.hitstop is None else case.hitstop
            cases.append(_landing(case.name, replace(attack, hitstop=hitstop), damage, *tables, busy))
    return Move(
        kind.name,
        clip,
        attack.name,
        tuple(box.name for box in boxes if box.during is not None and clip in box.during),
        windows[0][0],
        tuple(windows),
        None if total is None else total - windows[-1][1] - 1,
        total,
        attack.damage,
        attack.damage * _hits(is_active, attack),
        attack.target.iframes,
        attack.target.stun,
        attack.hitstop,
        plain.advantage,
        tuple(scaled(attack.damage, (factor,), rounding, attack.min_damage) for factor in row),
        tuple(cases),
    )


def _landing(
    case: str, attack: Attack, damage: float, attacker: Consequences, target: Consequences, busy: int | None
) -> Landing:
    """A stun of the attacker ends its move."""
    mine = attack.hitstop if attack.hitstop_on != "target" else 0
    theirs = attack.hitstop if attack.hitstop_on != "attacker" else 0
    # a stun cuts the move short: then only it holds the attacker back
    held = attacker.stun or busy
    advantage = None if held is None else target.stun + theirs - held - mine
    return Landing(case, damage, target.stun, attack.hitstop, advantage)


def _first_frame(cell: int, step: Fraction) -> int:
    """The first frame of a clip with this cell or a later one: the least tick with floor(tick * step) >= cell."""
    # a ceiling in whole numbers: floats would be off by a frame at some rates
    return -(-cell * step.denominator // step.numerator)


def _cell(tick: int, step: Fraction, clip: Clip | None) -> int:
    cell = tick * step.numerator // step.denominator
    return cell if clip is None else min(cell, clip.cells - 1)


def _windows(is_active: list[bool]) -> list[tuple[int, int]]:
    edges = [i for i, now in enumerate(is_active) if now and (i == 0 or not is_active[i - 1])]
    ends = [i for i, now in enumerate(is_active) if now and (i + 1 == len(is_active) or not is_active[i + 1])]
    return list(zip(edges, ends, strict=True))


def _hits(is_active: list[bool], attack: Attack) -> int:
    """How often it lands on one target that every active frame touches."""
    rehit = attack.rehit or Rehit("once")
    shield = attack.target.iframes if attack.gives_iframes and attack.target.iframes else 0
    # an attack that ignores i-frames is not stopped by its own either
    shield = 0 if attack.ignores_iframes else shield
    count, immune_until, last = 0, -1, None
    landed_in_window = False
    for frame, now in enumerate(is_active):
        begins = now and (frame == 0 or not is_active[frame - 1])
        landed_in_window = landed_in_window and not begins
        free = {
            "once": not landed_in_window,
            "entry": begins,
            "always": True,
            "after": last is None or frame >= last + rehit.frames,
        }[rehit.mode]
        if now and free and frame > immune_until:
            count, last, landed_in_window, immune_until = count + 1, frame, True, frame + shield
    return count
