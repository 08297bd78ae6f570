"""Every outcome a contact can have, once: schema, coverage, statistics, marks and styles read this."""

from __future__ import annotations

from voskar.core.judging.gates import GATES

LANDED = "landed"
OUTCOMES = (LANDED, *(gate.name for gate in reversed(GATES)))
"""The most wanted first."""
MARKS = {LANDED: "*"} | {gate.name: gate.mark for gate in GATES}
"""The sign of each in figures."""
STYLES = {LANDED: "bold red"} | {gate.name: gate.style for gate in GATES}
"""The style of each outcome on a terminal; colours only repeat a word next to them."""
