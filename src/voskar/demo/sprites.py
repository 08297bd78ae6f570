"""The demo's one sprite, drawn as text so that it can be read where it is made."""

from __future__ import annotations

from pathlib import Path

MOTH = """
..##.........##.
.####.......####
.#####.....#####
..#####.#.#####.
...####.#.####..
....####.####...
.....#######....
....###.#.###...
...####.#.####..
...###..#..###..
....#...#...#...
........#.......
"""


def write_moth(path: Path) -> None:
    """Writes the moth as a PNG: white where it is, clear where it is not."""
    import numpy as np
    from PIL import Image

    rows = [line.ljust(16, ".") for line in MOTH.strip("\n").splitlines()]
    solid = np.array([[mark == "#" for mark in row] for row in rows])
    pixels = np.where(solid[..., None], 255, 0).astype(np.uint8).repeat(4, axis=2)
    Image.fromarray(pixels, "RGBA").save(path, format="PNG")
