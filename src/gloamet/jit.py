# SPDX-License-Identifier: Apache-2.0
"""Compile options of all kernels, in one place, and the settings with which Numba starts quickly.

Numba imports scipy.linalg at the first kernel to offer matrix products inside kernels: 0.5 s of every start
for something no kernel here uses. It is told there is none. Kernels that only fill arrays they are
given do without Numba's counting of references: threads that count on the same arrays wait for one another
(measured: more than a quarter of all path tracing). Compiled kernels are found again by the content of their sources
(`kernelcache`), not by the path and line at which they stand.
"""

from __future__ import annotations

import hashlib
import inspect
from pathlib import Path
from typing import Any

import numba.np.linalg as _linalg
import numpy as np
from numba.core import caching as _caching

from gloamet import kernelcache

KERNEL_OPTIONS = {"fastmath": True, "nogil": True, "cache": True, "error_model": "numpy", "_nrt": False}
# for kernels that only other kernels call: neither a way in from Python nor a file of their own
INNER_KERNEL_OPTIONS = {
    **KERNEL_OPTIONS,
    "cache": False,
    "no_cpython_wrapper": True,
    "no_cfunc_wrapper": True,
}
# for their small helpers, which vanish in their callers
INLINE_KERNEL_OPTIONS = {**INNER_KERNEL_OPTIONS, "forceinline": True}
# for kernels that make arrays of their own
ALLOCATING_KERNEL_OPTIONS = {**KERNEL_OPTIONS, "_nrt": True}
# for kernels that must see infinities and not-a-number as they are
IEEE_KERNEL_OPTIONS = {**KERNEL_OPTIONS, "fastmath": {"contract", "arcp", "reassoc"}}
IEEE_INLINE_KERNEL_OPTIONS = {**INLINE_KERNEL_OPTIONS, "fastmath": {"contract", "arcp", "reassoc"}}
# for sums over scattered rows: with leave to reorder them they become gathers, which take twice as long
GATHER_KERNEL_OPTIONS = {**KERNEL_OPTIONS, "fastmath": {"contract", "nsz"}}

F = np.float32  # what kernels compute in


def _no_blas() -> None:
    raise ImportError("kernels here use no matrix products")


_linalg.ensure_blas = _no_blas


class ContentLocator(_caching._CacheLocator):
    """Finds the compiled kernels of this program by content: in `kernelcache.folder()`, stamped with its state.

    Numba's own locators go by the path of a clone and the line of a function, so that a second clone and a longer
    docstring would compile everything again.
    """

    def __init__(self, function: Any, file: Path) -> None:
        self._folder = kernelcache.folder() / ".".join(
            file.relative_to(kernelcache.ROOT).parent.parts or ("root",)
        )
        self._stamp = kernelcache.state()
        if file.relative_to(kernelcache.ROOT).parts[0] in kernelcache.WITHOUT:
            self._stamp += hashlib.sha256(inspect.getsource(function).encode()).hexdigest()
        self._py_file = str(file)  # Numba names it in warnings

    def get_cache_path(self) -> str:
        return str(self._folder)

    def get_source_stamp(self) -> str:
        return self._stamp

    def get_disambiguator(self) -> str:
        return "k"  # module and name are told apart already

    @classmethod
    def from_function(cls, py_func: Any, py_file: str) -> ContentLocator | None:
        file = Path(py_file).resolve()
        return cls(py_func, file) if file.is_relative_to(kernelcache.ROOT) else None


_caching.CacheImpl._locator_classes.insert(0, ContentLocator)
