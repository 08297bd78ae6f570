"""Which values of a rulebook a finding may come from: what decided it, the likeliest first."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence

from voskar.core.rules import Motion, Rules
from voskar.evidence.finding import Finding
from voskar.explaining.leaf import Leaf

EDGES = 0.002
"""Units: boxes that are so near only meet with their edges."""
_GIVER = re.compile(r"i-frames from ([^,]+),")

SHAPE = ("rect", "circle", "capsule", "span", "at", "grow", "turn", "keys.**")
EMITTER = (
    "moves_at_once", "muzzle", "speed", "aim", "inherit", "spread", "jitter", "count", "cooldown", "limit", "when.*",
    "pivot", "turns", "spawn", "within",
)  # fmt: skip
MOTION = (
    "acceleration", "gravity", "drag", "max_speed", "velocity", "spin", "bounciness", "bounces", "on_solid", "at_edge",
    "life",
)  # fmt: skip

CASES = ("attacks.{a}.cases.**", "kinds.{T}.cases.**")
COUNTERS = ("kinds.*.counters.**", "attacks.*.*.gives.*")
FREEZES = ("attacks.{a}.hitstop", "attacks.*.hitstop", "attacks.*.hitstop_on", "attacks.*.cases.*.hitstop")
"""Keys that freeze, and so move the ends of timers."""

GATES: dict[str, tuple[str, ...]] = {
    "immune": (
        "kinds.{T}.iframes", "attacks.{i}.target.iframes", "attacks.{a}.ignores_iframes", "kinds.{T}.respawn.iframes",
        "attacks.{i}.attacker.iframes", "contact.same_frame", "attacks.{a}.damage", "kinds.{T}.start_iframes",
        "kinds.{T}.clips.*.iframes", "attacks.{i}.*.iframes_mode", *FREEZES,
    ),
    "repeat": ("attacks.{a}.rehit", "contact.linger", "kinds.{A}.linger", *FREEZES),
    "ally": ("attacks.{a}.friendly", "kinds.{A}.side", "kinds.{T}.side", "attacks.{a}.hits_owner"),
    "own": ("attacks.{a}.hits_owner",),
    "unmet": ("attacks.{a}.if.**", *CASES, *COUNTERS),
    "preempted": ("attacks.*.preempts", "attacks.*.priority", "contact.same_frame"),
    "consumed": (
        "attacks.{a}.attacker.pierce", "attacks.{a}.attacker.remove", "attacks.{a}.attacker.consumed_by",
        "attacks.*.target.remove",
    ),
    "down": ("contact.health_check", "kinds.{T}.health", "attacks.*.damage", "kinds.{T}.boxes.*.damage_scale"),
    "layers": (
        "kinds.{A}.boxes.{h}.mask", "kinds.{T}.boxes.{u}.layer", "kinds.{A}.mask", "kinds.{T}.layer", "contact.detect",
        "kinds.{A}.boxes.{h}.layer", "kinds.{T}.boxes.{u}.mask", "kinds.{A}.layer", "kinds.{T}.mask",
    ),
    "boxes": ("kinds.{A}.boxes.*.role", "kinds.{T}.boxes.*.role"),
    "open": (
        "kinds.{A}.boxes.{h}.during.*", "kinds.{T}.boxes.{u}.during.*", "kinds.{A}.boxes.{h}.except_during.*",
        "kinds.{T}.boxes.{u}.except_during.*", "kinds.{A}.clips.**", "kinds.{A}.stun_disarms",
        "kinds.{A}.boxes.{h}.if.**", "kinds.{T}.boxes.{u}.if.**", *FREEZES,
    ),
    "touch": (
        "kinds.{A}.boxes.{h}.swept", *(f"kinds.{{A}}.boxes.{{h}}.{name}" for name in SHAPE),
        *(f"kinds.{{T}}.boxes.{{u}}.{name}" for name in SHAPE), "contact.edges_touch", "kinds.{T}.boxes.{u}.swept",
        "contact.linger", "kinds.{A}.linger", "kinds.{A}.wraps", "kinds.{T}.wraps",
    ),
    "play": (
        "attacks.{a}.attacker.remove", "attacks.{a}.attacker.pierce", "attacks.*.target.remove", "kinds.{A}.motion.**",
        "kinds.{T}.respawn.*", "kinds.{T}.down.*",
    ),
    "present": ("kinds.{A}.motion.**", "contact.linger", "kinds.{A}.linger", "attacks.*.attacker.remove"),
    "run": ("goal.*", "attacks.*.*.goal", "kinds.*.lives", "kinds.*.respawn.*", "kinds.*.down.*"),
}  # fmt: skip
"""By the gate that decided: `{A}` and `{T}` are the kinds of attacker and target, `{a}` the attack, `{i}` the one that
gave i-frames, `{h}` and `{u}` the
hitbox and the hurtbox, `{E}` and `{e}` the kind that an emitter belongs to and its name, `{S}` a kind that is shown."""

UNCLAIMED = (
    "kinds.{T}.iframes", "attacks.{a}.rehit", *GATES["layers"][:2], "attacks.{a}.if.**", "contact.detect",
    "attacks.*.target.remove", "attacks.*.*.goal", "kinds.{A}.boxes.{h}.role", "kinds.{T}.boxes.{u}.role",
    "attacks.{a}.friendly", "kinds.{A}.side", "kinds.{T}.side", "contact.health_check", "attacks.{a}.ignores_iframes",
    "kinds.{T}.health", *GATES["open"], *GATES["touch"], "attacks.*.target.iframes", "attacks.*.attacker.remove",
    "attacks.*.attacker.pierce", "attacks.*.preempts", "contact.same_frame", "attacks.*.priority",
    "kinds.{A}.stun_disarms", "attacks.*.damage", "kinds.{A}.boxes.{h}.attack", "kinds.{T}.respawn.*",
)  # fmt: skip
"""Keys that may keep the game from counting a hit that the rules count."""

EMITTERS = tuple(f"kinds.{{E}}.emitters.{{e}}.{name}" for name in EMITTER)
MOTIONS = tuple(f"kinds.{{T}}.motion.{name}" for name in MOTION)
CHILD = "kinds.*.down.spawn.*"
FLIGHT = (
    "kinds.*.emitters.{s}.speed", *MOTIONS[:4], "space.gravity", "kinds.*.emitters.{s}.inherit",
    "kinds.*.emitters.{s}.jitter", f"{CHILD}.inherit", f"{CHILD}.speed", f"{CHILD}.spread", "space.bounds",
    "kinds.*.emitters.*.spawn", f"{CHILD}.kind", *MOTIONS[4:],
    "space.solids.**", *(f"kinds.*.emitters.{{s}}.{name}" for name in ("aim", "spread")), f"{CHILD}.jitter",
    "attacks.*.*.knockback.**", "attacks.*.*.launch.**", "attacks.*.*.launch", "attacks.*.attacker.remove",
    "kinds.{T}.boxes.*.rect", "kinds.{T}.boxes.*.at", "kinds.{T}.boxes.*.role", "kinds.{T}.boxes.*.grow",
    "kinds.{T}.weight", "kinds.{T}.bounce", "kinds.{T}.wraps",
)  # fmt: skip
ENDING = (
    "kinds.{T}.motion.life", "attacks.*.attacker.remove", "attacks.*.attacker.pierce", "attacks.*.attacker.consumed_by",
    "attacks.*.target.remove", "kinds.{T}.motion.on_solid", "kinds.{T}.motion.at_edge", "kinds.{T}.motion.bounces",
    "goal.*", "attacks.*.*.goal", "kinds.*.lives", "attacks.*.damage", "kinds.{T}.health", "kinds.{T}.linger",
    "contact.linger", *FLIGHT,
)  # fmt: skip
HEALTH = (
    "attacks.{a}.damage", "kinds.{T}.boxes.*.damage_scale", "kinds.{T}.health", "attacks.*.damage",
    "kinds.{T}.boxes.*.rank", "kinds.{T}.iframes", "contact.same_frame", "attacks.{a}.ignores_iframes",
    "attacks.*.rehit", "kinds.{T}.respawn.*", "attacks.*.*.over_time.*", "attacks.*.*.damage", "attacks.*.*.lifesteal",
    "kinds.*.cases.**", "attacks.*.cases.**", "kinds.*.counters.**",
)  # fmt: skip
DOWN = ("kinds.{T}.down.**", "kinds.{T}.respawn.*", "kinds.{T}.lives", "kinds.{T}.linger")
RESPAWN = ("kinds.{T}.respawn.*", "kinds.{T}.down.lasts", "kinds.{T}.down.life_after", "kinds.{T}.succession")
PUSH = tuple(
    f"attacks.{{a}}.{side}.{name}"
    for name in ("knockback.**", "launch", "launch.**", "home")
    for side in ("target", "attacker")
)

REFLECTS = ("attacks.*.*.reflect.*", "attacks.*.cases.*.*.reflect.*", "kinds.*.cases.*.*.reflect.*", *CASES)
CHILDREN = ("attacks.*.*.spawn", "kinds.*.down.spawn.*.kind", "kinds.*.down.spawn.*.count")

SUSPECTS: dict[str, tuple[str, ...]] = {
    "hit-case": (*CASES, *COUNTERS, "attacks.*.*.stun", "kinds.{T}.boxes.*.rank"),
    "hit-damage": (
        "attacks.{a}.damage", "kinds.{T}.boxes.*.damage_scale", "attacks.{a}.cases.*.scale", "kinds.{T}.cases.*.scale",
        "attacks.{a}.by_counter.*", "kinds.{T}.resistance.*", "contact.round_damage", "attacks.{a}.min_damage",
        "kinds.{T}.boxes.*.rank", *CASES, *COUNTERS,
    ),
    "counter": (*COUNTERS, *CASES, "attacks.{a}.damage", *FREEZES),
    "hit-attack": (
        "kinds.{A}.boxes.*.attack", "kinds.{A}.boxes.*.role", "attacks.*.priority", "contact.same_frame",
        *GATES["touch"],
    ),
    "hit-health": HEALTH,
    "hit-place": GATES["touch"],
    "knockback": (*PUSH, "kinds.{T}.weight", "attacks.*.*.knockback.**", "space.gravity"),
    "launch": (*PUSH, "attacks.*.*.launch", "attacks.*.*.launch.**", "kinds.{T}.bounce", "kinds.{A}.bounce",
               "space.gravity"),
    "home": (*PUSH, "attacks.*.*.home"),
    "reflect": REFLECTS,
    "owner": REFLECTS,
    "start": ("starts.*.*",),
    "unexplained-motion": (
        "attacks.*.*.home", "attacks.*.*.knockback.**", "attacks.*.*.launch", "attacks.*.*.launch.**",
        "kinds.{T}.weight",
    ),
    "teleport": ("attacks.*.*.home", "kinds.{T}.wraps", "kinds.{T}.respawn.at"),
    "spawn-moved": (*EMITTERS, "attacks.*.*.stun", "attacks.*.damage"),
    "spawn-missing": (
        *EMITTERS, "kinds.{E}.down.spawn.**", "attacks.*.*.spawn", "attacks.*.*.stun", "kinds.*.lives", "goal.*",
    ),
    "spawn-unexpected": (
        *EMITTERS, "attacks.*.*.spawn", "kinds.*.down.spawn.**", "kinds.{S}.motion.life", "attacks.*.*.stun",
    ),
    "spawn-place": EMITTERS,
    "spawn-direction": EMITTERS,
    "path": FLIGHT,
    "velocity": FLIGHT,
    "outside": ("kinds.{T}.motion.at_edge", "space.bounds", "kinds.{T}.wraps"),
    "life-long": ENDING,
    "life-short": ENDING,
    "vanished": ENDING,
    "still-active": ENDING,
    "health": HEALTH,
    "lives": ("kinds.{T}.lives", *DOWN, *HEALTH),
    "state-immune": (
        "kinds.{T}.iframes", "attacks.*.target.iframes", "attacks.*.attacker.iframes", "kinds.{T}.respawn.iframes",
        "attacks.*.ignores_iframes", "attacks.*.damage", "kinds.{T}.start_iframes", "kinds.{T}.clips.*.iframes",
        "attacks.*.*.iframes_mode", *FREEZES, "attacks.*.cases.**",
    ),
    "state-stunned": (
        "attacks.*.target.stun", "attacks.*.attacker.stun", "attacks.*.*.stun_mode", *FREEZES, "attacks.*.cases.**",
        "kinds.*.cases.**", "kinds.*.counters.**",
    ),
    "frozen": (*FREEZES, "kinds.*.cases.**"),
    "box-moved": tuple(f"kinds.{{T}}.boxes.*.{name}" for name in ("at", *SHAPE, "blend")),
    "box-open": ("kinds.{T}.boxes.*.during.*", "kinds.{T}.boxes.*.except_during.*", "kinds.{T}.clips.**"),
    "box-closed": ("kinds.{T}.boxes.*.during.*", "kinds.{T}.boxes.*.except_during.*", "kinds.{T}.clips.**"),
    "display": (
        "kinds.*.down.worth", "kinds.*.lives", "kinds.*.health", "goal.survive", "attacks.*.damage",
        "kinds.*.down.life_after",
    ),
    "down-moves": DOWN,
    "down-acts": (*DOWN, "kinds.{T}.emitters.**"),
    "down-clip": DOWN,
    "down-long": DOWN,
    "down-short": DOWN,
    "respawn-place": RESPAWN,
    "respawn-late": RESPAWN,
    "cut-short": DOWN,
}  # fmt: skip
"""By code; of hits that are reported elsewhere, or by one side alone, the gate says more."""

EVENTS: dict[str, tuple[str, ...]] = {
    "down": (*HEALTH, *DOWN),
    "respawn": (*RESPAWN, *HEALTH),
    "out": ("kinds.{T}.lives", "kinds.{T}.down.out_after", *DOWN),
    "over": ("kinds.*.lives", "kinds.*.down.out_after", "goal.*"),
    "won": ("goal.*", "attacks.*.*.goal", "kinds.*.health"),
    "spawn": EMITTERS,
    "removed": ENDING,
}
"""By the event of a claim that is reported elsewhere, or by one side alone."""


class Suspects:
    """Looks for the values of a rulebook that findings may come from. `kinds` are those of all actors, by id."""

    def __init__(self, rules: Rules, kinds: Mapping[str, str], leaves: Sequence[Leaf]) -> None:
        self.rules, self.kinds = rules, kinds
        self._leaves: dict[str, list[tuple[tuple[str, ...], Leaf]]] = {}
        # the rules of one actor are a kind that is named after its base and the actor
        own = {kind.name[len(kind.base) + 1 :]: kind.name for kind in rules.kinds.values() if kind.base}
        for leaf in leaves:
            path = tuple(map(str, leaf.path))
            if path[0] == "actors":
                path = ("kinds", own[path[1]], *path[2:])
            # a kind that nothing spawns goes where the log has it: with a motion, its reactions would not be compared
            if path[::2][:2] == ("kinds", "motion") and not self._flies(path[1]):
                continue
            self._leaves.setdefault(path[0], []).append((path, leaf))
        self._matched: dict[tuple[str, ...], list[Leaf]] = {}

    def _flies(self, name: str) -> bool:
        kind = self.rules.kinds.get(name)
        return kind is None or kind.motion != Motion() or (kind.base or name) in self.rules.spawned

    def of(self, finding: Finding) -> Iterator[Leaf]:
        """The values that one may come from, the likeliest first."""
        seen = set()
        for pattern in self._patterns(finding):
            for leaf in self._match(finding, pattern):
                if leaf.path not in seen:
                    seen.add(leaf.path)
                    yield leaf

    def _patterns(self, finding: Finding) -> tuple[str, ...]:
        gate = finding.why.gate if finding.why is not None else ""
        if finding.code in ("hit-missing", "hit-denied", "hit-moved"):
            if finding.shift < 0:  # what the rules count earlier, the game has kept from landing there
                gate = "immune"
            gap = finding.why.gap if finding.why is not None else None
            # where edges only meet, the rule about edges is likelier than any shape
            if gate == "touch" and gap is not None and abs(gap) < EDGES:
                return ("contact.edges_touch", *GATES["touch"])
            moved = ("attacks.{a}.if.**", *GATES["touch"]) if finding.code == "hit-moved" else ()
            return (*GATES.get(gate, ()), *moved, *UNCLAIMED)
        # what has no owner was not fired
        if finding.code == "spawn-unexpected" and not finding.attacker:
            return CHILDREN + SUSPECTS[finding.code]
        if finding.code.startswith("event-"):
            return EVENTS.get(event_of(finding), ())
        return SUSPECTS.get(finding.code, ())

    def _giver(self, finding: Finding) -> str | None:
        """The attack that i-frames come from, as far as the account says, else the attack that the finding is about."""
        match = _GIVER.search(finding.why.sentence if finding.why is not None else "")
        return match[1] if match is not None and match[1] in self.rules.attacks else attack_of(finding)

    def _kinds(self, name: str) -> str | None:
        """The kind of an actor; of one with rules of its own, those and its kind, with a bar between them."""
        kind = self.rules.kinds.get(self.kinds.get(name, ""))
        return self.kinds.get(name) if kind is None or not kind.base else f"{kind.name}|{kind.base}"

    def _box(self, finding: Finding, role: str, name: str) -> str | None:
        """The box that a finding is about, or all of its role that it may be, with bars between them."""
        value = getattr(finding.why, role, None) or getattr(finding.hit, role, None)
        kind = self.rules.kinds.get(self.kinds.get(name, ""))
        if value or kind is None:
            return value
        own = [box for box in kind.boxes if box.role == role]
        attack = attack_of(finding)
        names = [box.name for box in own if box.attack == attack] if role == "hitbox" else []
        return "|".join(names or [box.name for box in own]) or None

    def _spawners(self, kind: str | None) -> str:
        """The names of the emitters that spawn a kind, with bars between them."""
        return "|".join(
            sorted(
                {
                    emitter.name
                    for other in self.rules.kinds.values()
                    for emitter in other.emitters
                    if emitter.fan.kind == kind
                }
            )
        )

    def _match(self, finding: Finding, pattern: str) -> list[Leaf]:
        steps = tuple(self._name(finding, step) for step in pattern.split("."))
        if steps not in self._matched:
            self._matched[steps] = [leaf for path, leaf in self._leaves.get(steps[0], ()) if fits(path, steps)]
        return self._matched[steps]

    def _name(self, finding: Finding, step: str) -> str:
        """A step of a pattern, with what it stands for."""
        if not step.startswith("{"):
            return step
        found: dict[str, Callable[[], str | None]] = {
            "{A}": lambda: self._kinds(finding.attacker),
            "{T}": lambda: self._kinds(finding.target),
            "{S}": lambda: self._kinds(finding.target),
            "{E}": lambda: self._kinds(finding.emitter.rpartition("/")[0] or finding.attacker),
            "{s}": lambda: self._spawners(self.kinds.get(finding.target)),
            "{e}": lambda: finding.emitter.rpartition("/")[2],
            "{a}": lambda: attack_of(finding),
            "{i}": lambda: self._giver(finding),
            "{h}": lambda: self._box(finding, "hitbox", finding.attacker),
            "{u}": lambda: self._box(finding, "hurtbox", finding.target),
        }
        return found[step]() or "*"


def attack_of(finding: Finding) -> str | None:
    """The attack that a finding is about, as the rules have it, else as the game does."""
    pair = (getattr(finding.hit, "attack", None), finding.why.attack if finding.why is not None else None)
    return next((item for item in pair if item), finding.claim.attack if finding.claim is not None else None)


def event_of(finding: Finding) -> str:
    """The event that a finding is about, as the game has it, else as the rules do."""
    return finding.claim.event if finding.claim is not None else finding.hit.event if finding.hit is not None else ""


def fits(path: tuple[str, ...], steps: tuple[str, ...]) -> bool:
    """Whether a path is one of those that a pattern stands for."""
    if steps and steps[-1] == "**":
        steps, path = steps[:-1], path[: len(steps) - 1] if len(path) >= len(steps) else ()
    if len(path) != len(steps):
        return False
    return all(
        step in ("*", name) or ("|" in step and name in step.split("|")) for name, step in zip(path, steps, strict=True)
    )
