"""Everything in the compiled kernel is typed: none of its inner functions makes or asks a Python object on the way."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from voskar.core import kernel

pytest.importorskip("Cython")
SLOW = re.compile(r"PyLong_From|PyFloat_FromDouble|__Pyx_GetModuleGlobalName|PyObject_RichCompare|PyNumber_")


@pytest.mark.parametrize("module", ["narrow_phase", "shapes", "placing", "broad_phase", "motion", "advance"])
def test_inner_functions_make_no_python_objects(module: str, tmp_path: Path) -> None:
    from Cython.Compiler.Main import CompilationOptions, compile_single, default_options

    source = Path(next(iter(kernel.__path__))) / f"{module}.py"
    directives = {"language_level": 3, "annotation_typing": False, "boundscheck": False, "wraparound": False}
    directives["auto_pickle"] = False
    options = CompilationOptions(
        {**default_options, "output_file": str(tmp_path / f"{module}.c"), "compiler_directives": directives}
    )
    compile_single(str(source), options, full_module_name=f"voskar.core.kernel.{module}")
    code = (tmp_path / f"{module}.c").read_text()
    inner = re.findall(r"^static [^;{]*\b(__pyx_f_6voskar\w+)\([^;{]*\) \{\n(.*?)^\}", code, re.M | re.S)
    assert inner
    assert [name for name, body in inner if SLOW.search(body)] == []
