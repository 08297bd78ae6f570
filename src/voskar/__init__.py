"""Voskar replays combat rules over recordings of a game and says what every contact should have come to.

    rulebook = voskar.load_rulebook("apiary.toml")
    recording = voskar.load_recording("meadow.jsonl", rulebook)
    ledger = voskar.replay(rulebook, recording)
    voskar.dataframe(ledger)

These names are the public ones; everything else may change.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from voskar.api import check, replay
    from voskar.core.ledger import Ledger
    from voskar.errors import InputError, VoskarError
    from voskar.files.ledger import dataframe, write_ledger
    from voskar.files.recording import load_recording
    from voskar.files.rulebook import load_rulebook
    from voskar.live.session import Session
    from voskar.pages.notebook import show

_HOMES = {
    "InputError": "voskar.errors",
    "Ledger": "voskar.core.ledger",
    "Session": "voskar.live.session",
    "VoskarError": "voskar.errors",
    "check": "voskar.api",
    "dataframe": "voskar.files.ledger",
    "load_recording": "voskar.files.recording",
    "load_rulebook": "voskar.files.rulebook",
    "replay": "voskar.api",
    "show": "voskar.pages.notebook",
    "write_ledger": "voskar.files.ledger",
}

__all__ = [
    "InputError",
    "Ledger",
    "Session",
    "VoskarError",
    "check",
    "dataframe",
    "load_recording",
    "load_rulebook",
    "replay",
    "show",
    "write_ledger",
]


def __getattr__(name: str) -> Any:
    """Imports a public name when it is first used, so that `voskar --help` need not wait for NumPy."""
    if name not in _HOMES:
        raise AttributeError(f"module 'voskar' has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(_HOMES[name]), name)
