"""What a game logged: poses, inputs, claims and marks."""

from __future__ import annotations

from voskar.core.recording.inputs import Inputs
from voskar.core.recording.poses import Poses
from voskar.core.recording.recording import Actor, Claim, Recording, sides

__all__ = ["Actor", "Claim", "Inputs", "Poses", "Recording", "sides"]
