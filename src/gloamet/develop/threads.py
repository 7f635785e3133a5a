"""Kernels over the rows of a picture, on all processors at once."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from typing import Any

import numpy as np

from gloamet.thread_barrier import run_on_all_threads

COUNTER_COUNT = 4  # of work done together
ROWS_PER_TASK = 16  # rows of a piece of work
THREADS = os.cpu_count() or 1


@lru_cache(maxsize=1)
def pool() -> ThreadPoolExecutor:
    """The threads beside the caller's."""
    return ThreadPoolExecutor(THREADS, thread_name_prefix="develop")


def on_all_threads(kernel: Callable[..., Any], *arguments: Any) -> None:
    """Call kernel(counters, *words) on all threads; counters are zeros, by which they share the work."""
    run_on_all_threads(pool(), THREADS, kernel, (np.zeros(COUNTER_COUNT, np.int64), *arguments))
