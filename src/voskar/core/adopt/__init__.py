"""Resync: going on from the game's account where it and the rules disagree."""

from voskar.core.adopt.plan import Plan, Resync, Taken
from voskar.core.adopt.window import SORTS, Window, Windows

__all__ = ["SORTS", "Plan", "Resync", "Taken", "Window", "Windows"]
