"""The log of a game that plays exactly by the rules, as a recording that can be written."""

from __future__ import annotations

import msgspec

from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.views.perfect import perfect_log
from voskar.files.blocks import chunks, of_frames
from voskar.files.frames import FrameLine
from voskar.files.source import FrameSource


def perfect_source(rules: Rules, recording: Recording) -> FrameSource:
    """The log that such a game would have written of a recording."""
    header, plain = perfect_log(rules, recording)
    frames = [(0, msgspec.convert(fields, FrameLine)) for fields in plain]
    return FrameSource("perfect log", "frame", header, iter(frames), map(of_frames, chunks(iter(frames))), float, [])
