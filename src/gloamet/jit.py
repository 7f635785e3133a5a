"""How every kernel is compiled, in one place, and Numba made to start quickly.

Numba imports scipy.linalg at the first kernel to offer matrix products inside kernels: 0.5 s of every start
for something no kernel here uses. It is told there is none. Kernels that only fill arrays they are
given do without Numba's counting of references: threads that count on the same arrays wait for one another
(measured: more than a quarter of all path tracing).
"""

from __future__ import annotations

import numba.np.linalg as _linalg
import numpy as np

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
