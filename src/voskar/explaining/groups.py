"""Findings that concern one rule: an emitter, an attack, a kind."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from voskar.core.rules import Rules
from voskar.evidence.finding import Finding
from voskar.explaining.suspects import attack_of, event_of


class Group(NamedTuple):
    """Findings of one code about one rule, which is named as in the rulebook."""

    rule: str
    findings: tuple[Finding, ...]


def groups(findings: Sequence[Finding], kinds: Mapping[str, str], rules: Rules) -> list[Group]:
    """The largest first, and of those that are as large the earliest."""
    found: dict[str, list[Finding]] = {}
    for finding in findings:
        # Deaths and returns of one kind have different keys, so their events make groups of their own.
        event = f" {event_of(finding)}" if finding.code.startswith("event-") else ""
        rule = f"{table_of(finding, kinds, rules) or 'goal'}{event}"
        found.setdefault(f"{rule} {finding.code}", []).append(finding)
    made = [Group(rule, tuple(roots)) for rule, roots in found.items()]
    return sorted(made, key=lambda group: (-len(group.findings), group.findings[0].first))


def table_of(finding: Finding, kinds: Mapping[str, str], rules: Rules) -> str:
    """The table of the rulebook that a finding concerns: `attacks.sting`, `kinds.keeper.emitters.smoker`; "" for none
    that is of an attack or a kind."""
    if finding.code.startswith("spawn-"):
        owner, _, name = finding.emitter.rpartition("/")
        kind = kinds.get(owner or finding.attacker, "")
        own = rules.kinds[kind].emitters if kind in rules.kinds else ()
        shown = kinds.get(finding.target)
        # A shot that the rules never fired names no emitter; its kind leads to one.
        emitters = [emitter.name for emitter in own if emitter.name == name] or [
            emitter.name for emitter in own if emitter.fan.kind == shown
        ]
        return f"kinds.{kind}.emitters.{emitters[0]}" if emitters else f"kinds.{shown or kind}"
    attack = attack_of(finding)
    if attack in rules.attacks:
        return f"attacks.{attack}"
    kind = kinds.get(finding.target) or kinds.get(finding.attacker) or ""
    return f"kinds.{kind}" if kind else ""
