"""What is probably wrong with a rulebook: one small function a finding, listed in one table."""

from __future__ import annotations

from voskar.audit.blows import CHECKS as BLOW_CHECKS
from voskar.audit.findings import Case, Finding
from voskar.audit.keys import CHECKS as KEY_CHECKS
from voskar.audit.layers import CHECKS as LAYER_CHECKS
from voskar.audit.lives import CHECKS as LIFE_CHECKS
from voskar.audit.motion import CHECKS as MOTION_CHECKS
from voskar.audit.played import CHECKS as PLAYED_CHECKS
from voskar.audit.shapes import CHECKS as SHAPE_CHECKS

CHECKS = {
    **LAYER_CHECKS,
    **SHAPE_CHECKS,
    **BLOW_CHECKS,
    **MOTION_CHECKS,
    **LIFE_CHECKS,
    **KEY_CHECKS,
    **PLAYED_CHECKS,
}
"""Every check by name. Those that need a recording tell nothing without one."""


def audit(case: Case, without: frozenset[str] = frozenset()) -> list[Finding]:
    """All findings of all checks but some, by file, line and name."""
    found = [finding for name, check in CHECKS.items() if name not in without for finding in check(case)]
    return sorted(found, key=lambda one: (one.file, one.line or 0, one.name, one.key, one.reason))


__all__ = ["CHECKS", "Case", "Finding", "audit"]
