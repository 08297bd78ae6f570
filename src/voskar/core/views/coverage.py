"""Which rules were ever exercised: attacks, pairs of boxes, gates, conditions, consequences, lives, emitters, ways."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from voskar.core.consequences import CONSEQUENCES
from voskar.core.gate import Gate
from voskar.core.judging.cases import SEPARATOR
from voskar.core.judging.conditions import asked_of
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import GATES, ally, unmet
from voskar.core.judging.outcomes import LANDED
from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Attack, Case, Consequences, Kind, Motion, Rules
from voskar.core.views.exercise import layer_pairs
from voskar.core.views.summary import everyone

EARLIER = [gate.name for gate in GATES[: GATES.index(unmet.GATE)]]
"""Outcomes of contacts that never reached their conditions."""

GROUPS = ("attack", "pair", "gate", "condition", "case", "consequence", "life", "emitter", "way")

Path = tuple[str | int, ...]


@dataclass(frozen=True)
class Rule:
    """Something that a recording can exercise. `path` is where the rulebook says it, empty for gates."""

    group: str
    name: str
    path: Path = ()


def rules_of(rules: Rules) -> list[Rule]:
    """Every rule that can be exercised, in the order of GROUPS, within a group in that of the rules."""
    found = [Rule("attack", name, ("attacks", name)) for name in rules.attacks]
    pairs = dict.fromkeys((pair.hitbox, pair.hurtbox) for layers in layer_pairs(rules) for pair in layers.pairs)
    for hitbox, hurtbox in pairs:
        owner, box = hitbox.split(".", 1)
        found.append(Rule("pair", f"{hitbox} on {hurtbox}", ("kinds", owner, "boxes", box)))
    found += [Rule("gate", name) for name in _gates(rules, pairs)]
    for attack in rules.attacks.values():
        asked = _asked(attack)
        for word in ("met", "unmet") if asked else ():
            name = f"{attack.name} {' and '.join(asked)}: {word}"
            found.append(Rule("condition", name, ("attacks", attack.name, "if", *asked[0].split("."))))
        found += _consequence_rules(attack.name, attack, ("attacks", attack.name))
        found += _case_rules(attack.name, attack.cases, ("attacks", attack.name))
    for kind in rules.kinds.values():
        found += _case_rules(kind.name, kind.cases, ("kinds", kind.name))
        if kind.iframes:
            found.append(Rule("consequence", f"{kind.name} iframes", ("kinds", kind.name, "iframes")))
        found += [Rule("life", f"{kind.name} {words}", ("kinds", kind.name, *path)) for words, path in _life(kind)]
        for emitter in kind.emitters:
            path: Path = ("kinds", kind.name, "emitters", emitter.name)
            found.append(Rule("emitter", f"{kind.name}/{emitter.name}", path))
            # a held button is not denied by these, it only waits for them
            held = emitter.when.on == "hold"
            limits = {"cooldown": emitter.cooldown > 0 and not held, "limit": emitter.limit is not None and not held}
            found += [
                Rule("emitter", f"{kind.name}/{emitter.name} {key}", (*path, key))
                for key, is_logged in limits.items()
                if is_logged
            ]
        for why, key in _ends(kind.motion):
            found.append(Rule("way", f"{kind.name} {why}", ("kinds", kind.name, "motion", key)))
    goals = {"survive": rules.goal.survive is not None, "clear": bool(rules.goal.clear)}
    found += [Rule("life", f"won: {key}", ("goal", key)) for key, is_logged in goals.items() if is_logged]
    return sorted(found, key=lambda rule: GROUPS.index(rule.group))


def _consequence_rules(name: str, of: Attack | Case, path: Path) -> Iterator[Rule]:
    for side in ("attacker", "target"):
        table = getattr(of, side)
        for key in _named(table) if table is not None else ():
            yield Rule("consequence", f"{name} {side}.{key}", (*path, side, key))


def _case_rules(name: str, cases: Sequence[Case], path: Path) -> Iterator[Rule]:
    for place, case in enumerate(cases):
        yield Rule("case", f"{name}: {case.name}", (*path, "cases", place))
        if case.lands:
            yield from _consequence_rules(f"{name}: {case.name}", case, (*path, "cases", place))


def _asked(attack: Attack) -> list[str]:
    """The keys of `if` that an attack names."""
    return [condition.key for condition in asked_of(attack.if_)]


def _named(side: Consequences) -> list[str]:
    """The consequences that a table names, by key."""
    health = [key for key in ("damage", "lifesteal") if getattr(side, key)]
    return health + [consequence.key for consequence in CONSEQUENCES if consequence.named(side)]


def _life(kind: Kind) -> Iterator[tuple[str, Path]]:
    if kind.health is not None:
        yield "down", ("health",)
    if kind.succession:
        yield "respawn", ("succession",)
    elif kind.respawn is not None and kind.health is not None:
        yield "respawn", ("respawn",)
        if kind.respawn.if_unsafe == "wait":
            yield "respawn held", ("respawn", "if_unsafe")
    if kind.lives is not None and kind.health is not None:
        yield "out", ("lives",)
        if kind.down.life_after:
            yield "life", ("down", "life_after")
    if kind.down.spawn and kind.health is not None:
        yield "down.spawn", ("down", "spawn")


def _ends(motion: Motion) -> Iterator[tuple[str, str]]:
    if motion.life is not None:
        yield "expired", "life"
    if motion.at_edge == "remove":
        yield "edge", "at_edge"
    if motion.on_solid == "remove":
        yield "solid", "on_solid"


def _gates(rules: Rules, pairs: dict[tuple[str, str], None]) -> Iterator[str]:
    """The outcomes that these rules can come to."""
    if not pairs:
        return
    yield LANDED
    attacks = {box.attack for kind in rules.kinds.values() for box in kind.boxes if box.attack}
    for gate in reversed(GATES):
        if any(gate.possible(rules, rules.attacks[name]) for name in sorted(attacks)) and _meets_ally(
            rules, pairs, gate
        ):
            yield gate.name


def _meets_ally(rules: Rules, pairs: dict[tuple[str, str], None], gate: Gate[Contact]) -> bool:
    """Allies stop nothing where no pair of boxes that may meet is on one side."""
    if gate is not ally.GATE:
        return True
    boxes = {f"{kind.name}.{box.name}": (kind.side, box.attack) for kind in rules.kinds.values() for box in kind.boxes}
    return any(
        boxes[hit][0] == boxes[hurt][0] is not None and not rules.attacks[boxes[hit][1] or ""].friendly
        for hit, hurt in pairs
    )


def exercised(rules: Rules, recording: Recording, ledger: Ledger) -> Counter[tuple[str, str]]:
    """How often each rule was, by group and name."""
    kinds = {name: actor.kind for name, actor in everyone(rules, recording, ledger).items()}
    found: Counter[tuple[str, str]] = Counter()
    contacts: list[Event] = []  # of this frame: what stands behind them comes from them
    for event in ledger.events:
        # consequences follow their contact, and never in another frame
        if contacts and contacts[-1].frame != event.frame:
            contacts = []
        if event.event == "contact":
            contacts.append(event)
            found.update(_of_contact(rules, kinds, event))
        elif event.event == "spawn":
            found.update(_of_spawn(rules, kinds, event))
        elif event.event == "won":
            found["life", f"won: {event.detail}"] += 1
            found.update(_of_goal(rules, kinds, contacts) if event.detail == "goal" else ())
        elif event.id in kinds:
            found.update(_of_actor(rules, kinds[event.id or ""], event))
            found.update(_of_hit(rules, kinds, contacts, event))
    return found


def _of_contact(rules: Rules, kinds: dict[str, str], event: Event) -> Iterator[tuple[str, str]]:
    attack, outcome = rules.attacks[event.attack or ""], event.outcome or ""
    if outcome == "landed":
        yield "attack", attack.name
    hitbox = f"{kinds[event.attacker or '']}.{event.hitbox}"
    yield "pair", f"{hitbox} on {kinds[event.target or '']}.{event.hurtbox}"
    yield "gate", outcome
    asked = _asked(attack)
    # a case that does not land is unmet too, but by its name and not by a condition
    if asked and outcome not in EARLIER:
        unmet = outcome == "unmet" and not event.case
        yield "condition", f"{attack.name} {' and '.join(asked)}: {'unmet' if unmet else 'met'}"
    for name, _ in _cases(rules, kinds, event):
        yield "case", name
    if outcome == "landed":
        for name, table in _tables(rules, kinds, event).values():
            for key in ("damage", "lifesteal"):
                if getattr(table, key):
                    yield "consequence", f"{name}.{key}"


def _cases(rules: Rules, kinds: dict[str, str], event: Event) -> list[tuple[str, Case]]:
    """The cases that a contact came to, with what they are called."""
    attack, kind = rules.attacks[event.attack or ""], rules.kinds[kinds[event.target or ""]]
    # of two cases of one name the first counts, so it is written last
    own = {case.name: (f"{kind.name}: {case.name}", case) for case in reversed(kind.cases)}
    own |= {case.name: (f"{attack.name}: {case.name}", case) for case in reversed(attack.cases)}
    return [own[name] for name in (event.case or "").split(SEPARATOR) if name in own]


def _tables(rules: Rules, kinds: dict[str, str], event: Event) -> dict[str, tuple[str, Consequences]]:
    """The tables of a hit by side, with what they are called."""
    attack = rules.attacks[event.attack or ""]
    found = {side: (f"{attack.name} {side}", getattr(attack, side)) for side in ("target", "attacker")}
    for name, case in _cases(rules, kinds, event):
        for side in found:
            table = getattr(case, side)
            if table is not None:
                found[side] = f"{name} {side}", table
    return found


KEYS = {consequence.event: consequence.key for consequence in CONSEQUENCES}
"""The key that an event reports."""


def _of_hit(rules: Rules, kinds: dict[str, str], contacts: list[Event], event: Event) -> Iterator[tuple[str, str]]:
    """The consequences of the last hit, of those that it could have: they stand behind their contact."""
    if event.event == "health":
        if event.cause is not None:
            yield from _of_tick(rules, kinds[event.id or ""], event)
        return
    if event.event == "removed" and event.detail != "consumed":
        return
    key = KEYS.get(event.event)
    for contact in reversed(contacts):
        # i-frames name the attack that gave them, so those of another hit are not mistaken for this one's
        own = event.event != "iframes" or event.cause == contact.attack
        for side, (name, table) in _tables(rules, kinds, contact).items():
            whose = contact.attacker if side == "attacker" else contact.target
            # a shot's counters are its owner's
            mine = event.id == whose or (key == "gives" and event.counter in table.gives)
            if own and mine and key in _named(table):
                yield "consequence", f"{name}.{key}"
                return


def _of_tick(rules: Rules, kind: str, event: Event) -> Iterator[tuple[str, str]]:
    """Damage over time, of an attack or of a case."""
    attack = rules.attacks[event.cause or ""]
    named: list[tuple[str, Attack | Case]] = [(attack.name, attack)]
    named += [(f"{attack.name}: {case.name}", case) for case in attack.cases]
    named += [(f"{kind}: {case.name}", case) for case in rules.kinds[kind].cases]
    for name, of in named:
        for side in ("attacker", "target"):
            table = getattr(of, side)
            # which case gave the damage over time the event does not say, so all that could have count
            if table is not None and table.over_time is not None:
                yield "consequence", f"{name} {side}.over_time"


def _of_goal(rules: Rules, kinds: dict[str, str], contacts: list[Event]) -> Iterator[tuple[str, str]]:
    for contact in contacts:
        for name, table in _tables(rules, kinds, contact).values() if contact.outcome == "landed" else ():
            if table.goal:
                yield "consequence", f"{name}.goal"


def _of_spawn(rules: Rules, kinds: dict[str, str], event: Event) -> Iterator[tuple[str, str]]:
    """An emitter has fired; else an actor has left children behind, or a hit its hit effect."""
    parent = (event.id or "").rpartition("+")[0]
    if event.emitter is not None:
        yield "emitter", f"{kinds[event.owner or '']}/{event.emitter}"
    elif parent in kinds:
        yield "life", f"{kinds[parent]} down.spawn"
    else:
        # which hit left a spark the event does not say, so all tables that spawn its kind count
        named: list[tuple[str, Attack | Case]] = [(attack.name, attack) for attack in rules.attacks.values()]
        named += [(f"{attack.name}: {case.name}", case) for attack in rules.attacks.values() for case in attack.cases]
        named += [(f"{kind.name}: {case.name}", case) for kind in rules.kinds.values() for case in kind.cases]
        for name, of in named:
            for side in ("attacker", "target"):
                table = getattr(of, side)
                if table is not None and table.spawn == event.kind:
                    yield "consequence", f"{name} {side}.spawn"


def _of_actor(rules: Rules, kind: str, event: Event) -> Iterator[tuple[str, str]]:
    match event.event:
        case "down" | "out" | "respawn" | "life":
            yield "life", f"{kind} {event.event}"
        case "respawn_held":
            yield "life", f"{kind} respawn held"
        case "iframes" if event.cause in rules.attacks and rules.attacks[event.cause or ""].target.iframes is None:
            yield "consequence", f"{kind} iframes"
        case "removed":
            yield "way", f"{kind} {event.detail}"
        case "denied" if event.detail in ("cooldown", "limit"):
            yield "emitter", f"{kind}/{event.emitter} {event.detail}"
