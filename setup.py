"""Builds the kernel. Without a compiler, or with VOSKAR_PURE set, the package installs too, and runs its source."""

import hashlib
import os
import sys
from pathlib import Path

from setuptools import Extension, setup

KERNEL = Path("src/voskar/core/kernel")
# What Cython adds to every module is compiled once, in a module of its own: most of the time of a build.
SHARED = "voskar.core.kernel._shared"
MODULES = (
    "narrow_phase",
    "meeting",
    "pushes",
    "placed",
    "shapes",
    "columns",
    "laying",
    "placing",
    "broad_phase",
    "motion",
    "advance",
    "gather",
    "build",
)
SOURCES = sorted(path for path in KERNEL.iterdir() if path.suffix in (".py", ".pxd"))


def source_digest() -> str:
    """As `voskar.core.kernel.build.source_digest`, which cannot be imported before it is built."""
    digest = hashlib.sha256()
    for path in SOURCES:
        digest.update(path.read_bytes())
    return digest.hexdigest()


def extensions() -> list[Extension]:
    """One for each module of the kernel, none where the source is to run as it is."""
    if os.environ.get("VOSKAR_PURE"):
        return []
    from Cython.Build import cythonize

    checks = bool(os.environ.get("VOSKAR_CHECKED"))
    # one multiplication and addition is two roundings, on every machine and in Python
    speed = "-O0" if checks else "-O3"  # a checked kernel is built for a few tests only
    flags = [speed, "-g0", "-ffp-contract=off", "-fno-math-errno"] if os.name == "posix" else []
    # an assertion of the kernel costs time in every frame
    macros: list[tuple[str, str | None]] = [] if checks else [("CYTHON_WITHOUT_ASSERTIONS", None)]
    built = cythonize(
        [
            Extension(SHARED, [str(KERNEL / "_shared.c")], extra_compile_args=flags),
            *(
                Extension(
                    f"voskar.core.kernel.{name}",
                    [str(KERNEL / f"{name}.py")],
                    extra_compile_args=flags,
                    define_macros=[*macros, ("VOSKAR_DIGEST", f'"{source_digest()}"')] if name == "build" else macros,
                    depends=[str(path) for path in SOURCES] if name == "build" else [],
                )
                for name in MODULES
            ),
        ],
        shared_utility_qualified_name=SHARED,
        nthreads=(os.cpu_count() or 1) if sys.platform == "linux" else 0,  # elsewhere its workers would run this file
        build_dir="build/cython-checked" if checks else "build/cython",
        compiler_directives={
            "language_level": 3,
            "auto_pickle": False,
            "annotation_typing": False,  # the types are those of the .pxd
            "boundscheck": checks,
            "wraparound": False,
            "initializedcheck": checks,
        },
    )
    for extension in built:
        extension.optional = True  # cythonize loses it
    return list(built)


setup(ext_modules=extensions(), options={"build_ext": {"parallel": os.cpu_count() or 1}})
