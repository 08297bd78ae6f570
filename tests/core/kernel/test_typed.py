"""Everything in the compiled kernel is typed: none of its functions but those that answer with Python objects makes or
asks one on the way."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from voskar.core import kernel
from voskar.core.kernel.build import is_compiled

GENERATED = Path(__file__).parents[3] / "build/cython/src/voskar/core/kernel"
"""Where building the kernel leaves its C."""
MODULES = ("narrow_phase", "meeting", "pushes", "shapes", "placing", "broad_phase", "motion", "advance")
INNER = re.compile(r"^static (?!PyObject \*)[^;{]*\b(__pyx_f_6voskar\w+)\([^;{]*\) \{\n(.*?)^\}", re.M | re.S)
SLOW = re.compile(r"PyLong_From|PyFloat_FromDouble|__Pyx_GetModuleGlobalName|PyObject_RichCompare|PyNumber_")


@pytest.mark.skipif(not is_compiled(), reason="the kernel is not compiled")
@pytest.mark.parametrize("module", MODULES)
def test_inner_functions_make_no_python_objects(module: str) -> None:
    code = GENERATED / f"{module}.c"
    for ending in (".py", ".pxd"):
        source = Path(next(iter(kernel.__path__))) / f"{module}{ending}"
        assert code.stat().st_mtime_ns > source.stat().st_mtime_ns, "older than its source: run make"
    inner = re.findall(
        r"^static (?!PyObject \*)[^;{]*\b(__pyx_f_6voskar\w+)\([^;{]*\) \{\n(.*?)^\}", code.read_text(), re.M | re.S
    )
    assert inner
    assert [name for name, body in inner if SLOW.search(body)] == []
