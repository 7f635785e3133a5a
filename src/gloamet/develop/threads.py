# SPDX-License-Identifier: Apache-2.0
"""Kernels over the rows of a picture, on all processors at once."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from gloamet.thread_barrier import run_on_all_threads
from gloamet.thread_pool import THREADS, shared_pool

COUNTER_COUNT = 4  # of work done together
ROWS_PER_TASK = 16  # rows of a piece of work


def on_all_threads(kernel: Callable[..., Any], *arguments: Any) -> None:
    """Call kernel(counters, *arguments) on all threads; counters are zeros, by which they share the work."""
    run_on_all_threads(
        shared_pool("develop"), THREADS, kernel, (np.zeros(COUNTER_COUNT, np.int64), *arguments)
    )
