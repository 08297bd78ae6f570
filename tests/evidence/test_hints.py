"""What many findings may come from."""

from __future__ import annotations

from typing import Any

import pytest

from tests.worlds import brush, recording, rulebook, sting
from voskar.evidence.check import check


@pytest.mark.parametrize(
    ("clips", "noted"),
    [
        (["dive"] * 4, 0),  # closed in the cell, by the rules' clip
        (["dive", "dive", "recoil", "recoil"], 1),  # open in the frame before
        (["idle", "idle", "recoil", "recoil"], 0),
    ],
)
def test_clips_that_are_logged_after_the_hits(clips: list[str], noted: int) -> None:
    box = {"role": "hitbox", "attack": "sting", "circle": 5, "mask": ["keeper"], "during": {"dive": "2-2"}}
    frames = brush({"hornet": "####"})
    for frame, clip in zip(frames, clips, strict=True):
        frame["poses"][1] |= {"clip": clip, "cell": 1 if clip == "dive" else 0}
    frames[2]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    book = rulebook(sting(hornet={"boxes": {"sting": box}}))
    verdict, _ = check(book.rules(60), recording(book, frames))
    assert [finding.code for finding in verdict.findings] == ["hit-denied"]
    assert len(verdict.hints) == noted


def test_a_denied_hit_names_the_box_of_the_clip_that_is_shown() -> None:
    boxes: dict[str, Any] = {
        name: {"role": "hitbox", "attack": "sting", "circle": size, "mask": ["keeper"], "during": {name: "9-9"}}
        for name, size in (("dive", 2), ("swoop", 5))
    }
    frames = brush({"hornet": "###"})
    for frame in frames:
        frame["poses"][1] |= {"clip": "dive", "cell": 0, "x": 4}
    frames[1]["claims"] = [{"event": "hit", "attacker": "hornet", "target": "keeper"}]
    book = rulebook(sting(hornet={"boxes": boxes}))
    verdict, _ = check(book.rules(60), recording(book, frames))
    why = verdict.findings[0].why
    assert why is not None
    assert (why.gate, why.hitbox) == ("open", "dive")
