"""Reads the alpha of an image, for boxes made of pixels."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from voskar.errors import InputError
from voskar.files.reading import read_bytes

SIDE = 4096  # cells on a side
CELLS = 1 << 22


def read_alpha(path: Path) -> NDArray[np.uint8]:
    """(rows, columns) alpha of a PNG, 255 where it has none. Raises ValueError, saying why, for other files."""
    from PIL import Image, UnidentifiedImageError

    if not path.exists():
        raise ValueError(f"there is no file {path.name}")
    try:
        with Image.open(BytesIO(read_bytes(path)), formats=["PNG"]) as image:
            width, height = image.size
            if max(width, height) > SIDE or width * height > CELLS:
                raise ValueError(
                    f"{path.name} has {width} x {height} cells, at most {SIDE} on a side and {CELLS:,} in all"
                )
            return np.asarray(image.convert("RGBA"))[..., 3]
    except InputError as error:
        raise ValueError(f"{path.name}: {error.problems[0].message}") from None
    except UnidentifiedImageError:
        raise ValueError(f"{path.name} is not a PNG image") from None
    except (OSError, SyntaxError) as error:
        raise ValueError(f"{path.name} cannot be read: {str(error).lower()}") from None
