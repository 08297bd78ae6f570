"""Whether the kernel in use is the compiled one, and of which source."""

from __future__ import annotations

from pathlib import Path

import cython

if not cython.compiled:
    VOSKAR_DIGEST = b""


def is_compiled() -> bool:
    """Whether the binary is in use; else its source runs as it is, many times slower."""
    return bool(cython.compiled)


def built_from() -> str:
    """The digest of the source that the binary was built from; empty for the source itself."""
    return VOSKAR_DIGEST.decode()


def source_digest(folder: Path) -> str:
    """The digest of the kernel's source in a folder."""
    import hashlib  # with a library of its own, which no run needs

    digest = hashlib.sha256()
    # The digest tells whether the binary is of this source.
    for path in sorted(folder.iterdir()):
        if path.suffix in (".py", ".pxd"):
            digest.update(path.read_bytes())
    return digest.hexdigest()
