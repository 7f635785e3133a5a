"""How every kernel is compiled, in one place, and Numba made to start quickly.

Numba imports scipy.linalg at the first kernel to offer matrix products inside kernels: 0.5 s of every start
for something no kernel here uses. It is told there is none.
"""

from __future__ import annotations

import numba.np.linalg as _linalg

JIT = {"fastmath": True, "nogil": True, "cache": True, "error_model": "numpy"}
# for kernels that must see infinities and not-a-number as they are
EXACT_JIT = {**JIT, "fastmath": {"contract", "arcp", "reassoc"}}


def _no_blas() -> None:
    raise ImportError("kernels here use no matrix products")


_linalg.ensure_blas = _no_blas
