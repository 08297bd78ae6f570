"""The ledger: what the rules say happened."""

from __future__ import annotations

from voskar.core.ledger.events import COLUMNS, Event, Origin, written
from voskar.core.ledger.table import FORMAT, Ledger

__all__ = ["COLUMNS", "FORMAT", "Event", "Ledger", "Origin", "written"]
