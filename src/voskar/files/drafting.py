"""Reads recordings of which no rulebook says what kinds there are."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Sequence

from msgspec import UNSET

from voskar.core.recording import Recording
from voskar.files.recording import load_recording, open_frames
from voskar.files.rulebook import check_source
from voskar.files.toml_sources import parse_source


def load_unruled(paths: Sequence[str]) -> list[Recording]:
    """Each recording, read by a rulebook that knows the kinds and the logged boxes of all of them, and nothing else.
    Raises InputError for what is wrong with any."""
    boxes: dict[str, set[str]] = defaultdict(set)
    for path in paths:
        with open_frames(path) as source:
            for _, frame in source.frames:
                for pose in frame.poses:
                    if isinstance(pose.kind, str):
                        own = boxes[pose.kind]
                        if pose.boxes is not UNSET and pose.boxes:
                            own |= set(pose.boxes)
    lines = ["voskar = 2", 'layers.names = ["all"]', "[attacks.none]"]
    for kind, names in sorted(boxes.items()):
        lines.append(f"[kinds.{json.dumps(kind, ensure_ascii=False)}]")
        for name in sorted(names):
            told = '{ role = "hurtbox", logged = true, layer = ["all"] }'
            lines.append(f"boxes.{json.dumps(name, ensure_ascii=False)} = {told}")
    book = check_source(parse_source("\n".join(lines), "draft"))
    return [load_recording(path, book) for path in paths]
