"""The kernel in use is the compiled one, and of the source that lies next to it."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import pytest

from voskar.core import kernel
from voskar.core.kernel.build import built_from, is_compiled, source_digest


@pytest.mark.skipif(
    shutil.which(os.environ.get("CC", "cc")) is None or bool(os.environ.get("VOSKAR_PURE")),
    reason="there is no C compiler: the source runs as it is",
)
def test_the_binary_is_in_use_and_no_older_than_its_source() -> None:
    assert is_compiled()
    assert built_from() == source_digest(Path(kernel.__path__[0]))
