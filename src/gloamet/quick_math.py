# SPDX-License-Identifier: Apache-2.0
"""Base-2 logarithm and exponential for kernels, in a form that compilers vectorise.

float32 in and out.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS

F = np.float32
LOG2_E = math.log2(math.e)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def log2(value):
    """Compute the base-2 logarithm, vectorisable.

    Parameters
    ----------
    value : float32
        A positive number.

    Returns
    -------
    float32
        Its logarithm, error 2e-5.
    """
    bits = F(value).view(np.int32)
    m = np.int32((bits & np.int32(0x007FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    p = (F(0.04300496) * m - F(0.40251339)) * m + F(1.58947429)
    p = ((p * m - F(3.48987855)) * m + F(5.04785541)) * m - F(2.78792621)
    return F((bits >> np.int32(23)) - np.int32(127)) + p


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def exp2(stops):
    """Compute two to a power, vectorisable.

    Parameters
    ----------
    stops : float32
        Exponent, limited to ±126.

    Returns
    -------
    float32
        Two to the exponent, relative error 2e-7.
    """
    stops = min(max(stops, F(-126)), F(126))
    whole = np.int32(stops + F(1024.5)) - np.int32(1024)
    rest = stops - F(whole)
    p = (F(1.5403530e-4) * rest + F(1.3333558e-3)) * rest + F(9.6181291e-3)
    p = ((p * rest + F(5.5504109e-2)) * rest + F(2.4022651e-1)) * rest + F(6.9314718e-1)
    return (p * rest + F(1)) * np.int32((whole + np.int32(127)) << np.int32(23)).view(np.float32)
