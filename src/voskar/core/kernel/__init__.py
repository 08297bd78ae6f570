"""The numeric work of each frame: poses into the world, motion, boxes, touches. Plain typed Python, compiled when the
package is installed; the types stand in the `.pxd` next to each module. Without a compiler the source runs
uncompiled."""

from __future__ import annotations

import importlib.util
import pkgutil
import sys
import types

if importlib.util.find_spec("cython") is None:
    # The modules only ask for its `compiled`. The stand-in goes away again: other libraries look for Cython, too.
    stand_in = types.ModuleType("cython")
    stand_in.compiled = False  # type: ignore[attr-defined]
    sys.modules["cython"] = stand_in
    try:
        for module in pkgutil.iter_modules(__path__, f"{__name__}."):
            importlib.import_module(module.name)
    finally:
        del sys.modules["cython"]
