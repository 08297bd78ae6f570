"""A game's log: poses, inputs, claims, its display and marks."""

from __future__ import annotations

from voskar.core.recording.boxes import LoggedBoxes, LoggedCounters, LoggedPart
from voskar.core.recording.claims import Claim, LogScope
from voskar.core.recording.display import Display, DisplayLog
from voskar.core.recording.inputs import Inputs
from voskar.core.recording.poses import Poses
from voskar.core.recording.recording import Actor, OwnerChange, Recording, Stranger, sides

__all__ = [
    "Actor",
    "Claim",
    "Display",
    "DisplayLog",
    "Inputs",
    "LogScope",
    "LoggedBoxes",
    "LoggedCounters",
    "LoggedPart",
    "OwnerChange",
    "Poses",
    "Recording",
    "Stranger",
    "sides",
]
