"""Reads the alpha of an image, for boxes made of pixels."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from voskar.errors import InputError, first_line
from voskar.files.reading import read_bytes

SIDE = 4096  # cells on a side
CELLS = 1 << 22


def read_alpha(path: Path) -> NDArray[np.uint8]:
    """(rows, columns) alpha of a PNG, 255 where it has none. Raises ValueError, saying why, for other files."""
    from PIL import Image, UnidentifiedImageError

    if not path.exists():
        raise ValueError(f"there is no file {path.name}")
    try:
        data = read_bytes(path)
    except InputError as error:
        raise ValueError(f"{path.name}: {error.problems[0].message}") from None
    try:
        with Image.open(BytesIO(data), formats=["PNG"]) as image:
            width, height = image.size
            if max(width, height) <= SIDE and width * height <= CELLS:
                return np.asarray(image.convert("RGBA"))[..., 3]
    except UnidentifiedImageError:
        raise ValueError(f"{path.name} is not a PNG image") from None
    except Image.DecompressionBombError:
        raise ValueError(f"{path.name} has too many cells, expected at most {CELLS:,}") from None
    except Exception as error:  # the library has many words for a broken file
        raise ValueError(f"{path.name} cannot be read: {first_line(error).lower()}") from None
    raise ValueError(f"{path.name} has {width} x {height} cells, at most {SIDE} on a side and {CELLS:,} in all")
