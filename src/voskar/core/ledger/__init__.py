"""The ledger: what the rules say happened."""

from __future__ import annotations

from voskar.core.ledger.event import COLUMNS, Event, written
from voskar.core.ledger.origin import Origin
from voskar.core.ledger.table import FORMAT, Ledger

__all__ = ["COLUMNS", "FORMAT", "Event", "Ledger", "Origin", "written"]
