"""Clips: frames one after the other, as an animated picture for a ticket or a chat."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from PIL import Image

from voskar.core.posing import Bounds
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.hud import HudFrame
from voskar.core.views.scene import Scene
from voskar.drawing.frame import drawn

FORMATS = {"webp": "WEBP", "gif": "GIF", "apng": "PNG"}
DOTS = 70
"""An inch: smaller than a picture that stands still."""


def images(
    rules: Rules,
    recording: Recording,
    scenes: Sequence[Scene],
    displays: Sequence[HudFrame],
    shown: Bounds,
    title: str,
) -> Iterator[Image.Image]:
    """Each scene as a picture; all show the same part of the world, and have one legend."""
    for scene, values in zip(scenes, displays, strict=True):
        yield drawn(rules, recording, [scene], [values], shown, title, DOTS, explained=scenes).image()


def write_clip(frames: Sequence[Image.Image], path: Path, ending: str, milliseconds: float) -> None:
    """An animated picture that continues forever; each frame is shown for so long, at least 20 ms in a GIF."""
    first, *rest = frames
    shown = max(round(milliseconds), 20 if ending == "gif" else 1)
    first.save(path, FORMATS[ending], save_all=True, append_images=rest, duration=shown, loop=0)
