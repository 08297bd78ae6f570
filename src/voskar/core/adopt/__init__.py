"""Resync: continuing from the game's account where it and the rules disagree."""

from voskar.core.adopt.plan import Plan, Resync, Taken
from voskar.core.adopt.window import EVIDENCE, Window, Windows

__all__ = ["EVIDENCE", "Plan", "Resync", "Taken", "Window", "Windows"]
