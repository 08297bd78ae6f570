"""What is numeric and per frame: poses into the world, motion, boxes, touches. Plain typed Python, compiled when
the package is installed; the types stand in the `.pxd` beside each module. Without a compiler the source runs as it is.
"""

from __future__ import annotations

import importlib.util
import sys
import types

if importlib.util.find_spec("cython") is None:  # only its `compiled` is asked for, and Cython itself need not be there
    sys.modules["cython"] = types.ModuleType("cython")
    sys.modules["cython"].compiled = False  # type: ignore[attr-defined]
