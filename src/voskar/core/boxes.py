"""All boxes of a rulebook, numbered, with the forms they take in their clips' cells."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Mapping, Sequence, Set
from functools import cached_property
from itertools import chain, product

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from voskar.core.kernel.shapes import ABSENT, CLOSED, UNLOGGED, BoxColumns, BoxRuns, ClipColumns, ShapeColumns
from voskar.core.rules import NO_CONDITION, Attack, Box, Key, Kind, Reflect, Rehit, Role, Rules, clash, eligible
from voskar.core.rules.outlines import stretched
from voskar.core.rules.shapes import Form, is_upright, put_on

NO_TAGS: frozenset[str] = frozenset()
ONCE, ALWAYS = Rehit("once"), Rehit("always")


class FormedBox(Struct, frozen=True, eq=False):
    """A box of a kind with its number, its own form, and the forms its keys give it by clip and cell.

    A clip's forms go up to its last key's cell; the last one holds.
    """

    number: int
    kind: Kind
    box: Box
    attack: Attack
    form: int
    keyed: Mapping[str, tuple[int, ...]]
    timed: bool
    """Whether its attack is timed on its kind."""
    rehit: Rehit
    """The rule of its attack for actors without an owner, and for shots."""
    rehit_owned: Rehit
    swing: int
    """Which of the timed attacks of its kind it is of, -1 for none."""
    memory_key: str
    """The same of its attack: asked for in every contact."""
    is_plain: bool
    """The same of the damage of its attack."""
    swept: bool
    """Whether it is tested along its way: as it says, else if its kind is spawned."""

    @property
    def name(self) -> str:
        """Its name within its kind."""
        return self.box.name

    @property
    def always(self) -> bool:
        """Whether it is open in one form in every clip of its actor."""
        return self.box.during is None and not self.box.except_during and not self.keyed

    def form_in(self, clip: str | None, cell: int) -> int:
        """The form in a cell of a clip, open or not."""
        forms = self.keyed.get(clip or "")
        return self.form if forms is None else forms[min(max(cell, 0), len(forms) - 1)]

    def runs(self, clip: str | None) -> list[tuple[int, int]]:
        """(first cell, form) of each stretch of cells of a clip, CLOSED where the box is; one without a clip."""
        if clip is None:
            return [(-1, self.form_in(None, -1) if self.box.opens(None, -1) else CLOSED)]
        cells = {0, *range(len(self.keyed.get(clip, ())))}
        for windows in (self.box.during or {}, self.box.except_during):
            for first, last in windows.get(clip, ()):
                cells |= {first, last + 1}
        found: list[tuple[int, int]] = []
        for cell in sorted(cells):
            form = self.form_in(clip, cell) if self.box.opens(clip, cell) else CLOSED
            if not found or found[-1][1] != form:
                found.append((cell, form))
        return found


TABLES = 16
"""So many tables of a catalog are kept."""


class BoxCatalog:
    """All boxes of a rulebook, numbered by kind name and then as written."""

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self._bred = rules.bred
        self.formed: list[FormedBox] = []
        self.forms: list[Form] = []
        self.kinds = list(rules.kinds)
        self.kind_number = {name: number for number, name in enumerate(self.kinds)}
        self.by_kind: dict[str, list[FormedBox]] = {}
        for kind in rules.kinds.values():
            swings = {attack: number for number, attack in enumerate(kind.timed_attacks())}
            self.by_kind[kind.name] = [self._form(kind, box, swings) for box in kind.boxes]
        self.conditions = {kind.name: kind.box_conditions for kind in rules.kinds.values() if kind.box_conditions}
        """The conditions of the boxes of each kind. The place of a condition is its bit in the kernel."""
        self.reflections = rules.reflections
        """Layers of reflected shots."""
        self._tables: dict[tuple[tuple[str, ...], tuple[str, ...], tuple[frozenset[str], ...]], BoxColumns] = {}
        self._met: dict[tuple[int, int, Reflect | None, Reflect | None], bool] = {}
        self._upright = [is_upright(form) for form in self.forms]

    @classmethod
    def of(cls, rules: Rules) -> BoxCatalog:
        """The catalog of some rules, which is made once for those that were asked for last."""
        # by identity: to compare whole rules would take longer than to make a catalog
        for known, catalog in _KNOWN:
            if known is rules:
                return catalog
        made = cls(rules)
        _KNOWN.appendleft((rules, made))
        return made

    def shapes(self, room: tuple[int, int]) -> ShapeColumns:
        """The flat table of all forms for a kernel of its own, and of logged ones with room for so many parts of so
        many corners."""
        return ShapeColumns(self.forms, self._upright, room)

    @cached_property
    def own_shapes(self) -> ShapeColumns:
        """The flat table of all forms for every kernel that has no logged ones: nothing changes it."""
        return ShapeColumns(self.forms, self._upright)

    def _form(self, kind: Kind, box: Box, swings: Mapping[str, int]) -> FormedBox:
        known: dict[tuple[object, ...], int] = {}

        def form(at: tuple[float, float], turn: float, stretch: tuple[float, float]) -> int:
            if (at, turn, stretch) not in known:
                outline = box.outline if stretch == (1.0, 1.0) else stretched(box.outline, stretch)
                known[at, turn, stretch] = len(self.forms)
                self.forms.append(put_on(outline, at, turn))
            return known[at, turn, stretch]

        own = form(box.at, box.turn, (1.0, 1.0))
        keyed = {
            clip: tuple(form(*keyed_values(box, keys, cell)) for cell in range(keys[-1].cell + 1))
            for clip, keys in box.keys.items()
            if keys
        }
        attack = self.rules.attacks[box.attack] if box.attack else Attack("")
        timed = attack.name in swings
        # the attack's own rule, else once for timed attacks and for actors that have an owner (shots), else always
        rehit = attack.rehit or (ONCE if timed else ALWAYS)
        swing = swings[attack.name] if timed and box.role == "hitbox" else -1
        owned, key = attack.rehit or ONCE, attack.memory_key
        swept = kind.name in self._bred if box.swept is None else box.swept
        number, is_plain = len(self.formed), attack.is_plain
        formed = FormedBox(number, kind, box, attack, own, keyed, timed, rehit, owned, swing, key, is_plain, swept)
        self.formed.append(formed)
        return formed

    def extent(self, box: FormedBox) -> float:
        """How far a box reaches from its actor's position in any of its forms; endless for one that the game logs."""
        if box.box.logged:
            return math.inf
        forms = [self.forms[form] for form in {box.form, *chain.from_iterable(box.keyed.values())}]
        return max(float(np.hypot(*form.hull.T).max(initial=0.0)) + form.radius for form in forms)

    def of_role(self, role: Role) -> list[FormedBox]:
        """Boxes of one role, by number."""
        return [formed for formed in self.formed if formed.box.role == role]

    def meets(
        self, hit: FormedBox, other: FormedBox, hit_by: Reflect | None = None, other_by: Reflect | None = None
    ) -> bool:
        """Whether layers and masks let a hitbox meet a hurtbox, or clash with a hitbox; of shots that were reflected
        by what."""
        key = hit.number, other.number, hit_by, other_by
        if key not in self._met:
            rules = self.rules
            box, two = rules.reflected(hit.box, hit_by), rules.reflected(other.box, other_by)
            clashes = other.box.role == "hitbox"
            self._met[key] = clash(rules.contact, box, two) if clashes else eligible(rules.contact.detect, box, two)
        return self._met[key]

    def may_meet(self, hit: FormedBox, other: FormedBox) -> bool:
        """Whether they let them if either has been reflected, or none."""
        by = (None, *self.reflections)
        return any(self.meets(hit, other, *both) for both in product(by, by))

    def table(self, clips: Sequence[str], logged: Sequence[str] = (), tag_sets: Sequence[Set[str]] = ()) -> BoxColumns:
        """The flat table for the kernel, which only reads it. `clips` are those that poses can show, `logged` the boxes
        that they log, `tag_sets` the tags that they have, all by number. Made once for each of them."""
        key = tuple(clips), tuple(logged), tuple(map(frozenset, tag_sets))
        found = self._tables.get(key)
        if found is None:
            # searches ask for one after the other, each with other clips or tags
            if len(self._tables) >= TABLES:
                self._tables.clear()
            found = self._tables[key] = self._table(clips, logged, tag_sets)
        return found

    def _table(self, clips: Sequence[str], logged: Sequence[str], tag_sets: Sequence[Set[str]]) -> BoxColumns:
        kinds = []
        for name in self.kinds:
            own = self.by_kind[name]
            meeting = [box.number for box in own if box.box.role != "body"]
            kinds.append((meeting, [box.number for box in own if box.box.role == "body"]))
        hits, hurts = self.of_role("hitbox"), self.of_role("hurtbox")
        meets = np.zeros((len(self.formed), len(self.formed)), dtype=np.bool_)
        # boxes of the same layers and masks meet the same ones, and there are few such
        for (_, boxes), (_, others) in product(_alike(hits), _alike(hurts)):
            if self.may_meet(boxes[0], others[0]):
                meets[np.ix_([box.number for box in boxes], [box.number for box in others])] = True
        clashes = np.zeros(len(self.formed), dtype=np.bool_)
        for (_, boxes), (_, others) in product(_alike(hits), _alike(hits)) if self.rules.contact.clash else ():
            if self.may_meet(boxes[0], others[0]):
                mine, theirs = [box.number for box in boxes], [box.number for box in others]
                meets[np.ix_(mine, theirs)] = clashes[mine] = clashes[theirs] = True
        is_hit = {hit.number for hit in hits}
        numbers = {clip: number for number, clip in enumerate(clips)}
        return BoxColumns(
            kinds,
            [box.number in is_hit for box in self.formed],
            [int(box.swept) for box in self.formed],
            [box.form if box.always else CLOSED for box in self.formed],
            [self._runs(box, numbers) for box in self.formed],
            len(clips),
            [box.box.mask for box in self.formed],
            [box.box.attack is None or not box.attack.hits_owner for box in self.formed],
            meets,
            [self._place_among(logged, box.box) for box in self.formed],
            [box.box.pad for box in self.formed],
            [box.box.outline.grow for box in self.formed],
            [box.box.within_bounds and self.rules.space.bounds is not None for box in self.formed],
            [box.swing for box in self.formed],
            [kind.wraps for kind in self.rules.kinds.values()],
            [self.condition_of(box) for box in self.formed],
            self._tag_bits([NO_TAGS, *tag_sets]),
            clashes.tolist(),
            [box.box.depth for box in self.formed],
        )

    def condition_of(self, box: FormedBox) -> int:
        """The number of the condition that a box is open by, -1 for one that always holds."""
        return -1 if box.box.if_ == NO_CONDITION else self.conditions[box.kind.name].index(box.box.if_)

    def _tag_bits(self, tag_sets: Sequence[Set[str]]) -> NDArray[np.int64]:
        found = np.zeros((len(self.kinds), len(tag_sets)), dtype=np.int64)
        for name, conditions in self.conditions.items():
            for place, tags in enumerate(tag_sets):
                met = [condition.tags <= tags and condition.no_tags.isdisjoint(tags) for condition in conditions]
                found[self.kind_number[name], place] = sum(1 << bit for bit, flag in enumerate(met) if flag)
        return found

    @staticmethod
    def _runs(box: FormedBox, numbers: Mapping[str, int]) -> BoxRuns:
        named = {*box.keyed, *(box.box.during or ()), *box.box.except_during}
        own = {numbers[clip]: box.runs(clip) for clip in sorted(named & numbers.keys())}
        return BoxRuns(box.runs(None), box.runs(_ANY), own)

    @staticmethod
    def _place_among(logged: Sequence[str], box: Box) -> int:
        if not box.logged:
            return UNLOGGED
        return logged.index(box.logged) if box.logged in logged else ABSENT

    def clip_table(self, clips: Sequence[str]) -> ClipColumns:
        """The declared clips of every kind for the kernel."""
        declared = {}
        numbers = {clip: number for number, clip in enumerate(clips)}
        for number, name in enumerate(self.kinds):
            for clip, entry in self.rules.kinds[name].clips.items():
                if clip in numbers:
                    step = entry.step(self.rules.rate)
                    declared[number, numbers[clip]] = (entry.cells, entry.loop, step.numerator, step.denominator)
        return ClipColumns(len(self.kinds), len(clips), declared)


_ANY = "\0"
"""A clip that no box names."""


def _alike(boxes: Sequence[FormedBox]) -> list[tuple[tuple[int, int], list[FormedBox]]]:
    """Boxes by their mask and layer."""
    found: dict[tuple[int, int], list[FormedBox]] = {}
    for box in boxes:
        found.setdefault((box.box.mask, box.box.layer), []).append(box)
    return list(found.items())


def keyed_values(box: Box, keys: Sequence[Key], cell: int) -> tuple[tuple[float, float], float, tuple[float, float]]:
    """`at`, `turn` and `stretch` of a box in a cell.

    The last key at or before the cell that names a value holds it, or, where that key is linear, leads to
    the next that names it. Before the first the box's own value stands.
    """

    def value(name: str, own: tuple[float, ...]) -> tuple[float, ...]:
        named = [(key, _numbers(getattr(key, name))) for key in keys if getattr(key, name) is not None]
        before = [name for name in named if name[0].cell <= cell]
        after = [name for name in named if name[0].cell > cell]
        if not before:
            return own
        key, numbers = before[-1]
        if key.blend == "hold" or not after:
            return numbers
        following, goal = after[0]
        share = (cell - key.cell) / (following.cell - key.cell)
        return tuple(a + (b - a) * share for a, b in zip(numbers, goal, strict=True))

    at, turn, stretch = value("at", box.at), value("turn", (box.turn,)), value("stretch", (1.0, 1.0))
    return (at[0], at[1]), turn[0], (stretch[0], stretch[1])


def _numbers(value: float | tuple[float, float]) -> tuple[float, ...]:
    return value if isinstance(value, tuple) else (value,)


_KNOWN: deque[tuple[Rules, BoxCatalog]] = deque(maxlen=2)
